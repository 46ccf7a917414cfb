"""Speech is over and the music stays down."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

from ...estimate import exact
from ...measure.balance import Passage
from ...measure.ducks import Duck
from ...measure.loudness import mean_lufs
from ...measure.meter import TICKS_PER_S
from ...units import ABSENT_BELOW_LUFS
from ..ducking import duck_finding, known_ducks, needed, reshaped, served
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.prediction import predicted
from ..remedy import Part, Point, Remedy

_BEHIND_S = 0.2
_WORTH_RETURNING_S = 1.0
_RAMP_S = 0.6


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each duck that is held too long after the last word.

    Longer than ``return_after_s``, or through a pause in which the music had time to return.
    """
    limit = context.spec.limits.return_after_s
    if limit is None or context.balance is None or context.balance.music is None:
        return
    for duck in known_ducks(context):
        passages = served(context, duck) if needed(context, duck) else []
        for before, after in pairwise(passages):
            if after.in_s - before.out_s > limit + _WORTH_RETURNING_S:
                yield _finding(
                    duck, before, after.in_s, limit, predicted(context, _between(duck, before, after), passages)
                )
        if not passages:
            continue
        last, until = passages[-1], context.duration_s if duck.return_start_s is None else duck.return_start_s
        if (
            round(until - last.out_s, 1) > limit
            and (duck.return_start_s is None or duck.tells("held"))
            and _heard(context, last.out_s, until)
        ):
            back = last.out_s + _BEHIND_S
            quicker = (
                None
                if duck.return_start_s is None or duck.return_end_s is None
                else (back, back + duck.return_end_s - duck.return_start_s)
            )
            remedy = (
                None
                if quicker is None
                else reshaped(context, duck, {"return_start_s": quicker[0], "return_end_s": quicker[1]})
            )
            sure = duck.sure("held") if duck.tells("held") else duck.certainty
            yield replace(_finding(duck, last, until, limit, remedy), certainty=sure)


def _finding(duck: Duck, last: Passage, until_s: float, limit: float, remedy: Remedy | None) -> Finding:
    held = until_s - last.out_s
    return duck_finding(
        KIND,
        duck,
        severity=SHOULD,
        in_s=last.out_s,
        out_s=until_s,
        title="Music stays down",
        message=f"Speech is over, and the music stays down for {held:.1f} s; within {limit:g} s it should be on its "
        "way back.",
        estimate=exact(held),
        limit=limit,
        unit="s",
        remedy=remedy,
    )


def _between(duck: Duck, before: Passage, after: Passage) -> Remedy:
    """Music let up through a long pause, by as much as it was lowered."""
    times = (
        before.out_s + _BEHIND_S,
        before.out_s + _BEHIND_S + _RAMP_S,
        after.in_s - _BEHIND_S - _RAMP_S,
        after.in_s - _BEHIND_S,
    )
    gains = (0.0, duck.depth_db, duck.depth_db, 0.0)
    points = tuple(Point(round(t, 3), round(g, 1)) for t, g in zip(times, gains, strict=True))
    return Remedy("reshape", Part("music"), round(duck.depth_db, 1), points)


def _heard(context: JudgingContext, from_s: float, to_s: float) -> bool:
    """Whether there is music at all that could come back."""
    assert context.balance is not None
    assert context.balance.music is not None
    level = mean_lufs(context.balance.music[round(from_s * TICKS_PER_S) : round(to_s * TICKS_PER_S)])
    return level is not None and level > ABSENT_BELOW_LUFS


KIND = Kind(
    "duck-slow-return",
    "ducking",
    "stays down",
    find,
    reshaped="Let {who} come back {amount} dB soon after the last word",
)
