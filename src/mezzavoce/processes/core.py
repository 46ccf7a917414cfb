"""Starts the core as a process of its own and listens to it. Cancelling, crashes and memory stay in there."""

import json
import os
import select
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.conf import settings

from mezzavoce_core.errors import NotMeasurable, ToolFailed

from ..work.execution import NotWanted
from .folders import work_folder
from .slots import slot

_TELL_EVERY_S = 0.5
_WHILE_A_PAGE_WAITS_S = 25
_TOO_LONG = "Measuring took far longer than this material should; the file may be damaged. Export it again."


@dataclass(frozen=True)
class MeasureRequest:
    """What the core is to measure and where it writes the features."""

    job: dict[str, Any]
    features: Path
    duration_s: float


def measure(wanted: MeasureRequest, go_on: Callable[[float, str], bool]) -> None:
    """Have the core measure. ``go_on`` hears progress and says whether to go on.

    Raises NotMeasurable with the core's sentence, ToolFailed when it was killed, NotWanted when ``go_on`` said no.
    """
    limit_s = settings.CORE_SECONDS + settings.CORE_SECONDS_PER_SECOND * wanted.duration_s
    request = wanted.job | {"do": "measure", "features": str(wanted.features), "threads": settings.CORE_THREADS}
    _run(request, wanted.features.parent, limit_s, go_on)
    if not wanted.features.exists():
        raise ToolFailed("Measuring stopped before it was done; it is tried again.")


def ask(do: str, go_on: Callable[[], bool] = lambda: True, *, limit_s: float = 60, **request: Any) -> Any:
    """Have a worker's core ``probe`` or ``survey`` a file; returns its result. Raises as ``measure`` does."""
    with work_folder() as folder:
        return _run(request | {"do": do}, folder, limit_s, lambda _share, _doing: go_on())["result"]


def ask_now(do: str, **request: Any) -> Any:
    """Have the core hand out ``samples`` or write a passage to ``listen`` to while a page waits.

    Few at once, and not for long.

    Raises Busy where too many ask, else as ``measure`` does.
    """
    with slot(), work_folder() as folder:
        return _run(request | {"do": do}, folder, _WHILE_A_PAGE_WAITS_S, lambda _share, _doing: True)["result"]


def _run(request: dict[str, Any], folder: Path, limit_s: float, go_on: Callable[[float, str], bool]) -> dict[str, Any]:
    """Start the core on a request in a folder of its own; returns its last line."""
    request = request | {"limits": {"memory_mib": settings.CORE_MEMORY_MIB, "seconds": int(limit_s)}}
    process = subprocess.Popen(
        [sys.executable, "-m", "mezzavoce_core", "confined"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        cwd=folder,
        env=_environment(folder),
    )
    try:
        assert process.stdin is not None
        process.stdin.write(json.dumps(request).encode())
        process.stdin.close()
        last = _listen(process, go_on, time.monotonic() + limit_s)
        code = process.wait()
    finally:
        if process.poll() is None:
            process.kill()
            process.wait()
        if process.stdout is not None:
            process.stdout.close()
    if "error" in last:
        raise (ToolFailed if last.get("temporary") else NotMeasurable)(last["error"])
    if code == -signal.SIGXCPU:
        raise NotMeasurable(_TOO_LONG)
    if code != 0:
        raise ToolFailed("Reading stopped before it was done; try again.")
    return last


def _environment(folder: Path) -> dict[str, str]:
    """Only what Python needs: no secrets, no addresses."""
    kept = ("PATH", "PYTHONPATH", "NUMBA_CACHE_DIR", "LANG", "OPENBLAS_CORETYPE")
    return {name: os.environ[name] for name in kept if name in os.environ} | {
        "OPENBLAS_NUM_THREADS": "1",
        "TMPDIR": str(folder),
        "HOME": str(folder),
    }


def _listen(process: "subprocess.Popen[bytes]", go_on: Callable[[float, str], bool], end: float) -> dict[str, Any]:
    """Read lines of progress until the process is through; returns the last line."""
    assert process.stdout is not None
    last: dict[str, Any] = {"share": 0.0, "doing": "starting"}
    told, rest, descriptor = 0.0, b"", process.stdout.fileno()
    while True:
        ready, _, _ = select.select([descriptor], [], [], _TELL_EVERY_S)
        if ready:
            piece = os.read(descriptor, 65536)
            if not piece:
                return last
            *lines, rest = (rest + piece).split(b"\n")
            last = json.loads(lines[-1]) if lines else last
        now = time.monotonic()
        if now > end:
            raise NotMeasurable(_TOO_LONG)
        if now - told >= _TELL_EVERY_S and "share" in last:
            told = now
            if not go_on(last["share"], last["doing"]):
                raise NotWanted("Cancelled.")
