"""Decoding: the only place that opens the sound of a file. Blocks of float32, ``(frames, channels)``, full scale 1.0.

Every block but the last lasts a whole number of seconds, so that 10 ms ticks never straddle two blocks. Blocks lie in
memory channel by channel (column-major), as the meter reads them. Uncompressed WAV and FLAC are read here, everything
else by ffmpeg.
"""

import queue
import signal
import subprocess
import tempfile
import threading
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, closing
from dataclasses import replace
from itertools import cycle
from pathlib import Path
from typing import IO

import numpy as np
from numpy.typing import NDArray

from ..errors import BadSamples, BrokenOff, MediaError, StillWritten, ToolFailed
from .riff import Pcm, read_riff
from .source import Pick, Source
from .tools import GUARDED, limited
from .unpack import highest_bits, planar, unpack_24

_LONGEST_BLOCK_S = 12
_BLOCK_SAMPLES = 2_000_000
# What is read at a time stays in the processor's own memory until it is laid out.
_PIECE_FRAMES = 1 << 15
_LENGTH_SLACK_S = 0.5
_SECONDS_PER_SECOND = 2.0
_NOT_FINITE = 0x7F800000
_MOST_COMPLAINTS = 16 * 1024**2
# As much as a process without privileges may ask for: decoder and meter wait less often for each other.
_PIPE_BYTES = 1 << 20
_FRAMES_TOGETHER = 1 << 14
_SCALES = {"i2": 2.0**-15, "i4": 2.0**-31, "f4": 1.0, "f8": 1.0}
Samples = NDArray[np.float32]


def block_seconds(rate_hz: int, channels: int) -> int:
    """How long a block is best: long enough that its overhead counts for little, short enough for memory.

    Whole seconds.
    """
    return max(1, min(_LONGEST_BLOCK_S, _BLOCK_SAMPLES // (rate_hz * channels)))


def blocks(
    source: Source, *, rate_hz: int | None = None, block_s: int | None = None, ahead: bool = False
) -> Iterator[Samples]:
    """The whole sound in blocks of ``block_s`` seconds (default: what is best), resampled to ``rate_hz`` where given.

    ``ahead`` reads in a thread of its own.

    Raises BadSamples at the first value that is no number, BrokenOff when the sound ends more than half a second before
    the container says, StillWritten when a file changed meanwhile.
    """
    rate_hz = rate_hz or source.info.sample_rate_hz
    frames = rate_hz * (block_s or block_seconds(rate_hz, source.info.channels))
    picks = [_pick(p, rate_hz, frames, ahead=ahead) for p in source.picks]
    made = _together(picks) if len(picks) > 1 else picks[0]
    return _ahead(made) if ahead else made


def window(source: Source, from_s: float, length_s: float) -> Samples:
    """The samples of a moment ``(frames, channels)``, from the sample at or after ``from_s`` on.

    Fewer where the sound ends.

    Raises MediaError where nothing can be read there.
    """
    rate_hz = source.info.sample_rate_hz
    first, count = max(0, round(from_s * rate_hz)), round(length_s * rate_hz)
    parts = [_part(p, first, count, rate_hz) for p in source.picks]
    longest = max(len(p) for p in parts)
    return np.concatenate([_filled(p, longest, parts) for p in parts], axis=1)


def _part(pick: Pick, first: int, count: int, rate_hz: int) -> Samples:
    pcm = read_riff(pick.path, pick.info.name) if len(pick.info.streams) == 1 else None
    if pcm is not None and (pcm.channels, pcm.rate_hz) == (pick.info.streams[0].channels, rate_hz):
        frame = pcm.channels * int(pcm.encoding[1])
        moved = replace(
            pcm,
            start=pcm.start + min(first * frame, pcm.size),
            size=max(0, min(count * frame, pcm.size - first * frame)),
        )
        found = list(_read_pcm(pick.path, moved, max(1, count)))
    else:
        found = list(
            _read_ffmpeg(
                pick, rate_hz, max(1, count), seek=("-ss", f"{first / rate_hz:.6f}", "-t", f"{count / rate_hz:.6f}")
            )
        )
    if not found:
        return np.zeros(
            (0, pick.info.streams[pick.stream - 1].channels if pick.channels is None else len(pick.channels)),
            dtype=np.float32,
        )
    return found[0] if pick.channels is None else found[0][:, pick.channels]


def _pick(pick: Pick, rate_hz: int, frames: int, *, ahead: bool = False) -> Iterator[Samples]:
    """The chosen channels of one track, with the checks that hold for every way of reading."""
    name, before, seen = pick.info.name, _stamp(pick.path), 0
    reader, sure = _read(pick, rate_hz, frames, ahead=ahead)
    for block in reader:
        if not sure:
            _refuse_bad(block, seen, rate_hz, name)
        seen += len(block)
        yield block if pick.channels is None else np.asfortranarray(block[:, pick.channels])
    if _stamp(pick.path) != before:
        raise StillWritten(
            f"“{name}” changed while it was read. Wait until the export or copy is complete, then measure again."
        )
    promised = pick.info.streams[pick.stream - 1].duration_s
    if promised - seen / rate_hz > _LENGTH_SLACK_S:
        raise BrokenOff(
            f"“{name}” is cut off: it promises {promised:.1f} s of sound, {seen / rate_hz:.1f} s can be read. "
            "Copy or export it again."
        )


def _stamp(path: Path) -> tuple[int, int]:
    facts = path.stat()
    return facts.st_size, facts.st_mtime_ns


def _read(pick: Pick, rate_hz: int, frames: int, *, ahead: bool) -> tuple[Iterator[Samples], bool]:
    """The blocks of one track, and whether every value is sure to be a number."""
    stream = pick.info.streams[pick.stream - 1]
    if rate_hz == stream.sample_rate_hz and len(pick.info.streams) == 1:
        pcm = read_riff(pick.path, pick.info.name)
        if pcm is not None and (pcm.channels, pcm.rate_hz) == (stream.channels, rate_hz):
            return _read_pcm(pick.path, pcm, frames), pcm.encoding.startswith("i")
        if (
            pick.info.codec == "flac"
            and not pick.info.has_picture
            and (native := _native_flac(pick, frames, ahead=ahead)) is not None
        ):
            return native, True
    return _read_ffmpeg(pick, rate_hz, frames), False


def _native_flac(pick: Pick, frames: int, *, ahead: bool) -> Iterator[Samples] | None:
    from . import flac  # noqa: PLC0415  (what is called back while it decodes takes a moment to load)

    if flac.stream_info(pick.path) is None:
        return None
    if not ahead:
        return flac.read(pick.path, pick.info.name, frames)
    # Decoding is most of the work here, and FLAC can be entered anywhere: two readers take turns.
    return _by_turns([_ahead(flac.read(pick.path, pick.info.name, frames, first, 2)) for first in (0, 1)])


def _read_pcm(path: Path, pcm: Pcm, frames: int) -> Iterator[Samples]:
    frame, left = pcm.channels * int(pcm.encoding[1]), pcm.size
    raw = np.empty(_PIECE_FRAMES * frame, dtype=np.uint8)
    with path.open("rb", buffering=0) as file:
        file.seek(pcm.start)
        while count := min(frames, left // frame):
            out = np.empty((pcm.channels, count), dtype=np.float32)
            done = 0
            while done < count and (got := _fill(file, raw[: min(_PIECE_FRAMES, count - done) * frame]) // frame):
                _lay(raw, pcm.encoding, got, out, done)
                done += got
            left -= done * frame
            if done:
                yield out[:, :done].T
            if done < count:
                return


def _fill(file: IO[bytes], buffer: NDArray[np.uint8]) -> int:
    """Read until the buffer is full or the file ends; returns how many bytes came."""
    got = 0
    while got < len(buffer) and (more := file.readinto(buffer[got:])):  # type: ignore[attr-defined]
        got += more
    return got


def _lay(raw: NDArray[np.uint8], encoding: str, frames: int, out: Samples, begin: int) -> None:
    """Frames as they stand in a file into ``out`` ``(channels, frames)``, from frame ``begin`` on."""
    if encoding == "i3":
        unpack_24(raw, out, begin, frames)
    else:
        values = raw[: frames * len(out) * int(encoding[1])].view("<" + encoding)
        planar(values, np.float32(_SCALES[encoding]), out, begin)


def _by_turns(readers: Sequence[Iterator[Samples]]) -> Iterator[Samples]:
    """A block of each reader in turn, until the first one whose turn it is has none."""
    with ExitStack() as open_readers:
        for reader in readers:
            open_readers.enter_context(closing(reader))  # type: ignore[type-var]
        for reader in cycle(readers):
            block = next(reader, None)
            if block is None:
                return
            yield block


def _read_ffmpeg(pick: Pick, rate_hz: int, frames: int, seek: tuple[str, ...] = ()) -> Iterator[Samples]:
    stream = pick.info.streams[pick.stream - 1]
    raw = np.empty(frames * stream.channels * 4, dtype=np.uint8)
    length = 0
    with tempfile.TemporaryFile() as complaints:
        process = _start(pick, rate_hz, complaints, seek)
        assert process.stdout is not None
        try:
            while got := _fill(process.stdout, raw):
                block = raw[: got // (4 * stream.channels) * 4 * stream.channels].view("<f4")
                length += len(block)
                yield _by_channel(block.reshape(-1, stream.channels))
            _finish(process, complaints, pick.info.name, something=length > 0)
        finally:
            process.stdout.close()
            if process.poll() is None:
                process.kill()
            process.wait()


def _by_channel(block: Samples) -> Samples:
    """The same block, laid in memory channel by channel."""
    out = np.empty(block.shape[::-1], dtype=np.float32)
    planar(block.reshape(-1), np.float32(1.0), out, 0)
    return out.T


def _start(pick: Pick, rate_hz: int, complaints: IO[bytes], seek: tuple[str, ...]) -> "subprocess.Popen[bytes]":
    stream = pick.info.streams[pick.stream - 1]
    filters = [] if rate_hz == stream.sample_rate_hz else [f"aresample={rate_hz}:resampler=soxr"]
    if pick.info.codec == "aac" and "mp4" in pick.info.container.split(","):
        # Many of the codec's frames, a few milliseconds each, at a time: what is done for each of them costs as much as
        # decoding it. Only where channels and rate are set once for the whole file: what waits would be lost where they
        # change.
        filters.append(f"asetnsamples=n={_FRAMES_TOGETHER}:p=0")
    # One thread each: several decoders run beside each other, and the figure of one must not depend on it.
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-nostdin",
        "-threads",
        "1",
        *GUARDED,
        "-vn",
        "-sn",
        "-dn",
        *seek,
        "-i",
        f"file:{pick.path.resolve()}",
    ]
    command += [
        "-map",
        f"0:a:{pick.stream - 1}",
        *(("-af", ",".join(filters)) if filters else ()),
        "-f",
        "f32le",
        "-c:a",
        "pcm_f32le",
        "-ar",
        str(rate_hz),
    ]
    # Without this every packet, a few milliseconds of sound, would be handed over by itself.
    command += ["-flush_packets", "0", "pipe:1"]
    seconds = 600 + _SECONDS_PER_SECOND * stream.duration_s
    try:
        return subprocess.Popen(
            limited(command, seconds, largest_file=_MOST_COMPLAINTS),
            bufsize=0,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=complaints,
            pipesize=_PIPE_BYTES,
        )
    except FileNotFoundError:
        raise ToolFailed("ffmpeg is not installed; install the package “ffmpeg”.") from None


def _finish(process: "subprocess.Popen[bytes]", complaints: IO[bytes], name: str, *, something: bool) -> None:
    code = process.wait()
    if code == -signal.SIGXFSZ:
        raise MediaError(f"The sound of “{name}” is damaged all over. Export it again.")
    if code < 0:
        raise ToolFailed(f"Decoding “{name}” was interrupted; try again.")
    if code != 0 and not something:
        complaints.seek(0)
        last = complaints.read().decode(errors="replace").strip().split("\n")[-1]
        raise MediaError(
            f"The sound of “{name}” cannot be decoded ({last or 'no reason given'}). Export it again, for "
            "example as WAV."
        )


def _refuse_bad(block: Samples, seen: int, rate_hz: int, name: str) -> None:
    if all(highest_bits(channel.view(np.uint32)) < _NOT_FINITE for channel in block.T):
        return
    first = int(np.argmin(np.isfinite(block).all(axis=1))) + seen
    raise BadSamples(
        f"“{name}” holds values that are no numbers, the first {first / rate_hz:.3f} s after its start. Export "
        "it again."
    )


def _together(parts: list[Iterator[Samples]]) -> Iterator[Samples]:
    """Channels of several readers beside each other; one that ends earlier goes on in silence."""
    with ExitStack() as open_parts:
        for part in parts:
            open_parts.enter_context(closing(part))  # type: ignore[type-var]
        while True:
            found = [next(part, None) for part in parts]
            longest = max((len(b) for b in found if b is not None), default=0)
            if not longest:
                return
            yield np.asfortranarray(np.concatenate([_filled(b, longest, found) for b in found], axis=1))


def _filled(block: Samples | None, frames: int, found: "Sequence[Samples | None]") -> Samples:
    width = next(b.shape[1] for b in found if b is not None) if block is None else block.shape[1]
    whole = np.zeros((frames, width), dtype=np.float32)
    if block is not None:
        whole[: len(block)] = block
    return whole


def _ahead(made: Iterator[Samples]) -> Iterator[Samples]:
    """The same blocks, decoded in a thread while the last one is being worked on."""
    waiting: queue.Queue[Samples | BaseException | None] = queue.Queue(2)
    stop = threading.Event()

    def offer(item: "Samples | BaseException | None") -> None:
        while not stop.is_set():
            try:
                waiting.put(item, timeout=0.1)
            except queue.Full:
                continue
            return

    def work() -> None:
        last: BaseException | None = None
        try:
            with closing(made):  # type: ignore[type-var]
                for block in made:
                    offer(block)
                    if stop.is_set():
                        return
        except BaseException as error:  # noqa: BLE001  (handed to the reader)
            last = error
        offer(last)

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    try:
        while isinstance(item := waiting.get(), np.ndarray):
            yield item
        if item is not None:
            raise item
    finally:
        stop.set()
        thread.join()
