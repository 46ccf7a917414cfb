"""The music as the notes would have it, with a cue point at every note: made by a worker where somebody asks for it."""

from typing import Any

from django.db import transaction

from ..accounts.access import Role, require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library.models import Mix, StoredFile, Track
from ..library.sounds import tracks_of
from ..library.storage import keep
from ..measuring.core_requests import request_for
from ..measuring.selectors import current_judgement
from ..processes import core as core_process
from ..processes.folders import work_folder
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from ..work.waking import wake_workers_on_commit
from .files import sheet_of
from .models import Dispatch, DispatchItem, ProposedMusic

_ROLES = (Track.Role.MUSIC, Track.Role.BACKGROUND)
MUSIC: Queue[ProposedMusic] = Queue(
    kind="music",
    rows=ProposedMusic.objects.all(),
    production="dispatch__mix__programme__production_id",
    rules=Rules(
        lease_s=120,
        most_attempts=3,
        first_wait_s=30,
        given_up="The worker stopped {attempts} times while it wrote the music as proposed.",
    ),
)


def role_of(mix: Mix) -> str:
    """The role that holds the music of a mix; empty where none was delivered."""
    there = {track.role for track in tracks_of(mix)}
    return next((str(role) for role in _ROLES if role in there), "")


def ask(person: Person, dispatch: Dispatch) -> ProposedMusic:
    """Have the music written. Refused where there is no stem of it, or nothing is proposed for it."""
    mix = dispatch.mix
    require(person, mix, Role.REVIEWER)
    role = role_of(mix)
    if not role:
        raise Refused("This mix came without a stem of its music, so there is nothing to write.")
    if not _changes(dispatch, role):
        raise Refused("None of these notes proposes anything for the music.")
    with transaction.atomic():
        row, made = ProposedMusic.objects.select_for_update().get_or_create(dispatch=dispatch)
        if not made and row.state != ProposedMusic.State.FAILED:
            raise Overtaken("The music is being written already, or is there; reload the page.")
        row.state, row.attempts, row.error, row.next_try = ProposedMusic.State.WAITING, 0, "", None
        row.save()
        record(mix.production, person, "write music as proposed", dispatch.subject[:200])
        wake_workers_on_commit("dispatch.tasks.cut_excerpts")
    return row


def _changes(dispatch: Dispatch, role: str) -> list[dict[str, Any]]:
    """Every remedy for the role among the notes of a dispatch."""
    contents = [i.content for i in dispatch.items.all() if i.news != DispatchItem.News.WITHDRAWN]
    places = [place for content in contents for place in (content, *content.get("joined", []))]
    return [r for place in places if (r := place.get("remedy")) and r["role"] == role and r["points"]]


def work_next() -> bool:
    """Write the next music that is wanted. Returns whether there was one."""
    return work_through(MUSIC, _write)


def _write(row: ProposedMusic) -> None:
    dispatch = Dispatch.objects.select_related("mix__programme__production").get(pk=row.dispatch_id)
    mix = dispatch.mix
    role = role_of(mix)
    judgement = current_judgement(mix)
    delays = {s["name"]: s["delay_s"] for s in (judgement.detail.get("stems") or [])} if judgement else {}
    sheet = sheet_of(dispatch, dispatch.items.all())
    told = {
        "name": sheet.name,
        "rate": mix.rate_in_core,
        "start": mix.start_timecode,
        "duration_s": mix.duration_s,
        "sample_rate_hz": mix.sample_rate_hz,
        "notes": [{"label": n.label, "title": n.title, "in_s": n.in_s, "out_s": n.out_s} for n in sheet.notes],
    }
    with work_folder() as folder, request_for(mix) as order:
        target = folder / "music.wav"
        stems = [s | {"delay_s": delays.get(s["name"], 0.0)} for s in order["stems"] if s["role"] == role]
        core_process.ask(
            "propose",
            lambda: MUSIC.extend(row),
            limit_s=300 + mix.duration_s,
            stems=stems,
            changes=_changes(dispatch, role),
            sheet=told,
            target=str(target),
        )
        with transaction.atomic():
            held = MUSIC.mine(row)
            if held is None:
                return
            held.file = keep(target, mix.production, StoredFile.Kind.EXCERPT, "music as proposed.wav")
            held.release(ProposedMusic.State.READY)
            held.save()
