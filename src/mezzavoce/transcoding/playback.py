"""Picture and sound for the browser, made once from whatever was delivered."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from pathlib import Path

from django.db import transaction

from mezzavoce_core.errors import NotMeasurable
from mezzavoce_core.media.source import picks
from mezzavoce_core.media.tracks import read_tracks
from mezzavoce_core.versions.pictures import FRAMES_PER_S, HEIGHT, WIDTH

from ..config.refusals import Refused
from ..library.models import Mix, Playback, StoredFile, Track
from ..library.sounds import TRACKS, tracks_of
from ..library.storage import drop, keep, local_copy
from ..processes import ffmpeg
from ..processes.folders import work_folder
from ..processes.slots import slot
from ..work.execution import work_next as work_through
from ..work.queue import Queue, Rules
from .signals import playback_ready

_FILM = ["-c:v", "libx264", "-preset", "veryfast", "-pix_fmt", "yuv420p"]
_PICTURE = ["-map", "0:v:0", "-vf", "scale=-2:'min(480,trunc(ih/2)*2)'", *_FILM, "-crf", "26", "-g", "12"]
# Mono and stereo stay; more channels are folded down for the browser only.
_SOUND = ["-c:a", "aac", "-b:a", "192k", "-ac", "2"]
_NOT_TOUCHED = "the figures are not touched by that."

PLAYBACKS: Queue[Playback] = Queue(
    kind="playback",
    rows=Playback.objects.all(),
    production="mix__programme__production_id",
    rules=Rules(
        lease_s=60,
        most_attempts=3,
        first_wait_s=30,
        given_up=f"The worker stopped {{attempts}} times while it made picture and sound for the browser; "
        f"{_NOT_TOUCHED}",
    ),
)


def work_next() -> bool:
    """Make the next playback file that is wanted. Returns whether there was one."""
    return work_through(PLAYBACKS, _make)


def _make(row: Playback) -> None:
    mix = Mix.objects.select_related("programme__production").get(pk=row.mix_id)
    mixed = [t for t in tracks_of(mix) if t.role == Track.Role.MIX]
    with work_folder() as folder, ExitStack() as copies:
        paths = [copies.enter_context(local_copy(t.file)) for t in mixed]
        target = folder / "playback.mp4"
        picture = _PICTURE if mix.has_picture else ["-vn"]
        options = [*sound_options(mixed, paths), *picture, *_SOUND]
        problem = ffmpeg.run(options, target, 600 + 4 * mix.duration_s, lambda: PLAYBACKS.extend(row))
        if problem:
            raise NotMeasurable(f"Picture and sound could not be prepared for the browser ({problem}); {_NOT_TOUCHED}")
        with transaction.atomic():
            held = PLAYBACKS.mine(row)
            if held is None:
                return
            if held.file:
                drop(held.file)
            held.file = keep(target, mix.production, StoredFile.Kind.PLAYBACK, "playback.mp4")
            held.release(Playback.State.READY)
            held.save()
            playback_ready.send(sender=Mix, mix=mix)


def sound_options(tracks: Sequence[Track], paths: Sequence[Path]) -> list[str]:
    """Inputs and mapping of ffmpeg for a sound.

    A whole file, tracks or channels of one, or one channel from each of several.
    """
    inputs = [option for path in paths for option in ("-i", f"file:{path.resolve()}")]
    if len(paths) > 1:
        return [*inputs, "-filter_complex", _merged([(k, 0) for k in range(len(paths))]), "-map", "[sound]"]
    chosen = read_tracks(tracks[0].tracks) if tracks[0].tracks else ()
    if not chosen:
        return [*inputs, "-map", "0:a:0"]
    if len(tracks[0].file.info.streams) == 1:
        picked = "|".join(f"c{k}=c{t - 1}" for k, t in enumerate(chosen))
        return [*inputs, "-filter_complex", f"[0:a:0]pan={len(chosen)}c|{picked}[sound]", "-map", "[sound]"]
    if len(chosen) == 1:
        return [*inputs, "-map", f"0:a:{chosen[0] - 1}"]
    return [*inputs, "-filter_complex", _merged([(0, t - 1) for t in chosen]), "-map", "[sound]"]


def _merged(streams: Sequence[tuple[int, int]]) -> str:
    return "".join(f"[{k}:a:{n}]" for k, n in streams) + f"amerge=inputs={len(streams)}[sound]"


def listen(file: StoredFile, tracks: str, target: Path) -> None:
    """Twelve seconds of some tracks of a file from where they are loudest, to be heard while roles are given.

    Raises Refused where nothing is there.
    """
    _check_tracks(file, tracks)
    with slot(), local_copy(file) as path:
        track = Track(file=file, tracks=tracks, role=Track.Role.MIX)
        begin = _loudest_s(file, tracks)
        problem = ffmpeg.run(["-ss", f"{begin:.2f}", *sound_options([track], [path]), "-t", "12", *_SOUND], target, 20)
    if problem:
        raise Refused("This track cannot be played; give it a role by its name, or leave it out.")


def _check_tracks(file: StoredFile, tracks: str) -> None:
    """Raise TrackMapError or Refused for tracks that a file does not have."""
    if not TRACKS.fullmatch(tracks):
        raise Refused("Tracks are numbers, for example 3-4. Choose the file again.")
    if tracks:
        picks(Path(file.name), file.info, read_tracks(tracks))


def _loudest_s(file: StoredFile, tracks: str) -> float:
    """A little before the highest point of the small waveform."""
    sound = next((p for p in file.survey or [] if p["tracks"] == tracks), None)
    wave = sound["wave_dbfs"][0] if sound else []
    return max(0.0, wave.index(max(wave)) / len(wave) * file.info.duration_s - 4.0) if wave else 0.0


def cut(source: Path, in_s: float, out_s: float, target: Path, go_on: Callable[[], bool]) -> None:
    """A passage of a playback file as a file of its own. Raises NotMeasurable where it cannot be made."""
    begin = max(0.0, in_s)
    place = [
        "-ss",
        f"{begin:.3f}",
        "-i",
        f"file:{source.resolve()}",
        "-t",
        f"{out_s - begin:.3f}",
        "-map",
        "0:v?",
        "-map",
        "0:a",
    ]
    problem = ffmpeg.run([*place, *_FILM, "-crf", "27", "-c:a", "aac", "-b:a", "160k"], target, 120, go_on)
    if problem:
        raise NotMeasurable(f"Picture and sound of this passage could not be prepared ({problem}).")


def with_sound(clip: Path, sound: Path, target: Path) -> None:
    """The picture of a passage, where it has one, with another sound. Raises NotMeasurable where it cannot be made."""
    inputs = ["-i", f"file:{clip.resolve()}", "-i", f"file:{sound.resolve()}", "-map", "0:v?", "-map", "1:a"]
    problem = ffmpeg.run([*inputs, "-c:v", "copy", "-c:a", "aac", "-b:a", "160k"], target, 120)
    if problem:
        raise NotMeasurable(f"The passage as proposed could not be prepared ({problem}).")


def small_frames(source: Path, target: Path, limit_s: float, go_on: Callable[[], bool]) -> None:
    """Small grey frames of a film, as ``versions.pictures`` wants them. Raises NotMeasurable."""
    size = f"fps={FRAMES_PER_S},scale={WIDTH}:{HEIGHT}:flags=area,format=gray"
    options = ["-i", f"file:{source.resolve()}", "-map", "0:v:0", "-an", "-vf", size, "-f", "rawvideo"]
    problem = ffmpeg.run(options, target, limit_s, go_on)
    if problem:
        raise NotMeasurable(f"The pictures could not be compared ({problem}).")


def still(source: Path, at_s: float, target: Path) -> bool:
    """A picture from a playback file; False where it has none."""
    return not ffmpeg.run(
        ["-ss", f"{max(0.0, at_s):.3f}", "-i", f"file:{source.resolve()}", "-frames:v", "1", "-q:v", "4"], target, 60
    )
