"""Everything that the kinds of findings look at, drawn together from a measurement and from what people added to it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..measure.balance import Balance, Doubt, Passage, local_ratio, passage
from ..measure.captions import Caption, on_programme
from ..measure.cues import Cue, find_cues, in_the_clear, sounding
from ..measure.ducks import Duck, MusicGain, with_levels
from ..measure.loudness import block_mean, loudness, mean_lufs
from ..measure.measurement import Measurement, inside
from ..measure.meter import TICKS_PER_S
from ..measure.programme import Programme, find_programme
from ..measure.revisited import Revisited
from ..measure.speech import IMPORTANT_EFFECT, Correction, Speech, correct, passage_spans, speech_ticks
from ..timecode import Clock
from ..units import Floats, amplitude_to_db
from .ducking import served_by, wanted_depths
from .incremental import Kept, ground_of
from .model import Judgement, JudgingContext
from .overrun import music_beyond
from .spec import Spec

_SOUNDS = 0.5
OPEN_WITHIN_LU = 1.0
"""So near to a limit an estimate from the mix alone is as often on the one side as on the other."""
_BACKGROUND = ("music", "effects", "background")


def gather(
    measurement: Measurement,
    spec: Spec,
    corrections: Sequence[Correction] = (),
    programme: Programme | None = None,
    captions: Sequence[Caption] = (),
    *,
    earlier: Judgement | None = None,
    revisited: Mapping[str, MusicGain] | None = None,
) -> JudgingContext:
    """The context of a measurement under a spec.

    Corrections and captions carry times of the file; ``earlier`` and ``revisited`` save work.
    """
    ground = ground_of(earlier, measurement, spec, programme) or _ground(measurement, spec, programme)
    context = replace(ground, ground=ground)
    if ground.balance is not None:
        hands = [c.shifted(-ground.origin_s) for c in corrections if c.out_s > ground.origin_s]
        context = _with_hands(
            context,
            ground.balance,
            hands,
            Revisited({**(earlier.context.revisited if earlier else {}), **(revisited or {})}),
        )
        context = replace(context, passages=_passages(context, Kept.of(earlier, measurement, context)))
        context = replace(context, served_by=served_by(context))
        context = replace(context, wanted_depths=wanted_depths(context))
        context = _with_captions(context, captions)
    return _with_cues(context)


def _ground(measurement: Measurement, spec: Spec, given: Programme | None) -> JudgingContext:
    """The context as far as it follows from the measurement, the spec and the programme alone."""
    clock = Clock.starting(measurement.file.start_timecode, measurement.file.rate)
    programme = given or find_programme(measurement.mix, clock, measurement.duration_s)
    measured = measurement.cropped(programme)
    power = measured.mix_power(gain=_spec_gain(measurement, spec))
    breaks = ~inside(programme)[: len(power)]
    context = JudgingContext(
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
        context = replace(context, music_stems=tuple(stems), cues=_cues(measured, stems))
    voice = measured.role_power("dialogue", gain=_spec_gain(measurement, spec))
    return context if voice is None else _with_voice(context, voice)


def _cues(measured: Measurement, stems: Sequence[tuple[str, Floats]]) -> tuple[Cue, ...]:
    """The cues of the music; of what was estimated those that sound like music."""
    cues = find_cues(stems)
    return (
        cues if measured.separation is None else tuple(c for c in cues if measured.separation.is_music(c.in_s, c.out_s))
    )


def _spec_gain(measurement: Measurement, spec: Spec) -> float:
    """The factor on powers with which a spec counts a measurement: mono may stand for two loudspeakers."""
    return 2.0 if spec.limits.mono == "dual" and measurement.file.channels == 1 else 1.0


def _with_voice(context: JudgingContext, voice: Floats) -> JudgingContext:
    """With speech as it was measured, and the levels of it and of what lies under it."""
    measured, gain = context.measurement, _spec_gain(context.measurement, context.spec)
    speech = measured.speech() or ()
    music = measured.role_power("music", gain=gain)
    effects, background = measured.role_power("effects", gain=gain), measured.role_power(*_BACKGROUND, gain=gain)
    under = {role: bands for role in _BACKGROUND if (bands := measured.role_bands(role)) is not None}
    balance = Balance(
        voice,
        music,
        effects,
        background,
        speech_ticks(speech, len(voice)),
        measured.role_bands("dialogue"),
        under,
        _doubt(measured),
    )
    return replace(context, speech=speech, balance=balance, playing=_playing(measured))


def _doubt(measured: Measurement) -> Doubt | None:
    found = measured.separation
    return None if found is None else Doubt(found.low_lu, found.high_lu, found.conditions == 0, OPEN_WITHIN_LU)


def _playing(measured: Measurement) -> tuple[tuple[float, float], ...]:
    stems = measured.music_stems()
    spans = sounding(np.sum([power for _, power in stems], axis=0)) if stems else ()
    found = measured.separation
    return spans if found is None else tuple(s for s in spans if found.is_music(*s))


def _with_hands(
    context: JudgingContext, balance: Balance, corrections: Sequence[Correction], revisited: Revisited
) -> JudgingContext:
    """With speech as it was measured and set by hand, and what follows from it."""
    speech = correct(context.speech or (), corrections)
    balance = balance.with_speech(speech_ticks(speech, len(balance.voice)))
    return replace(
        context,
        dialogue_lufs=mean_lufs(block_mean(balance.voice)[np.flatnonzero(balance.active)]),
        speech=speech,
        balance=balance,
        ducks=_ducks(context, balance.music, speech, corrections, revisited),
        local_ratio_lu=local_ratio(balance),
        important=tuple((c.in_s, c.out_s) for c in corrections if c.kind == IMPORTANT_EFFECT),
        revisited=revisited.known,
    )


def _passages(context: JudgingContext, kept: Kept | None) -> tuple[Passage, ...]:
    balance = context.balance
    assert balance is not None
    spans = passage_spans(context.speech or (), context.spec.limits.bridge_s)
    return tuple((kept and kept.passage(a, b)) or passage(balance, a, b) for a, b in spans)


def _ducks(
    context: JudgingContext,
    music: Floats | None,
    speech: Sequence[Speech],
    corrections: Sequence[Correction],
    revisited: Revisited,
) -> tuple[Duck, ...] | None:
    """The measured moves of the music, looked at again where a hand set other speech."""
    measured = context.measurement
    gain = measured.gain
    if music is None or gain is None:
        return None
    from ..measure.music_gain import revisit  # noqa: PLC0415  (compiled loops that a mix without stems does not need)

    hands = [(c.in_s, c.out_s) for c in corrections if c.kind != IMPORTANT_EFFECT]
    gain = revisit(gain, measured.music_levels, [(s.in_s, s.out_s) for s in speech], hands, revisited)
    return with_levels([d for d in gain.ducks if _sounds(d, context.playing, len(music) / TICKS_PER_S)], music)


def _sounds(duck: Duck, cues: Sequence[tuple[float, float]], duration_s: float) -> bool:
    """Whether music plays in its bed: between two cues there is nothing to be lowered."""
    begin, end = duck.fall_end_s or 0.0, duration_s if duck.return_start_s is None else duck.return_start_s
    return sum(max(0.0, min(end, b) - max(begin, a)) for a, b in cues) > _SOUNDS * (end - begin)


def _with_captions(context: JudgingContext, captions: Sequence[Caption]) -> JudgingContext:
    """Captions on the programme's clock, whatever they count from: the file, the programme, or the start timecode."""
    if not captions or context.balance is None:
        return context
    zeros = [context.origin_s, 0.0, context.clock.start_s + context.origin_s]
    return replace(context, captions=on_programme(captions, context.balance.flags, zeros))


def _moved(ducks: Sequence[Duck], ticks: int) -> Floats:
    """The gain in dB of all ducks together per tick."""
    moved = np.zeros(ticks)
    for duck in ducks:
        first = 0 if duck.fall_start_s is None else max(0, int(duck.fall_start_s * TICKS_PER_S))
        last = ticks if duck.return_end_s is None else min(ticks, int(duck.return_end_s * TICKS_PER_S) + 1)
        moved[first:last] += duck.gain_db(np.arange(first, max(first, last)) / TICKS_PER_S)
    return moved


def _with_cues(context: JudgingContext) -> JudgingContext:
    """With the level of cues as it is without what was done to their gain."""
    if not context.cues or not context.ducks:
        return context
    return replace(
        context, cues=in_the_clear(context.cues, context.music_stems, _moved(context.ducks, len(context.power)))
    )
