"""Writes the second mixes from the stems of the first ones: moved, cut, put in, summed and brought to level."""

import hashlib
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from pathlib import Path

import numpy as np
import soundfile

from ..programmes.scenario import EPISODES
from ..programmes.story import Episode
from ..studio.mixer import gain_to
from ..studio.render import STEMS, stem_file, write_wav
from ..studio.sound import RATE, Stereo
from .mixes import SECOND_MIXES, PutIn, SecondMix

Stems = dict[str, Stereo]


def second_files(folder: Path, second: SecondMix) -> list[tuple[str, Path]]:
    """Role and place of every file of a second mix, the mix first."""
    name = f"Hestholm {second.number:02d}"
    place = _place(folder)
    return [("mix", place / f"{name} mix 2.wav"), *((role, place / f"{name} {role} 2.wav") for role in STEMS)]


@cache
def _place(folder: Path) -> Path:
    """Where the second mixes lie, named after the code that makes them."""
    here = sorted(Path(__file__).parent.glob("*.py"))
    return folder / f"second-{hashlib.sha256(b''.join(p.read_bytes() for p in here)).hexdigest()[:12]}"


def make_second(folder: Path, seconds: Sequence[SecondMix] = SECOND_MIXES) -> None:
    """Make what is not there yet, two at a time, from the media of the first mixes in ``folder``."""
    _place(folder).mkdir(exist_ok=True)
    missing = [s for s in seconds if not second_files(folder, s)[0][1].exists()]
    with ProcessPoolExecutor(max_workers=2) as pool:
        for job in [pool.submit(_make, folder, s) for s in missing]:
            job.result()


def _make(folder: Path, second: SecondMix) -> None:
    episode = _episode(second.number)
    stems = _read(folder, episode)
    for move in second.moves:
        t = np.arange(len(stems[move.role])) / RATE
        corners = [move.in_s - move.fade_s, move.in_s, move.out_s, move.out_s + move.fade_s]
        gain_db = np.interp(t, corners, [0.0, move.by_db, move.by_db, 0.0])
        stems[move.role] = stems[move.role] * (10 ** (gain_db / 20))[:, None]
    stems = _edited(folder, second, stems)
    whole = np.sum([stems[role] for role in STEMS], axis=0)
    gain = gain_to(episode.target_lufs, whole)
    (_, mix), *others = second_files(folder, second)
    for role, path in others:
        write_wav(path, stems[role] * gain)
    # Last, since it is what tells whether all of it is there.
    part = mix.with_name(f".{mix.name}")
    write_wav(part, whole * gain)
    part.replace(mix)


def _edited(folder: Path, second: SecondMix, stems: Stems) -> Stems:
    """What was put in and cut out, from the end to the beginning, so that times stay those of the first mix."""
    edits = sorted([*((p.at_s, p) for p in second.put_in), *((a, b) for a, b in second.cut)], key=lambda e: -e[0])
    for at_s, edit in edits:
        at = round(at_s * RATE)
        if isinstance(edit, PutIn):
            scene = _scene(folder, edit)
            stems = {role: np.concatenate([s[:at], scene[role], s[at:]]) for role, s in stems.items()}
        else:
            stems = {role: np.concatenate([s[:at], s[round(edit * RATE) :]]) for role, s in stems.items()}
    return stems


def _scene(folder: Path, put_in: PutIn) -> Stems:
    begin, end = (round(t * RATE) for t in (put_in.from_s, put_in.from_s + put_in.length_s))
    scene = {role: s[begin:end] for role, s in _read(folder, _episode(put_in.number)).items()}
    return scene | {"music": scene["music"] * 10 ** (put_in.music_db / 20)}


def _episode(number: int) -> Episode:
    return next(e for e in EPISODES if e.number == number)


def _read(folder: Path, episode: Episode) -> Stems:
    return {
        role: soundfile.read(stem_file(folder, episode, role), dtype="float64", always_2d=True)[0] for role in STEMS
    }
