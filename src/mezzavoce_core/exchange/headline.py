"""The few figures that stand over a result, each against its limit: the same on every page, in lists and in reports.

A figure *holds*, *falls short* of its limit, or *fails*: it fails where a finding about it must be mended. So one fails
exactly where the verdict does not let the mix go.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from ..judge.model import MUST

HOLDS, SHORT, FAILS, OPEN = "holds", "short", "fails", ""
"""``OPEN``: there is no limit, or nothing to hold against it."""
_VOICE_FAMILIES = ("voice", "ducking", "effects")
Left = tuple[str, str, str]
"""Kind, family and severity of a finding that nobody dismissed."""


@dataclass(frozen=True)
class Figure:
    """A figure with its unit, its limit in words, how it stands, and what it means in a sentence."""

    name: str
    value: str
    unit: str
    limit: str
    state: str
    means: str


def headline(
    loud: Mapping[str, Any], clear_share: float | None, limits: Mapping[str, Any], left: Iterable[Left]
) -> dict[str, Figure]:
    """Figures by their key, in the order in which they are shown.

    ``loud`` are loudness and peaks as results name them, ``limits`` those of the spec, ``left`` the findings that
    nobody dismissed. What has neither a value nor a limit is left out; so are ceilings that the spec does not set.
    """
    found = _Found(limits, list(left))
    by_dialogue = limits["anchor"] == "dialogue" and loud["dialogue_lufs"] is not None
    figures = {
        "integrated": found.around(
            "Integrated",
            loud["integrated_lufs"],
            "How loud the whole programme is, gated as in ITU-R BS.1770.",
            judged=not by_dialogue,
        ),
        "true-peak": found.at_most(
            "True peak, highest",
            loud["true_peak_max_dbtp"],
            "dBTP",
            "true_peak_max_dbtp",
            "true-peak-over",
            "The highest level of the wave itself, also between two samples.",
        ),
        "range": found.at_most(
            "Range",
            loud["range_lu"],
            "LU",
            "range_max_lu",
            "range-too-wide",
            "How far soft and loud parts stand apart (EBU Tech 3342).",
        ),
    }
    figures |= {key: figure for key, figure in found.ceilings(loud).items() if figure.state}
    if loud["dialogue_lufs"] is not None:
        figures["dialogue"] = found.dialogue(loud, by_dialogue=by_dialogue)
    if clear_share is not None:
        figures["clear"] = found.clear(clear_share)
    if count := sum(severity == MUST for _, _, severity in found.left):
        figures["must"] = Figure(
            "To be mended",
            str(count),
            "place" if count == 1 else "places",
            "none may be left",
            FAILS,
            "Findings that must be mended before the mix may go out, or be decided otherwise by a person.",
        )
    return figures


@dataclass(frozen=True)
class _Found:
    """What a figure is held against."""

    limits: Mapping[str, Any]
    left: list[Left]

    def _state(self, kind: str, *, holds: bool) -> str:
        if holds:
            return HOLDS
        return FAILS if any(k == kind and severity == MUST for k, _, severity in self.left) else SHORT

    def around(self, name: str, value: float | None, means: str, *, judged: bool) -> Figure:
        """A level against the one that is wanted."""
        wanted, tolerance = self.limits["integrated_lufs"], self.limits["integrated_tolerance_lu"]
        if not judged or wanted is None or value is None:
            return Figure(name, _one(value), "LUFS", "not limited", OPEN, means)
        holds = abs(round(round(value, 1) - wanted, 1)) <= tolerance
        words = f"wants {wanted:.1f} ± {tolerance:.1f}"
        return Figure(name, _one(value), "LUFS", words, self._state("integrated-off-target", holds=holds), means)

    def at_most(self, name: str, value: float | None, unit: str, limit: str, kind: str, means: str) -> Figure:
        """A figure against its ceiling."""
        most = self.limits.get(limit)
        if most is None or value is None:
            return Figure(name, _one(value), unit, "not limited", OPEN, means)
        holds = round(value, 1) <= round(most, 1)
        return Figure(name, _one(value), unit, f"at most {most:.1f}", self._state(kind, holds=holds), means)

    def ceilings(self, loud: Mapping[str, Any]) -> dict[str, Figure]:
        """Loudness over short windows, which few specs limit."""
        rows = (
            ("short-term", "Short-term, highest", "short_term_max_lufs", "The loudest three seconds."),
            ("momentary", "Momentary, highest", "momentary_max_lufs", "The loudest 400 milliseconds."),
        )
        return {
            key: self.at_most(name, loud.get(field), "LUFS", field, f"{key}-over", means)
            for key, name, field, means in rows
        }

    def dialogue(self, loud: Mapping[str, Any], *, by_dialogue: bool) -> Figure:
        """The voice: the level that is judged, or how far the programme stands from it."""
        means = "How loud the voice is where somebody speaks, from the dialogue stem."
        value, apart = loud["dialogue_lufs"], loud.get("loudness_to_dialogue_lu")
        if by_dialogue:
            return self.around("Dialogue", value, means, judged=True)
        most, words = self.limits.get("loudness_to_dialogue_max_lu"), f"{abs(apart or 0.0):.1f} LU from programme"
        if most is None or apart is None:
            return Figure("Dialogue", _one(value), "LUFS", words, OPEN, means)
        holds = round(abs(apart), 1) <= most
        words = f"{words}, at most {most:.1f}"
        return Figure("Dialogue", _one(value), "LUFS", words, self._state("dialogue-off", holds=holds), means)

    def clear(self, share: float) -> Figure:
        """Speech in the clear; it fails with the finding of its own, or with any place where words must be freed."""
        least, clearance = self.limits["clear_share_min"], self.limits["clearance_lu"]
        means = f"Share of the speech that stands {clearance or 0:g} LU or more over what lies under it."
        value = f"{100 * share:.0f}"
        if least is None:
            return Figure("Speech in the clear", value, "%", "not limited", OPEN, means)
        if round(share, 2) >= round(least, 2):
            state = HOLDS
        else:
            must = any(severity == MUST and family in _VOICE_FAMILIES for _, family, severity in self.left)
            state = FAILS if must else SHORT
        return Figure("Speech in the clear", value, "%", f"at least {100 * least:.0f}", state, means)


def _one(value: float | None) -> str:
    return "none" if value is None else f"{value:.1f}"
