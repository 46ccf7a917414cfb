"""Starts everything on one machine with demo data and a stand-in mailbox.

Ends all of it with Ctrl-C.
"""

import os
import shutil
import sys
from pathlib import Path

from mezzavoce_host.machine import furnished, held, prepare
from mezzavoce_host.processes import run
from mezzavoce_host.services import CannotStart, free_port
from mezzavoce_host.words import say

from .announce import FIRST
from .programmes.scenario import EPISODES
from .studio.render import render_all, unrendered


def main(arguments: list[str]) -> int:
    """Run the demo; returns the exit code."""
    data = Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve()
    try:
        with held(data):
            if "--fresh" in arguments:
                _start_over(data)
            mail_port = free_port(8425, "MEZZAVOCE_SMTP_PORT")
            settings = {
                "MEZZAVOCE_DEMO": "1",
                "MEZZAVOCE_SMTP_HOST": "127.0.0.1",
                "MEZZAVOCE_SMTP_PORT": str(mail_port),
            }
            with furnished(data, settings) as web_port:
                _load(data)
                mailbox = f"exec {sys.executable} -m mezzavoce_demo.mailbox {data / 'mailbox'} {mail_port}"
                announcer = ["mezzavoce_demo.announce", f"http://127.0.0.1:{web_port}/"]
                return run(data, announcer, {"mailbox": mailbox})
    except CannotStart as error:
        sys.stderr.write(f"{error}\n")
        return 1
    except KeyboardInterrupt:
        return 130


def _start_over(data: Path) -> None:
    """Everything goes but the rendered media, which would only be made again."""
    for path in data.iterdir():
        if path.name in ("demo-media", "lock"):
            continue
        if path.is_dir():
            shutil.rmtree(path)
        else:
            path.unlink()
    # The start command has named it as the place for temporary files.
    (data / "tmp").mkdir()


def _load(data: Path) -> None:
    """Tables, and media and rows of the first programmes; each is quick when it is there already.

    The others are made by the announcer, behind what can be looked at already.
    """
    media, first = data / "demo-media", EPISODES[:FIRST]
    if missing := len(unrendered(media, first)):
        say(f"Making sound and picture of the first {missing} programmes (once)")
    rendered = render_all(media, first)
    prepare()
    from .loader import load

    load(rendered, first)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
