"""A measurement as one file (NumPy ``.npz`` with a JSON header), so that it can be judged again without decoding."""

import json
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np

from ..errors import NotMeasurable
from ..measure.gaps import Gap
from ..measure.measurement import Held, Measurement, StemLevels
from ..measure.meter import Levels
from ..measure.stems.rest import Rest
from ..media.probe import FileInfo
from .forms import FEATURES
from .gains import gain_dict, gain_from_dict
from .separations import ARRAYS, facts, from_facts

_FACTS = ("name", "role", "gain_db", "delay_s", "coherence", "derived")
_ARRAYS = ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together", "bands", "spectrum")


def write_features(measurement: Measurement, path: Path) -> None:
    """Write to ``path`` (whole or not at all)."""
    signals = [measurement.mix, *(s.levels for s in measurement.stems)]
    arrays = {f"{name}_{k}": getattr(levels, name) for k, levels in enumerate(signals) for name in _ARRAYS}
    header = {
        "made_by": measurement.made_by,
        "file": measurement.file.as_dict(),
        "samples": [levels.samples for levels in signals],
        "gaps": [[asdict(g) for g in levels.gaps] for levels in signals],
        "stems": [
            {name: getattr(s, name) for name in _FACTS} | {"held": [asdict(h) for h in s.held]}
            for s in measurement.stems
        ],
        "gain": None if measurement.gain is None else gain_dict(measurement.gain),
        "separation": None,
    }
    if len(measurement.mix.outline):
        arrays["outline"] = measurement.mix.outline
    if measurement.separation is not None:
        header["separation"] = facts(measurement.separation)
        arrays |= {f"separation_{name}": getattr(measurement.separation, name) for name in ARRAYS}
    if measurement.rest is not None:
        arrays |= {"rest_mix": measurement.rest.mix, "rest_left": measurement.rest.left}
    part = path.with_suffix(".part")
    with part.open("wb") as file:
        np.savez_compressed(file, header=np.array(json.dumps(FEATURES.stamped(header))), **arrays)
    part.replace(path)


def read_features(path: Path) -> Measurement:
    """Read what ``write_features`` of this or an older version wrote.

    Raises NotMeasurable when the file is of another kind or of a newer version.
    """
    try:
        with np.load(path, allow_pickle=False) as stored:
            header = FEATURES.newest(json.loads(str(stored["header"])))
            gaps = [tuple(Gap(**g) for g in found) for found in header["gaps"]]
            levels = [
                Levels(samples=n, gaps=gaps[k], **{name: stored[f"{name}_{k}"] for name in _ARRAYS})
                for k, n in enumerate(header["samples"])
            ]
            if "outline" in stored:
                levels[0] = replace(levels[0], outline=stored["outline"])
            separation = (
                from_facts(header["separation"], {n: stored[f"separation_{n}"] for n in ARRAYS})
                if header["separation"]
                else None
            )
            rest = Rest(stored["rest_mix"], stored["rest_left"]) if "rest_mix" in stored else None
    except (OSError, ValueError, KeyError) as error:
        raise NotMeasurable(f"The stored measurement cannot be read ({error}); measure the mix again.") from None
    stems = tuple(
        StemLevels(levels=own, **facts | {"held": tuple(Held(**h) for h in facts["held"])})
        for own, facts in zip(levels[1:], header["stems"], strict=True)
    )
    return Measurement(
        FileInfo.from_dict(header["file"]),
        header["made_by"],
        levels[0],
        stems,
        None if header["gain"] is None else gain_from_dict(header["gain"]),
        rest,
        separation,
    )
