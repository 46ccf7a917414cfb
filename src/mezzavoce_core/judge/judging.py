"""A measurement against a spec. Decodes nothing: a changed limit or speech region costs a fraction of a second."""

from collections.abc import Sequence

import numpy as np

from ..measure.balance import Balance, clear_share, local_ratio, passage
from ..measure.loudness import block_mean, loudness, mean_lufs
from ..measure.measurement import Measurement
from ..measure.music_gain import find_ducks
from ..measure.speech import Speech, correct, find_speech, passage_spans, speech_ticks
from ..timecode import Clock
from ..units import amplitude_to_db
from .causes import merge
from .model import Evidence, Judgement
from .registry import KINDS
from .spec import Spec

_BACKGROUND = ("music", "effects", "background")


def judge(measurement: Measurement, spec: Spec, corrections: Sequence[Speech] = ()) -> Judgement:
    """Figures, passages, ducks and findings of a measurement under a spec; speech regions set by hand win over measured ones."""
    evidence = gather(measurement, spec, corrections)
    findings = merge([f for kind in KINDS for f in kind.find(evidence)], KINDS)
    share = clear_share(evidence.local_ratio_lu, spec.limits.clearance_lu) if spec.limits.clearance_lu is not None else None
    return Judgement(evidence, findings, share)


def gather(measurement: Measurement, spec: Spec, corrections: Sequence[Speech] = ()) -> Evidence:
    """Everything that the kinds of findings look at."""
    gain = 2.0 if spec.limits.mono == "dual" and measurement.file.channels == 1 else 1.0
    power = measurement.mix_power(gain=gain)
    base = Evidence(
        measurement=measurement,
        spec=spec,
        clock=Clock.starting(measurement.file.start_timecode, measurement.file.rate),
        power=power,
        loudness=loudness(power),
        dialogue_lufs=None,
        true_peak_dbtp=amplitude_to_db(measurement.mix.true_peak.max(axis=0)),
    )
    voice = measurement.role_power("dialogue", gain=gain)
    if voice is None:
        return base
    speech = correct(find_speech(voice), corrections)
    flags = speech_ticks(speech, len(voice))
    music = measurement.role_power("music", gain=gain)
    balance = Balance(voice, music, measurement.role_power("effects", gain=gain), measurement.role_power(*_BACKGROUND, gain=gain), flags)
    spans = passage_spans(speech, spec.limits.bridge_s)
    return Evidence(
        measurement=measurement,
        spec=spec,
        clock=base.clock,
        power=power,
        loudness=base.loudness,
        dialogue_lufs=mean_lufs(block_mean(voice)[np.flatnonzero(balance.active)]),
        true_peak_dbtp=base.true_peak_dbtp,
        speech=speech,
        balance=balance,
        passages=tuple(passage(balance, a, b) for a, b in spans),
        ducks=find_ducks(music, spans) if music is not None else None,
        local_ratio_lu=local_ratio(balance),
    )
