"""What sound is taken from which files.

A whole file, some of its tracks or channels, or a channel from each of several files.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ..errors import LayoutError, TrackMapError
from .layouts import LAYOUTS, is_known, layout_name, parse_layout
from .probe import FileInfo, probe

# Lengths of files that are channels of one sound may differ by as much as an encoder pads.
_LENGTHS_WITHIN_S = 0.1
_CHANNEL_AT_END = re.compile(r"[._\- ](L|R|C|LFE|Ls|Rs|Lb|Rb|left|right)$", re.IGNORECASE)
_LONG_NAMES = {"left": "L", "right": "R"}


@dataclass(frozen=True)
class Sound:
    """A wish: one file, or several with the channels of one sound.

    ``tracks`` counts from 1 and is empty for the first track as a whole.

    In a file with one track its channels are counted instead. ``layout`` is a person's word on where the channels
    stand.
    """

    paths: tuple[Path, ...]
    name: str
    tracks: tuple[int, ...] = ()
    layout: str | None = None


@dataclass(frozen=True)
class Pick:
    """Channels of one audio track of one file; ``channels`` are indices, None takes all."""

    path: Path
    stream: int
    channels: tuple[int, ...] | None
    info: FileInfo


@dataclass(frozen=True)
class Source:
    """Sound ready to be decoded: ``picks`` beside each other make the channels; ``info`` describes the whole."""

    picks: tuple[Pick, ...]
    info: FileInfo

    @property
    def name(self) -> str:
        """How messages call it."""
        return self.info.name


def open_sound(sound: Sound) -> Source:
    """Find the wished-for sound. Raises MediaError, TrackMapError or LayoutError with a sentence."""
    infos = [probe(p, sound.name if len(sound.paths) == 1 else p.name) for p in sound.paths]
    found = picks(sound.paths[0], infos[0], sound.tracks) if len(infos) == 1 else _beside_each_other(sound, infos)
    first = infos[0].streams[found[0].stream - 1]
    channels = sum(_count(p) for p in found)
    return Source(
        found,
        replace(
            infos[0],
            name=sound.name,
            channels=channels,
            layout=_layout(sound, found, channels),
            sample_rate_hz=first.sample_rate_hz,
            duration_s=max(p.info.streams[p.stream - 1].duration_s for p in found),
        ),
    )


def _count(pick: Pick) -> int:
    return len(pick.channels) if pick.channels is not None else pick.info.streams[pick.stream - 1].channels


def picks(path: Path, info: FileInfo, tracks: Sequence[int]) -> tuple[Pick, ...]:
    """What is read for some tracks (or channels) of a probed file, counted from 1.

    Raises TrackMapError where one is not there or they are no one sound.
    """
    if len(info.streams) == 1:
        return (Pick(path, 1, _channels(info, tracks), info),)
    for track in tracks:
        if not 1 <= track <= len(info.streams):
            raise TrackMapError(f"“{info.name}” has {len(info.streams)} audio tracks; there is no track {track}.")
    chosen = [info.streams[t - 1] for t in tracks or (1,)]
    if len({s.sample_rate_hz for s in chosen}) > 1:
        raise TrackMapError(
            f"Tracks {_listed(tracks)} of “{info.name}” run at different sample rates and cannot be one sound."
        )
    if len(chosen) > 1 and any(s.channels != 1 for s in chosen):
        raise TrackMapError(
            f"Tracks {_listed(tracks)} of “{info.name}” are not all mono; only mono tracks can stand beside "
            "each other as one sound."
        )
    return tuple(Pick(path, s.number, None, info) for s in chosen)


def _channels(info: FileInfo, tracks: Sequence[int]) -> tuple[int, ...] | None:
    if not tracks:
        return None
    for track in tracks:
        if not 1 <= track <= info.streams[0].channels:
            raise TrackMapError(
                f"The one audio track of “{info.name}” has {info.streams[0].channels} channels; there is no "
                f"channel {track}."
            )
    return tuple(t - 1 for t in tracks)


def _beside_each_other(sound: Sound, infos: Sequence[FileInfo]) -> tuple[Pick, ...]:
    """One channel from each of several files, in the order that their names tell, else in the order given."""
    if sound.tracks:
        raise TrackMapError("Tracks can be chosen from one file, not from several that make one sound.")
    for info in infos:
        if info.channels != 1:
            raise TrackMapError(
                f"“{info.name}” has {info.channels} channels. Several files make one sound only when each "
                "holds one channel."
            )
        if (
            info.sample_rate_hz != infos[0].sample_rate_hz
            or abs(info.duration_s - infos[0].duration_s) > _LENGTHS_WITHIN_S
        ):
            raise TrackMapError(
                f"“{info.name}” and “{infos[0].name}” differ in length or sample rate, so they are not the "
                "channels of one sound."
            )
    picks = [Pick(path, 1, None, info) for path, info in zip(sound.paths, infos, strict=True)]
    order = _order_by_name(infos)
    return tuple(picks[k] for k in order) if order else tuple(picks)


def _order_by_name(infos: Sequence[FileInfo]) -> list[int] | None:
    """Where each channel of the usual layout of that many is, from names like ``mix.L.wav``.

    None where they do not tell.
    """
    found = []
    for info in infos:
        match = _CHANNEL_AT_END.search(Path(info.name).stem)
        if match is None:
            return None
        found.append(parse_layout(_LONG_NAMES.get(match[1].lower(), match[1])))
    wanted = LAYOUTS.get(layout_name(None, len(infos)), ())
    written = ["FC" if f == "mono" else f for f in found]
    return [written.index(p) for p in wanted] if sorted(written) == sorted(wanted) else None


def _layout(sound: Sound, picks: Sequence[Pick], channels: int) -> str:
    """A person's word first, then the file's, then what is usual for that many channels."""
    if sound.layout:
        layout = parse_layout(sound.layout)
        if not is_known(layout, channels):
            raise LayoutError(
                f"“{sound.name}” has {channels} channels, the layout “{sound.layout}” has not. List one "
                "position for each channel."
            )
        return layout
    stream = picks[0].info.streams[picks[0].stream - 1]
    layout = stream.layout if len(picks) == 1 and picks[0].channels is None else layout_name(None, channels)
    if not is_known(layout, channels):
        raise LayoutError(
            f"“{sound.name}” has {channels} channels and does not say where they stand. Choose those of the "
            "mix (for example --tracks mix=1-2), "
            f"or list the position of each (--channels “L C R …”)."
        )
    return layout


def _listed(tracks: Sequence[int]) -> str:
    return ", ".join(str(t) for t in tracks)
