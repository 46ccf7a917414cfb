"""Fill the compiled cache at set-up, so that no user waits for the compiler."""

from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from typing import Any

import numpy as np

from ..judge.remedies.band_cut_search import deepen
from ..measure.meter import Meter, Wanted
from ..measure.music_gain import find_gain
from ..measure.stems.mono_proxy import MonoProxy
from ..media.unpack import highest_bits, planar, unpack_24
from ..signal.kernels import mean_squares, take_out
from ..signal.spectrum import COLUMNS


def main() -> None:
    """Run every compiled loop once, in two processes: a fresh machine waits for it."""
    with ProcessPoolExecutor(max_workers=2, mp_context=get_context("spawn")) as pool:
        for part in [pool.submit(gains), pool.submit(levels)]:
            part.result()
    # What FLAC calls back comes last: loading it takes a part of the compiler along that nothing else needs.
    from ..media.flac import CALLED  # noqa: PLC0415

    assert all(called.address for called in CALLED)


def levels() -> None:
    """The loops of reading and of the meter, on a short signal."""
    for channels in (1, 2):
        meter = Meter(48000, channels, Wanted(bands=True, spectrum=True))
        meter.feed(np.zeros((48000, channels), dtype=np.float32))
        meter.finish()
    with MonoProxy(48000) as proxy:
        proxy.feed(np.zeros((48000, 2), dtype=np.float32))
    out = np.zeros((2, 8), dtype=np.float32)
    kinds: tuple[Any, ...] = (np.int16, np.int32, np.float32, np.float64)
    for kind in kinds:
        # What is read from a file cannot be written to, which is a type of its own to the compiler.
        for values in (np.zeros(16, dtype=kind), np.frombuffer(bytes(16 * np.dtype(kind).itemsize), dtype=kind)):
            planar(values, np.float32(1.0), out, 0)
    unpack_24(np.zeros(18, dtype=np.uint8), out, 0, 3)
    highest_bits(out[0].view(np.uint32))
    take_out(out[0], out[1], np.float32(1.0))
    mean_squares(out[0], np.array([0, 8]), out[1, :1])


def gains() -> None:
    """The loops that find what was done to the music, and those of remedies."""
    # Music of a kind, and speech in the middle of it.
    spectra = np.random.default_rng(1).normal(-40.0, 3.0, (3000, COLUMNS)).astype(np.float32)
    spectra[600:900] -= np.float32(10)
    find_gain(spectra, [(12.2, 17.5)])
    changes = np.ones((2, 2, 2, 3))
    deepen(
        np.ones((3, 2)),
        np.ones((2, 2)),
        changes,
        np.zeros(2),
        np.ones(2),
        np.ones(3, dtype=np.int64),
        np.zeros(2, dtype=np.int64),
        np.ones((5, 2)),
    )


if __name__ == "__main__":
    main()
