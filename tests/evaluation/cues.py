"""Several pieces of music one after the other, joined by crossfades or with a rest between them as a mixer lays them.

And joins that went wrong.
"""

import itertools

import numpy as np

from tests.evaluation import material
from tests.evaluation.faults import Fault
from tests.evaluation.levels import VOICE_LUFS, level_of
from tests.evaluation.material import RATE

CUT_OFF, ABRUPT, JUMP = "music-cut-off", "music-abrupt-entry", "cue-level-jump"
KINDS = (CUT_OFF, ABRUPT, JUMP)
_LAID_LUFS = -20.0
_CUE_S = (45.0, 110.0)
_CROSSFADE_S, _FADE_IN_S, _FADE_OUT_S, _NO_FADE_S = 3.0, 0.4, 0.8, 0.004
_REST_S, _AFTER_S, _BEFORE_S = (1.3, 2.5), 0.3, 0.9
_REST_SHARE = 0.7
_JUMP_DB, _SPREAD_DB, _STANDS_OFF_DB = -8.0, 3.0, 5.0
_TRIES = 40
_LOUD_WITHIN_DB = 3.0
_STARTLES_FROM_LUFS, _STARTLES_BY_DB = VOICE_LUFS - 6.5, 22.0
_FALLS_BY_DB = 7.0


def going_round(x, start, length):
    """So many frames of a piece from one on; short pieces go round with a crossfade."""
    part = np.array(x[start : start + length], dtype=np.float64)
    while len(part) < length:
        fade = RATE
        more = np.array(x[: length - len(part) + fade], dtype=np.float64)
        more[:fade] *= np.linspace(0, 1, fade)[:, None]
        part[-fade:] *= np.linspace(1, 0, fade)[:, None]
        part = np.concatenate([part[:-fade], part[-fade:] + more[:fade], more[fade:]])
    return part


def joined(pieces, dice, trapezoids, seconds, wrong):
    """Music ``(frames, 2)`` of cues that change where no ``trapezoids`` lie or by crossfades.

    From when to when each of them is; what went wrong.

    ``wrong`` are the kinds of which one each is made. A cue that is to stand off from the others is not moved yet.
    """
    bounds = _bounds(dice, _clear(trapezoids, seconds), seconds)
    spans = list(zip([0.0, *(begin for _, begin in bounds)], [*(end for end, _ in bounds), seconds], strict=True))
    rests = [k for k, (end, begin) in enumerate(bounds) if begin > end]
    plans = _choose(dice, rests, spans, wrong)
    out, faults = np.zeros((round(seconds * RATE), 2), dtype=np.float32), []
    for k, (begin, end) in enumerate(spans):
        mine = {kind for kind, at in plans.items() if at == k}
        part = _chosen(pieces[k % len(pieces)], dice, round((end - begin) * RATE), mine)
        if part is None:
            mine, part = mine & {JUMP}, _chosen(pieces[k % len(pieces)], dice, round((end - begin) * RATE), set())
        _fade(part, k == 0 or k - 1 in rests, k == len(spans) - 1 or k in rests, mine)
        out[round(begin * RATE) :][: len(part)] += part[: len(out) - round(begin * RATE)]
        faults += [_fault(kind, begin, end) for kind in sorted(mine)]
    return out, spans, faults


def levelled(source, spans, gains_db, faults):
    """Cues at their gains, in place; none stands far over the softest one but for faults."""
    jumps = [f.in_s for f in faults if f.kind == JUMP]
    gains = [
        min(g, min(gains_db) + _SPREAD_DB) + (_JUMP_DB if a in jumps else 0.0)
        for (a, _), g in zip(spans, gains_db, strict=True)
    ]
    points = [
        (t, g)
        for k, (a, b) in enumerate(spans)
        for t, g in ((_between(spans, k - 1)[1] if k else a, gains[k]), (_between(spans, k)[0], gains[k]))
    ]
    times, levels = np.array(points).T
    for begin in range(0, len(source), RATE):
        at = np.arange(begin, min(begin + RATE, len(source))) / RATE
        source[begin : begin + RATE] *= 10 ** (np.interp(at, times, levels) / 20)[:, None]
    return source


def _between(spans, k):
    """From when to when the music goes over from one cue to the next."""
    return sorted((spans[k][1], spans[k + 1][0])) if k + 1 < len(spans) else (spans[k][1], spans[k][1])


def rests(spans):
    """Where no music is, and a little around it: from when to when."""
    return [(a - _FADE_OUT_S, b + _FADE_OUT_S) for (_, a), (b, _) in itertools.pairwise(spans) if b > a]


def told_apart(faults):
    """Those of a whole cue, and those at its ends."""
    return [f for f in faults if f.kind == JUMP], [f for f in faults if f.kind != JUMP]


def deviating(faults, music, spans):
    """Without the cues that are no fault, since they hardly stand off from the others after all."""
    levels = {begin: level_of(music[round(begin * RATE) : round(end * RATE)]) for begin, end in spans}
    others = {
        f.in_s: np.median([level for begin, level in levels.items() if begin != f.in_s])
        for f in faults
        if f.kind == JUMP
    }
    return [f for f in faults if f.kind != JUMP or others[f.in_s] - levels[f.in_s] > _STANDS_OFF_DB]


def startling(faults, music):
    """Without the entries that are no fault, since the music is soft there by the programme's level."""
    return [
        f
        for f in faults
        if f.kind != ABRUPT or level_of(music[round(f.in_s * RATE) :][: RATE // 2]) > _STARTLES_FROM_LUFS
    ]


def unprepared(faults, others, music):
    """Without the entries and ends that are no fault, since something else sounds before or after them.

    The mix does not rise or fall by so much then.
    """

    def rises(fault):
        at = round(fault.in_s * RATE)
        before = level_of(others[max(0, at - RATE // 2) : at])
        return level_of(music[at:][: RATE // 2]) - before > _STARTLES_BY_DB

    def falls(fault):
        at = round(fault.out_s * RATE)
        last, after = slice(at - RATE // 4, at), slice(at, at + RATE // 4)
        return level_of(music[last] + others[last]) - level_of(others[after]) > _FALLS_BY_DB

    told = {ABRUPT: rises, CUT_OFF: falls}
    return [f for f in faults if f.kind not in told or told[f.kind](f)]


def _fault(kind, begin, end):
    return Fault(kind, *{CUT_OFF: (end - 0.8, end), ABRUPT: (begin, begin + 0.5), JUMP: (begin, end)}[kind])


def _clear(trapezoids, seconds):
    """Where the music is up: from one move to the next."""
    order = sorted(trapezoids, key=lambda t: t.fall_start_s)
    return list(zip([0.0, *(t.return_end_s for t in order)], [*(t.fall_start_s for t in order), seconds], strict=True))


def _bounds(dice, clear, seconds):
    """Where cues end and the next ones begin, in order; a crossfade where the next one begins first."""
    wide = [(a, b) for a, b in clear if b - a >= _AFTER_S + _FADE_OUT_S + _REST_S[0] + _BEFORE_S]
    found, at = [], 0.0
    while True:
        wanted = at + float(dice.uniform(*_CUE_S))
        if wanted > seconds - _CUE_S[0] / 2:
            return found
        near = [g for g in wide if abs(g[0] - wanted) < 25 and g[0] > at + 25]
        if near and dice.uniform() < _REST_SHARE:
            a, b = min(near, key=lambda g: abs(g[0] - wanted))
            end = a + _AFTER_S + _FADE_OUT_S
            begin = min(b - _BEFORE_S, end + _REST_S[1])
        else:
            end, begin = wanted + _CROSSFADE_S, wanted
        found.append((end, begin))
        at = begin


def _choose(dice, rests, spans, wrong):
    """For each kind the cue that it happens to: with a rest where it ends, begins, or on either side of it."""
    able = {
        CUT_OFF: rests,
        ABRUPT: [k + 1 for k in rests],
        JUMP: [k for k in range(1, len(spans)) if k in rests and k - 1 in rests],
    }
    found = {}
    for kind in KINDS:
        free = [k for k in able[kind] if k not in found.values()]
        if kind in wrong and free and (kind != JUMP or len(rests) >= 3):
            found[kind] = int(dice.choice(free))
    return found


def _chosen(piece, dice, length, mine):
    """A stretch of a piece at the level of all; one that is loud where it is cut off or begins at once.

    None where no such place was found.
    """
    x = material.sound(piece)
    for _ in range(_TRIES):
        part = going_round(x, int(dice.integers(0, max(1, len(x) - length))), length).astype(np.float32)
        loud = {CUT_OFF: part[-RATE // 4 :], ABRUPT: part[: RATE // 4]}
        if all(np.std(loud[kind]) > np.std(part) * 10 ** (-_LOUD_WITHIN_DB / 20) for kind in mine & loud.keys()):
            return part * np.float32(10 ** ((_LAID_LUFS - level_of(part)) / 20))
    return None


def _fade(part, rest_before, rest_after, mine):
    """Fades in place: a crossfade keeps the power of both together."""
    for end, rest, kind, usual in (
        (part, rest_before, ABRUPT, _FADE_IN_S),
        (part[::-1], rest_after, CUT_OFF, _FADE_OUT_S),
    ):
        length = round(RATE * (_NO_FADE_S if kind in mine else usual if rest else _CROSSFADE_S))
        ramp = np.linspace(0, 1, length)
        end[:length] *= (ramp if rest else np.sin(ramp * np.pi / 2))[:, None]
