"""The dialogue and the programme as a whole stand too far apart (EBU R 128 s4, figure from memory)."""

from collections.abc import Iterator

from ...estimate import exact
from ...units import tenth
from ..model import SHOULD, Finding, JudgingContext, Kind


def find(context: JudgingContext) -> Iterator[Finding]:
    """One finding over the whole programme, where the dialogue is known."""
    limit, whole, spoken = (
        context.spec.limits.loudness_to_dialogue_max_lu,
        context.loudness.integrated_lufs,
        context.dialogue_lufs,
    )
    if limit is None or whole is None or spoken is None:
        return
    off = whole - spoken
    if abs(tenth(off)) <= limit:
        return
    way = "over" if off > 0 else "under"
    yield Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=SHOULD,
        in_s=0.0,
        out_s=context.duration_s,
        title="Dialogue far from the programme",
        message=f"The programme stands {abs(off):.1f} LU {way} its dialogue ({whole:.1f} against {spoken:.1f} LUFS); "
        f"at most {limit:.1f} is wanted.",
        estimate=exact(off),
        limit=limit,
        unit="LU",
        role="dialogue",
    )


KIND = Kind("dialogue-off", "loudness", "dialogue far from the rest", find)
