"""Starts everything on one machine: database, queue, workers, web server, mailbox; loads the demo.

Ends all of it with Ctrl-C.
"""

import fcntl
import os
import shutil
import subprocess
import sys
from contextlib import ExitStack
from pathlib import Path

from honcho.manager import Manager
from honcho.printer import Message, Printer

from .announce import say
from .services import CannotStart, Database, end, free_port, mariadb, redis, secret
from .studio.render import render_all, unrendered


def main(arguments: list[str]) -> int:
    """Run the demo; returns the exit code."""
    data = Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve()
    try:
        with ExitStack() as stack:
            _lock(stack, data)
            if "--fresh" in arguments:
                _start_over(data)
            database = stack.enter_context(mariadb(data, free_port(8406, "MEZZAVOCE_DB_PORT")))
            broker = stack.enter_context(redis(data, free_port(8479, "MEZZAVOCE_REDIS_PORT")))
            web_port, mail_port = free_port(8400, "MEZZAVOCE_PORT"), free_port(8425, "MEZZAVOCE_SMTP_PORT")
            os.environ.update(_environment(data, database, broker, web_port, mail_port))
            _prepare(data)
            return _run(data, web_port, mail_port)
    except CannotStart as error:
        sys.stderr.write(f"{error}\n")
        return 1
    except KeyboardInterrupt:
        return 130


def _lock(stack: ExitStack, data: Path) -> None:
    data.mkdir(parents=True, exist_ok=True)
    lock = stack.enter_context((data / "lock").open("w"))
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise CannotStart(
            f"Mezzavoce is running already with the data in {data}. End that one first, or set "
            "MEZZAVOCE_DATA_DIR to another folder."
        ) from None


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


def _environment(data: Path, database: Database, broker: str, web_port: int, mail_port: int) -> dict[str, str]:
    return {
        "DJANGO_SETTINGS_MODULE": "mezzavoce.config.settings",
        "MEZZAVOCE_DEMO": "1",
        "MEZZAVOCE_DATA_DIR": str(data),
        "MEZZAVOCE_SECRET_KEY": os.environ.get("MEZZAVOCE_SECRET_KEY") or secret(data, "application"),
        "MEZZAVOCE_DB_PORT": str(database.port),
        "MEZZAVOCE_DB_PASSWORD": database.password,
        "MEZZAVOCE_BROKER_URL": f"{broker}/0",
        "MEZZAVOCE_SMTP_HOST": "127.0.0.1",
        "MEZZAVOCE_SMTP_PORT": str(mail_port),
        "MEZZAVOCE_BASE_URL": os.environ.get("MEZZAVOCE_BASE_URL", f"http://127.0.0.1:{web_port}"),
    }


def _prepare(data: Path) -> None:
    """Tables, static files, rendered media and rows; each is quick when it is there already."""
    import django
    from django.core.management import call_command

    media = data / "demo-media"
    if missing := len(unrendered(media)):
        say(f"Making sound and picture of {missing} programmes (once)")
    rendered = render_all(media)
    django.setup()
    call_command("migrate", interactive=False, verbosity=0)
    call_command("createcachetable", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0)
    from .loader import load

    load(rendered)


class _Report(Printer):
    """What the processes say, until whoever started them ends them.

    Work that was under way then is taken up at the next start, so its end is no reason to alarm.
    """

    ending = False

    def write(self, message: Message) -> None:
        if not self.ending:
            super().write(message)


class Everything(Manager):
    """Run the processes until one ends by itself or a person ends them all.

    A person who ends them is spared the messages of what is broken off.
    """

    def __init__(self) -> None:
        self._report = _Report()
        super().__init__(self._report)

    def terminate(self) -> None:
        """End what still runs."""
        # A return code that is there already is that of a process that ended by itself; its last words are wanted.
        asked_for = self.returncode in (130, 143)
        if asked_for and not self._report.ending:
            self._report.ending = True
            say("Ending; what you did stays, and what was being measured is measured at the next start.")
        super().terminate()


def _run(data: Path, web_port: int, mail_port: int) -> int:
    manager = Everything()
    # Whoever tries it may be root in a container, which the queue would warn of at length.
    celery = (
        f"exec {sys.executable} -W ignore:::celery.platforms -m celery --quiet -A mezzavoce.config worker "
        "--loglevel WARNING --without-gossip --without-mingle"
    )
    manager.add_process(
        "web", f"exec {sys.executable} -m mezzavoce.config.server", env=os.environ | {"MEZZAVOCE_PORT": str(web_port)}
    )
    manager.add_process("measuring", f"{celery} -Q measuring -n measuring@%h -c 1")
    manager.add_process("errands", f"{celery} -Q errands -n errands@%h -c 2 -B -s {data / 'beat'}")
    manager.add_process("films", f"{celery} -Q films -n films@%h -c 1")
    manager.add_process("mailbox", f"exec {sys.executable} -m mezzavoce_demo.mailbox {data / 'mailbox'} {mail_port}")
    url = f"http://127.0.0.1:{web_port}/"
    # A process and not a thread: the manager forks.
    announcer = subprocess.Popen([sys.executable, "-m", "mezzavoce_demo.announce", url], stdin=subprocess.DEVNULL)
    try:
        manager.loop()
    finally:
        end(announcer)
    return int(manager.returncode or 0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
