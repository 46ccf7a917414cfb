"""Marks and scales as SVG, the same hand on every page."""

from typing import Any

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from mezzavoce_core.exchange.headline import FAILS, SHORT
from mezzavoce_core.exchange.words import figure_words, short_name

register = template.Library()

_SHAPES = {
    "square": '<rect x="3" y="3" width="22" height="22"/>',
    "diamond": '<path d="M14 1 27 14 14 27 1 14Z"/>',
    "round": '<circle cx="14" cy="14" r="12"/>',
    "triangle": '<path d="M14 2 27 25H1Z"/>',
    "hexagon": '<path d="M7.5 2.5h13L27 14l-6.5 11.5h-13L1 14Z"/>',
}
_OF_FAMILY = {"voice": "diamond", "ducking": "round", "music": "triangle", "effects": "hexagon"}


@register.filter
def kind_words(kind: str) -> str:
    """A kind of finding in a few words."""
    return short_name(kind)


@register.simple_tag
def mark(label: str, family: str, state: str = "open", severity: str = "must") -> SafeString:
    """A mark: its label in the frame of its family; dealt with, it goes grey."""
    shape = _OF_FAMILY.get(family, "square")
    tone = severity if state == "open" else "done"
    low = "18.6" if shape != "triangle" else "22"
    return format_html(
        '<svg class="sign sign-{} sign-{}" viewBox="0 0 28 28" role="img" aria-label="{} ({}, {})">{}<text '
        'x="14" y="{}" text-anchor="middle">{}</text></svg>',
        shape,
        tone,
        label,
        family,
        state,
        mark_safe(_SHAPES[shape]),  # noqa: S308  (shapes are constants of this module)
        low,
        label,
    )


class Scale:
    """A horizontal scale from low to high over a width in pixels."""

    def __init__(self, low: float, high: float, width: int) -> None:
        """Values beyond the ends stand at the ends."""
        self.low, self.high, self.width = low, high, width

    def x(self, value: float) -> float:
        """Where a value stands."""
        share = (min(max(value, self.low), self.high) - self.low) / (self.high - self.low)
        return round(4 + share * (self.width - 8), 1)


LOUDNESS = Scale(-27, -13, 150)
CLEARANCE = Scale(0, 22, 190)


@register.simple_tag
def loudness_scale(figures: dict[str, Any], limits: dict[str, Any], state: str) -> SafeString:
    """Integrated loudness on the common scale, with the band that the spec allows, and how it stands."""
    value = figures.get("integrated_lufs")
    if value is None:
        return SafeString("")
    target, tolerance = limits.get("integrated_lufs"), limits.get("integrated_tolerance_lu", 0)
    band: SafeString = SafeString("")
    if target is not None:
        left, right = LOUDNESS.x(target - tolerance), LOUDNESS.x(target + tolerance)
        band = format_html(
            '<rect class="scale-band" x="{}" y="5" width="{}" height="14"/>', left, max(4, round(right - left, 1))
        )
    place = LOUDNESS.x(value)
    anchor, text_at = ("start", place + 6) if place < 100 else ("end", place - 6)
    return format_html(
        '<svg class="scale" viewBox="0 0 150 24" width="150" height="24" role="img" aria-label="{} LUFS{}">'
        '<line class="scale-rule" x1="0" x2="150" y1="12" y2="12"/>{}<rect class="scale-hand {}" x="{}" y="4" '
        'width="3" height="16"/>'
        '<text x="{}" y="10" text-anchor="{}">{}</text></svg>',
        f"{value:.1f}",
        {SHORT: ", falls short", FAILS: ", fails"}.get(state, ""),
        band,
        "is-off" if state in (SHORT, FAILS) else "",
        round(place - 1.5, 1),
        text_at,
        anchor,
        f"{value:.1f}",
    )


@register.simple_tag
def clearance_scale(figures: dict[str, Any], limits: dict[str, Any]) -> SafeString:
    """Voice over what lies under it, a tick a passage, on the common scale.

    Below the clearance ticks hang under the line.
    """
    ratios = figures.get("ratios_lu")
    if not ratios:
        return SafeString("")
    wanted = limits.get("clearance_lu") or 0
    ticks = format_html_join(
        "",
        '<rect class="tick {}" x="{}" y="{}" width="2" height="8"/>',
        (("is-thin", CLEARANCE.x(r), 13) if round(r, 1) < wanted else ("", CLEARANCE.x(r), 3) for r in ratios),
    )
    thin = sum(round(r, 1) < wanted for r in ratios)
    return format_html(
        '<svg class="scale" viewBox="0 0 190 24" width="190" height="24" role="img" aria-label="{} of {} '
        'passages below {} LU">'
        '<line class="scale-limit" x1="{}" x2="{}" y1="0" y2="24"/>{}</svg>',
        thin,
        len(ratios),
        f"{wanted:g}",
        CLEARANCE.x(wanted),
        CLEARANCE.x(wanted),
        ticks,
    )


@register.simple_tag
def scale_head(which: str) -> SafeString:
    """The figures over a column with a common scale."""
    scale, values = (LOUDNESS, (-26, -23, -20, -17, -14)) if which == "loudness" else (CLEARANCE, (0, 5, 10, 15, 20))
    texts = format_html_join(
        "",
        '<text x="{}" y="10" text-anchor="middle">{}</text>',
        ((min(max(scale.x(v), 8), scale.width - 8), v) for v in values),
    )
    return format_html(
        '<svg class="scale" viewBox="0 0 {} 12" width="{}" height="12" aria-hidden="true">{}</svg>',
        scale.width,
        scale.width,
        texts,
    )


_SCALE_WIDTH = 210


@register.simple_tag
def limit_scale(row: Any) -> SafeString:
    """Where a limit stands on its scale: what is allowed as a heavy line, what is not as hatching."""
    facts, value = row.facts, row.value
    if facts.choices:
        return SafeString("")
    begin, end = facts.scale
    scale = Scale(begin, end, _SCALE_WIDTH)
    low, high = (f"{v:g}" for v in facts.scale)
    ends = format_html(
        '<text x="4" y="30">{}</text><text x="{}" y="30" text-anchor="end">{}</text>', low, _SCALE_WIDTH - 4, high
    )
    rule = format_html('<line class="rule" x1="4" x2="{}" y1="12" y2="12"/>', _SCALE_WIDTH - 4)
    drawn = SafeString("") if value is None else _limit_marks(scale, facts.side, float(value), row.tolerance)
    words = "not judged" if value is None else f"{value:g} {facts.unit}"
    return format_html(
        '<svg class="limit-scale" viewBox="0 0 {0} 32" width="{0}" height="32" role="img" '
        'aria-label="{1}">{2}{3}{4}</svg>',
        _SCALE_WIDTH,
        words,
        rule,
        ends,
        drawn,
    )


def _limit_marks(scale: Scale, side: str, value: float, tolerance: float) -> SafeString:
    at = scale.x(value)
    ends = {
        "above": (scale.x(scale.low), at),
        "below": (at, scale.x(scale.high)),
        "around": (scale.x(value - tolerance), scale.x(value + tolerance)),
    }
    left, right = ends[side]
    right = max(right, left + 3) if side == "around" else right
    hatched = [x for x in range(8, scale.width - 4, 6) if x < left - 3 or x > right + 3]
    closed = format_html_join(
        "", '<line class="closed" x1="{}" x2="{}" y1="16" y2="8"/>', ((x - 2, x + 2) for x in hatched)
    )
    return format_html(
        '{}<line class="open" x1="{}" x2="{}" y1="12" y2="12"/><rect class="hand" x="{}" y="4" width="3" height="16"/>',
        closed,
        left,
        right,
        round(at - 1.5, 1),
    )


@register.filter
def percent(share: float | str | None) -> str:
    """A share as whole per cent; nothing where there is none."""
    return "" if share in (None, "") else f"{share * 100:.0f}"


@register.filter
def of(rows: dict[Any, Any], key: object) -> Any:
    """What a table holds under a key; nothing where there is none."""
    return rows.get(key, "")


@register.filter
def tenth(value: float | str | None) -> str:
    """A figure to one tenth; nothing where there is none."""
    return "" if value in (None, "") else f"{value:.1f}"


@register.filter
def figure(evidence: dict[str, Any], name: str) -> str:
    """What was ``measured`` or its ``limit``, with its unit."""
    return figure_words(evidence, name)


@register.filter
def signed(value: float) -> str:
    """A gain with its sign."""
    return f"{value:+.1f}" if value else "0.0"
