"""The application's processes, run until one ends by itself or a person ends them all."""

import os
import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path

from honcho.manager import Manager
from honcho.printer import Message, Printer

from .services import end
from .words import say


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


def run(data: Path, announcer: Sequence[str], more: Mapping[str, str] | None = None) -> int:
    """Run web server, workers and scheduler, and ``more`` commands by name; returns the exit code.

    ``announcer`` is a module with its arguments, which says when everything is ready.
    """
    manager = Everything()
    # Whoever tries it may be root in a container, which the queue would warn of at length.
    celery = (
        f"exec {sys.executable} -W ignore:::celery.platforms -m celery --quiet -A mezzavoce.config worker "
        "--loglevel WARNING --without-gossip --without-mingle"
    )
    manager.add_process("web", f"exec {sys.executable} -m mezzavoce.config.server", env=dict(os.environ))
    manager.add_process("measuring", f"{celery} -Q measuring -n measuring@%h -c 1")
    manager.add_process("errands", f"{celery} -Q errands -n errands@%h -c 2 -B -s {data / 'beat'}")
    manager.add_process("films", f"{celery} -Q films -n films@%h -c 1")
    for name, command in (more or {}).items():
        manager.add_process(name, command)
    # A process and not a thread: the manager forks.
    announcing = subprocess.Popen([sys.executable, "-m", *announcer], stdin=subprocess.DEVNULL)
    try:
        manager.loop()
    finally:
        end(announcing)
    return int(manager.returncode or 0)
