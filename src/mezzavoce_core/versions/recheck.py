"""What became of every finding of a former mix in the new one, and what is new there.

Works on findings as results hold them (``exchange.document``): a stored result is as good as one just made.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from .alignment import Alignment

CURED, BETTER, SAME, WORSE, GONE, NEW = "cured", "better", "same", "worse", "gone", "new"
UNKNOWN = "unknown"
"""The new mix was not judged by this kind: it came without the stems or captions that the former one had."""
BY_HAND = "by-hand"
"""The kind of what a person noted where nothing was measured: only listening tells what became of it."""
TOLERANCES = {"s": 0.1, "of 1": 0.01, "correlation": 0.1, "samples": 1.0}
"""By how much a figure has to change to count as another one; 1 LU, 1 dB where the unit is not named here."""
_CLEARNESS = frozenset({"masked-speech", "duck-missing", "duck-shallow"})
"""Kinds that name the same figure: how far the voice stands over what lies under it."""
_OF_CAPTIONS = frozenset({"caption-unheard", "speech-uncaptioned"})
_WANTS = {"voice": "passages", "ducking": "ducks", "music": "cues", "effects": "passages"}
"""What a result holds where findings of a family could be told at all."""
_WHOLE_SHARE = 0.9
_NEAR_S = 0.25
_LEAST_OVERLAP = 0.2
_SAME_KIND = 0.5

Found = Mapping[str, Any]
"""A finding as a result holds it."""


@dataclass(frozen=True)
class Rechecked:
    """One finding of either mix: what became of it, where it lies in the new mix, how far it is from its limit now."""

    result: str
    old: Found | None
    placed: tuple[float, float] | None
    new: Found | None

    @property
    def lacks(self) -> float | None:
        """How far the figure is from its limit in the new mix, 0 where it is cured or gone; None where nobody knows."""
        if self.result == UNKNOWN:
            return None
        return 0.0 if self.new is None else _lack(self.new)

    @property
    def _one(self) -> Found:
        found = self.old or self.new
        assert found is not None
        return found

    @property
    def kind(self) -> str:
        """The kind of the former finding, of a new one its own."""
        return str(self._one["kind"])

    @property
    def unit(self) -> str:
        """The unit of what it lacks."""
        return str((self.new or self._one)["unit"])


def recheck(
    old: Mapping[str, Any],
    new: Mapping[str, Any],
    alignment: Alignment,
    by_hand: Mapping[int, tuple[float, float]] | None = None,
) -> list[Rechecked]:
    """Every finding of the former result, in its order, then what is new; both results as their JSON.

    ``by_hand`` says where a person placed former findings in the new mix, by their number in the list, in seconds.
    """
    findings, said = list(new["findings"]), by_hand or {}
    placed = [said.get(k) or _place(f, old["range"], new["range"], alignment) for k, f in enumerate(old["findings"])]
    taken = _matched(old["findings"], placed, findings)
    found = []
    for k, (f, place) in enumerate(zip(old["findings"], placed, strict=True)):
        now = findings[taken[k]] if k in taken else None
        result = UNKNOWN if now is None and place is not None and not _judged(f, new) else _result(f, place, now)
        found.append(Rechecked(result, f, place, now))
    used = set(taken.values())
    return found + [Rechecked(NEW, None, None, f) for k, f in enumerate(findings) if k not in used]


def _judged(finding: Found, new: Mapping[str, Any]) -> bool:
    """Whether a finding of this kind could have been found in the new mix."""
    if finding["kind"] == BY_HAND:
        return False
    if finding["kind"] in _OF_CAPTIONS:
        return new.get("captions") is not None
    wanted = _WANTS.get(str(finding["family"]))
    return wanted is None or new.get(wanted) is not None


def _place(
    finding: Found, old_range: Mapping[str, float], new_range: Mapping[str, float], alignment: Alignment
) -> tuple[float, float] | None:
    """Where a finding lies in the new mix; one of the whole programme lies in the whole one."""
    length = old_range["out_s"] - old_range["in_s"]
    if finding["out_s"] - finding["in_s"] >= _WHOLE_SHARE * length:
        return new_range["in_s"], new_range["out_s"]
    return alignment.placed(finding["in_s"], finding["out_s"])


def _matched(
    old: Sequence[Found], placed: Sequence[tuple[float, float] | None], new: Sequence[Found]
) -> dict[int, int]:
    """Which new finding is which former one: one to one, those that share most time first."""
    pairs = [
        (likeness, k, n)
        for k, (f, place) in enumerate(zip(old, placed, strict=True))
        if place is not None
        for n, other in enumerate(new)
        if comparable(f, other) and (likeness := _likeness(f, place, other)) > 0
    ]
    taken: dict[int, int] = {}
    for _, k, n in sorted(pairs, key=lambda pair: (-pair[0], pair[1], pair[2])):
        if k not in taken and n not in taken.values():
            taken[k] = n
    return taken


def comparable(one: Found, other: Found) -> bool:
    """Whether two findings name the same figure of the same sound."""
    if one["unit"] != other["unit"]:
        return False
    if one["kind"] == other["kind"]:
        return bool(one["role"] == other["role"])
    return {one["kind"], other["kind"]} <= _CLEARNESS


def _likeness(finding: Found, place: tuple[float, float], other: Found) -> float:
    """The share of the longer of the two that both have in common, a little more for the same kind; 0 for too little.

    A moment is given a little room, since it has no length.
    """
    (begin, end), (in_s, out_s) = place, (other["in_s"], other["out_s"])
    room = max(0.0, _NEAR_S - min(end - begin, out_s - in_s)) / 2
    shared = min(end, out_s) - max(begin, in_s) + 2 * room
    overlap = float(shared / max(end - begin + 2 * room, out_s - in_s + 2 * room, 1e-6))
    if overlap < _LEAST_OVERLAP:
        return 0.0
    return overlap + (_SAME_KIND if finding["kind"] == other["kind"] else 0.0)


def _result(old: Found, place: tuple[float, float] | None, new: Found | None) -> str:
    if place is None:
        return GONE
    if new is None:
        return CURED
    change = _lack(old) - _lack(new)
    if abs(change) <= TOLERANCES.get(str(old["unit"]), 1.0):
        return SAME
    return BETTER if change > 0 else WORSE


def _lack(finding: Found) -> float:
    measured, limit = finding["measured"], finding["limit"]
    return 0.0 if measured is None or limit is None else abs(float(measured) - float(limit))


def holds(found: Sequence[Rechecked]) -> bool:
    """Whether every former finding is cured or gone, and nothing new must be mended."""
    return all(
        r.result in (CURED, GONE) if r.old is not None else r.new is not None and r.new["severity"] != "must"
        for r in found
    )
