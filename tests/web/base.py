"""People, a production and measured mixes for the tests of the web application."""

import uuid
from dataclasses import replace
from functools import cache
from pathlib import Path

from django.conf import settings
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from mezzavoce.accounts.models import Person
from mezzavoce.dispatch import preparing
from mezzavoce.dispatch.preparing import Envelope
from mezzavoce.library import actions, contacts
from mezzavoce.library.models import Membership, Mix, Playback, StoredFile, Track
from mezzavoce.library.storage import keep
from mezzavoce.measuring.judging import judge_run
from mezzavoce.measuring.models import Run
from mezzavoce.processes.folders import work_folder
from mezzavoce_core.exchange.features import write_features
from mezzavoce_core.media.probe import Stream
from tests.signals import automated, chord, info, talk, three_stems

SPANS = ((8.0, 14.0), (24.0, 30.0))
DUCK = ((7.2, 0), (7.7, -12), (14.5, -12), (15.5, 0))


@cache
def faulty():
    """One passage under music that does not give way, and the whole off target."""
    return three_stems(talk(40, SPANS), automated(chord(40, -22), DUCK))


@cache
def clean():
    """Nothing wrong but the level of the whole."""
    return three_stems(talk(40, SPANS), chord(40, -45))


class ProductionCase(TestCase):
    """A production with a lead, a reviewer, a guest; a stranger outside."""

    @classmethod
    def setUpTestData(cls):
        make_people(cls)

    def changes(self, name, row, **words):
        """What a page of a mix or a production is told that changed; empty where nothing did."""
        answer = self.client.get(reverse(name, args=[row.pk]), words, headers={"Accept": "application/json"})
        self.assertIn(answer.status_code, (200, 204))
        return answer.json() if answer.status_code == 200 else {}


def make_people(case):
    actions.ship_presets()
    case.lead, case.reviewer, case.guest, case.stranger = (
        Person.objects.create_user(f"{who}@house.example", who.capitalize(), "correct horse battery")
        for who in ("lead", "reviewer", "guest", "stranger")
    )
    case.production = actions.start_production(case.lead, "Tide Tables", actions.preset_version("EBU R 128"))
    for who, role in ((case.reviewer, Membership.Role.REVIEWER), (case.guest, Membership.Role.GUEST)):
        actions.admit(case.lead, case.production, who, role)
    case.contact = contacts.add_contact(case.reviewer, case.production, "Ines Editor", "ines@cut.example")


def stored(production, content=b"sound", kind=StoredFile.Kind.MEDIA, name="mix.wav", **facts):
    """A row and a file in the store, with the facts of a stereo file of forty seconds in one track."""
    told = info(40.0, name=name, **facts)
    track = Stream(1, told.channels, told.layout, True, told.sample_rate_hz, told.duration_s, "")
    with work_folder() as folder:
        path = folder / "x"
        path.write_bytes(content)
        known = replace(told, streams=(track,)).as_dict()
        return keep(path, production, kind, name, sha256=uuid.uuid4().hex, facts=known)


def make_mix(production, person, number=1, title="Low Water", **facts):
    """A mix with one file, as if it had been taken in (nothing is queued)."""
    programme = production.programmes.filter(number=number).first() or actions.plan_programme(
        person, production, number, title, timezone.localdate()
    )
    mix = Mix.objects.create(
        programme=programme,
        number=programme.mixes.count() + 1,
        frame_rate="25",
        start_timecode="10:00:00:00",
        sample_rate_hz=48000,
        channels=2,
        duration_s=40.0,
        ingested_by=person,
        **facts,
    )
    Track.objects.create(mix=mix, file=stored(production), role=Track.Role.MIX)
    Playback.objects.create(mix=mix)
    return mix


def measure_mix(mix, measurement=None):
    """A finished run and its judgement, from features made in memory."""
    with work_folder() as folder:
        path = folder / "features.npz"
        write_features(measurement or faulty(), path)
        features = keep(path, mix.production, StoredFile.Kind.FEATURES, "features.npz")
    run = Run.objects.create(
        mix=mix, state=Run.State.MEASURED, features=features, progress=1.0, finished=timezone.now()
    )
    return judge_run(run, mix.programme.judged_by)


def prepare(person, mix, contacts, **said):
    """Notes put together for some addressees, with whatever else is said of the envelope."""
    return preparing.prepare(person, mix, Envelope(contacts, **said))


def media_folder():
    return Path(settings.DATA_DIR)
