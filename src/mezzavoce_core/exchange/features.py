"""A measurement as one file (NumPy ``.npz`` with a JSON header), so that it can be judged again without decoding."""

import json
from dataclasses import asdict
from pathlib import Path

import numpy as np

from ..errors import NotMeasurable
from ..measure.gaps import Gap
from ..measure.measurement import Measurement, StemLevels
from ..measure.meter import Levels
from ..media.probe import FileInfo

FORMAT = "mezzavoce.features/2"
_ARRAYS = ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together", "bands")


def write_features(measurement: Measurement, path: Path) -> None:
    """Write to ``path`` (whole or not at all)."""
    signals = [measurement.mix, *(s.levels for s in measurement.stems)]
    arrays = {f"{name}_{k}": getattr(levels, name) for k, levels in enumerate(signals) for name in _ARRAYS}
    header = {
        "format": FORMAT,
        "made_by": measurement.made_by,
        "file": measurement.file.as_dict(),
        "samples": [levels.samples for levels in signals],
        "gaps": [[asdict(g) for g in levels.gaps] for levels in signals],
        "stems": [{"name": s.name, "role": s.role, "gain_db": s.gain_db, "delay_s": s.delay_s, "coherence": s.coherence} for s in measurement.stems],
    }
    part = path.with_suffix(".part")
    with part.open("wb") as file:
        np.savez_compressed(file, header=np.array(json.dumps(header)), **arrays)
    part.replace(path)


def read_features(path: Path) -> Measurement:
    """Read what ``write_features`` wrote. Raises NotMeasurable when the file is of another kind."""
    try:
        with np.load(path, allow_pickle=False) as stored:
            header = json.loads(str(stored["header"]))
            if header.get("format") != FORMAT:
                raise ValueError(header.get("format"))
            gaps = [tuple(Gap(**g) for g in found) for found in header["gaps"]]
            levels = [Levels(samples=n, gaps=gaps[k], **{name: stored[f"{name}_{k}"] for name in _ARRAYS}) for k, n in enumerate(header["samples"])]
    except (OSError, ValueError, KeyError) as error:
        raise NotMeasurable(f"The stored measurement cannot be read ({error}); measure the mix again.") from None
    stems = tuple(StemLevels(levels=levels[k + 1], **facts) for k, facts in enumerate(header["stems"]))
    return Measurement(FileInfo.from_dict(header["file"]), header["made_by"], levels[0], stems)
