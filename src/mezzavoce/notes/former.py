"""What became in a new mix of what was found in the one before: which marks go on, and how each stands now."""

from collections.abc import Sequence
from dataclasses import dataclass

from mezzavoce_core.versions.recheck import Rechecked, recheck

from ..library.models import Mix
from ..measuring.aligning import alignment_of
from ..measuring.models import Finding, Judgement
from ..measuring.selectors import current_judgement
from .models import PlacedByHand
from .selectors import Marked, marked


@dataclass(frozen=True)
class Followed:
    """A mark of the former mix, what became of it, and the finding that it is in the new one (None: it is gone)."""

    before: Marked
    found: Rechecked
    finding: Finding | None


@dataclass(frozen=True)
class Beside:
    """A new mix beside a former one: every mark that was there, followed."""

    former: Mix
    marks: Sequence[Followed]


def follow(judgement: Judgement, findings: Sequence[Finding]) -> Beside | None:
    """What became of every mark of the former mix by a judgement of the new one, whose findings need not be stored.

    None where it is laid beside none, or that one has no judgement.
    """
    laid = alignment_of(judgement.run.mix)
    earlier = current_judgement(laid[0]) if laid else None
    if laid is None or earlier is None:
        return None
    former, alignment = laid
    before = marked(former, earlier, whole=True)
    old = {"findings": [m.evidence for m in before], "range": earlier.detail["range"]}
    # A finding is known again by the very object that went in.
    new = judgement.detail | {"findings": [f.evidence for f in findings]}
    known = {id(f.evidence): f for f in findings}
    mix = judgement.run.mix
    said = {p.mark_id: p for p in PlacedByHand.objects.filter(mix=mix, withdrawn=None)}
    by_hand = {
        k: (mix.seconds(p.in_sample), mix.seconds(p.out_sample))
        for k, m in enumerate(before)
        if (p := said.get(m.mark.pk))
    }
    followed = [
        Followed(m, r, known[id(r.new)] if r.new is not None else None)
        for m, r in zip(before, recheck(old, new, alignment, by_hand), strict=False)
    ]
    return Beside(former, followed)
