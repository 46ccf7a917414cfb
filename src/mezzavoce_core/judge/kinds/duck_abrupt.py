"""The music steps down or up within a frame or two, heard as a cut."""

from collections.abc import Iterator

from ...measure.ducks import GOES_ON, Duck
from ...measure.loudness import mean_lufs
from ...measure.meter import TICKS_PER_S
from ..ducking import duck_finding, known_ducks, needed, reshaping
from ..model import SHOULD, Evidence, Finding, Kind

_STEP_DOWN, _STEP_UP = "fall-abrupt", "return-abrupt"
_LEAST_STEP_DB = 6.0
_SOFT_S = 0.35
_SEEN, _MORE = 0.5, 1.45
"""Of its depth; where the level changes by more, that is more likely a beat of the music."""
_PLAIN_NATS = 6.0
"""With less a step up has to be seen in the level, too, or heard to leave the sound as it was: music begins a beat at once, but does not stop like that."""
_HEARD_SURE = 0.95
"""How sure a step up is behind which the sound is heard to go on: all 23 in 192 mixes of the tuned half's music had been planted."""
_ASIDE_TICKS, _ACROSS_TICKS = 4, 2


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each fall or return of 6 dB or more that is quicker than ``ramp_min_s``; a doubtful return has to be a step in the level, too."""
    limit = evidence.spec.limits.ramp_min_s
    if limit is None:
        return
    for duck in known_ducks(evidence):
        if not needed(evidence, duck) or round(duck.depth_db, 1) < _LEAST_STEP_DB:
            continue
        for what, begin, end, claim in (
            ("falls", duck.fall_start_s, duck.fall_end_s, _STEP_DOWN),
            ("returns", duck.return_start_s, duck.return_end_s, _STEP_UP),
        ):
            if (
                begin is None
                or end is None
                or round(end - begin, 3) >= limit
                or not duck.tells(claim)
                or (claim == _STEP_UP and not _plain(duck) and not _stepped(evidence, duck, (begin + end) / 2))
            ):
                continue
            soft = {"fall_start_s": end - _SOFT_S} if what == "falls" else {"return_end_s": begin + _SOFT_S}
            yield duck_finding(
                KIND,
                duck,
                severity=SHOULD,
                in_s=begin,
                out_s=max(end, begin + 0.04),
                title="Music steps" if what == "falls" else "Music steps back up",
                message=f"The music {what} by {duck.depth_db:.1f} dB within {1000 * (end - begin):.0f} ms, which is heard as a cut. Give it a soft ramp.",
                measured=end - begin,
                limit=limit,
                unit="s",
                certainty=_sure(duck, claim),
                **reshaping(evidence, duck, soft),
            )


def _plain(duck: Duck) -> bool:
    return duck.nats[_STEP_UP] >= _PLAIN_NATS or duck.tells(GOES_ON)


def _sure(duck: Duck, claim: str) -> float:
    heard = claim == _STEP_UP and duck.tells(GOES_ON)
    return min(duck.certainty, max(_HEARD_SURE, duck.sure(claim))) if heard else duck.sure(claim)


def _stepped(evidence: Evidence, duck: Duck, at_s: float) -> bool:
    """Whether the level itself changes right there, about as far as the gain is said to."""
    assert evidence.balance is not None
    music = evidence.balance.music
    if music is None:
        return False
    tick = round(at_s * TICKS_PER_S)
    before = mean_lufs(music[max(0, tick - _ACROSS_TICKS - _ASIDE_TICKS) : max(0, tick - _ACROSS_TICKS)])
    after = mean_lufs(music[tick + _ACROSS_TICKS : tick + _ACROSS_TICKS + _ASIDE_TICKS])
    return before is None or after is None or _SEEN <= abs(before - after) / duck.depth_db <= _MORE


KIND = Kind("duck-abrupt", "ducking", find)
