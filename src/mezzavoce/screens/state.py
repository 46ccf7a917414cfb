"""What of a review changed since the version that a page shows. Nothing else is built or sent."""

from typing import Any

from django.http import HttpRequest

from ..config.inputs import whole
from ..config.refresh import Version, changed, rendered
from .review import Review
from .templatetags.lines import line_of

_PARTS = {
    "figures": ("screens/_figures.html", {"judged", "decisions"}),
    "range": ("screens/_range_row.html", {"judged", "run"}),
    "finding": ("screens/_finding_part.html", {"judged", "decisions", "answers", "notes", "bounds"}),
    "undo": ("screens/_undo.html", {"decisions", "bounds", "corrections"}),
    "measuring": ("screens/_measuring.html", {"run", "progress"}),
    "preparing": ("screens/_preparing.html", {"playback"}),
}
"""Each part of the page with its template and the sources that it is drawn from."""
_FACTS = {"judged", "decisions"}
_LINES = {"judged", "decisions", "answers", "bounds"}


def state_of(request: HttpRequest, review: Review, label: str, shown: str, seen: Version) -> dict[str, Any]:
    """What changed since ``seen`` on a page; empty where nothing did.

    The page shows the finding of the mark ``shown`` and is to show that of ``label``.

    ``parts`` are HTML by name, ``facts`` single words and sentences, ``lines`` the lines of the list that may be other
    ones now, by label (all of them, with their ``order``, where it may be another), ``states`` the decision on each
    mark, ``data`` what hangs on the judgement.
    """
    new = changed(review.version, seen)
    if not new and label == shown:
        return {}
    chosen = review.chosen.mark.label if review.chosen else ""
    names = [name for name, (_, sources) in _PARTS.items() if new & sources or (name == "finding" and chosen != shown)]
    state: dict[str, Any] = {
        "chosen": chosen,
        "playback": review.version["playback"],
        "parts": rendered(request, [(name, _PARTS[name][0]) for name in names], {"review": review}),
    }
    if new & _FACTS:
        state["facts"] = review.facts
    if new & _LINES:
        state["lines"] = _lines(review, new, seen)
    if "judged" in new or "bounds" in new:
        state["data"] = review.for_page
        state["order"] = [m.mark.label for m in review.marks]
    elif "decisions" in new:
        state["states"] = {m.mark.label: m.state for m in review.marks}
    return state


def _lines(review: Review, new: set[str], seen: Version) -> dict[str, str]:
    """Lines of the list that may read otherwise than before.

    Where only decisions or answers came: those of the marks decided since, and of marks with a note.
    """
    items = review.marks
    if not new & {"judged", "bounds"}:
        last = whole(seen.get("decisions")) or 0
        items = [m for m in items if (m.decision and m.decision.pk > last) or (m.note and "answers" in new)]
    return {m.mark.label: line_of(m, review.word(m)) for m in items}
