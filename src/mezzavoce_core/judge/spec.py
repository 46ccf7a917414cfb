"""Delivery specs: the limits that a mix is judged by, the shipped presets, and specs as JSON.

A limit that a spec leaves out has its default; null means that it is not judged. Defaults are common practice unless a
preset's ``source`` says otherwise. Figures of the presets are from memory of the documents named.
"""

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from ..errors import SpecError

SCHEMA = "mezzavoce.spec/1"
_TOP = ("schema", "name", "source", "limits")
ANCHORS = ("programme", "dialogue")
MONO_WAYS = ("single", "dual")


@dataclass(frozen=True)
class Limits:
    """Every limit with its default; the unit is in the name. None: not judged."""

    integrated_lufs: float | None = -23.0
    integrated_tolerance_lu: float = 0.5
    anchor: str = "programme"
    mono: str = "single"
    true_peak_max_dbtp: float | None = -1.0
    range_max_lu: float | None = None
    short_term_max_lufs: float | None = None
    momentary_max_lufs: float | None = None
    loudness_to_dialogue_max_lu: float | None = None
    section_jump_lu: float | None = 4.0
    clipped_run_samples: float | None = 3
    dropout_s: float | None = 0.04
    imbalance_db: float | None = 3.0
    mono_loss_lu: float | None = 3.0
    duration_s: float | None = None
    duration_tolerance_s: float = 0.0
    clearance_lu: float | None = 10.0
    clearance_must_lu: float | None = 5.0
    first_word_lu: float | None = 7.0
    clear_share_min: float | None = 0.95
    clear_share_must: float | None = 0.8
    bridge_s: float = 1.0
    fall_late_s: float | None = 0.1
    fall_early_s: float | None = 1.0
    duck_depth_max_db: float | None = 18.0
    bed_spread_db: float | None = 3.0
    ramp_min_s: float | None = 0.04
    ramp_max_s: float | None = 1.5
    return_after_s: float | None = 2.5
    stray_min_db: float | None = 6.0
    channel_gain_db: float | None = 2.0
    voice_spread_lu: float | None = 4.0
    noise_below_speech_lu: float | None = 25.0
    effect_over_speech_lu: float | None = -3.0
    audibility_min: float | None = 0.65
    cue_jump_lu: float | None = 4.0
    entry_max_db: float | None = 20.0
    end_ramp_min_s: float | None = 0.15


@dataclass(frozen=True)
class Spec:
    """A named set of limits; ``source`` names the document behind it."""

    name: str
    limits: Limits = field(default_factory=Limits)
    source: str = ""

    def as_dict(self) -> dict[str, Any]:
        """Name and every limit, as in the result."""
        return {"name": self.name, "limits": asdict(self.limits)}

    def as_file(self) -> dict[str, Any]:
        """As a spec file holds it."""
        return {"schema": SCHEMA, "name": self.name, "source": self.source, "limits": asdict(self.limits)}


PRESETS: tuple[Spec, ...] = (
    Spec("EBU R 128", Limits(), "EBU R 128 (2023)"),
    Spec("EBU R 128 live", Limits(integrated_tolerance_lu=1.0), "EBU R 128 (2023), live programmes"),
    Spec("EBU R 128 s1", Limits(short_term_max_lufs=-18.0), "EBU R 128 s1, short-form content"),
    Spec(
        "ATSC A/85",
        Limits(integrated_lufs=-24.0, integrated_tolerance_lu=2.0, true_peak_max_dbtp=-2.0, anchor="dialogue"),
        "ATSC A/85:2013, long form",
    ),
    Spec("ARIB TR-B32", Limits(integrated_lufs=-24.0, integrated_tolerance_lu=1.0), "ARIB TR-B32"),
    Spec(
        "Free TV OP-59",
        Limits(integrated_lufs=-24.0, integrated_tolerance_lu=1.0, true_peak_max_dbtp=-2.0),
        "Free TV Australia OP-59",
    ),
    Spec("AES TD1008 speech online", Limits(integrated_lufs=-18.0), "AES TD1008"),
    Spec("Online video", Limits(integrated_lufs=-14.0, integrated_tolerance_lu=1.0), "common practice"),
    Spec(
        "Accessible audio", Limits(integrated_lufs=None, true_peak_max_dbtp=None, clearance_lu=20.0), "WCAG 2 SC 1.4.7"
    ),
)
DEFAULT = PRESETS[0]
BOUNDS: dict[str, tuple[float, float]] = {
    "integrated_lufs": (-60, 0),
    "integrated_tolerance_lu": (0, 20),
    "true_peak_max_dbtp": (-30, 6),
    "range_max_lu": (0, 60),
    "short_term_max_lufs": (-60, 6),
    "momentary_max_lufs": (-60, 6),
    "loudness_to_dialogue_max_lu": (0, 40),
    "section_jump_lu": (0.5, 40),
    "clipped_run_samples": (2, 1000),
    "dropout_s": (0.01, 2),
    "imbalance_db": (0.5, 40),
    "mono_loss_lu": (0.5, 40),
    "duration_s": (0, 86400),
    "duration_tolerance_s": (0, 3600),
    "clearance_lu": (0, 40),
    "clearance_must_lu": (-20, 40),
    "first_word_lu": (-20, 40),
    "clear_share_min": (0, 1),
    "clear_share_must": (0, 1),
    "bridge_s": (0, 10),
    "fall_late_s": (0, 5),
    "fall_early_s": (0, 10),
    "duck_depth_max_db": (0, 60),
    "bed_spread_db": (0.5, 40),
    "ramp_min_s": (0, 1),
    "ramp_max_s": (0.1, 10),
    "return_after_s": (0, 30),
    "stray_min_db": (1, 40),
    "channel_gain_db": (0.5, 40),
    "voice_spread_lu": (0.5, 40),
    "noise_below_speech_lu": (0, 60),
    "effect_over_speech_lu": (-40, 40),
    "audibility_min": (0, 1),
    "cue_jump_lu": (0.5, 40),
    "entry_max_db": (3, 80),
    "end_ramp_min_s": (0, 5),
}
"""Smallest and largest value of every number."""
_NEVER_NULL = ("integrated_tolerance_lu", "bridge_s", "duration_tolerance_s")
_CHOICES = {"anchor": ANCHORS, "mono": MONO_WAYS}


def preset(name: str) -> Spec:
    """A shipped spec by name. Raises SpecError that lists the names."""
    for spec in PRESETS:
        if spec.name.casefold() == name.casefold():
            return spec
    raise SpecError(f"There is no spec “{name}”. Give a spec file, or one of: {', '.join(s.name for s in PRESETS)}.")


def load(name_or_path: str) -> Spec:
    """A preset by its name, or a spec file by its path."""
    path = Path(name_or_path)
    return loads(path.read_bytes(), path.name) if path.is_file() else preset(name_or_path)


def loads(content: bytes, name: str = "The file") -> Spec:
    """A spec from the content of a spec file. Raises SpecError that names the field."""
    try:
        return from_dict(json.loads(content.decode("utf-8")))
    except (ValueError, RecursionError) as error:
        raise SpecError(f"“{name}” is not readable as JSON ({error}); correct it or export the spec again.") from None


def from_dict(data: Any) -> Spec:
    """A spec from ``{"name": …, "limits": {…}}``. Raises SpecError that names the field."""
    if (
        not isinstance(data, Mapping)
        or not isinstance(data.get("name"), str)
        or not isinstance(data.get("limits", {}), Mapping)
    ):
        raise SpecError("A spec is a JSON object with a “name” and “limits”.")
    if not data["name"].strip():
        raise SpecError("“name” is empty; give the spec a name.")
    if data.get("schema", SCHEMA) != SCHEMA:
        raise SpecError(f"“schema” is “{data['schema']}”; this version reads “{SCHEMA}”.")
    foreign = sorted(set(data) - set(_TOP))
    if foreign:
        raise SpecError(f"A spec has no field “{foreign[0]}”; it has {', '.join(_TOP)}.")
    given = dict(data.get("limits", {}))
    known = {f.name: f for f in fields(Limits)}
    unknown = sorted(set(given) - set(known))
    if unknown:
        raise SpecError(
            f"This version knows no limit “{unknown[0]}”. Leave it out, or choose from: {', '.join(known)}."
        )
    for name, value in given.items():
        _check_value(name, value)
    limits = Limits(**given)
    _check_together(limits)
    return Spec(data["name"].strip(), limits, str(data.get("source", "")))


def _check_value(name: str, value: Any) -> None:
    if name in _CHOICES:
        if value not in _CHOICES[name]:
            raise SpecError(f"“{name}” is “{value}”; it can be {' or '.join(_CHOICES[name])}.")
        return
    if value is None:
        if name in _NEVER_NULL:
            raise SpecError(f"“{name}” cannot be null; give a number or leave it out.")
        return
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise SpecError(f"“{name}” is “{value}”; it has to be a number or null.")
    low, high = BOUNDS[name]
    if not low <= value <= high:
        raise SpecError(f"“{name}” is {value:g}; it has to lie between {low:g} and {high:g}.")


def _check_together(limits: Limits) -> None:
    pairs = (
        ("clearance_must_lu", "clearance_lu", "the stricter one has to be the smaller"),
        ("clear_share_must", "clear_share_min", "the stricter one has to be the smaller"),
        ("integrated_lufs", "short_term_max_lufs", "a ceiling under the loudness that is wanted can never hold"),
        ("integrated_lufs", "momentary_max_lufs", "a ceiling under the loudness that is wanted can never hold"),
        ("short_term_max_lufs", "momentary_max_lufs", "the shorter window can only be the louder one"),
    )
    for lower, upper, why in pairs:
        below, above = getattr(limits, lower), getattr(limits, upper)
        if below is not None and above is not None and below > above:
            raise SpecError(f"“{lower}” ({below:g}) stands above “{upper}” ({above:g}); {why}.")
