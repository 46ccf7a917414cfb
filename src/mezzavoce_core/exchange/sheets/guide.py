"""A guide track: a broadcast WAVE file with a short tone and a cue point with its label at every note.

Sources: EBU Tech 3285 (chunk ``bext``), Multimedia Programming Interface 1.0 (chunks ``cue`` and ``LIST adtl``); the
layout of both from memory, read back in tests.
"""

import struct
from collections.abc import Iterable, Iterator

import numpy as np

from ...errors import NotMeasurable
from ...media.decode import Samples
from ...units import Floats
from .sheet import Sheet

_TONE_S, _TONE_HZ, _TONE_DBFS = 0.1, 1000.0, -20.0
_LABEL_BYTES = 250
_PIECE = 1 << 20
_MOST_BYTES = (1 << 32) - 1


def guide_track(sheet: Sheet) -> Iterator[bytes]:
    """Mono, at the mix's rate and as long as it, with a tone at every note.

    In pieces, since an hour of it has hundreds of megabytes.
    """
    rate = sheet.sample_rate_hz
    count = max(1, round(sheet.duration_s * rate))
    return broadcast_wave(sheet, rate, 1, count, _tones(sheet, count))


def broadcast_wave(
    sheet: Sheet, rate_hz: int, channels: int, frames: int, blocks: Iterable[Samples]
) -> Iterator[bytes]:
    """Sound, ``(frames, channels)`` in blocks, as 16 bit with a cue point and a label at every note.

    The time reference is the programme's start timecode. What passes full scale is held there. Raises NotMeasurable
    for more than a WAVE file can hold.
    """
    size = 2 * channels * frames
    chunks = [
        (b"bext", _bext(sheet, rate_hz)),
        (b"fmt ", struct.pack("<HHIIHH", 1, channels, rate_hz, 2 * channels * rate_hz, 2 * channels, 16)),
        (b"cue ", _cues(sheet, rate_hz)),
        (b"LIST", _labels(sheet, rate_hz)),
    ]
    head = b"WAVE" + b"".join(_chunk(name, content) for name, content in chunks)
    if len(head) + 8 + size > _MOST_BYTES:
        raise NotMeasurable("This would be more than 4 GB, which a WAVE file cannot hold. Take a shorter mix.")
    yield b"RIFF" + struct.pack("<I", len(head) + 8 + size) + head + b"data" + struct.pack("<I", size)
    for block in blocks:
        yield np.round(np.clip(block, -1.0, 1.0) * 32767).astype("<i2").tobytes()


def _tones(sheet: Sheet, count: int) -> Iterator[Samples]:
    rate = sheet.sample_rate_hz
    tone, begins = _tone(rate), [round(note.in_s * rate) for note in sheet.in_order]
    for first in range(0, count, _PIECE):
        piece = np.zeros((min(_PIECE, count - first), 1), dtype=np.float32)
        for at in begins:
            low, high = max(at, first), min(at + len(tone), first + len(piece))
            if low < high:
                piece[low - first : high - first, 0] = tone[low - at : high - at]
        yield piece


def _chunk(name: bytes, content: bytes) -> bytes:
    return name + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2)


def _tone(rate: int) -> Floats:
    """A tone with soft ends."""
    t = np.arange(round(_TONE_S * rate)) / rate
    fade = np.minimum(1.0, np.minimum(t, t[::-1]) / 0.01)
    tone: Floats = 10 ** (_TONE_DBFS / 20) * fade * np.sin(2 * np.pi * _TONE_HZ * t)
    return tone


def _bext(sheet: Sheet, rate_hz: int) -> bytes:
    reference = round(sheet.clock.start_s * rate_hz)
    return struct.pack(
        "<256s32s32s10s8sQH64s190s",
        f"Guide track with notes on {sheet.name}".encode("ascii", "replace")[:256],
        b"Mezzavoce",
        b"",
        b"",
        b"",
        reference,
        1,
        b"",
        b"",
    )


def _cues(sheet: Sheet, rate_hz: int) -> bytes:
    notes = sheet.in_order
    points = [
        struct.pack("<II4sIII", k, at, b"data", 0, 0, at)
        for k, note in enumerate(notes, 1)
        for at in [round(note.in_s * rate_hz)]
    ]
    return struct.pack("<I", len(points)) + b"".join(points)


def _labels(sheet: Sheet, rate_hz: int) -> bytes:
    """The label of every cue point, and how long its stretch lasts."""
    parts = [b"adtl"]
    for k, note in enumerate(sheet.in_order, 1):
        text = f"{note.label} {note.title}".encode()[:_LABEL_BYTES].decode(errors="ignore").encode() + b"\0"
        parts.append(_chunk(b"labl", struct.pack("<I", k) + text))
        length = round(max(0.0, note.out_s - note.in_s) * rate_hz)
        parts.append(_chunk(b"ltxt", struct.pack("<II4sHHHH", k, length, b"rgn ", 0, 0, 0, 0)))
    return b"".join(parts)
