"""Track maps: which tracks (or channels) of one file are the mix and which are its stems.

As text, as a proposal, and checked.

``mix=1-2,dialogue=3-4,music=5-6`` counts tracks from 1, or channels where the file has one track. A role may stand
twice: its sounds are summed. That broadcast deliveries pair tracks as left and right is common practice.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import TrackMapError
from .layouts import is_known
from .probe import FileInfo

MIX = "mix"
_ENTRY = re.compile(r"([a-z]+)=(\d+(?:-\d+)?(?:\+\d+(?:-\d+)?)*)")
_NAMES = (
    ("dialogue", re.compile(r"dialog|dia\b|\bdx\b|voice|speech|narr|\bvo\b|commentary", re.IGNORECASE)),
    ("background", re.compile(r"m ?\+ ?e|m ?& ?e|\bm ?and ?e\b|background|\bi ?t\b|international", re.IGNORECASE)),
    ("music", re.compile(r"music|\bmx\b|\bmus\b|score", re.IGNORECASE)),
    ("effects", re.compile(r"effect|\bs?fx\b|\bsfx|ambien|atmo|foley", re.IGNORECASE)),
    (MIX, re.compile(r"\bmix\b|full|main|programme|program|\bpgm\b|master|stereo|\btotal\b", re.IGNORECASE)),
)


@dataclass(frozen=True)
class Lane:
    """Tracks that are one sound: a pair of mono tracks, a stereo track, some channels.

    ``title`` is what the file calls it.
    """

    tracks: tuple[int, ...]
    channels: int
    title: str

    @property
    def written(self) -> str:
        """The tracks as they stand in a map."""
        return write_tracks(self.tracks)


def parse_map(text: str, roles: Sequence[str]) -> tuple[tuple[str, tuple[int, ...]], ...]:
    """Roles with their tracks, in the order written.

    Raises TrackMapError when a track stands twice, no mix or more than one is named, or a role is unknown.
    """
    found = []
    for entry in text.replace(" ", "").split(","):
        match = _ENTRY.fullmatch(entry)
        if not match:
            raise TrackMapError(f"“{entry}” is no entry of a track map; write for example mix=1-2,dialogue=3-4.")
        if match[1] not in (MIX, *roles):
            raise TrackMapError(f"“{match[1]}” is no role; a track can be {', '.join((MIX, *roles))}.")
        found.append((match[1], read_tracks(match[2])))
    check_map(found)
    return tuple(found)


def check_map(entries: Sequence[tuple[str, tuple[int, ...]]]) -> None:
    """Raise TrackMapError when a track stands twice, or when none or more than one entry is the mix."""
    mixes = sum(role == MIX for role, _ in entries)
    if not mixes:
        raise TrackMapError("No track is named as the mix; say which tracks hold it, for example mix=1-2.")
    if mixes > 1:
        raise TrackMapError("Two entries are named as the mix; give one of them another role, or join them (mix=1-6).")
    seen: set[int] = set()
    for _, tracks in entries:
        for track in tracks:
            if track in seen:
                raise TrackMapError(f"Track {track} stands in the map twice; give it one role.")
            seen.add(track)


def read_tracks(text: str) -> tuple[int, ...]:
    """``3-4`` or ``1+3`` as numbers. Raises TrackMapError for a range that runs backwards or is absurdly long."""
    tracks: list[int] = []
    for part in text.split("+"):
        first, _, last = part.partition("-")
        begin, end = int(first), int(last or first)
        if not 1 <= begin <= end <= 1000:
            raise TrackMapError(f"“{part}” is no range of tracks; they count from 1 upwards, for example 3-4.")
        tracks += range(begin, end + 1)
    return tuple(tracks)


def write_tracks(tracks: Sequence[int]) -> str:
    """Numbers as ``3-4`` or ``1+3``."""
    if len(tracks) > 1 and list(tracks) == list(range(tracks[0], tracks[-1] + 1)):
        return f"{tracks[0]}-{tracks[-1]}"
    return "+".join(str(t) for t in tracks)


def sounds_in(info: FileInfo, *, in_pairs: bool = False) -> tuple[Lane, ...]:
    """The sounds that a file seems to hold.

    Each track with several channels, mono tracks in pairs, the channels of one track in pairs.

    ``in_pairs``: the channels of one track are pairs even where the file calls them a surround layout, as some writers
    do by mistake.
    """
    if len(info.streams) == 1:
        return _lanes_of_channels(info, in_pairs=in_pairs)
    found: list[Lane] = []
    waiting: int | None = None
    for stream in info.streams:
        if stream.channels != 1:
            waiting = None
            found.append(Lane((stream.number,), stream.channels, stream.title))
        elif waiting is not None and info.streams[waiting - 1].sample_rate_hz == stream.sample_rate_hz:
            first = info.streams[waiting - 1]
            found[-1] = Lane((waiting, stream.number), 2, _common(first.title, stream.title))
            waiting = None
        else:
            found.append(Lane((stream.number,), 1, stream.title))
            waiting = stream.number
    return tuple(found)


def _lanes_of_channels(info: FileInfo, *, in_pairs: bool) -> tuple[Lane, ...]:
    stream = info.streams[0]
    whole = tuple(range(1, stream.channels + 1))
    if not in_pairs and stream.says_layout and is_known(stream.layout, stream.channels):
        return (Lane(whole, stream.channels, stream.title),)
    return tuple(Lane(whole[k : k + 2], len(whole[k : k + 2]), "") for k in range(0, stream.channels, 2))


def _common(first: str, second: str) -> str:
    """What two titles share at their beginning, or both."""
    if first == second or not second:
        return first
    count = next((k for k, (a, b) in enumerate(zip(first, second, strict=False)) if a != b), 0)
    return first[:count].rstrip(" ._-(") or f"{first}, {second}"


def mix_tracks(info: FileInfo) -> tuple[int, ...]:
    """The tracks that are the mix where nobody says otherwise: the first one, or the first two where they are mono."""
    if len(info.streams) == 1:
        return ()
    return sounds_in(info)[0].tracks


def role_of(title: str) -> str | None:
    """The role that a track's name tells."""
    return next((role for role, like in _NAMES if like.search(title)), None)
