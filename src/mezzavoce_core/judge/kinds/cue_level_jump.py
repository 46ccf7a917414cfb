"""A cue is much louder or softer than the other cues."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial

from ...estimate import exact
from ...measure.cues import Cue
from ..deviation import FEWEST, deviating
from ..model import NOTE, Finding, JudgingContext, Kind
from ..remedies.level_matching import matched_level
from ..remedies.level_points import spot_points
from ..remedy import Part, Remedies, Remedy

_SHORTEST_S = 3.0
_RAMP_S = 0.2
_OWN_REST_S, _ALIKE_LU = 1.5, 1.0
"""Music that goes on as loud after so short a rest is one piece that pauses: counted as several cues it would rule the
middle of all."""


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each cue of 3 s or more that stands further than ``cue_jump_lu`` from the median of the others.

    Two have no middle.
    """
    limit = context.spec.limits.cue_jump_lu
    cues = _pieces([c for c in context.cues or () if c.length_s >= _SHORTEST_S])
    if limit is None:
        return
    for k, off in deviating([c.level_lufs for c in cues], limit).items():
        cue, usual = cues[k], cues[k].level_lufs - off
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=NOTE,
            in_s=cue.in_s,
            out_s=cue.out_s,
            title=f"Cue {abs(off):.1f} LU {'louder' if off > 0 else 'softer'} than the others",
            message=(
                f"In the clear this cue stands at {cue.level_lufs:.1f} LUFS, {abs(off):.1f} LU "
                f"{'over' if off > 0 else 'under'} the others around {usual:.1f}; "
                f"within {limit:g} LU they belong together."
            ),
            estimate=exact(abs(off)),
            limit=limit,
            unit="LU",
            role="music",
            source=cue.sources[0],
            mend=partial(_mended, context, cue, off, limit),
        )


def _mended(context: JudgingContext, cue: Cue, off: float, limit: float) -> Remedies:
    passages = (context.passages or ())[context.touched(cue.in_s, cue.out_s)]
    return matched_level(context, off, limit, passages, partial(_moved, context, cue))


def _moved(context: JudgingContext, cue: Cue, gain_db: float) -> Remedy:
    points = spot_points(context, cue.in_s, cue.out_s, gain_db, _RAMP_S)
    return Remedy("lower" if gain_db < 0 else "raise", Part("music", cue.source), gain_db, points)


def _pieces(cues: Sequence[Cue]) -> Sequence[Cue]:
    """The cues, those together that are one piece with short rests of its own.

    As they are where too few would be left to have a middle.
    """
    pieces: list[Cue] = []
    for cue in cues:
        last = pieces[-1] if pieces else None
        if last is not None and _goes_on(last, cue):
            whole_s = last.length_s + cue.length_s
            level = (last.level_lufs * last.length_s + cue.level_lufs * cue.length_s) / whole_s
            pieces[-1] = replace(last, out_s=cue.out_s, level_lufs=level)
        else:
            pieces.append(cue)
    return pieces if len(pieces) >= FEWEST else cues


def _goes_on(first: Cue, second: Cue) -> bool:
    rest_s = second.in_s - first.out_s
    return (
        first.sources == second.sources
        and 0 <= rest_s <= _OWN_REST_S
        and abs(first.level_lufs - second.level_lufs) <= _ALIKE_LU
    )


KIND = Kind("cue-level-jump", "music", "cue off the others", find)
