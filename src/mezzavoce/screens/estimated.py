"""What a page says of figures that were estimated from the mix alone."""

from collections import Counter
from dataclasses import dataclass
from typing import Any

from mezzavoce_core.exchange.words import short_name

_WHY = {
    "no side": "the mix has no side, so the voice is told from the music by a network alone",
    "dialogue off its axis": "the voice sounds on the sides as well (a room, or a wide recording) and counts as "
    "background there",
    "effects": "something other than music seems to lie under the voice, or the voice is an unusual one",
    "no gaps": "the music is nowhere heard by itself",
    "quick": "this is the first look; better figures follow",
}


@dataclass(frozen=True)
class Estimated:
    """What a page says of estimates.

    ``known``, ``unknown``: of how many passages anything can be said, and of how many nothing; ``less_sure``: why and
    how often figures are less sure than usual; ``not_judged``: reason and names of the kinds that cannot be told;
    ``usual_lu``: the middle of all uncertainties.
    """

    known: int
    unknown: int
    less_sure: list[tuple[str, int]]
    not_judged: list[tuple[str, list[str]]]
    usual_lu: float | None


def estimated(detail: dict[str, Any]) -> Estimated | None:
    """From the detail of a judgement; None where stems tell the levels."""
    if detail.get("separation") != "mix":
        return None
    passages = detail["passages"] or []
    doubts = sorted(p["uncertainty_lu"] for p in passages if p["uncertainty_lu"] is not None)
    counts = Counter(name for p in passages for name in p.get("conditions", ()))
    reasons: dict[str, list[str]] = {}
    for row in detail.get("not_judged", ()):
        reasons.setdefault(row["why"], []).append(short_name(row["kind"]))
    return Estimated(
        len(doubts),
        len(passages) - len(doubts),
        [(_WHY.get(name, name), count) for name, count in counts.most_common()],
        list(reasons.items()),
        doubts[len(doubts) // 2] if doubts else None,
    )
