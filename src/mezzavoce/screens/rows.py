"""A programme in a list: its newest mix, how that was judged, what people decided, and where it stands."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

from django.db.models import QuerySet

from mezzavoce_core.exchange.headline import Figure, headline

from ..dispatch.selectors import answered
from ..library.models import Mix, Programme
from ..measuring.models import Finding, Judgement, Run
from ..notes.models import Decision, Note
from ..notes.selectors import decided
from ..recheck.models import SignOff
from ..recheck.signing import signed

_OPEN = Decision.What.REOPEN.value
_DISMISSED = (Decision.What.NOT_A_FAULT, Decision.What.ALLOW)


STANDINGS = (
    "signed",
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


class Found(NamedTuple):
    """What a list needs to know of a finding."""

    mark: int
    kind: str
    family: str
    severity: str


@dataclass
class Row:
    """One programme on the desk."""

    programme: Programme
    mix: Mix | None
    run: Run | None = None
    judgement: Judgement | None = None
    findings: list[Found] = field(default_factory=list)
    # What was decided, by mark.
    decisions: dict[int, str] = field(default_factory=dict)
    written: int = 0
    sent: int = 0
    # What editors said last to notes that were sent.
    answers: list[str] = field(default_factory=list)
    signed: SignOff | None = None

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
        left = [(f.kind, f.family, f.severity) for f in self.findings if f.mark not in self._dismissed]
        return headline(self.figures, self.figures["clear_share"], self.limits, left)

    @property
    def states(self) -> dict[str, str]:
        """How each of those figures stands: ``holds``, ``short``, ``fails``, or empty."""
        return {key.replace("-", "_"): figure.state for key, figure in self.head.items()}

    @property
    def open(self) -> list[Found]:
        """Findings that nobody has decided on."""
        return [f for f in self.findings if self.decisions.get(f.mark, _OPEN) == _OPEN]

    @property
    def standing(self) -> Standing:
        """Where it stands, in a word."""
        if self.mix is None:
            return Standing("no mix yet", "wait")
        if self.judgement is None:
            return self._without_figures()
        if self.signed is not None:
            return Standing("signed", "good")
        return self._sent_out() or self._judged()

    def _sent_out(self) -> Standing | None:
        """What editors have to say, or have said; None where nothing is with them."""
        if self.sent and len(self.answers) < self.sent:
            return Standing("waits for answers", "wait")
        return Standing("answered", "wait") if self.is_answered else None

    @property
    def is_answered(self) -> bool:
        """Whether editors have said something to all that was sent, and nothing else is to be done about this mix."""
        return bool(self.sent) and len(self.answers) >= self.sent and not self.open and not self.written

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
        return {mark for mark, what in self.decisions.items() if what in _DISMISSED}

    def _without_figures(self) -> Standing:
        if self.run is None:
            return Standing("not measured", "wait")
        words = {Run.State.FAILED: ("could not be measured", "bad"), Run.State.CANCELLED: ("cancelled", "wait")}
        return Standing(*words.get(Run.State(self.run.state), ("being measured", "wait")))


def rows_of(programmes: QuerySet[Programme], *, with_figures: bool = True) -> list[Row]:
    """A row for each of some programmes, in a fixed number of queries.

    Of what there are many of, only the columns that a row needs are read; figures only where they are shown.
    """
    found = list(programmes.select_related("spec_version__spec").prefetch_related("production"))
    mixes = _newest_mixes(found)
    runs, judgements = _runs(mixes), _judgements(found, mixes, "figures" if with_figures else "pk")
    rows = [
        Row(p, mix, runs.get(mix.pk), judgements.get(mix.pk)) if (mix := mixes.get(p.pk)) else Row(p, None)
        for p in found
    ]
    _fill(rows)
    return rows


def _newest_mixes(programmes: list[Programme]) -> dict[int, Mix]:
    """The newest mix of each programme that has one."""
    newest: dict[int, Mix] = {}
    for mix in (
        Mix.objects.filter(programme__in=[p.pk for p in programmes])
        .order_by("number", "-pk")
        .only("programme_id", "number", "ingested_by_id")
    ):
        newest[mix.programme_id] = mix
    return newest


def _runs(mixes: dict[int, Mix]) -> dict[int, Run]:
    """The newest run of each mix."""
    return {
        r.mix_id: r
        for r in Run.objects.filter(mix__in=[m.pk for m in mixes.values()]).order_by("pk").only("mix_id", "state")
    }


def _judgements(programmes: list[Programme], mixes: dict[int, Mix], column: str) -> dict[int, Judgement]:
    """Of each mix the judgement that its own page shows: of the newest run that has any, by the spec that counts."""
    counts = {mixes[p.pk].pk: p.spec_version_id or p.production.spec_version_id for p in programmes if p.pk in mixes}
    chosen: dict[int, tuple[tuple[int, bool, Any, int], int]] = {}
    known = Judgement.objects.filter(run__mix__in=list(counts))
    for pk, mix, run, spec, at in known.values_list("pk", "run__mix", "run", "spec_version", "judged_at"):
        rank = (run, spec == counts[mix], at, pk)
        if mix not in chosen or rank > chosen[mix][0]:
            chosen[mix] = (rank, pk)
    of = {pk: mix for mix, (_, pk) in chosen.items()}
    wanted = Judgement.objects.filter(pk__in=of).only(column, "spec_version_id")
    return {of[j.pk]: j for j in wanted.prefetch_related("spec_version__spec")}


def _fill(rows: list[Row]) -> None:
    """Findings, decisions, notes and answers of all rows, in one query each."""
    by_judgement = {r.judgement.pk: r for r in rows if r.judgement}
    found = Finding.objects.filter(judgement__in=list(by_judgement)).order_by("judgement", "in_s", "id")
    for judgement, mark, kind, family, severity in found.values_list("judgement", "mark", "kind", "family", "severity"):
        by_judgement[judgement].findings.append(Found(mark, kind, family, severity))
    by_mix = {r.mix.pk: r for r in rows if r.mix}
    mixes = list(by_mix)
    for (mix_id, mark_id), what in decided(mixes).items():
        by_mix[mix_id].decisions[mark_id] = what
    for mix_id, sign_off in signed(mixes).items():
        by_mix[mix_id].signed = sign_off
    answers = answered(mixes)
    notes = Note.objects.filter(mix__in=mixes, state__in=Note.STANDING)
    for note, mix_id, state in notes.values_list("pk", "mix", "state"):
        row = by_mix[mix_id]
        row.written += state == Note.State.WRITTEN
        row.sent += state == Note.State.SENT
        if note in answers:
            row.answers.append(answers[note])
