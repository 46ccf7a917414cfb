"""The music comes up in short pauses and falls again: it breathes with the words."""

from collections.abc import Iterator, Sequence

from ...estimate import exact
from ...measure.ducks import Pump
from ..ducking import duck_finding, known_ducks, needed, served
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.prediction import predicted
from ..remedy import Part, Point, Remedy

_LEAST_RISE_DB = 3.0
_RAMP_S = 0.05


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each duck in which the gain rises by 3 dB or more inside pauses.

    The pauses are shorter than those between passages.
    """
    for duck in known_ducks(context):
        pumps = [
            p
            for p in duck.pumps
            if round(p.rise_db, 1) >= _LEAST_RISE_DB and p.out_s - p.in_s < context.spec.limits.bridge_s
        ]
        if not pumps or not needed(context, duck):
            continue
        rise = max(p.rise_db for p in pumps)
        pauses = "a pause" if len(pumps) == 1 else f"{len(pumps)} pauses"
        yield duck_finding(
            KIND,
            duck,
            certainty=min(duck.certainty, max(p.certainty for p in pumps)),
            severity=SHOULD,
            in_s=pumps[0].in_s,
            out_s=pumps[-1].out_s,
            title="Music pumps between words",
            message=(
                f"The music rises by up to {rise:.1f} dB in {pauses} shorter than {context.spec.limits.bridge_s:g} s; "
                f"less than {_LEAST_RISE_DB:g} dB goes unnoticed. Hold it down until the last word."
            ),
            estimate=exact(rise),
            limit=_LEAST_RISE_DB,
            unit="dB",
            remedy=predicted(context, _held(pumps), served(context, duck)),
        )


def _held(pumps: Sequence[Pump]) -> Remedy:
    """Takes off what was let up, pause by pause, as it comes up and goes down."""
    points: list[Point] = []
    for p in pumps:
        ramp = min(_RAMP_S, (p.out_s - p.in_s) / 4)
        up = (p.in_s + ramp if p.up_from_s is None else p.up_from_s, p.out_s - ramp if p.up_to_s is None else p.up_to_s)
        times = (p.in_s, *up, p.out_s)
        points += [
            Point(round(t, 3), round(g, 1)) for t, g in zip(times, (0.0, -p.rise_db, -p.rise_db, 0.0), strict=True)
        ]
    return Remedy("hold", Part("music"), -round(max(p.rise_db for p in pumps), 1), tuple(points))


KIND = Kind("duck-pumping", "ducking", "pumping between words", find)
