"""Mixes an episode as a mixer would.

Voice level, music that falls before speech and returns after it, then the programme to its target.

The slips of the scenario are the only departures.
"""

from dataclasses import dataclass

import numpy as np

from mezzavoce_core.measure.loudness import integrated
from mezzavoce_core.measure.meter import Meter, Wanted
from mezzavoce_core.units import db_to_amplitude

from ..programmes.story import Episode, Slip
from .effects import make
from .faults import clipped, damaged, damaged_stem, room
from .leader import leader
from .music import compose
from .sound import RATE, Stereo, at_loudness, faded, frames, place
from .voices import speak

_FALL_S, _AHEAD_S = 0.5, 0.2
_HOLD_S, _RETURN_S = 0.5, 1.0
_KEEP_DOWN_S = 3.2
_PUMP_RAMP_S = 0.08
Spans = list[tuple[float, float]]
Gain = np.ndarray[tuple[int], np.dtype[np.float64]]


@dataclass(frozen=True)
class Mixed:
    """What is delivered: the mix and its stems, ``(frames, 2)``; ``music_2`` where cues come on two stems."""

    mix: Stereo
    dialogue: Stereo
    music: Stereo
    effects: Stereo
    music_2: Stereo | None = None


def mix(episode: Episode) -> Mixed:
    """Dialogue, music and effects of an episode at their final levels."""
    dialogue, spans = _dialogue(episode)
    effects = np.zeros_like(dialogue)
    for k, sound in enumerate(episode.sounds):
        place(effects, make(sound, 100 * episode.number + k), sound.at_s)
    stems = {"dialogue": dialogue, "music": _music(episode, spans, second=False), "effects": effects}
    if any(p.second for p in episode.pieces):
        stems["music_2"] = _music(episode, spans, second=True)
    stems = {role: damaged(stem, episode.damages) for role, stem in stems.items()}
    gain, whole = _to_target(episode, np.sum(list(stems.values()), axis=0))
    delivered = {role: damaged_stem(stem * gain, role, episode.damages) for role, stem in stems.items()}
    silence, before = np.zeros((frames(episode.tail_s), 2)), leader(episode.leader)
    blank = np.zeros_like(before)
    return Mixed(
        np.concatenate([before, whole, silence]),
        **{role: np.concatenate([blank, stem, silence]) for role, stem in delivered.items()},
    )


def _dialogue(episode: Episode) -> tuple[Stereo, Spans]:
    """The lines one after the other, and where each lies."""
    dialogue, spans = np.zeros((frames(episode.length_s), 2)), []
    for line in episode.lines:
        spoken = speak(line) * db_to_amplitude(line.gain_db)
        at = line.at_s if line.pause_s is None else spans[-1][1] + line.pause_s
        place(dialogue, spoken, at)
        spans.append((at, at + len(spoken) / RATE))
    if episode.room_lufs is not None:
        dialogue += room(len(dialogue), episode.room_lufs, episode.number)
    return dialogue, spans


def _music(episode: Episode, spans: Spans, *, second: bool) -> Stereo:
    """One music stem: composed, cut into cues, moved under the lines."""
    key, seed = (episode.key + 5, episode.number + 50) if second else (episode.key, episode.number)
    music = at_loudness(compose(episode.length_s, key, episode.tempo, seed), episode.music_lufs)
    both = [automation(episode, spans, channel) for channel in (0, 1)]
    music *= db_to_amplitude(np.stack(both, axis=1))
    if episode.pieces:
        return music * _cues(episode, second=second)[:, None]
    return faded(music, 0.6, 2.5)


def _cues(episode: Episode, *, second: bool) -> Gain:
    """The factor of the cues on one stem."""
    t = np.arange(frames(episode.length_s)) / RATE
    factor = np.zeros(len(t))
    for p in (p for p in episode.pieces if p.second == second):
        ends = (p.in_s, p.in_s + max(p.fade_in_s, 0.002), p.out_s - max(p.fade_out_s, 0.002), p.out_s)
        factor = np.maximum(factor, np.interp(t, ends, [0, 1, 1, 0]) * db_to_amplitude(p.by))
    return factor


def automation(episode: Episode, spans: Spans, channel: int = 0) -> Gain:
    """The music's gain in dB per frame on a channel.

    Ducks around speech, what slips, pauses of the music, and a swell at the end.
    """
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    depth = episode.duck_db
    for k, (in_s, out_s) in enumerate(spans):
        slips = {s.what: s for s in episode.slips if in_s - 1 <= s.at_s <= out_s}
        if "miss" in slips or ("side" in slips and channel == 0):
            continue
        if points[-1][1] == 0.0:
            depth = slips["depth"].by if "depth" in slips else episode.duck_db
            end = in_s - _AHEAD_S + _by(slips, "late") - _by(slips, "early")
            points += [(end - (slips["fall"].by if "fall" in slips else _FALL_S), 0.0), (end, -depth)]
        if "push" in slips:
            points += _push(slips["push"].at_s, slips["push"].length_s, slips["push"].by, depth)
        follows = k + 1 < len(spans) and spans[k + 1][0] - out_s < _KEEP_DOWN_S
        if follows and "pump" in slips:
            points += _pumped(out_s, spans[k + 1][0], slips["pump"].by, depth)
        if not follows:
            back = out_s + _HOLD_S + _by(slips, "hold")
            points += [(back, -depth), (back + _RETURN_S, 0.0)]
    return _swelled(episode, _with_strays(episode, points))


def _by(slips: dict[str, Slip], what: str) -> float:
    return slips[what].by if what in slips else 0.0


def _with_strays(episode: Episode, points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    dips = [s for s in episode.slips if s.what == "stray"]
    for s in dips:
        points = [
            *points,
            (s.at_s, 0.0),
            (s.at_s + 0.3, -s.by),
            (s.at_s + s.length_s - 0.5, -s.by),
            (s.at_s + s.length_s, 0.0),
        ]
    return sorted(points)


def _swelled(episode: Episode, points: list[tuple[float, float]]) -> Gain:
    t = np.arange(frames(episode.length_s)) / RATE
    gain = np.interp(t, [p[0] for p in points], [p[1] for p in points])
    for begin, end in episode.silent_music:
        gain += np.interp(t, [begin, begin + 2, end, end + 0.8], [0, -90, -90, 0])
    last = points[-1][0]
    swelled: Gain = gain + np.interp(t, [last, last + 3], [0, episode.swell_db])
    return swelled


def _push(at_s: float, length_s: float, by_db: float, depth: float) -> list[tuple[float, float]]:
    return [
        (at_s, -depth),
        (at_s + 0.3, by_db - depth),
        (at_s + length_s, by_db - depth),
        (at_s + length_s + 0.4, -depth),
    ]


def _pumped(from_s: float, to_s: float, by_db: float, depth: float) -> list[tuple[float, float]]:
    up, down = from_s + 0.05, to_s - 0.05
    return [(up, -depth), (up + _PUMP_RAMP_S, by_db - depth), (down - _PUMP_RAMP_S, by_db - depth), (down, -depth)]


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
