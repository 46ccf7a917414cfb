"""Music runs on where the programme, a part of it, or the picture is over."""

from collections.abc import Iterator

from ...estimate import exact
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import fade_out

_LEAST_S = 0.5
_FADE_S = 1.5


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each end that music passes by half a second or more."""
    for at_s, length_s in context.music_beyond:
        if round(length_s, 1) < _LEAST_S:
            continue
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=SHOULD,
            in_s=max(0.0, at_s - _FADE_S),
            out_s=at_s,
            title="Music runs past the end",
            message=f"The music goes on for {length_s:.1f} s where the programme or its picture is over; it should be "
            "gone by then.",
            estimate=exact(length_s),
            limit=0.0,
            unit="s",
            role="music",
            remedy=fade_out(context, max(0.0, at_s - _FADE_S), at_s, source=None, goes_on_s=length_s),
        )


KIND = Kind(
    "music-overrun", "music", "music past the end", find, wants_stems=True, reshaped="Fade {who} out before the end"
)
