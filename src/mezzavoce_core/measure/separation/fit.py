"""The ratio of a passage from both: the voice of the network and what lies off the axis, fitted to what lies on it.

In each band the power on the axis is taken for the network's voice times one factor and the music off the axis times
another, neither below nothing, over the passage and the gaps around it.
"""

import numpy as np

from ...units import Floats
from .axis import OnOff
from .network import NetworkVoice
from .side import Gaps, over

_TICKS_TOGETHER = 5
_ROUNDS, _ROBUST, _MOST_VOICE = 6, 1.5, 4.0
_TO_ONE, _TO_LEARNED = 0.3, 0.02
_FLOOR = 1e-3


def ratio_from_both(
    sound: OnOff, voice: NetworkVoice, ticks: "np.typing.NDArray[np.int64]", gaps: Gaps, learned: Floats
) -> float:
    """Voice over all under it in LU over some ticks of a passage; ``learned`` is what gaps say of the music (26,)."""
    inside, outside = _together(ticks), _together(gaps.ticks)
    weights = gaps.weights[: len(outside) * _TICKS_TOGETHER].reshape(-1, _TICKS_TOGETHER).mean(axis=1)
    # Gaps together count no more than the passage.
    counts = np.concatenate([np.ones(len(inside)), weights * min(1.0, len(inside) / max(1e-9, weights.sum()))])[:, None]
    rows = np.concatenate([inside, outside])
    on, off, own = (x[rows].mean(axis=1).astype(np.float64) for x in (sound.on, sound.off, voice.power))
    of_voice, of_music = _fitted(on, off, own, counts, learned)
    spoken = float((of_voice * voice.power[ticks].sum(axis=0)).sum())
    aside = sound.off[ticks].sum(axis=0)
    return over(spoken, float((of_music * aside).sum() + aside.sum()))


def _together(ticks: "np.typing.NDArray[np.int64]") -> "np.typing.NDArray[np.int64]":
    whole = len(ticks) // _TICKS_TOGETHER * _TICKS_TOGETHER
    return ticks[:whole].reshape(-1, _TICKS_TOGETHER)


def _fitted(on: Floats, off: Floats, own: Floats, counts: Floats, learned: Floats) -> tuple[Floats, Floats]:
    """The factors ``(26,)`` of voice and music, by least squares of what stands off in proportion.

    What stands far off counts less (after Huber); the voice is drawn to the network's own level, the music to what was
    learned.
    """
    floor = _FLOOR * np.median(on, axis=0) + 1e-13
    of_voice, of_music = np.ones(on.shape[1]), learned.astype(np.float64).copy()
    for _ in range(_ROUNDS):
        expected = own * of_voice + off * of_music
        scale = np.maximum(expected, floor)
        apart = (on - expected) / scale
        usual = _ROBUST * np.median(np.abs(apart), axis=0) + 1e-6
        weight = counts / scale**2 * np.minimum(1.0, usual / np.maximum(np.abs(apart), 1e-9))
        vv, vm, mm = (weight * own * own).sum(0), (weight * own * off).sum(0), (weight * off * off).sum(0)
        v_on, m_on = (weight * own * on).sum(0), (weight * off * on).sum(0)
        to_one, to_learned = _TO_ONE * vv, _TO_LEARNED * mm
        vv, v_on, mm, m_on = vv + to_one, v_on + to_one, mm + to_learned, m_on + to_learned * learned
        determinant = np.maximum(vv * mm - vm**2, 1e-30)
        of_voice, of_music = (v_on * mm - m_on * vm) / determinant, (vv * m_on - vm * v_on) / determinant
        no_voice, no_music = of_voice < 0, of_music < 0
        of_music = np.where(no_voice, m_on / np.maximum(mm, 1e-30), np.maximum(of_music, 0.0))
        of_voice = np.where(no_music, v_on / np.maximum(vv, 1e-30), np.maximum(of_voice, 0.0))
        of_voice = np.minimum(of_voice, _MOST_VOICE)
    return of_voice, of_music
