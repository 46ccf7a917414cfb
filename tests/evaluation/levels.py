"""Levels at which scripted mixes are made."""

import numpy as np

from mezzavoce_core.measure.loudness import block_mean
from mezzavoce_core.measure.meter import Meter, Wanted
from mezzavoce_core.units import power_to_lufs
from tests.evaluation.material import RATE

VOICE_LUFS = -24.0


def level_of(samples):
    """Loudness in LUFS of the louder half of some sound's blocks."""
    meter = Meter(RATE, samples.shape[1], Wanted(between_samples=False, faults=False))
    meter.feed(np.asarray(samples, dtype=np.float32))
    blocks = block_mean(meter.finish().power.sum(axis=1).astype(np.float64))
    loud = np.sort(blocks)[len(blocks) // 2 :]
    return float(power_to_lufs(loud.mean()))
