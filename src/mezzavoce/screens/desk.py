"""The desk: every programme of a production with its newest mix, composed from the selectors of the apps below."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from django.db.models import Prefetch

from mezzavoce_core.exchange.headline import Figure, headline

from ..accounts.access import role_in
from ..accounts.models import Person
from ..dispatch.models import Answer
from ..dispatch.selectors import newest_answers, recent_answers
from ..library.models import Mix, Production, Programme
from ..measuring.models import Finding, Judgement, Run
from ..measuring.selectors import active_runs, runs_for_lists
from ..notes.models import Decision, Note
from ..notes.selectors import newest_decisions

_DISMISSED = (Decision.What.NOT_A_FAULT, Decision.What.ALLOW)


STANDINGS = (
    "not yet",
    "to decide",
    "notes to send",
    "waits for answers",
    "answered",
    "may go out",
    "being measured",
    "could not be measured",
    "cancelled",
    "not measured",
    "no mix yet",
)


@dataclass(frozen=True)
class Standing:
    """Where a mix stands: a word, and how it is to be taken (``good``, ``bad`` or ``wait``)."""

    word: str
    tone: str


@dataclass
class Row:
    """One programme on the desk."""

    programme: Programme
    mix: Mix | None
    run: Run | None = None
    judgement: Judgement | None = None
    findings: list[Finding] = field(default_factory=list)
    decisions: dict[int, Decision] = field(default_factory=dict)
    written: int = 0
    sent: int = 0
    answers: list[Answer] = field(default_factory=list)

    @property
    def figures(self) -> dict[str, Any]:
        """Figures for the scales; empty without a judgement."""
        return self.judgement.figures if self.judgement else {}

    @property
    def limits(self) -> dict[str, Any]:
        """The limits that it was judged by."""
        return self.judgement.spec_version.limits if self.judgement else {}

    @cached_property
    def head(self) -> dict[str, Figure]:
        """The figures as the head of the review shows them; empty without a judgement."""
        if self.judgement is None:
            return {}
        left = [(f.kind, f.family, f.severity) for f in self.findings if f.mark_id not in self._dismissed]
        return headline(self.figures, self.figures["clear_share"], self.limits, left)

    @property
    def states(self) -> dict[str, str]:
        """How each of those figures stands: ``holds``, ``short``, ``fails``, or empty."""
        return {key.replace("-", "_"): figure.state for key, figure in self.head.items()}

    @property
    def open(self) -> list[Finding]:
        """Findings that nobody has decided on."""
        return [
            f
            for f in self.findings
            if f.mark_id not in self.decisions or self.decisions[f.mark_id].what == Decision.What.REOPEN
        ]

    @property
    def standing(self) -> Standing:
        """Where it stands, in a word."""
        if self.mix is None:
            return Standing("no mix yet", "wait")
        if self.judgement is None:
            return self._without_figures()
        return self._sent_out() or self._judged()

    def _sent_out(self) -> Standing | None:
        """What editors have to say, or have said; None where nothing is with them."""
        if self.sent and len(self.answers) < self.sent:
            return Standing("waits for answers", "wait")
        return Standing("answered", "wait") if self.sent and not self.open and not self.written else None

    def _judged(self) -> Standing:
        if "must" in self.head:
            return Standing("not yet", "bad")
        if self.written:
            return Standing("notes to send", "wait")
        # What falls short of the spec is for a person to decide, though nothing forbids the mix; what is taste is not
        # waited for.
        return (
            Standing("to decide", "wait")
            if any(f.severity != "note" for f in self.open)
            else Standing("may go out", "good")
        )

    @property
    def _dismissed(self) -> set[int]:
        return {mark for mark, d in self.decisions.items() if d.what in _DISMISSED}

    def _without_figures(self) -> Standing:
        if self.run is None:
            return Standing("not measured", "wait")
        words = {Run.State.FAILED: ("could not be measured", "bad"), Run.State.CANCELLED: ("cancelled", "wait")}
        return Standing(*words.get(Run.State(self.run.state), ("being measured", "wait")))


class Desk:
    """Everything that the desk of a production shows to a person in a role. What nobody asks for is not read."""

    def __init__(self, production: Production, role: str) -> None:
        self.production = production
        self.role = role

    @cached_property
    def rows(self) -> list[Row]:
        """Every programme with its newest mix."""
        mixes = Mix.objects.prefetch_related(runs_for_lists()).order_by("-number")
        programmes = Programme.objects.filter(production=self.production).select_related("spec_version__spec")
        if not self.production.archived:
            programmes = programmes.filter(archived_at=None)
        wanted = self.production.spec_version_id
        rows = [_row(p, p.spec_version_id or wanted) for p in programmes.prefetch_related(Prefetch("mixes", mixes))]
        _fill(rows)
        return rows

    @property
    def standings(self) -> tuple[str, ...]:
        """Every word that may say where a programme stands."""
        return STANDINGS

    @cached_property
    def active(self) -> list[Run]:
        """What is being measured, or waits for it."""
        return list(active_runs(self.production))

    @cached_property
    def answers(self) -> list[Answer]:
        """What editors said last."""
        return recent_answers(self.production.pk)

    @property
    def next_row(self) -> Row | None:
        """The programme to go on with: the soonest due that has something open."""
        waiting = [r for r in self.rows if r.open]
        return min(waiting, key=lambda r: (r.programme.due is None, r.programme.due, r.programme.number), default=None)


def desk(person: Person, production: Production) -> Desk:
    """The desk of a production that the person belongs to."""
    return Desk(production, role_in(person, production) or "guest")


def _row(programme: Programme, spec_version: int) -> Row:
    """A programme with its newest mix, and of its judgements the one that its own page shows."""
    mixes = list(programme.mixes.all())
    if not mixes:
        return Row(programme, None)
    runs = list(mixes[0].runs.all())
    measured = next((r for r in runs if r.judgements.all()), None)
    known = sorted(measured.judgements.all(), key=lambda j: j.judged_at, reverse=True) if measured else []
    judgement = next((j for j in known if j.spec_version_id == spec_version), known[0] if known else None)
    return Row(programme, mixes[0], runs[0] if runs else None, judgement)


def _fill(rows: list[Row]) -> None:
    """Findings, decisions, notes and answers of all rows, in one query each."""
    by_judgement = {r.judgement.pk: r for r in rows if r.judgement}
    for finding in Finding.objects.filter(judgement__in=list(by_judgement)).defer("evidence"):
        by_judgement[finding.judgement_id].findings.append(finding)
    by_mix = {r.mix.pk: r for r in rows if r.mix}
    mixes = [r.mix for r in rows if r.mix]
    for (mix_id, mark_id), decision in newest_decisions(mixes).items():
        by_mix[mix_id].decisions[mark_id] = decision
    answers = newest_answers(mixes)
    for note in Note.objects.filter(mix__in=mixes).exclude(state=Note.State.WITHDRAWN).only("mix_id", "state"):
        row = by_mix[note.mix_id]
        row.written += note.state == Note.State.WRITTEN
        row.sent += note.state == Note.State.SENT
        if note.pk in answers:
            row.answers.append(answers[note.pk])
