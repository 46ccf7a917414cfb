"""The notes of one mix with all that a file says of them, from a result or from an application."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ...errors import NotMeasurable
from ...media.probe import DEFAULT_RATE
from ...timecode import Clock, parse_rate
from ..labels import label
from ..wording import note_text
from ..words import change, prediction, whom
from .picture import Picture, picture_of

_HEADER = "mezzavoce.measurement/1"


@dataclass(frozen=True)
class LevelPoint:
    """A gain in dB at a moment, ``at_s`` seconds from the first sample."""

    at_s: float
    gain_db: float


@dataclass(frozen=True)
class Noted:
    """One note. Times are seconds from the first sample of the file."""

    label: str
    kind: str
    family: str
    severity: str
    title: str
    text: str
    in_s: float
    out_s: float
    role: str | None = None
    change: str = ""
    prediction: str = ""
    points: tuple[LevelPoint, ...] = ()
    figures: Mapping[str, Any] = field(default_factory=dict)
    """What was measured and what is wanted, as the finding holds it."""
    picture: Picture | None = None


@dataclass(frozen=True)
class Sheet:
    """Notes of a mix; ``clock`` tells its times as timecode."""

    name: str
    clock: Clock
    duration_s: float
    sample_rate_hz: int
    notes: Sequence[Noted]
    judged_by: str = ""
    made_by: str = ""

    @property
    def in_order(self) -> list[Noted]:
        """The notes in order of time."""
        return sorted(self.notes, key=lambda n: (n.in_s, n.out_s))

    def timecodes(self, note: Noted) -> tuple[str, str]:
        """In and out of a note: the frame that holds its beginning, and the first frame after it."""
        return self.clock.timecode_in(note.in_s), self.clock.timecode_out(note.out_s)

    def frames(self, note: Noted) -> tuple[int, int]:
        """First frame of a note and the frame after its last, counted from the first of the mix; at least one long."""
        begin = self.clock.frame_at(note.in_s)
        return begin, max(begin + 1, self.clock.frame_after(note.out_s))


def sheet_of(result: Mapping[str, Any]) -> Sheet:
    """The findings of a result (``exchange.document``) as notes with their proposed wording.

    Raises NotMeasurable for anything that is no such result.
    """
    if result.get("schema") != _HEADER:
        raise NotMeasurable("This is no result of “mezzavoce measure --json”; give the file that it wrote.")
    try:
        file = result["file"]
        rate = parse_rate(file["frame_rate"], drop_frame=file["drop_frame"]) if file["frame_rate"] else DEFAULT_RATE
        notes = tuple(
            note_of(label(k), f, picture=picture_of(f, result.get("passages")))
            for k, f in enumerate(result["findings"])
        )
        return Sheet(
            file["name"],
            Clock.starting(file["start_timecode"], rate),
            float(file["duration_s"]),
            int(file["sample_rate_hz"]),
            notes,
            str(result["spec"]["name"]),
            str(result["made_by"]),
        )
    except (KeyError, TypeError, ValueError) as error:
        raise NotMeasurable(f"The result is not whole ({error}); measure the mix again.") from None


def note_of(name: str, finding: Mapping[str, Any], **more: Any) -> Noted:
    """A finding as a note; ``more`` are fields that somebody said otherwise, such as its text."""
    found, remedy = dict(finding), finding["remedy"]
    said = {
        "label": name,
        "kind": found["kind"],
        "family": found["family"],
        "severity": found["severity"],
        "title": found["title"],
        "text": note_text(found),
        "in_s": found["in_s"],
        "out_s": found["out_s"],
        "role": whom(remedy) if remedy else None,
        "change": change(remedy, found["kind"]) if remedy else "",
        "prediction": prediction(remedy) if remedy else "",
        "points": tuple(_points(remedy)),
        "figures": {name: found[name] for name in ("measured", "limit", "unit")},
    }
    return Noted(**said | more)


def _points(remedy: Mapping[str, Any] | None) -> Iterator[LevelPoint]:
    if remedy and remedy["action"] != "carve":
        for point in remedy["points"]:
            yield LevelPoint(point["at_s"], point["gain_db"])
