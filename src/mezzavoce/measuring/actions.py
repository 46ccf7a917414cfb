"""Measuring and judging: one function a use case."""

from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from mezzavoce_core import VERSION
from mezzavoce_core.errors import MezzavoceError
from mezzavoce_core.exchange.peaks import write_peaks
from mezzavoce_core.measure.programme import Part, by_hand

from ..accounts.models import Person, record
from ..config.celery import app
from ..config.refusals import Overtaken, Refused
from ..library import core_process, specs
from ..library.access import require
from ..library.models import Membership, Mix, Production, Programme, Spec, SpecVersion, StoredFile
from ..library.storage import keep, work_folder
from . import queue
from .judging import hold, judge_run, look_ahead, rejudge
from .last import read
from .models import Correction, Judgement, Run
from .orders import order_of
from .selectors import stale_mixes

_RETRY_AFTER = timedelta(seconds=5)


def request_run(person: Person, mix: Mix) -> Run:
    """Ask for a mix to be measured (again). Refused while it already is."""
    require(person, mix.production, Membership.Role.REVIEWER)
    try:
        with transaction.atomic():
            run = Run.objects.create(mix=mix, active_key=str(mix.pk), requested_by=person)
            record(mix.production, person, "measure", str(mix))
            # Named and not imported, because the tasks import this module.
            transaction.on_commit(lambda: app.send_task("mezzavoce.measuring.tasks.wake"))
    except IntegrityError:
        raise Overtaken(f"{mix} is being measured already; wait for it, or cancel it first.") from None
    return run


def cancel_run(person: Person, run: Run) -> None:
    """Stop a waiting or running run; what was measured before stays."""
    require(person, run.mix.production, Membership.Role.REVIEWER)
    with transaction.atomic():
        row = Run.objects.select_for_update().get(pk=run.pk)
        if not row.is_active:
            raise Overtaken("This measurement is over already; there is nothing left to cancel.")
        row.state, row.active_key, row.lease_holder, row.finished = Run.State.CANCELLED, None, "", timezone.now()
        row.stage = "cancelled"
        row.save()
        record(run.mix.production, person, "cancel measuring", str(run.mix))


def work_next() -> bool:
    """Claim the next run and carry it out. Returns whether there was one."""
    run = queue.claim()
    if run is None:
        return False
    try:
        _carry_out(run)
    except core_process.Cancelled:
        pass
    except MezzavoceError as error:
        _set_aside(run, error)
    return True


def _carry_out(run: Run) -> None:
    mix = Mix.objects.select_related("programme__production__spec_version__spec", "programme__spec_version__spec").get(pk=run.mix_id)
    with work_folder() as folder:
        features = folder / "features.npz"
        core_process.measure(core_process.Order(order_of(mix), features, mix.duration_s), lambda share, doing: queue.hold(run, share, doing))
        with transaction.atomic():
            hold(mix)
            row = Run.objects.select_for_update().get(pk=run.pk)
            if row.lease_holder != run.lease_holder or row.state != Run.State.RUNNING:
                return
            row.features = keep(features, mix.production, StoredFile.Kind.FEATURES, "features.npz")
            row.peaks = _keep_peaks(row, folder)
            row.state, row.active_key, row.finished, row.progress, row.core_version = Run.State.MEASURED, None, timezone.now(), 1.0, VERSION
            row.stage = "measured"
            row.save()
            judge_run(row, mix.programme.judged_by)


def _keep_peaks(run: Run, folder: Path) -> StoredFile:
    """True peaks at several levels of detail, for the page."""
    assert run.features is not None
    path = folder / "peaks.bin"
    write_peaks(read(run.features), path)
    return keep(path, run.mix.production, StoredFile.Kind.SERIES, "peaks.bin")


def _set_aside(run: Run, error: MezzavoceError) -> None:
    """A temporary error waits for the next try, a final one ends the run with its sentence."""
    with transaction.atomic():
        row = Run.objects.select_for_update().get(pk=run.pk)
        if row.lease_holder != run.lease_holder or row.state != Run.State.RUNNING:
            return
        if error.temporary and row.attempts < queue.MOST_ATTEMPTS:
            row.stage, row.lease_until = "interrupted; trying again", timezone.now() + _RETRY_AFTER
        else:
            row.state, row.active_key, row.error, row.finished = Run.State.FAILED, None, str(error), timezone.now()
        row.save()


def correct(person: Person, mix: Mix, kind: str, timecodes: tuple[str, str], instead: tuple[str, str] | None = None) -> Correction:
    """Say that somebody speaks in a stretch, that nobody does, or that the effect there matters; what depends on it is judged again at once.

    Speech that is said ``instead`` of a region that was there moves its ends: nobody speaks in what is left of it.
    Raises TimecodeError, or Refused where the stretch cannot be; then nothing changes.
    """
    said = _said(person, mix, kind, timecodes, instead)
    with transaction.atomic():
        hold(mix)
        said.save()
        record(mix.production, person, f"correct: {said.get_kind_display()}", str(mix), after=list(timecodes))
        rejudge(mix)
    return said


def foresee(person: Person, mix: Mix, kind: str, timecodes: tuple[str, str], instead: tuple[str, str] | None = None) -> None:
    """Look at what a correction would change while somebody is still setting it, so that saying it takes little time. Nothing counts by it."""
    look_ahead(mix, _said(person, mix, kind, timecodes, instead))


def _said(person: Person, mix: Mix, kind: str, timecodes: tuple[str, str], instead: tuple[str, str] | None) -> Correction:
    """A correction that is not stored yet. Raises TimecodeError, or Refused where it cannot be."""
    require(person, mix.production, Membership.Role.REVIEWER)
    if kind not in Correction.Kind.values:
        raise Refused("A stretch can be said to hold speech, no speech, or an effect that matters.")
    begin, end = _stretch(mix, timecodes)
    before = _stretch(mix, instead) if instead and kind == Correction.Kind.SPEECH else (None, None)
    return Correction(mix=mix, kind=kind, in_sample=begin, out_sample=end, instead_in_sample=before[0], instead_out_sample=before[1], by=person)


def _stretch(mix: Mix, timecodes: tuple[str, str]) -> tuple[int, int]:
    """A stretch of a mix in samples. Raises TimecodeError, or Refused where it cannot be."""
    in_s, out_s = (mix.clock.seconds_at(t) for t in timecodes)
    if not 0 <= in_s < min(out_s, mix.duration_s):
        raise Refused("The stretch ends before it begins, or lies behind the end of the mix. Set its out after its in.")
    return mix.samples(in_s), mix.samples(min(out_s, mix.duration_s))


def withdraw(person: Person, correction: Correction) -> None:
    """Take back what was said about a stretch; judged again at once."""
    mix = correction.mix
    require(person, mix.production, Membership.Role.REVIEWER)
    with transaction.atomic():
        hold(mix)
        row = Correction.objects.select_for_update().get(pk=correction.pk)
        if row.withdrawn:
            raise Overtaken("Somebody has taken this back already; the page shows the newest state now.")
        row.withdrawn = timezone.now()
        row.save(update_fields=["withdrawn"])
        record(mix.production, person, f"undo: {row.get_kind_display()}", str(mix))
        rejudge(mix)


def last_correction(mix: Mix) -> Correction | None:
    """The newest one that counts."""
    return Correction.objects.filter(mix=mix, withdrawn=None).select_related("mix", "by").order_by("-pk").first()


def set_ranges(person: Person, mix: Mix, timecodes: Sequence[tuple[str, str]] | None) -> Judgement | None:
    """Say which parts of a mix are programme (None: what was found), and judge it again at once.

    Raises TimecodeError or RangeError with a sentence; then nothing changes.
    """
    require(person, mix.production, Membership.Role.REVIEWER)
    clock = mix.clock
    parts = None if timecodes is None else [(clock.seconds_at(begin), clock.seconds_at(end)) for begin, end in timecodes]
    if parts is not None:
        if not parts:
            raise Refused("A programme needs at least one range; or go back to what was found.")
        # A frame may begin a little behind the last sample.
        slack = float(1 / clock.rate.fps)
        parts = [(a, min(b, mix.duration_s) if b <= mix.duration_s + slack else b) for a, b in parts]
        by_hand([Part(a, b) for a, b in parts], mix.duration_s)
    with transaction.atomic():
        hold(mix)
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
        _judge_soon()


def choose_own_spec(person: Person, programme: Programme, version: SpecVersion | None) -> None:
    """A spec of its own for a programme; None: the production's."""
    require(person, programme.production, Membership.Role.REVIEWER)
    if version is not None:
        _check_spec(programme.production, version)
    with transaction.atomic():
        row = Programme.objects.select_for_update().get(pk=programme.pk)
        record(programme.production, person, "choose spec", str(programme), before=str(row.spec_version or ""), after=str(version or ""))
        row.spec_version = version
        row.save(update_fields=["spec_version"])
        _judge_soon()


def change_spec(person: Person, spec: Spec, data: dict[str, Any]) -> SpecVersion:
    """A new version of a production's spec; what was judged by the one before it is judged again by this one."""
    with transaction.atomic():
        version = specs.new_version(person, spec, data)
        older = list(spec.versions.exclude(pk=version.pk).values_list("pk", flat=True))
        Production.objects.filter(pk=spec.production_id, spec_version__in=older).update(spec_version=version)
        Programme.objects.filter(production=spec.production_id, spec_version__in=older).update(spec_version=version)
        _judge_soon()
    return version


def _check_spec(production: Production, version: SpecVersion) -> None:
    if version.spec.production_id not in (None, production.pk):
        raise Refused("This spec belongs to another production. Copy it there first.")


def _judge_soon() -> None:
    transaction.on_commit(lambda: app.send_task("mezzavoce.measuring.tasks.judge_stale"))


def judge_stale() -> int:
    """Judge every mix again whose newest measurement was not judged yet by the spec that counts now; returns how many."""
    done = 0
    for mix in stale_mixes():
        with transaction.atomic():
            # Whoever holds the mix is at it already.
            if not hold(mix, wait=False):
                continue
            try:
                done += rejudge(mix) is not None
            except MezzavoceError as error:
                # Features of an older version: only measuring again helps.
                Run.objects.filter(mix=mix, state=Run.State.MEASURED).update(features=None, error=str(error))
    return done
