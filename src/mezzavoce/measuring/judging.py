"""Judging what was measured, and keeping what was found."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import QuerySet

from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.exchange.captions import read_captions
from mezzavoce_core.exchange.document import document
from mezzavoce_core.exchange.gains import gain_dict, gain_from_dict
from mezzavoce_core.exchange.series import write_page_series
from mezzavoce_core.judge.judging import judge as core_judge
from mezzavoce_core.judge.model import Judgement as CoreJudgement
from mezzavoce_core.measure.captions import Caption
from mezzavoce_core.measure.ducks import MusicGain
from mezzavoce_core.measure.measurement import Measurement
from mezzavoce_core.measure.programme import Part, by_hand
from mezzavoce_core.measure.programme import Programme as Parts
from mezzavoce_core.measure.speech import Correction as CoreCorrection

from ..config.refusals import Refused
from ..library.models import Mix, SpecVersion, StoredFile
from ..library.storage import drop, keep, local_copy
from ..processes.folders import work_folder
from .figures import figures
from .judgement_cache import JudgementCache, read
from .models import Correction, Finding, Judgement, Run
from .signals import judged

_CACHE = JudgementCache(settings.JUDGED_KEPT)


def rejudge(mix: Mix) -> Judgement | None:
    """Judge the newest measured run of a mix by what counts now; None where nothing is measured that can be judged.

    Whoever calls it holds the mix, from before anything of it was written: so nobody's word is left out.
    """
    run = _measured(mix)
    return judge_run(run, mix.programme.judged_by, _CACHE) if run else None


def lock_measured_runs(mix: Mix, *, wait: bool = True) -> bool:
    """Until the end of the transaction nobody else judges this mix; to be called before anything of it is written.

    Its measured runs are locked and not the mix, to which everything that people write refers: deciding a finding must
    not wait. Says whether there are any; without waiting, whether there are any that nobody else holds.
    """
    runs = Run.objects.select_for_update(skip_locked=not wait).filter(mix=mix, state=Run.State.MEASURED)
    return bool(list(runs.order_by("pk").values_list("pk")))


def look_ahead(mix: Mix, said: Correction) -> None:
    """Judge a mix as if one more correction counted.

    Nothing changes by it, but judging it again takes less time once it does.

    What was looked at is kept with the newest judgement, for whichever process is asked next.
    """
    run = _measured(mix)
    newest = _newest(run).only("pk").first() if run else None
    if run and newest:
        result = _judgement_of(run, mix.programme.judged_by, [*_corrections_of(mix), *_as_core(mix, said)], _CACHE)
        Judgement.objects.filter(pk=newest.pk).update(revisited=_gains(result))


def _measured(mix: Mix) -> Run | None:
    """The newest measured run."""
    return Run.objects.filter(mix=mix, state=Run.State.MEASURED, features__isnull=False).order_by("-id").first()


def _newest(run: Run) -> QuerySet[Judgement]:
    """Judgements of a run, the newest first."""
    return Judgement.objects.filter(run=run).order_by("-judged_at", "-id")


def _judgement_of(
    run: Run, spec_version: SpecVersion, corrections: Sequence[CoreCorrection], last: JudgementCache | None
) -> CoreJudgement:
    """The judgement of a measured run; nothing is stored."""
    if run.features is None:
        raise Refused("This mix has no measurement to judge; measure it first.")
    mix = run.mix

    def judge(measurement: Measurement, earlier: CoreJudgement | None) -> CoreJudgement:
        how = (spec_version.as_core, corrections, _programme(mix, measurement.duration_s), _captions(mix))
        return core_judge(_timed(mix, measurement, earlier), *how, earlier=earlier, revisited=_revisited(run))

    return last.judged(run.features, spec_version.pk, judge) if last else judge(read(run.features), None)


def _timed(mix: Mix, measurement: Measurement, earlier: CoreJudgement | None) -> Measurement:
    """The measurement with frame rate and start as they were put right since; the earlier one's where that has them."""
    file = measurement.file.with_timing(mix.rate_in_core, mix.start_timecode)
    if file == measurement.file:
        return measurement
    if earlier is not None and earlier.measurement.file == file and earlier.measurement.mix is measurement.mix:
        return earlier.measurement
    return replace(measurement, file=file)


def judge_run(run: Run, spec_version: SpecVersion, last: JudgementCache | None = None) -> Judgement:
    """Judge a measured run by a spec version and store what was found.

    It takes the place of what an earlier judgement of the same pair found.

    What was judged ``last`` makes it quicker and is remembered in its turn.
    """
    result = _judgement_of(run, spec_version, _corrections_of(run.mix), last)
    detail = document(result)
    findings = detail.pop("findings")
    with transaction.atomic(), work_folder() as folder:
        curves = folder / "series.bin"
        write_page_series(result, curves)
        judgement = (
            Judgement.objects.select_related("series")
            .defer("detail")
            .filter(run=run, spec_version=spec_version)
            .first()
        )
        judgement = judgement or Judgement(run=run, spec_version=spec_version)
        old_curves = judgement.series
        judgement.verdict, judgement.figures, judgement.detail = detail["verdict"], figures(detail, findings), detail
        judgement.revisited = _gains(result)
        judgement.series = keep(curves, run.mix.production, StoredFile.Kind.SERIES, "series.bin")
        judgement.save()
        if old_curves:
            drop(old_curves)
        _store(judgement, findings)
    return judgement


def _store(judgement: Judgement, findings: Sequence[dict[str, Any]]) -> None:
    """What was found becomes the findings of a judgement; one that stood there word for word keeps its row."""
    stood = {(f.kind, f.in_s, f.out_s): f for f in judgement.findings.all()}
    rows = []
    for found in findings:
        row = stood.get((found["kind"], found["in_s"], found["out_s"]))
        if row is None or row.evidence != found:
            row = _finding(judgement, found)
        else:
            del stood[row.kind, row.in_s, row.out_s]
        rows.append(row)
    Finding.objects.filter(pk__in=[f.pk for f in stood.values()]).delete()
    before = [row.mark_id for row in rows]
    # Whoever listens may say more about each before it is stored.
    judged.send(sender=Judgement, judgement=judgement, findings=rows)
    Finding.objects.bulk_create([row for row in rows if row.pk is None])
    Finding.objects.bulk_update(
        [row for row, mark in zip(rows, before, strict=True) if row.pk is not None and row.mark_id != mark], ["mark"]
    )


def _gains(result: CoreJudgement) -> dict[str, Any]:
    return {key: gain_dict(gain) for key, gain in result.context.revisited.items()}


def _revisited(run: Run) -> dict[str, MusicGain]:
    """What the newest judgement found where hands made it look again, in whichever process that was."""
    kept = _newest(run).values_list("revisited", flat=True).first() or {}
    try:
        return {key: gain_from_dict(facts) for key, facts in kept.items()}
    except NotMeasurable:
        # Kept by a newer version, or by one that knew moves of another kind: it is found anew.
        return {}


def _finding(judgement: Judgement, found: dict[str, Any]) -> Finding:
    """A finding as the core wrote it, not stored yet."""
    return Finding(
        judgement=judgement,
        evidence=found,
        **{name: found[name] for name in ("kind", "family", "severity", "role", "in_s", "out_s")},
    )


def _programme(mix: Mix, duration_s: float) -> Parts | None:
    """The ranges set by hand; None lets the core find the programme."""
    if mix.ranges is None:
        return None
    return by_hand([Part(mix.seconds(a), min(mix.seconds(b), duration_s)) for a, b in mix.ranges], duration_s)


def _corrections_of(mix: Mix) -> list[CoreCorrection]:
    """What people said about a mix and did not take back, in the order they said it."""
    return [one for row in Correction.objects.filter(mix=mix, withdrawn=None) for one in _as_core(mix, row)]


def _as_core(mix: Mix, row: Correction) -> list[CoreCorrection]:
    said = CoreCorrection(row.kind, mix.seconds(row.in_sample), mix.seconds(row.out_sample))
    if row.instead_in_sample is None or row.instead_out_sample is None:
        return [said]
    return [
        CoreCorrection(
            Correction.Kind.NO_SPEECH, mix.seconds(row.instead_in_sample), mix.seconds(row.instead_out_sample)
        ),
        said,
    ]


def _captions(mix: Mix) -> Sequence[Caption]:
    if mix.captions is None:
        return ()
    with local_copy(mix.captions) as path:
        return read_captions(path, mix.captions.name)
