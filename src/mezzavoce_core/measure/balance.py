"""How far speech stands above what lies under it: per passage, from moment to moment, and over the first word.

All powers are weighted, K-weighted powers on the mix's layout; a ratio is the difference of two levels in LU.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from math import inf
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..estimate import MIX, STEMS, Estimate, exact, value_of
from ..signal.bands import CENTRES_HZ
from ..units import ABSENT_BELOW_LUFS, Floats, db_to_power, power_to_db
from .audibility import WEIGHTS, audibility, band_audibility, levels_db
from .loudness import block_mean, mean_lufs
from .meter import BLOCKS_PER_S, TICKS_PER_BLOCK, TICKS_PER_S
from .speech import active_share, block_of

ABSENT_UNDER_VOICE_LU = 40.0
_WINDOW_BLOCKS = 31
_LEAST_SPEECH_BLOCKS = 10
_FIRST_WORD_TICKS = 50
_ACTIVE = 0.5


@dataclass(frozen=True)
class Doubt:
    """By how much the ratio of voice to background may lie lower and higher than it was estimated, in LU.

    Per block ``(blocks,)``, NaN where nothing is known of it. Where an estimate is ``plain``, ``open_within_lu`` says
    how near to a limit it is left open whether that is met; elsewhere it is left open as far as the interval reaches.
    """

    low_lu: NDArray[np.float32]
    high_lu: NDArray[np.float32]
    plain: NDArray[np.bool_]
    open_within_lu: float

    def part(self, first: int, last: int) -> "Doubt":
        """The blocks from ``first`` up to ``last`` alone."""
        return replace(
            self, low_lu=self.low_lu[first:last], high_lu=self.high_lu[first:last], plain=self.plain[first:last]
        )

    def known(self, count: int) -> NDArray[np.bool_]:
        """Whether anything is known of each of so many blocks."""
        known = np.zeros(count, dtype=np.bool_)
        known[: len(self.low_lu)] = np.isfinite(self.low_lu[:count])
        return known

    def about(self, ratio_lu: float, blocks: NDArray[np.int64]) -> Estimate | None:
        """A ratio over some blocks with its interval; None where half of them or more are unknown."""
        here = blocks[blocks < len(self.low_lu)]
        low, high = self.low_lu[here], self.high_lu[here]
        known = np.isfinite(low)
        if not len(here) or 2 * known.sum() <= len(here):
            return None
        below, above = float(low[known].mean()), float(high[known].mean())
        open_within = self.open_within_lu if 2 * self.plain[here].sum() > len(here) else inf
        return Estimate(ratio_lu, ratio_lu - below, ratio_lu + above, MIX, open_within)


@dataclass(frozen=True)
class Balance:
    """Powers per tick of what speaks and of what lies under it, and where speech is.

    ``background`` is None where nothing is known of it.
    """

    voice: Floats
    music: Floats | None
    effects: Floats | None
    background: Floats | None
    flags: NDArray[np.bool_]
    voice_bands: Floats | None = None
    """Mean squares ``(blocks, 18)`` of the voice in one-third octaves, and below of what lies under it, role by
    role."""
    under_bands: Mapping[str, Floats] = field(default_factory=dict)
    doubt: "Doubt | None" = None
    """How far levels may be from the truth; None where stems tell them exactly."""
    active: NDArray[np.bool_] = field(default=None)  # type: ignore[arg-type]
    """Blocks of 100 ms of which half or more is speech; follows from ``flags``."""

    def __post_init__(self) -> None:
        """Look where speech is, unless that is known from the balance that this one was made of."""
        if self.active is None:
            object.__setattr__(self, "active", _active(self.flags))

    @cached_property
    def blocks(self) -> Mapping[str, Floats]:
        """Mean power of each 100 ms of what is known: ``voice``, ``music``, ``effects``, ``background``."""
        parts = {name: getattr(self, name) for name in ("voice", "music", "effects", "background")}
        return {name: block_mean(power) for name, power in parts.items() if power is not None}

    def with_speech(self, flags: NDArray[np.bool_]) -> "Balance":
        """The same levels with other speech."""
        return replace(self, flags=flags, active=_active(flags))

    def part(self, first: int, last: int) -> "Balance":
        """The ticks from ``first`` up to ``last`` alone; blocks stay as they are where both are whole blocks."""
        cut = slice(first, last)
        return Balance(
            self.voice[cut],
            None if self.music is None else self.music[cut],
            None if self.effects is None else self.effects[cut],
            None if self.background is None else self.background[cut],
            self.flags[cut],
            None if self.voice_bands is None else self.voice_bands[first // TICKS_PER_BLOCK : last // TICKS_PER_BLOCK],
            {
                role: bands[first // TICKS_PER_BLOCK : last // TICKS_PER_BLOCK]
                for role, bands in self.under_bands.items()
            },
            self.doubt and self.doubt.part(first // TICKS_PER_BLOCK, last // TICKS_PER_BLOCK),
        )

    def ratio(self, ratio_lu: float | None, blocks: NDArray[np.int64]) -> Estimate | None:
        """A ratio of the voice over some blocks, as sure as it can be told; None where it cannot."""
        if ratio_lu is None:
            return None
        return exact(ratio_lu, STEMS) if self.doubt is None else self.doubt.about(ratio_lu, blocks)


class Band(NamedTuple):
    """One one-third octave of a passage.

    Levels in dB, audibility (0 to 1), and its importance (the weights add up to 1).
    """

    centre_hz: int
    speech_db: float
    background_db: float
    audible: float
    weight: float

    @property
    def lost(self) -> float:
        """What is not heard of it, as a share of all speech."""
        return (1 - self.audible) * self.weight


@dataclass(frozen=True)
class Passage:
    """A stretch of speech and its levels over the blocks in which somebody speaks.

    None where a part is unknown or absent.
    """

    in_s: float
    out_s: float
    speech: Estimate | None
    music: Estimate | None
    effects: Estimate | None
    """Levels in LUFS."""
    speech_to_music: Estimate | None
    speech_to_background: Estimate | None
    first_word: Estimate | None
    """Ratios in LU."""
    audibility: float | None = None
    bands: tuple[Band, ...] = ()

    @property
    def speech_lufs(self) -> float | None:
        """The level of the voice alone, without its interval."""
        return value_of(self.speech)

    @property
    def speech_to_music_lu(self) -> float | None:
        """The same of the ratio to the music."""
        return value_of(self.speech_to_music)

    @property
    def speech_to_background_lu(self) -> float | None:
        """The same of the ratio to all that lies under the voice."""
        return value_of(self.speech_to_background)

    @property
    def first_word_lu(self) -> float | None:
        """The same of the ratio at the first word."""
        return value_of(self.first_word)

    @property
    def weakest_band_hz(self) -> int | None:
        """The band whose being covered costs most."""
        return max(self.bands, key=lambda b: b.lost).centre_hz if self.bands else None


def _active(flags: NDArray[np.bool_]) -> NDArray[np.bool_]:
    active: NDArray[np.bool_] = active_share(flags) >= _ACTIVE
    return active


def local_ratio(balance: Balance) -> Floats:
    """Voice over background in LU around each block; NaN where less than 1 s of speech lies there.

    Over 3 s, active blocks only.
    """
    if balance.background is None:
        return np.full(len(balance.active), np.nan)
    voice, background, known = local_sums(balance)
    if balance.doubt is not None:
        known &= balance.doubt.known(len(known))
    # Differences of the running sums leave dust where there is silence.
    return np.where(known, power_to_db(voice) - power_to_db(np.maximum(background, 1e-15)), np.nan)


def local_sums(balance: Balance, under: str = "background") -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Power of the voice and of a role under it around each block, and where there is enough speech for a ratio.

    In the active blocks of 3 s around it.
    """
    active, part = balance.active, getattr(balance, under)
    kernel = np.ones(_WINDOW_BLOCKS)
    voice, lying = (
        np.convolve(block_mean(p) * active, kernel)[_WINDOW_BLOCKS // 2 :][: len(active)] for p in (balance.voice, part)
    )
    spoken = np.convolve(active.astype(np.float64), kernel)[_WINDOW_BLOCKS // 2 :][: len(active)]
    return voice, lying, active & (spoken >= _LEAST_SPEECH_BLOCKS - 0.5)


def passage(balance: Balance, in_s: float, out_s: float) -> Passage:
    """Levels and ratios of one passage."""
    chosen = blocks_between(balance.active, in_s, out_s)
    voice = mean_lufs(balance.blocks["voice"][chosen])
    music, effects, background = (
        _under(balance.blocks.get(name), chosen, voice) for name in ("music", "effects", "background")
    )
    to_background = balance.ratio(_difference(voice, background), chosen)
    return Passage(
        in_s=in_s,
        out_s=out_s,
        speech=_level(balance, voice, to_background, of_voice=True),
        music=_level(balance, music, to_background, of_voice=False),
        effects=_level(balance, effects, to_background, of_voice=False),
        speech_to_music=balance.ratio(_difference(voice, music), chosen),
        speech_to_background=to_background,
        first_word=balance.ratio(first_word(balance, in_s, out_s), chosen),
        **({} if balance.doubt else _followed(balance, chosen)),
    )


def _level(balance: Balance, level: float | None, ratio: Estimate | None, *, of_voice: bool) -> Estimate | None:
    """A level with its interval: what the voice has more, the background has less, since both together are the mix."""
    if level is None:
        return None
    if balance.doubt is None:
        return exact(level, STEMS)
    if ratio is None:
        return None
    now, low, high = (_share_db(r if of_voice else -r) for r in (ratio.value, ratio.low, ratio.high))
    ends = sorted((level + low - now, level + high - now))
    return Estimate(level, ends[0], ends[1], MIX)


def _share_db(ratio_lu: float) -> float:
    """The level of one of two that stand so far apart, against both together."""
    return float(-power_to_db(1 + db_to_power(-ratio_lu)))


def _followed(balance: Balance, chosen: NDArray[np.int64]) -> dict[str, Any]:
    """Audibility and bands over some blocks; nothing where the bands are not known."""
    found = band_levels(balance, chosen)
    if found is None:
        return {}
    heard = band_audibility(*found)
    rows = zip(CENTRES_HZ, *(column.tolist() for column in (*found, heard, WEIGHTS)), strict=True)
    return {"audibility": float(heard @ WEIGHTS), "bands": tuple(map(Band._make, rows))}


def band_levels(balance: Balance, chosen: NDArray[np.int64]) -> tuple[Floats, Floats] | None:
    """Levels ``(18,)`` in dB of the voice and of what lies under it over some blocks.

    None where the bands are not known.
    """
    if balance.voice_bands is None or not balance.under_bands:
        return None
    here = chosen[chosen < len(balance.voice_bands)]
    if not len(here):
        return None
    voice, *under = (
        np.add.reduce(bands[here]) / len(here) for bands in (balance.voice_bands, *balance.under_bands.values())
    )
    return levels_db(voice), levels_db(np.add.reduce(under))


def audible_series(balance: Balance) -> Floats:
    """Audibility of every active block, NaN elsewhere."""
    count = len(balance.active)
    if balance.voice_bands is None or not balance.under_bands:
        return np.full(count, np.nan)
    under = np.sum(list(balance.under_bands.values()), axis=0)
    heard = audibility(levels_db(balance.voice_bands), levels_db(under))[:count]
    heard = np.concatenate([heard, np.full(count - len(heard), np.nan)])
    return np.where(balance.active, heard, np.nan)


def first_word(balance: Balance, in_s: float, out_s: float) -> float | None:
    """Voice over background in LU over the first 500 ms of speech of a passage; None without background."""
    if balance.background is None:
        return None
    begin = round(in_s * TICKS_PER_S)
    spoken = begin + np.flatnonzero(balance.flags[begin : round(out_s * TICKS_PER_S)])[:_FIRST_WORD_TICKS]
    return _difference(mean_lufs(balance.voice[spoken]), mean_lufs(balance.background[spoken]))


def blocks_between(active: NDArray[np.bool_], in_s: float, out_s: float) -> NDArray[np.int64]:
    """Indices of the active blocks between two times."""
    first, last = block_of(in_s), block_of(out_s + 1 / BLOCKS_PER_S - 1e-3)
    chosen: NDArray[np.int64] = first + np.flatnonzero(active[first:last])
    return chosen


def loudest_under(balance: Balance, blocks: NDArray[np.int64]) -> str:
    """Which role covers the voice over some blocks.

    ``music``, ``effects``, or ``background`` where they are not apart.
    """
    energy = {
        name: float(balance.blocks[name][blocks].sum()) for name in ("music", "effects") if name in balance.blocks
    }
    return max(energy, key=lambda name: energy[name]) if energy else "background"


def clear_share(ratios: Floats, clearance_lu: float) -> float | None:
    """Share of the speech time (blocks with a local ratio) that reaches the clearance, 0 to 1."""
    known = ratios[np.isfinite(ratios)]
    return float((np.round(known, 1) >= clearance_lu).mean()) if len(known) else None


def _under(power: Floats | None, chosen: NDArray[np.int64], voice_lufs: float | None) -> float | None:
    if power is None:
        return None
    level = mean_lufs(power[chosen])
    if level is None or level < ABSENT_BELOW_LUFS:
        return None
    absent = voice_lufs is not None and voice_lufs - level > ABSENT_UNDER_VOICE_LU
    return None if absent else level


def _difference(above: float | None, below: float | None) -> float | None:
    return None if above is None or below is None else above - below
