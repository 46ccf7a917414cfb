"""Loads the demo: people, the production, and each mix through the same actions that a person's intake uses."""

from datetime import timedelta
from pathlib import Path

from django.utils import timezone

from mezzavoce.accounts.models import Person
from mezzavoce.library import actions, uploads
from mezzavoce.library.models import Membership, Production, StoredFile, Track
from mezzavoce.library.sounds import Piece
from mezzavoce.measuring.actions import set_ranges

from .render import STEMS, mix_file, stem_file
from .scenario import EPISODES, SERIES, UPCOMING
from .story import STEM_FILES, TRACKS, Episode

PEOPLE = (
    ("lead", "Oskar Venhalder", "oskar.venhalder@hestholm.example"),
    ("reviewer", "Mirela Tanck", "mirela.tanck@hestholm.example"),
    ("guest", "Pia Lornequist", "pia.lornequist@hestholm.example"),
)
EDITOR = ("Juno Aldersey", "juno.aldersey@schnittraum.example")
_PIECE = 8 * 1024 * 1024


def load(folder: Path) -> Production:
    """Load what is not there yet from the media in ``folder`` and ask for everything to be measured."""
    actions.ship_presets()
    people = {role: _person(name, mail) for role, name, mail in PEOPLE}
    production = Production.objects.filter(name=SERIES).first()
    if production is None:
        production = actions.start_production(people["lead"], SERIES, actions.preset_version("EBU R 128"))
        for role in (Membership.Role.REVIEWER, Membership.Role.GUEST):
            actions.admit(people["lead"], production, people[role], role)
        actions.add_contact(people["reviewer"], production, *EDITOR)
    for episode in EPISODES:
        if not production.programmes.filter(number=episode.number).exists():
            _take_in(people["reviewer"], production, episode, folder)
    number, title, days = UPCOMING
    if not production.programmes.filter(number=number).exists():
        actions.plan_programme(people["reviewer"], production, number, title, timezone.localdate() + timedelta(days=days))
    return production


def _person(name: str, mail: str) -> Person:
    return Person.objects.filter(mail=mail).first() or Person.objects.create_user(mail, name)


def _take_in(person: Person, production: Production, episode: Episode, folder: Path) -> None:
    own = actions.preset_version(episode.spec) if episode.spec else None
    programme = actions.plan_programme(person, production, episode.number, episode.title, timezone.localdate() + timedelta(days=episode.due_in_days), own)
    intake = actions.Intake(
        files=_pieces(person, production, episode, folder), frame_rate=episode.frame_rate, start_timecode=episode.start, programme=programme
    )
    mix = actions.take_in(person, production, intake)
    if episode.parts:
        set_ranges(person, mix, episode.parts)


def _pieces(person: Person, production: Production, episode: Episode, folder: Path) -> list[Piece]:
    """The files of an episode with their roles; tracks of one file in the order of their titles."""
    mixed = upload(person, production, mix_file(folder, episode))
    if episode.delivery == TRACKS:
        return [Piece(mixed, role, tracks) for role, tracks in zip(("mix", *STEMS), "1234", strict=True)]
    stems = [Piece(upload(person, production, stem_file(folder, episode, role)), role) for role in STEMS] if episode.delivery == STEM_FILES else []
    return [Piece(mixed, Track.Role.MIX), *stems]


def upload(person: Person, production: Production, path: Path) -> StoredFile:
    """Bring a file in as the page does: announced, in pieces, finished."""
    arriving = uploads.begin(person, production, path.name, path.stat().st_size)
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            arriving = uploads.add_piece(arriving, arriving.received, piece)
    return uploads.finish(arriving)
