"""The verdict in words, and the figures against their limits."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..measuring.models import Judgement
from ..notes.selectors import Marked

_SAID = {"loudness": "the level is off", "peak": "peaks are too high", "signal": "the sound is damaged"}
_VOICE = "the voice is not clear"


@dataclass(frozen=True)
class Figure:
    """A figure with its unit, the limit in words, and whether it holds (None: not judged)."""

    name: str
    value: str
    unit: str
    limit: str
    holds: bool | None
    means: str


def sentence(judgement: Judgement, marks: list[Marked]) -> str:
    """Does this mix pass, and where not."""
    dismissed = [m for m in marks if m.state in ("not a fault", "allowed")]
    left = [m for m in marks if m.finding and m not in dismissed]
    must = [m for m in left if m.severity == "must"]
    if not left:
        return "May go out: nothing was found." if not dismissed else "May go out: what was found has been decided."
    if not must:
        return _allowed(left)
    said = list(dict.fromkeys(_fault(m) for m in must))
    if said == [_VOICE]:
        return "Not yet: the level is right, the voice is not clear."
    if judgement.detail["passages"] is not None and _VOICE not in said:
        return f"Not yet: {listed(said)}; the voice is clear."
    return f"Not yet: {listed(said)}."


def _allowed(left: list[Marked]) -> str:
    """What is left where nothing must be mended: first what falls short of the spec, else what is taste."""
    should = [m for m in left if m.severity == "should"]
    some = should or left
    return f"May go out; {len(some)} place{'' if len(some) == 1 else 's'} {'should' if should else 'could'} be better."


def _fault(item: Marked) -> str:
    if item.mark.kind == "duration-off":
        return "the length is wrong"
    return _SAID.get(item.mark.family, _VOICE)


def listed(words: Sequence[str]) -> str:
    """Words one after the other, as in a sentence."""
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def figures(judgement: Judgement) -> list[Figure]:
    """Integrated, true peak, range, dialogue, speech in the clear."""
    loud, limits = judgement.detail["loudness"], judgement.detail["spec"]["limits"]
    by_dialogue = limits["anchor"] == "dialogue" and loud["dialogue_lufs"] is not None
    found = [
        _around(
            "Integrated",
            loud["integrated_lufs"],
            None if by_dialogue else limits,
            "How loud the whole programme is, gated as in ITU-R BS.1770.",
        ),
        _at_most(
            "True peak, highest",
            loud["true_peak_max_dbtp"],
            "dBTP",
            limits["true_peak_max_dbtp"],
            "The highest level of the wave itself, also between two samples.",
        ),
    ]
    if limits["short_term_max_lufs"] is not None:
        found.append(
            _at_most(
                "Short-term, highest",
                loud["short_term_max_lufs"],
                "LUFS",
                limits["short_term_max_lufs"],
                "The loudest three seconds.",
            )
        )
    found.append(
        Figure(
            "Range",
            _one(loud["range_lu"]),
            "LU",
            "not limited",
            None,
            "How far soft and loud parts stand apart (EBU Tech 3342).",
        )
    )
    if loud["dialogue_lufs"] is not None:
        found.append(_dialogue(loud, limits, by_dialogue=by_dialogue))
    share = judgement.detail["clear_share"]
    if share is not None:
        least = limits["clear_share_min"]
        holds = None if least is None else round(share * 100) >= round(least * 100)
        words = "not limited" if least is None else f"at least {least * 100:.0f}"
        found.append(
            Figure(
                "Speech in the clear",
                f"{share * 100:.0f}",
                "%",
                words,
                holds,
                f"Share of the speech that stands {limits['clearance_lu']:g} LU or more over what lies under it.",
            )
        )
    return found


def _dialogue(loud: dict[str, Any], limits: dict[str, Any], *, by_dialogue: bool) -> Figure:
    means = "How loud the voice is where somebody speaks, from the dialogue stem."
    if by_dialogue:
        return _around("Dialogue", loud["dialogue_lufs"], limits, means)
    return Figure(
        "Dialogue",
        _one(loud["dialogue_lufs"]),
        "LUFS",
        f"{abs(loud['loudness_to_dialogue_lu']):.1f} LU from programme",
        None,
        means,
    )


def _around(name: str, value: float | None, limits: dict[str, Any] | None, means: str) -> Figure:
    if limits is None or limits["integrated_lufs"] is None or value is None:
        return Figure(name, _one(value), "LUFS", "not limited", None, means)
    holds = abs(round(round(value, 1) - limits["integrated_lufs"], 1)) <= limits["integrated_tolerance_lu"]
    return Figure(
        name,
        _one(value),
        "LUFS",
        f"wants {limits['integrated_lufs']:.1f} ± {limits['integrated_tolerance_lu']:.1f}",
        holds,
        means,
    )


def _at_most(name: str, value: float | None, unit: str, limit: float | None, means: str) -> Figure:
    if limit is None or value is None:
        return Figure(name, _one(value), unit, "not limited", None, means)
    return Figure(name, _one(value), unit, f"at most {limit:.1f}", round(value, 1) <= limit, means)


def _one(value: float | None) -> str:
    return "none" if value is None else f"{value:.1f}"
