"""True peaks for the page at several levels of detail, so that every view is one short stretch of bytes.

A JSON line padded to 512 bytes (channels, names, levels with hop, count and offset), then for each level one byte a
channel and step, step after step: 0 for silence, else half decibels above -100 dBTP.
"""

import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..measure.measurement import Measurement
from ..measure.meter import TICKS_PER_S
from ..media.layouts import channel_names
from ..units import amplitude_to_db

HEADER_BYTES = 512
_STEPS = (1, 10, 100, 1000)
_LOWEST_DB, _PER_DB = -100.0, 2.0


def write_peaks(measurement: Measurement, path: Path) -> None:
    """Write the true peaks of a mix's channels, from 10 ms to 10 s a step."""
    levels, offset, found = [], HEADER_BYTES, []
    for step in _STEPS:
        packed = _packed(_highest(measurement.mix.true_peak, step))
        levels.append({"hop_s": step / TICKS_PER_S, "count": len(packed), "offset": offset})
        offset += packed.size
        found.append(packed)
    names = channel_names(measurement.file.layout, measurement.file.channels)
    header = json.dumps({"channels": measurement.file.channels, "names": [*names][:16], "levels": levels}).encode()
    with path.open("wb") as file:
        file.write(header.ljust(HEADER_BYTES - 1) + b"\n")
        for packed in found:
            file.write(packed.tobytes())


def _highest(peaks: NDArray[np.float32], step: int) -> NDArray[np.float32]:
    begins = np.arange(0, len(peaks), step)
    highest: NDArray[np.float32] = np.maximum.reduceat(peaks, begins, axis=0)
    return highest


def _packed(peaks: NDArray[np.float32]) -> NDArray[np.uint8]:
    level = amplitude_to_db(peaks)
    return np.where(level > _LOWEST_DB, np.clip(np.round((level - _LOWEST_DB) * _PER_DB), 1, 255), 0).astype(np.uint8)
