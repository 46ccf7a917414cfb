"""What leads do with a whole production, and what is planned in it: names, usual settings, programmes."""

import re
from dataclasses import asdict, dataclass
from datetime import date

from django.db import IntegrityError, transaction

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.inputs import one_line
from ..config.refusals import Refused
from .forms import FRAME_RATES
from .intake import timing
from .models import Production, Programme

_MOST_LINES = 500
_MOST_DAYS = 3650
_LINE = re.compile(r"\s*(?P<number>\d{1,9})[\s;,.:)\-–]+(?P<title>.*?)(?:[;,\s]+(?P<due>\d{4}-\d{2}-\d{2}))?\s*")


@dataclass(frozen=True)
class Planned:
    """A programme as it is written in a list."""

    number: int
    title: str
    due: date | None


@dataclass(frozen=True)
class Usual:
    """What is usual in a production.

    Which frame rate and start its mixes have (empty: none is usual), how many days after a programme was archived its
    sound and picture go (None: they stay), and whether editors may hand new mixes in through their links.
    """

    name: str
    frame_rate: str = ""
    start_timecode: str = ""
    media_days: int | None = None
    editors_hand_in: bool = False


def settle(lead: Person, production: Production, usual: Usual) -> None:
    """Name a production, and say what is usual in it."""
    require(lead, production, Role.LEAD)
    frame_rate, start_timecode, media_days = usual.frame_rate, usual.start_timecode, usual.media_days
    name = one_line(usual.name, Production.name.field.max_length or 0, "The name of a production")
    if not name:
        raise Refused("A production needs a name.")
    if frame_rate and frame_rate not in dict(FRAME_RATES):
        raise Refused("Choose a frame rate from the list, or none.")
    if frame_rate or start_timecode:
        timing(frame_rate or "25", start_timecode or "00:00:00:00")
    if media_days is not None and not 1 <= media_days <= _MOST_DAYS:
        raise Refused(f"Sound and picture are kept for 1 to {_MOST_DAYS} days, or for ever: then write nothing.")
    said = asdict(usual) | {"name": name}
    with transaction.atomic():
        held = Production.objects.select_for_update().get(pk=production.pk)
        before = {key: getattr(held, key) for key in said}
        for key, value in said.items():
            setattr(held, key, value)
        held.save(update_fields=list(said))
        record(held, lead, "settle production", name, before=before, after=said)


def read_list(text: str) -> list[Planned]:
    """Programmes out of a pasted list: in each line a number, a title, and a due day (2026-12-24) if there is one.

    Raises Refused that names the line.
    """
    lines = [(k, line) for k, line in enumerate(text.splitlines(), 1) if line.strip()]
    if not lines:
        raise Refused("Paste a list with a number and a title in each line.")
    if len(lines) > _MOST_LINES:
        raise Refused(f"This list has {len(lines)} lines; at most {_MOST_LINES} go at once. Paste it in parts.")
    found = [_read(number, line) for number, line in lines]
    numbers = [p.number for p in found]
    if twice := sorted({n for n in numbers if numbers.count(n) > 1}):
        raise Refused(f"Number {twice[0]} stands in the list more than once; every programme has its own.")
    return found


def _read(number: int, line: str) -> Planned:
    said, most = _LINE.fullmatch(line), Programme.title.field.max_length or 0
    title = one_line(said["title"], most, f"The title in line {number}") if said else ""
    if said is None or not title:
        begin = line.strip()[:60]
        raise Refused(f"Line {number} is “{begin}”; write a number, a title and perhaps a day (2026-12-24).")
    return Planned(int(said["number"]), title, _day(said["due"]) if said["due"] else None)


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise Refused(f"“{text[:20]}” is no day of the calendar; write one like 2026-12-24.") from None


def plan_list(person: Person, production: Production, text: str) -> int:
    """Plan all programmes of a pasted list, or none; returns how many."""
    require(person, production, Role.REVIEWER)
    planned = read_list(text)
    with transaction.atomic():
        Production.objects.select_for_update().get(pk=production.pk)
        numbers = [p.number for p in planned]
        known = set(production.programmes.filter(number__in=numbers).values_list("number", flat=True))
        if known:
            raise Refused(f"Programme {min(known)} exists already; take its line out, or change it in the table.")
        Programme.objects.bulk_create(
            [Programme(production=production, number=p.number, title=p.title, due=p.due) for p in planned]
        )
        record(production, person, "plan programmes", f"{len(planned)} programmes", after=numbers)
    return len(planned)


def change_programme(person: Person, programme: Programme, number: int | None, title: str, due: str) -> None:
    """Another number, title or due day (empty: none) of a programme."""
    require(person, programme, Role.REVIEWER)
    title = one_line(title, Programme.title.field.max_length or 0, "A title")
    if number is None or not title:
        raise Refused("A programme needs a number and a title.")
    day = _day(due) if due else None
    before = str(programme)
    programme.number, programme.title, programme.due = number, title, day
    try:
        with transaction.atomic():
            programme.save(update_fields=["number", "title", "due"])
            record(programme.production, person, "change programme", str(programme), before=before, after=due or None)
    except IntegrityError:
        raise Refused(f"Programme {number} exists already; give another number.") from None
