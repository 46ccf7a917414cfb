"""From media to a measurement: the one path that the worker and the command line share."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from . import VERSION
from .errors import NothingToMeasure, StemError
from .judge.judging import judge
from .judge.model import Judgement
from .judge.spec import Spec
from .measure.captions import Caption
from .measure.loudness import MOMENTARY_TICKS, integrated
from .measure.measurement import Held, Measurement, StemLevels
from .measure.meter import Levels, Wanted
from .measure.programme import Part, Programme, by_hand, whole
from .measure.speech import Correction
from .measure.stems.leaks import Leak, Lying, find_leaks
from .measure.stems.mono_proxy import MonoProxy
from .measure.stems.placing import MAX_DELAY_S, Placed, loud_stretches, place
from .measure.stems.rest import Rest, find_rest, holders
from .media.probe import FileInfo
from .media.source import Sound, Source, open_sound
from .reading import READ, MeterPass, Progress, Reader
from .remainder import Given, missing_role, remainder
from .roles import ROLES
from .signal.bands import FRAMES_PER_S as BANDS_PER_S
from .signal.mono import Mono, ReadStretch
from .signal.spectrum import FRAMES_PER_S as SPECTRA_PER_S
from .signal.spectrum import SILENCE
from .timecode import Clock
from .units import amplitude_to_db, db_to_amplitude

_UNITY_WITHIN_DB = 0.3
_DELAY_WORTH_S = 0.0025


@dataclass(frozen=True)
class Stem:
    """A stem to be measured with a mix."""

    sound: Sound
    role: str


@dataclass(frozen=True)
class Job:
    """What is to be measured. ``rate`` and ``start`` are frame rate and start timecode given by hand.

    Of true peaks under ``peak_floor_dbtp`` only the highest is found; None finds them all, for a curve over time.
    ``threads`` says how many processors may work at once; the result does not depend on it. With ``levels_only`` what
    was done to the gain of the music is not read: then no ducks are known, and nothing is said of them.
    """

    mix: Sound
    stems: tuple[Stem, ...] = ()
    rate: str | None = None
    start: str | None = None
    peak_floor_dbtp: float | None = None
    threads: int = 2
    levels_only: bool = False


@dataclass(frozen=True)
class Ranges:
    """Which part of a file is programme: the ``whole`` of it, or timecodes of in and out of each part.

    Neither: it is found.
    """

    whole: bool = False
    timecodes: tuple[tuple[str, str], ...] = ()

    def on(self, measurement: Measurement) -> Programme | None:
        """The programme in a measured file; None where it is to be found. Raises RangeError or TimecodeError."""
        if self.whole:
            return whole(measurement.duration_s)
        if not self.timecodes:
            return None
        clock = Clock.starting(measurement.file.start_timecode, measurement.file.rate)
        parts = [Part(clock.seconds_at(begin), clock.seconds_at(end)) for begin, end in self.timecodes]
        return by_hand(parts, measurement.duration_s)


def _silent(_share: float, _doing: str) -> None:
    """Progress that nobody watches."""


def measure(job: Job, progress: Progress = _silent) -> Measurement:
    """Measure a mix and its stems. ``progress`` hears the share done (0 to 1) and what is being done.

    Raises MediaError, TrackMapError, LayoutError, StemError, NothingToMeasure or TimecodeError with a sentence.
    """
    with ThreadPoolExecutor() as openers:
        mix, *sources = openers.map(open_sound, [job.mix, *(s.sound for s in job.stems)])
    info = mix.info.with_timing(job.rate, job.start)
    _check_stems(job, info, sources)
    with ExitStack() as open_things:
        reader = Reader(info, job.threads, progress)
        proxies = (
            [open_things.enter_context(MonoProxy(info.sample_rate_hz)) for _ in (mix, *sources)] if sources else []
        )
        floor = None if job.peak_floor_dbtp is None else float(db_to_amplitude(job.peak_floor_dbtp))
        passes = [MeterPass(mix, "loudness and peaks of the mix", Wanted(floor=floor), proxies[0] if sources else None)]
        for stem, own, proxy in zip(job.stems, sources, proxies[1:], strict=True):
            passes.append(MeterPass(own, f"the {stem.role} stem “{own.name}”", _wanted(job, stem.role), proxy))
        levels, *stems = reader.meter_all(passes)
        measured = Measurement(replace(info, duration_s=levels.samples / info.sample_rate_hz), VERSION, levels, ())
        if integrated(measured.mix_power()) is None:
            raise NothingToMeasure(_why_nothing(measured))
        progress(READ, "fitting the stems to the mix")
        placed = _place(job, stems, proxies)
        leaks = _leaks(job, stems, placed, proxies)
        cleared = _cleared(passes[1:], placed, leaks, info.sample_rate_hz)
        fitted = tuple(
            _fit(*each, measured, reader)
            for each in zip(job.stems, cleared, stems, _as_cleared(placed, leaks), strict=True)
        )
        fitted = tuple(replace(stem, held=_held(job, found)) for stem, found in zip(fitted, leaks, strict=True))
        measured = replace(
            measured,
            stems=(*fitted, *_remaining(mix, sources, fitted, placed)),
            rest=_rest(job, measured.duration_s, proxies, placed),
        )
        if not job.levels_only:
            progress(0.96, "reading what was done to the music")
            measured = measured.with_music_gain(*_music(job, proxies, placed))
    progress(1.0, "measured")
    return measured


def _wanted(job: Job, role: str) -> Wanted:
    # How far a voice can be raised depends on its peaks; nobody asks for those of the others.
    return Wanted(
        peaks=role == "dialogue",
        between_samples=False,
        faults=False,
        bands=True,
        spectrum=role == "music" and not job.levels_only,
    )


@dataclass(frozen=True)
class Judging:
    """How a mix is judged: the spec, what was set by hand, which part is programme, the captions."""

    spec: Spec
    corrections: tuple[Correction, ...] = ()
    ranges: Ranges | None = None
    captions: tuple[Caption, ...] = ()


def run(job: Job, how: Judging, progress: Progress = _silent) -> Judgement:
    """Measure and judge."""
    measured = measure(job, progress)
    return judge(measured, how.spec, how.corrections, how.ranges.on(measured) if how.ranges else None, how.captions)


def _why_nothing(measured: Measurement) -> str:
    name = measured.file.name
    if measured.duration_s < MOMENTARY_TICKS / 100:
        return f"“{name}” lasts {measured.duration_s:.2f} s; loudness needs at least 0.4 s of sound."
    peak = float(amplitude_to_db(measured.mix.sample_peak.max()))
    if peak == -np.inf:
        return f"“{name}” is silent from start to end; check that the right track was exported."
    return (
        f"“{name}” never rises above -70 LUFS (highest sample {peak:.1f} dBFS), so there is nothing to "
        "measure; check the export level."
    )


def _check_stems(job: Job, info: FileInfo, sources: Sequence[Source]) -> None:
    for stem, own in zip(job.stems, sources, strict=True):
        name, channels, duration_s = own.name, own.info.channels, own.info.duration_s
        if stem.role not in ROLES:
            raise StemError(f"“{name}” has the role “{stem.role}”; it can be {', '.join(ROLES)}.")
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


def _place(job: Job, stems: Sequence[Levels], proxies: Sequence[MonoProxy]) -> list[Placed | None]:
    """Where each stem lies in the mix. Raises StemError for one that the mix does not contain."""
    if not stems:
        return []
    loud = [loud_stretches(levels.power.sum(axis=1).astype(np.float64)) for levels in stems]
    mixed, reads, rate_hz = proxies[0].read, [s.read for s in proxies[1:]], proxies[0].rate_hz
    placed = place(mixed, reads, loud, rate_hz)
    delays = [0 if p is None else round(p.delay_s * rate_hz) for p in placed]
    for a, b in holders(mixed, reads, loud, delays, rate_hz):
        one, other = job.stems[a], job.stems[b]
        raise StemError(
            f"The {one.role} stem “{one.sound.name}” holds what the {other.role} stem “{other.sound.name}” holds, too; "
            f"it may be the whole mix. Export each stem with its own sound alone."
        )
    for stem, where in zip(job.stems, placed, strict=True):
        if where is not None and not where.contained:
            raise StemError(
                f"The mix “{job.mix.name}” does not contain the stem “{stem.sound.name}”: they share no sound. "
                f"Check that both belong to the same programme and version."
            )
    return placed


def _rest(job: Job, duration_s: float, proxies: Sequence[MonoProxy], placed: Sequence[Placed | None]) -> Rest | None:
    """What the stems leave of the mix; None without stems."""
    if not placed:
        return None
    with ThreadPoolExecutor(job.threads) as helpers:
        return find_rest(
            proxies[0].read,
            [s.read for s in proxies[1:]],
            placed,
            proxies[0].rate_hz,
            duration_s,
            helpers if job.threads > 1 else None,
        )


def _music(job: Job, proxies: Sequence[MonoProxy], placed: Sequence[Placed | None]) -> tuple[ReadStretch | None, int]:
    """The sound of all music stems together as it lies in the mix, and its rate; None where none was given."""
    given = [
        (proxies[k + 1].read, where)
        for k, where in enumerate(placed)
        if where is not None and job.stems[k].role == "music"
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

    return read, proxies[0].rate_hz


def _leaks(
    job: Job, stems: Sequence[Levels], placed: Sequence[Placed | None], proxies: Sequence[MonoProxy]
) -> list[dict[int, Leak]]:
    """For each stem those that it holds as well, by their place in the list."""
    rate_hz = proxies[0].rate_hz if proxies else 1
    lying = {
        k: Lying(
            proxies[k + 1].read,
            loud_stretches(stems[k].power.sum(axis=1).astype(np.float64)),
            round(where.delay_s * rate_hz),
        )
        for k, where in enumerate(placed)
        if where is not None
    }
    found = find_leaks(lying, [k for k in lying if job.stems[k].role == "dialogue"], rate_hz)

    def there(j: int, k: int, leak: Leak) -> Leak:
        # What has two channels cannot be taken out of one.
        return replace(leak, copy=leak.copy and stems[k].power.shape[1] in (1, stems[j].power.shape[1]))

    return [{k: there(j, k, leak) for k, leak in found.get(j, {}).items()} for j in range(len(stems))]


def _cleared(
    passes: Sequence[MeterPass], placed: Sequence[Placed | None], leaks: Sequence[dict[int, Leak]], rate_hz: int
) -> list[MeterPass]:
    """The passes over the stems, without what can be taken out of them."""

    def less(j: int) -> tuple[Given, ...]:
        found = [(passes[k].source, leak.gain, (placed[k], placed[j])) for k, leak in leaks[j].items() if leak.copy]
        return tuple(
            (source, gain, round((held.delay_s - holder.delay_s) * rate_hz))
            for source, gain, (held, holder) in found
            if held and holder
        )

    return [replace(one, less=less(j)) for j, one in enumerate(passes)]


def _as_cleared(placed: Sequence[Placed | None], leaks: Sequence[dict[int, Leak]]) -> list[Placed | None]:
    """Where the stems lie in the mix when none stands in another one.

    What was taken out there counts as the stem that it is.
    """
    gains = [0.0 if where is None else where.gain for where in placed]
    for j, found in enumerate(leaks):
        for k, leak in found.items():
            if leak.copy and (holder := placed[j]):
                gains[k] += holder.gain * leak.gain
    return [where and replace(where, gain=gain) for where, gain in zip(placed, gains, strict=True)]


def _held(job: Job, leaks: dict[int, Leak]) -> tuple[Held, ...]:
    return tuple(
        Held(job.stems[k].role, float(amplitude_to_db(abs(leak.gain))), leak.copy) for k, leak in leaks.items()
    )


def _remaining(
    mix: Source, sources: Sequence[Source], fitted: Sequence[StemLevels], placed: Sequence[Placed | None]
) -> list[StemLevels]:
    """What the given stems leave of the mix as a stem of its own.

    Where it stands for a role that none was given for.
    """
    role = missing_role([s.role for s in fitted])
    if role is None:
        return []
    rate_hz = mix.info.sample_rate_hz
    given = [
        (own, p.gain, round(f.delay_s * rate_hz))
        for own, f, p in zip(sources, fitted, placed, strict=True)
        if p is not None
    ]
    return [remainder(mix, given, role)]


def _fit(
    stem: Stem, one: MeterPass, levels: Levels, where: Placed | None, measured: Measurement, reader: Reader
) -> StemLevels:
    """The stem on the mix's clock and layout, with the gain that it has there."""
    info, mix = measured.file, measured.mix
    delay_s = where.delay_s if where else 0.0
    if abs(delay_s) > _DELAY_WORTH_S or one.less:
        reader.progress(
            READ, "taking one stem out of another" if one.less else "moving a stem to where it lies in the mix"
        )
        levels = reader.meter(replace(one, proxy=None), skip=round(-delay_s * info.sample_rate_hz))
    gain_db = float(amplitude_to_db(where.gain)) if where else 0.0
    if abs(gain_db) < _UNITY_WITHIN_DB:
        gain_db = 0.0
    names = ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together")
    # A mono stem stands in every channel, and what is summed over channels with it.
    levels = _times(levels, mix.power.shape[1] // max(1, levels.power.shape[1]))
    shaped = replace(
        levels,
        samples=mix.samples,
        bands=_shape(levels.bands, _frames(levels.bands, mix.samples, info.sample_rate_hz, BANDS_PER_S)),
        spectrum=_shape(
            levels.spectrum, _frames(levels.spectrum, mix.samples, info.sample_rate_hz, SPECTRA_PER_S), SILENCE
        ),
        **{name: _shape(getattr(levels, name), getattr(mix, name).shape) for name in names},  # type: ignore[arg-type]
    )
    return StemLevels(one.source.name, stem.role, shaped, gain_db, delay_s, where.coherence if where else None)


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
