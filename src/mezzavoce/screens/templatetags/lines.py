"""The list of findings, line by line."""

from functools import lru_cache

from django import template
from django.template.loader import render_to_string
from django.utils.safestring import SafeString

from ...notes.selectors import Marked

register = template.Library()


@register.simple_tag
def line(item: Marked, word: str, chosen: Marked | None) -> SafeString:
    """A finding as a line of the list, with the word at its end."""
    return line_of(item, word, chosen=item is chosen)


def line_of(item: Marked, word: str, *, chosen: bool = False) -> SafeString:
    """The same for scripts, which say themselves which one is chosen."""
    mark = item.mark
    return _line(
        (
            ("label", mark.label),
            ("family", mark.family),
            ("kind", mark.kind),
            ("severity", item.severity),
            ("state", item.state),
            ("timecode", item.in_timecode),
            ("title", item.title),
            ("word", word),
            ("done", not item.is_open),
            ("chosen", chosen),
        )
    )


@lru_cache(maxsize=4096)
def _line(says: tuple[tuple[str, str | bool], ...]) -> SafeString:
    """Of hundreds of lines few change when one finding is decided or a stretch judged again."""
    return render_to_string("screens/_line.html", dict(says))
