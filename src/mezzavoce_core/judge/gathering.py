"""Everything that the kinds of findings look at, drawn together from a measurement and from what people added to it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..measure.again import Again
from ..measure.balance import Balance, Passage, local_ratio, passage
from ..measure.captions import Caption, on_programme
from ..measure.cues import find_cues, in_the_clear, sounding
from ..measure.ducks import Duck, MusicGain, with_levels
from ..measure.loudness import block_mean, loudness, mean_lufs
from ..measure.measurement import Measurement, inside
from ..measure.meter import TICKS_PER_S
from ..measure.programme import Programme, find_programme
from ..measure.speech import IMPORTANT_EFFECT, Correction, Speech, correct, find_speech, passage_spans, speech_ticks
from ..timecode import Clock
from ..units import Floats, amplitude_to_db
from .ducking import served_by, wanted_depths
from .earlier import Kept, ground_of
from .model import Evidence, Judgement
from .overrun import music_beyond
from .spec import Spec

_SOUNDS = 0.5
_BACKGROUND = ("music", "effects", "background")


def gather(
    measurement: Measurement,
    spec: Spec,
    corrections: Sequence[Correction] = (),
    programme: Programme | None = None,
    captions: Sequence[Caption] = (),
    *,
    earlier: Judgement | None = None,
    again: Mapping[str, MusicGain] | None = None,
) -> Evidence:
    """The evidence of a measurement under a spec. Corrections and captions carry times of the file; ``earlier`` and ``again`` save work."""
    ground = ground_of(earlier, measurement, spec, programme) or _ground(measurement, spec, programme)
    evidence = replace(ground, ground=ground)
    if ground.balance is not None:
        hands = [c.shifted(-ground.origin_s) for c in corrections if c.out_s > ground.origin_s]
        evidence = _with_hands(evidence, ground.balance, hands, Again({**(earlier.evidence.again if earlier else {}), **(again or {})}))
        evidence = replace(evidence, passages=_passages(evidence, Kept.of(earlier, measurement, evidence)))
        evidence = replace(evidence, served_by=served_by(evidence))
        evidence = replace(evidence, wanted_depths=wanted_depths(evidence))
        evidence = _with_captions(evidence, captions)
    return _with_cues(evidence)


def _ground(measurement: Measurement, spec: Spec, given: Programme | None) -> Evidence:
    """The evidence as far as it follows from the measurement, the spec and the programme alone."""
    clock = Clock.starting(measurement.file.start_timecode, measurement.file.rate)
    programme = given or find_programme(measurement.mix, clock, measurement.duration_s)
    measured = measurement.cropped(programme)
    power = measured.mix_power(gain=_spec_gain(measurement, spec))
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
        true_peak_dbtp=amplitude_to_db([channel.max() for channel in measured.mix.true_peak.T]),
        music_beyond=music_beyond(measurement, programme),
        given=given,
    )
    if measured.has("music"):
        stems = measured.music_stems(gain=_spec_gain(measurement, spec))
        evidence = replace(evidence, music_stems=tuple(stems), cues=find_cues(stems))
    voice = measured.role_power("dialogue", gain=_spec_gain(measurement, spec))
    return evidence if voice is None else _with_voice(evidence, voice)


def _spec_gain(measurement: Measurement, spec: Spec) -> float:
    """The factor on powers with which a spec counts a measurement: mono may stand for two loudspeakers."""
    return 2.0 if spec.limits.mono == "dual" and measurement.file.channels == 1 else 1.0


def _with_voice(evidence: Evidence, voice: Floats) -> Evidence:
    """With speech as it was measured, and the levels of it and of what lies under it."""
    measured, gain = evidence.measurement, _spec_gain(evidence.measurement, evidence.spec)
    speech = find_speech(voice)
    music = measured.role_power("music", gain=gain)
    effects, background = measured.role_power("effects", gain=gain), measured.role_power(*_BACKGROUND, gain=gain)
    under = {role: bands for role in _BACKGROUND if (bands := measured.role_bands(role)) is not None}
    balance = Balance(voice, music, effects, background, speech_ticks(speech, len(voice)), measured.role_bands("dialogue"), under)
    return replace(evidence, speech=speech, balance=balance, playing=_playing(measured))


def _playing(measured: Measurement) -> tuple[tuple[float, float], ...]:
    stems = measured.music_stems()
    return sounding(np.sum([power for _, power in stems], axis=0)) if stems else ()


def _with_hands(evidence: Evidence, balance: Balance, corrections: Sequence[Correction], again: Again) -> Evidence:
    """With speech as it was measured and set by hand, and what follows from it."""
    speech = correct(evidence.speech or (), corrections)
    balance = balance.with_speech(speech_ticks(speech, len(balance.voice)))
    return replace(
        evidence,
        dialogue_lufs=mean_lufs(block_mean(balance.voice)[np.flatnonzero(balance.active)]),
        speech=speech,
        balance=balance,
        ducks=_ducks(evidence, balance.music, speech, corrections, again),
        local_ratio_lu=local_ratio(balance),
        important=tuple((c.in_s, c.out_s) for c in corrections if c.kind == IMPORTANT_EFFECT),
        again=again.known,
    )


def _passages(evidence: Evidence, kept: Kept | None) -> tuple[Passage, ...]:
    balance = evidence.balance
    assert balance is not None
    spans = passage_spans(evidence.speech or (), evidence.spec.limits.bridge_s)
    return tuple((kept and kept.passage(a, b)) or passage(balance, a, b) for a, b in spans)


def _ducks(evidence: Evidence, music: Floats | None, speech: Sequence[Speech], corrections: Sequence[Correction], again: Again) -> tuple[Duck, ...] | None:
    """The measured moves of the music, looked at again where a hand set other speech."""
    measured = evidence.measurement
    gain = measured.gain
    if music is None or gain is None:
        return None
    from ..measure.music_gain import look_again  # noqa: PLC0415  (compiled loops that a mix without stems does not need)

    hands = [(c.in_s, c.out_s) for c in corrections if c.kind != IMPORTANT_EFFECT]
    gain = look_again(gain, measured.music_levels, [(s.in_s, s.out_s) for s in speech], hands, again)
    return with_levels([d for d in gain.ducks if _sounds(d, evidence.playing, len(music) / TICKS_PER_S)], music)


def _sounds(duck: Duck, cues: Sequence[tuple[float, float]], duration_s: float) -> bool:
    """Whether music plays in its bed: between two cues there is nothing to be lowered."""
    begin, end = duck.fall_end_s or 0.0, duration_s if duck.return_start_s is None else duck.return_start_s
    return sum(max(0.0, min(end, b) - max(begin, a)) for a, b in cues) > _SOUNDS * (end - begin)


def _with_captions(evidence: Evidence, captions: Sequence[Caption]) -> Evidence:
    """Captions on the programme's clock, whatever they count from: the file, the programme, or the start timecode."""
    if not captions or evidence.balance is None:
        return evidence
    zeros = [evidence.origin_s, 0.0, evidence.clock.start_s + evidence.origin_s]
    return replace(evidence, captions=on_programme(captions, evidence.balance.flags, zeros))


def _moved(ducks: Sequence[Duck], ticks: int) -> Floats:
    """The gain in dB of all ducks together per tick."""
    moved = np.zeros(ticks)
    for duck in ducks:
        first = 0 if duck.fall_start_s is None else max(0, int(duck.fall_start_s * TICKS_PER_S))
        last = ticks if duck.return_end_s is None else min(ticks, int(duck.return_end_s * TICKS_PER_S) + 1)
        moved[first:last] += duck.gain_db(np.arange(first, max(first, last)) / TICKS_PER_S)
    return moved


def _with_cues(evidence: Evidence) -> Evidence:
    """With the level of cues as it is without what was done to their gain."""
    if not evidence.cues or not evidence.ducks:
        return evidence
    return replace(evidence, cues=in_the_clear(evidence.cues, evidence.music_stems, _moved(evidence.ducks, len(evidence.power))))
