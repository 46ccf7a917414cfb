"""What goes wrong beside the music's automation: a voice too low, an effect over a voice."""

import numpy as np

from tests.evaluation import material
from tests.evaluation.faults import CLEARANCE_LU, Fault
from tests.evaluation.levels import VOICE_LUFS, level_of
from tests.evaluation.material import RATE

LOW, OVER = "voice-low", "effect-over-speech"
KINDS = (LOW, OVER)
_LOWER_DB, _OVER_DB = -8.0, 5.0
_SHORTEST_S, _AWAY_S = 2.0, 3.0
_EFFECT_S, _LASTS_TENTHS = (0.6, 1.6), 4


def low_voice(dice, passages, faults, dialogue, music):
    """One passage lowered in place, where it then comes too near to the music; the fault, if there is such a place."""
    for a, b in _free(dice, passages, faults):
        here = slice(round(a * RATE), round(b * RATE))
        if level_of(dialogue[here]) + _LOWER_DB - level_of(music[here]) < CLEARANCE_LU - 1:
            dialogue[here] *= 10 ** (_LOWER_DB / 20)
            return [Fault(LOW, a, b)]
    return []


def loud_effect(dice, passages, speech, faults, effects):
    """An effect put over a voice, in place, so that words sound through it; the fault, if there is room for one."""
    pool = [p for p in material.effects() if len(material.sound(p)) >= _EFFECT_S[0] * RATE]
    for a, b in _free(dice, passages, faults):
        x = np.array(
            material.sound(pool[int(dice.integers(len(pool)))])[: round(_EFFECT_S[1] * RATE)], dtype=np.float64
        )
        x *= 10 ** ((VOICE_LUFS + _OVER_DB - level_of(x)) / 20)
        x[-960:] *= np.linspace(1, 0, 960)[:, None]
        words = max((s for s in speech if a <= s[0] and s[1] <= b), key=lambda s: s[1] - s[0])
        if not _lasts(x) or words[1] - words[0] < _EFFECT_S[0]:
            continue
        at = round(sum(words) / 2 * RATE) - len(x) // 2
        effects[at : at + len(x)] += x
        return [Fault(OVER, at / RATE, (at + len(x)) / RATE)]
    return []


def _lasts(x):
    """Whether an effect is as loud as the voice for long enough: a single knock covers no word."""
    tenths = [level_of(x[k : k + RATE // 10]) for k in range(0, len(x) - RATE // 10 + 1, RATE // 10)]
    return sorted(tenths)[-_LASTS_TENTHS] > VOICE_LUFS


def _free(dice, passages, faults):
    """Passages that are long enough and away from all faults, in an order of chance."""
    for k in dice.permutation(len(passages)):
        a, b = passages[int(k)]
        if b - a >= _SHORTEST_S and not any(f.in_s - _AWAY_S < b and a < f.out_s + _AWAY_S for f in faults):
            yield a, b
