"""The result as one JSON object, schema ``mezzavoce.measurement/1``. Extended over time, never renamed."""

from collections.abc import Callable, Sequence
from typing import Any

from ..estimate import MIX, value_of
from ..judge.judging import not_judged
from ..judge.model import Finding, Judgement, JudgingContext
from ..judge.remedy import BandCuts, LevelMove, ProgrammeGain, Remedy
from ..measure.balance import Passage
from ..measure.captions import Captions
from ..measure.cues import Cue
from ..measure.ducks import Duck
from ..measure.measurement import Measurement, StemLevels
from ..measure.peaks import highest_peak, overs
from ..media.layouts import channel_names
from ..media.probe import FileInfo
from ..timecode import Clock
from ..units import amplitude_to_db, figure

SCHEMA = "mezzavoce.measurement/1"


def document(judgement: Judgement) -> dict[str, Any]:
    """A judgement as JSON types. Times in seconds from the first sample; a figure that does not exist is None."""
    context = judgement.context
    measurement, at = context.measurement, context.in_file
    return {
        "schema": SCHEMA,
        "made_by": {"core": measurement.made_by} | _models(measurement),
        "file": _file(measurement.file),
        "range": _range(context),
        "loudness": _loudness(judgement),
        "true_peak_overs": _overs(context),
        "speech": None
        if context.speech is None
        else [
            {"in_s": at(s.in_s), "out_s": at(s.out_s), "confidence": s.confidence, "by_hand": s.by_hand}
            for s in context.speech
        ],
        "separation": None if context.passages is None else measurement.separated_by,
        "not_judged": [{"kind": name, "why": why} for name, why in not_judged(context).items()],
        "passages": None if context.passages is None else [_passage(p, context) for p in context.passages],
        "clear_share": figure(judgement.clear_share),
        "ducks": None if context.ducks is None else [_duck(d, at) for d in context.ducks],
        "cues": None if context.cues is None else [_cue(c, at) for c in context.cues],
        "captions": None if context.captions is None else _captions(context.captions, at),
        "stems": [] if context.estimated else [_stem(s) for s in measurement.stems],
        "findings": [finding_dict(f, context.clock) for f in judgement.findings],
        "spec": context.spec.as_dict(),
        "verdict": judgement.verdict,
    }


def _models(measurement: Measurement) -> dict[str, str]:
    """The models that a figure may come from."""
    return {} if measurement.separation is None else dict(measurement.separation.models)


def _file(file: FileInfo) -> dict[str, Any]:
    names = (
        "name",
        "duration_s",
        "sample_rate_hz",
        "channels",
        "layout",
        "frame_rate",
        "drop_frame",
        "start_timecode",
        "frame_rate_varies",
        "has_picture",
    )
    return {name: getattr(file, name) for name in names} | {
        "channel_names": list(channel_names(file.layout, file.channels))
    }


def _range(context: JudgingContext) -> dict[str, Any]:
    programme = context.programme
    parts = [{"in_s": p.in_s, "out_s": p.out_s} for p in programme.parts]
    if len(parts) > 1:
        for part, figures in zip(parts, context.parts(), strict=True):
            part |= {"integrated_lufs": figure(figures.integrated_lufs), "range_lu": figure(figures.range_lu)}  # type: ignore[dict-item]
    return {
        "in_s": programme.in_s,
        "out_s": programme.out_s,
        "left_out": [{"in_s": o.in_s, "out_s": o.out_s, "why": o.why} for o in programme.left_out],
        "parts": parts,
        "by_hand": programme.by_hand,
    }


def _overs(context: JudgingContext) -> list[dict[str, Any]]:
    """Every over, channel by channel; a limit that is not judged has none."""
    limit, file = context.spec.limits.true_peak_max_dbtp, context.measurement.file
    if limit is None:
        return []
    names = channel_names(file.layout, file.channels)
    return [
        {
            "at_s": context.in_file(over.at_s),
            "at_timecode": context.clock.timecode_in(over.at_s),
            "channel": over.channel + 1,
            "channel_name": names[over.channel],
            "true_peak_dbtp": over.level_dbtp,
        }
        for over in overs(context.measurement.mix, file.sample_rate_hz, limit)
    ]


def _loudness(judgement: Judgement) -> dict[str, Any]:
    context = judgement.context
    mix, loud = context.measurement.mix, context.loudness
    at_s, channel = highest_peak(mix, context.measurement.file.sample_rate_hz)
    to_dialogue = (
        None
        if context.dialogue_lufs is None or loud.integrated_lufs is None
        else loud.integrated_lufs - context.dialogue_lufs
    )
    return {
        "integrated_lufs": figure(loud.integrated_lufs),
        "range_lu": figure(loud.range_lu),
        "momentary_max_lufs": figure(loud.momentary_max_lufs),
        "short_term_max_lufs": figure(loud.short_term_max_lufs),
        "dialogue_lufs": figure(context.dialogue_lufs),
        "dialogue_source": None if context.dialogue_lufs is None else "mix" if context.estimated else "stem",
        "loudness_to_dialogue_lu": figure(to_dialogue),
        "true_peak_dbtp": [figure(v) for v in context.true_peak_dbtp],
        "true_peak_max_dbtp": figure(context.true_peak_dbtp.max()),
        "true_peak_max_at_s": context.in_file(at_s),
        "true_peak_max_channel": channel + 1,
        "sample_peak_dbfs": [figure(v) for v in amplitude_to_db([channel.max() for channel in mix.sample_peak.T])],
    }


def _passage(p: Passage, context: JudgingContext) -> dict[str, Any]:
    separation = context.measurement.separation
    return {
        "in_s": context.in_file(p.in_s),
        "out_s": context.in_file(p.out_s),
        "conditions": list(separation.conditions_between(p.in_s, p.out_s)) if separation else [],
        "speech_lufs": figure(value_of(p.speech)),
        "music_lufs": figure(value_of(p.music)),
        "effects_lufs": figure(value_of(p.effects)),
        "speech_to_music_lu": figure(p.speech_to_music_lu),
        "speech_to_background_lu": figure(p.speech_to_background_lu),
        "uncertainty_lu": figure(p.speech_to_background.uncertainty if p.speech_to_background else None),
        "first_word_lu": figure(p.first_word_lu),
        "audibility": figure(p.audibility),
        "weakest_band_hz": p.weakest_band_hz,
        "bands": [
            {"centre_hz": b.centre_hz, "speech_db": figure(b.speech_db), "background_db": figure(b.background_db)}
            for b in p.bands
        ],
    }


def _duck(d: Duck, at: Callable[[float], float]) -> dict[str, Any]:
    corners = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")
    return {
        **{name: None if getattr(d, name) is None else at(getattr(d, name)) for name in corners},
        "depth_db": d.depth_db,
        "open_lufs": figure(d.open_lufs),
        "bed_lufs": figure(d.bed_lufs),
        "speech": d.speech,
        "certainty": d.certainty,
        "pumps": [{"in_s": at(p.in_s), "out_s": at(p.out_s), "rise_db": p.rise_db} for p in d.pumps],
    }


def _stem(stem: StemLevels) -> dict[str, Any]:
    names = ("name", "role", "gain_db", "delay_s", "coherence", "derived")
    return {name: getattr(stem, name) for name in names}


def _cue(cue: Cue, at: Callable[[float], float]) -> dict[str, Any]:
    return {
        "in_s": at(cue.in_s),
        "out_s": at(cue.out_s),
        "level_lufs": cue.level_lufs,
        "fade_s": cue.fade_s,
        "sources": list(cue.sources),
    }


def _captions(captions: Captions, at: Callable[[float], float]) -> dict[str, Any]:
    # As they were given, also where they were moved to their words.
    given = [
        {"in_s": at(c.in_s + captions.late_s), "out_s": at(c.out_s + captions.late_s), "text": c.text}
        for c in captions.all
    ]
    return {"fit": captions.fit, "agreement": captions.agreement, "late_s": captions.late_s, "all": given}


def finding_dict(finding: Finding, clock: Clock) -> dict[str, Any]:
    """One finding with its timecodes."""
    return {
        "kind": finding.kind,
        "family": finding.family,
        "severity": finding.severity,
        "certainty": finding.certainty,
        "in_s": clock.in_file(finding.in_s),
        "out_s": clock.in_file(finding.out_s),
        "in_timecode": clock.timecode_in(finding.in_s),
        "out_timecode": clock.timecode_out(finding.out_s),
        "role": finding.role,
        "source": finding.source,
        "title": finding.title,
        "message": finding.message,
        "measured": figure(finding.measured),
        "uncertainty": figure(finding.estimate.uncertainty) or None,
        "estimated": finding.estimate.source == MIX,
        "limit": finding.limit,
        "unit": finding.unit,
        "also": list(finding.also),
        "remedy": None if finding.remedy is None else _remedy(finding.remedy, clock),
        "alternatives": _remedies(finding.alternatives, clock),
        "details": dict(finding.details),
    }


def _remedies(remedies: Sequence[Remedy], clock: Clock) -> list[dict[str, Any]]:
    return [_remedy(r, clock) for r in remedies]


def _remedy(remedy: Remedy, clock: Clock) -> dict[str, Any]:
    part, then = remedy.part, remedy.then
    return {
        "action": remedy.action,
        "role": part.role,
        "source": part.source,
        "together": part.together,
        "channel": part.side and {"number": part.side.index + 1, "name": part.side.name, "share": part.side.share},
        "amount_db": remedy.amount_db,
        "points": [
            {"at_s": clock.in_file(p.at_s), "at_timecode": clock.timecode_in(p.at_s), "gain_db": p.gain_db}
            for p in remedy.points
        ],
        "predicted_speech_to_background_lu": figure(then.speech_to_background_lu),
        "predicted_audibility": figure(then.audibility),
        "predicted_clear_share": figure(then.clear_share),
        "predicted_integrated_lufs": figure(then.integrated_lufs),
        "predicted_true_peak_dbtp": figure(then.true_peak_dbtp),
        "headroom_missing_db": figure(remedy.headroom_missing_db),
        "enough": remedy.enough,
        **_only_some(remedy),
    }


def _only_some(remedy: Remedy) -> dict[str, Any]:
    """What only some kinds of remedies have; every document names all of it."""
    bands = remedy.bands if isinstance(remedy, BandCuts) else ()
    move = remedy if isinstance(remedy, LevelMove) else None
    return {
        "bands": [{"centre_hz": b.centre_hz, "width_octaves": b.width_octaves, "gain_db": b.gain_db} for b in bands],
        "then_whole_db": figure(remedy.then_whole_db) if isinstance(remedy, ProgrammeGain) else None,
        "stands_off_db": figure(move.stands_off_db) if move else None,
        "to_bed": bool(move and move.to_bed),
    }
