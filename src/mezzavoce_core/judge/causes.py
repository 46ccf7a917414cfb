"""One fault, one finding: where several kinds explain one place, the cause stays and the others stand in its ``also``."""

from collections.abc import Iterable
from dataclasses import replace

from .model import MUST, NOTE, SHOULD, Finding, Kind

_WEIGHT = {MUST: 2, SHOULD: 1, NOTE: 0}
# A late fall is heard in the gap's window until this long after it is done.
_REACH_S = 1.6


def merge(findings: Iterable[Finding], kinds: Iterable[Kind]) -> tuple[Finding, ...]:
    """Findings in order of time, each cause once. A cause takes over the severity of what it explains when that is graver."""
    causes = {k.name: k.cause for k in kinds}
    kept: list[Finding] = []
    for finding in sorted(findings, key=lambda f: (causes[f.kind], f.in_s)):
        cause = next((k for k in kept if causes[k.kind] and causes[k.kind] < causes[finding.kind] and _explains(k, finding)), None)
        if cause is None:
            kept.append(finding)
            continue
        graver = finding.severity if _WEIGHT[finding.severity] > _WEIGHT[cause.severity] else cause.severity
        also = cause.also if finding.kind in cause.also else (*cause.also, finding.kind)
        kept[kept.index(cause)] = replace(cause, also=also, severity=graver)
    return tuple(sorted(kept, key=lambda f: (f.in_s, f.out_s)))


def _explains(cause: Finding, other: Finding) -> bool:
    """A missing duck explains what overlaps it; a late one only what is over soon after the fall."""
    if not cause.overlaps(other):
        return False
    return cause.kind == "duck-missing" or other.out_s <= cause.out_s + _REACH_S or cause.kind == "masked-speech"
