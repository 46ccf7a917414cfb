"""What a file says about itself: duration, channels, frame rate, start timecode. Nothing is decoded here."""

import json
import subprocess
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from ..errors import MediaError, TimecodeError, ToolFailed
from ..timecode import FrameRate, format_timecode, nearest_rate, parse_rate, parse_timecode
from .layouts import layout_name
from .riff import check_riff

PROTOCOLS = ("-protocol_whitelist", "file,pipe")
DEFAULT_RATE = FrameRate(Fraction(25))
_PROBE_LIMIT_S = 60


@dataclass(frozen=True)
class FileInfo:
    """Facts of one media file. ``frame_rate`` and ``start_timecode`` are None where the file does not say."""

    name: str
    duration_s: float
    sample_rate_hz: int
    channels: int
    layout: str
    frame_rate: str | None
    drop_frame: bool
    start_timecode: str | None
    has_picture: bool

    @property
    def rate(self) -> FrameRate:
        """The frame rate to show times in: the file's, or 25."""
        return parse_rate(self.frame_rate, drop_frame=self.drop_frame) if self.frame_rate else DEFAULT_RATE

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
            raise MediaError(f"“{name}” has a picture but no audio track. Mezzavoce needs at least one; export the file with its sound.")
        raise MediaError(f"“{name}” has no audio track. Mezzavoce needs at least one.")
    check_riff(path, name)
    return _facts(facts, sound, name)


def _ffprobe(path: Path, name: str) -> dict[str, Any]:
    command = ["ffprobe", "-v", "error", *PROTOCOLS, "-show_streams", "-show_format", "-of", "json", f"file:{path.resolve()}"]
    try:
        done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, timeout=_PROBE_LIMIT_S, check=False)
    except FileNotFoundError:
        raise ToolFailed("ffmpeg is not installed; install the package “ffmpeg”.") from None
    except subprocess.TimeoutExpired:
        raise MediaError(f"“{name}” took too long to open; it may be damaged. Export it again.") from None
    if done.returncode < 0:
        raise ToolFailed(f"Reading “{name}” was interrupted; try again.")
    if done.returncode != 0:
        raise MediaError(f"“{name}” is no video or audio file that can be opened, or it is damaged. Export it again, for example as WAV, MOV or MP4.")
    facts: dict[str, Any] = json.loads(done.stdout)
    return facts


def _facts(facts: dict[str, Any], sound: dict[str, Any], name: str) -> FileInfo:
    rate_hz, channels = int(sound.get("sample_rate", 0)), int(sound.get("channels", 0))
    if rate_hz < 8000 or channels < 1:
        raise MediaError(f"The audio track of “{name}” has no usable sample rate; export it again at 48 kHz.")
    picture = next((s for s in facts["streams"] if s.get("codec_type") == "video" and not s.get("disposition", {}).get("attached_pic")), None)
    fps = _picture_rate(picture)
    start = _start(facts, sound, rate_hz, fps)
    duration = sound.get("duration") or facts.get("format", {}).get("duration") or 0
    return FileInfo(
        name=name,
        duration_s=float(duration),
        sample_rate_hz=rate_hz,
        channels=channels,
        layout=layout_name(sound.get("channel_layout"), channels),
        frame_rate=str(fps) if fps else None,
        drop_frame=bool(start and ";" in start),
        start_timecode=start,
        has_picture=picture is not None,
    )


def _picture_rate(picture: dict[str, Any] | None) -> Fraction | None:
    for field in ("avg_frame_rate", "r_frame_rate"):
        try:
            fps = Fraction(picture[field]) if picture else Fraction(0)
        except (KeyError, ValueError, ZeroDivisionError):
            continue
        if 1 <= fps <= 240:
            return nearest_rate(fps)
    return None


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
