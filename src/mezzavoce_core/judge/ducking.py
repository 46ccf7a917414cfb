"""What the kinds of the ducking family have in common.

Which speech a duck serves, how a better one would look, and how a finding of one is written.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from statistics import median
from typing import Any

import numpy as np

from ..measure.balance import Passage
from ..measure.ducks import OWN_DEPTH, Duck, goes_down
from .model import Finding, JudgingContext, Kind
from .remedies.prediction import predicted
from .remedy import Part, Point, Remedies, Remedy

_CORNERS = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")
_LIKELY = 0.5
"""How certain ducks are that are taken to be there without a look at the level."""
_DENIED = 0.45
"""How sure a finding about a duck is at most where the level of the music does not show the duck."""
_NEAR_LU = 1.0
FALL_S, RETURN_S = 0.4, 0.8
"""A fall and a return that are soft."""
FALLS_S, RETURNS_S = (0.2, 1.0), (0.3, 1.2)
"""The shortest and the longest that are taken over from others."""


def known_ducks(context: JudgingContext) -> Sequence[Duck]:
    """The ducks of a programme; none where stems are wanted."""
    return context.ducks or ()


def served(context: JudgingContext, duck: Duck) -> list[Passage]:
    """Passages that lie under a duck, by their middle.

    Under one that is not sure only where the level went down, too.
    """
    known = None if duck.index is None else context.served_by.get(duck.index)
    return _served(context, duck) if known is None else known


def _served(context: JudgingContext, duck: Duck) -> list[Passage]:
    if not duck.speech or (duck.certainty < _LIKELY and not goes_down(duck)):
        return []
    begin = -np.inf if duck.fall_start_s is None else duck.fall_start_s
    end = np.inf if duck.return_end_s is None else duck.return_end_s
    first, last = np.searchsorted(context.middles_s, begin), np.searchsorted(context.middles_s, end, side="right")
    return list((context.passages or ())[first:last])


def needed(context: JudgingContext, duck: Duck) -> bool:
    """Whether a voice needs the duck: without it, one of the passages that it serves would be too near to the music."""
    clearance = context.spec.limits.clearance_lu
    if clearance is None:
        return True
    ratios = [p.speech_to_music_lu for p in served(context, duck)]
    # Depth and ratio are measured, so what is near counts as needed.
    return any(r is not None and r - duck.depth_db < clearance + _NEAR_LU for r in ratios)


def usual_depth_db(context: JudgingContext, without: Sequence[Duck]) -> float | None:
    """The depth that the other ducks of a programme have in the middle, those alone that are sure.

    None where no other is.
    """
    return _middle(context.sure_depths, without)


def _middle(depths: Mapping[int, float], without: Sequence[Duck]) -> float | None:
    left_out = {d.index for d in without}
    others = [depth for which, depth in depths.items() if which not in left_out]
    # Of a few numbers, asked for again and again, NumPy's takes many times as long.
    return float(median(others)) if others else None


def _sure(context: JudgingContext) -> list[Duck]:
    return [d for d in known_ducks(context) if d.index in context.sure_depths]


def served_by(context: JudgingContext) -> dict[int, list[Passage]]:
    """Passages that lie under each duck of a programme, by its index."""
    return {d.index: _served(context, d) for d in known_ducks(context) if d.index is not None}


def wanted_depths(context: JudgingContext) -> dict[int, float]:
    """How deep each sure duck would have to be, by its index."""
    return {
        d.index: d.depth_db + max((context.need_db(p) for p in served(context, d)), default=0.0)
        for d in _sure(context)
        if d.index is not None
    }


def bed_db(context: JudgingContext, without: Sequence[Duck]) -> float | None:
    """So far down the music lies elsewhere in the middle, once what is too shallow is mended.

    Where it is turned down nowhere it is what passages need; None where less than two do.
    """
    others = _middle(context.wanted_depths, without)
    return context.needed_bed_db if others is None and not without else others


def usual_ramps_s(context: JudgingContext) -> tuple[float, float]:
    """How long the falls and the returns of a programme take in the middle, neither steps nor drawn out.

    Ramps that are soft where none is sure.
    """
    sure = _sure(context)
    falls = [d.fall_end_s - d.fall_start_s for d in sure if d.fall_start_s is not None and d.fall_end_s is not None]
    returns = [
        d.return_end_s - d.return_start_s for d in sure if d.return_start_s is not None and d.return_end_s is not None
    ]
    return _usual_s(falls, *FALLS_S, FALL_S), _usual_s(returns, *RETURNS_S, RETURN_S)


def _usual_s(lengths_s: Sequence[float], shortest: float, longest: float, soft: float) -> float:
    return float(np.clip(np.median(lengths_s), shortest, longest)) if lengths_s else soft


def off_usual_db(context: JudgingContext, duck: Duck) -> float:
    """By how many dB more (less: negative) the music falls under a duck than under the others in the middle.

    0 where it has no depth of its own.
    """
    usual = usual_depth_db(context, [duck])
    return duck.depth_db - usual if usual is not None and duck.tells(OWN_DEPTH) else 0.0


def duck_finding(kind: Kind, duck: Duck, **facts: Any) -> Finding:
    """A finding about a duck, as sure as the duck is.

    The music may swell by itself while it is turned down, but what its level denies is no fact.
    """
    sure = facts.pop("certainty", duck.certainty)
    return Finding(
        kind=kind.name,
        family=kind.family,
        role="music",
        certainty=sure if goes_down(duck) else min(sure, _DENIED),
        **facts,
    )


def reshaped(
    context: JudgingContext, duck: Duck, wanted: Mapping[str, float], *, action: str = "reshape", flat: bool = False
) -> Remedy:
    """What has to be added to the music so that a duck has other corners or another depth.

    ``flat``: so that it is not there at all.
    """
    better = replace(duck, **wanted)  # type: ignore[arg-type]
    known = {t for d in (duck, better) for name in _CORNERS if (t := getattr(d, name)) is not None}
    times = np.array(sorted(min(max(t, 0.0), context.duration_s) for t in known))
    target = np.zeros(len(times)) if flat else better.gain_db(times)
    added = target - duck.gain_db(times)
    points = _without_doubles(
        [Point(round(float(t), 3), round(float(g), 1)) for t, g in zip(times, added, strict=True)]
    )
    return predicted(context, Remedy(action, Part("music"), _largest(points), points), served(context, duck))


def reshaping(context: JudgingContext, duck: Duck, wanted: Mapping[str, float], **how: Any) -> dict[str, Any]:
    """What a finding says of a remedy that is a duck of another shape.

    How it is worked out (see ``reshaped``), and what it leans on.
    """

    def mend() -> Remedies:
        return reshaped(context, duck, wanted, **how), ()

    return {"mend": mend, "leans_on": (*(getattr(duck, name) for name in _CORNERS), duck.depth_db, *wanted.items())}


def _without_doubles(points: Sequence[Point]) -> tuple[Point, ...]:
    """Points that lie on the line between their neighbours say nothing."""
    kept = list(points)
    for p in list(points)[1:-1]:
        k = kept.index(p)
        a, b = kept[k - 1], kept[k + 1]
        if abs(np.interp(p.at_s, [a.at_s, b.at_s], [a.gain_db, b.gain_db]) - p.gain_db) < 0.05:
            kept.remove(p)
    # Where nothing is added, the first and the last of the level points are enough.
    while len(kept) > 2 and kept[-1].gain_db == kept[-2].gain_db == 0:
        kept.pop()
    while len(kept) > 2 and kept[0].gain_db == kept[1].gain_db == 0:
        kept.pop(0)
    return tuple(kept)


def _largest(points: Sequence[Point]) -> float:
    return max((p.gain_db for p in points), key=abs, default=0.0)
