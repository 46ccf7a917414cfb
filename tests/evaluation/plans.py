"""Which mixes the set holds.

Even seeds are tuned on, odd ones only looked at to report; they share neither music nor places in it.
"""

from dataclasses import replace
from math import gcd

from tests.evaluation import cues, material, other_faults
from tests.evaluation.faults import BARE, COMPRESSED
from tests.evaluation.mixes import Plan

FAULTS = (
    "duck-late",
    "duck-early",
    "duck-missing",
    "duck-shallow",
    "duck-plunge",
    "duck-pumping",
    "duck-abrupt",
    "duck-slow-ramp",
    "duck-slow-return",
    "duck-stray",
    "duck-uneven",
    "duck-one-sided",
)
TUNED, HELD = 0, 1
RATIOS, LONG, LONG_CLEAN = "ratios", "long", "long clean"
# Minutes of programmes with several cues: such with faults, one of a kind for about every 70 s, and such as a mixer
# would leave them.
_LONG_MIN, _LONG_CLEAN_MIN = (5, 10, 20, 5, 10, 20), (5, 10)
_ALL_FAULTS = (*FAULTS, *cues.KINDS, *other_faults.KINDS)
# From voices that drown to voices that stand far above everything, minute by minute.
_RATIO_MARGINS_LU, _RATIO_MIXES, _RATIO_S = (-18.0, 8.0), 60, 60.0
# With some two dozen of a kind in each half one miss is less than 5 %; of the ducks, where two kinds may look alike,
# another two dozen.
_MIXES_WITH_A_FAULT, _MORE_WITH_A_DUCK = 24, 24
# Half an hour of clean mixes with effects, and another hour: one finding in ten minutes is told from two only over
# hours.
_CLEAN, _MORE_CLEAN = 10, 20
# Joins need programmes with room for them: how many seconds, and how many pieces of music beside the first.
_JOINS = {cues.CUT_OFF: (150.0, 2), cues.ABRUPT: (150.0, 2), cues.JUMP: (300.0, 4)}
# A plunge has to leave more than enough, and a bed that lies higher must not cover words.
_MARGINS_LU = {"duck-plunge": 6.0, "duck-uneven": 9.0}
# Even, so that a mix stays in its half, and far more than there are seeds.
_NEXT_LOT = 100_000_000


def plans(half, scale=1.0):
    """All plans of a half; ``scale`` makes fewer or more of each group."""
    tracks, voices = material.music()[half::2], list(material.voices())
    found = []
    # Coprime with their number, so that every piece of music has its turn.
    step = next(s for s in range(7, 7 + len(tracks) + 1) if gcd(s, len(tracks)) == 1)

    def after(number, count):
        return tuple(tracks[(step * number + j) % len(tracks)] for j in range(1, 1 + count))

    def add(group, count, along=lambda share: {}, pieces=0, **more):
        """``along`` gives what changes from the first of them (0) to the last (1).

        ``pieces`` of music follow the first.
        """
        count, before = max(1, round(count * scale)), sum(p.group == group for p in found)
        for k in range(count):
            number = len(found)
            seed = 1000 * len(group) + 2 * number + half
            facts = (
                {
                    "voice": voices[number % len(voices)],
                    "track": tracks[(step * number) % len(tracks)],
                    "more_tracks": after(number, pieces),
                }
                | more
                | along(k / max(1, count - 1))
            )
            if k % 4 == 3:
                facts["second_voice"] = voices[(number + 3) % len(voices)]
            if k % 4 == 1:
                facts["room_db"] = -38.0
            found.append(Plan(f"{group} {before + k}", group, seed, **facts))

    def add_ducks(count):
        for fault in FAULTS:
            add(fault, count, faults=(fault,), margin_lu=_MARGINS_LU.get(fault, 3.0))

    add("alike", 12)
    add("differing", 12, alike=False)
    add("unducked", 12, ducked=False)
    add("clean", _CLEAN, seconds=180.0, with_effects=True)
    add_ducks(_MIXES_WITH_A_FAULT)
    for group, minutes in ((LONG, _LONG_MIN), (LONG_CLEAN, _LONG_CLEAN_MIN)):
        for k, length_min in enumerate(minutes):
            number = len(found)
            # Kinds take turns, so that all of them come as often.
            kinds = [
                _ALL_FAULTS[(5 * k + j) % len(_ALL_FAULTS)]
                for j in range(min(len(_ALL_FAULTS), round(length_min * 0.85)))
            ]
            plan = Plan(
                f"{group} {k}",
                group,
                1000 * len(group) + 2 * number + half,
                seconds=60.0 * length_min,
                voice=voices[number % len(voices)],
                second_voice=voices[(number + 3) % len(voices)] if k % 2 else None,
                track=tracks[(step * number) % len(tracks)],
                more_tracks=(material.composed()[half::2][k % 2], *after(number, 1 + length_min // 2)),
                depth_db=(9.0, 13.0),
                room_db=-38.0 if k % 3 == 1 else None,
                with_effects=True,
                faults=tuple(kinds) if group == LONG else (),
            )
            found.append(plan)
    low, high = _RATIO_MARGINS_LU
    add(RATIOS, _RATIO_MIXES, lambda share: {"margin_lu": low + share * (high - low)}, seconds=_RATIO_S, ducked=False)
    for kind in other_faults.KINDS:
        add(kind, _MIXES_WITH_A_FAULT, faults=(kind,), with_effects=True)
    for kind, (seconds, pieces) in _JOINS.items():
        add(kind, _MIXES_WITH_A_FAULT, pieces=pieces, faults=(kind,), seconds=seconds, with_effects=True)
    add_ducks(_MORE_WITH_A_DUCK)
    add("clean", _MORE_CLEAN, seconds=180.0, with_effects=True)
    add(BARE, _MIXES_WITH_A_FAULT, faults=(BARE,))
    add(COMPRESSED, _MIXES_WITH_A_FAULT, faults=(COMPRESSED,))
    return found


def again(half, lots):
    """All mixes of a half with one planted fault each, so many times more.

    Other words and other places of the same voices and music.
    """
    one_each = [p for p in plans(half) if p.group == "".join(p.faults)]
    return [
        replace(p, name=f"{p.name} again {lot}", seed=p.seed + lot * _NEXT_LOT)
        for lot in range(1, lots + 1)
        for p in one_each
    ]
