"""The first word of a passage, the one that matters most, is covered."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from ...measure.balance import Balance, Passage, first_word, loudest_under
from ...measure.meter import TICKS_PER_S
from ...measure.speech import block_of
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import Gap, balance_remedies
from ..remedies.remedy_context import with_others

_FIRST_WORD_S = 0.5


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each passage whose first 500 ms of speech stand too little over the background."""
    limit = context.spec.limits.first_word_lu
    if limit is None or context.balance is None:
        return
    for passage in context.passages or ():
        first = passage.first_word
        if first is None or round(first.value, 1) >= limit:
            continue
        out_s = min(passage.in_s + _FIRST_WORD_S, passage.out_s)
        blocks = np.arange(block_of(passage.in_s), min(block_of(out_s) + 1, len(context.local_ratio_lu)))
        under, elsewhere = loudest_under(context.balance, blocks), with_others(context, passage.in_s, out_s)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=passage.in_s,
            out_s=out_s,
            title=f"First word under the {under}",
            message=f"The first word stands {first.told} LU over the {under}; {limit:g} LU are wanted. Clear the "
            "first half second.",
            estimate=first,
            limit=limit,
            unit="LU",
            role=under,
            leans_on=elsewhere,
            mend=partial(
                balance_remedies,
                context,
                passage.in_s,
                out_s,
                blocks,
                wanted=limit,
                elsewhere=elsewhere,
                gap=_gap(passage),
            ),
        )


def _gap(passage: Passage) -> Gap:
    def over_first_word(balance: Balance, first: int) -> float:
        ratio = first_word(balance, passage.in_s - first / TICKS_PER_S, passage.out_s - first / TICKS_PER_S)
        return float("nan") if ratio is None else ratio

    return over_first_word


KIND = Kind("first-word-masked", "voice", "first word covered", find)
