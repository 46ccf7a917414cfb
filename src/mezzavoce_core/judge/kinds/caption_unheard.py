"""A caption shows words where nobody is heard to speak."""

from collections.abc import Iterator
from dataclasses import replace

from ...estimate import exact
from ...measure.captions import FITS, LATE_S, Caption, Captions, is_heard
from ..model import SHOULD, Finding, JudgingContext, Kind

_FEWEST = 4
_CLOSE_S = 1.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each caption without speech, joined over less than a second.

    One for all where they do not fit at all or lie beside the words.
    """
    captions, balance = context.captions, context.balance
    if captions is None or balance is None:
        return
    inside = [c for c in captions.spoken if c.out_s > 0 and c.in_s < context.duration_s]
    if not captions.belong and (len(captions.spoken) >= _FEWEST or not inside):
        yield _foreign(context, captions, anything_inside=bool(inside))
        return
    if captions.late_s:
        yield _beside(context, captions)
    for group in _close([c for c in inside if not is_heard(c, balance.flags)]):
        words = " ".join(" ".join(c.text.split()) for c in group)
        yield _finding(
            group[0].in_s,
            group[-1].out_s,
            title="Caption without voice",
            message=f"The caption “{words[:80]}{'…' if len(words) > 80 else ''}” stands over no speech; the words are "
            "missing, or the caption lies elsewhere.",
            measured=0.0,
        )


def _foreign(context: JudgingContext, captions: Captions, *, anything_inside: bool) -> Finding:
    count = len(captions.spoken)
    what = (
        "No caption lies in the programme"
        if not anything_inside
        else f"Only {captions.fit:.0%} of {count} captions lie on speech"
        if captions.fit < FITS
        else f"The {count} captions meet speech no more often than by chance"
    )
    return _finding(
        0.0,
        context.duration_s,
        title="Captions do not fit the speech",
        message=f"{what}; they seem to belong to another programme or version. Check the caption file.",
        measured=captions.fit,
    )


def _beside(context: JudgingContext, captions: Captions) -> Finding:
    side, back = ("after", "earlier") if captions.late_s > 0 else ("before", "later")
    finding = _finding(
        0.0,
        context.duration_s,
        title="Captions out of step",
        message=(
            f"All captions come {abs(captions.late_s):.1f} s {side} their words; {LATE_S:.1f} s is the most "
            "that goes unnoticed. "
            f"Move them {abs(captions.late_s):.1f} s {back}. They were held against the voice as if they stood there."
        ),
        measured=captions.late_s,
    )
    return replace(finding, limit=LATE_S, unit="s")


def _finding(in_s: float, out_s: float, *, title: str, message: str, measured: float) -> Finding:
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=SHOULD,
        in_s=max(0.0, in_s),
        out_s=out_s,
        title=title,
        message=message,
        estimate=exact(measured),
        limit=FITS,
        unit="of 1",
        role="dialogue",
    )


def _close(captions: list[Caption]) -> list[list[Caption]]:
    groups: list[list[Caption]] = []
    for caption in captions:
        if groups and caption.in_s - groups[-1][-1].out_s < _CLOSE_S:
            groups[-1].append(caption)
        else:
            groups.append([caption])
    return groups


KIND = Kind("caption-unheard", "voice", "caption without voice", find)
