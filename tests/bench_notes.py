"""How long 500 notes take: their page, putting them together, every file, the page of whoever gets them.

``python -m tests.bench_notes`` in the environment of the tests. Starts the application as ``bin/serve`` does, in a
folder of its own, and asks over the network. The notes are copies of one measured finding, with its points and its
picture, all over an hour.
"""

import copy
import os
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.bench_desk import _HERE, _one, _wait

COUNT, HOUR_S, READS = 500, 3600.0, 9


def measure():
    """Seconds and sizes by what was asked for."""
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        here = {name: value for name, value in os.environ.items() if not name.startswith("MEZZAVOCE_")}
        environment = here | {"MEZZAVOCE_DATA_DIR": str(data), "MEZZAVOCE_PORT": "8790"}
        server = subprocess.Popen(
            [sys.executable, "-m", "mezzavoce_host.serve"], env=environment, stdout=subprocess.DEVNULL
        )
        try:
            _wait(f"{_HERE}/health/")
            from mezzavoce_host.machine import with_database

            with with_database(data):
                told = _fill()
                return _read(*told)
        finally:
            server.send_signal(signal.SIGTERM)
            server.wait(60)


def _fill():
    import django

    django.setup()
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.sessions.backends.db import SessionStore

    from mezzavoce.accounts.models import Person
    from mezzavoce.library import actions, contacts
    from tests.web.base import make_mix, measure_mix

    person = Person.objects.create_user("lead@house.example", "Lead", "correct horse battery")
    production = actions.start_production(person, "Series", actions.preset_version("EBU R 128"))
    contact = contacts.add_contact(person, production, "Ines", "ines@cut.example")
    mix = make_mix(production, person)
    judgement = measure_mix(mix)
    type(mix).objects.filter(pk=mix.pk).update(duration_s=HOUR_S)
    mix.refresh_from_db()
    _copy(mix, judgement, person)
    session = SessionStore()
    session[SESSION_KEY], session[BACKEND_SESSION_KEY] = str(person.pk), "mezzavoce.accounts.backends.AccountBackend"
    session[HASH_SESSION_KEY] = person.get_session_auth_hash()
    session.create()
    return mix, person, contact, session.session_key


def _copy(mix, judgement, person):
    """The first ducking finding, 500 times over the hour, each noted."""
    from mezzavoce.measuring.models import Finding
    from mezzavoce.notes.models import Decision, Mark, Note, Placement
    from mezzavoce_core.exchange.labels import label
    from mezzavoce_core.exchange.wording import note_text

    of = judgement.findings.filter(family="ducking").first()
    for k in range(COUNT):
        shift = 30.0 + k * (HOUR_S - 90.0) / COUNT - of.in_s
        evidence = _shifted(mix, of.evidence, shift)
        mark = Mark.objects.create(
            programme=mix.programme, mix=mix, label=label(100 + k), role=of.role, kind=of.kind, family=of.family
        )
        span = {"in_sample": mix.samples(evidence["in_s"]), "out_sample": mix.samples(evidence["out_s"])}
        facts = {"severity": of.severity, "title": evidence["title"], "evidence": evidence}
        Placement.objects.create(mark=mark, mix=mix, **span, **facts)
        found = {"kind": of.kind, "family": of.family, "severity": of.severity, "role": of.role, "mark": mark}
        Finding.objects.create(
            judgement=judgement, in_s=evidence["in_s"], out_s=evidence["out_s"], evidence=evidence, **found
        )
        Decision.objects.create(mark=mark, mix=mix, what=Decision.What.NOTE, by=person)
        note = Note.objects.create(
            programme=mix.programme, mix=mix, text=note_text(evidence), severity=of.severity, state=Note.State.WRITTEN
        )
        note.marks.add(mark)


def _shifted(mix, evidence, shift_s):
    found = copy.deepcopy(evidence)
    found["in_s"], found["out_s"] = evidence["in_s"] + shift_s, evidence["out_s"] + shift_s
    for remedy in (found["remedy"], *found["alternatives"]):
        for point in remedy["points"] if remedy else []:
            point["at_s"] += shift_s
            point["at_timecode"] = mix.clock.timecode_in(point["at_s"])
    return found


def _read(mix, person, contact, session):
    from mezzavoce.dispatch import actions as dispatch
    from mezzavoce.dispatch.files import FORMATS
    from mezzavoce.dispatch.preparing import Envelope, prepare
    from mezzavoce.dispatch.tokens import token_for

    cookie, found = f"sessionid={session}", {}
    found["the page of notes"] = _asked(f"/mixes/{mix.pk}/notes/", cookie)
    found["the page of notes, drawn in a browser"] = _drawn(f"/mixes/{mix.pk}/notes/", session)
    begun = time.monotonic()
    row = prepare(person, mix, Envelope([contact]))
    found["putting them together"] = (time.monotonic() - begun, 0)
    found["the preview"] = _asked(f"/dispatches/{row.pk}/", cookie)
    for name in FORMATS:
        found[f"file: {name}"] = _one(f"/dispatches/{row.pk}/files/{name}/", cookie)
    begun = time.monotonic()
    sent = dispatch.send(person, row)
    found["handing them to the queue"] = (time.monotonic() - begun, 0)
    found["the page of the addressee"] = _asked(f"/n/{token_for(sent.recipients.get().seed)}/", cookie)
    return found


def _asked(address, cookie):
    _one(address, cookie)
    took = [_one(address, cookie) for _ in range(READS)]
    return statistics.median(t for t, _ in took), took[0][1]


def _drawn(address, session):
    """Until a person can press a key on the page: the second visit, as in a day's work."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
        )
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        context.add_cookies([{"name": "sessionid", "value": session, "url": _HERE}])
        page = context.new_page()
        page.goto(_HERE + address)
        begun = time.monotonic()
        page.goto(_HERE + address, wait_until="load")
        page.keyboard.press("j")
        page.wait_for_function("document.activeElement.closest('.note-list')")
        took = time.monotonic() - begun
        browser.close()
    return took, 0


def table(found):
    """What was measured, and the sum of what goes into a dispatch."""
    lines = [f"| {COUNT} notes | Seconds | Size, KiB |", "|---|---|---|"]
    lines += [f"| {name} | {took:.2f} | {size / 1024:.0f} |" for name, (took, size) in found.items()]
    made = sum(
        t for name, (t, _) in found.items() if name.startswith("file") or "together" in name or "preview" in name
    )
    return "\n".join([*lines, "", f"Preview, PDF and all files together: {made:.1f} s."])


if __name__ == "__main__":
    print(table(measure()))
