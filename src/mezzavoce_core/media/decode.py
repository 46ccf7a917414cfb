"""Decoding: the only place that opens the sound of a file. Blocks of float32, ``(frames, channels)``, full scale 1.0.

Every block but the last lasts a whole number of seconds, so that 10 ms ticks never straddle two blocks.
"""

import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

import numpy as np
from numpy.typing import NDArray

from ..errors import BadSamples, BrokenOff, MediaError, ToolFailed
from .probe import PROTOCOLS, FileInfo

BLOCK_S = 4
_LENGTH_SLACK_S = 0.5
Samples = NDArray[np.float32]


def blocks(path: Path, info: FileInfo, *, rate_hz: int | None = None, block_s: int = BLOCK_S) -> Iterator[Samples]:
    """The whole first audio track in blocks of ``block_s`` seconds, resampled to ``rate_hz`` where given.

    Raises BadSamples at the first value that is no number, BrokenOff when the sound ends more than half a
    second before the container says.
    """
    rate_hz = rate_hz or info.sample_rate_hz
    size = rate_hz * block_s * info.channels
    seen = 0
    with tempfile.TemporaryFile() as complaints:
        process = _start(path, info, rate_hz, complaints)
        assert process.stdout is not None
        try:
            while len(raw := process.stdout.read(size * 4)):
                whole = len(raw) // (4 * info.channels) * 4 * info.channels
                block = np.frombuffer(raw[:whole], dtype="<f4").reshape(-1, info.channels)
                _refuse_bad(block, seen, rate_hz, info.name)
                seen += len(block)
                yield block
            _finish(process, complaints, info, seen / rate_hz)
        finally:
            process.stdout.close()
            if process.poll() is None:
                process.kill()
            process.wait()


def _start(path: Path, info: FileInfo, rate_hz: int, complaints: IO[bytes]) -> "subprocess.Popen[bytes]":
    resample = () if rate_hz == info.sample_rate_hz else ("-af", f"aresample={rate_hz}:resampler=soxr")
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-nostdin",
        *PROTOCOLS,
        "-i",
        f"file:{path.resolve()}",
        "-map",
        "0:a:0",
        *resample,
        "-f",
        "f32le",
        "-c:a",
        "pcm_f32le",
        "pipe:1",
    ]
    try:
        return subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=complaints)
    except FileNotFoundError:
        raise ToolFailed("ffmpeg is not installed; install the package “ffmpeg”.") from None


def _refuse_bad(block: Samples, seen: int, rate_hz: int, name: str) -> None:
    if np.isfinite(block).all():
        return
    first = int(np.argmin(np.isfinite(block).all(axis=1))) + seen
    raise BadSamples(f"“{name}” holds values that are no numbers, the first {first / rate_hz:.3f} s after its start. Export it again.")


def _finish(process: "subprocess.Popen[bytes]", complaints: IO[bytes], info: FileInfo, length_s: float) -> None:
    code = process.wait()
    if code < 0:
        raise ToolFailed(f"Decoding “{info.name}” was interrupted; try again.")
    if code != 0 and not length_s:
        complaints.seek(0)
        last = complaints.read().decode(errors="replace").strip().split("\n")[-1]
        raise MediaError(f"The sound of “{info.name}” cannot be decoded ({last or 'no reason given'}). Export it again, for example as WAV.")
    if info.duration_s - length_s > _LENGTH_SLACK_S:
        raise BrokenOff(f"“{info.name}” is cut off: it promises {info.duration_s:.1f} s of sound, {length_s:.1f} s can be read. Copy or export it again.")
