"""Writes the demo's media files: a MOV with the mix and three WAV stems for an episode, or all in one file, or the mix alone."""

import hashlib
import tempfile
import wave
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from .mixer import Mixed, gain_to, mix
from .picture import film
from .scenario import EPISODES
from .sound import RATE, Stereo
from .story import MONO, STEM_FILES, TRACKS, Episode

STEMS = ("dialogue", "music", "effects")
_SOURCES = (
    *("story", "scenario", "long_programmes", "short_programmes", "sound", "music", "effects", "voices"),
    *("leader", "faults", "mixer", "picture", "render"),
)


def mix_file(folder: Path, episode: Episode) -> Path:
    """Where the mix of an episode lies."""
    return folder / f"Hestholm {episode.number:02d} mix 1.{'wav' if episode.delivery == MONO else 'mov'}"


def stem_file(folder: Path, episode: Episode, role: str) -> Path:
    """Where a stem of an episode lies."""
    return folder / f"Hestholm {episode.number:02d} {role}.wav"


def render_all(folder: Path, episodes: tuple[Episode, ...] = EPISODES, *, picture: bool = True) -> Path:
    """Render what is not there yet (two episodes at a time) and return the folder that holds it, named after the code that made it."""
    made = folder / (_digest() + ("" if picture else "-sound"))
    missing = [e for e in episodes if not mix_file(made, e).exists()]
    made.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(max_workers=2) as pool:
        for job in [pool.submit(_render, made, episode, picture=picture) for episode in missing]:
            job.result()
    return made


def _render(folder: Path, episode: Episode, *, picture: bool) -> None:
    mixed = mix(episode)
    if episode.delivery == STEM_FILES:
        for role in STEMS:
            write_wav(stem_file(folder, episode, role), getattr(mixed, role))
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
    here = Path(__file__).parent
    parts = [here / f"{name}.py" for name in _SOURCES]
    return hashlib.sha256(b"".join(p.read_bytes() for p in parts)).hexdigest()[:12]
