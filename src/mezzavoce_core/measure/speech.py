"""Where somebody speaks, from the dialogue stem, and how speech is grouped into passages.

A gate suffices on a stem: its quiet parts are silence, room and breath, far below the words.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..signal.spans import join, runs
from ..units import ABSENT_BELOW_LUFS, Floats, db_to_power, lufs_to_power
from .loudness import block_mean
from .meter import TICKS_PER_BLOCK, TICKS_PER_S

GATE_UNDER_LOUD_SPEECH_LU = 30.0
_ROOM_SPREAD_DB, _ROOM_UNDER_SPEECH_DB, _OVER_ROOM_DB = 3.0, 14.0, 6.0
_SMOOTH_TICKS = 5
_BRIDGE_S = 0.3
_SHORTEST_S = 0.08
_LONGEST_PASSAGE_S = 20.0


@dataclass(frozen=True)
class Speech:
    """An interval in which somebody speaks, in seconds on the grid's clock."""

    in_s: float
    out_s: float
    confidence: float
    by_hand: bool = False


SPEECH, NO_SPEECH, IMPORTANT_EFFECT = "speech", "no-speech", "important-effect"
CORRECTIONS = (SPEECH, NO_SPEECH, IMPORTANT_EFFECT)


@dataclass(frozen=True)
class Correction:
    """What a person said about a stretch (seconds): somebody speaks there, nobody does, or the effect there matters.

    A later one wins.
    """

    kind: str
    in_s: float
    out_s: float

    def shifted(self, by_s: float) -> "Correction":
        """The same on another clock, no earlier than its beginning."""
        return Correction(self.kind, max(0.0, self.in_s + by_s), self.out_s + by_s)


def find_speech(power: Floats) -> tuple[Speech, ...]:
    """Speech intervals from the weighted K-weighted power ``(ticks,)`` of the dialogue.

    The gate lies 30 LU under the 95th percentile of the blocks above -70 LUFS, or over the noise of a room where that
    is louder; gaps up to 0.3 s are bridged, islands under 0.08 s dropped. Confidence is the share of an interval that
    lies above the gate.
    """
    heard = block_mean(power)
    heard = heard[heard > lufs_to_power(ABSENT_BELOW_LUFS)]
    if not len(heard):
        return ()
    loud_speech = float(np.percentile(heard, 95))
    gate = max(
        loud_speech * float(db_to_power(-GATE_UNDER_LOUD_SPEECH_LU)),
        float(lufs_to_power(ABSENT_BELOW_LUFS)),
        _over_room(heard),
    )
    smooth = np.convolve(power, np.full(_SMOOTH_TICKS, 1 / _SMOOTH_TICKS), mode="same")
    over = smooth > gate
    spans = [
        (a, b) for a, b in _trimmed(np.flatnonzero(power > gate), runs(over)) if b - a >= _SHORTEST_S * TICKS_PER_S
    ]
    joined = join(spans, round(_BRIDGE_S * TICKS_PER_S))
    return tuple(Speech(a / TICKS_PER_S, b / TICKS_PER_S, round(float(over[a:b].mean()), 3)) for a, b in joined)


def _over_room(heard: Floats) -> float:
    """A gate over the noise of a room: what is softest keeps one level, which the soft parts of speech do not.

    0 where there is none.
    """
    soft, less_soft, loud = np.percentile(heard, [5, 20, 95])
    steady = less_soft < soft * db_to_power(_ROOM_SPREAD_DB) and loud > less_soft * db_to_power(_ROOM_UNDER_SPEECH_DB)
    return float(less_soft * db_to_power(_OVER_ROOM_DB)) if steady else 0.0


def _trimmed(loud: NDArray[np.int64], spans: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Smoothing widens spans at both ends.

    Back to the first and last tick that is loud by itself, where there is one.
    """
    if not spans:
        return []
    begins, ends = (np.searchsorted(loud, side) for side in zip(*spans, strict=True))
    some = begins < ends
    return list(zip(loud[begins[some]].tolist(), (loud[ends[some] - 1] + 1).tolist(), strict=True))


def correct(speech: Sequence[Speech], corrections: Sequence[Correction]) -> tuple[Speech, ...]:
    """Measured intervals with what was set by hand laid over them, in the order it was set.

    Where a hand spoke, what was before is silent.
    """
    found = list(speech)
    for hand in corrections:
        if hand.kind == IMPORTANT_EFFECT or hand.out_s <= hand.in_s:
            continue
        # Most lie elsewhere and stay as they are.
        found = [
            piece
            for s in found
            for piece in (_without(s, hand) if s.in_s < hand.out_s and hand.in_s < s.out_s else [s])
        ]
        if hand.kind == SPEECH:
            found.append(Speech(hand.in_s, hand.out_s, 1.0, by_hand=True))
    return tuple(sorted(found, key=lambda s: s.in_s))


def _without(speech: Speech, hand: Correction) -> list[Speech]:
    """What is left of an interval beside one set by hand; of a measured one no crumbs."""
    least = 0.0 if speech.by_hand else _SHORTEST_S
    pieces = ((speech.in_s, min(speech.out_s, hand.in_s)), (max(speech.in_s, hand.out_s), speech.out_s))
    return [replace(speech, in_s=a, out_s=b) for a, b in pieces if b - a > least]


def speech_ticks(speech: Sequence[Speech], ticks: int) -> NDArray[np.bool_]:
    """Speech as flags per 10 ms, ``(ticks,)``."""
    flags = np.zeros(ticks, dtype=np.bool_)
    for s in speech:
        flags[round(s.in_s * TICKS_PER_S) : round(s.out_s * TICKS_PER_S)] = True
    return flags


def active_share(flags: NDArray[np.bool_]) -> Floats:
    """Share of speech in each 100 ms block, ``(blocks,)``, 0 to 1."""
    return block_mean(flags.astype(np.float64))


def passage_spans(speech: Sequence[Speech], bridge_s: float) -> list[tuple[float, float]]:
    """Speech joined over pauses shorter than ``bridge_s``; longer than 20 s it is split at its longest pause.

    Seconds.
    """
    groups: list[list[Speech]] = []
    for s in speech:
        if groups and s.in_s - groups[-1][-1].out_s < bridge_s:
            groups[-1].append(s)
        else:
            groups.append([s])
    return [(part[0].in_s, part[-1].out_s) for group in groups for part in _split(group)]


def _split(group: list[Speech]) -> list[list[Speech]]:
    if len(group) < 2 or group[-1].out_s - group[0].in_s <= _LONGEST_PASSAGE_S:
        return [group]
    pauses = [b.in_s - a.out_s for a, b in pairwise(group)]
    cut = int(np.argmax(pauses)) + 1
    return _split(group[:cut]) + _split(group[cut:])


def block_of(time_s: float) -> int:
    """Index of the 100 ms block that holds a time."""
    return int(time_s * TICKS_PER_S + 1e-6) // TICKS_PER_BLOCK
