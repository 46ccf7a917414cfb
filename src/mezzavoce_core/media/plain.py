"""Facts of a plain WAVE file from its header alone.

What ffprobe would answer, without the tenth of a second that every start of it takes.

Plain is what most stems are: one run of uncompressed sound, and chunks that tell nothing more of it. Everything else is
left to ffprobe, 16 bits among it, for there it looks whether coded sound is hidden in them. Sources: the RIFF/WAVE
chunk layout with WAVE_FORMAT_EXTENSIBLE; EBU Tech 3285 for the time reference in ``bext``.
"""

import struct
from pathlib import Path
from typing import Any, BinaryIO

from .riff import EXTENSIBLE, Chunk, chunks, format_of, pcm_of

_CODECS = {"i3": "pcm_s24le", "i4": "pcm_s32le", "f4": "pcm_f32le", "f8": "pcm_f64le"}
_SILENT = {
    b"fmt ",
    b"data",
    b"fact",
    b"PEAK",
    b"JUNK",
    b"junk",
    b"PAD ",
    b"FLLR",
    b"bext",
    b"iXML",
    b"minf",
    b"elm1",
    b"umid",
    b"regn",
    b"LIST",
}
"""Chunks that say nothing of the sound, or nothing but what is read here."""
_LAYOUTS = {
    0x4: "mono",
    0x3: "stereo",
    0xB: "2.1",
    0x7: "3.0",
    0x33: "quad",
    0x37: "5.0",
    0x607: "5.0(side)",
    0x3F: "5.1",
    0x60F: "5.1(side)",
    0x63F: "7.1",
}
_USUAL = {1: "mono", 2: "stereo"}
_REFERENCE_AT = 338
_TIMECODE = b"ISMP"
_USUAL_KIND = bytes.fromhex("000000001000800000aa00389b71")
_LONGEST_LIST = 1 << 20


def plain_facts(path: Path) -> dict[str, Any] | None:
    """The facts as ffprobe writes them as JSON, as far as they are looked at.

    None where the file is another one, not whole, or not to be opened.
    """
    try:
        return _read_facts(path)
    except OSError:
        return None


def _read_facts(path: Path) -> dict[str, Any] | None:
    total = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] != b"RIFF" or head[8:] != b"WAVE":
            return None
        found: dict[bytes, Chunk] = {}
        for chunk in chunks(file):
            if (
                chunk.name not in _SILENT
                or chunk.start + chunk.size > total
                or (chunk.name in found and chunk.name != b"LIST")
            ):
                return None
            if chunk.name == b"LIST" and (chunk.size > _LONGEST_LIST or _TIMECODE in _read(file, chunk)):
                return None
            found[chunk.name] = chunk
        return _facts(file, found) if {b"fmt ", b"data"} <= found.keys() else None


def _facts(file: BinaryIO, found: dict[bytes, Chunk]) -> dict[str, Any] | None:
    form, data = _read(file, found[b"fmt "]), found[b"data"]
    pcm = pcm_of(format_of(form), data.start, data.size)
    extended = form[:2] == struct.pack("<H", EXTENSIBLE)
    if (
        pcm is None
        or pcm.encoding not in _CODECS
        or not pcm.size
        or not pcm.rate_hz
        or (extended and not _is_usual(form))
    ):
        return None
    mask = struct.unpack("<I", form[20:24])[0] if extended else 0
    if mask and (mask not in _LAYOUTS or mask.bit_count() != pcm.channels):
        return None
    frames = pcm.size // (pcm.channels * int(pcm.encoding[1]))
    duration, reference = f"{frames / pcm.rate_hz:.6f}", _reference(file, found.get(b"bext"))
    sound: dict[str, Any] = {
        "codec_type": "audio",
        "codec_name": _CODECS[pcm.encoding],
        "sample_rate": str(pcm.rate_hz),
        "channels": pcm.channels,
    }
    layout = _LAYOUTS.get(mask) or _USUAL.get(pcm.channels)
    sound |= {"duration": duration} | ({"channel_layout": layout} if layout else {})
    return {
        "streams": [sound],
        "format": {
            "format_name": "wav",
            "duration": duration,
            "tags": {"time_reference": str(reference)} if reference else {},
        },
    }


def _is_usual(form: bytes) -> bool:
    """Whether all bits of an extensible format are sound, and that sound is of the usual kind."""
    bits, valid = struct.unpack("<H", form[14:16])[0], struct.unpack("<H", form[18:20].ljust(2, b"\0"))[0]
    return len(form) >= 40 and valid in (0, bits) and form[26:40] == _USUAL_KIND


def _reference(file: BinaryIO, bext: Chunk | None) -> int:
    """Samples since midnight at the first one."""
    said = _read(file, bext)[_REFERENCE_AT : _REFERENCE_AT + 8] if bext else b""
    return int(struct.unpack("<Q", said)[0]) if len(said) == 8 else 0


def _read(file: BinaryIO, chunk: Chunk) -> bytes:
    """What a chunk that is not longer than a few kilobytes holds."""
    file.seek(chunk.start)
    return file.read(min(chunk.size, _LONGEST_LIST))
