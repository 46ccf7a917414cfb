"""Measuring and judging: one function a use case."""

from datetime import timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from mezzavoce_core import VERSION
from mezzavoce_core.errors import MezzavoceError
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.features import read_features
from mezzavoce_core.exchange.series import write_page_series
from mezzavoce_core.judge.judging import judge as core_judge

from ..accounts.models import Person, record
from ..config.celery import app
from ..config.refusals import Overtaken, Refused
from ..library.access import require
from ..library.models import Membership, Mix, SpecVersion, StoredFile, Track
from ..library.storage import drop, keep, local_copy, work_folder
from . import core_process, queue
from .models import Finding, Judgement, Run
from .signals import judged

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
        core_process.measure(core_process.Order(_job(mix), features, mix.duration_s), lambda share, doing: queue.hold(run, share, doing))
        with transaction.atomic():
            row = Run.objects.select_for_update().get(pk=run.pk)
            if row.lease_holder != run.lease_holder or row.state != Run.State.RUNNING:
                return
            row.features = keep(features, mix.production, StoredFile.Kind.FEATURES, "features.npz")
            row.state, row.active_key, row.finished, row.progress, row.core_version = Run.State.MEASURED, None, timezone.now(), 1.0, VERSION
            row.stage = "measured"
            row.save()
            judge_run(row, mix.programme.judged_by)


def _job(mix: Mix) -> dict[str, Any]:
    """The order's part about files. Paths are of this machine; a shared store hands out copies."""
    tracks = list(Track.objects.filter(mix=mix).select_related("file").order_by("id"))
    paths = {}
    for track in tracks:
        with local_copy(track.file) as path:
            paths[track.pk] = str(path)
    mixed = next(t for t in tracks if t.role == Track.Role.MIX)
    stems = [{"paths": [paths[t.pk]], "role": t.role, "name": t.file.name} for t in tracks if t is not mixed]
    rate = mix.frame_rate + ("df" if mix.drop_frame else "")
    return {"mix": {"paths": [paths[mixed.pk]], "name": mixed.file.name}, "stems": stems, "rate": rate, "start": mix.start_timecode}


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


def judge_run(run: Run, spec_version: SpecVersion) -> Judgement:
    """Judge a measured run by a spec version and store what was found. An earlier judgement of the same pair is replaced."""
    if run.features is None:
        raise Refused("This mix has no measurement to judge; measure it first.")
    with local_copy(run.features) as path:
        result = core_judge(read_features(path), spec_version.as_core)
    detail = document(result)
    with transaction.atomic(), work_folder() as folder:
        for old in Judgement.objects.filter(run=run, spec_version=spec_version).select_related("series"):
            if old.series:
                drop(old.series)
            old.delete()
        curves = folder / "series.bin"
        write_page_series(result, curves)
        findings = detail.pop("findings")
        judgement = Judgement.objects.create(
            run=run,
            spec_version=spec_version,
            verdict=detail["verdict"],
            figures=_figures(detail, findings),
            detail=detail,
            series=keep(curves, run.mix.production, StoredFile.Kind.SERIES, "series.bin"),
        )
        Finding.objects.bulk_create(
            [
                Finding(
                    judgement=judgement,
                    kind=f["kind"],
                    family=f["family"],
                    severity=f["severity"],
                    role=f["role"],
                    in_s=f["in_s"],
                    out_s=f["out_s"],
                    evidence=f,
                )
                for f in findings
            ]
        )
        judged.send(sender=Judgement, judgement=judgement)
    return judgement


def _figures(detail: dict[str, Any], findings: list[dict[str, Any]]) -> dict[str, Any]:
    """What lists show: a few figures and the ratio of each passage."""
    passages = detail["passages"]
    ratios = None if passages is None else [p["speech_to_background_lu"] for p in passages if p["speech_to_background_lu"] is not None]
    music = None if passages is None else [p["speech_to_music_lu"] for p in passages if p["speech_to_music_lu"] is not None]
    loud = {name: detail["loudness"][name] for name in ("integrated_lufs", "range_lu", "true_peak_max_dbtp", "short_term_max_lufs", "dialogue_lufs")}
    return loud | {
        "clear_share": detail["clear_share"],
        "ratios_lu": ratios,
        "music_ratios_lu": music,
        "must": sum(f["severity"] == "must" for f in findings),
        "should": sum(f["severity"] == "should" for f in findings),
    }
