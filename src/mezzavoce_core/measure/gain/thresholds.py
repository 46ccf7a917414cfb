"""From how many nats on something counts: all such thresholds of the gain search, each with what it was set on.

A nat is a natural logarithm of a likelihood ratio: e times as likely. "The tuned half" is that half of the evaluation's
mixes that anything may be set on (``docs/evaluation.md``); the other half only ever confirms. Where nothing is said, it
was set in trials on the tuned half of which no count was kept.
"""

from collections.abc import Mapping

PROGRAMME = 1.2
"""For all moves of a programme; what explains less has none that could be told."""
CLAIMED: Mapping[str, float] = {
    "fall-abrupt": 4.0,
    "fall-slow": 1.2,
    "late": 4.0,
    "bare": 5.0,
    "early": 5.0,
    "return-abrupt": 8.0,
    "return-slow": 0.9,
    "held": 7.0,
}
"""For an edge as one of an unusual class, by its name. The tuned half: hardly a duck without it has that much."""
AS_FOUND = -7.0
"""What an edge counts, as it was found, as a member of the usual class. 192 mixes of the tuned half's music: 4 of 1437
usual returns then reach 2.3 nats by all scales as slow ones (7 without), 1 of 1079 reaches 7 as a held one (3), and 48
of 59 slow ones 2.3, as before."""
QUICK = 3.0
"""So much of a slow ramp may be chance where quick scales speak for it, too."""
STRAY = 5.0
"""For a dip that no speech calls for. The tuned half."""
ALONE = 6.0
"""So much more for such a dip where there are no moves that it could be like."""
STRAY_GAINS = 8.0
"""So much may be gained by small steps of a dip's times."""
PARTED = 2.0
"""For a dip of its own where it may be part of a move. The tuned half."""
AT_ONCE = 5.0
"""Taken off where the music begins again at once: music that rests does so far more often than a move comes back so
quickly where the others do not."""
JOINED = 2.0
"""For two moves as one. The tuned half."""
HELD_LONG = 6.0
"""The same where that one holds the music down over a long pause. The tuned half."""
SPLIT = 3.0
"""For one move as two. The tuned half."""
SIMPLER = 3.0
"""What one move with a rise in it saves against two moves, which have twice as many times of their own."""
PUMPING = 2.0
"""For a duck that pumps, all its pauses together. The tuned half."""
SHALLOW = -4.0
"""For a fall of a few dB where other speech has the music down: none at all is far rarer there. 144 mixes of the tuned
half's music: 3 of 66 planted falls are taken for none, and 6 of 72 missing ducks for such a fall; with 2 dB among the
depths, and from -3.1 on, it was 3 and 10."""
SETTLED = 1.5
"""What scales tell together is divided by this where moves agree on a figure: they see the same sound, so that it
counts less."""
