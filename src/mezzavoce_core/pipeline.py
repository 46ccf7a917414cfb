"""From media to a measurement: the one path that the worker and the command line share."""

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from . import VERSION
from .errors import NothingToMeasure
from .fitting import StemSet, check_stems
from .judge.judging import judge
from .judge.model import Judgement
from .judge.spec import Spec
from .measure.captions import Caption
from .measure.loudness import MOMENTARY_TICKS, integrated
from .measure.measurement import Measurement
from .measure.meter import Wanted
from .measure.programme import Part, Programme, by_hand, whole
from .measure.speech import Correction
from .measure.stems.mono_proxy import MonoProxy
from .media.probe import FileInfo
from .media.source import Sound, Source, open_sound
from .reading import READ, MeterPass, Progress, Reader
from .timecode import Clock
from .units import amplitude_to_db, db_to_amplitude

if TYPE_CHECKING:
    from .measure.separation.separated import TraceKeeper

_READ_BEFORE_NETWORK = 0.3
_FITTED = 0.96
"""The share of a measurement that is done when the stems lie on the mix."""


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
    separate: bool = True
    """Whether voice and background are estimated where there are no stems."""
    thorough: bool = True
    """Whether the voice network hears where somebody speaks, which takes most of the time; else it is a first look."""
    outline: bool = False
    """Whether the outline of the mix is kept, by which another mix is laid beside it."""


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
    mix, *sources = _opened(job)
    info = mix.info.with_timing(job.rate, job.start)
    check_stems([s.role for s in job.stems], sources, info)
    reader = Reader(info, job.threads, _first_part(job, progress))
    with _proxies(len(sources) and len(sources) + 1, info.sample_rate_hz) as proxies:
        keeper = _keeper(job, info)
        passes = _passes(job, mix, sources, proxies, keeper)
        levels, *others = reader.meter_all(passes)
        measured = Measurement(replace(info, duration_s=levels.samples / info.sample_rate_hz), VERSION, levels, ())
        if integrated(measured.mix_power()) is None:
            raise NothingToMeasure(_why_nothing(measured))
        if sources:
            roles = tuple(s.role for s in job.stems)
            stems = StemSet(mix, proxies[0], roles, tuple(passes[1:]), tuple(others), tuple(proxies[1:]))
            progress(READ, "fitting the stems to the mix")
            measured = stems.measured(measured, reader)
            if not job.levels_only:
                progress(_FITTED, "reading what was done to the music")
                measured = measured.with_music_gain(*stems.music())
        elif keeper is not None:
            measured = _separated(job, measured, mix, keeper, progress)
    progress(1.0, "measured")
    return measured


def _first_part(job: Job, progress: Progress) -> Progress:
    """Progress of reading, which is the smaller part of the work where the voice network follows."""
    if job.stems or not (job.separate and job.thorough):
        return progress
    return lambda share, doing: progress(share * _READ_BEFORE_NETWORK, doing)


def _keeper(job: Job, info: FileInfo) -> "TraceKeeper | None":
    """What keeps the traces of a mix without stems while it is metered."""
    if job.stems or not job.separate:
        return None
    from .measure.separation.separated import TraceKeeper  # noqa: PLC0415  (models and filters that a mix with stems does without)

    return TraceKeeper(info.sample_rate_hz, info.layout, info.channels, info.duration_s)


def _separated(job: Job, measured: Measurement, mix: Source, keeper: "TraceKeeper", progress: Progress) -> Measurement:
    from .separating import with_separation  # noqa: PLC0415  (as above)

    def told(share: float) -> None:
        progress(_READ_BEFORE_NETWORK + share * (_FITTED - _READ_BEFORE_NETWORK), "telling the voice from the music")

    return with_separation(measured, mix, keeper.finish(), job.threads, told if job.thorough else None)


def _opened(job: Job) -> list[Source]:
    """The mix and its stems, opened at once."""
    with ThreadPoolExecutor() as openers:
        return list(openers.map(open_sound, [job.mix, *(s.sound for s in job.stems)]))


@contextmanager
def _proxies(count: int, rate_hz: int) -> Iterator[list[MonoProxy]]:
    """So many mono proxies, for as long as the block runs."""
    with ExitStack() as open_things:
        yield [open_things.enter_context(MonoProxy(rate_hz)) for _ in range(count)]


def _passes(
    job: Job, mix: Source, sources: Sequence[Source], proxies: Sequence[MonoProxy], keeper: "TraceKeeper | None" = None
) -> list[MeterPass]:
    """How each file is metered, the mix first; a mono proxy of each is made on the way where there are stems."""
    floor = None if job.peak_floor_dbtp is None else float(db_to_amplitude(job.peak_floor_dbtp))
    whole_mix = MeterPass(
        mix,
        "loudness and peaks of the mix",
        Wanted(floor=floor, outline=job.outline),
        proxies[0] if proxies else keeper,
    )
    stems = [
        MeterPass(own, f"the {stem.role} stem “{own.name}”", _wanted(job, stem.role), proxy)
        for stem, own, proxy in zip(job.stems, sources, proxies[1:], strict=True)
    ]
    return [whole_mix, *stems]


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
