"""A mix is put right without its files being sent again: what depends on it is judged or measured anew."""

from django.db import transaction

from ..accounts.access import require
from ..accounts.models import Person, record
from ..library import intake
from ..library.models import Membership, Mix, Playback
from ..work.waking import wake_workers_on_commit
from .actions import cancel_run, request_run
from .judging import lock_measured_runs, rejudge
from .models import Run


def put_right(person: Person, mix: Mix, given: intake.Given) -> intake.Changed:
    """Another word on frame rate, start, captions, files or roles of a mix; what people decided stays.

    Times and captions are judged again at once. Where a sound changed the mix is measured again; a measurement that is
    under way is stopped for it. Nothing changes unless everything fits together.
    """
    require(person, mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        lock_measured_runs(mix)
        row = Mix.objects.select_for_update().get(pk=mix.pk)
        before = _words(row)
        changed = intake.put_right(row, given)
        if not changed.words:
            return changed
        record(row.production, person, "put right", f"{row}: {', '.join(changed.words)}", before, _words(row))
        if changed.stems or changed.mix:
            _measure_anew(person, row)
        else:
            rejudge(row)
        if changed.mix:
            _film_anew(row)
    return changed


def _words(mix: Mix) -> list[str]:
    """What the trail says of a mix: its timing, and its files with their roles."""
    captions = [f"captions: {mix.captions}"] if mix.captions else []
    return [f"{mix.clock.rate}", mix.start_timecode, *map(str, mix.tracks.select_related("file")), *captions]


def _measure_anew(person: Person, mix: Mix) -> None:
    under_way = Run.objects.filter(mix=mix, state__in=(Run.State.WAITING, Run.State.RUNNING)).first()
    if under_way is not None:
        cancel_run(person, under_way)
    request_run(person, mix)


def _film_anew(mix: Mix) -> None:
    """Picture and sound for the browser, of what is the mix now; whoever makes the one before finds it taken away."""
    row = Playback.objects.select_for_update().get(mix=mix)
    row.release(Playback.State.WAITING)
    row.attempts = 0
    row.save()
    wake_workers_on_commit("transcoding.tasks.make_playbacks")
