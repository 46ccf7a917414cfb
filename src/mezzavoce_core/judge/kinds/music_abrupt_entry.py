"""A cue or an effect comes in from one moment to the next where nobody speaks."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.cues import Cue, made_by_hand, rise_db
from ...measure.meter import TICKS_PER_S
from ..model import NOTE, Finding, JudgingContext, Kind
from ..remedies.level_points import fade_in

_FADE_S = 0.5
_FIRST_S = 1.0
_NEAR_LEVEL_LU, _NEAR_PROGRAMME_LU = 6.0, 8.0
_EFFECT_LEAST_S = 1.0
_SPEECH_NEAR_S = 0.5


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each entry at full level that lifts the mix by more than ``entry_max_db`` within 0.1 s.

    The programme's own beginning is none, nor is a soft opening that grows, nor a short effect: a door may slam. Nor is
    there one in music that comes in like that by itself over and over.
    """
    limit = context.spec.limits.entry_max_db
    if limit is None:
        return
    cues = [("music", c) for c in context.cues or ()]
    cues += [("effects", c) for c in context.effect_cues if c.length_s >= _EFFECT_LEAST_S]
    for role, cue in cues:
        rise = rise_db(context.power, cue.in_s)
        if (
            round(rise, 1) > limit
            and made_by_hand(cue.own_entries)
            and _full(context, cue)
            and not _spoken(context, cue.in_s)
        ):
            yield _finding(context, role, cue, rise, limit)


def _full(context: JudgingContext, cue: Cue) -> bool:
    """Whether it opens at its level, and at that of the programme."""
    programme = context.loudness.integrated_lufs
    if cue.in_s < _FIRST_S or programme is None:
        return False
    return cue.opening_lufs > cue.level_lufs - _NEAR_LEVEL_LU and cue.opening_lufs > programme - _NEAR_PROGRAMME_LU


def _spoken(context: JudgingContext, at_s: float) -> bool:
    if context.balance is None:
        return False
    first, last = (max(0, round((at_s + d) * TICKS_PER_S)) for d in (-_SPEECH_NEAR_S, _SPEECH_NEAR_S))
    return bool(context.balance.flags[first:last].any())


def _finding(context: JudgingContext, role: str, cue: Cue, rise: float, limit: float) -> Finding:
    what = "The music" if role == "music" else "The effect"
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=NOTE,
        in_s=cue.in_s,
        out_s=cue.in_s + _FADE_S,
        title=f"{what[4:].capitalize()} comes in abruptly",
        message=f"{what} lifts the mix by {rise:.1f} dB within a tenth of a second; more than {limit:g} dB startles "
        "where nothing prepares it.",
        estimate=exact(rise),
        limit=limit,
        unit="dB",
        role=role,
        source=cue.sources[0] if role == "music" else None,
        certainty=made_by_hand(cue.own_entries),
        remedy=fade_in(context, cue.in_s, _FADE_S, role=role, source=cue.source if role == "music" else None),
    )


KIND = Kind("music-abrupt-entry", "music", "abrupt entry", find, reshaped="Fade {who} in over half a second")
