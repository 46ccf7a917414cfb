"""The review page of one mix, composed from the selectors of the apps below. What nobody asks for is not read."""

from functools import cached_property
from typing import Any

from mezzavoce_core.exchange.headline import Figure
from mezzavoce_core.exchange.words import change, in_sentence, lack, on_the_whole, prediction, short_name

from ..accounts.access import role_in
from ..accounts.models import Person
from ..config.refresh import encoded
from ..dispatch.models import Answer
from ..dispatch.selectors import newest_answers
from ..library.models import Membership, Mix
from ..library.selectors import mix_for
from ..measuring.models import Alignment
from ..measuring.selectors import current_judgement, newest_run
from ..notes.actions import UndoableAction, last_undoable_action
from ..notes.models import Placement
from ..notes.selectors import Marked, marked
from .bands import BandPicture, bands_of
from .estimated import Estimated, estimated
from .pictures import Picture, picture_of
from .ranges import RangeWords, range_words, remarks
from .verdict import figures, sentence
from .versions import version_of_review

UNSURE = "listen"
"""The word for what is more likely wrong than right."""
_DUCK = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s", "open_lufs", "bed_lufs")


class Review:
    """Everything that the review page shows."""

    def __init__(self, mix: Mix, role: str, label: str | None) -> None:
        """Of a mix that a person may see in a role; ``label`` chooses a mark, else the first open one."""
        self.mix = mix
        self.role = role
        self._label = label
        self.judgement = current_judgement(mix)
        # Read before anything else: what changes meanwhile is told the next time.
        self.run = newest_run(mix)
        self.version = version_of_review(mix, self.judgement, self.run)

    @property
    def mixes(self) -> list[Mix]:
        """Every mix of the programme, newest first."""
        return list(self.mix.programme.mixes.order_by("-number"))

    @property
    def is_laid(self) -> bool:
        """Whether it is laid beside the mix before it."""
        return self.mix.number > 1 and Alignment.objects.filter(mix=self.mix).exists()

    @property
    def encoded_version(self) -> str:
        """The version as the page carries it."""
        return encoded(self.version)

    @property
    def may_decide(self) -> bool:
        """Whether the person does more than look."""
        return self.role != Membership.Role.GUEST

    @cached_property
    def marks(self) -> list[Marked]:
        """Every mark, in order of time."""
        return marked(self.mix, self.judgement)

    @cached_property
    def answers(self) -> dict[int, Answer]:
        """The editors' answers that count, by note."""
        return newest_answers([self.mix])

    @cached_property
    def last(self) -> UndoableAction | None:
        """What undo would take back."""
        return last_undoable_action(self.mix)

    @cached_property
    def chosen(self) -> Marked | None:
        """The mark whose finding is shown."""
        by_label = next((m for m in self.marks if m.mark.label == self._label), None)
        return by_label or next((m for m in self.marks if m.is_open), self.marks[0] if self.marks else None)

    @cached_property
    def open(self) -> list[Marked]:
        """Marks that nobody has decided on."""
        return [m for m in self.marks if m.is_open]

    @property
    def facts(self) -> dict[str, str]:
        """Single words and sentences that stand on the page, by their place."""
        count, left = len(self.marks), f"{len(self.open)} of {len(self.marks)} open"
        noted = sum(m.note is not None for m in self.marks)
        return {
            "verdict": self.sentence,
            "judged_by": self.judgement.spec_version.words if self.judgement else "",
            "open": left,
            "counts": f"{left}: tall must, short should" if count else "",
            "noted": str(noted) if noted else "",
        }

    def word(self, item: Marked) -> str:
        """The word at the end of a mark's line: weight while open, then the decision, then the editor's answer."""
        if item.is_open:
            return UNSURE if item.is_unsure else item.severity
        answer = self.answers.get(item.note.pk) if item.note else None
        return Answer.What(answer.what).label if answer else item.state

    @property
    def listed(self) -> list[tuple[Marked, str]]:
        """Every mark with the word at the end of its line."""
        return [(m, self.word(m)) for m in self.marks]

    @property
    def sentence(self) -> str:
        """The verdict in words."""
        return sentence(self.judgement, self.marks) if self.judgement else ""

    @property
    def figures(self) -> list[Figure]:
        """The figures against their limits."""
        return figures(self.judgement, self.marks) if self.judgement else []

    @property
    def chosen_answer(self) -> Answer | None:
        """What the editor said to the chosen note."""
        return self.answers.get(self.chosen.note.pk) if self.chosen and self.chosen.note else None

    @property
    def words(self) -> dict[str, Any]:
        """Wordings for the chosen finding."""
        if self.chosen is None:
            return {}
        evidence = self.chosen.evidence
        remedy = evidence["remedy"]
        return {
            "change": change(remedy, evidence["kind"]) if remedy else "",
            "prediction": prediction(remedy) if remedy else "",
            "alternatives": [(in_sentence(change(a, evidence["kind"])), lack(a)) for a in evidence["alternatives"]],
            "also": [short_name(k) for k in evidence["also"]],
        }

    @property
    def alike(self) -> int:
        """How many open marks that are found now are of the chosen one's kind."""
        if self.chosen is None:
            return 0
        return sum(m.is_open and m.finding is not None and m.mark.kind == self.chosen.mark.kind for m in self.marks)

    @property
    def hearable(self) -> list[str]:
        """Roles that can be heard by themselves."""
        return sorted({s["role"] for s in (self.judgement.detail.get("stems") or [])}) if self.judgement else []

    @property
    def sounds(self) -> list[tuple[str, str]]:
        """What the player offers to hear, with its name; where music and effects come as one, that."""
        under = (
            [("background", "m+e")] if "background" in self.hearable else [("music", "music"), ("effects", "effects")]
        )
        return [("mix", "mix"), ("dialogue", "voice"), *under]

    @property
    def picture(self) -> Picture | None:
        """What is drawn from the samples beside the chosen finding."""
        return (
            picture_of(self.chosen.evidence, self.judgement.detail["file"]) if self.chosen and self.judgement else None
        )

    @property
    def bands(self) -> BandPicture | None:
        """Voice over what lies under it, band by band, for a finding that is about words."""
        return bands_of(self.chosen.evidence, self.judgement.detail) if self.chosen and self.judgement else None

    @property
    def estimated(self) -> Estimated | None:
        """What is estimated from the mix, and what cannot be told from it; None where stems tell."""
        return estimated(self.judgement.detail) if self.judgement else None

    @property
    def range(self) -> RangeWords:
        """What of the file is programme, in words."""
        return range_words(self.judgement.detail["range"] if self.judgement else None, self.mix)

    @property
    def remarks(self) -> list[str]:
        """What was left out and how the figures came about, in a few words each."""
        left = [f"left out: {self.range.left_out}"] if self.range.left_out else []
        return left + (remarks(self.judgement.detail) if self.judgement else [])

    @property
    def for_page(self) -> dict[str, Any]:
        """What the scripts of the page need of the judgement, as JSON types."""
        clock = self.mix.clock
        evidence = dict(Placement.objects.filter(mix=self.mix).values_list("mark", "evidence"))
        detail = self.judgement.detail if self.judgement else {}
        return {
            "run": self.judgement.run_id if self.judgement else 0,
            "duration": self.mix.duration_s,
            "rate": str(clock.rate),
            "dropFrame": clock.rate.drop_frame,
            "start": self.mix.start_timecode,
            "limits": self.judgement.spec_version.limits if self.judgement else {},
            "range": self.range.for_page,
            "ducks": [[d[name] for name in _DUCK] for d in detail.get("ducks") or []],
            "speech": [[s["in_s"], s["out_s"]] for s in detail.get("speech") or []],
            "hearable": self.hearable,
            "marks": [_mark(m, evidence[m.mark.pk]) for m in self.marks],
        }


def _mark(item: Marked, evidence: dict[str, Any]) -> dict[str, Any]:
    mark = item.mark
    return {
        "id": mark.pk,
        "label": mark.label,
        "kind": mark.kind,
        "family": mark.family,
        "severity": item.severity,
        "state": item.state,
        "title": item.title,
        "in": item.in_s,
        "out": item.out_s,
        "role": mark.role,
        "remedy": _points(evidence["remedy"]),
        "others": [_points(a) for a in evidence["alternatives"]],
    }


def _points(remedy: dict[str, Any] | None) -> dict[str, Any] | None:
    if remedy is None:
        return None
    return {
        "role": remedy["role"],
        "points": [[p["at_s"], on_the_whole(remedy, p["gain_db"])] for p in remedy["points"]],
    }


def review(person: Person, mix_id: int, label: str | None = None) -> Review:
    """The review of a mix that the person may see; ``label`` chooses a mark, else the first open one."""
    mix = mix_for(person, mix_id)
    return Review(mix, role_in(person, mix.production) or "guest", label)
