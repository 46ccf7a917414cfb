"""Which mark each finding of a mix takes: the one that was placed where it lies."""

from collections import defaultdict
from collections.abc import Callable, Sequence

from ..library.models import Mix
from ..measuring.models import Finding
from .models import Placement

Alignment = Callable[[float], float | None]
"""Seconds of the mix in which placements lie as seconds of the mix that was judged; None for what it does not hold."""
# A finding over nearly the whole programme is the same finding however its ends moved.
_LEAST_OVERLAP = 0.2


def same(time_s: float) -> float:
    """The alignment of a mix with itself."""
    return time_s


def matched(
    mix: Mix, findings: Sequence[Finding], placements: Sequence[Placement], alignment: Alignment = same
) -> dict[int, Placement]:
    """The placement of each finding that has one, by the finding's number.

    One to one, by family, role and overlap, the best overlap first. ``mix`` is the one in which ``placements`` lie,
    ``alignment`` says where that is in the one of the ``findings``.
    """
    alike = defaultdict(list)
    for placement in placements:
        begin, end = (alignment(mix.seconds(t)) for t in (placement.in_sample, placement.out_sample))
        if begin is not None and end is not None:
            alike[placement.mark.family, placement.mark.role].append((placement, begin, end))
    pairs = []
    for k, f in enumerate(findings):
        in_s, out_s = f.in_s, f.out_s
        # Nearly all pairs share no time at all, and need no closer look.
        near = [one for one in alike[f.family, f.role] if one[1] < out_s and in_s < one[2]]
        pairs += [(likeness, k, p) for p, *span in near if (likeness := _likeness(f, p, *span)) > 0]
    taken: dict[int, Placement] = {}
    given: set[int] = set()
    for _, k, placement in sorted(pairs, key=lambda p: -p[0]):
        if k not in taken and placement.pk not in given:
            taken[k] = placement
            given.add(placement.pk)
    return taken


def _likeness(finding: Finding, placement: Placement, begin: float, end: float) -> float:
    """How much of the longer of the two both share, a little more for the same kind; 0 where it is too little."""
    shared = min(finding.out_s, end) - max(finding.in_s, begin)
    overlap = shared / max(finding.out_s - finding.in_s, end - begin, 1e-6)
    if overlap < _LEAST_OVERLAP:
        return 0.0
    return overlap + (0.5 if finding.kind == placement.mark.kind else 0.0)
