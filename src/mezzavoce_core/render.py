"""A passage as it is and as proposed, for listening.

The mix, and the mix with a remedy's level points applied to the stem concerned.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from .errors import StemError, UsageError
from .measure.stems.placing import MAX_DELAY_S
from .media.decode import Samples, window
from .media.source import Sound, Source, open_sound
from .remainder import missing_role
from .roles import ROLES
from .signal.comparison import find_delay, fit_gains
from .signal.peaking import PeakingFilter
from .units import Floats, amplitude_to_db, db_to_amplitude

AROUND_S = 2.0
LONGEST_S = 120.0
_UNITY_WITHIN_DB = 0.3
_WHOLE = "mix"
_BESIDE = 0.7071
_FOLD = {"L": (1.0, 0.0), "R": (0.0, 1.0), "C": (1.0, 1.0)}


@dataclass(frozen=True)
class Change:
    """Level points on a role: times in seconds of the file, gains in dB to add to it as it is in the mix.

    ``filters`` are cuts by band: faded in from the first point to the second, and out from the last but one to the
    last. With a ``source`` they are for the stem of that name alone; with a ``channel`` (from 0) for that one alone.
    """

    role: str
    times_s: tuple[float, ...]
    gains_db: tuple[float, ...]
    filters: tuple[PeakingFilter, ...] = ()
    source: str | None = None
    channel: int | None = None

    def added(self, part: Samples, times: Floats, rate_hz: int) -> Floats:
        """What comes to a part of the role, ``(frames, channels)``, at some times."""
        cut = part.astype(np.float64)
        if self.filters:
            # Slow to come up, and only cuts by band want it.
            from scipy.signal import sosfilt  # noqa: PLC0415

            wet = np.interp(
                times, [self.times_s[0], self.times_s[1], self.times_s[-2], self.times_s[-1]], [0.0, 1.0, 1.0, 0.0]
            )[:, None]
            cut += (sosfilt([b.section(rate_hz) for b in self.filters], cut, axis=0) - cut) * wet
        changed: Floats = cut * db_to_amplitude(np.interp(times, self.times_s, self.gains_db))[:, None] - part
        if self.channel is not None:
            changed[:, np.arange(changed.shape[1]) != self.channel] = 0.0
        return changed


def read_change(path: Path, number: int | None = None) -> Change:
    """A change from a JSON file as ``measure --json`` writes it, or from a finding or a remedy of it.

    Of a whole result finding ``number`` (from 1) counts.

    Raises UsageError that says what is wrong.
    """
    try:
        found = json.loads(path.read_bytes())
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise UsageError(
            f"“{path.name}” is not readable as JSON ({error}); take what “measure --json” writes, or a finding "
            "or a remedy of it."
        ) from None
    if isinstance(found, Mapping) and isinstance(found.get("findings"), list):
        return change_from(_finding(found["findings"], number, path.name), f"{path.name}, finding {number}")
    if number is not None:
        raise UsageError(
            f"“{path.name}” holds no list of findings; leave --finding out, or take what “measure --json” writes."
        )
    return change_from(found, path.name)


def _finding(findings: Sequence[Any], number: int | None, name: str) -> Any:
    mended = [k for k, f in enumerate(findings, 1) if isinstance(f, Mapping) and f.get("remedy")]
    if number not in mended:
        which = (
            f"say which with --finding: {', '.join(map(str, mended))}"
            if mended
            else "none of them has a remedy, so there is nothing to render"
        )
        raise UsageError(f"“{name}” holds {len(findings)} findings; {which}.")
    return findings[number - 1]


def change_from(found: Any, name: str) -> Change:
    """The same from JSON types; ``name`` is what errors call it."""
    if isinstance(found, Mapping) and isinstance(found.get("remedy"), Mapping):
        found = found["remedy"]
    if (
        not isinstance(found, Mapping)
        or found.get("role") not in (*ROLES, _WHOLE)
        or not isinstance(found.get("points"), list)
        or not found["points"]
    ):
        raise UsageError(
            f"“{name}” holds no remedy; it needs a “role” ({', '.join(ROLES)} or {_WHOLE}) and “points” with "
            "“at_s” and “gain_db”."
        )
    times, gains = _points(found["points"], name)
    filters = _filters(found.get("bands") or [], times, name)
    return Change(found["role"], times, gains, filters, found.get("source"), _channel(found.get("channel"), name))


def _channel(found: Any, name: str) -> int | None:
    """The place of a channel in the file, from 0."""
    if found is None:
        return None
    number = found.get("number") if isinstance(found, Mapping) else None
    if not isinstance(number, int) or number < 1:
        raise UsageError(
            f"The “channel” in “{name}” has no “number” that counts from 1; leave it out where the points are "
            "for all channels."
        )
    return number - 1


def _filters(bands: Sequence[Any], times: Sequence[float], name: str) -> tuple[PeakingFilter, ...]:
    try:
        filters = tuple(
            PeakingFilter(float(b["centre_hz"]), float(b["width_octaves"]), float(b["gain_db"])) for b in bands
        )
    except (KeyError, TypeError, ValueError):
        raise UsageError(
            f"A band in “{name}” has no number for “centre_hz”, “width_octaves” or “gain_db”; each needs all three."
        ) from None
    if any(b.centre_hz <= 0 or not 0 < b.width_octaves <= 10 or abs(b.gain_db) > 60 for b in filters) or (
        filters and len(times) < 2
    ):
        raise UsageError(
            f"A band in “{name}” cannot be: centres lie above 0 Hz, widths up to 10 octaves, gains within 60 "
            "dB, over two points or more."
        )
    return filters


def _points(points: Sequence[Any], name: str) -> tuple[tuple[float, ...], tuple[float, ...]]:
    try:
        times, gains = (tuple(float(p[key]) for p in points) for key in ("at_s", "gain_db"))
    except (KeyError, TypeError, ValueError):
        raise UsageError(f"A point in “{name}” has no number for “at_s” or “gain_db”; each needs both.") from None
    if list(times) != sorted(times) or not np.isfinite([*times, *gains]).all():
        raise UsageError(f"The points in “{name}” have to follow each other in time, with figures that are numbers.")
    return times, gains


@dataclass(frozen=True)
class Passage:
    """A stretch of a mix with its stems as they lie in it: samples ``(frames, channels)`` from ``begin_s`` on."""

    begin_s: float
    rate_hz: int
    mix: Samples
    stems: tuple[tuple[str, str, Samples], ...]
    """Role, name and samples of each."""

    @property
    def times(self) -> Floats:
        """The time of each frame in seconds of the file."""
        times: Floats = self.begin_s + np.arange(len(self.mix)) / self.rate_hz
        return times

    def role(self, role: str, source: str | None = None) -> Samples:
        """All stems of a role together (or the one of a name); without one, what the others leave of the mix.

        Raises StemError where that is not the role alone.
        """
        own = [part for r, _, part in self.stems if r == role]
        named = [part for r, name, part in self.stems if r == role and name == source]
        own = named or own
        if own:
            together: Samples = np.sum(own, axis=0, dtype=np.float32)
            return together
        if missing_role([r for r, _, _ in self.stems]) != role:
            raise StemError(f"The points are for the {role}; give its stem with --{role}.")
        left: Samples = self.mix - np.sum([part for _, _, part in self.stems], axis=0, dtype=np.float32)
        return left

    def sound(self, what: str, change: Change | None = None) -> Samples:
        """The mix or one role, as it is or with a change."""
        heard = self.mix if what == _WHOLE else self.role(what)
        if change is None or (what != _WHOLE and change.role not in (what, _WHOLE)):
            return heard
        if change.channel is not None and change.channel >= self.mix.shape[1]:
            raise UsageError(
                f"The points are for channel {change.channel + 1}; the mix has {self.mix.shape[1]}. Take the "
                "points of this mix."
            )
        moved = heard if change.role == _WHOLE else self.role(change.role, change.source)
        changed: Samples = (heard + change.added(moved, self.times, self.rate_hz)).astype(np.float32)
        return changed


def open_passage(mix: Sound, stems: Sequence[tuple[str, Sound]], span_s: tuple[float, float]) -> Passage:
    """Read a stretch of a mix with its stems. Raises StemError, UsageError or MediaError."""
    source, (begin, end) = open_sound(mix), span_s
    if not 0 < end - begin <= LONGEST_S:
        raise UsageError(
            f"The passage lasts {end - begin:.1f} s; give one of up to {LONGEST_S:g} s with --from and --to."
        )
    rate_hz, begin = source.info.sample_rate_hz, max(0.0, begin)
    before = window(source, begin, end - begin)
    if not len(before):
        raise UsageError(f"“{source.info.name}” has no sound from {begin:.1f} s to {end:.1f} s.")
    parts = [_as_in(before, open_sound(sound), begin, rate_hz) for _, sound in stems]
    gains = _gains(before, parts)
    placed = tuple(
        (role, sound.name, np.float32(gain) * part)
        for (role, sound), part, gain in zip(stems, parts, gains, strict=True)
    )
    return Passage(begin, rate_hz, before, placed)


def render(
    mix: Sound, stems: Sequence[tuple[str, Sound]], change: Change, span_s: tuple[float, float] | None = None
) -> tuple[Samples, Samples, int]:
    """The passage as it is and as proposed, ``(frames, channels)`` each, and their rate in Hz.

    ``span_s`` is what to render (default: from 2 s before the first point to 2 s after the last). Raises StemError,
    UsageError or MediaError.
    """
    span = span_s or (max(0.0, change.times_s[0] - AROUND_S), change.times_s[-1] + AROUND_S)
    passage = open_passage(mix, [] if change.role == _WHOLE else stems, span)
    return passage.mix, passage.sound(_WHOLE, change), passage.rate_hz


def for_two(samples: Samples, names: Sequence[str]) -> Samples:
    """Any layout folded down for two loudspeakers; the LFE is left out.

    What stands left or right stays there, what is in the middle goes to both.
    """
    if samples.shape[1] <= 2:
        return samples
    shares = np.array([(0.0, 0.0) if name == "LFE" else _FOLD.get(name[:1], (0.0, 0.0)) for name in names])
    shares *= np.array([1.0 if name in ("L", "R") else _BESIDE for name in names])[:, None]
    folded: Samples = (samples @ shares).astype(np.float32)
    return folded


def _as_in(mix: Samples, stem: Source, begin_s: float, rate_hz: int) -> Samples:
    """The stem where it lies in this part of the mix, in the mix's channels."""
    if stem.info.sample_rate_hz != rate_hz:
        raise StemError(
            f"“{stem.info.name}” has another sample rate than the mix; export it at {rate_hz} Hz to hear the proposal."
        )
    part = _channels(window(stem, begin_s, len(mix) / rate_hz), mix.shape[1], stem.info.name)
    delay = (
        find_delay(mix.mean(axis=1), part.mean(axis=1), int(MAX_DELAY_S * rate_hz))
        if np.abs(part).max(initial=0.0) > 0
        else 0
    )
    if delay:
        part = _channels(
            window(stem, max(0.0, begin_s - delay / rate_hz), len(mix) / rate_hz), mix.shape[1], stem.info.name
        )
    filled = np.zeros_like(mix)
    filled[: len(part)] = part[: len(mix)]
    return filled


def _channels(part: Samples, channels: int, name: str) -> Samples:
    if part.shape[1] == channels:
        return part
    if part.shape[1] == 1:
        return np.repeat(part, channels, axis=1)
    raise StemError(
        f"“{name}” has {part.shape[1]} channels, the mix {channels}; export the stem in the layout of the mix."
    )


def _gains(mix: Samples, parts: Sequence[Samples]) -> list[float]:
    """With which gain each stem stands in the mix here; one that is as good as unity is unity."""
    heard = [k for k, p in enumerate(parts) if np.abs(p).max(initial=0.0) > 0]
    gains = [1.0] * len(parts)
    if heard:
        for k, gain in zip(heard, fit_gains(mix.mean(axis=1), [parts[k].mean(axis=1) for k in heard]), strict=True):
            gains[k] = 1.0 if gain <= 0 or abs(float(amplitude_to_db(gain))) < _UNITY_WITHIN_DB else float(gain)
    return gains


def write_wav(path: Path, samples: Samples, rate_hz: int) -> None:
    """Write for the ear: 16 bits, what passes full scale is brought under it as a whole."""
    peak = float(np.abs(samples).max(initial=0.0))
    soundfile.write(path, samples / max(1.0, peak), rate_hz, subtype="PCM_16", format="WAV")


def write(folder: Path, name: str, before: Samples, after: Samples, rate_hz: int) -> tuple[Path, Path]:
    """Write both as float WAV, so that nothing is cut off; returns their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = folder / f"{name} as it is.wav", folder / f"{name} as proposed.wav"
    for path, samples in zip(paths, (before, after), strict=True):
        soundfile.write(path, samples, rate_hz, subtype="FLOAT", format="WAV")
    return paths
