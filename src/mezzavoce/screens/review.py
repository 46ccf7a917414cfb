"""The review page of one mix, composed from the selectors of the apps below."""

from dataclasses import dataclass
from typing import Any

from mezzavoce_core.exchange.remedies import change, in_sentence, lack, on_the_whole, prediction

from ..accounts.models import Person
from ..dispatch.models import Answer
from ..dispatch.selectors import newest_answers
from ..library.access import mix_for, role_in
from ..library.models import Membership, Mix
from ..measuring.models import Judgement, Run
from ..measuring.selectors import current_judgement, newest_run
from ..notes.actions import LastDeed, last_deed
from ..notes.selectors import Marked, marked
from ..notes.wording import KINDS, proposed_text
from .bands import BandPicture, bands_of
from .news import news_of_mix
from .pictures import Picture, picture_of
from .ranges import RangeWords, range_words, remarks
from .verdict import Figure, figures, sentence

_DUCK = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s", "open_lufs", "bed_lufs")


@dataclass(frozen=True)
class Review:
    """Everything that the review page shows."""

    mix: Mix
    role: str
    run: Run | None
    judgement: Judgement | None
    marks: list[Marked]
    answers: dict[int, Answer]
    last: LastDeed | None
    chosen: Marked | None
    news: str

    @property
    def may_decide(self) -> bool:
        """Whether the person does more than look."""
        return self.role != Membership.Role.GUEST

    @property
    def open(self) -> list[Marked]:
        """Marks that nobody has decided on."""
        return [m for m in self.marks if m.is_open]

    @property
    def noted(self) -> list[Marked]:
        """Marks with a note."""
        return [m for m in self.marks if m.note]

    @property
    def listed(self) -> list[tuple[Marked, str]]:
        """Every mark with the word at the end of its line: weight while open, then the decision, then the editor's answer."""
        return [(m, self._word(m)) for m in self.marks]

    def _word(self, item: Marked) -> str:
        if item.is_open:
            return item.mark.severity
        answer = self.answers.get(item.note.pk) if item.note else None
        return Answer.What(answer.what).label if answer else item.state

    @property
    def sentence(self) -> str:
        """The verdict in words."""
        return sentence(self.judgement, self.marks) if self.judgement else ""

    @property
    def figures(self) -> list[Figure]:
        """The figures against their limits."""
        return figures(self.judgement) if self.judgement else []

    @property
    def chosen_answer(self) -> Answer | None:
        """What the editor said to the chosen note."""
        return self.answers.get(self.chosen.note.pk) if self.chosen and self.chosen.note else None

    @property
    def words(self) -> dict[str, Any]:
        """Wordings for the chosen finding."""
        if self.chosen is None:
            return {}
        evidence = self.chosen.mark.evidence
        remedy = evidence["remedy"]
        return {
            "change": change(remedy, evidence["kind"]) if remedy else "",
            "prediction": prediction(remedy) if remedy else "",
            "proposed": proposed_text(evidence),
            "alternatives": [(in_sentence(change(a, evidence["kind"])), lack(a)) for a in evidence["alternatives"]],
            "also": [KINDS.get(k, k) for k in evidence["also"]],
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
        under = [("background", "m+e")] if "background" in self.hearable else [("music", "music"), ("effects", "effects")]
        return [("mix", "mix"), ("dialogue", "voice"), *under]

    @property
    def picture(self) -> Picture | None:
        """What is drawn from the samples beside the chosen finding."""
        return picture_of(self.chosen.mark.evidence, self.judgement.detail["file"]) if self.chosen and self.judgement else None

    @property
    def bands(self) -> BandPicture | None:
        """Voice over what lies under it, band by band, for a finding that is about words."""
        return bands_of(self.chosen.mark.evidence, self.judgement.detail) if self.chosen and self.judgement else None

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
        """What the scripts of the page need, as JSON types."""
        clock = self.mix.clock
        detail = self.judgement.detail if self.judgement else {}
        return {
            "duration": self.mix.duration_s,
            "rate": str(clock.rate),
            "dropFrame": clock.rate.drop_frame,
            "start": self.mix.start_timecode,
            "limits": self.judgement.spec_version.limits if self.judgement else {},
            "range": self.range.for_page,
            "ducks": [[d[name] for name in _DUCK] for d in detail.get("ducks") or []],
            "speech": [[s["in_s"], s["out_s"]] for s in detail.get("speech") or []],
            "hearable": self.hearable,
            "marks": [
                {
                    "id": m.mark.pk,
                    "letters": m.mark.letters,
                    "kind": m.mark.kind,
                    "family": m.mark.family,
                    "severity": m.mark.severity,
                    "state": m.state,
                    "title": m.mark.title,
                    "in": m.in_s,
                    "out": m.out_s,
                    "role": m.mark.role,
                    "remedy": _points(m.mark.evidence["remedy"]),
                    "others": [_points(a) for a in m.mark.evidence["alternatives"]],
                }
                for m in self.marks
            ],
        }


def _points(remedy: dict[str, Any] | None) -> dict[str, Any] | None:
    return {"role": remedy["role"], "points": [[p["at_s"], on_the_whole(remedy, p["gain_db"])] for p in remedy["points"]]} if remedy else None


def review(person: Person, mix_id: int, letters: str | None = None) -> Review:
    """The review of a mix that the person may see; ``letters`` chooses a mark, else the first open one."""
    mix = mix_for(person, mix_id)
    judgement = current_judgement(mix)
    # Read before anything else: what changes meanwhile is news the next time.
    news = news_of_mix(mix, judgement)
    marks = marked(mix, judgement)
    chosen = next((m for m in marks if m.mark.letters == letters), None) or next((m for m in marks if m.is_open), marks[0] if marks else None)
    return Review(
        mix=mix,
        role=role_in(person, mix.production) or "guest",
        run=newest_run(mix),
        judgement=judgement,
        marks=marks,
        answers=newest_answers([mix]),
        last=last_deed(mix),
        chosen=chosen,
        news=news,
    )
