"""Stretches of a signal as mono samples, read where they are wanted."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Mono = NDArray[np.float32]
ReadStretch = Callable[[float, float], Mono]
"""Samples from a time on, for so long (seconds); fewer where the sound ends."""
