"""Writes the demo's media files.

A MOV with the mix and three WAV stems for an episode, or all in one file, or the mix alone.
"""

import hashlib
import tempfile
import wave
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from ..programmes.scenario import EPISODES
from ..programmes.story import MONO, STEM_FILES, TRACKS, Episode, Text
from .mixer import Mixed, gain_to, mix
from .picture import film
from .sound import RATE, Stereo

STEMS = ("dialogue", "music", "effects")
SECOND_MUSIC = "music_2"


def mix_file(folder: Path, episode: Episode) -> Path:
    """Where the mix of an episode lies."""
    return folder / f"Hestholm {episode.number:02d} mix 1.{'wav' if episode.delivery == MONO else 'mov'}"


def stem_file(folder: Path, episode: Episode, role: str) -> Path:
    """Where a stem of an episode lies."""
    return folder / f"Hestholm {episode.number:02d} {role.replace('_', ' ')}.wav"


def stem_files(folder: Path, episode: Episode) -> list[tuple[str, Path]]:
    """Role and place of every stem that is delivered as a file."""
    files = [(role, stem_file(folder, episode, role)) for role in STEMS]
    if any(p.second for p in episode.pieces):
        files.insert(2, ("music", stem_file(folder, episode, SECOND_MUSIC)))
    return files


def captions_file(folder: Path, episode: Episode) -> Path | None:
    """Where the captions of an episode lie, if it has some."""
    return folder / f"Hestholm {episode.number:02d} captions.vtt" if episode.texts else None


def render_all(folder: Path, episodes: tuple[Episode, ...] = EPISODES, *, picture: bool = True) -> Path:
    """Render what is not there yet and return the folder that holds it.

    Two episodes at a time; the folder is named after the code that made it.
    """
    made = _made(folder, picture=picture)
    made.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(max_workers=2) as pool:
        for job in [
            pool.submit(_render, made, episode, picture=picture)
            for episode in unrendered(folder, episodes, picture=picture)
        ]:
            job.result()
    return made


def unrendered(folder: Path, episodes: tuple[Episode, ...] = EPISODES, *, picture: bool = True) -> list[Episode]:
    """The episodes that are not there yet."""
    made = _made(folder, picture=picture)
    return [e for e in episodes if not mix_file(made, e).exists()]


def _made(folder: Path, *, picture: bool) -> Path:
    return folder / (_digest() + ("" if picture else "-sound"))


def _render(folder: Path, episode: Episode, *, picture: bool) -> None:
    mixed = mix(episode)
    if episode.delivery == STEM_FILES:
        for role in (*STEMS, SECOND_MUSIC):
            if (stem := getattr(mixed, role)) is not None:
                write_wav(stem_file(folder, episode, role), stem)
    captions = captions_file(folder, episode)
    if captions is not None:
        write_captions(captions, episode.texts)
    # A half-written file would be taken for a whole one at the next start.
    target = mix_file(folder, episode)
    part = target.with_name(f".{target.name}")
    with tempfile.TemporaryDirectory(dir=folder) as holder:
        if episode.delivery == MONO:
            mono = mixed.mix.mean(axis=1, keepdims=True)
            write_wav(part, mono * gain_to(episode.target_lufs, mono))
        elif picture or episode.delivery == TRACKS:
            film(episode if picture else None, _sounds(Path(holder), episode, mixed), part, episode.start)
        else:
            write_wav(part, mixed.mix)
    part.replace(target)


def _sounds(folder: Path, episode: Episode, mixed: Mixed) -> dict[str, Path]:
    """The sounds that go into the film, by the titles of their tracks."""
    roles = ("mix", *STEMS) if episode.delivery == TRACKS else ("mix",)
    files = {role.capitalize(): folder / f"{role}.wav" for role in roles}
    for role in roles:
        write_wav(files[role.capitalize()], getattr(mixed, role))
    return files


def write_captions(path: Path, texts: Sequence[Text]) -> None:
    """A WebVTT file, counted from the start of the programme."""
    blocks = [f"{_stamp(t.in_s)} --> {_stamp(t.out_s)}\n{t.text}" for t in texts]
    path.write_text("\n\n".join(["WEBVTT", *blocks]) + "\n", encoding="utf-8")


def _stamp(time_s: float) -> str:
    minutes, seconds = divmod(time_s, 60)
    return f"{int(minutes):02d}:{seconds:06.3f}"


def write_wav(path: Path, signal: Stereo) -> None:
    """A 24-bit WAV file at 48 kHz."""
    values = np.clip(np.round(signal * 8388607), -8388608, 8388607).astype("<i4")
    raw = values.reshape(-1).view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
    with wave.open(str(path), "wb") as file:
        file.setnchannels(signal.shape[1])
        file.setsampwidth(3)
        file.setframerate(RATE)
        file.writeframes(raw)


def _digest() -> str:
    here = Path(__file__).parents[1]
    parts = [p for room in ("programmes", "studio") for p in sorted((here / room).glob("*.py"))]
    return hashlib.sha256(b"".join(p.read_bytes() for p in parts)).hexdigest()[:12]
