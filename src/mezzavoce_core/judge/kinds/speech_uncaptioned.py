"""Somebody speaks and no caption says what."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.captions import uncaptioned
from ..model import NOTE, Finding, JudgingContext, Kind

LEAST_S = 1.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each stretch with a second of speech or more and no caption near.

    None where captions are not given or belong elsewhere.
    """
    captions, balance = context.captions, context.balance
    if captions is None or balance is None or not captions.belong:
        return
    for in_s, out_s in uncaptioned(captions, balance.flags, least_s=LEAST_S, bridge_s=context.spec.limits.bridge_s):
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=NOTE,
            in_s=in_s,
            out_s=out_s,
            title="Speech without a caption",
            message=f"Somebody speaks for {out_s - in_s:.1f} s and no caption stands there; up to {LEAST_S:g} s may "
            "go without one.",
            estimate=exact(out_s - in_s),
            limit=LEAST_S,
            unit="s",
            role="dialogue",
        )


KIND = Kind("speech-uncaptioned", "voice", "speech without caption", find)
