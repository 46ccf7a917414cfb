"""The result as one JSON object, schema ``mezzavoce.measurement/1``. Extended over time, never renamed."""

from collections.abc import Sequence
from typing import Any

from ..judge.model import Finding, Judgement, Remedy
from ..measure.balance import Passage
from ..measure.music_gain import Duck
from ..timecode import Clock
from ..units import amplitude_to_db, figure

SCHEMA = "mezzavoce.measurement/1"
_BLOCK_S = 0.1


def document(judgement: Judgement) -> dict[str, Any]:
    """A judgement as JSON types. Times in seconds from the first sample; a figure that does not exist is None."""
    evidence = judgement.evidence
    measurement = evidence.measurement
    return {
        "schema": SCHEMA,
        "made_by": {"core": measurement.made_by},
        "file": measurement.file.as_dict() | {"duration_s": measurement.duration_s},
        "range": {"in_s": 0.0, "out_s": measurement.duration_s, "left_out": []},
        "loudness": _loudness(judgement),
        "speech": None
        if evidence.speech is None
        else [{"in_s": s.in_s, "out_s": s.out_s, "confidence": s.confidence, "by_hand": s.by_hand} for s in evidence.speech],
        "separation": None if evidence.passages is None else "stems",
        "passages": None if evidence.passages is None else [_passage(p) for p in evidence.passages],
        "clear_share": figure(judgement.clear_share),
        "ducks": None if evidence.ducks is None else [_duck(d) for d in evidence.ducks],
        "findings": [finding_dict(f, evidence.clock) for f in judgement.findings],
        "spec": evidence.spec.as_dict(),
        "verdict": judgement.verdict,
    }


def _loudness(judgement: Judgement) -> dict[str, Any]:
    evidence = judgement.evidence
    mix, loud = evidence.measurement.mix, evidence.loudness
    highest = mix.true_peak.max(axis=1)
    to_dialogue = None if evidence.dialogue_lufs is None or loud.integrated_lufs is None else loud.integrated_lufs - evidence.dialogue_lufs
    return {
        "integrated_lufs": figure(loud.integrated_lufs),
        "range_lu": figure(loud.range_lu),
        "momentary_max_lufs": figure(loud.momentary_max_lufs),
        "short_term_max_lufs": figure(loud.short_term_max_lufs),
        "dialogue_lufs": figure(evidence.dialogue_lufs),
        "dialogue_source": None if evidence.dialogue_lufs is None else "stem",
        "loudness_to_dialogue_lu": figure(to_dialogue),
        "true_peak_dbtp": [figure(v) for v in evidence.true_peak_dbtp],
        "true_peak_max_dbtp": figure(evidence.true_peak_dbtp.max()),
        "true_peak_max_at_s": round(int(highest.argmax()) * _BLOCK_S, 3),
        "sample_peak_dbfs": [figure(v) for v in amplitude_to_db(mix.sample_peak.max(axis=0))],
    }


def _passage(p: Passage) -> dict[str, Any]:
    return {
        "in_s": p.in_s,
        "out_s": p.out_s,
        "speech_lufs": figure(p.speech_lufs),
        "music_lufs": figure(p.music_lufs),
        "effects_lufs": figure(p.effects_lufs),
        "speech_to_music_lu": figure(p.speech_to_music_lu),
        "speech_to_background_lu": figure(p.speech_to_background_lu),
        "first_word_lu": figure(p.first_word_lu),
    }


def _duck(d: Duck) -> dict[str, Any]:
    return {
        "fall_start_s": d.fall_start_s,
        "fall_end_s": d.fall_end_s,
        "return_start_s": d.return_start_s,
        "return_end_s": d.return_end_s,
        "depth_db": d.depth_db,
        "open_lufs": figure(d.open_lufs),
        "bed_lufs": figure(d.bed_lufs),
        "speech": d.speech,
    }


def finding_dict(finding: Finding, clock: Clock) -> dict[str, Any]:
    """One finding with its timecodes."""
    return {
        "kind": finding.kind,
        "family": finding.family,
        "severity": finding.severity,
        "certainty": finding.certainty,
        "in_s": finding.in_s,
        "out_s": finding.out_s,
        "in_timecode": clock.timecode_in(finding.in_s),
        "out_timecode": clock.timecode_out(finding.out_s),
        "role": finding.role,
        "source": finding.source,
        "title": finding.title,
        "message": finding.message,
        "measured": figure(finding.measured),
        "limit": finding.limit,
        "unit": finding.unit,
        "also": list(finding.also),
        "remedy": None if finding.remedy is None else _remedy(finding.remedy, clock),
        "alternatives": _remedies(finding.alternatives, clock),
    }


def _remedies(remedies: Sequence[Remedy], clock: Clock) -> list[dict[str, Any]]:
    return [_remedy(r, clock) for r in remedies]


def _remedy(remedy: Remedy, clock: Clock) -> dict[str, Any]:
    return {
        "action": remedy.action,
        "role": remedy.role,
        "source": remedy.source,
        "amount_db": remedy.amount_db,
        "points": [{"at_s": p.at_s, "at_timecode": clock.timecode_in(p.at_s), "gain_db": p.gain_db} for p in remedy.points],
        "bands": [],
        "predicted_speech_to_background_lu": figure(remedy.predicted_speech_to_background_lu),
        "predicted_integrated_lufs": figure(remedy.predicted_integrated_lufs),
        "predicted_true_peak_dbtp": figure(remedy.predicted_true_peak_dbtp),
        "enough": remedy.enough,
    }
