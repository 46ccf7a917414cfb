"""Stretches of the music that were looked at again, remembered.

Every judgement asks for all that were ever corrected by hand.
"""

from collections.abc import Callable, Mapping, Sequence
from hashlib import blake2b

from ..units import Floats
from .ducks import MusicGain

_MOST = 64


class Revisited:
    """Moves of the music by what they were found in: its levels, and the speech there."""

    def __init__(self, known: Mapping[str, MusicGain]) -> None:
        """``known`` are those of earlier judgements."""
        self._known = dict(known)

    def look(
        self,
        levels_db: Floats,
        speech: Sequence[tuple[float, float]],
        find: Callable[[Floats, Sequence[tuple[float, float]]], MusicGain],
    ) -> MusicGain:
        """What ``find`` finds, or what it found before."""
        key = blake2b(levels_db.tobytes() + repr(speech).encode(), digest_size=16).hexdigest()
        # What was asked for last stands last, so that what is not asked for any more is forgotten first.
        found = self._known.pop(key) if key in self._known else find(levels_db, speech)
        self._known[key] = found
        return found

    @property
    def known(self) -> Mapping[str, MusicGain]:
        """The newest of all that is known."""
        return dict(list(self._known.items())[-_MOST:])
