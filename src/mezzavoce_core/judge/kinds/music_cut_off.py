"""A cue ends from one moment to the next, without a fade and without its own last note dying away."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.cues import Cue, made_by_hand
from ...measure.loudness import mean_lufs
from ...measure.meter import TICKS_PER_S
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import fade_out

_FADE_S = 0.8
_HEARD_LU = 6.0
_LAST_S = 0.1
_FADED_LU = -6.0
"""What is so much softer at its end than in its last seconds was faded out, whatever beat falls into the fade: 0.15 s
of linear fade make 4.8."""


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each cue whose end takes less than ``end_ramp_min_s``.

    Nothing else in the mix hides it, and the music does not run on.

    Music that stops like that by itself over and over may end so, too. What lasts to the end of the programme is no
    cut: a reel ends in the middle of its music, and another follows.
    """
    limit = context.spec.limits.end_ramp_min_s
    if limit is None:
        return
    runs_on = [at for at, _ in context.music_beyond]
    for cue in context.cues or ():
        if (
            cue.out_s < context.duration_s - _LAST_S
            and round(cue.fade_s, 2) < limit
            and cue.ending_lu > _FADED_LU
            and made_by_hand(cue.own_stops)
            and _heard(context, cue)
            and not any(abs(cue.out_s - at) < _FADE_S for at in runs_on)
        ):
            yield _finding(context, cue, limit)


def _heard(context: JudgingContext, cue: Cue) -> bool:
    """Whether the mix falls with it."""
    end = round(cue.out_s * TICKS_PER_S)
    before, after = mean_lufs(context.power[max(0, end - 30) : end - 2]), mean_lufs(context.power[end + 2 : end + 32])
    return before is not None and (after is None or before - after >= _HEARD_LU)


def _finding(context: JudgingContext, cue: Cue, limit: float) -> Finding:
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=SHOULD,
        in_s=max(cue.in_s, cue.out_s - _FADE_S),
        out_s=cue.out_s,
        title="Music is cut off",
        message=f"The music stops within {cue.fade_s:.2f} s, without a fade; an end that takes less than {limit:g} s "
        "is heard as a cut.",
        estimate=exact(cue.fade_s),
        limit=limit,
        unit="s",
        role="music",
        source=cue.sources[0],
        certainty=made_by_hand(cue.own_stops),
        remedy=fade_out(context, max(cue.in_s, cue.out_s - _FADE_S), cue.out_s, source=cue.source),
    )


KIND = Kind("music-cut-off", "music", "music cut off", find, reshaped="Fade {who} out before the end")
