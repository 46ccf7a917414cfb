"""One fault, one finding: where several kinds explain one place, the cause stays and the others stand in its ``also``."""

from collections.abc import Iterable
from dataclasses import replace

from .model import MUST, NOTE, SHOULD, Finding

_WEIGHT = {MUST: 2, SHOULD: 1, NOTE: 0}
# A late fall is heard in the gap's window until this long after it is done.
_REACH_S = 1.6
_EXPLAINS: dict[str, tuple[str, ...]] = {
    "duck-one-sided": ("duck-missing", "duck-shallow", "duck-late", "duck-uneven", "masked-speech", "first-word-masked", "channel-imbalance"),
    "voice-low": ("duck-missing", "duck-shallow", "masked-speech", "first-word-masked", "voice-uneven", "section-jump"),
    "duck-missing": ("duck-late", "duck-shallow", "masked-speech", "first-word-masked"),
    "duck-late": ("duck-slow-ramp", "masked-speech", "first-word-masked"),
    "duck-pumping": ("masked-speech",),
    "duck-shallow": ("masked-speech", "first-word-masked", "duck-uneven"),
    "duck-plunge": ("duck-uneven",),
    "effect-over-speech": ("masked-speech", "first-word-masked"),
    "masked-speech": ("first-word-masked",),
    "true-peak-over": ("clipped",),
    "short-term-over": ("momentary-over", "section-jump"),
    "momentary-over": ("section-jump",),
    "section-jump": ("voice-uneven", "duck-uneven"),
    "inverse-phase": ("mono-loss", "channel-imbalance"),
    "dropout": ("section-jump",),
}
"""What a kind accounts for where both are found, in order of cause."""
_ORDER = {name: k for k, name in enumerate(_EXPLAINS)}


def merge(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Findings in order of time, each cause once. A cause takes over the severity of what it explains when that is graver.

    What a finding explains goes with it to its own cause.
    """
    kept: list[Finding] = []
    gone: list[tuple[Finding, int]] = []
    for finding in sorted(findings, key=lambda f: (_ORDER.get(f.kind, len(_ORDER)), f.in_s)):
        known = [*((k, place) for place, k in enumerate(kept)), *gone]
        place = next((p for k, p in known if finding.kind in _EXPLAINS.get(k.kind, ()) and _explains(k, finding)), None)
        if place is None:
            kept.append(finding)
            continue
        cause = kept[place]
        graver = finding.severity if _WEIGHT[finding.severity] > _WEIGHT[cause.severity] else cause.severity
        also = cause.also if finding.kind in cause.also else (*cause.also, finding.kind)
        kept[place] = replace(cause, also=also, severity=graver)
        gone.append((finding, place))
    return tuple(sorted(kept, key=lambda f: (f.in_s, f.out_s)))


def _explains(cause: Finding, other: Finding) -> bool:
    """A late fall explains only what is over soon after it; every other cause all that overlaps it."""
    return cause.overlaps(other) and (cause.kind != "duck-late" or other.out_s <= cause.out_s + _REACH_S)
