"""The page of a new mix beside the one before: figures before and now, what lies where, what became of every note."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from mezzavoce_core.exchange.headline import Figure

from ..accounts.access import Role, role_in
from ..accounts.models import Person
from ..library.models import Mix
from ..measuring.models import PictureComparison
from ..measuring.selectors import current_judgement
from ..notes.selectors import marked
from ..recheck.selectors import Laid, Told
from .verdict import figures

_MOST_PICTURES = 5
_WIDTH, _TOP, _BOTTOM = 1000.0, 26.0, 74.0


@dataclass(frozen=True)
class Ribbon:
    """A piece as a band from the former mix (above) to the new one (below), as an SVG path."""

    path: str
    moved: bool


class Beside:
    """Everything that the page shows."""

    def __init__(self, mix: Mix, role: str) -> None:
        """Of a mix that a person may see in a role."""
        self.mix, self.role = mix, role
        self.laid = Laid(mix)

    @property
    def may_decide(self) -> bool:
        """Whether the person does more than look."""
        return self.role != Role.GUEST and not self.mix.archived

    @property
    def problem(self) -> str:
        """Why the two could not be laid beside each other; empty where they are."""
        if self.laid.alignment is not None:
            return str(self.laid.alignment.problem)
        return "This mix is laid beside none: it is the first of its kind, or one of the two is not measured yet."

    @cached_property
    def figures(self) -> list[tuple[Figure | None, Figure]]:
        """The head's figures of this mix, each with that of the former one."""
        now, former = self._figures(self.mix), self.laid.former
        before = {f.name: f for f in self._figures(former)} if former else {}
        return [(before.get(f.name), f) for f in now]

    @staticmethod
    def _figures(mix: Mix) -> list[Figure]:
        judgement = current_judgement(mix)
        return figures(judgement, marked(mix, judgement)) if judgement else []

    @property
    def longest_s(self) -> float:
        """The longer of the two mixes, seconds: both stand on one scale."""
        former = self.laid.former
        return max(self.mix.duration_s, former.duration_s if former else 0.0)

    @property
    def _pieces(self) -> list[dict[str, Any]]:
        alignment = self.laid.alignment
        return list(alignment.pieces.get("pieces", [])) if alignment else []

    @property
    def ribbons(self) -> list[Ribbon]:
        """Every piece; one that comes before another that it came after before is moved."""
        found, furthest = [], 0.0
        for piece in self._pieces:
            a, b, c, d = (self._x(piece[name]) for name in ("old_in_s", "old_out_s", "new_in_s", "new_out_s"))
            middle = (_TOP + _BOTTOM) / 2
            path = (
                f"M{a} {_TOP}C{a} {middle} {c} {middle} {c} {_BOTTOM}L{d} {_BOTTOM}"
                f"C{d} {middle} {b} {middle} {b} {_TOP}Z"
            )
            found.append(Ribbon(path, piece["old_in_s"] < furthest - 0.1))
            furthest = max(furthest, piece["old_out_s"])
        return found

    @property
    def spans(self) -> list[tuple[float, float, str]]:
        """What was cut out of the former mix and put into the new one: from where, how wide, which of both."""
        alignment = self.laid.alignment
        if alignment is None:
            return []
        return [
            (self._x(s["in_s"]), round(max(2.0, self._x(s["out_s"]) - self._x(s["in_s"])), 1), key)
            for key in ("removed", "inserted")
            for s in alignment.pieces.get(key, [])
        ]

    @property
    def cuts(self) -> str:
        """How much was cut out, put in and moved, in words."""
        counts = [
            (sum(key == "removed" for *_, key in self.spans), "cut out"),
            (sum(key == "inserted" for *_, key in self.spans), "put in"),
            (sum(r.moved for r in self.ribbons), "moved"),
        ]
        return ", ".join(f"{n} {what}" for n, what in counts if n) or "the same edit"

    @cached_property
    def pictures(self) -> str:
        """Where the picture is another although the sound is the same, in a sentence; empty where nowhere."""
        row = PictureComparison.objects.filter(alignment__mix=self.mix).first()
        if row is not None and row.state == PictureComparison.State.FAILED:
            return row.error
        spans = row.spans if row else []
        told = [self.mix.clock.timecode_in(begin_s) for begin_s, _ in spans[:_MOST_PICTURES]]
        more = f" and {len(spans) - _MOST_PICTURES} more" if len(spans) > _MOST_PICTURES else ""
        return f"Other picture, same sound: {', '.join(told)}{more}." if told else ""

    @property
    def carried(self) -> str:
        """What was said of the former mix and taken along, in a sentence; empty where nothing was."""
        told = self.laid.alignment.carried if self.laid.alignment else {}
        names = {"corrections": "correction", "range": "range of the programme", "captions": "caption"}
        along = [counted(told[key], name) for key, name in names.items() if told.get(key)]
        lost = [counted(told[f"{key} lost"], name) for key, name in names.items() if told.get(f"{key} lost")]
        said = [("Taken along", along), ("In what was cut out", lost)]
        return " ".join(f"{words}: {', '.join(some)}." for words, some in said if some)

    def _x(self, time_s: float) -> float:
        return round(time_s / max(self.longest_s, 1e-9) * _WIDTH, 1)

    @property
    def widths(self) -> tuple[float, float]:
        """How wide the former and the new mix are drawn."""
        former = self.laid.former
        return self._x(former.duration_s if former else 0.0), self._x(self.mix.duration_s)

    @property
    def marks(self) -> list[tuple[Told, float]]:
        """Every note that lies in the new mix, and where it is drawn."""
        told = [t for t in self.laid.told if t.row.in_sample is not None]
        return [(t, self._x(self.mix.seconds(t.row.in_sample or 0))) for t in told]

    @property
    def for_page(self) -> dict[str, Any]:
        """What the script needs, as JSON types; times in seconds."""
        former, judgement = self.laid.former, current_judgement(self.mix)
        evidence = {} if former is None else {m.mark.pk: m for m in marked(former, current_judgement(former))}
        places = {}
        for t in self.laid.told:
            before, row = evidence.get(t.row.mark_id), t.row
            now = None if row.in_sample is None else [self.mix.seconds(s) for s in (row.in_sample, row.out_sample or 0)]
            places[row.pk] = {"before": [before.in_s, before.out_s] if before else None, "now": now}
        return {"places": places, "limits": judgement.spec_version.limits if judgement else {}}


def counted(count: int, name: str) -> str:
    """How many of something."""
    return f"{count} {name}{'' if count == 1 else 's'}"


def beside(person: Person, mix: Mix) -> Beside:
    """The page of a mix that the person was let in to."""
    return Beside(mix, role_in(person, mix.production) or Role.GUEST)
