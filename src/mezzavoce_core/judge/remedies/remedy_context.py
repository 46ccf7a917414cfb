"""What a remedy is to fit in with: the bed and the ramps of the music elsewhere, and the voice of the other passages.

A remedy that mends one passage and leaves it unlike all others only moves the fault.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...measure.balance import Passage, blocks_between
from ...measure.ducks import Duck
from ...measure.loudness import mean_lufs
from ...measure.meter import BLOCKS_PER_S
from ...units import Floats, db_to_power
from ..ducking import bed_db, known_ducks, off_usual_db, usual_depth_db, usual_ramps_s
from ..model import JudgingContext
from ..remedy import Point

AHEAD_S, AFTER_S = 0.1, 0.1
"""A fall is over so long before the first word, and a return begins so long after the last."""
_FEWEST = 2
_LIKE_DB = 1.0
_UP_S = 0.3
"""Between two ducks the music has to be up for so long; else it is held down."""


@dataclass(frozen=True)
class RemedyContext:
    """How things lie elsewhere; None where the programme does not tell."""

    times_s: tuple[float, float, float, float] | None = None
    """Where the level points of a gain on the music belong."""
    down_db: float = 0.0
    """So far down the music is there already."""
    bed_db: float | None = None
    """So far down it lies elsewhere."""
    bed_spread_db: float | None = None
    bed_is_there: bool = False
    """Whether it lies there already, and not only once others are mended."""
    bed_stays_up: bool = False
    """Whether there is a bed that stands off from the others as they are, as long as the music is not lowered."""
    voice_lufs: float | None = None
    """The voice of the other passages, in the middle."""
    voice_spread_lu: float | None = None
    voice_least_db: float = 0.0
    """By how much a voice that is too low has to go up to belong to the others."""

    @property
    def least_db(self) -> float:
        """By how much the music has to go down to lie where it lies elsewhere."""
        return 0.0 if self.bed_db is None else max(0.0, self.bed_db - self.down_db)

    def bed_off_db(self, lowered_db: float) -> float | None:
        """By how much music that is lowered lies under its bed elsewhere, where that is more than the spec allows."""
        return None if self.bed_db is None else _beyond(self.down_db + lowered_db - self.bed_db, self.bed_spread_db)

    def voice_off_db(
        self, context: JudgingContext, passages: Sequence[Passage], points: Sequence[Point]
    ) -> float | None:
        """By how much a voice with level points on it stands over the other passages.

        None where that is no more than the spec allows.
        """
        if self.voice_lufs is None or not passages:
            return None
        return _beyond(
            max(p.speech_lufs + _raised_db(context, p, points) for p in passages if p.speech_lufs is not None)
            - self.voice_lufs,
            self.voice_spread_lu,
        )


def _beyond(off_db: float, limit_db: float | None) -> float | None:
    return off_db if limit_db is not None and round(off_db, 1) > limit_db else None


def _raised_db(context: JudgingContext, passage: Passage, points: Sequence[Point]) -> float:
    """By how much level points raise the voice of a passage on the whole."""
    assert context.balance is not None
    blocks = blocks_between(context.balance.active, passage.in_s, passage.out_s)
    power = context.balance.blocks["voice"][blocks]
    gain_db: Floats = np.interp((blocks + 0.5) / BLOCKS_PER_S, [p.at_s for p in points], [p.gain_db for p in points])
    before, after = mean_lufs(power), mean_lufs(power * db_to_power(gain_db))
    return 0.0 if before is None or after is None else after - before


def with_others(context: JudgingContext, in_s: float, out_s: float) -> RemedyContext:
    """The voice elsewhere, for what is done from ``in_s`` to ``out_s``."""
    limits, others = context.spec.limits, np.delete(context.telling_lufs, context.touched(in_s, out_s))
    others = others[np.isfinite(others)]
    middle = float(np.median(others)) if len(others) >= _FEWEST else None
    return RemedyContext(voice_lufs=middle, voice_spread_lu=limits.voice_spread_lu, bed_spread_db=limits.bed_spread_db)


def further_down(context: JudgingContext, in_s: float, out_s: float) -> RemedyContext:
    """The bed and the voice elsewhere, for music that goes further down on top of a duck.

    It goes down from ``in_s`` to ``out_s`` by what it takes.
    """
    middle = (in_s + out_s) / 2
    duck = next((d for d in known_ducks(context) if d.speech and d.covers(middle)), None)
    if duck is None:
        return with_others(context, in_s, out_s)
    elsewhere = _with_bed(context, [duck], (in_s, in_s, out_s, out_s), duck.depth_db)
    return replace(elsewhere, times_s=None, bed_is_there=False)


def new_duck(context: JudgingContext, in_s: float, out_s: float) -> RemedyContext:
    """A duck like the others, where there is none.

    Its fall is over before the first word; where the pause is short it is one with the duck beside it.
    """
    fall_s, return_s = usual_ramps_s(context)
    down, up = in_s - AHEAD_S, out_s + AFTER_S
    fall, back = (down - fall_s, down), (up, up + return_s)
    for duck in (d for d in known_ducks(context) if d.speech):
        if (
            duck.return_start_s is not None
            and duck.return_end_s is not None
            and fall[0] - _UP_S < duck.return_end_s < in_s + _UP_S
        ):
            fall = (duck.return_start_s, duck.return_end_s)
        if (
            duck.fall_start_s is not None
            and duck.fall_end_s is not None
            and out_s - _UP_S < duck.fall_start_s < back[1] + _UP_S
        ):
            back = (duck.fall_start_s, duck.fall_end_s)
    return _with_bed(context, [], (*fall, *back), 0.0)


def deeper(context: JudgingContext, duck: Duck) -> RemedyContext:
    """A duck as it is, further down."""
    end_s = context.duration_s
    fall = (0.0, 0.0) if duck.fall_start_s is None or duck.fall_end_s is None else (duck.fall_start_s, duck.fall_end_s)
    back = (
        (end_s, end_s)
        if duck.return_start_s is None or duck.return_end_s is None
        else (duck.return_start_s, duck.return_end_s)
    )
    higher = _beyond(-off_usual_db(context, duck), context.spec.limits.bed_spread_db) is not None
    return replace(_with_bed(context, [duck], (*fall, *back), duck.depth_db), bed_stays_up=higher)


def _with_bed(
    context: JudgingContext, without: Sequence[Duck], times_s: Sequence[float], down_db: float
) -> RemedyContext:
    first, second, third, fourth = (round(min(max(t, 0.0), context.duration_s), 3) for t in times_s)
    voice = with_others(context, second, third)
    bed, limits = bed_db(context, without), context.spec.limits
    if bed is not None and limits.duck_depth_max_db is not None:
        bed = min(bed, limits.duck_depth_max_db)
    usual = usual_depth_db(context, without)
    there = bed is not None and usual is not None and abs(bed - usual) <= _LIKE_DB
    return replace(voice, times_s=(first, second, third, fourth), down_db=down_db, bed_db=bed, bed_is_there=there)
