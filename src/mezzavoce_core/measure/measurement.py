"""What one measuring pass leaves behind: facts of the file and features of each signal. Judging needs nothing else."""

from dataclasses import dataclass

import numpy as np

from ..media.layouts import channel_weights
from ..media.probe import FileInfo
from ..units import Floats, db_to_power
from .loudness import programme_power
from .meter import Levels

ROLES = ("dialogue", "music", "effects", "background")


@dataclass(frozen=True)
class StemLevels:
    """One stem as it lies in the mix: its levels on the mix's clock, the gain it has there, how sure it is that it is in there (0 to 1)."""

    name: str
    role: str
    levels: Levels
    gain_db: float
    delay_s: float
    coherence: float | None


@dataclass(frozen=True)
class Measurement:
    """A mix and its stems, measured. ``made_by`` names the core's version."""

    file: FileInfo
    made_by: str
    mix: Levels
    stems: tuple[StemLevels, ...]

    @property
    def duration_s(self) -> float:
        """Length of the sound in seconds."""
        return self.mix.samples / self.file.sample_rate_hz

    def mix_power(self, *, gain: float = 1.0) -> Floats:
        """Weighted power of the mix per tick; ``gain`` is a factor (2 for dual mono)."""
        return programme_power(self.mix, channel_weights(self.file.layout, self.file.channels), gain=gain)

    def has(self, *roles: str) -> bool:
        """Whether a stem of one of these roles is there."""
        return any(s.role in roles for s in self.stems)

    def role_power(self, *roles: str, gain: float = 1.0) -> Floats | None:
        """Weighted power per tick of all stems of these roles as they lie in the mix, None where there is none."""
        parts = [self.stem_power(s, gain=gain) for s in self.stems if s.role in roles]
        return np.sum(parts, axis=0) if parts else None

    def stem_power(self, stem: StemLevels, *, gain: float = 1.0) -> Floats:
        """Weighted power per tick of one stem as it lies in the mix."""
        weights = channel_weights(self.file.layout, self.file.channels)
        return programme_power(stem.levels, weights, gain=gain * float(db_to_power(stem.gain_db)))
