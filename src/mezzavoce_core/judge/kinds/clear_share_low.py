"""Too much of the speech, over the programme as a whole, is not clear."""

from collections.abc import Iterator
from functools import partial

from ...estimate import MIX, Estimate, exact
from ...measure.balance import clear_share
from ..model import MUST, SHOULD, Finding, JudgingContext, Kind
from ..remedies.programme_gain import programme_gain

_FEWEST = 3


def find(context: JudgingContext) -> Iterator[Finding]:
    """One finding for the programme, where it is not one place or two that could be mended by themselves."""
    limits = context.spec.limits
    if limits.clear_share_min is None or limits.clearance_lu is None or not context.speech:
        return
    share = clear_share(context.local_ratio_lu, limits.clearance_lu)
    if share is None or round(share, 2) >= limits.clear_share_min or not _all_over(context, limits.clearance_lu):
        return
    severe = limits.clear_share_must is not None and round(share, 2) < limits.clear_share_must
    wanted = f"{limits.clearance_lu:g} LU over the background; {100 * limits.clear_share_min:.0f} % are wanted."
    yield Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST if severe else SHOULD,
        in_s=context.speech[0].in_s,
        out_s=context.speech[-1].out_s,
        title="Too little of the speech is clear",
        message=f"Only {100 * share:.0f} % of the speech stands {wanted}",
        estimate=_as_sure(context, share, limits.clearance_lu),
        limit=limits.clear_share_min,
        unit="of 1",
        role="dialogue",
        mend=partial(programme_gain, context, limits.clearance_lu, limits.clear_share_min),
    )


def _as_sure(context: JudgingContext, share: float, clearance_lu: float) -> Estimate:
    """The share with the one that it would be if every ratio lay a little lower, or a little higher."""
    open_lu = context.balance.doubt.open_within_lu if context.balance and context.balance.doubt else 0.0
    low, high = (clear_share(context.local_ratio_lu + by, clearance_lu) for by in (-open_lu, open_lu))
    assert low is not None
    assert high is not None
    return Estimate(share, low, high, MIX) if open_lu else exact(share)


def _all_over(context: JudgingContext, clearance_lu: float) -> bool:
    thin = [
        p
        for p in context.passages or ()
        if p.speech_to_background_lu is not None and round(p.speech_to_background_lu, 1) < clearance_lu
    ]
    return len(thin) >= _FEWEST and len(thin) * 3 >= len(context.passages or ())


KIND = Kind("clear-share-low", "voice", "too little in the clear", find)
