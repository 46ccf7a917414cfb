"""Reading marks, decisions and notes of a mix the person was already let in to."""

from collections.abc import Iterable
from dataclasses import dataclass

from ..library.models import Mix
from ..measuring.models import Finding, Judgement
from .models import Decision, Mark, Note, Trim


@dataclass(frozen=True)
class Marked:
    """A mark as pages show it: what was found, what was decided, the note if there is one.

    ``finding`` is None when the newest measurement does not find it any more.
    """

    mark: Mark
    mix: Mix
    finding: Finding | None
    decision: Decision | None
    note: Note | None
    trim: Trim | None = None

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
        return self.mix.seconds((self.trim or self.mark).in_sample)

    @property
    def out_s(self) -> float:
        """Where it ends, in seconds."""
        return self.mix.seconds((self.trim or self.mark).out_sample)

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
    # The mark holds what the finding says.
    findings = {f.mark_id: f for f in judgement.findings.defer("evidence")} if judgement else {}
    decisions = newest_decisions([mix])
    notes = {
        m.pk: n
        for n in Note.objects.filter(mix=mix).exclude(state=Note.State.WITHDRAWN).prefetch_related("marks")
        for m in n.marks.all()
    }
    trims = {t.mark_id: t for t in Trim.objects.filter(mix=mix, withdrawn=None)}
    found = [
        Marked(m, mix, findings.get(m.pk), decisions.get((mix.pk, m.pk)), notes.get(m.pk), trims.get(m.pk))
        for m in Mark.objects.filter(mix=mix).defer(*([] if whole else ["evidence"]))
        if m.pk in findings or (mix.pk, m.pk) in decisions
    ]
    return sorted(found, key=lambda m: (m.in_s, m.mark.pk))


def newest_decisions(mixes: Iterable[Mix]) -> dict[tuple[int, int], Decision]:
    """The decision that counts, by mix and mark."""
    found = Decision.objects.filter(mix__in=list(mixes)).select_related("by").order_by("pk")
    return {(d.mix_id, d.mark_id): d for d in found}
