"""Where the music of a programme rests, or is too quiet to tell anything of its gain."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...signal.spans import runs
from ...signal.spectrum import FLOOR_DB, FRAMES_PER_S
from ...units import Floats
from .parts import Part, parts

_QUIET_DB = -115.0
_QUIET_SHARE = 0.5
"""A frame is quiet where so many of its bands are; synthetic music often leaves a third of them empty while it
sounds."""
LEAST_BANDS = 3
_PAUSE_FRAMES, _START_FRAMES = 10, 30
_REST_FRAMES, _LONGEST_FADE, _FADE_STEP, _FADE_SMOOTH, _FADES_DB = 50, 150, 5, 11, 0.5
"""A rest of a second or more has fades beside it, for as long as the music moves by half a dB in 0.1 s."""


@dataclass(frozen=True)
class Heard:
    """Where the music is heard, and its parts.

    In ``quiet`` frames (frames,) it tells nothing; each part has a character and bands of its own.
    """

    quiet: NDArray[np.bool_]
    parts: tuple[Part, ...]

    def held(self) -> NDArray[np.int64]:
        """For every frame the one to look at.

        Quiet frames go on as it was before them, so that a hole leaves no trace where it ends.
        """
        last = np.maximum.accumulate(np.where(self.quiet, -1, np.arange(len(self.quiet))))
        held: NDArray[np.int64] = np.where(last < 0, int(np.argmin(self.quiet)), last)
        return held

    def rests(self) -> NDArray[np.int64]:
        """Running count of the frames in pauses of the music: from before a pause to after it nothing can be told."""
        silent = np.zeros(len(self.quiet) + 1, dtype=np.int64)
        for first, last in _pauses(self.quiet):
            silent[first + 1 : max(first, last - _START_FRAMES) + 1] = 1
        return np.cumsum(silent)


def heard(levels: Floats) -> Heard | None:
    """From levels of the whole music ``(frames, bands)`` in dB; None where there is next to none."""
    in_parts = parts(levels)
    if not in_parts:
        return None
    quiet = _quiet_frames(levels, in_parts)
    some = any(len(part.used) >= LEAST_BANDS for part in in_parts) and (~quiet).sum() >= 2 * FRAMES_PER_S
    return Heard(quiet, in_parts) if some else None


def _quiet_frames(levels: Floats, in_parts: Sequence[Part]) -> NDArray[np.bool_]:
    """Which frames of levels ``(frames, bands)`` in dB are too quiet to tell anything.

    In parts without music all are.
    """
    quiet, level = np.ones(len(levels), dtype=np.bool_), np.full(len(levels), FLOOR_DB)
    for part in in_parts:
        if len(part.used):
            own = levels[part.first : part.last, part.used]
            quiet[part.first : part.last] = (own < max(_QUIET_DB, FLOOR_DB)).mean(axis=1) > _QUIET_SHARE
            level[part.first : part.last] = own.mean(axis=1)
    _with_fades(quiet, level)
    after: NDArray[np.bool_] = quiet | np.concatenate([[False], quiet[:-1]])
    # Music that starts has no past to be told from: at the very beginning, and after a pause.
    for first, last in [(0, 0), *_pauses(quiet)]:
        if not last or last - first >= _PAUSE_FRAMES:
            after[last : last + _START_FRAMES] = True
    return after


def _with_fades(quiet: NDArray[np.bool_], level: Floats) -> None:
    """Mark as ``quiet``, too, where music dies away before a rest, or grows after one.

    It moves as one, and is no gain that comes back.
    """
    smooth = np.convolve(level, np.full(_FADE_SMOOTH, 1 / _FADE_SMOOTH), mode="same")
    rises = smooth[_FADE_STEP:] - smooth[:-_FADE_STEP] > _FADES_DB
    falls = smooth[:-_FADE_STEP] - smooth[_FADE_STEP:] > _FADES_DB
    for first, last in _pauses(quiet):
        if last - first < _REST_FRAMES:
            continue
        begin, end = first, last
        while begin > max(_FADE_STEP, first - _LONGEST_FADE) and falls[begin - _FADE_STEP]:
            begin -= _FADE_STEP
        while end < min(len(rises), last + _LONGEST_FADE) and rises[end]:
            end += _FADE_STEP
        quiet[begin:end] = True


def _pauses(quiet: NDArray[np.bool_]) -> list[tuple[int, int]]:
    return [(int(a), int(b)) for a, b in runs(quiet) if b - a >= _PAUSE_FRAMES]
