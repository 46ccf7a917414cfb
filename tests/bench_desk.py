"""How long the pages of a full house take: 300 programmes in 8 productions, one reader and thirty at once.

Starts the application as ``bin/serve`` does, in a folder of its own, and reads its pages over the network. Material is
one measured mix, copied row by row: 12 findings a mix, a third of them decided, notes sent and answered.
"""

import copy
import os
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from pathlib import Path

PROGRAMMES, PRODUCTIONS, FINDINGS, READERS, READS = 300, 8, 12, 30, 20
_HERE = "http://127.0.0.1:8790"
_PAGES = ("desk", "next", "review", "programmes")
WORDS = {
    "desk": "the desk of a production with 38 programmes",
    "next": "up next over all 300",
    "review": "a review",
    "programmes": "the programmes of a production",
}


def measure():
    """Seconds by page: of one reader, of the slowest among thirty; size in bytes."""
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
                addresses, cookie = _fill()
            return _read(addresses, cookie)
        finally:
            server.send_signal(signal.SIGTERM)
            server.wait(60)


def _wait(address):
    for _ in range(300):
        try:
            urllib.request.urlopen(address, timeout=5).close()  # noqa: S310  (our own server)
        except OSError:
            time.sleep(0.3)
        else:
            return
    raise SystemExit("The application did not start.")


def _fill():
    """Fill the house; returns the addresses of the pages and a session cookie."""
    import django

    django.setup()
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.sessions.backends.db import SessionStore

    from mezzavoce.accounts.models import Person
    from mezzavoce.library import actions, contacts
    from tests.web.base import make_mix, measure_mix

    person = Person.objects.create_user("lead@house.example", "Lead", "correct horse battery")
    version = actions.preset_version("EBU R 128")
    productions = [actions.start_production(person, f"Series {k + 1}", version) for k in range(PRODUCTIONS)]
    contact = contacts.add_contact(person, productions[0], "Ines", "ines@cut.example")
    first = make_mix(productions[0], person)
    measure_mix(first)
    for k in range(1, PROGRAMMES):
        _copy(first, productions[k % PRODUCTIONS], person, k)
    _send(person, contact, productions[0])
    session = SessionStore()
    session[SESSION_KEY], session[BACKEND_SESSION_KEY] = str(person.pk), "mezzavoce.accounts.backends.AccountBackend"
    session[HASH_SESSION_KEY] = person.get_session_auth_hash()
    session.create()
    production = productions[1].pk
    mix = productions[1].programmes.first().mixes.get().pk
    addresses = {
        "desk": f"/productions/{production}/",
        "next": "/next/",
        "review": f"/mixes/{mix}/",
        "programmes": f"/productions/{production}/programmes/",
    }
    return addresses, f"sessionid={session.session_key}"


def _copy(first, production, person, number):
    """Another programme like the first, with findings and decisions of its own."""
    from datetime import timedelta

    from django.utils import timezone

    from mezzavoce.library.models import Mix, Playback, Programme
    from mezzavoce.measuring.models import Finding, Judgement, Run
    from mezzavoce.notes.models import Decision, Mark, Placement
    from mezzavoce_core.exchange.labels import label

    due = timezone.localdate() + timedelta(days=number % 30 - 3)
    programme = Programme.objects.create(
        production=production, number=number, title=f"Programme {number}", due=due, labels_given=FINDINGS
    )
    mix = _again(Mix.objects.get(pk=first.pk), programme=programme)
    Playback.objects.create(mix=mix, state=Playback.State.READY)
    run = _again(Run.objects.get(mix=first), mix=mix)
    judgement = _again(Judgement.objects.get(run__mix=first), run=run)
    pattern = Finding.objects.filter(judgement__run__mix=first).first()
    marks = [
        Mark(programme=programme, label=label(k), mix=mix, role=pattern.role, kind=pattern.kind, family=pattern.family)
        for k in range(FINDINGS)
    ]
    Mark.objects.bulk_create(marks)
    marks = list(Mark.objects.filter(programme=programme))
    rows, places = [], []
    for k, mark in enumerate(marks):
        row = copy.copy(pattern)
        row.pk, row.judgement, row.mark, row.in_s, row.out_s = None, judgement, mark, 3.0 * k, 3.0 * k + 2
        row._state = copy.copy(row._state)
        row._state.adding = True
        rows.append(row)
        place = {"in_sample": 144000 * k, "out_sample": 144000 * k + 96000, "severity": row.severity}
        places.append(Placement(mark=mark, mix=mix, title=row.title, evidence=row.evidence, **place))
    Finding.objects.bulk_create(rows)
    Placement.objects.bulk_create(places)
    Decision.objects.bulk_create(
        [Decision(mark=m, mix=mix, what=Decision.What.NOT_A_FAULT, by=person) for m in marks[: FINDINGS // 3]]
    )


def _again(row, **other):
    row.pk = None
    row._state.adding = True
    for name, value in other.items():
        setattr(row, name, value)
    row.save()
    return row


def _send(person, contact, production):
    """In every programme of a production two notes are sent, and one is answered."""
    from mezzavoce.dispatch import actions as dispatch
    from mezzavoce.dispatch import answers
    from mezzavoce.dispatch.models import Answer
    from mezzavoce.dispatch.preparing import Envelope, prepare
    from mezzavoce.library.models import Mix
    from mezzavoce.notes import actions as notes
    from mezzavoce.notes.models import Decision

    for mix in Mix.objects.filter(programme__production=production).exclude(programme__number=1):
        for mark in mix.marks.order_by("-pk")[:2]:
            notes.decide(person, mark, mix, Decision.What.NOTE)
        sent = dispatch.send(person, prepare(person, mix, Envelope([contact])))
        answers.answer(sent.recipients.get(), sent.items.first(), Answer.What.FIXED, "", f"k{mix.pk}")


def _read(addresses, cookie):
    found = {}
    for name in _PAGES:
        _one(addresses[name], cookie)
        alone = [_one(addresses[name], cookie) for _ in range(READS)]
        found[name] = {"alone": statistics.median(t for t, _ in alone), "size": alone[0][1]}
    took, lock = [], threading.Lock()

    def reader(k):
        for n in range(8):
            # People read a page before they ask for the next.
            time.sleep(2.5 + (k * 7 + n * 3) % 11 / 2)
            one = _one(addresses[_PAGES[(k + n) % len(_PAGES)]], cookie)[0]
            with lock:
                took.append(one)

    threads = [threading.Thread(target=reader, args=(k,)) for k in range(READERS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return found, statistics.quantiles(took, n=20)[-1]


def _one(address, cookie):
    begun = time.monotonic()
    request = urllib.request.Request(_HERE + address, headers={"Cookie": cookie})  # noqa: S310  (our own server)
    with urllib.request.urlopen(request, timeout=60) as answer:  # noqa: S310  (our own server)
        content = answer.read()
        assert answer.url.endswith(address), answer.url
    return time.monotonic() - begun, len(content)


def table(found, high):
    """A table of what was measured, and a sentence about thirty readers."""
    lines = ["| Page | One reader, median, ms | Size, KiB |", "|---|---|---|"]
    lines += [f"| {WORDS[n]} | {f['alone'] * 1000:.0f} | {f['size'] / 1024:.0f} |" for n, f in found.items()]
    lines += ["", f"Thirty readers who ask for one of these every 5 s: 95 of 100 pages within {high:.2f} s."]
    return "\n".join(lines)


if __name__ == "__main__":
    print(table(*measure()))
