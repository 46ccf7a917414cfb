"""A measurement as one file (NumPy ``.npz`` with a JSON header), so that it can be judged again without decoding."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from ..errors import NotMeasurable
from ..measure.ducks import Duck, MusicGain, Pump
from ..measure.gaps import Gap
from ..measure.measurement import Measurement, StemLevels
from ..measure.meter import Levels
from ..measure.rest import Rest
from ..media.probe import FileInfo

FORMAT = "mezzavoce.features/6"
_ARRAYS = ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together", "bands", "spectrum")


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
        "stems": [{name: getattr(s, name) for name in ("name", "role", "gain_db", "delay_s", "coherence", "derived", "voice_db")} for s in measurement.stems],
        "gain": None if measurement.gain is None else asdict(measurement.gain),
    }
    if measurement.rest is not None:
        arrays |= {"rest_mix": measurement.rest.mix, "rest_left": measurement.rest.left}
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
            rest = Rest(stored["rest_mix"], stored["rest_left"]) if "rest_mix" in stored else None
    except (OSError, ValueError, KeyError) as error:
        raise NotMeasurable(f"The stored measurement cannot be read ({error}); measure the mix again.") from None
    stems = tuple(StemLevels(levels=levels[k + 1], **facts) for k, facts in enumerate(header["stems"]))
    return Measurement(FileInfo.from_dict(header["file"]), header["made_by"], levels[0], stems, _gain(header["gain"]), rest)


def _gain(facts: dict[str, Any] | None) -> MusicGain | None:
    if facts is None:
        return None
    ducks = []
    for duck in facts["ducks"]:
        serves, pumps = duck["serves"] and tuple(duck["serves"]), tuple(Pump(**p) for p in duck["pumps"])
        ducks.append(Duck(**{**duck, "serves": serves, "pumps": pumps}))
    return MusicGain(tuple(ducks), facts["nats"])
