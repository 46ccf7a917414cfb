"""RIFF/WAVE headers.

Does a file hold what its header says, and how does its sound lie in it?

ffmpeg plays what is there and says nothing.

Sources: the RIFF/WAVE chunk layout with WAVE_FORMAT_EXTENSIBLE; EBU Tech 3306 and ITU-R BS.2088 for RF64 and BW64
(sizes in the ``ds64`` chunk).
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from ..errors import BrokenOff, MediaError

_UNKNOWN_SIZES = (0, 0xFFFFFFFF, 0x7FFFFFFF, 0x7FFFF000)
_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_ENCODINGS = {(_PCM, 16): "i2", (_PCM, 24): "i3", (_PCM, 32): "i4", (_FLOAT, 32): "f4", (_FLOAT, 64): "f8"}
_MOST_CHUNKS = 10_000


@dataclass(frozen=True)
class Pcm:
    """Uncompressed sound in a file.

    Where it begins, how many bytes long, and how it is coded (``i2 i3 i4 f4 f8``, little-endian).
    """

    start: int
    size: int
    encoding: str
    channels: int
    rate_hz: int


@dataclass(frozen=True)
class Format:
    """What the ``fmt`` chunk says; ``frame`` in bytes."""

    tag: int
    channels: int
    rate_hz: int
    bytes_per_second: int
    frame: int
    bits: int


@dataclass(frozen=True)
class Chunk:
    """A chunk by its name, where its content begins, and how many bytes that has."""

    name: bytes
    start: int
    size: int


def check_riff(path: Path, name: str) -> None:
    """Raise BrokenOff or MediaError, naming the file, when sizes in the header and on the disk differ.

    Other formats pass.
    """
    read_riff(path, name)


def read_riff(path: Path, name: str) -> Pcm | None:
    """How the sound lies in a WAVE file; None for other formats and codings. Raises as ``check_riff`` does."""
    total = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] not in (b"RIFF", b"RF64", b"BW64") or head[8:12] != b"WAVE":
            return None
        form, size_64 = None, None
        for chunk in chunks(file):
            if chunk.name == b"ds64":
                size_64 = struct.unpack("<Q", file.read(16)[8:].ljust(8, b"\0"))[0]
            elif chunk.name == b"fmt ":
                form = format_of(file.read(min(chunk.size, 40)))
            elif chunk.name == b"data":
                size = size_64 if chunk.size == 0xFFFFFFFF and size_64 else chunk.size
                _check_data(chunk.start, size, total, form.bytes_per_second if form else 0, name)
                _check_rest(file, chunk.start + size, total, name)
                return pcm_of(form, chunk.start, total - chunk.start if size in _UNKNOWN_SIZES else size)
    raise MediaError(f"“{name}” is a WAV file without sound data; export it again.")


def chunks(file: BinaryIO) -> Iterator[Chunk]:
    """Chunk after chunk; the reader may move in the file meanwhile."""
    position = 12
    for _ in range(_MOST_CHUNKS):
        file.seek(position)
        header = file.read(8)
        if len(header) < 8:
            return
        size = struct.unpack("<I", header[4:])[0]
        yield Chunk(header[:4], position + 8, size)
        position += 8 + size + size % 2


def format_of(data: bytes) -> Format | None:
    """From the content of a ``fmt`` chunk; None where it is too short."""
    if len(data) < 16:
        return None
    tag, channels, rate, per_second, frame, bits = struct.unpack("<HHIIHH", data[:16])
    if tag == _EXTENSIBLE and len(data) >= 26:
        tag = struct.unpack("<H", data[24:26])[0]
    return Format(tag, channels, rate, per_second, frame, bits)


def pcm_of(form: Format | None, start: int, size: int) -> Pcm | None:
    """How so many bytes of sound are read; None for codings that are not read here."""
    encoding = _ENCODINGS.get((form.tag, form.bits)) if form else None
    if form is None or encoding is None or form.channels < 1 or form.frame != form.channels * form.bits // 8:
        return None
    return Pcm(start, size - size % form.frame, encoding, form.channels, form.rate_hz)


def _check_data(start: int, size: int, total: int, bytes_per_second: int, name: str) -> None:
    if size in _UNKNOWN_SIZES:
        return
    missing = start + size - total
    if missing > 0:
        says, holds = (_length(n, bytes_per_second) for n in (size, max(0, total - start)))
        raise BrokenOff(
            f"“{name}” is cut off: its header promises {says} of sound, the file holds {holds}. Copy or export "
            "it again."
        )


def _check_rest(file: BinaryIO, end: int, total: int, name: str) -> None:
    """What follows the sound must be chunks again; anything else means that the header counts too little."""
    position = end + end % 2
    if end >= total:
        return
    for _ in range(_MOST_CHUNKS):
        if position + 8 > total:
            return
        file.seek(position)
        header = file.read(8)
        if not all(32 <= byte < 127 for byte in header[:4]):
            raise BrokenOff(
                f"The header of “{name}” counts less sound than the file holds. Export it again, so that "
                "nothing is left unmeasured."
            )
        size = struct.unpack("<I", header[4:])[0]
        position += 8 + size + size % 2


def _length(size: int, bytes_per_second: int) -> str:
    return f"{size / bytes_per_second:.1f} s" if bytes_per_second else f"{size} bytes"
