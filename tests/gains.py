"""What moves of the gain are read from, in levels of music."""

import numpy as np

from mezzavoce_core.measure.gain.changes import changes
from mezzavoce_core.measure.gain.expected import Repeats, repeats
from mezzavoce_core.measure.gain.instants import Instants
from mezzavoce_core.measure.gain.likeness import pairs
from mezzavoce_core.measure.gain.loops import KEPT
from mezzavoce_core.measure.gain.rests import heard
from mezzavoce_core.signal.spectrum import instants, whole

NEVER = Repeats(np.zeros((1, KEPT), dtype=np.int64))
"""Nothing comes again."""


def pairs_of(levels):
    """Pairs in levels with all their columns."""
    return pairs(whole(levels), heard(whole(levels)))


def changes_of(levels, spans=(), *, repeated=True):
    """Changes, with or without what is to be expected."""
    return changes(levels, heard(whole(levels)), spans, repeats(pairs_of(levels), len(levels)) if repeated else NEVER)


def instants_of(levels, spans=(), *, repeated=True):
    """What instants tell."""
    return Instants(
        instants(levels), heard(whole(levels)), spans, repeats(pairs_of(levels), len(levels)) if repeated else NEVER
    )
