"""What is estimated of voice and background, as values."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ...units import Floats
from ..meter import BLOCKS_PER_S, TICKS_PER_BLOCK, TICKS_PER_S
from ..speech import Speech

NO_SIDE, OFF_AXIS, EFFECTS, NO_GAPS, QUICK = "no side", "dialogue off its axis", "effects", "no gaps", "quick"
"""Conditions in which less can be told: nothing stands on the sides; the dialogue sounds there, too, as in an echoing
room; something other than music lies under it; nowhere does the background stand by itself; only the first look."""
CONDITIONS = (NO_SIDE, OFF_AXIS, EFFECTS, NO_GAPS, QUICK)


@dataclass(frozen=True)
class PassageRatio:
    """The ratio of a passage from tick ``first`` up to ``last`` in LU, the interval that it lies in, the conditions."""

    first: int
    last: int
    ticks: NDArray[np.int64]
    ratio_lu: float
    low_lu: float
    high_lu: float
    conditions: tuple[str, ...]
    on_per_off: Floats | None


@dataclass(frozen=True)
class Separation:
    """Estimates over a mix.

    ``voice_share`` ``(ticks,)``: how much of the mix's power is voice, 0 to 1. ``voice_bands``, ``under_bands``
    ``(blocks of 100 ms, 18)``: mean squares in one-third octaves, without weighting. ``low_lu``, ``high_lu``
    ``(blocks,)``: by how much the ratio may lie lower and higher, NaN where nothing is known; ``conditions``
    ``(blocks,)``: a bit for each of ``CONDITIONS`` that holds there. ``music`` ``(blocks,)``: how likely music is.
    ``models``: the models by what they do, with their versions. ``tells_gain``: whether what lies off the axis is music
    alone, so that what was done to its gain can be read there.
    """

    speech: tuple[Speech, ...]
    voice_share: NDArray[np.float32]
    voice_bands: NDArray[np.float32]
    under_bands: NDArray[np.float32]
    low_lu: NDArray[np.float32]
    high_lu: NDArray[np.float32]
    conditions: NDArray[np.uint8]
    music: NDArray[np.float32]
    models: Mapping[str, str] = field(default_factory=dict)
    axis_deg: float = 0.0
    mono: bool = False
    tells_gain: bool = False
    thorough: bool = False

    def is_music(self, in_s: float, out_s: float) -> bool:
        """Whether a stretch sounds like music for the most part."""
        part = self.music[_blocks(in_s, out_s)]
        return bool(len(part) and (part > 0.5).mean() > 0.5)

    def conditions_between(self, in_s: float, out_s: float) -> tuple[str, ...]:
        """What makes estimates less sure in a stretch."""
        part = self.conditions[_blocks(in_s, out_s)]
        held = int(np.bitwise_or.reduce(part)) if len(part) else 0
        return tuple(name for k, name in enumerate(CONDITIONS) if held >> k & 1)

    def between(self, first: int, last: int) -> "Separation":
        """The same from tick ``first`` up to ``last``, on a clock that begins there."""
        begin, end = first // TICKS_PER_BLOCK, last // TICKS_PER_BLOCK
        at_s, length_s = first / TICKS_PER_S, (last - first) / TICKS_PER_S
        speech = tuple(
            replace(s, in_s=max(0.0, s.in_s - at_s), out_s=min(length_s, s.out_s - at_s))
            for s in self.speech
            if s.out_s > at_s and s.in_s < at_s + length_s
        )
        blocks = {
            name: getattr(self, name)[begin:end]
            for name in ("voice_bands", "under_bands", "low_lu", "high_lu", "conditions", "music")
        }
        return replace(self, speech=speech, voice_share=self.voice_share[first:last], **blocks)


def _blocks(in_s: float, out_s: float) -> slice:
    """The blocks of a stretch, one at least."""
    first = round(in_s * BLOCKS_PER_S)
    return slice(first, max(first + 1, round(out_s * BLOCKS_PER_S)))
