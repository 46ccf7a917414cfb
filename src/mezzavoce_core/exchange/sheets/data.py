"""Notes as JSON, schema ``mezzavoce.notes/1`` (``docs/notes.schema.json``)."""

import json
from typing import Any

from .sheet import Noted, Sheet

SCHEMA = "mezzavoce.notes/1"


def notes_json(sheet: Sheet) -> bytes:
    """All notes with their points and figures."""
    rate = sheet.clock.rate
    told = {
        "schema": SCHEMA,
        "made_by": sheet.made_by,
        "file": sheet.name,
        "judged_by": sheet.judged_by,
        "frame_rate": str(rate),
        "drop_frame": rate.drop_frame,
        "start_timecode": sheet.clock.timecode_in(0.0),
        "duration_s": sheet.duration_s,
        "notes": [_note(sheet, note) for note in sheet.in_order],
    }
    return (json.dumps(told, ensure_ascii=False, indent=2) + "\n").encode()


def _note(sheet: Sheet, note: Noted) -> dict[str, Any]:
    begin, end = sheet.timecodes(note)
    return {
        "mark": note.label,
        "kind": note.kind,
        "family": note.family,
        "severity": note.severity,
        "title": note.title,
        "text": note.text,
        "in_s": note.in_s,
        "out_s": note.out_s,
        "in_timecode": begin,
        "out_timecode": end,
        "role": note.role,
        "change": note.change,
        "prediction": note.prediction,
        "points": [
            {"at_s": p.at_s, "at_timecode": sheet.clock.timecode_in(p.at_s), "gain_db": p.gain_db} for p in note.points
        ],
        "measured": note.figures.get("measured"),
        "limit": note.figures.get("limit"),
        "unit": note.figures.get("unit"),
    }


def schema() -> dict[str, Any]:
    """The schema of such a file (JSON Schema 2020-12)."""
    text, number = {"type": "string"}, {"type": "number"}
    maybe = {"type": ["number", "null"]}
    point = {"at_s": number, "at_timecode": text, "gain_db": number}
    note = {
        "mark": text,
        "kind": text,
        "family": text,
        "severity": {"enum": ["must", "should", "note"]},
        "title": text,
        "text": text,
        "in_s": number,
        "out_s": number,
        "in_timecode": text,
        "out_timecode": text,
        "role": {"type": ["string", "null"]},
        "change": text,
        "prediction": text,
        "points": {"type": "array", "items": _object(point)},
        "measured": maybe,
        "limit": maybe,
        "unit": {"type": ["string", "null"]},
    }
    whole = {
        "schema": {"const": SCHEMA},
        "made_by": text,
        "file": text,
        "judged_by": text,
        "frame_rate": text,
        "drop_frame": {"type": "boolean"},
        "start_timecode": text,
        "duration_s": number,
        "notes": {"type": "array", "items": _object(note)},
    }
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Notes of a mix", **_object(whole)}


def _object(properties: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "properties": properties, "required": list(properties), "additionalProperties": False}
