"""Picture and sound for the browser, made once from whatever was delivered."""

import subprocess
from collections.abc import Sequence
from contextlib import ExitStack
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from mezzavoce_core.media.tools import GUARDED
from mezzavoce_core.media.tracks import read_tracks

from ..config.refusals import Refused
from .models import Mix, StoredFile, Track
from .sounds import tracks_of
from .storage import drop, keep, local_copy, work_folder

_LEASE = timedelta(minutes=2)
_PICTURE = (
    "-map",
    "0:v:0",
    "-vf",
    "scale=-2:'min(480,trunc(ih/2)*2)'",
    "-c:v",
    "libx264",
    "-preset",
    "veryfast",
    "-crf",
    "26",
    "-pix_fmt",
    "yuv420p",
    "-g",
    "12",
)
# Mono and stereo stay; more channels are folded down for the browser only.
_SOUND = ("-c:a", "aac", "-b:a", "192k", "-ac", "2")


def waiting_mixes() -> list[int]:
    """Mixes whose playback nobody works on."""
    now = timezone.now()
    orphaned = Q(playback_state=Mix.Playback.MAKING, playback_lease__lt=now)
    return list(Mix.objects.filter(Q(playback_state=Mix.Playback.WAITING) | orphaned).order_by("id").values_list("id", flat=True))


def make_playback(mix_id: int) -> bool:
    """Make the playback file of a mix, if nobody else does. Returns whether anything was done."""
    mix = _claim(mix_id)
    if mix is None:
        return False
    mixed = [t for t in tracks_of(mix) if t.role == Track.Role.MIX]
    with work_folder() as folder, ExitStack() as copies:
        paths = [copies.enter_context(local_copy(t.file)) for t in mixed]
        target = folder / "playback.mp4"
        picture = _PICTURE if mix.has_picture else ("-vn",)
        limit_s = 600 + 4 * mix.duration_s
        problem = _ffmpeg([*sound_options(mixed, paths), *picture, *_SOUND], target, limit_s)
        with transaction.atomic():
            mix = Mix.objects.select_for_update().select_related("programme__production").get(pk=mix_id)
            if problem:
                mix.playback_state, mix.playback_error = Mix.Playback.FAILED, problem
            else:
                if mix.playback:
                    drop(mix.playback)
                mix.playback = keep(target, mix.production, StoredFile.Kind.PLAYBACK, "playback.mp4")
                mix.playback_state, mix.playback_error = Mix.Playback.READY, ""
            mix.playback_lease = None
            mix.save(update_fields=["playback", "playback_state", "playback_error", "playback_lease"])
    return True


def sound_options(tracks: Sequence[Track], paths: Sequence[Path]) -> list[str]:
    """Inputs and mapping of ffmpeg for a sound: a whole file, tracks or channels of one, or one channel from each of several."""
    inputs = [option for path in paths for option in ("-i", f"file:{path.resolve()}")]
    if len(paths) > 1:
        return [*inputs, "-filter_complex", _merged([(k, 0) for k in range(len(paths))]), "-map", "[sound]"]
    chosen = read_tracks(tracks[0].tracks) if tracks[0].tracks else ()
    if not chosen:
        return [*inputs, "-map", "0:a:0"]
    if len(tracks[0].file.facts["streams"]) == 1:
        picked = "|".join(f"c{k}=c{t - 1}" for k, t in enumerate(chosen))
        return [*inputs, "-filter_complex", f"[0:a:0]pan={len(chosen)}c|{picked}[sound]", "-map", "[sound]"]
    if len(chosen) == 1:
        return [*inputs, "-map", f"0:a:{chosen[0] - 1}"]
    return [*inputs, "-filter_complex", _merged([(0, t - 1) for t in chosen]), "-map", "[sound]"]


def _merged(streams: Sequence[tuple[int, int]]) -> str:
    return "".join(f"[{k}:a:{n}]" for k, n in streams) + f"amerge=inputs={len(streams)}[sound]"


def listen(file: StoredFile, tracks: str, target: Path) -> None:
    """Twelve seconds of some tracks of a file from where they are loudest, to be heard while roles are given. Raises Refused where nothing is there."""
    with local_copy(file) as path:
        track = Track(file=file, tracks=tracks, role=Track.Role.MIX)
        begin = _loudest_s(file, tracks)
        problem = _ffmpeg(["-ss", f"{begin:.2f}", *sound_options([track], [path]), "-t", "12", *_SOUND], target, 60)
    if problem:
        raise Refused("This track cannot be played; give it a role by its name, or leave it out.")


def _loudest_s(file: StoredFile, tracks: str) -> float:
    """A little before the highest point of the small waveform."""
    lane = next((p for p in file.survey or [] if p["tracks"] == tracks), None)
    wave = lane["wave_dbfs"][0] if lane else []
    return max(0.0, wave.index(max(wave)) / len(wave) * file.facts["duration_s"] - 4.0) if wave else 0.0


def cut(source: Path, in_s: float, out_s: float, target: Path) -> None:
    """A passage of a playback file as a file of its own."""
    begin = max(0.0, in_s)
    problem = _ffmpeg(
        [
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
            "-c:v",
            "libx264",
            "-preset",
            "veryfast",
            "-crf",
            "27",
            "-pix_fmt",
            "yuv420p",
            "-c:a",
            "aac",
            "-b:a",
            "160k",
        ],
        target,
        120,
    )
    if problem:
        raise RuntimeError(problem)


def still(source: Path, at_s: float, target: Path) -> bool:
    """A picture from a playback file; False where it has none."""
    return not _ffmpeg(["-ss", f"{max(0.0, at_s):.3f}", "-i", f"file:{source.resolve()}", "-frames:v", "1", "-q:v", "4"], target, 60)


def _claim(mix_id: int) -> Mix | None:
    now = timezone.now()
    with transaction.atomic():
        mix = Mix.objects.select_for_update(skip_locked=True).filter(pk=mix_id).first()
        if mix is None or mix.playback_state in (Mix.Playback.READY, Mix.Playback.FAILED):
            return None
        if mix.playback_state == Mix.Playback.MAKING and mix.playback_lease and mix.playback_lease > now:
            return None
        mix.playback_state, mix.playback_lease = Mix.Playback.MAKING, now + _LEASE + timedelta(seconds=mix.duration_s)
        mix.save(update_fields=["playback_state", "playback_lease"])
    return mix


def _ffmpeg(arguments: list[str], target: Path, limit_s: float) -> str:
    """Run ffmpeg; returns what went wrong as a sentence, or nothing."""
    command = [
        "nice",
        "-n",
        "10",
        "ffmpeg",
        "-v",
        "error",
        "-nostdin",
        "-y",
        *GUARDED,
        *arguments,
        "-dn",
        "-map_metadata",
        "-1",
        *(("-movflags", "+faststart", "-write_tmcd", "0") if target.suffix == ".mp4" else ()),
        str(target),
    ]
    try:
        done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, timeout=limit_s, check=False, cwd=settings.DATA_DIR)
    except subprocess.TimeoutExpired:
        return "Making picture and sound for the browser took too long; the figures are not touched by that."
    if done.returncode or not target.exists() or not target.stat().st_size:
        last = done.stderr.decode(errors="replace").strip().split("\n")[-1]
        return f"Picture and sound could not be prepared for the browser ({last[:160] or 'no reason given'}); the figures are not touched by that."
    return ""
