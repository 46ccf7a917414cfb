"""Stems on their way into a measurement: checked, laid on the mix, cleared of each other, on its clock and layout."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .errors import StemError
from .measure.measurement import Held, Measurement, StemLevels
from .measure.meter import Levels
from .measure.stems.leaks import Leak, Lying, find_leaks
from .measure.stems.mono_proxy import MonoProxy
from .measure.stems.placing import MAX_DELAY_S, Placed, loud_stretches, place
from .measure.stems.rest import Rest, find_rest, holders
from .media.probe import FileInfo
from .media.source import Source
from .reading import READ, MeterPass, Reader
from .remainder import Given, missing_role, remainder
from .roles import ROLES
from .signal.bands import FRAMES_PER_S as BANDS_PER_S
from .signal.mono import Mono, ReadStretch
from .signal.spectrum import FRAMES_PER_S as SPECTRA_PER_S
from .signal.spectrum import SILENCE
from .units import amplitude_to_db

_UNITY_WITHIN_DB = 0.3
_DELAY_WORTH_S = 0.0025


def check_stems(roles: Sequence[str], sources: Sequence[Source], info: FileInfo) -> None:
    """Raise StemError for a stem whose role, duration or channels cannot be those of a stem of the mix."""
    for role, own in zip(roles, sources, strict=True):
        name, channels, duration_s = own.name, own.info.channels, own.info.duration_s
        if role not in ROLES:
            raise StemError(f"“{name}” has the role “{role}”; it can be {', '.join(ROLES)}.")
        if abs(duration_s - info.duration_s) > MAX_DELAY_S:
            raise StemError(
                f"The stem “{name}” lasts {duration_s:.1f} s, the mix {info.duration_s:.1f} s. "
                f"A stem has to run with the mix from start to end; export it again over the whole length."
            )
        if channels != info.channels and not (channels == 1 and info.channels == 2):
            raise StemError(
                f"The stem “{name}” has {channels} channels, the mix {info.channels}. Export the stem in the "
                "layout of the mix"
                f"{' or in mono' if info.channels == 2 else ''}."
            )


@dataclass(frozen=True)
class StemSet:
    """The stems of a mix, all of them metered as they were delivered: roles, sources, levels and mono proxies."""

    mix: Source
    mix_proxy: MonoProxy
    roles: tuple[str, ...]
    passes: tuple[MeterPass, ...]
    """How each was metered."""
    levels: tuple[Levels, ...]
    proxies: tuple[MonoProxy, ...]

    def measured(self, mix: Measurement, reader: Reader) -> Measurement:
        """A measurement with its stems as they lie in the mix, what they leave of it, and a stem for a missing role.

        Raises StemError for one that the mix does not contain, or that holds another one.
        """
        fitted = tuple(self._fitted(k, one, mix, reader) for k, one in enumerate(self._cleared()))
        rest = self._rest(mix.duration_s, reader.threads)
        return replace(mix, stems=(*fitted, *self._remaining(fitted)), rest=rest)

    @property
    def rate_hz(self) -> int:
        """Samples per second of the proxies."""
        return self.mix_proxy.rate_hz

    @cached_property
    def loud(self) -> list[list[float]]:
        """Where each stem is loud, as starts in seconds."""
        return [loud_stretches(levels.power.sum(axis=1).astype(np.float64)) for levels in self.levels]

    @cached_property
    def placed(self) -> list[Placed | None]:
        """Where each stem lies in the mix. Raises StemError for one that the mix does not contain."""
        mixed, reads = self.mix_proxy.read, [proxy.read for proxy in self.proxies]
        placed = place(mixed, reads, self.loud, self.rate_hz)
        delays = [0 if p is None else round(p.delay_s * self.rate_hz) for p in placed]
        for a, b in holders(mixed, reads, self.loud, delays, self.rate_hz):
            raise StemError(
                f"The {self.roles[a]} stem “{self._name(a)}” holds what the {self.roles[b]} stem “{self._name(b)}” "
                f"holds, too; it may be the whole mix. Export each stem with its own sound alone."
            )
        for k, where in enumerate(placed):
            if where is not None and not where.contained:
                raise StemError(
                    f"The mix “{self.mix.name}” does not contain the stem “{self._name(k)}”: they share no sound. "
                    f"Check that both belong to the same programme and version."
                )
        return placed

    def _name(self, k: int) -> str:
        return self.passes[k].source.name

    @cached_property
    def leaks(self) -> list[dict[int, Leak]]:
        """For each stem those that it holds as well, by their place in the list."""
        lying = {
            k: Lying(self.proxies[k].read, self.loud[k], round(where.delay_s * self.rate_hz))
            for k, where in enumerate(self.placed)
            if where is not None
        }
        found = find_leaks(lying, [k for k in lying if self.roles[k] == "dialogue"], self.rate_hz)

        def there(j: int, k: int, leak: Leak) -> Leak:
            # What has two channels cannot be taken out of one.
            fits = self.levels[k].power.shape[1] in (1, self.levels[j].power.shape[1])
            return replace(leak, copy=leak.copy and fits)

        return [{k: there(j, k, leak) for k, leak in found.get(j, {}).items()} for j in range(len(self.levels))]

    def _cleared(self) -> list[MeterPass]:
        """How each stem is to be metered without what can be taken out of it."""
        rate_hz = self.mix.info.sample_rate_hz

        def less(j: int) -> tuple[Given, ...]:
            copies = [(k, leak.gain) for k, leak in self.leaks[j].items() if leak.copy]
            found = [(self.passes[k].source, gain, (self.placed[k], self.placed[j])) for k, gain in copies]
            return tuple(
                (source, gain, round((held.delay_s - holder.delay_s) * rate_hz))
                for source, gain, (held, holder) in found
                if held and holder
            )

        return [replace(one, less=less(j)) for j, one in enumerate(self.passes)]

    @cached_property
    def _as_cleared(self) -> list[Placed | None]:
        """Where the stems lie in the mix when none stands in another one.

        What was taken out there counts as the stem that it is.
        """
        gains = [0.0 if where is None else where.gain for where in self.placed]
        for j, found in enumerate(self.leaks):
            for k, leak in found.items():
                if leak.copy and (holder := self.placed[j]):
                    gains[k] += holder.gain * leak.gain
        return [where and replace(where, gain=gain) for where, gain in zip(self.placed, gains, strict=True)]

    def _held(self, k: int) -> tuple[Held, ...]:
        """What a stem holds of others."""
        return tuple(
            Held(self.roles[j], float(amplitude_to_db(abs(leak.gain))), leak.copy) for j, leak in self.leaks[k].items()
        )

    def _fitted(self, k: int, one: MeterPass, measured: Measurement, reader: Reader) -> StemLevels:
        """A stem on the mix's clock and layout, with the gain that it has there."""
        info, where, levels = measured.file, self._as_cleared[k], self.levels[k]
        delay_s = where.delay_s if where else 0.0
        if abs(delay_s) > _DELAY_WORTH_S or one.less:
            doing = "taking one stem out of another" if one.less else "moving a stem to where it lies in the mix"
            reader.progress(READ, doing)
            levels = reader.meter(replace(one, proxy=None), skip=round(-delay_s * info.sample_rate_hz))
        gain_db = float(amplitude_to_db(where.gain)) if where else 0.0
        if abs(gain_db) < _UNITY_WITHIN_DB:
            gain_db = 0.0
        shaped = _shaped(levels, measured.mix, info.sample_rate_hz)
        found = where.coherence if where else None
        return StemLevels(one.source.name, self.roles[k], shaped, gain_db, delay_s, found, held=self._held(k))

    def _remaining(self, fitted: Sequence[StemLevels]) -> list[StemLevels]:
        """What the stems leave of the mix as a stem of its own.

        Where it stands for a role that none was given for.
        """
        role = missing_role([s.role for s in fitted])
        if role is None:
            return []
        rate_hz = self.mix.info.sample_rate_hz
        given = [
            (one.source, p.gain, round(f.delay_s * rate_hz))
            for one, f, p in zip(self.passes, fitted, self.placed, strict=True)
            if p is not None
        ]
        return [remainder(self.mix, given, role)]

    def _rest(self, duration_s: float, threads: int) -> Rest:
        """What the stems leave of the mix."""
        reads = [proxy.read for proxy in self.proxies]
        with ThreadPoolExecutor(threads) as helpers:
            some = helpers if threads > 1 else None
            return find_rest(self.mix_proxy.read, reads, self.placed, self.rate_hz, duration_s, some)

    def music(self) -> tuple[ReadStretch | None, int]:
        """The sound of all music stems together as it lies in the mix, and its rate; None where none was given."""
        given = [
            (self.proxies[k].read, where)
            for k, where in enumerate(self.placed)
            if where is not None and self.roles[k] == "music"
        ]
        if not given:
            return None, 0

        def read(start_s: float, length_s: float) -> Mono:
            if any(start_s < where.delay_s for _, where in given):
                return np.zeros(0, dtype=np.float32)
            parts = [where.gain * own(start_s - where.delay_s, length_s) for own, where in given]
            shortest = min(map(len, parts))
            together: Mono = np.sum([part[:shortest] for part in parts], axis=0, dtype=np.float32)
            return together

        return read, self.rate_hz


def _shaped(levels: Levels, mix: Levels, rate_hz: int) -> Levels:
    """The levels of a stem over the mix's length and channels."""
    names = ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together")
    # A mono stem stands in every channel, and what is summed over channels with it.
    levels = _times(levels, mix.power.shape[1] // max(1, levels.power.shape[1]))
    return replace(
        levels,
        samples=mix.samples,
        bands=_shape(levels.bands, _frames(levels.bands, mix.samples, rate_hz, BANDS_PER_S)),
        spectrum=_shape(levels.spectrum, _frames(levels.spectrum, mix.samples, rate_hz, SPECTRA_PER_S), SILENCE),
        **{name: _shape(getattr(levels, name), getattr(mix, name).shape) for name in names},  # type: ignore[arg-type]
    )


def _times(levels: Levels, count: int) -> Levels:
    if count < 2:
        return levels
    return replace(
        levels, bands=levels.bands * count, spectrum=levels.spectrum + np.int16(round(1000 * np.log10(count)))
    )


def _frames(part: NDArray[Any], samples: int, rate_hz: int, per_s: int) -> tuple[int, ...]:
    """The shape of what is kept so often a second over the mix's length; nothing where it was not asked for."""
    return (samples * per_s // rate_hz if len(part) else 0, part.shape[1])


def _shape(part: NDArray[Any], shape: tuple[int, ...], silence: int = 0) -> NDArray[Any]:
    """Cut or filled with silence to the mix's length; a mono stem stands in every channel."""
    shaped = np.full(shape, silence, dtype=part.dtype)
    if part.shape[1]:
        shaped[: len(part)] = part[: len(shaped)]
    return shaped
