"""A measurement against a spec. Decodes nothing: a changed limit or speech region costs a fraction of a second."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..estimate import MIX, digits_known
from ..measure.balance import clear_share
from ..measure.captions import Caption
from ..measure.ducks import MusicGain
from ..measure.measurement import Measurement
from ..measure.programme import Programme
from ..measure.speech import Correction
from .context import gather
from .deduplication import merge
from .incremental import Kept
from .model import NOTE, Finding, Judgement, JudgingContext, Kind
from .registry import KINDS
from .sources import for_stems, source_of
from .spec import Spec

_LIKELY = 0.5
_STEMS_WANTED = "Only stems tell this."


def judge(
    measurement: Measurement,
    spec: Spec,
    corrections: Sequence[Correction] = (),
    programme: Programme | None = None,
    captions: Sequence[Caption] = (),
    *,
    earlier: Judgement | None = None,
    revisited: Mapping[str, MusicGain] | None = None,
) -> Judgement:
    """Figures, passages, ducks and findings of a measurement under a spec.

    What was set by hand (times of the file) wins over what was measured; without a ``programme`` head and tail are
    found and left out. An ``earlier`` judgement of the same measurement makes it quicker, and so does what is known
    ``revisited`` from the context of any; neither changes anything.
    """
    context = gather(measurement, spec, corrections, programme, captions, earlier=earlier, revisited=revisited)
    kept = Kept.of(earlier, measurement, context)
    findings = tuple(
        _sourced(context, kept.mended(f) if kept else f.mended())
        for f in merge(_careful(f) for kind in KINDS if judged(kind, context) for f in kind.found(context))
    )
    share = (
        clear_share(context.local_ratio_lu, spec.limits.clearance_lu) if spec.limits.clearance_lu is not None else None
    )
    return Judgement(measurement, context, findings, share)


def judged(kind: Kind, context: JudgingContext) -> bool:
    """Whether a kind can be told at all from what was measured."""
    return not (kind.wants_stems and context.estimated)


def not_judged(context: JudgingContext) -> Mapping[str, str]:
    """The kinds that cannot be told from what was measured, each with the reason."""
    without_gain = "" if not context.estimated or context.ducks is not None else _no_gain(context)
    reasons = {kind.name: _STEMS_WANTED for kind in KINDS if not judged(kind, context)}
    return reasons | {
        kind.name: without_gain
        for kind in KINDS
        if without_gain and kind.family == "ducking" and kind.name not in reasons
    }


def _no_gain(context: JudgingContext) -> str:
    found = context.measurement.separation
    assert found is not None
    if found.mono:
        return "The music has no side of its own here, so that its gain cannot be read; the music stem would tell."
    if found.axis_deg:
        return (
            "The voice stands beside the middle, so that the gain of the music cannot be read; a music stem would tell."
        )
    return "The voice sounds where the music does, so that the gain of that cannot be read; a music stem would tell."


def _careful(finding: Finding) -> Finding:
    """As certain as its figure lies beyond its limit; what is more likely wrong than right is a note, and says so."""
    if (beyond := finding.estimate.beyond(finding.limit)) < 1.0:
        finding = replace(finding, certainty=finding.certainty * beyond)
    if finding.estimate.source == MIX:
        finding = replace(finding, message=f"{finding.message} {_estimated(finding)}")
    if finding.certainty >= _LIKELY:
        return finding
    return replace(
        finding, severity=NOTE, message=f"{finding.message} This cannot be told with certainty here; listen."
    )


def _estimated(finding: Finding) -> str:
    sure, unit = finding.estimate.uncertainty, finding.unit
    if unit == "of 1":
        sure, unit = 100 * sure, "%"
    return f"Estimated from the mix, ±{sure:.{digits_known(sure)}f} {unit}."


def _sourced(context: JudgingContext, finding: Finding) -> Finding:
    """With the stem that it is about, where its role has several, and that of each of its remedies."""
    named = finding.source or source_of(context, finding.role, finding.in_s, finding.out_s)
    source = None if context.estimated else named
    remedy, alternatives = (
        finding.remedy and for_stems(context, finding.remedy),
        tuple(for_stems(context, r) for r in finding.alternatives),
    )
    return replace(finding, source=source, remedy=remedy, alternatives=alternatives)
