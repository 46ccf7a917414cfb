"""Does a RIFF/WAVE file hold what its header says? ffmpeg plays what is there and says nothing.

Sources: the RIFF/WAVE chunk layout; EBU Tech 3306 for RF64 and BW64 (sizes in the ``ds64`` chunk).
"""

import struct
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from ..errors import BrokenOff, MediaError

_UNKNOWN_SIZES = (0, 0xFFFFFFFF, 0x7FFFFFFF, 0x7FFFF000)


@dataclass(frozen=True)
class _Chunk:
    name: bytes
    start: int
    size: int


def check_riff(path: Path, name: str) -> None:
    """Raise BrokenOff or MediaError, naming the file, when sizes in the header and on the disk differ. Other formats pass."""
    total = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] not in (b"RIFF", b"RF64", b"BW64") or head[8:12] != b"WAVE":
            return
        data_size_64 = None
        rate = 0
        while len(header := file.read(8)) == 8:
            chunk = _Chunk(header[:4], file.tell(), struct.unpack("<I", header[4:])[0])
            if chunk.name == b"ds64":
                data_size_64 = struct.unpack("<Q", file.read(16)[8:])[0]
            elif chunk.name == b"fmt ":
                rate = struct.unpack("<I", file.read(12)[8:])[0]
            elif chunk.name == b"data":
                size = data_size_64 if chunk.size == 0xFFFFFFFF and data_size_64 else chunk.size
                _check_data(chunk.start, size, total, rate, name)
                _check_rest(file, chunk.start + size, total, name)
                return
            file.seek(chunk.start + chunk.size + chunk.size % 2)
    raise MediaError(f"“{name}” is a WAV file without sound data; export it again.")


def _check_data(start: int, size: int, total: int, bytes_per_second: int, name: str) -> None:
    if size in _UNKNOWN_SIZES:
        return
    missing = start + size - total
    if missing > 0:
        says, holds = (_length(n, bytes_per_second) for n in (size, max(0, total - start)))
        raise BrokenOff(f"“{name}” is cut off: its header promises {says} of sound, the file holds {holds}. Copy or export it again.")


def _check_rest(file: BinaryIO, end: int, total: int, name: str) -> None:
    """What follows the sound must be chunks again; anything else means that the header counts too little."""
    position = end + end % 2
    if end >= total:
        return

    while position + 8 <= total:
        file.seek(position)
        header = file.read(8)
        if not all(32 <= byte < 127 for byte in header[:4]):
            raise BrokenOff(f"The header of “{name}” counts less sound than the file holds. Export it again, so that nothing is left unmeasured.")
        size = struct.unpack("<I", header[4:])[0]
        position += 8 + size + size % 2


def _length(size: int, bytes_per_second: int) -> str:
    return f"{size / bytes_per_second:.1f} s" if bytes_per_second else f"{size} bytes"
