"""Notes as markers of a timeline (OpenTimelineIO), in frames of the programme."""

import opentimelineio as otio

from .sheet import Noted, Sheet

_COLOURS = {"must": "RED", "should": "ORANGE", "note": "BLUE"}


def timeline(sheet: Sheet) -> bytes:
    """A timeline with the mix as one clip and a marker a note; all else of a note stands in the marker's metadata."""
    fps = float(sheet.clock.rate.fps)
    first = sheet.clock.frame_at(0.0)
    start = otio.opentime.RationalTime(_first_frame(sheet), fps)
    length = otio.opentime.RationalTime(max(1, sheet.clock.frame_after(sheet.duration_s) - first), fps)
    clip = otio.schema.Clip(
        name=sheet.name,
        source_range=otio.opentime.TimeRange(start, length),
        media_reference=otio.schema.MissingReference(name=sheet.name),
    )
    for note in sheet.in_order:
        clip.markers.append(_marker(sheet, note, fps))
    track = otio.schema.Track(name="notes", kind=otio.schema.TrackKind.Audio, children=[clip])
    found = otio.schema.Timeline(name=f"Notes on {sheet.name}", tracks=[track], global_start_time=start)
    text: str = otio.adapters.write_to_string(found, "otio_json")
    return (text + "\n").encode()


def _first_frame(sheet: Sheet) -> int:
    """The number that the first frame has at the programme's start timecode."""
    return round(sheet.clock.start_s * float(sheet.clock.rate.fps))


def _marker(sheet: Sheet, note: Noted, fps: float) -> otio.schema.Marker:
    begin, end = sheet.frames(note)
    first = sheet.clock.frame_at(0.0)
    at = otio.opentime.RationalTime(_first_frame(sheet) + begin - first, fps)
    in_tc, out_tc = sheet.timecodes(note)
    told = {
        "mark": note.label,
        "kind": note.kind,
        "severity": note.severity,
        "text": note.text,
        "in_timecode": in_tc,
        "out_timecode": out_tc,
        "change": note.change,
        "points": [{"at_s": p.at_s, "gain_db": p.gain_db} for p in note.points],
    }
    return otio.schema.Marker(
        name=f"{note.label} {note.title}",
        marked_range=otio.opentime.TimeRange(at, otio.opentime.RationalTime(end - begin, fps)),
        color=_COLOURS.get(note.severity, "BLUE"),
        comment=note.text,
        metadata={"mezzavoce": told},
    )
