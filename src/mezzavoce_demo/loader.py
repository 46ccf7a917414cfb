"""Loads the demo: people, the production, and each mix through the same actions that a person's ingest uses."""

import hashlib
import json
from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path

from django.utils import timezone

from mezzavoce.accounts.models import Person
from mezzavoce.library import actions, contacts, intake, specs, uploads
from mezzavoce.library.models import Membership, Production, Programme, SpecVersion, StoredFile, Track
from mezzavoce.library.sounds import CAPTIONS, Piece
from mezzavoce.measuring.actions import correct, set_ranges
from mezzavoce.measuring.models import Correction

from .programmes.scenario import EPISODES, SERIES, UPCOMING
from .programmes.story import STEM_FILES, TRACKS, Episode
from .second.make import second_files
from .second.mixes import SECOND_MIXES
from .studio.render import STEMS, captions_file, mix_file, stem_files

PEOPLE = (
    ("lead", "Oskar Venhalder", "oskar.venhalder@hestholm.example"),
    ("reviewer", "Mirela Tanck", "mirela.tanck@hestholm.example"),
    ("guest", "Pia Lornequist", "pia.lornequist@hestholm.example"),
)
EDITOR = ("Juno Aldersey", "juno.aldersey@schnittraum.example")
_PIECE = 8 * 1024 * 1024


def load(folder: Path, episodes: Sequence[Episode] | None = None) -> Production:
    """Bring in the mixes of some episodes (default: all) that are not there yet, from the media in ``folder``.

    Everything that is brought in is asked to be measured.
    """
    production = start()
    reviewer = Person.objects.get(mail=next(mail for role, _, mail in PEOPLE if role == "reviewer"))
    for episode in EPISODES if episodes is None else episodes:
        programme = production.programmes.get(number=episode.number)
        if not programme.mixes.exists():
            _ingest(reviewer, production, programme, episode, folder)
    return production


def load_second(folder: Path) -> None:
    """Bring in the second mixes that are not there yet, once the first ones are measured: each is laid beside one."""
    production = Production.objects.get(name=SERIES)
    reviewer = Person.objects.get(mail=next(mail for role, _, mail in PEOPLE if role == "reviewer"))
    episodes = {e.number: e for e in EPISODES}
    for second in SECOND_MIXES:
        programme = production.programmes.filter(number=second.number).first()
        if programme is None or second.number not in episodes or programme.mixes.count() != 1:
            continue
        files = [Piece(upload(reviewer, production, path), role) for role, path in second_files(folder, second)]
        episode = episodes[second.number]
        intake.ingest(
            reviewer, production, intake.Ingest(files, episode.frame_rate, episode.start, programme=programme)
        )


def start() -> Production:
    """People, the production, and every programme without its mix, as far as they are not there yet."""
    actions.ship_presets()
    people = {role: _person(name, mail) for role, name, mail in PEOPLE}
    production = Production.objects.filter(name=SERIES).first()
    if production is None:
        production = actions.start_production(people["lead"], SERIES, actions.preset_version("EBU R 128"))
        for role in (Membership.Role.REVIEWER, Membership.Role.GUEST):
            actions.admit(people["lead"], production, people[role], role)
        contacts.add_contact(people["reviewer"], production, *EDITOR)
    there = set(production.programmes.values_list("number", flat=True))
    planned = [(e.number, e.title, e.due_in_days, e) for e in EPISODES] + [(*UPCOMING, None)]
    for number, title, days, episode in planned:
        if number not in there:
            own, due = _spec(production, episode) if episode else None, timezone.localdate() + timedelta(days=days)
            actions.plan_programme(people["reviewer"], production, number, title, due, own)
    return production


def _person(name: str, mail: str) -> Person:
    return Person.objects.filter(mail=mail).first() or Person.objects.create_user(mail, name)


def _ingest(person: Person, production: Production, programme: Programme, episode: Episode, folder: Path) -> None:
    ingest = intake.Ingest(
        files=_pieces(person, production, episode, folder),
        frame_rate=episode.frame_rate,
        start_timecode=episode.start,
        programme=programme,
    )
    mix = intake.ingest(person, production, ingest)
    if episode.parts:
        set_ranges(person, mix, episode.parts)
    for span in episode.important:
        correct(person, mix, Correction.Kind.IMPORTANT_EFFECT, span)


def _spec(production: Production, episode: Episode) -> SpecVersion | None:
    """The spec that a programme has of its own: a shipped one, or the series' with more limits."""
    if not episode.limits:
        return actions.preset_version(episode.spec) if episode.spec else None
    data = {
        "name": f"{production.spec_version.spec.name}, as ordered for {episode.number}",
        "limits": dict(episode.limits),
    }
    lead = Person.objects.get(mail=next(mail for role, _, mail in PEOPLE if role == "lead"))
    return specs.newest(specs.bring_in(lead, production, json.dumps(data).encode()))


def _pieces(person: Person, production: Production, episode: Episode, folder: Path) -> list[Piece]:
    """The files of an episode with their roles; tracks of one file in the order of their titles."""
    mixed = upload(person, production, mix_file(folder, episode))
    if episode.delivery == TRACKS:
        return [Piece(mixed, role, tracks) for role, tracks in zip(("mix", *STEMS), "1234", strict=True)]
    stems = (
        [Piece(upload(person, production, path), role) for role, path in stem_files(folder, episode)]
        if episode.delivery == STEM_FILES
        else []
    )
    captions = captions_file(folder, episode)
    texts = [Piece(upload(person, production, captions), CAPTIONS)] if captions else []
    return [Piece(mixed, Track.Role.MIX), *stems, *texts]


def upload(person: Person, production: Production, path: Path) -> StoredFile:
    """Bring a file in as the page does: announced, in pieces, finished."""
    arriving = uploads.begin(person, production, path.name, path.stat().st_size)
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            arriving = uploads.add_piece(arriving, arriving.received, piece, hashlib.sha256(piece).hexdigest())
    return uploads.finish(arriving)
