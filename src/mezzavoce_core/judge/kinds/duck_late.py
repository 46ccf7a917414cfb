"""The music is still falling over the first word."""

from collections.abc import Iterator

from ...measure.balance import Passage
from ...measure.loudness import mean_lufs
from ...measure.meter import TICKS_PER_S
from ...measure.music_gain import Duck
from ..ducking import duck_finding, known_ducks, reshaped
from ..model import SHOULD, Evidence, Finding, Kind

_ABOVE_BED_DB = 3.0
_FIRST_WORD_S = 0.5
_UNTOLD = 0.45
_AHEAD_S, _SOFT_S, _LONGEST_S = 0.1, 0.4, 1.0


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding where a fall ends late and the music over the first word stands 3 dB or more above the bed that follows."""
    limit = evidence.spec.limits.fall_late_s
    if limit is None or evidence.balance is None or evidence.balance.music is None:
        return
    for duck in known_ducks(evidence):
        if duck.fall_end_s is None or duck.fall_start_s is None or duck.bed_lufs is None:
            continue
        passage = _passage_of(evidence, duck)
        if passage is None or not _needed(evidence, passage):
            continue
        if round(duck.fall_end_s - passage.in_s, 1) <= limit or _above_bed(evidence, duck, passage) < _ABOVE_BED_DB:
            continue
        late, told = duck.fall_end_s - passage.in_s, duck.tells("late")
        yield duck_finding(
            KIND,
            duck,
            severity=SHOULD,
            in_s=passage.in_s,
            out_s=max(duck.fall_end_s, passage.in_s + _FIRST_WORD_S),
            title="Music falls too late",
            message=f"The music is still falling {late:.1f} s after the voice began; the fall should be done before the first word.",
            measured=late,
            limit=limit,
            unit="s",
            certainty=duck.certainty if told else min(duck.certainty, _UNTOLD),
            remedy=reshaped(evidence, duck, _before(duck, passage.in_s)),
        )


def _before(duck: Duck, onset_s: float) -> dict[str, float]:
    """The fall as it should be: over just before the voice, neither a step nor drawn out."""
    assert duck.fall_end_s is not None
    assert duck.fall_start_s is not None
    length = min(max(duck.fall_end_s - duck.fall_start_s, _SOFT_S), _LONGEST_S)
    return {"fall_start_s": max(onset_s - _AHEAD_S - length, 0.0), "fall_end_s": max(onset_s - _AHEAD_S, 0.01)}


def _needed(evidence: Evidence, passage: Passage) -> bool:
    """Where the first word stands in the clear anyway, nobody hears that the fall is late."""
    clearance = evidence.spec.limits.clearance_lu
    return clearance is None or passage.first_word_lu is None or round(passage.first_word_lu, 1) < clearance


def _passage_of(evidence: Evidence, duck: Duck) -> Passage | None:
    """The first passage that the fall runs into: it starts before the fall ends and goes on after it."""
    assert duck.fall_end_s is not None
    return next((p for p in evidence.passages or () if p.in_s < duck.fall_end_s < p.out_s), None)


def _above_bed(evidence: Evidence, duck: Duck, passage: Passage) -> float:
    assert evidence.balance is not None
    assert evidence.balance.music is not None
    begin = round(passage.in_s * TICKS_PER_S)
    level = mean_lufs(evidence.balance.music[begin : begin + round(_FIRST_WORD_S * TICKS_PER_S)])
    return float("-inf") if level is None or duck.bed_lufs is None else level - duck.bed_lufs


KIND = Kind("duck-late", "ducking", find)
