"""The files of a job through the meter, several at a time where more than one thread may work."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ThreadPoolExecutor, wait
from contextlib import closing
from dataclasses import dataclass
from functools import partial
from threading import Event
from typing import Protocol

import numpy as np

from .measure.meter import Levels, Meter, Wanted
from .media import decode
from .media.layouts import pairs
from .media.probe import FileInfo
from .media.source import Source
from .remainder import Given, differences

Progress = Callable[[float, str], None]
Heard = Callable[[float], None]
"""Hears how many seconds are done."""
READ = 0.95
"""The share of a measurement that is done when all files are read."""
_TOLD_EVERY_S = 0.2


class Beside(Protocol):
    """What hears a file on the way."""

    def feed(self, block: decode.Samples) -> None:
        """Take the next samples ``(frames, channels)``."""


@dataclass(frozen=True)
class MeterPass:
    """A file to be metered, without ``less`` where it holds other stems.

    On the way a ``proxy``, or whatever else hears it, is fed with the file as it lies.
    """

    source: Source
    doing: str
    wanted: Wanted
    proxy: Beside | None = None
    less: tuple[Given, ...] = ()


@dataclass(frozen=True)
class Reader:
    """Meters files at the rate of a mix. ``progress`` is told from the thread that called."""

    mix: FileInfo
    threads: int
    progress: Progress

    def meter_all(self, passes: Sequence[MeterPass]) -> list[Levels]:
        """Meter files, the mix first. Raises what is wrong with one that cannot be read."""
        shares = _Shares(self.progress, passes)
        if self.threads > 1 and len(passes) > 1:
            return self._side_by_side(passes, shares)
        return [self.meter(one, heard=partial(shares.tell_done, k)) for k, one in enumerate(passes)]

    def meter(self, one: MeterPass, *, skip: int = 0, heard: Heard | None = None) -> Levels:
        """Meter one file with all threads.

        ``skip`` samples are dropped at the start, or silence put there where it is negative.
        """
        if self.threads < 2:
            return self._meter(one, heard, lambda: None, skip=skip)
        with ThreadPoolExecutor(self.threads - 1) as helper:
            return self._meter(one, heard, lambda: helper, skip=skip, ahead=True)

    def _meter(
        self,
        one: MeterPass,
        heard: Heard | None,
        helper: Callable[[], Executor | None],
        *,
        skip: int = 0,
        ahead: bool = False,
    ) -> Levels:
        """``helper`` is asked for before every block."""
        rate_hz, info, proxy = self.mix.sample_rate_hz, one.source.info, one.proxy
        meter = Meter(
            rate_hz, info.channels, one.wanted, pairs=pairs(info.layout, info.channels), about_s=info.duration_s
        )
        read = (
            differences(one.source, one.less, rate_hz)
            if one.less
            else decode.blocks(one.source, rate_hz=rate_hz, ahead=ahead)
        )
        with closing(read) as blocks:  # type: ignore[type-var]
            for block in _moved(blocks, skip, rate_hz * decode.block_seconds(rate_hz, info.channels)):
                meter.feed(block, proxy.feed if proxy is not None else None, helper())
                if heard is not None:
                    heard(meter.seconds)
        return meter.finish()

    def _side_by_side(self, passes: Sequence[MeterPass], shares: "_Shares") -> list[Levels]:
        """Each file by one thread: threads that share a file wait for each other, those that do not hardly ever do."""
        stop, at_once = Event(), min(self.threads, len(passes))
        jobs: list[Future[Levels]] = []

        def heard(k: int, seconds: float) -> None:
            if stop.is_set():
                raise _StoppedError
            shares.done(k, seconds)

        with ThreadPoolExecutor(at_once) as pool:

            def idle() -> Executor | None:
                return pool if len(jobs) == len(passes) and sum(not job.done() for job in jobs) < at_once else None

            jobs += [pool.submit(self._meter, one, partial(heard, k), idle) for k, one in enumerate(passes)]
            try:
                left = set(jobs)
                while left and not any(map(_fault, jobs)):
                    ended, left = wait(left, timeout=_TOLD_EVERY_S, return_when=FIRST_COMPLETED)
                    # Every file is named, however soon it is done.
                    for job in sorted(ended or left, key=jobs.index)[: len(ended) or 1]:
                        shares.tell(jobs.index(job))
            finally:
                stop.set()
        for fault in filter(None, map(_fault, jobs)):
            raise fault
        return [job.result() for job in jobs]


class _StoppedError(Exception):
    """A file need not be read any further, because something is wrong with another one."""


def _fault(job: "Future[Levels]") -> BaseException | None:
    """What went wrong by itself."""
    fault = job.exception() if job.done() else None
    return None if isinstance(fault, _StoppedError) else fault


class _Shares:
    """How much is done of several files, each by its duration."""

    def __init__(self, progress: Progress, passes: Sequence[MeterPass]) -> None:
        self._progress, self._orders = progress, passes
        self._durations = np.maximum([o.source.info.duration_s for o in passes], 1e-6)
        # Peaks between samples make the mix about three times as long as a stem of the same duration.
        weights = self._durations * np.where(np.arange(len(passes)) == 0, 3.0, 1.0)
        self._weights = READ * weights / weights.sum()
        self._done_s = np.zeros(len(passes))

    def done(self, k: int, seconds: float) -> None:
        """So much of file ``k`` is done; nobody hears of it before it is told."""
        self._done_s[k] = seconds

    def tell(self, k: int) -> None:
        """Say how much of all is done, and that file ``k`` is being read."""
        self._progress(float(self._weights @ np.minimum(1.0, self._done_s / self._durations)), self._orders[k].doing)

    def tell_done(self, k: int, seconds: float) -> None:
        """Both."""
        self.done(k, seconds)
        self.tell(k)


def _moved(blocks: Iterator[decode.Samples], skip: int, size: int) -> Iterator[decode.Samples]:
    """The same sound, ``skip`` samples earlier (later where negative), again in blocks of ``size``."""
    if not skip:
        yield from blocks
        return
    held: decode.Samples | None = None
    for block in blocks:
        drop = min(len(block), max(0, skip))
        before = np.zeros((max(0, -skip), block.shape[1]), dtype=np.float32) if held is None else held
        skip = max(0, skip - drop)
        held = np.concatenate([before, block[drop:]])
        while len(held) >= size:
            yield held[:size]
            held = held[size:]
    if held is not None and len(held):
        yield held
