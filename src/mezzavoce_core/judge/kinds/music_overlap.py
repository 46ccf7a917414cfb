"""Two cues sound at once across a join: one is not gone while the other is there already."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.cues import Meeting, meetings
from ..model import SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import BACK_S, trapezoid, within_file
from ..remedy import Part, Remedy

LEAST_S = 0.5
"""Common practice: a crossfade keeps two cues at their level for a moment only."""
_FADE_S = 0.4
_AWAY_DB = -60.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each pair of cues that both stand at their level for half a second or more."""
    for meeting in meetings(context.cues or (), context.measurement.music_stems()):
        if meeting.out_s - meeting.in_s >= LEAST_S:
            yield _finding(context, meeting)


def _finding(context: JudgingContext, meeting: Meeting) -> Finding:
    length = meeting.out_s - meeting.in_s
    gone_s = meeting.ends.out_s
    points = trapezoid((max(0.0, meeting.in_s - _FADE_S), meeting.in_s, gone_s, gone_s + BACK_S), _AWAY_DB)
    remedy = Remedy("remove", Part("music", meeting.ends.sources[0]), _AWAY_DB, points)
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=SHOULD,
        in_s=meeting.in_s,
        out_s=meeting.out_s,
        title="Two cues at once",
        message=(
            f"For {length:.1f} s the cue of “{meeting.ends.sources[0]}” and the one of "
            f"“{meeting.begins.sources[0]}” sound together at their full level; "
            f"more than {LEAST_S:g} s is no crossfade."
        ),
        estimate=exact(length),
        limit=LEAST_S,
        unit="s",
        role="music",
        source=meeting.ends.sources[0],
        remedy=within_file(context, remedy),
    )


KIND = Kind("music-overlap", "music", "two cues at once", find, wants_stems=True)
