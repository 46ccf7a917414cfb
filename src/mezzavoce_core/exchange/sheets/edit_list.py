"""Notes as an edit list (CMX 3600, SMPTE 258M): an event a note, its words as comments."""

from collections.abc import Iterator, Sequence

from .sheet import Noted, Sheet

_MOST_EVENTS = 999
_WIDTH = 78


def edit_list(sheet: Sheet) -> bytes:
    """Events with the programme's timecode as source and as record; ASCII, as the format wants it.

    Events of a list follow each other, notes may lie over each other: an event ends where the next note begins, and
    the comment says from where to where the note itself goes.
    """
    mode = "DROP FRAME" if sheet.clock.rate.drop_frame else "NON-DROP FRAME"
    lines = [f"TITLE: NOTES ON {sheet.name}", f"FCM: {mode}", ""]
    notes = sheet.in_order[:_MOST_EVENTS]
    for number, (note, span) in enumerate(zip(notes, _spans(sheet, notes), strict=True), 1):
        lines += _event(sheet, number, note, span)
    return "\r\n".join([*map(_ascii, lines), ""]).encode("ascii")


def _spans(sheet: Sheet, notes: Sequence[Noted]) -> Iterator[tuple[int, int]]:
    """First frame and frame after the last of every event, none over another, each a frame long at least."""
    frames = [sheet.frames(note) for note in notes]
    free = 0
    for k, (first, end) in enumerate(frames):
        begin = max(first, free)
        later = frames[k + 1][0] if k + 1 < len(frames) else end
        free = max(begin + 1, min(end, later) if later > begin else begin + 1)
        yield begin, free


def _event(sheet: Sheet, number: int, note: Noted, span: tuple[int, int]) -> Iterator[str]:
    fps = float(sheet.clock.rate.fps)
    begin, end = (sheet.clock.timecode_in((frame + 0.5) / fps) for frame in span)
    yield f"{number:03d}  AX       A     C        {begin} {end} {begin} {end}"
    yield f"* FROM CLIP NAME: {note.label} {note.title}"
    words = f"* NOTE {note.label} ({note.severity}), {' TO '.join(sheet.timecodes(note))}: {note.text}"
    if note.change and note.change not in note.text:
        words += f" {note.change}."
    yield from _wrapped(words)
    yield ""


def _wrapped(text: str) -> Iterator[str]:
    line = ""
    for word in text.split():
        if line and len(line) + 1 + len(word) > _WIDTH:
            yield line
            line = f"* {word}"
        else:
            line = f"{line} {word}" if line else word
    yield line


def _ascii(line: str) -> str:
    plain = line.translate({0x201C: '"', 0x201D: '"', 0x2019: "'", 0x2013: "-", 0x2014: "-", 0xB1: "+-", 0x2212: "-"})
    return plain.encode("ascii", "replace").decode("ascii")
