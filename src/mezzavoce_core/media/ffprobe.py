"""Questions to ffprobe.

A question can be put early, while there is other work to do; the answer is kept as long as the file stays the same.
"""

import subprocess
from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path

from .tools import GUARDED, limited

LIMIT_S = 60
_put: "dict[tuple[Path, int, int], subprocess.Popen[bytes]]" = {}


def ask(paths: Iterable[Path]) -> None:
    """Begin to ask about regular files.

    What cannot be asked is left to ``answer``, which says why.
    """
    for path in paths:
        if path.is_file() and path.stat().st_size:
            try:
                _put[_key(path)] = _question(path)
            except OSError:
                return


def answer(path: Path) -> "subprocess.CompletedProcess[bytes]":
    """What ffprobe answers about a file, as JSON.

    Raises FileNotFoundError where there is no ffprobe, TimeoutExpired where it takes too long.
    """
    return _answer(_key(path))


def forget() -> None:
    """Ask again the next time."""
    _answer.cache_clear()


def _key(path: Path) -> tuple[Path, int, int]:
    stamp = path.stat()
    return path.resolve(), stamp.st_mtime_ns, stamp.st_size


def _question(path: Path) -> "subprocess.Popen[bytes]":
    question = [
        "ffprobe",
        "-v",
        "error",
        *GUARDED,
        "-show_streams",
        "-show_format",
        "-of",
        "json",
        f"file:{path.resolve()}",
    ]
    return subprocess.Popen(
        limited(question, LIMIT_S), stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )


@lru_cache(16)
def _answer(key: tuple[Path, int, int]) -> "subprocess.CompletedProcess[bytes]":
    with _put.pop(key, None) or _question(key[0]) as process:
        try:
            said, _ = process.communicate(timeout=LIMIT_S)
        except BaseException:
            process.kill()
            raise
        return subprocess.CompletedProcess(process.args, process.returncode, said)
