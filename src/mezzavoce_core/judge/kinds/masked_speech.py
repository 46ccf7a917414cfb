"""Words are lost because what lies under the voice comes too close.

From moment to moment, or in the bands that carry them.
"""

from collections.abc import Iterator
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...estimate import exact
from ...measure.audibility import USUAL_BRIGHTNESS_DB, brightness_db
from ...measure.balance import Passage, blocks_between, loudest_under
from ...measure.meter import BLOCKS_PER_S
from ...signal.spans import join
from ..model import MUST, SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import audibility_remedies, balance_remedies
from ..remedies.remedy_context import further_down

# A dip of the gap shorter than this is a breath between two notes, not a lost word.
_SHORTEST_S = 0.4
# Where conditions count as poor (ANSI S3.5-1997, from memory).
_LOST_BELOW = 0.45
_DULL_DB = 8.0
"""So far under the usual brightness a voice is dull: what lies under it is then not to blame alone."""


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stretch inside a passage, joined over less than 1 s.

    For a passage without one, where its audibility is too low.
    """
    limits = context.spec.limits
    if context.balance is None:
        return
    for passage in context.passages or ():
        if passage.speech_to_background is None and context.estimated:
            continue
        thin = list(thin_stretches(context, passage)) if limits.clearance_lu is not None else []
        for first, last, blocks in thin:
            yield _finding(context, first, last, blocks)
        if (
            not thin
            and limits.audibility_min is not None
            and passage.audibility is not None
            and round(passage.audibility, 2) < limits.audibility_min
        ):
            yield _by_bands(context, passage, passage.audibility, limits.audibility_min)


def thin_stretches(context: JudgingContext, passage: Passage) -> Iterator[tuple[float, float, NDArray[np.int64]]]:
    """In, out (seconds) and blocks of each stretch of a passage whose local ratio is too low.

    Rounded to 0.1, it is below the clearance.
    """
    assert context.balance is not None
    assert context.spec.limits.clearance_lu is not None
    active = blocks_between(context.balance.active, passage.in_s, passage.out_s)
    ratios = np.round(context.local_ratio_lu[active], 1)
    thin = active[np.isfinite(ratios) & (ratios < context.spec.limits.clearance_lu)]
    for first, last in join([(int(b), int(b) + 1) for b in thin], BLOCKS_PER_S):
        inside = thin[(thin >= first) & (thin < last)]
        if len(inside) >= _SHORTEST_S * BLOCKS_PER_S:
            yield max(passage.in_s, first / BLOCKS_PER_S), min(passage.out_s, last / BLOCKS_PER_S), inside


def _by_bands(context: JudgingContext, passage: Passage, heard: float, limit: float) -> Finding:
    assert context.balance is not None
    blocks = blocks_between(context.balance.active, passage.in_s, passage.out_s)
    under, elsewhere = loudest_under(context.balance, blocks), further_down(context, passage.in_s, passage.out_s)
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST if heard < _LOST_BELOW else SHOULD,
        in_s=passage.in_s,
        out_s=passage.out_s,
        title=f"Words covered by bands of the {under}",
        message=(
            f"Words are lost under the {under} in the bands that tell them apart, most around "
            f"{passage.weakest_band_hz} Hz: {heard:.2f} of 1 is audible, "
            f"{limit:g} is wanted.{_what_helps(context, passage, under)}"
        ),
        estimate=exact(heard),
        limit=limit,
        unit="of 1",
        role=under,
        leans_on=elsewhere,
        mend=partial(audibility_remedies, context, passage.in_s, passage.out_s, blocks, limit, elsewhere),
    )


def _what_helps(context: JudgingContext, passage: Passage, under: str) -> str:
    bright = brightness_db(np.array([b.speech_db for b in passage.bands]))
    if bright < USUAL_BRIGHTNESS_DB - _DULL_DB:
        return (
            f" The voice itself is dull: 2 to 4 kHz stand {-bright:.0f} dB under its whole, where "
            f"{-USUAL_BRIGHTNESS_DB:.0f} dB are usual. "
            f"Brighten it first; cuts by band in the {under} do the rest."
        )
    if context.spec.limits.clearance_lu is None:
        return ""
    return f" On the whole the levels stand right, so cuts by band help more than turning the {under} down."


def _finding(context: JudgingContext, in_s: float, out_s: float, blocks: NDArray[np.int64]) -> Finding:
    limits, balance = context.spec.limits, context.balance
    assert limits.clearance_lu is not None
    assert balance is not None
    lowest = float(context.local_ratio_lu[blocks].min())
    estimate = balance.ratio(lowest, blocks)
    assert estimate is not None
    severe = limits.clearance_must_lu is not None and round(lowest, 1) < limits.clearance_must_lu
    under, elsewhere = loudest_under(balance, blocks), further_down(context, in_s, out_s)
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST if severe else SHOULD,
        in_s=in_s,
        out_s=out_s,
        title=f"Words covered by the {under}",
        message=f"The voice stands only {estimate.told} LU over the {under} at the thinnest place; "
        f"{limits.clearance_lu:g} LU are wanted.",
        estimate=estimate,
        limit=limits.clearance_lu,
        unit="LU",
        role=under,
        leans_on=elsewhere,
        mend=partial(balance_remedies, context, in_s, out_s, blocks, wanted=limits.clearance_lu, elsewhere=elsewhere),
    )


KIND = Kind("masked-speech", "voice", "words covered", find)
