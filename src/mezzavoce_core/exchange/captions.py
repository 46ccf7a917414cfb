"""Captions from WebVTT (W3C) or SubRip files."""

from collections.abc import Iterable
from io import StringIO
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import CaptionError
from ..measure.captions import Caption

if TYPE_CHECKING:
    from webvtt import WebVTT

_LARGEST_BYTES = 20_000_000


def read_captions(path: Path, name: str | None = None) -> tuple[Caption, ...]:
    """The captions of a file in order of time; ``name`` is what people call it. Raises CaptionError with a sentence."""
    name = name or path.name
    try:
        if path.stat().st_size > _LARGEST_BYTES:
            raise CaptionError(f"“{name}” is far too large for captions; give a WebVTT or SubRip file.")
        return parse_captions(path.read_bytes(), name)
    except OSError:
        raise CaptionError(f"There is no caption file “{name}”; check the path.") from None


def parse_captions(content: bytes, name: str) -> tuple[Caption, ...]:
    """The same from the content of a file; its encoding is found where it is not UTF-8."""
    import webvtt  # noqa: PLC0415  (who gives no captions does not wait for what reads them)
    from webvtt.errors import MalformedCaptionError, MalformedFileError  # noqa: PLC0415

    text = _text(content, name)
    try:
        found = webvtt.from_buffer(StringIO(text), format="vtt" if text.startswith("WEBVTT") else "srt")
        captions = [Caption(_seconds(c.start), _seconds(c.end), c.text) for c in found.captions]
    except (MalformedFileError, MalformedCaptionError, ValueError, IndexError) as error:
        raise CaptionError(f"“{name}” is neither WebVTT nor SubRip ({error}); export the captions again.") from None
    kept = sorted((c for c in captions if c.out_s > c.in_s), key=lambda c: c.in_s)
    if not kept:
        raise CaptionError(f"“{name}” holds no captions; export them again as WebVTT or SubRip.")
    return tuple(kept)


def _text(content: bytes, name: str) -> str:
    try:
        return content.decode("utf-8-sig").lstrip()
    except UnicodeDecodeError:
        from charset_normalizer import from_bytes  # noqa: PLC0415

        guess = from_bytes(content).best()
        if guess is None:
            raise CaptionError(f"“{name}” is no text; give a WebVTT or SubRip file, best in UTF-8.") from None
        return str(guess).lstrip("\ufeff").lstrip()


def _seconds(stamp: str) -> float:
    *hours, minutes, seconds = stamp.split(":")
    return int(hours[0] if hours else 0) * 3600 + int(minutes) * 60 + float(seconds)


def write_captions(captions: Iterable[Caption]) -> str:
    """Captions as WebVTT."""
    return str(as_cues(captions).content)


def as_cues(captions: Iterable[Caption]) -> "WebVTT":
    """Captions as the library that writes them has them."""
    import webvtt  # noqa: PLC0415

    found = webvtt.WebVTT()
    for caption in captions:
        # An arrow ends a cue, and an empty line as well.
        lines = [line.replace("-->", "->") for line in caption.text.splitlines() if line.strip()]
        found.captions.append(webvtt.Caption(_stamp(caption.in_s), _stamp(caption.out_s), lines))
    return found


def _stamp(time_s: float) -> str:
    """Seconds as WebVTT writes them: hours, minutes, seconds, thousandths."""
    whole = round(max(0.0, time_s) * 1000)
    hours, rest = divmod(whole, 3_600_000)
    minutes, rest = divmod(rest, 60_000)
    return f"{hours:02d}:{minutes:02d}:{rest // 1000:02d}.{rest % 1000:03d}"
