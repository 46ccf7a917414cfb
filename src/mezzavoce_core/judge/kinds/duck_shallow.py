"""The music gives way, not far enough."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from ...measure.balance import Passage, blocks_between
from ..ducking import duck_finding, known_ducks, off_usual_db, served
from ..model import MUST, SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import balance_remedies
from ..remedies.remedy_context import deeper

_MOST = 0.6


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each duck under which a passage is too near to the music.

    All along, or with a bed that sits higher than elsewhere.
    """
    limits, balance = context.spec.limits, context.balance
    if limits.clearance_lu is None or balance is None or balance.music is None:
        return
    for duck in known_ducks(context):
        ratios = [(p, p.speech_to_music_lu) for p in served(context, duck)]
        near = [(p, r) for p, r in ratios if r is not None and round(r, 1) < limits.clearance_lu]
        higher = (
            bool(near)
            and limits.bed_spread_db is not None
            and round(-off_usual_db(context, duck), 1) > limits.bed_spread_db
        )
        thin = [(p, r) for p, r in near if higher or _all_along(context, p, limits.clearance_lu)]
        if not thin:
            continue
        in_s, out_s, lowest = thin[0][0].in_s, thin[-1][0].out_s, min(r for _, r in thin)
        severe = limits.clearance_must_lu is not None and round(lowest, 1) < limits.clearance_must_lu
        blocks = np.concatenate([blocks_between(balance.active, p.in_s, p.out_s) for p, _ in thin])
        estimate, elsewhere = balance.ratio(lowest, blocks), deeper(context, duck)
        if estimate is None:
            continue
        yield duck_finding(
            KIND,
            duck,
            severity=MUST if severe else SHOULD,
            in_s=in_s,
            out_s=out_s,
            title="Music gives way too little",
            message=(
                f"The music falls by {duck.depth_db:.1f} dB and leaves the voice {estimate.told} LU over it; "
                f"{limits.clearance_lu:g} LU are wanted. "
                f"Let it fall further."
            ),
            estimate=estimate,
            limit=limits.clearance_lu,
            unit="LU",
            leans_on=elsewhere,
            mend=partial(
                balance_remedies, context, in_s, out_s, blocks, wanted=limits.clearance_lu, elsewhere=elsewhere
            ),
        )


def _all_along(context: JudgingContext, passage: Passage, clearance_lu: float) -> bool:
    """Whether most of the passage is too near; where one place is, it is not the depth of the duck that is at fault."""
    assert context.balance is not None
    near = context.local_ratio_lu[blocks_between(context.balance.active, passage.in_s, passage.out_s)]
    near = near[np.isfinite(near)]
    return not len(near) or float((near < clearance_lu).mean()) >= _MOST


KIND = Kind("duck-shallow", "ducking", "falls too little", find)
