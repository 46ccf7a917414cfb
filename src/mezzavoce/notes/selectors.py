"""Reading marks, decisions and notes of a mix the person was already let in to."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from mezzavoce_core.versions.recheck import BY_HAND

from ..library.models import Mix
from ..measuring.models import Finding, Judgement
from .models import Decision, Mark, Note, Placement, Trim

_LIKELY = 0.5


@dataclass(frozen=True)
class Marked:
    """A mark as pages show it: what was found, what was decided, the note if there is one.

    ``finding`` is None when the newest measurement does not find it any more.
    """

    placement: Placement
    mix: Mix
    finding: Finding | None
    decision: Decision | None
    note: Note | None
    trim: Trim | None = None

    @property
    def mark(self) -> Mark:
        """The mark itself."""
        return self.placement.mark

    @property
    def severity(self) -> str:
        """How grave it is: must, should or note."""
        return self.placement.severity

    @property
    def is_unsure(self) -> bool:
        """Whether it is more likely wrong than right, so that it wants listening to."""
        return self.placement.certainty < _LIKELY

    @property
    def title(self) -> str:
        """What it is, in a few words."""
        return self.placement.title

    @property
    def evidence(self) -> dict[str, Any]:
        """The finding that it was last seen as in this mix."""
        found: dict[str, Any] = self.placement.evidence
        return found

    @property
    def state(self) -> str:
        """``open`` or the decision that counts."""
        return (
            "open"
            if self.decision is None or self.decision.what == Decision.What.REOPEN
            else Decision.What(self.decision.what).label
        )

    @property
    def is_open(self) -> bool:
        """Whether somebody still has to decide."""
        return self.state == "open"

    @property
    def in_s(self) -> float:
        """Where it begins, in seconds."""
        return self.mix.seconds((self.trim or self.placement).in_sample)

    @property
    def out_s(self) -> float:
        """Where it ends, in seconds."""
        return self.mix.seconds((self.trim or self.placement).out_sample)

    @property
    def in_timecode(self) -> str:
        """Timecode of its first frame."""
        return self.mix.clock.timecode_in(self.in_s)

    @property
    def out_timecode(self) -> str:
        """Timecode of the first frame after it."""
        return self.mix.clock.timecode_out(self.out_s)

    @property
    def length_s(self) -> float:
        """How long it lasts, in seconds."""
        return self.out_s - self.in_s


def marked(mix: Mix, judgement: Judgement | None, *, whole: bool = False) -> list[Marked]:
    """Every mark of a mix that is found now or was decided on before, in order of time.

    The ``whole`` ones with their evidence, which is long.
    """
    # The placement holds what the finding says.
    findings = {f.mark_id: f for f in judgement.findings.defer("evidence")} if judgement else {}
    decisions = newest_decisions([mix])
    notes = {
        m.pk: n
        for n in Note.objects.filter(mix=mix, state__in=Note.STANDING).prefetch_related("marks")
        for m in n.marks.all()
    }
    trims = {t.mark_id: t for t in Trim.objects.filter(mix=mix, withdrawn=None)}
    found = [
        Marked(
            p,
            mix,
            findings.get(p.mark_id),
            decisions.get((mix.pk, p.mark_id)),
            notes.get(p.mark_id),
            trims.get(p.mark_id),
        )
        for p in Placement.objects.filter(mix=mix).select_related("mark").defer(*([] if whole else ["evidence"]))
        if p.mark_id in findings or _is_decided(p.mark, decisions.get((mix.pk, p.mark_id)))
    ]
    return sorted(found, key=lambda m: (m.in_s, m.mark.pk))


def _is_decided(mark: Mark, decision: Decision | None) -> bool:
    """Whether somebody's word keeps a mark in the list; a note by hand that was undone is none any more."""
    if decision is None:
        return False
    return mark.kind != BY_HAND or decision.what != Decision.What.REOPEN


def decided(mixes: Sequence[int]) -> dict[tuple[int, int], str]:
    """What was decided last, by mix and mark; for lists of many mixes."""
    found = Decision.objects.filter(mix__in=mixes).order_by("pk").values_list("mix", "mark", "what")
    return {(mix, mark): what for mix, mark, what in found}


def newest_decisions(mixes: Iterable[Mix]) -> dict[tuple[int, int], Decision]:
    """The decision that counts, by mix and mark."""
    found = Decision.objects.filter(mix__in=list(mixes)).select_related("by").order_by("pk")
    return {(d.mix_id, d.mark_id): d for d in found}
