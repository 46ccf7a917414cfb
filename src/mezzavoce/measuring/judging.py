"""Judging what was measured, and keeping what was found."""

from collections.abc import Sequence
from typing import Any

from django.db import transaction

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
from ..library.storage import drop, keep, local_copy, work_folder
from .figures import figures
from .last import LastJudged, read
from .models import Correction, Finding, Judgement, Run
from .signals import judged

_LAST = LastJudged()


def rejudge(mix: Mix) -> Judgement | None:
    """Judge the newest measured run of a mix by what counts now; None where nothing is measured that can be judged."""
    run = _measured(mix)
    return judge_run(run, mix.programme.judged_by, _LAST) if run else None


def look_ahead(mix: Mix, said: Correction) -> None:
    """Judge a mix as if one more correction counted. Nothing changes by it, but judging it again takes less time once it does.

    What was looked at is kept with the newest judgement, for whichever process is asked next.
    """
    run = _measured(mix)
    newest = Judgement.objects.filter(run=run).order_by("-id").first() if run else None
    if run and newest:
        result = _judgement_of(run, mix.programme.judged_by, [*_corrections_of(mix), _as_core(mix, said)], _LAST)
        Judgement.objects.filter(pk=newest.pk).update(again=_gains(result))


def _measured(mix: Mix) -> Run | None:
    """The newest measured run."""
    return Run.objects.filter(mix=mix, state=Run.State.MEASURED, features__isnull=False).order_by("-id").first()


def _judgement_of(run: Run, spec_version: SpecVersion, corrections: Sequence[CoreCorrection], last: LastJudged | None) -> CoreJudgement:
    """The judgement of a measured run; nothing is stored."""
    if run.features is None:
        raise Refused("This mix has no measurement to judge; measure it first.")
    mix = run.mix

    def judge(measurement: Measurement, earlier: CoreJudgement | None) -> CoreJudgement:
        how = (spec_version.as_core, corrections, _programme(mix, measurement.duration_s), _captions(mix))
        return core_judge(measurement, *how, earlier=earlier, again=_again(run))

    return last.judged(run.features, judge) if last else judge(read(run.features), None)


def judge_run(run: Run, spec_version: SpecVersion, last: LastJudged | None = None) -> Judgement:
    """Judge a measured run by a spec version and store what was found. An earlier judgement of the same pair is replaced.

    What was judged ``last`` makes it quicker and is remembered in its turn.
    """
    result = _judgement_of(run, spec_version, _corrections_of(run.mix), last)
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
            figures=figures(detail, findings),
            detail=detail,
            again=_gains(result),
            series=keep(curves, run.mix.production, StoredFile.Kind.SERIES, "series.bin"),
        )
        rows = [_finding(judgement, f) for f in findings]
        # Whoever listens may say more about each before it is stored.
        judged.send(sender=Judgement, judgement=judgement, findings=rows)
        Finding.objects.bulk_create(rows)
    return judgement


def _gains(result: CoreJudgement) -> dict[str, Any]:
    return {key: gain_dict(gain) for key, gain in result.evidence.again.items()}


def _again(run: Run) -> dict[str, MusicGain]:
    """What the newest judgement found where hands made it look again, in whichever process that was."""
    kept = Judgement.objects.filter(run=run).order_by("-id").values_list("again", flat=True).first() or {}
    try:
        return {key: gain_from_dict(facts) for key, facts in kept.items()}
    except (KeyError, TypeError):
        # Kept by a version that knew moves of another kind: it is found anew.
        return {}


def _finding(judgement: Judgement, found: dict[str, Any]) -> Finding:
    """A finding as the core wrote it, not stored yet."""
    return Finding(judgement=judgement, evidence=found, **{name: found[name] for name in ("kind", "family", "severity", "role", "in_s", "out_s")})


def _programme(mix: Mix, duration_s: float) -> Parts | None:
    """The ranges set by hand; None lets the core find the programme."""
    if mix.ranges is None:
        return None
    return by_hand([Part(mix.seconds(a), min(mix.seconds(b), duration_s)) for a, b in mix.ranges], duration_s)


def _corrections_of(mix: Mix) -> list[CoreCorrection]:
    """What people said about a mix and did not take back, in the order they said it."""
    return [_as_core(mix, row) for row in Correction.objects.filter(mix=mix, withdrawn=None)]


def _as_core(mix: Mix, row: Correction) -> CoreCorrection:
    return CoreCorrection(row.kind, mix.seconds(row.in_sample), mix.seconds(row.out_sample))


def _captions(mix: Mix) -> Sequence[Caption]:
    if mix.captions is None:
        return ()
    with local_copy(mix.captions) as path:
        return read_captions(path, mix.captions.name)
