"""Measuring and judging: one function a use case."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import ProtectedError, QuerySet
from django.utils import timezone

from mezzavoce_core import VERSION
from mezzavoce_core.errors import MezzavoceError
from mezzavoce_core.exchange.peaks import write_peaks
from mezzavoce_core.measure.programme import Part, by_hand

from ..accounts.access import require
from ..accounts.models import Person, record
from ..config.refusals import Overtaken, Refused
from ..library import specs
from ..library.models import Membership, Mix, Production, Programme, Spec, SpecVersion, StoredFile
from ..library.storage import keep
from ..processes import core as core_process
from ..processes.folders import work_folder
from ..work.execution import work_next as work_through
from ..work.waking import wake_workers_on_commit
from . import queue
from .aligning import keep_alignment, lay_beside
from .carrying import carry
from .core_requests import request_for
from .judgement_cache import read
from .judging import judge_run, lock_measured_runs, look_ahead, rejudge
from .models import Correction, Judgement, Run
from .selectors import mark_stale, stale_mixes, unjudged


def request_run(person: Person, mix: Mix) -> Run:
    """Ask for a mix to be measured (again). Refused while it already is."""
    require(person, mix, Membership.Role.REVIEWER)
    if mix.tracks.exclude(file__removed_at=None).exists():
        raise Refused("The sound of this mix was removed, as its production says. Ingest it again as a new mix.")
    try:
        with transaction.atomic():
            run = Run.objects.create(mix=mix, active_key=str(mix.pk), requested_by=person)
            record(mix.production, person, "measure", str(mix))
            wake_workers_on_commit("measuring.tasks.wake")
    except IntegrityError:
        raise Overtaken(f"{mix} is being measured already; wait for it, or cancel it first.") from None
    return run


def cancel_run(person: Person, run: Run) -> None:
    """Stop a waiting or running run; what was measured before stays."""
    require(person, run.mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Run.objects.select_for_update().get(pk=run.pk)
        if not row.is_active:
            raise Overtaken("This measurement is over already; there is nothing left to cancel.")
        row.release(Run.State.CANCELLED)
        row.stage = "cancelled"
        row.save()
        record(run.mix.production, person, "cancel measuring", str(run.mix))


def remove_mix(person: Person, mix: Mix) -> None:
    """Take a mix out again that has no figures, with its runs; its files go with the next sweep.

    Refused where somebody worked on it.
    """
    require(person, mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Mix.objects.select_for_update().get(pk=mix.pk)
        if Run.objects.filter(mix=row, state__in=(Run.State.WAITING, Run.State.RUNNING)).exists():
            raise Overtaken(f"{mix} is being measured; cancel that first, then take it out.")
        if Run.objects.filter(mix=row, state=Run.State.MEASURED).exists():
            raise Refused(f"{mix} was measured; what was found and decided there stays.")
        try:
            row.delete()
        except ProtectedError:
            raise Refused(f"Somebody has worked on {mix} already, so it stays.") from None
        record(mix.production, person, "remove mix", str(mix))


def work_next() -> bool:
    """Claim the next run and carry it out. Returns whether there was one."""
    return work_through(queue.RUNS, _carry_out)


def _carry_out(run: Run) -> None:
    queue.begin(run)
    mix = Mix.objects.select_related("programme__production__spec_version__spec", "programme__spec_version__spec").get(
        pk=run.mix_id
    )
    with work_folder() as folder, request_for(mix) as job:
        features = folder / "features.npz"
        core_process.measure(
            core_process.MeasureRequest(job, features, mix.duration_s),
            lambda share, doing: queue.report_progress(run, share, doing),
        )
        beside = lay_beside(mix, features)
        with transaction.atomic():
            lock_measured_runs(mix)
            row = queue.RUNS.mine(run)
            if row is None:
                return
            keep_alignment(beside)
            carry(beside)
            row.features = keep(features, mix.production, StoredFile.Kind.FEATURES, "features.npz")
            row.peaks = _keep_peaks(row, folder)
            row.release(Run.State.MEASURED)
            row.progress, row.core_version, row.stage = 1.0, VERSION, "measured"
            row.save()
            judge_run(row, mix.programme.judged_by)


def _keep_peaks(run: Run, folder: Path) -> StoredFile:
    """True peaks at several levels of detail, for the page."""
    assert run.features is not None
    path = folder / "peaks.bin"
    write_peaks(read(run.features), path)
    return keep(path, run.mix.production, StoredFile.Kind.SERIES, "peaks.bin")


def correct(
    person: Person, mix: Mix, kind: str, timecodes: tuple[str, str], instead: tuple[str, str] | None = None
) -> Correction:
    """Say that somebody speaks in a stretch, that nobody does, or that the effect there matters.

    What depends on it is judged again at once.

    Speech that is said ``instead`` of a region that was there moves its ends: nobody speaks in what is left of it.
    Raises TimecodeError, or Refused where the stretch cannot be; then nothing changes.
    """
    said = _said(person, mix, kind, timecodes, instead)
    with transaction.atomic():
        lock_measured_runs(mix)
        said.save()
        record(mix.production, person, f"correct: {said.get_kind_display()}", str(mix), after=list(timecodes))
        rejudge(mix)
    return said


def prejudge(
    person: Person, mix: Mix, kind: str, timecodes: tuple[str, str], instead: tuple[str, str] | None = None
) -> None:
    """Look at what a correction would change while somebody is still setting it, so that saying it takes little time.

    Nothing counts by it.
    """
    look_ahead(mix, _said(person, mix, kind, timecodes, instead))


def _said(
    person: Person, mix: Mix, kind: str, timecodes: tuple[str, str], instead: tuple[str, str] | None
) -> Correction:
    """A correction that is not stored yet. Raises TimecodeError, or Refused where it cannot be."""
    require(person, mix, Membership.Role.REVIEWER)
    if kind not in Correction.Kind.values:
        raise Refused("A stretch can be said to hold speech, no speech, or an effect that matters.")
    begin, end = _stretch(mix, timecodes)
    before = _stretch(mix, instead) if instead and kind == Correction.Kind.SPEECH else (None, None)
    return Correction(
        mix=mix,
        kind=kind,
        in_sample=begin,
        out_sample=end,
        instead_in_sample=before[0],
        instead_out_sample=before[1],
        by=person,
    )


def _stretch(mix: Mix, timecodes: tuple[str, str]) -> tuple[int, int]:
    """A stretch of a mix in samples. Raises TimecodeError, or Refused where it cannot be."""
    in_s, out_s = (mix.clock.seconds_at(t) for t in timecodes)
    if not 0 <= in_s < min(out_s, mix.duration_s):
        raise Refused("The stretch ends before it begins, or lies behind the end of the mix. Set its out after its in.")
    return mix.samples(in_s), mix.samples(min(out_s, mix.duration_s))


def withdraw(person: Person, correction: Correction) -> None:
    """Take back what was said about a stretch; judged again at once."""
    mix = correction.mix
    require(person, mix, Membership.Role.REVIEWER)
    with transaction.atomic():
        lock_measured_runs(mix)
        row = Correction.objects.select_for_update().get(pk=correction.pk)
        if row.withdrawn:
            raise Overtaken("Somebody has taken this back already; the page shows the newest state now.")
        row.withdrawn = timezone.now()
        row.save(update_fields=["withdrawn"])
        record(mix.production, person, f"undo: {row.get_kind_display()}", str(mix))
        rejudge(mix)


def last_correction(mix: Mix) -> Correction | None:
    """The newest one that counts."""
    return (
        Correction.objects.filter(mix=mix, withdrawn=None, carried_from=None)
        .select_related("mix", "by")
        .order_by("-pk")
        .first()
    )


def set_ranges(person: Person, mix: Mix, timecodes: Sequence[tuple[str, str]] | None) -> Judgement | None:
    """Say which parts of a mix are programme (None: what was found), and judge it again at once.

    Raises TimecodeError or RangeError with a sentence; then nothing changes.
    """
    require(person, mix, Membership.Role.REVIEWER)
    clock = mix.clock
    parts = (
        None if timecodes is None else [(clock.seconds_at(begin), clock.seconds_at(end)) for begin, end in timecodes]
    )
    if parts is not None:
        if not parts:
            raise Refused("A programme needs at least one range; or go back to what was found.")
        # A frame may begin a little behind the last sample.
        slack = float(1 / clock.rate.fps)
        parts = [(a, min(b, mix.duration_s) if b <= mix.duration_s + slack else b) for a, b in parts]
        by_hand([Part(a, b) for a, b in parts], mix.duration_s)
    with transaction.atomic():
        lock_measured_runs(mix)
        row = Mix.objects.select_for_update().get(pk=mix.pk)
        before = row.ranges
        row.ranges = None if parts is None else [[row.samples(a), row.samples(b)] for a, b in parts]
        row.save(update_fields=["ranges"])
        mix.ranges = row.ranges
        record(mix.production, person, "set range", str(mix), before=before, after=row.ranges)
        return rejudge(mix)


def choose_spec(person: Person, production: Production, version: SpecVersion) -> None:
    """The spec that a production's mixes are judged by, unless a programme has its own."""
    require(person, production, Membership.Role.LEAD)
    _check_spec(production, version)
    with transaction.atomic():
        row = Production.objects.select_for_update().get(pk=production.pk)
        record(production, person, "choose spec", str(production), before=str(row.spec_version), after=str(version))
        row.spec_version = version
        row.save(update_fields=["spec_version"])
        _judge_soon(Run.objects.filter(mix__programme__production=production, mix__programme__spec_version=None))


def choose_own_spec(person: Person, programme: Programme, version: SpecVersion | None) -> None:
    """A spec of its own for a programme; None: the production's."""
    require(person, programme, Membership.Role.REVIEWER)
    if version is not None:
        _check_spec(programme.production, version)
    with transaction.atomic():
        row = Programme.objects.select_for_update().get(pk=programme.pk)
        record(
            programme.production,
            person,
            "choose spec",
            str(programme),
            before=str(row.spec_version or ""),
            after=str(version or ""),
        )
        row.spec_version = version
        row.save(update_fields=["spec_version"])
        _judge_soon(Run.objects.filter(mix__programme=programme))


def change_spec(person: Person, spec: Spec, data: dict[str, Any]) -> SpecVersion:
    """A new version of a production's spec; what was judged by the one before it is judged again by this one."""
    with transaction.atomic():
        version = specs.new_version(person, spec, data)
        older = list(spec.versions.exclude(pk=version.pk).values_list("pk", flat=True))
        Production.objects.filter(specs=spec, spec_version__in=older).update(spec_version=version)
        Programme.objects.filter(production=spec.production_id, spec_version__in=older).update(spec_version=version)
        _judge_soon(Run.objects.filter(mix__programme__production=spec.production_id))
    return version


def _check_spec(production: Production, version: SpecVersion) -> None:
    if version.spec.production_id not in (None, production.pk):
        raise Refused("This spec belongs to another production. Copy it there first.")


def _judge_soon(runs: QuerySet[Run]) -> None:
    mark_stale(runs)
    wake_workers_on_commit("measuring.tasks.judge_stale")


def judge_stale() -> int:
    """Judge again what was marked as stale; returns how many."""
    done = 0
    for mix in stale_mixes():
        with transaction.atomic():
            # Whoever holds the mix is at it already; its mark stays for the next time.
            if not lock_measured_runs(mix, wait=False):
                continue
            Run.objects.filter(mix=mix, stale=True).update(stale=False)
            try:
                done += rejudge(mix) is not None
            except MezzavoceError as error:
                # Features of an older version: only measuring again helps.
                Run.objects.filter(mix=mix, state=Run.State.MEASURED).update(features=None, error=str(error))
    return done


def find_stale() -> int:
    """Mark what nobody marked; returns how many."""
    pks = list(unjudged().values_list("pk", flat=True))
    return mark_stale(Run.objects.filter(pk__in=pks)) if pks else 0
