"""Which sound is taken from which files of a mix.

Whole files, tracks of one file, or a channel from each of several.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

from mezzavoce_core.media.layouts import is_known, layout_name
from mezzavoce_core.media.probe import FileInfo
from mezzavoce_core.media.source import picks
from mezzavoce_core.media.tracks import check_map, read_tracks, role_of, sounds_in

from ..config.refusals import Refused
from .models import Mix, StoredFile, Track

TRACKS = re.compile(r"(?:[0-9]{1,4}(?:-[0-9]{1,4})?(?:\+[0-9]{1,4}(?:-[0-9]{1,4})?){0,63})?")
"""Tracks of a file as text: ``1-2``, ``1+3``; empty for the file as a whole."""
CAPTIONS = "captions"
"""The part of a file that is no sound."""


class Piece(NamedTuple):
    """A file, or some of its tracks, in a role."""

    file: StoredFile
    role: str
    tracks: str = ""

    @property
    def info(self) -> FileInfo:
        """What the file says about itself."""
        return self.file.info

    @property
    def channels(self) -> int:
        """How many channels it gives."""
        return (
            len(read_tracks(self.tracks)) * (1 if len(self.info.streams) == 1 else self._stream_channels)
            if self.tracks
            else self.info.channels
        )

    @property
    def _stream_channels(self) -> int:
        return self.info.streams[read_tracks(self.tracks)[0] - 1].channels


@dataclass(frozen=True)
class Shape:
    """What the mix is made of: channels and where they stand."""

    channels: int
    layout: str
    info: FileInfo


def check_pieces(pieces: Sequence[Piece]) -> None:
    """Raise Refused or TrackMapError when files and roles do not make one mix with its stems."""
    for piece in pieces:
        if piece.tracks:
            picks(Path(piece.file.name), piece.info, read_tracks(piece.tracks))
    mixes = [p for p in pieces if p.role == Track.Role.MIX]
    if not mixes:
        raise Refused("No file is marked as the mix. Choose a video or audio file that holds the finished mix.")
    if len(mixes) > 1 and (any(p.channels != 1 for p in mixes) or len({p.file.pk for p in mixes}) < len(mixes)):
        raise Refused(
            "Two files are marked as the mix; give one of them the role of a stem. Only files with one channel "
            "each can be the mix together."
        )
    seen: dict[str, StoredFile] = {}
    for piece in pieces:
        other = seen.setdefault(piece.file.sha256, piece.file)
        if other.pk != piece.file.pk or (not piece.tracks and sum(p.file.pk == piece.file.pk for p in pieces) > 1):
            raise Refused(f"“{piece.file.name}” and “{other.name}” are the same file. Remove one of them.")
    mapped = [(p.role, read_tracks(p.tracks)) for p in pieces if p.tracks and p.file.pk == mixes[0].file.pk]
    if mapped:
        check_map(mapped)


def shape_of(pieces: Sequence[Piece], layout: str) -> Shape:
    """Channels and layout of the mix; ``layout`` is a person's word.

    Raises Refused where somebody has to say how the channels stand.
    """
    mixes = [p for p in pieces if p.role == Track.Role.MIX]
    info, channels = mixes[0].info, sum(p.channels for p in mixes)
    if layout:
        if not is_known(layout, channels):
            raise Refused(
                f"The mix has {channels} channels, which does not go with the order “{layout}”. Choose the order again."
            )
        return Shape(channels, layout, info)
    own = _own_layout(mixes[0], info) if len(mixes) == 1 else None
    if own is None and channels > 2:
        raise Refused(f"“{mixes[0].file.name}” does not say where its {channels} channels stand. Choose their order.")
    return Shape(channels, own or layout_name(None, channels), info)


def _own_layout(piece: Piece, info: FileInfo) -> str | None:
    """The layout that the file itself tells, where all channels of one track are taken."""
    number = 1 if not piece.tracks or len(info.streams) == 1 else read_tracks(piece.tracks)[0]
    stream = info.streams[number - 1]
    return stream.layout if stream.says_layout and stream.channels == piece.channels else None


def signature(info: FileInfo) -> str:
    """How the tracks of a file are made up, so that the next file made the same way is known."""
    return " ".join(str(s.channels) for s in info.streams)


def holds_several(info: FileInfo) -> bool:
    """Whether a file seems to hold more than one sound, or a sound whose channels nobody named."""
    found = sounds_in(info)
    return len(found) > 1 or role_of(found[0].title) not in (None, Track.Role.MIX)


def sounds(tracks: Sequence[Track], layout: str) -> list[tuple[str, list[Track], str]]:
    """Role, tracks and layout of every sound of a mix, the mix first.

    Mono files of the mix stand together as its channels.
    """
    mixed = [t for t in tracks if t.role == Track.Role.MIX]
    found = [(Track.Role.MIX.value, mixed, layout)]
    return found + [(t.role, [t], "") for t in tracks if t.role != Track.Role.MIX]


def order_part(role: str, own: Sequence[Track], layout: str, paths: dict[int, str]) -> dict[str, Any]:
    """A sound as the core's order wants it."""
    first = own[0]
    name = first.file.name if not first.tracks else f"{first.file.name}, tracks {first.tracks}"
    part: dict[str, Any] = {"paths": [paths[t.pk] for t in own], "name": name, "role": role}
    if first.tracks:
        part["tracks"] = list(read_tracks(first.tracks))
    if layout and role == Track.Role.MIX:
        part["layout"] = layout
    return part


def tracks_of(mix: Mix) -> list[Track]:
    """The tracks of a mix with their files, in the order ingested."""
    return list(Track.objects.filter(mix=mix).select_related("file").order_by("id"))
