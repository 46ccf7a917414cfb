"""A look at a file with several sounds: what each one is, how it runs, and which is the sum of which.

Proposes a track map.

That a mix is the sum of its stems is checked on the whole file by least squares; the order dialogue, music, effects is
common practice.
"""

from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .media import decode
from .media.probe import FileInfo, probe
from .media.source import Pick, Source
from .media.tracks import MIX, Lane, role_of, sounds_in
from .units import Floats, amplitude_to_db, power_to_db

POINTS = 240
"""Points of the small waveforms."""
_SILENT_POWER = 1e-9
_SUM_WITHIN_DB = -20.0
_GAINS = (0.5, 2.0)
_EVERY = 4
_LOWEST_DB = -90.0


@dataclass(frozen=True)
class Proposal:
    """A lane with the role it probably has (empty: none), why, and its peaks in dBFS ``(channels, POINTS)``."""

    sound: Lane
    role: str
    why: str
    wave_dbfs: Floats

    def as_dict(self) -> dict[str, Any]:
        """As JSON types."""
        return {
            "tracks": self.sound.written,
            "channels": self.sound.channels,
            "title": self.sound.title,
            "role": self.role,
            "why": self.why,
            "wave_dbfs": [[round(float(v), 1) for v in row] for row in self.wave_dbfs],
        }


def survey(path: Path, name: str, *, in_pairs: bool = False) -> list[Proposal]:
    """Look through a whole file; ``in_pairs`` as for ``sounds_in``. Raises MediaError where it cannot be decoded."""
    info = probe(path, name)
    found = sounds_in(info, in_pairs=in_pairs)
    gram, peaks = _look(path, info, found)
    waves = np.maximum(amplitude_to_db(peaks), _LOWEST_DB)
    roles = propose(found, gram)
    proposals, first = [], 0
    for sound, (role, why) in zip(found, roles, strict=True):
        proposals.append(Proposal(sound, role, why, waves[first : first + sound.channels]))
        first += sound.channels
    return proposals


def _look(path: Path, info: FileInfo, found: Sequence[Lane]) -> tuple[Floats, NDArray[np.float32]]:
    """Products of all sounds with each other, as means over the file, and the peaks of each channel over its points."""
    picks = tuple(Pick(path, s.number, None, info) for s in info.streams)
    total = sum(s.channels for s in info.streams)
    rate_hz = info.streams[0].sample_rate_hz
    length = max(1, round(max(s.duration_s for s in info.streams) * rate_hz))
    gram = np.zeros((len(found), len(found)))
    peaks = np.zeros((total, POINTS), dtype=np.float32)
    seen = 0
    with closing(decode.blocks(Source(picks, info), rate_hz=rate_hz)) as blocks:  # type: ignore[type-var]
        for block in blocks:
            mono = _mono(block, found)
            gram += mono.T @ mono
            points = np.minimum((seen + np.arange(len(block))) * POINTS // length, POINTS - 1)
            begins = np.flatnonzero(np.diff(points, prepend=-1))
            highest = np.maximum.reduceat(np.abs(block), begins, axis=0).T
            peaks[:, points[begins]] = np.maximum(peaks[:, points[begins]], highest)
            seen += len(block)
    return gram / max(1, seen // _EVERY), peaks


def _mono(block: decode.Samples, found: Sequence[Lane]) -> Floats:
    """Each sound as one channel at a quarter of the rate, ``(frames, sounds)``; what folds over does alike in all."""
    whole = len(block) // _EVERY * _EVERY
    columns, first = [], 0
    for sound in found:
        part = block[:whole, first : first + sound.channels].mean(axis=1, dtype=np.float64)
        columns.append(part.reshape(-1, _EVERY).mean(axis=1))
        first += sound.channels
    return np.stack(columns, axis=1)


def propose(found: Sequence[Lane], gram: Floats) -> list[tuple[str, str]]:
    """A role for each lane and why, from names, the relation of the sums, and the usual order."""
    named = [role_of(sound.title) for sound in found]
    loud = [k for k in range(len(found)) if gram[k, k] > _SILENT_POWER]
    sums = {k: _parts_of(k, loud, gram) for k in loud}
    mix = _mix_of(found, named, sums, loud)
    parts = sums.get(mix, ())
    roles: list[tuple[str, str]] = []
    for k in range(len(found)):
        if k == mix:
            roles.append((MIX, _why_mix(named[k], found, parts)))
        elif k not in loud:
            roles.append(("", "silent"))
        elif named[k] and named[k] != MIX:
            roles.append((named[k] or "", "its name says so"))
        else:
            roles.append(("", "part of the mix" if k in parts else "not part of the mix"))
    return _by_order(roles, parts)


def _parts_of(k: int, loud: Sequence[int], gram: Floats) -> tuple[int, ...]:
    """The sounds, two or more, whose sum sound ``k`` is; empty where it is none."""
    others = [j for j in loud if j != k]
    if len(others) < 2:
        return ()
    gains, *_ = np.linalg.lstsq(gram[np.ix_(others, others)], gram[others, k], rcond=1e-6)
    rest = gram[k, k] - 2 * gains @ gram[others, k] + gains @ gram[np.ix_(others, others)] @ gains
    adding = tuple(j for j, gain in zip(others, gains, strict=True) if _GAINS[0] <= gain <= _GAINS[1])
    close = float(power_to_db(max(rest, 1e-15) / gram[k, k])) < _SUM_WITHIN_DB
    return adding if close and len(adding) >= 2 else ()


def _mix_of(
    found: Sequence[Lane], named: Sequence[str | None], sums: dict[int, tuple[int, ...]], loud: Sequence[int]
) -> int:
    """The lane that is the sum of most others; else the one with that name; else the first that is not silent."""
    summed = max(sums, key=lambda k: (len(sums[k]), -k), default=None)
    if summed is not None and sums[summed]:
        return summed
    if MIX in named:
        return named.index(MIX)
    return next((k for k in loud if named[k] is None), loud[0] if loud else 0) if found else 0


def _why_mix(name: str | None, found: Sequence[Lane], parts: Sequence[int]) -> str:
    if parts:
        return f"the sum of {', '.join(found[j].written for j in parts)}"
    return "its name says so" if name == MIX else "the first sound"


def _by_order(roles: list[tuple[str, str]], parts: Sequence[int]) -> list[tuple[str, str]]:
    """Parts of the mix without a name get what is left of dialogue, music, effects, in this order."""
    taken = {role for role, _ in roles}
    nameless = [k for k in parts if not roles[k][0]]
    left = [r for r in ("dialogue", "music", "effects") if r not in taken]
    if len(nameless) == 1 and left == ["music", "effects"]:
        left = ["background"]
    elif len(nameless) == 2 and left == ["dialogue", "music", "effects"]:
        left = ["dialogue", "background"]
    for k, role in zip(nameless, left, strict=False):
        roles[k] = (role, "part of the mix; in the usual order")
    return roles
