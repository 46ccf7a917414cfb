"""The programme as a whole (or its dialogue, where the spec anchors there) is too loud or too soft."""

from collections.abc import Iterator

from ...estimate import exact
from ...units import tenth
from ..model import MUST, Finding, JudgingContext, Kind
from ..remedies.level_points import whole_gain


def find(context: JudgingContext) -> Iterator[Finding]:
    """One finding over the whole programme when the loudness leaves the tolerance."""
    limits = context.spec.limits
    by_dialogue = limits.anchor == "dialogue" and context.dialogue_lufs is not None
    level = context.dialogue_lufs if by_dialogue else context.loudness.integrated_lufs
    if limits.integrated_lufs is None or level is None:
        return
    off = tenth(tenth(level) - limits.integrated_lufs)
    if abs(off) <= limits.integrated_tolerance_lu:
        return
    way = "loud" if off > 0 else "soft"
    remedy = whole_gain(context, limits.integrated_lufs - level)
    after = (
        ""
        if remedy.enough
        else f" That alone would put the true peak at {remedy.then.true_peak_dbtp:.1f} dBTP: limit the peaks first."
    )
    yield Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST,
        in_s=0.0,
        out_s=context.duration_s,
        title=f"{'Dialogue' if by_dialogue else 'Programme'} {abs(off):.1f} LU too {way}",
        message=(
            f"The {'dialogue' if by_dialogue else 'whole programme'} stands at {level:.1f} LUFS; "
            f"{limits.integrated_lufs:.1f} ± "
            f"{limits.integrated_tolerance_lu:.1f} are wanted. {'Lower' if off > 0 else 'Raise'} the whole mix "
            f"by {abs(remedy.amount_db):.1f} dB.{after}"
        ),
        estimate=exact(level),
        limit=limits.integrated_lufs,
        unit="LUFS",
        role="dialogue" if by_dialogue else "mix",
        remedy=remedy,
    )


KIND = Kind("integrated-off-target", "loudness", "loudness off target", find)
