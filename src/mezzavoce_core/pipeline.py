"""From media to a measurement: the one path that the worker and the command line share."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from . import VERSION
from .errors import NothingToMeasure, StemError
from .judge.judging import judge
from .judge.model import Judgement
from .judge.spec import Spec
from .measure.loudness import MOMENTARY_TICKS, integrated
from .measure.measurement import ROLES, Measurement, StemLevels
from .measure.meter import Levels, Meter
from .measure.sketch import Sketch
from .measure.speech import Speech
from .measure.stems import MAX_DELAY_S, Placed, loud_stretches, place
from .media import decode
from .media.probe import FileInfo, probe
from .units import amplitude_to_db

Progress = Callable[[float, str], None]
_UNITY_WITHIN_DB = 0.3
_DELAY_WORTH_S = 0.0025


@dataclass(frozen=True)
class StemFile:
    """A stem to be measured with a mix; ``name`` is how messages call it."""

    path: Path
    role: str
    name: str


@dataclass(frozen=True)
class Job:
    """What is to be measured. ``rate`` and ``start`` are frame rate and start timecode given by hand."""

    mix: Path
    name: str
    stems: tuple[StemFile, ...] = ()
    rate: str | None = None
    start: str | None = None


def _silent(_share: float, _doing: str) -> None:
    """Progress that nobody watches."""


def measure(job: Job, progress: Progress = _silent) -> Measurement:
    """Measure a mix and its stems. ``progress`` hears the share done (0 to 1) and what is being done.

    Raises MediaError, StemError, NothingToMeasure or TimecodeError with a sentence.
    """
    info = probe(job.mix, job.name).with_timing(job.rate, job.start)
    infos = [probe(s.path, s.name) for s in job.stems]
    _check_stems(job, info, infos)
    shares = _Shares(progress, [info.duration_s, *(i.duration_s for i in infos)])
    with ExitStack() as files:
        sketches = [files.enter_context(Sketch(info.sample_rate_hz)) for _ in range(1 + len(infos))]
        mix = _meter(job.mix, info, info.sample_rate_hz, between_samples=True, tell=shares.of(0, "loudness and peaks of the mix"), sketch=sketches[0])
        info = replace(info, duration_s=mix.samples / info.sample_rate_hz)
        measured = Measurement(info, VERSION, mix, ())
        if integrated(measured.mix_power()) is None:
            raise NothingToMeasure(_why_nothing(measured))
        stems = [
            _meter(s.path, own, info.sample_rate_hz, between_samples=False, tell=shares.of(k, f"the {s.role} stem “{s.name}”"), sketch=sketches[k])
            for k, (s, own) in enumerate(zip(job.stems, infos, strict=True), 1)
        ]
        progress(0.95, "fitting the stems to the mix")
        placed = _place(job, stems, sketches)
    fitted = tuple(_fit(s, own, levels, where, measured) for s, own, levels, where in zip(job.stems, infos, stems, placed, strict=True))
    progress(1.0, "measured")
    return replace(measured, stems=fitted)


def run(job: Job, spec: Spec, corrections: Sequence[Speech] = (), progress: Progress = _silent) -> Judgement:
    """Measure and judge."""
    return judge(measure(job, progress), spec, corrections)


class _Shares:
    """Progress over several files, each by its duration, up to 95 %."""

    def __init__(self, progress: Progress, durations: Sequence[float]) -> None:
        # Peaks between samples make the mix about three times as long as a stem of the same duration.
        weights = np.array([3.0 * durations[0], *durations[1:]]) + 1e-6
        self._ends = np.concatenate([[0.0], np.cumsum(weights / weights.sum())]) * 0.95
        self._durations = durations
        self._progress = progress

    def of(self, k: int, doing: str) -> Callable[[float], None]:
        """A listener for the seconds done of file ``k``."""
        begin, end, duration = self._ends[k], self._ends[k + 1], max(self._durations[k], 1e-6)
        return lambda done_s: self._progress(float(begin + (end - begin) * min(1.0, done_s / duration)), doing)


def _meter(
    path: Path, info: FileInfo, rate_hz: int, *, between_samples: bool, tell: Callable[[float], None], skip: int = 0, sketch: Sketch | None = None
) -> Levels:
    """Meter one file, sketching it on the way; ``skip`` samples are dropped at the start, or silence put there where it is negative."""
    meter = Meter(rate_hz, info.channels, between_samples=between_samples)
    held = np.zeros((max(0, -skip), info.channels), dtype=np.float32)
    size = rate_hz * decode.BLOCK_S
    for block in decode.blocks(path, info, rate_hz=rate_hz):
        if sketch is not None:
            sketch.feed(block)
        drop = min(len(block), max(0, skip))
        skip = skip - drop if skip > 0 else skip
        held = np.concatenate([held, block[drop:]]) if len(held) or drop else block
        while len(held) >= size:
            meter.feed(held[:size])
            held = held[size:]
            tell(meter.seconds)
    if len(held):
        meter.feed(held)
    return meter.finish()


def _why_nothing(measured: Measurement) -> str:
    name = measured.file.name
    if measured.duration_s < MOMENTARY_TICKS / 100:
        return f"“{name}” lasts {measured.duration_s:.2f} s; loudness needs at least 0.4 s of sound."
    peak = float(amplitude_to_db(measured.mix.sample_peak.max()))
    if peak == -np.inf:
        return f"“{name}” is silent from start to end; check that the right track was exported."
    return f"“{name}” never rises above -70 LUFS (highest sample {peak:.1f} dBFS), so there is nothing to measure; check the export level."


def _check_stems(job: Job, info: FileInfo, infos: Sequence[FileInfo]) -> None:
    for stem, own in zip(job.stems, infos, strict=True):
        if stem.role not in ROLES:
            raise StemError(f"“{stem.name}” has the role “{stem.role}”; it can be {', '.join(ROLES)}.")
        if abs(own.duration_s - info.duration_s) > MAX_DELAY_S:
            raise StemError(
                f"The stem “{stem.name}” lasts {own.duration_s:.1f} s, the mix {info.duration_s:.1f} s. "
                f"A stem has to run with the mix from start to end; export it again over the whole length."
            )
        if own.channels != info.channels and not (own.channels == 1 and info.channels == 2):
            raise StemError(
                f"The stem “{stem.name}” has {own.channels} channels, the mix {info.channels}. Export the stem in the layout of the mix"
                f"{' or in mono' if info.channels == 2 else ''}."
            )


def _place(job: Job, stems: Sequence[Levels], sketches: Sequence[Sketch]) -> list[Placed | None]:
    """Where each stem lies in the mix. Raises StemError for one that the mix does not contain."""
    loud = [loud_stretches(levels.power.sum(axis=1).astype(np.float64)) for levels in stems]
    placed = place(sketches[0].read, [s.read for s in sketches[1:]], loud, sketches[0].rate_hz)
    for stem, where in zip(job.stems, placed, strict=True):
        if where is not None and not where.contained:
            raise StemError(
                f"The mix “{job.name}” does not contain the stem “{stem.name}”: they share no sound. Check that both belong to the same programme and version."
            )
    return placed


def _fit(stem: StemFile, own: FileInfo, levels: Levels, where: Placed | None, measured: Measurement) -> StemLevels:
    """The stem on the mix's clock and layout, with the gain that it has there."""
    info, mix = measured.file, measured.mix
    delay_s = where.delay_s if where else 0.0
    if abs(delay_s) > _DELAY_WORTH_S:
        skip = round(-delay_s * info.sample_rate_hz)
        levels = _meter(stem.path, own, info.sample_rate_hz, between_samples=False, tell=lambda _s: None, skip=skip)
    gain_db = float(amplitude_to_db(where.gain)) if where else 0.0
    if abs(gain_db) < _UNITY_WITHIN_DB:
        gain_db = 0.0
    shaped = Levels(
        power=_shape(levels.power, mix.power.shape),
        sample_peak=_shape(levels.sample_peak, mix.sample_peak.shape),
        true_peak=_shape(levels.true_peak, mix.true_peak.shape),
        samples=mix.samples,
    )
    return StemLevels(stem.name, stem.role, shaped, gain_db, delay_s, where.coherence if where else None)


def _shape(part: NDArray[np.float32], shape: tuple[int, ...]) -> NDArray[np.float32]:
    """Cut or filled with silence to the mix's length; a mono stem stands in every channel."""
    shaped = np.zeros(shape, dtype=np.float32)
    shaped[: len(part)] = part[: len(shaped)]
    return shaped
