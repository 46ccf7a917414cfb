"""Voices and music for the evaluation set: what the machine's packages carry, and synthetic voices.

Nothing of it is kept in the project.

``PACKAGES`` names Debian's packages: music, voices and effects, and two speaking programs.
"""

import hashlib
import os
import shutil
import subprocess
import tempfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import soundfile

from mezzavoce_demo.studio.music import compose

RATE = 48000
_SHARE = Path("/usr/share")
# Collections: what its pieces are called here, the package, where it puts them, and which files they are.
_MUSIC = (
    ("clonk", "openclonk-data", "games/openclonk/Music.ocg", "*.ogg"),
    ("horizons", "unknown-horizons", "unknown-horizons/content/audio/music", "**/*.ogg"),
    ("droid", "freedroidrpg-data", "freedroidrpg/data/sound/music", "*.ogg"),
    ("hold", "asterisk-moh-opsound-wav", "asterisk/moh", "*.wav"),
    ("wesnoth", "wesnoth-1.16-music", "games/wesnoth/1.16/data/core/music", "*.ogg"),
    ("singularity", "singularity-music", "games/singularity/music", "**/*.ogg"),
    ("warzone", "warzone2100-music", "games/warzone2100/music", "**/*.opus"),
)
_VOICES = (
    ("english", "asterisk-core-sounds-en-wav", "asterisk/sounds/en_US_f_Allison", "*.wav"),
    ("italian", "asterisk-prompt-it-menardi-wav", "asterisk/sounds/it_IT_f_Menardi", "*.wav"),
    ("horizons", "unknown-horizons", "unknown-horizons/content/audio/voice", "**/*.ogg"),
    ("czech low", "fillets-ng-data-cs", "games/fillets-ng/sound", "**/cs/*-v-*.ogg"),
    ("czech high", "fillets-ng-data-cs", "games/fillets-ng/sound", "**/cs/*-m-*.ogg"),
    ("dutch low", "fillets-ng-data-nl", "games/fillets-ng/sound", "**/nl/*-v-*.ogg"),
    ("dutch high", "fillets-ng-data-nl", "games/fillets-ng/sound", "**/nl/*-m-*.ogg"),
)
UP_TO_4_KHZ = {"english", "italian"}
"""Voices that were recorded for the telephone."""
_EFFECTS = (
    ("horizons", "unknown-horizons", "unknown-horizons/content/audio/sounds", "**/*.ogg"),
    ("droid", "freedroidrpg-data", "freedroidrpg/data/sound/effects", "**/*.ogg"),
)
_SUNG = (
    ("muldjord", "fretsonfire-songs-muldjord", "games/fretsonfire/data/songs/muldjord", "*/song.ogg"),
    ("sectoid", "fretsonfire-songs-sectoid", "games/fretsonfire/data/songs/sectoid", "*/song.ogg"),
)
"""Songs with voices in them, of which the set without stems is made."""
_SPEAKING = ("espeak-ng", "flite")
PACKAGES = (*dict.fromkeys(package for _, package, *_ in (*_MUSIC, *_VOICES, *_EFFECTS)), *_SPEAKING)
SONGS = tuple(package for _, package, *_ in _SUNG)
"""Packages that only the mixes without stems are made of."""
SENTENCES = (
    "The keeper climbs a hundred and twelve steps before the evening.",
    "Nobody has counted the boats since the harbour wall was built.",
    "When the fog comes in, the old filter is rung by hand.",
    "She learned to read the water from her grandmother.",
    "In winter the road is closed for weeks, and letters come by sea.",
    "A lamp of this size burns for three nights on one barrel of oil.",
    "Every stone on this pier was carried here by cart.",
    "He points at the horizon, but we cannot see the island yet.",
    "Two brothers mend the nets, as their father did.",
    "The wind turns at noon, and the whole bay changes colour.",
    "What they remember best is the sound of the ice.",
    "By morning the sand has covered every footprint.",
)


@dataclass(frozen=True)
class Piece:
    """A file that can be drawn from: what kind it is of, and where it lies."""

    kind: str
    path: Path


@cache
def music():
    """Pieces of music of 75 s or more, in a fixed order."""
    return [p for p in _found(_MUSIC) if len(sound(p)) >= 75 * RATE]


@cache
def sung():
    """Songs, in a fixed order, of which every second one of each collection comes at an even place."""
    by_kind = [[p for p in _found([place]) if len(sound(p)) >= 75 * RATE] for place in _SUNG]
    return [piece for k, pair in enumerate(zip(*by_kind, strict=False)) for piece in pair[:: -1 if k % 2 else 1]]


def composed():
    """Music that the project composes, as pieces of three minutes."""
    return [_written(key, tempo) for key, tempo in ((45, 84), (50, 100), (43, 72), (48, 112))]


def collection(piece):
    """Where a piece of music comes from, in words."""
    packages = {kind: package for kind, package, *_ in _MUSIC}
    return f"from {packages.get(piece.kind, 'the project and its composer')}"


@cache
def liveliness(piece):
    """How far the level of a piece moves by itself.

    Between its softer and its louder seconds (10th and 90th percentile).
    """
    x = sound(piece)
    seconds = x[: len(x) // RATE * RATE].reshape(-1, 2 * RATE)
    levels = 10 * np.log10(np.array([np.mean(s.astype(np.float64) ** 2) for s in seconds]) + 1e-12)
    low, high = np.percentile(levels[levels > -90], [10, 90])
    return (
        "even: its seconds within 5 dB"
        if high - low < 5
        else "moved: within 5 to 10 dB"
        if high - low < 10
        else "wide: more than 10 dB"
    )


@cache
def effects():
    """Short effects."""
    return [p for p in _found(_EFFECTS) if RATE // 5 <= len(sound(p)) <= 8 * RATE]


@cache
def voices():
    """Collections of spoken pieces by speaker: name to pieces of 1 to 12 s."""
    by_kind = {}
    for piece in _found(_VOICES):
        if RATE <= len(sound(piece)) <= 12 * RATE:
            by_kind.setdefault(piece.kind, []).append(piece)
    for voice in ("en-gb", "en-us+f3", "en+m3", "de"):
        by_kind[f"espeak {voice}"] = [
            _spoken(("espeak-ng", "-v", voice, "-s", "150", "-w"), voice, text) for text in SENTENCES
        ]
    for voice in ("slt", "rms", "awb"):
        by_kind[f"flite {voice}"] = [_spoken(("flite", "-voice", voice, "-o"), voice, text) for text in SENTENCES]
    return by_kind


def sound(piece):
    """Samples ``(frames, 2)`` at 48 kHz, decoded once and kept."""
    kept = folder() / f"{hashlib.sha256(str(piece.path).encode()).hexdigest()[:20]}.npy"
    if not kept.exists():
        command = ["ffmpeg", "-v", "error", "-i", str(piece.path), "-ac", "2", "-ar", str(RATE), "-f", "f32le", "-"]
        samples = np.frombuffer(subprocess.run(command, check=True, capture_output=True).stdout, dtype="<f4").reshape(
            -1, 2
        )
        # Several processes may decode the same piece at once.
        part = kept.with_suffix(f".{os.getpid()}.npy")
        np.save(part, samples)
        part.rename(kept)
    return np.load(kept, mmap_mode="r")


def missing(*, songs=False):
    """Packages that are not there; with those of the ``songs``."""
    gone = [
        package for kind, package, *place in (*_MUSIC, *_VOICES, *_EFFECTS) if not _found([(kind, package, *place)])
    ]
    gone += [package for kind, package, *place in (_SUNG if songs else ()) if not _found([(kind, package, *place)])]
    return [*dict.fromkeys(gone), *(program for program in _SPEAKING if not shutil.which(program))]


def _found(places):
    return [
        Piece(kind, path) for kind, _, folder, pattern in places for path in sorted((_SHARE / folder).glob(pattern))
    ]


def _spoken(command, voice, text):
    path = folder() / f"{voice}-{hashlib.sha256(text.encode()).hexdigest()[:12]}.wav"
    if not path.exists():
        part = path.with_suffix(f".{os.getpid()}.wav")
        order = [*command, str(part), *(("-t", text) if command[0] == "flite" else (text,))]
        subprocess.run(order, check=True, capture_output=True)
        part.rename(path)
    return Piece(voice, path)


def _written(key, tempo):
    path = folder() / f"composed-{key}-{tempo}.wav"
    if not path.exists():
        part = path.with_suffix(f".{os.getpid()}.wav")
        soundfile.write(part, compose(180.0, key, tempo, key), RATE, "FLOAT")
        part.rename(path)
    return Piece("composed", path)


def folder():
    """Where decoded material and scores are kept, outside the project."""
    place = Path(tempfile.gettempdir()) / "mezzavoce-evaluation"
    place.mkdir(exist_ok=True)
    return place
