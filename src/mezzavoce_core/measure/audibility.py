"""How much of speech can be followed over what lies under it: band audibility, weighted by how much each band carries.

Source: ANSI S3.5-1997, one-third-octave method: audibility of a band = (speech level - noise level + 15) / 30, kept
between 0 and 1, and the band-importance weights (from memory of the document). Levels are those of this passage in the
same units, so that only their difference counts.
"""

import numpy as np

from ..units import Floats, db_to_power, power_to_db

WEIGHTS = np.array([83, 95, 150, 289, 440, 578, 653, 711, 818, 844, 882, 898, 868, 844, 771, 527, 364, 185]) / 10000
"""Importance of the bands from 160 Hz to 8 kHz; their sum is 1."""
LIFT_DB, SPAN_DB = 15.0, 30.0
NOTHING = 1e-12
USUAL_BRIGHTNESS_DB = -15.0
"""Of the standard speech spectrum at normal effort (ANSI S3.5-1997, from memory of the document)."""
_BRIGHT = slice(11, 15)
"""The bands from 2 to 4 kHz."""


def band_audibility(speech_db: Floats, background_db: Floats) -> Floats:
    """Audibility of each band, 0 to 1, from levels ``(…, 18)`` in dB."""
    heard: Floats = np.clip((speech_db - background_db + LIFT_DB) / SPAN_DB, 0.0, 1.0)
    return heard


def audibility(speech_db: Floats, background_db: Floats) -> Floats:
    """Audibility of speech, 0 to 1, from band levels ``(…, 18)`` in dB."""
    heard: Floats = band_audibility(speech_db, background_db) @ WEIGHTS
    return heard


def brightness_db(speech_db: Floats) -> float:
    """By how many dB the bands from 2 to 4 kHz, which tell most words apart, stand over the whole of a voice.

    From levels ``(18,)`` in dB.
    """
    energy = db_to_power(speech_db)
    return float(power_to_db(max(energy[_BRIGHT].sum(), NOTHING)) - power_to_db(max(energy.sum(), NOTHING)))


def levels_db(energy: Floats) -> Floats:
    """Band levels in dB from mean squares; silence is -120 dB."""
    levels: Floats = power_to_db(np.maximum(energy, NOTHING))
    return levels
