"""A measurement against a spec. Decodes nothing: a changed limit or speech region costs a fraction of a second."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..measure.balance import Balance, clear_share, local_ratio, passage
from ..measure.loudness import block_mean, loudness, mean_lufs
from ..measure.measurement import Measurement, inside
from ..measure.meter import TICKS_PER_S
from ..measure.music_gain import Duck, with_levels
from ..measure.programme import Programme, find_programme
from ..measure.speech import Speech, correct, find_speech, passage_spans, speech_ticks
from ..timecode import Clock
from ..units import Floats, amplitude_to_db
from .causes import merge
from .model import NOTE, Evidence, Finding, Judgement
from .registry import KINDS
from .spec import Spec

_LIKELY = 0.5
_BACKGROUND = ("music", "effects", "background")


def judge(measurement: Measurement, spec: Spec, corrections: Sequence[Speech] = (), programme: Programme | None = None) -> Judgement:
    """Figures, passages, ducks and findings of a measurement under a spec.

    Speech regions set by hand (times of the file) win over measured ones; without a ``programme`` head and tail are found and left out.
    """
    evidence = gather(measurement, spec, corrections, programme)
    findings = merge(_careful(f) for kind in KINDS for f in kind.find(evidence))
    share = clear_share(evidence.local_ratio_lu, spec.limits.clearance_lu) if spec.limits.clearance_lu is not None else None
    return Judgement(evidence, findings, share)


def _careful(finding: Finding) -> Finding:
    """What is more likely wrong than right is a note, and says so."""
    if finding.certainty >= _LIKELY:
        return finding
    return replace(finding, severity=NOTE, message=f"{finding.message} This cannot be told with certainty here; listen.")


def gather(measurement: Measurement, spec: Spec, corrections: Sequence[Speech] = (), programme: Programme | None = None) -> Evidence:
    """Everything that the kinds of findings look at."""
    clock = Clock.starting(measurement.file.start_timecode, measurement.file.rate)
    programme = programme or find_programme(measurement.mix, clock, measurement.duration_s)
    measured = measurement.cropped(programme)
    gain = 2.0 if spec.limits.mono == "dual" and measurement.file.channels == 1 else 1.0
    power = measured.mix_power(gain=gain)
    breaks = ~inside(programme)[: len(power)]
    evidence = Evidence(
        measurement=measured,
        spec=spec,
        clock=replace(clock, origin_s=round(programme.in_s * TICKS_PER_S) / TICKS_PER_S),
        power=power,
        breaks=breaks,
        programme=programme,
        loudness=loudness(power, breaks),
        dialogue_lufs=None,
        true_peak_dbtp=amplitude_to_db(measured.mix.true_peak.max(axis=0)),
    )
    voice = measured.role_power("dialogue", gain=gain)
    return evidence if voice is None else _with_voice(evidence, voice, corrections, gain)


def _ducks(measured: Measurement, music: Floats | None, speech: Sequence[Speech], by_hand: Sequence[Speech]) -> tuple[Duck, ...] | None:
    """The measured moves of the music, looked at again where a hand set other speech."""
    gain, levels = measured.gain, measured.music_levels()
    if music is None or gain is None or levels is None:
        return None
    spans = [(s.in_s, s.out_s) for s in speech]
    for hand in by_hand:
        gain = gain.again(levels, spans, hand.in_s, hand.out_s)
    return with_levels(gain.ducks, music)


def _with_voice(evidence: Evidence, voice: Floats, corrections: Sequence[Speech], gain: float) -> Evidence:
    measured, limits = evidence.measurement, evidence.spec.limits
    by_hand = [replace(s, in_s=max(0.0, s.in_s - evidence.origin_s), out_s=s.out_s - evidence.origin_s) for s in corrections if s.out_s > evidence.origin_s]
    speech = correct(find_speech(voice), by_hand)
    flags = speech_ticks(speech, len(voice))
    music = measured.role_power("music", gain=gain)
    effects, background = measured.role_power("effects", gain=gain), measured.role_power(*_BACKGROUND, gain=gain)
    under = {role: bands for role in _BACKGROUND if (bands := measured.role_bands(role)) is not None}
    balance = Balance(voice, music, effects, background, flags, measured.role_bands("dialogue"), under)
    spans = passage_spans(speech, limits.bridge_s)
    return replace(
        evidence,
        dialogue_lufs=mean_lufs(block_mean(voice)[np.flatnonzero(balance.active)]),
        speech=speech,
        balance=balance,
        passages=tuple(passage(balance, a, b) for a, b in spans),
        ducks=_ducks(measured, music, speech, by_hand),
        local_ratio_lu=local_ratio(balance),
    )
