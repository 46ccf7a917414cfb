"""Where the picture of a new mix is another than in the former one although the sound is the same.

Pictures are compared as small grey frames, 16 by 9, twice a second, without their brightness and contrast, so that a
new grading is no other shot. The thresholds are our own, set on drawn and filmed test pictures.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..errors import NotMeasurable
from ..units import Floats
from .alignment import Alignment

FRAMES_PER_S = 2
WIDTH, HEIGHT = 16, 9
_LEAST_LIKENESS = 0.9
_FLAT = 3.0
_FLAT_WITHIN = 24.0
_LEAST_S = 1.0

Frames = NDArray[np.uint8]
"""``(frames, 144)``, two a second."""


def frames_from(content: bytes) -> Frames:
    """Small grey frames as they come from a file. Raises NotMeasurable for a part of one."""
    size = WIDTH * HEIGHT
    if not content or len(content) % size:
        raise NotMeasurable("The picture could not be read to its end; prepare it for the browser again.")
    return np.frombuffer(content, dtype=np.uint8).reshape(-1, size)


def changed_pictures(old: Frames, new: Frames, alignment: Alignment) -> list[tuple[float, float]]:
    """Stretches of the new mix, in seconds, whose sound was there before with another picture."""
    spans: list[tuple[float, float]] = []
    for begin_s, end_s in _changed(old, new, alignment):
        if spans and begin_s - spans[-1][1] < _LEAST_S:
            spans[-1] = spans[-1][0], end_s
        else:
            spans.append((begin_s, end_s))
    return [(begin_s, end_s) for begin_s, end_s in spans if end_s - begin_s >= _LEAST_S]


def _changed(old: Frames, new: Frames, alignment: Alignment) -> Iterator[tuple[float, float]]:
    step_s = 1.0 / FRAMES_PER_S
    for piece in alignment.pieces:
        # Half a step from its ends: there a frame may lie on either side of the cut.
        first, last = int(np.ceil(piece.new_in_s / step_s + 0.5)), int((piece.new_out_s - step_s) / step_s)
        for k in range(first, min(last, len(new))):
            share = (k * step_s - piece.new_in_s) / max(piece.new_out_s - piece.new_in_s, 1e-9)
            was = (piece.old_in_s + share * (piece.old_out_s - piece.old_in_s)) / step_s
            near = old[max(0, round(was) - 1) : round(was) + 2]
            if len(near) and not any(_alike(frame, new[k]) for frame in near):
                yield k * step_s, (k + 1) * step_s


def _alike(one: Frames, other: Frames) -> bool:
    first, second = one.astype(np.float64), other.astype(np.float64)
    if min(first.std(), second.std()) < _FLAT:
        return bool(abs(first.mean() - second.mean()) < _FLAT_WITHIN and max(first.std(), second.std()) < 2 * _FLAT)
    return _likeness(first, second) >= _LEAST_LIKENESS


def _likeness(first: Floats, second: Floats) -> float:
    a, b = first - first.mean(), second - second.mean()
    return float(a @ b / np.sqrt((a @ a) * (b @ b)))
