"""Synthetic voices: espeak-ng speaks a line into a WAV file, ffmpeg brings it to 48 kHz."""

import subprocess

import numpy as np

from ..programmes.story import KEEPER, NARRATOR, PILOT, Line
from .sound import Stereo, at_loudness, band, hall, panned

VOICE_LUFS = -22.5
_VOICES = {NARRATOR: ("en-gb-x-rp+f4", 158, 52), KEEPER: ("en-gb-scotland+m3", 150, 38), PILOT: ("en-us+m2", 160, 45)}


def speak(line: Line) -> Stereo:
    """A line as a stereo signal in the middle, at the level of a dialogue track."""
    voice, words_a_minute, pitch = _VOICES[line.who]
    spoken = subprocess.run(
        ["espeak-ng", "-v", voice, "-s", str(words_a_minute), "-p", str(pitch), "--stdout", line.text],
        capture_output=True,
        check=True,
    ).stdout
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", "pipe:0", "-f", "f32le", "-ar", "48000", "-ac", "1", "pipe:1"],
        input=spoken,
        capture_output=True,
        check=True,
    ).stdout
    dry = np.frombuffer(raw, dtype="<f4").astype(np.float64)
    heard = np.flatnonzero(np.abs(dry) > 0.004)
    dry = _even(band(dry[max(0, heard[0] - 240) : heard[-1] + 2400], 90, 9000))
    return at_loudness(hall(panned(dry, 0.0), 0.25, 0.05, 3), VOICE_LUFS)


def _even(dry: np.ndarray[tuple[int], np.dtype[np.float64]]) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """Gentle levelling over half a second, as a mixer rides a voice."""
    sums = np.concatenate([np.zeros(12001), np.cumsum(dry**2), np.full(12000, (dry**2).sum())])
    envelope = np.sqrt((sums[24000 : 24000 + len(dry)] - sums[: len(dry)]) / 24000 + 1e-7)
    return dry * (envelope.max() / envelope) ** 0.6
