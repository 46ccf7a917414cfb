"""Native FLAC by its reference library (libFLAC), which hands over a channel at a time, as the meter reads it.

The library calls back for every frame it has decoded. What is called is compiled, like the loops of the meter, and lays
the samples straight into the block that is being read; what does not fit any more waits aside for the next one.
"""

import ctypes
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any, Self

import numpy as np
from numba import cfunc, types
from numba.np.numpy_support import carray
from numpy.typing import NDArray

from ..errors import MediaError
from ..runtime.compiled import njit

_MARK = b"fLaC"
_STREAM_INFO_BYTES = 26
_LONGEST_FRAME = 65535
_MOST_CHANNELS = 8
_END_OF_STREAM = 4
_BAD_METADATA = 4
_GO_ON, _STOP = 0, 1

# What the library hands on to what it calls: addresses of the rows of the block, of the rows aside, and of these
# numbers.
_ASIDE, _STATE = _MOST_CHANNELS, 2 * _MOST_CHANNELS
_FILLED, _WANTED, _WAITING, _RATE_HZ, _CHANNELS, _BITS, _CHANGED, _WRONG, _NUMBERS = range(9)
_INTS = types.CPointer(types.int32)  # type: ignore[no-untyped-call]
_ADDRESSES = types.CPointer(types.voidptr)  # type: ignore[no-untyped-call]


@njit
def _lay(values: Any, full: Any, to: Any) -> bool:
    """Integers as float32; whether all lie in a range of ``full`` on either side.

    A loop that may end early stays out of the wide registers. Their arithmetic slows down the processor for a moment,
    and frame by frame it would never get out of that.
    """
    scale = np.float32(1.0) / np.float32(full)
    for n in range(len(values)):
        value = values[n]
        if abs(np.int64(value)) > full:
            return False
        to[n] = np.float32(value) * scale
    return True


@cfunc(types.int32(types.voidptr, _INTS, types.CPointer(_INTS), _ADDRESSES), cache=True)  # type: ignore[no-untyped-call]
def _take(_decoder: Any, header: Any, channels: Any, client: Any) -> int:
    """Take one decoded frame.

    Its header begins with: frames, samples a second, channels, how they were joined, bits.
    """
    facts, addresses = carray(header, 5), carray(client, _STATE + 1)
    state = carray(addresses[_STATE], _NUMBERS, np.int32)
    if facts[1] != state[_RATE_HZ] or facts[2] != state[_CHANNELS] or facts[4] != state[_BITS]:
        state[_CHANGED] = 1
        return _STOP
    filled, frames = state[_FILLED], facts[0]
    now = min(frames, state[_WANTED] - filled)
    full = np.int64(1) << np.int64(facts[4] - 1)
    rows = carray(channels, _MOST_CHANNELS)
    for c in range(facts[2]):
        values = carray(rows[c], frames)
        sound = _lay(values[:now], full, carray(addresses[c], filled + now, np.float32)[filled:])
        if not (sound and _lay(values[now:], full, carray(addresses[_ASIDE + c], frames - now, np.float32))):
            state[_WRONG] += 1
            return _STOP
    state[_FILLED] = filled + now
    state[_WAITING] = frames - now
    return _GO_ON


@cfunc(types.void(types.voidptr, types.int32, _ADDRESSES), cache=True)
def _count_wrong(_decoder: Any, status: int, client: Any) -> None:
    if status != _BAD_METADATA:
        carray(carray(client, _STATE + 1)[_STATE], _NUMBERS, np.int32)[_WRONG] += 1


CALLED = (_take, _count_wrong)


def _library() -> ctypes.CDLL | None:
    for name in ("libFLAC.so.12", "libFLAC.so.14"):
        with suppress(OSError):
            library = ctypes.CDLL(name)
            library.FLAC__stream_decoder_new.restype = ctypes.c_void_p
            return library
    return None


@dataclass(frozen=True)
class StreamInfo:
    """What a native FLAC file says of itself at its beginning."""

    rate_hz: int
    channels: int
    bits: int
    frames: int


def stream_info(path: Path) -> StreamInfo | None:
    """None for any other file, where it does not say how long it is, or without the library."""
    with path.open("rb") as file:
        begin = file.read(_STREAM_INFO_BYTES)
    if not begin.startswith(_MARK) or len(begin) < _STREAM_INFO_BYTES or _library() is None:
        return None
    facts = int.from_bytes(begin[-8:])
    found = StreamInfo(facts >> 44, (facts >> 41 & 7) + 1, (facts >> 36 & 31) + 1, facts & (1 << 36) - 1)
    return found if found.frames else None


def read(path: Path, name: str, frames: int, first: int = 0, step: int = 1) -> Iterator[NDArray[np.float32]]:
    """Blocks ``first``, ``first + step`` and so on of ``frames`` frames.

    ``(frames, channels)``, laid in memory channel by channel.

    Raises MediaError where something does not decode or channels, bits or sample rate change.
    """
    info = stream_info(path)
    if info is None:
        return
    with path.open("rb") as file, _Decoder(file, name, info) as decoder:
        for at in range(first * frames, info.frames, step * frames):
            wanted = min(frames, info.frames - at)
            block = decoder.block(wanted, at if step > 1 else None)
            if len(block):
                yield block
            if len(block) < wanted:
                return


class _Decoder:
    """The library's decoder of one file; to be used in a ``with`` statement."""

    def __init__(self, file: IO[bytes], name: str, info: StreamInfo) -> None:
        self._name, self._file, self._info = name, file, info
        self._aside = np.zeros((_MOST_CHANNELS, _LONGEST_FRAME), dtype=np.float32)
        self._state = (ctypes.c_int32 * _NUMBERS)()
        self._state[_RATE_HZ], self._state[_CHANNELS], self._state[_BITS] = info.rate_hz, info.channels, info.bits
        self._addresses = np.zeros(_STATE + 1, dtype=np.uintp)
        self._addresses[_ASIDE:_STATE] = self._aside.ctypes.data + np.arange(_MOST_CHANNELS) * self._aside.strides[0]
        self._addresses[_STATE] = ctypes.addressof(self._state)
        library = _library()
        assert library is not None
        self._library = library

    def __enter__(self) -> Self:
        self._self = ctypes.c_void_p(self._library.FLAC__stream_decoder_new())
        # By its descriptor, so that no way of writing a path matters.
        path = f"/proc/self/fd/{self._file.fileno()}".encode()
        called = [ctypes.c_void_p(f) for f in (_take.address, None, _count_wrong.address, self._addresses.ctypes.data)]
        if self._library.FLAC__stream_decoder_init_file(self._self, path, *called) != 0:
            self.__exit__()
            raise self._refusal("it cannot be opened")
        return self

    def __exit__(self, *_: object) -> None:
        self._library.FLAC__stream_decoder_delete(self._self)

    def block(self, frames: int, at: int | None) -> NDArray[np.float32]:
        """The next frames, or those from frame ``at`` on; fewer at the end of the file."""
        out = np.empty((self._info.channels, frames), dtype=np.float32)
        self._begin(out)
        if at is not None:
            self._state[_FILLED] = self._state[_WAITING] = 0
            if not self._library.FLAC__stream_decoder_seek_absolute(self._self, ctypes.c_uint64(at)):
                raise self._refusal("a part of it cannot be found")
        self._fill()
        return out[:, : self._state[_FILLED]].T

    def _begin(self, out: NDArray[np.float32]) -> None:
        """Lay what waits into the new block."""
        state, frames = self._state, out.shape[1]
        now = min(state[_WAITING], frames)
        for c, row in enumerate(out):
            self._addresses[c] = row.ctypes.data
            row[:now] = self._aside[c, :now]
            self._aside[c, : state[_WAITING] - now] = self._aside[c, now : state[_WAITING]].copy()
        state[_FILLED], state[_WANTED], state[_WAITING] = now, frames, state[_WAITING] - now

    def _fill(self) -> None:
        """Decode frame by frame until the block is full or the file ends."""
        state, decoder, step = self._state, self._self, self._library.FLAC__stream_decoder_process_single
        while state[_FILLED] < state[_WANTED]:
            before = state[_FILLED]
            going = step(decoder)
            if state[_CHANGED]:
                raise self._refusal("channels, bits or sample rate change inside it")
            if state[_WRONG]:
                raise self._refusal("it is damaged")
            ended = state[_FILLED] == before and self._library.FLAC__stream_decoder_get_state(decoder) >= _END_OF_STREAM
            if ended or not going:
                return

    def _refusal(self, why: str) -> MediaError:
        return MediaError(
            f"The sound of “{self._name}” cannot be decoded ({why}). Export it again, for example as WAV."
        )
