"""The music is still falling over the first word."""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.balance import Passage
from ...measure.ducks import BARE, LATE, Duck
from ...units import db_to_power, power_to_db
from ..ducking import duck_finding, known_ducks, needed, reshaping
from ..model import NOTE, SHOULD, Finding, JudgingContext, Kind

_ABOVE_BED_DB = 3.0
_BARE_S = 1.0
_FIRST_WORD_S = 0.5
_AHEAD_S, _SOFT_S, _LONGEST_S = 0.1, 0.4, 1.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding where a fall ends late.

    The music over the first word stands 3 dB or more above the bed that follows.
    """
    limit = context.spec.limits.fall_late_s
    if limit is None or context.balance is None or context.balance.music is None:
        return
    for duck in known_ducks(context):
        if duck.fall_end_s is None or duck.fall_start_s is None:
            continue
        passage = _passage_of(context, duck)
        claim = next((c for c in (LATE, BARE) if duck.tells(c)), None)
        if passage is None or claim is None or not needed(context, duck):
            continue
        if round(duck.fall_end_s - passage.in_s, 1) <= limit or _above_bed(duck, passage) < _ABOVE_BED_DB:
            continue
        late = duck.fall_end_s - passage.in_s
        yield duck_finding(
            KIND,
            duck,
            severity=NOTE if _first_word_clear(context, passage) else SHOULD,
            in_s=passage.in_s,
            out_s=max(duck.fall_end_s, passage.in_s + _FIRST_WORD_S),
            title="Music falls too late",
            message=_message(duck, passage, limit),
            estimate=exact(late),
            limit=limit,
            unit="s",
            certainty=duck.sure(claim),
            **reshaping(context, duck, _before(duck, passage.in_s)),
        )


def _message(duck: Duck, passage: Passage, limit: float) -> str:
    assert duck.fall_start_s is not None
    assert duck.fall_end_s is not None
    bare, late = duck.fall_start_s - passage.in_s, duck.fall_end_s - passage.in_s
    if bare >= _BARE_S:
        return (
            f"The first {bare:.1f} s of the passage have the music up, and it is down {late:.1f} s after the "
            f"voice began; {limit:g} s is the latest."
        )
    return (
        f"The music is still falling {late:.1f} s after the voice began; it should be down before the first "
        f"word, {limit:g} s after it at most."
    )


def _first_word_clear(context: JudgingContext, passage: Passage) -> bool:
    """Whether the first word stands as far over what lies under it as the spec asks.

    Then the late fall costs no word.
    """
    limits = context.spec.limits
    wanted = limits.clearance_lu if limits.first_word_lu is None else limits.first_word_lu
    return wanted is not None and passage.first_word_lu is not None and round(passage.first_word_lu, 1) >= wanted


def _before(duck: Duck, onset_s: float) -> dict[str, float]:
    """The fall as it should be: over just before the voice, neither a step nor drawn out."""
    assert duck.fall_end_s is not None
    assert duck.fall_start_s is not None
    length = min(max(duck.fall_end_s - duck.fall_start_s, _SOFT_S), _LONGEST_S)
    return {"fall_start_s": max(onset_s - _AHEAD_S - length, 0.0), "fall_end_s": max(onset_s - _AHEAD_S, 0.01)}


def _passage_of(context: JudgingContext, duck: Duck) -> Passage | None:
    """The first passage that the fall runs into: it starts before the fall ends and goes on after it."""
    assert duck.fall_end_s is not None
    return next((p for p in context.passages or () if p.in_s < duck.fall_end_s < p.out_s), None)


def _above_bed(duck: Duck, passage: Passage) -> float:
    """By how many dB the gain over the first word stands above the bed, as a mean of energy.

    What the music does by itself there is not the fall's fault.
    """
    times = passage.in_s + np.arange(0.005, _FIRST_WORD_S, 0.01)
    return float(power_to_db(np.mean(db_to_power(duck.gain_db(times))))) + duck.depth_db


KIND = Kind(
    "duck-late",
    "ducking",
    "late fall",
    find,
    reshaped="Let {who} fall before the first word ({amount} dB down, earlier)",
)
