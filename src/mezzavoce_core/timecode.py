"""Frame rates and timecode, exact at every edge. The only conversions between seconds, frames and timecode.

Source: SMPTE ST 12-1. Drop-frame numbering leaves out the labels 0 and 1 (0 to 3 at 59.94) at every
minute that is not divisible by ten; no frame of picture is lost by it.
Seconds become fractions before they meet a frame rate, so that no rounding decides between two frames.
"""

import re
from dataclasses import dataclass
from fractions import Fraction

from .errors import TimecodeError

HOURS_PER_DAY = 24
_RATES = {
    "23.976": Fraction(24000, 1001),
    "23.98": Fraction(24000, 1001),
    "29.97": Fraction(30000, 1001),
    "47.952": Fraction(48000, 1001),
    "47.95": Fraction(48000, 1001),
    "59.94": Fraction(60000, 1001),
}
_KNOWN = (24, 25, 30, 48, 50, 60, 100, 120)
_PATTERN = re.compile(r"(\d{1,2}):(\d{2}):(\d{2})([:;.])(\d{2,3})")
# Seconds arrive as floats; this is far below a sample and far above their rounding.
_SLACK_S = Fraction(1, 1_000_000)


@dataclass(frozen=True)
class FrameRate:
    """Frames per second as a fraction, and whether labels are dropped."""

    fps: Fraction
    drop_frame: bool = False

    def __post_init__(self) -> None:
        """Refuse rates that nobody shoots and drop-frame where it has no meaning."""
        if not 1 <= self.fps <= 240:
            raise TimecodeError(
                f"A frame rate of {float(self.fps):g} frames per second cannot be; give one between 1 and 240."
            )
        if self.drop_frame and self.fps not in (Fraction(30000, 1001), Fraction(60000, 1001)):
            raise TimecodeError(
                "Drop-frame exists only at 29.97 and 59.94 frames per second; choose non-drop or another rate."
            )

    @property
    def nominal(self) -> int:
        """Frames that a second of labels counts: 30 at 29.97."""
        return -(-self.fps.numerator // self.fps.denominator)

    @property
    def dropped_per_minute(self) -> int:
        """Labels left out at most minutes: 0, 2 or 4."""
        return self.nominal // 15 if self.drop_frame else 0

    @property
    def frames_per_day(self) -> int:
        """Labels in 24 hours."""
        return HOURS_PER_DAY * 6 * self.frames_per_ten_minutes

    @property
    def frames_per_ten_minutes(self) -> int:
        """Frames in ten minutes of labels, after which dropping repeats."""
        return self.nominal * 600 - 9 * self.dropped_per_minute

    def __str__(self) -> str:
        """As in the result: ``25`` or ``30000/1001``."""
        return str(self.fps)


def parse_rate(text: str, *, drop_frame: bool = False) -> FrameRate:
    """Read ``25``, ``29.97``, ``29.97df`` or ``30000/1001``. Raises TimecodeError with what is wanted."""
    word = text.strip().lower()
    if word.endswith("df"):
        word, drop_frame = word[:-2].strip(), True
    try:
        fps = _RATES[word] if word in _RATES else Fraction(word)
    except (ValueError, ZeroDivisionError):
        raise TimecodeError(f"“{text}” is no frame rate; write for example 25, 29.97df or 30000/1001.") from None
    return FrameRate(fps, drop_frame)


def nearest_rate(fps: Fraction) -> Fraction:
    """A measured rate (as containers store it) drawn to the standard rate within 0.02 %, else unchanged."""
    candidates = [Fraction(n) for n in _KNOWN] + [Fraction(n * 1000, 1001) for n in (24, 30, 48, 60, 120)]
    best = min(candidates, key=lambda c: abs(c - fps))
    return best if abs(best - fps) / fps < Fraction(1, 5000) else fps


def parse_timecode(text: str, rate: FrameRate) -> int:
    """Frame count since 00:00:00:00 of a timecode. Raises TimecodeError for labels that this rate does not have."""
    match = _PATTERN.fullmatch(text.strip())
    if not match:
        raise TimecodeError(
            f"“{text}” is no timecode; write hours, minutes, seconds and frames, for example 10:00:00:00."
        )
    hours, minutes, seconds, frames = (int(match[i]) for i in (1, 2, 3, 5))
    if hours >= HOURS_PER_DAY or minutes > 59 or seconds > 59:
        raise TimecodeError(f"“{text}” is no time of day; hours run to 23, minutes and seconds to 59.")
    if frames >= rate.nominal:
        raise TimecodeError(
            f"“{text}” has frame {frames}, but at {float(rate.fps):.6g} frames per second they run from 0 to "
            f"{rate.nominal - 1}."
        )
    dropped = rate.dropped_per_minute
    if dropped and frames < dropped and seconds == 0 and minutes % 10:
        raise TimecodeError(
            f"“{text}” does not exist in drop-frame; the first label of that minute is frame {dropped:02d}."
        )
    whole_minutes = hours * 60 + minutes
    labels = (whole_minutes * 60 + seconds) * rate.nominal + frames
    return labels - dropped * (whole_minutes - whole_minutes // 10)


def format_timecode(frame: int, rate: FrameRate) -> str:
    """Timecode of a frame count, wrapped at 24 hours; ``;`` before the frames in drop-frame."""
    frame %= rate.frames_per_day
    dropped = rate.dropped_per_minute
    if dropped:
        tens, rest = divmod(frame, rate.frames_per_ten_minutes)
        frames_per_minute = rate.nominal * 60 - dropped
        frame += 9 * dropped * tens
        if rest >= rate.nominal * 60:
            frame += dropped * ((rest - rate.nominal * 60) // frames_per_minute + 1)
    seconds, frames = divmod(frame, rate.nominal)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if dropped else ':'}{frames:02d}"


@dataclass(frozen=True)
class Clock:
    """Seconds from the first sample of a file as timecode.

    ``in`` is the frame that holds the time, ``out`` the first after it.
    """

    rate: FrameRate
    start_frame: int
    origin_s: float = 0.0
    """How far after the first sample the times begin that this clock is asked about."""

    @classmethod
    def starting(cls, timecode: str | None, rate: FrameRate) -> "Clock":
        """A clock whose first frame bears this timecode (00:00:00:00 where none is known)."""
        return cls(rate, parse_timecode(timecode, rate) if timecode else 0)

    @property
    def start_s(self) -> float:
        """Seconds since midnight at the first sample of the file."""
        return float(self.start_frame / self.rate.fps)

    def in_file(self, time_s: float) -> float:
        """The time counted from the first sample of the file, to a microsecond."""
        return round(time_s + self.origin_s, 6)

    def frame_at(self, time_s: float) -> int:
        """Number of the frame, counted from the file's first, that holds the time."""
        numerator, denominator = self._frames(time_s, _SLACK_S)
        return numerator // denominator

    def frame_after(self, time_s: float) -> int:
        """Number of the first frame that begins at the time or later."""
        numerator, denominator = self._frames(time_s, -_SLACK_S)
        return -(-numerator // denominator)

    def _frames(self, time_s: float, slack_s: Fraction) -> tuple[int, int]:
        """A time in frames, exactly, as a numerator and a denominator.

        A page asks for thousands, and sums of fractions take five times as long.
        """
        (a, b), (c, d), fps = float(time_s).as_integer_ratio(), float(self.origin_s).as_integer_ratio(), self.rate.fps
        seconds = (a * d + c * b) * slack_s.denominator + slack_s.numerator * b * d
        return seconds * fps.numerator, b * d * slack_s.denominator * fps.denominator

    def frame_start(self, time_s: float) -> float:
        """Seconds at which the frame begins that holds the time."""
        return float(self.frame_at(time_s) / self.rate.fps)

    def frame_end(self, time_s: float) -> float:
        """Seconds at which the first frame begins at the time or later."""
        return float(self.frame_after(time_s) / self.rate.fps)

    def timecode_in(self, time_s: float) -> str:
        """Timecode of the frame that holds the time."""
        return format_timecode(self.start_frame + self.frame_at(time_s), self.rate)

    def timecode_out(self, time_s: float) -> str:
        """Timecode of the first frame after the time."""
        return format_timecode(self.start_frame + self.frame_after(time_s), self.rate)

    def seconds_at(self, timecode: str) -> float:
        """Seconds from the first sample to the start of the frame with this timecode.

        Over midnight where it is earlier than the start.
        """
        frames = (parse_timecode(timecode, self.rate) - self.start_frame) % self.rate.frames_per_day
        return float(frames / self.rate.fps)
