"""The markers of a timeline in OpenTimelineIO, wherever they hang: on clips, on tracks, on the whole."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from ...errors import UsageError
from ...timecode import Clock


@dataclass(frozen=True)
class Marker:
    """A marker; times in seconds from the first sample of the mix."""

    in_s: float
    out_s: float
    name: str
    comment: str


def read_markers(content: bytes, clock: Clock) -> tuple[list[Marker], str]:
    """The markers of a timeline in order of time, and a remark where they count at another rate than the mix.

    The timeline begins at its global start, or, where it names none, with the mix. Raises UsageError for a file that is
    no timeline.
    """
    import opentimelineio as otio  # noqa: PLC0415  (slow to come up, and only such files need it)

    try:
        timeline = otio.adapters.read_from_string(content.decode("utf-8-sig"), "otio_json")
    except (otio.exceptions.OTIOError, ValueError, TypeError, KeyError) as error:
        raise UsageError(f"This file is no timeline in OpenTimelineIO ({str(error)[:100]}).") from None
    if not isinstance(timeline, otio.schema.Timeline):
        raise UsageError("This file holds no timeline. Export the whole timeline with its markers.")
    offset_s = 0.0
    if timeline.global_start_time is not None:
        offset_s = _seconds(timeline.global_start_time) - clock.start_s
    found = sorted(_markers(timeline), key=lambda pair: _seconds(pair[1].start_time))
    rates = {round(span.start_time.rate, 3) for _, span in found}
    other = sorted(rate for rate in rates if abs(rate - float(clock.rate.fps)) > 0.002)
    remark = (
        f"The markers count at {other[0]:g} frames/s, the mix at {float(clock.rate.fps):.6g}: they were placed by "
        "their time in seconds; look whether each lies where it should."
        if other
        else ""
    )
    return [_marker(marker, span, offset_s) for marker, span in found], remark


def _marker(marker: Any, span: Any, offset_s: float) -> Marker:
    begin = _seconds(span.start_time) + offset_s
    end = begin + max(0.0, _seconds(span.duration))
    return Marker(round(begin, 6), round(end, 6), str(marker.name or "").strip(), str(marker.comment or "").strip())


def _seconds(time: Any) -> float:
    return float(time.value) / float(time.rate)


def _markers(timeline: Any) -> Iterator[tuple[Any, Any]]:
    """Every marker with its range on the timeline."""
    for marker in timeline.tracks.markers:
        yield marker, marker.marked_range
    for track in timeline.tracks:
        for marker in getattr(track, "markers", []):
            yield marker, marker.marked_range
    for item in timeline.find_children():
        if item.parent() is None or item.parent() is timeline.tracks:
            continue
        for marker in getattr(item, "markers", []):
            # A clip without a range cannot say where its markers lie.
            yield marker, item.transformed_time_range(marker.marked_range, timeline.tracks)
