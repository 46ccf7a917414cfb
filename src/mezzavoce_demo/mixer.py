"""Mixes an episode as a mixer would: voice level, music that falls before speech and returns after it, then the programme to its target.

The slips of the scenario are the only departures.
"""

from dataclasses import dataclass

import numpy as np

from mezzavoce_core.measure.loudness import integrated
from mezzavoce_core.measure.meter import Meter, Wanted
from mezzavoce_core.units import db_to_amplitude

from .effects import make
from .faults import clipped, damaged
from .leader import leader
from .music import compose
from .sound import RATE, Stereo, at_loudness, faded, frames, place
from .story import Episode
from .voices import speak

MUSIC_OPEN_LUFS = -26.0
DUCK_DB = 11.0
_FALL_S, _AHEAD_S = 0.5, 0.2
_HOLD_S, _RETURN_S = 0.5, 1.0
_KEEP_DOWN_S = 3.2


@dataclass(frozen=True)
class Mixed:
    """What is delivered: the mix and its stems, ``(frames, 2)``."""

    mix: Stereo
    dialogue: Stereo
    music: Stereo
    effects: Stereo


def mix(episode: Episode) -> Mixed:
    """Dialogue, music and effects of an episode at their final levels."""
    count = frames(episode.length_s)
    dialogue, effects = np.zeros((count, 2)), np.zeros((count, 2))
    spans = []
    for line in episode.lines:
        spoken = speak(line)
        place(dialogue, spoken, line.at_s)
        spans.append((line.at_s, line.at_s + len(spoken) / RATE))
    for k, sound in enumerate(episode.sounds):
        place(effects, make(sound, 100 * episode.number + k), sound.at_s)
    music = at_loudness(compose(episode.length_s, episode.key, episode.tempo, episode.number), MUSIC_OPEN_LUFS)
    music *= db_to_amplitude(automation(episode, spans))[:, None]
    music = faded(music, 0.6, 2.5)
    stems = [damaged(stem, episode.damages) for stem in (dialogue, music, effects)]
    gain, whole = _to_target(episode, sum(stems[1:], start=stems[0]))
    stems = [stem * gain for stem in stems]
    silence, before = np.zeros((frames(episode.tail_s), 2)), leader(episode.leader)
    blank = np.zeros_like(before)
    return Mixed(*(np.concatenate([head, body, silence]) for head, body in zip((before, blank, blank, blank), (whole, *stems), strict=True)))


def automation(episode: Episode, spans: list[tuple[float, float]]) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """The music's gain in dB per frame: ducks around speech, what slips, pauses of the music, a swell at the end."""
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    for k, (in_s, out_s) in enumerate(spans):
        slip = next((s for s in episode.slips if in_s - 1 <= s.at_s <= out_s), None)
        if slip and slip.what == "miss":
            continue
        late = slip.by if slip and slip.what == "late" else 0.0
        fall_end = in_s - _AHEAD_S + late
        if points[-1][1] == 0.0:
            points += [(fall_end - _FALL_S, 0.0), (fall_end, -DUCK_DB)]
        if slip and slip.what == "push":
            points += _push(slip.at_s, slip.length_s, slip.by)
        follows = k + 1 < len(spans) and spans[k + 1][0] - out_s < _KEEP_DOWN_S
        if not follows:
            points += [(out_s + _HOLD_S, -DUCK_DB), (out_s + _HOLD_S + _RETURN_S, 0.0)]
    t = np.arange(frames(episode.length_s)) / RATE
    gain = np.interp(t, [p[0] for p in points], [p[1] for p in points])
    for begin, end in episode.silent_music:
        gain += np.interp(t, [begin, begin + 2, end, end + 0.8], [0, -90, -90, 0])
    last = points[-1][0]
    return gain + np.interp(t, [last, last + 3], [0, episode.swell_db])


def _push(at_s: float, length_s: float, by_db: float) -> list[tuple[float, float]]:
    return [(at_s, -DUCK_DB), (at_s + 0.3, by_db - DUCK_DB), (at_s + length_s, by_db - DUCK_DB), (at_s + length_s + 0.4, -DUCK_DB)]


def _to_target(episode: Episode, signal: Stereo) -> tuple[float, Stereo]:
    """The gain of the whole and the mix at its target; what a ceiling takes off is made up for."""
    gain = 1.0
    for _ in range(3):
        gain *= gain_to(episode.target_lufs, clipped(signal * gain, episode.damages))
    return gain, clipped(signal * gain, episode.damages)


def gain_to(target_lufs: float, signal: Stereo) -> float:
    """The gain that brings a signal to a loudness."""
    meter = Meter(RATE, signal.shape[1], Wanted(between_samples=False))
    meter.feed(signal.astype(np.float32))
    now = integrated(meter.finish().power.sum(axis=1).astype(np.float64))
    assert now is not None
    return float(db_to_amplitude(target_lufs - now))
