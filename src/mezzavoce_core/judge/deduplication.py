"""One fault, one finding.

Where several kinds explain one place, the cause stays and the others stand in its ``also``.
"""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace
from itertools import chain

from .model import MUST, NOTE, SHOULD, Finding

_WEIGHT = {MUST: 2, SHOULD: 1, NOTE: 0}
# A late fall is heard in the gap's window until this long after it is done.
_REACH_S = 1.6
_EXPLAINS: dict[str, tuple[str, ...]] = {
    "duck-one-sided": (
        "duck-missing",
        "duck-shallow",
        "duck-late",
        "duck-uneven",
        "masked-speech",
        "first-word-masked",
        "channel-imbalance",
    ),
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
    """Findings in order of time, of those that begin together the longer first, each cause once.

    A cause takes over the severity of what it explains when that is graver. What a finding explains goes with it to its
    own cause.
    """
    kept: list[Finding] = []
    # Causes by what they account for, and where they are kept; those that were explained themselves come after all
    # others.
    causes: defaultdict[str, list[tuple[Finding, int]]] = defaultdict(list)
    gone: defaultdict[str, list[tuple[Finding, int]]] = defaultdict(list)
    for finding in sorted(findings, key=lambda f: (_ORDER.get(f.kind, len(_ORDER)), f.in_s)):
        known = chain(causes[finding.kind], gone[finding.kind])
        place = next((p for cause, p in known if _explains(cause, finding)), None)
        if place is None:
            place, among = len(kept), causes
            kept.append(finding)
        else:
            kept[place], among = _with(kept[place], finding), gone
        for kind in _EXPLAINS.get(finding.kind, ()):
            among[kind].append((finding, place))
    return tuple(sorted(kept, key=lambda f: (f.in_s, -f.out_s)))


def _with(cause: Finding, explained: Finding) -> Finding:
    """A cause with what it explains."""
    graver = explained.severity if _WEIGHT[explained.severity] > _WEIGHT[cause.severity] else cause.severity
    return replace(
        cause, also=cause.also if explained.kind in cause.also else (*cause.also, explained.kind), severity=graver
    )


def _explains(cause: Finding, other: Finding) -> bool:
    """A late fall explains only what is over soon after it; every other cause all that overlaps it."""
    return cause.overlaps(other) and (cause.kind != "duck-late" or other.out_s <= cause.out_s + _REACH_S)
