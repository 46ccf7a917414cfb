"""What a file says about itself: duration, channels, frame rate, start timecode. Nothing is decoded here."""

import json
import subprocess
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from math import isfinite
from pathlib import Path
from typing import Any

from ..errors import MediaError, TimecodeError, ToolFailed
from ..timecode import FrameRate, format_timecode, nearest_rate, parse_rate, parse_timecode
from .ffprobe import answer, forget
from .layouts import layout_name, says_layout
from .riff import check_riff

DEFAULT_RATE = FrameRate(Fraction(25))
LOWEST_RATE_HZ, HIGHEST_RATE_HZ, MOST_CHANNELS = 8000, 384_000, 64
_VARIES_BEYOND = Fraction(1, 1000)


@dataclass(frozen=True)
class Stream:
    """One audio track of a file, counted from 1. ``says_layout``: its own word settles where the channels stand."""

    number: int
    channels: int
    layout: str
    says_layout: bool
    sample_rate_hz: int
    duration_s: float
    title: str


@dataclass(frozen=True)
class FileInfo:
    """Facts of one media file.

    Channels, layout and rate are those of the sound taken from it, at first its first track.

    ``frame_rate`` and ``start_timecode`` are None where the file does not say; ``frame_rate_varies`` where a picture's
    frames are not all alike.
    """

    name: str
    duration_s: float
    sample_rate_hz: int
    channels: int
    layout: str
    frame_rate: str | None
    drop_frame: bool
    start_timecode: str | None
    has_picture: bool
    frame_rate_varies: bool = False
    codec: str = ""
    container: str = ""
    streams: tuple[Stream, ...] = ()
    picture_s: float | None = None
    """How long the picture lasts, where the file says so."""

    @property
    def rate(self) -> FrameRate:
        """The frame rate to show times in: the file's, or 25."""
        return parse_rate(self.frame_rate, drop_frame=self.drop_frame) if self.frame_rate else DEFAULT_RATE

    @property
    def says_layout(self) -> bool:
        """Whether the layout is the file's own word and not the usual one of that many channels."""
        return not self.streams or self.streams[0].says_layout

    def with_timing(self, rate: str | None, start: str | None) -> "FileInfo":
        """The same facts with frame rate and start as a person gave them. Raises TimecodeError where they cannot be."""
        chosen = parse_rate(rate) if rate else None
        if chosen is not None and start and ";" in start:
            chosen = FrameRate(chosen.fps, drop_frame=True)
        info = self if chosen is None else replace(self, frame_rate=str(chosen), drop_frame=chosen.drop_frame)
        if start:
            info = replace(info, start_timecode=format_timecode(parse_timecode(start, info.rate), info.rate))
        elif info.start_timecode and chosen is not None:
            parse_timecode(info.start_timecode, info.rate)
        return info

    def as_dict(self) -> dict[str, Any]:
        """The facts as JSON types."""
        return asdict(self)

    @classmethod
    def from_dict(cls, facts: Mapping[str, Any]) -> "FileInfo":
        """The facts from what ``as_dict`` gave."""
        return cls(**{**facts, "streams": tuple(Stream(**s) for s in facts.get("streams", ()))})


def probe(path: Path, name: str | None = None) -> FileInfo:
    """Read the facts of a media file. Raises MediaError with a sentence when it holds no sound that can be measured."""
    name = name or path.name
    if not path.exists():
        raise MediaError(f"There is no file “{name}”; check the path.")
    if not path.is_file():
        raise MediaError(f"“{name}” is not a file; give a video or audio file.")
    if path.stat().st_size == 0:
        raise MediaError(f"“{name}” is empty; copy or export it again.")
    facts = _ffprobe(path, name)
    streams = facts.get("streams", [])
    sound = next((s for s in streams if s.get("codec_type") == "audio"), None)
    if sound is None:
        if any(s.get("codec_type") == "video" for s in streams):
            raise MediaError(
                f"“{name}” has a picture but no audio track. Mezzavoce needs at least one; export the file "
                "with its sound."
            )
        raise MediaError(f"“{name}” has no audio track. Mezzavoce needs at least one.")
    check_riff(path, name)
    return _facts(facts, name)


def _ffprobe(path: Path, name: str) -> dict[str, Any]:
    try:
        done = answer(path)
    except FileNotFoundError:
        raise ToolFailed("ffmpeg is not installed; install the package “ffmpeg”.") from None
    except subprocess.TimeoutExpired:
        raise MediaError(f"“{name}” took too long to open; it may be damaged. Export it again.") from None
    if done.returncode < 0:
        # No answer is worth keeping; the next time may give one.
        forget()
        raise ToolFailed(f"Reading “{name}” was interrupted; try again.")
    if done.returncode != 0:
        raise MediaError(
            f"“{name}” is no video or audio file that can be opened, or it is damaged. Export it again, for "
            "example as WAV, MOV or MP4."
        )
    try:
        facts: dict[str, Any] = json.loads(done.stdout)
    except ValueError:
        raise MediaError(
            f"What “{name}” says about itself cannot be read; it may be damaged. Export it again."
        ) from None
    return facts


def _facts(facts: dict[str, Any], name: str) -> FileInfo:
    whole_s = _number(facts.get("format", {}).get("duration"))
    sounds = [s for s in facts["streams"] if s.get("codec_type") == "audio"]
    streams = tuple(_stream(s, k, whole_s, name) for k, s in enumerate(sounds, 1))
    picture = next(
        (
            s
            for s in facts["streams"]
            if s.get("codec_type") == "video" and not s.get("disposition", {}).get("attached_pic")
        ),
        None,
    )
    fps = _picture_rate(picture or next((s for s in facts["streams"] if s.get("codec_tag_string") == "tmcd"), None))
    start = _start(facts, sounds[0], streams[0].sample_rate_hz, fps)
    return FileInfo(
        name=name,
        duration_s=streams[0].duration_s,
        sample_rate_hz=streams[0].sample_rate_hz,
        channels=streams[0].channels,
        layout=streams[0].layout,
        frame_rate=str(fps) if fps else None,
        drop_frame=bool(start and ";" in start),
        start_timecode=start,
        has_picture=picture is not None,
        frame_rate_varies=_varies(picture),
        codec=str(sounds[0].get("codec_name", "")),
        container=str(facts.get("format", {}).get("format_name", "")),
        streams=streams,
        picture_s=_number(picture.get("duration")) or None if picture else None,
    )


def _stream(sound: dict[str, Any], number: int, whole_s: float, name: str) -> Stream:
    rate_hz, channels = int(_number(sound.get("sample_rate"))), int(_number(sound.get("channels")))
    which = f"Audio track {number} of “{name}”"
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise MediaError(f"{which} has no usable sample rate ({rate_hz} Hz); export it again at 48 kHz.")
    if not 1 <= channels <= MOST_CHANNELS:
        raise MediaError(f"{which} has {channels} channels; up to {MOST_CHANNELS} can be read. Export it with fewer.")
    reported, tags = sound.get("channel_layout"), sound.get("tags", {})
    title = next((str(tags[t]) for t in ("title", "name", "handler_name") if tags.get(t)), "")
    duration_s = _number(sound.get("duration")) or whole_s
    return Stream(
        number, channels, layout_name(reported, channels), says_layout(reported, channels), rate_hz, duration_s, title
    )


def _number(value: Any) -> float:
    """A figure as a file tells it; 0 where it is none."""
    try:
        number = float(value)
    except (TypeError, ValueError):
        return 0.0
    return number if isfinite(number) else 0.0


def _picture_rate(picture: dict[str, Any] | None) -> Fraction | None:
    for field in ("avg_frame_rate", "r_frame_rate"):
        fps = _rate_of(picture, field)
        if fps is not None:
            return nearest_rate(fps)
    return None


def _rate_of(picture: dict[str, Any] | None, field: str) -> Fraction | None:
    try:
        fps = Fraction(picture[field]) if picture else Fraction(0)
    except (KeyError, ValueError, ZeroDivisionError):
        return None
    return fps if 1 <= fps <= 240 else None


def _varies(picture: dict[str, Any] | None) -> bool:
    """Whether the mean frame rate is another than the one that fits every frame.

    A field rate of twice the frame rate is none.
    """
    mean, finest = _rate_of(picture, "avg_frame_rate"), _rate_of(picture, "r_frame_rate")
    if mean is None or picture is None:
        return False
    if finest is None:
        # So fine a grid is only needed where frames come at odd times.
        return picture.get("r_frame_rate", "0/0") not in ("0/0", picture.get("avg_frame_rate"))
    return min(abs(finest - mean), abs(finest - 2 * mean)) > _VARIES_BEYOND * mean


def _start(facts: dict[str, Any], sound: dict[str, Any], rate_hz: int, fps: Fraction | None) -> str | None:
    tags = [s.get("tags", {}) for s in facts["streams"]] + [facts.get("format", {}).get("tags", {})]
    for found in (t["timecode"] for t in tags if t.get("timecode")):
        try:
            rate = FrameRate(fps or Fraction(25), drop_frame=";" in found)
            return format_timecode(parse_timecode(found, rate), rate)
        except TimecodeError:
            continue
    reference = next((t["time_reference"] for t in (*tags, sound.get("tags", {})) if t.get("time_reference")), None)
    if reference and str(reference).isdigit() and int(reference):
        # EBU Tech 3285: samples since midnight.
        rate = FrameRate(fps or Fraction(25))
        return format_timecode(round(Fraction(int(reference), rate_hz) * rate.fps), rate)
    return None
