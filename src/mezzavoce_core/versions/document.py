"""What was found by laying two mixes beside each other, as JSON types (schema ``mezzavoce.recheck/1``)."""

from collections.abc import Mapping, Sequence
from typing import Any

from ..errors import NotMeasurable
from .alignment import Alignment, Piece
from .recheck import Found, Rechecked, holds

SCHEMA = "mezzavoce.recheck/1"
_PIECE = ("old_in_s", "old_out_s", "new_in_s", "new_out_s", "speed", "doubtful")


def recheck_document(
    old: Mapping[str, Any], new: Mapping[str, Any], alignment: Alignment, found: Sequence[Rechecked]
) -> dict[str, Any]:
    """The whole result; ``old`` and ``new`` are the results of both mixes, of which file and verdict are named."""
    return {
        "schema": SCHEMA,
        "made_by": new["made_by"],
        "old": {"file": old["file"]["name"], "verdict": old["verdict"]},
        "new": {"file": new["file"]["name"], "verdict": new["verdict"]},
        **alignment_dict(alignment),
        "findings": [
            {
                "kind": r.kind,
                "result": r.result,
                "old": r.old and _figures(r.old),
                "placed": None if r.placed is None else {"in_s": r.placed[0], "out_s": r.placed[1]},
                "new": r.new and _figures(r.new),
                "lacks": r.lacks,
                "unit": r.unit,
                "severity": (r.new or r.old or {})["severity"],
            }
            for r in found
        ],
        "holds": holds(found),
    }


def _figures(finding: Found) -> dict[str, Any]:
    names = ("kind", "in_s", "out_s", "in_timecode", "out_timecode", "measured", "limit")
    return {name: finding[name] for name in names}


def alignment_dict(alignment: Alignment) -> dict[str, Any]:
    """An alignment as JSON types."""
    return {
        "pieces": [{name: getattr(p, name) for name in _PIECE} for p in alignment.pieces],
        "removed": [{"in_s": a, "out_s": b} for a, b in alignment.removed],
        "inserted": [{"in_s": a, "out_s": b} for a, b in alignment.inserted],
    }


def alignment_from_dict(given: Mapping[str, Any]) -> Alignment:
    """An alignment from what ``alignment_dict`` gave. Raises NotMeasurable for anything else."""
    try:
        return Alignment(
            tuple(Piece(**{name: piece[name] for name in _PIECE}) for piece in given["pieces"]),
            tuple((span["in_s"], span["out_s"]) for span in given["removed"]),
            tuple((span["in_s"], span["out_s"]) for span in given["inserted"]),
        )
    except (KeyError, TypeError) as error:
        raise NotMeasurable(f"The stored alignment cannot be read ({error}); measure the new mix again.") from None
