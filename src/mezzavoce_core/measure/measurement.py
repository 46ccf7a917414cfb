"""What one measuring pass leaves behind: facts of the file and features of each signal. Judging needs nothing else."""

from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ..estimate import MIX, STEMS
from ..media.layouts import channel_weights
from ..media.probe import FileInfo
from ..signal.bands import FRAMES_PER_S
from ..signal.mono import ReadStretch
from ..signal.outline import BANDS as OUTLINE_BANDS
from ..signal.spectrum import COLUMNS, summed
from ..signal.spectrum import FRAMES_PER_S as SPECTRA_PER_S
from ..signal.steps import step_nats
from ..units import Floats, db_to_power
from .ducks import MusicGain
from .loudness import programme_power
from .meter import TICKS_PER_BLOCK, TICKS_PER_S, Levels
from .programme import Programme
from .separation.estimates import Separation
from .speech import Speech, find_speech
from .stems.rest import Rest

ESTIMATED_VOICE, ESTIMATED_MUSIC = "voice, estimated", "music, estimated"
_NO_SPECTRUM, _NO_OUTLINE = np.zeros((0, COLUMNS), dtype=np.int16), np.zeros((0, OUTLINE_BANDS), dtype=np.int16)
_VOICE_ALONE_DB = 1.0
"""So little over the voice that it holds, a stem holds nothing else."""


@dataclass(frozen=True)
class Held:
    """Sound of another stem in a stem.

    That one's role, and how loud it stands there, in dB against that stem as both were delivered.

    A plain copy was taken ``out``: then the levels of the stem are those without it.
    """

    role: str
    level_db: float
    out: bool


@dataclass(frozen=True)
class StemLevels:
    """One stem as it lies in the mix.

    Its levels on the mix's clock, the gain it has there, how sure it is that it is in there (0 to 1).
    """

    name: str
    role: str
    levels: Levels
    gain_db: float
    delay_s: float
    coherence: float | None
    derived: bool = False
    """Whether it was not delivered: what the mix holds beside the stems that were, or an estimate."""
    held: tuple[Held, ...] = ()
    """What it holds of other stems as well: a music stem the voice, a dialogue stem the music."""


@dataclass(frozen=True)
class Measurement:
    """A mix and its stems, measured. ``made_by`` names the core's version."""

    file: FileInfo
    made_by: str
    mix: Levels
    stems: tuple[StemLevels, ...]
    gain: MusicGain | None = None
    """What was done to the gain of the music, on the clock of ``mix``; None without stems of dialogue and music."""
    rest: Rest | None = None
    """What the stems leave of the mix; None without stems."""
    separation: Separation | None = None
    """Voice and background as they were estimated where stems were wanting; ``stems`` then holds their levels."""

    @property
    def separated_by(self) -> str | None:
        """Where the levels of voice and background come from: ``stems`` or ``mix``; None where none are known."""
        return MIX if self.separation is not None else STEMS if self.stems else None

    @property
    def duration_s(self) -> float:
        """Length of the sound in seconds."""
        return self.mix.samples / self.file.sample_rate_hz

    def cropped(self, programme: Programme) -> "Measurement":
        """The same measurement from the first to the last tick of a programme; breaks inside it are silent.

        Times then begin at its in.
        """
        first, last = round(programme.in_s * TICKS_PER_S), round(programme.out_s * TICKS_PER_S)
        quiet = ~inside(programme)
        stems = tuple(
            replace(s, levels=_cropped(s.levels, first, last, quiet, self.file.sample_rate_hz)) for s in self.stems
        )
        gain = None if self.gain is None else self.gain.between(first / TICKS_PER_S, last / TICKS_PER_S)
        rest = None if self.rest is None else self.rest.between(first // TICKS_PER_BLOCK, last // TICKS_PER_BLOCK)
        return replace(
            self,
            mix=_cropped(self.mix, first, last, quiet, self.file.sample_rate_hz),
            stems=stems,
            gain=gain,
            rest=rest,
            separation=None if self.separation is None else self.separation.between(first, last),
        )

    def with_estimates(self, separation: Separation, spectrum: NDArray[np.int16] = _NO_SPECTRUM) -> "Measurement":
        """The same with voice and background as they were estimated from the mix.

        ``spectrum`` is that of what lies off the axis of the dialogue, from which the gain of the music is read where
        that tells it.
        """
        share = _whole(separation.voice_share, len(self.mix.power))[:, None]
        own = replace(
            self.mix,
            power=self.mix.power * share,
            bands=separation.voice_bands,
            spectrum=_NO_SPECTRUM,
            gaps=(),
            outline=_NO_OUTLINE,
        )
        quiet = np.zeros_like(self.mix.sample_peak)
        under = replace(
            own,
            power=self.mix.power * (1 - share),
            bands=separation.under_bands,
            spectrum=spectrum if separation.tells_gain else _NO_SPECTRUM,
            sample_peak=quiet,
            true_peak=quiet,
        )
        # How far a voice could be raised is not known from its own peaks; those of the mix are a safe bound.
        stems = tuple(
            StemLevels(name, role, levels, 0.0, 0.0, None, derived=True)
            for name, role, levels in ((ESTIMATED_VOICE, "dialogue", own), (ESTIMATED_MUSIC, "music", under))
        )
        return replace(self, stems=stems, separation=separation)

    def with_music_gain(self, music: ReadStretch | None = None, rate_hz: int = 0) -> "Measurement":
        """The same with what was done to the gain of the music, as far as stems tell it.

        ``music`` is its sound at ``rate_hz``, if that is at hand.
        """
        from .music_gain import find_gain  # noqa: PLC0415  (a mix without stems is measured far more often, and does not wait for it)

        voice = self.role_power("dialogue")
        if voice is None or not self.has("music") or (self.separation is not None and not self.separation.tells_gain):
            return self
        listen = None if music is None else partial(step_nats, music, rate_hz)
        return replace(
            self, gain=find_gain(self.music_levels(), [(s.in_s, s.out_s) for s in self.speech() or ()], listen=listen)
        )

    def speech(self) -> tuple[Speech, ...] | None:
        """Where somebody speaks; None where nothing tells."""
        if self.separation is not None:
            return self.separation.speech
        voice = self.role_power("dialogue")
        return None if voice is None else find_speech(voice)

    def music_levels(self, first: int = 0, last: int | None = None) -> Floats:
        """Levels of all music together, ``(frames of 20 ms, columns)`` in dB, from frame ``first`` up to ``last``.

        There must be a music stem.
        """
        music = [s for s in self.stems if s.role == "music"]
        return summed([s.levels.spectrum[first:last] for s in music], [s.gain_db for s in music])

    def mix_power(self, *, gain: float = 1.0) -> Floats:
        """Weighted power of the mix per tick; ``gain`` is a factor (2 for dual mono)."""
        return programme_power(self.mix, channel_weights(self.file.layout, self.file.channels), gain=gain)

    def has(self, *roles: str) -> bool:
        """Whether a stem of one of these roles is there."""
        return any(s.role in roles for s in self.stems)

    def role_power(self, *roles: str, gain: float = 1.0, channel: int | None = None) -> Floats | None:
        """Weighted power per tick of all stems of these roles as they lie in the mix; None where there is none.

        Of one channel alone where one is given.
        """
        parts = [self.stem_power(s, gain=gain, channel=channel) for s in self.stems if s.role in roles]
        return np.sum(parts, axis=0) if parts else None

    def role_bands(self, role: str) -> Floats | None:
        """Mean squares ``(blocks, 18)`` in one-third octaves of all stems of a role as they lie in the mix.

        None where there is none.
        """
        parts = [s.levels.bands * db_to_power(s.gain_db) for s in self.stems if s.role == role]
        return np.sum(parts, axis=0) if parts else None

    def music_stems(self, *, gain: float = 1.0) -> list[tuple[str, Floats]]:
        """Every music stem with its weighted power per tick; of equal names the later ones are counted.

        Where a stem holds the voice, too, and hardly more than that, there is no music.
        """
        voice = self.role_power("dialogue", gain=gain)
        music = [s for s in self.stems if s.role == "music"]
        names = [
            s.name if [m.name for m in music].index(s.name) == k else f"{s.name} ({k + 1})" for k, s in enumerate(music)
        ]
        return [
            (name, self._without_voice(s, self.stem_power(s, gain=gain), voice))
            for name, s in zip(names, music, strict=True)
        ]

    def _without_voice(self, stem: StemLevels, power: Floats, voice: Floats | None) -> Floats:
        voices = [h.level_db for h in stem.held if h.role == "dialogue" and not h.out]
        if voice is None or not voices:
            return power
        # As both lie in the mix.
        held_db = max(voices) + stem.gain_db - min(s.gain_db for s in self.stems if s.role == "dialogue")
        return np.where(power <= voice * db_to_power(held_db + _VOICE_ALONE_DB), 0.0, power)

    def stem_power(self, stem: StemLevels, *, gain: float = 1.0, channel: int | None = None) -> Floats:
        """Weighted power per tick of one stem as it lies in the mix, or of one channel of it."""
        weights = channel_weights(self.file.layout, self.file.channels)
        if channel is not None:
            weights = np.where(np.arange(len(weights)) == channel, weights, 0.0)
        return programme_power(stem.levels, weights, gain=gain * float(db_to_power(stem.gain_db)))


def inside(programme: Programme) -> NDArray[np.bool_]:
    """Ticks from the in to the out of a programme: whether each lies in one of its parts."""
    begin = round(programme.in_s * TICKS_PER_S)
    flags = np.zeros(round(programme.out_s * TICKS_PER_S) - begin + 1, dtype=np.bool_)
    for part in programme.parts:
        flags[round(part.in_s * TICKS_PER_S) - begin : round(part.out_s * TICKS_PER_S) - begin] = True
    # The last tick may be one that the signal does not fill.
    flags[-1] = flags[-2]
    return flags


def _whole(values: NDArray[np.float32], count: int) -> NDArray[np.float32]:
    """So many values, with nothing at the end where there are fewer."""
    return np.concatenate([values[:count], np.zeros(max(0, count - len(values)), dtype=values.dtype)])


def _cropped(levels: Levels, first: int, last: int, quiet: NDArray[np.bool_], rate_hz: int) -> Levels:
    begin, end = (-(-t * rate_hz // TICKS_PER_S) for t in (first, last))
    end = min(end, levels.samples)

    def cut(values: NDArray[np.generic]) -> NDArray[np.generic]:
        # A programme that runs to the end keeps the tick that its last samples do not fill.
        to = len(values) if last >= len(levels.power) else last
        part = values[first:to]
        return (
            np.where(quiet[: len(part), None], np.zeros(1, dtype=part.dtype), part)
            if quiet[: len(part)].any()
            else part
        )

    gaps = tuple(
        replace(g, first=g.first - begin, last=g.last - begin)
        for g in levels.gaps
        if g.first >= begin and g.last <= end
    )
    heard = tuple(
        g for g in gaps if not quiet[g.first * TICKS_PER_S // rate_hz : g.last * TICKS_PER_S // rate_hz + 1].any()
    )
    names = ("power", "sample_peak", "true_peak", "true_peak_at", "flat_run", "together")
    bands = _bands_from(levels.bands, first, last)
    spectrum = levels.spectrum[first * SPECTRA_PER_S // TICKS_PER_S : last * SPECTRA_PER_S // TICKS_PER_S]
    return replace(
        levels,
        samples=end - begin,
        gaps=heard,
        bands=bands,
        spectrum=spectrum,
        **{name: cut(getattr(levels, name)) for name in names},  # type: ignore[arg-type]
    )


def _bands_from(bands: NDArray[np.float32], first: int, last: int) -> NDArray[np.float32]:
    """Bands of the blocks from a tick on.

    Where they begin inside a block of the file, they share it with the next one.
    """
    ticks = TICKS_PER_S // FRAMES_PER_S
    begin, count = first // ticks, max(0, (min(last, len(bands) * ticks) - first) // ticks)
    share = np.float32(first % ticks / ticks)
    now = bands[begin : begin + count]
    following = bands[begin + 1 : begin + 1 + count]
    if not share or not len(following):
        return now
    return (1 - share) * now[: len(following)] + share * following
