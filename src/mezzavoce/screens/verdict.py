"""The verdict in words, and the figures against their limits."""

from collections.abc import Sequence

from mezzavoce_core.exchange.headline import Figure, Left, headline

from ..measuring.models import Judgement
from ..notes.selectors import Marked

_SAID = {"loudness": "the level is off", "peak": "peaks are too high", "signal": "the sound is damaged"}
_VOICE = "the voice is not clear"
DISMISSED = ("not a fault", "allowed")
"""States of a mark that a person decided not to be mended."""


def sentence(judgement: Judgement, marks: list[Marked]) -> str:
    """Does this mix pass, and where not."""
    dismissed = [m for m in marks if m.state in DISMISSED]
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


def left_of(marks: list[Marked]) -> list[Left]:
    """The findings that nobody dismissed, as the head's figures want them."""
    return [(m.mark.kind, m.mark.family, m.severity) for m in marks if m.finding and m.state not in DISMISSED]


def figures(judgement: Judgement, marks: list[Marked]) -> list[Figure]:
    """Loudness, peaks, range, dialogue, speech in the clear, and what must be mended, each against its limit."""
    detail = judgement.detail
    shown = headline(detail["loudness"], detail["clear_share"], detail["spec"]["limits"], left_of(marks))
    return list(shown.values())
