"""Runs ffmpeg on stored files: bounded in time, given up as soon as nobody wants the result."""

import subprocess
import time
from collections.abc import Callable
from pathlib import Path

from django.conf import settings

from mezzavoce_core.media.tools import GUARDED

from ..work.execution import NotWanted

_ASK_EVERY_S = 2.0
_MP4 = ("-movflags", "+faststart", "-write_tmcd", "0")


def run(arguments: list[str], target: Path, limit_s: float, go_on: Callable[[], bool] = lambda: True) -> str:
    """Make ``target``; returns what went wrong in a few words, or nothing.

    ``go_on`` says from time to time whether to go on.

    Raises NotWanted when ``go_on`` said no.
    """
    whole = [
        "nice",
        "-n",
        "10",
        "ffmpeg",
        "-v",
        "error",
        "-nostdin",
        "-y",
        *GUARDED,
        *arguments,
        "-dn",
        "-map_metadata",
        "-1",
    ]
    whole += [*(_MP4 if target.suffix == ".mp4" else ()), str(target)]
    process = subprocess.Popen(
        whole, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, cwd=settings.DATA_DIR
    )
    try:
        said = _listen(process, time.monotonic() + limit_s, go_on)
    finally:
        if process.poll() is None:
            process.kill()
            process.communicate()
    if said is None:
        return "it took too long"
    if process.returncode or not target.exists() or not target.stat().st_size:
        last = said.decode(errors="replace").strip().split("\n")[-1]
        return last[:160] or "no reason given"
    return ""


def _listen(process: "subprocess.Popen[bytes]", end: float, go_on: Callable[[], bool]) -> bytes | None:
    """What it says on its error stream once it is through; None where it takes too long."""
    while True:
        try:
            return process.communicate(timeout=_ASK_EVERY_S)[1]
        except subprocess.TimeoutExpired:
            if not go_on():
                raise NotWanted("Nobody wants this any more.") from None
            if time.monotonic() > end:
                return None
