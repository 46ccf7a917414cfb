"""A whole role as the notes would have it, as a broadcast WAVE file with a cue point at every note.

Read and written piece by piece, so that two hours need no more memory than a minute.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from .errors import StemError
from .exchange.sheets.guide import broadcast_wave
from .exchange.sheets.sheet import Sheet
from .media.decode import Samples, window
from .media.source import Sound, Source, open_sound
from .render import Change

_PIECE_S = 60.0
_BEFORE_S = 1.0
"""Cuts by band come to rest in far less: so much more is read before each piece."""


@dataclass(frozen=True)
class PlacedStem:
    """A stem of the role, and how much later than itself it lies in the mix, seconds."""

    sound: Sound
    delay_s: float


def write_proposed(stems: Sequence[PlacedStem], changes: Sequence[Change], sheet: Sheet, target: Path) -> int:
    """Write the stems of a role together, with every change carried out; returns how many frames.

    ``changes`` are for this role, in seconds of the mix; the file lies like the mix. Raises StemError or MediaError.
    """
    sources = [open_sound(stem.sound) for stem in stems]
    rates, counts = {s.info.sample_rate_hz for s in sources}, {s.info.channels for s in sources}
    if len(rates) != 1 or len(counts) != 1:
        raise StemError("The stems of this role have different sample rates or layouts; export them alike.")
    rate_hz, channels = rates.pop(), counts.pop()
    blocks = _blocks(list(zip(sources, stems, strict=True)), changes, sheet.duration_s, rate_hz)
    frames = max(1, round(sheet.duration_s * rate_hz))
    with target.open("wb") as file:
        file.writelines(broadcast_wave(sheet, rate_hz, channels, frames, blocks))
    return frames


def _blocks(
    placed: Sequence[tuple[Source, PlacedStem]], changes: Sequence[Change], duration_s: float, rate_hz: int
) -> Iterator[Samples]:
    total, size, before = max(1, round(duration_s * rate_hz)), round(_PIECE_S * rate_hz), round(_BEFORE_S * rate_hz)
    for first in range(0, total, size):
        begin, end = max(0, first - before), min(first + size, total)
        times = np.arange(begin, end) / rate_hz
        together = None
        for source, stem in placed:
            part = _changed(_read(source, stem, begin, end, rate_hz), changes, times, rate_hz, stem.sound.name)
            together = part if together is None else together + part
        assert together is not None
        yield together[first - begin :]


def _read(source: Source, stem: PlacedStem, begin: int, end: int, rate_hz: int) -> Samples:
    """A stem where it lies in the mix; silence where it has nothing."""
    filled = np.zeros((end - begin, source.info.channels), dtype=np.float32)
    at = begin - round(stem.delay_s * rate_hz)
    skipped = max(0, -at)
    if skipped < len(filled):
        found = window(source, max(0, at) / rate_hz, (len(filled) - skipped) / rate_hz)
        found = found[: len(filled) - skipped]
        filled[skipped : skipped + len(found)] = found
    return filled


def _changed(
    part: Samples,
    changes: Sequence[Change],
    times: "np.ndarray[tuple[int], np.dtype[np.float64]]",
    rate_hz: int,
    name: str,
) -> Samples:
    for change in changes:
        meant = change.source is None or change.source == name
        # Beyond the first and the last point their gain goes on.
        near = change.times_s[0] <= times[-1] and times[0] <= change.times_s[-1]
        held = abs(change.gains_db[0]) > 0 or abs(change.gains_db[-1]) > 0
        if meant and (near or held):
            part = (part + change.added(part, times, rate_hz)).astype(np.float32)
    return part
