"""What a remedy would give: the same figures, computed again with gains on the stems."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...measure.audibility import NOTHING, audibility
from ...measure.balance import Balance, Passage, band_levels, blocks_between, local_ratio
from ...measure.loudness import MOMENTARY_TICKS, at_blocks, block_mean, mean_lufs, moving_mean
from ...measure.meter import BLOCKS_PER_S, TICKS_PER_BLOCK, TICKS_PER_S
from ...units import Floats, db_to_power
from ..model import JudgingContext
from ..remedy import Part, Point, Remedy

_REACH_S = 6
"""What lies further away changes neither a local ratio nor a first word."""


def around(in_s: float, out_s: float, ticks: int) -> tuple[int, int]:
    """Ticks (whole blocks) around a stretch, as far as a change in it can be told from the ratios."""
    first = max(0, int((in_s - _REACH_S) * BLOCKS_PER_S)) * TICKS_PER_BLOCK
    last = min(ticks, int((out_s + _REACH_S) * BLOCKS_PER_S + 1) * TICKS_PER_BLOCK)
    return first, last


def gain_curve(points: Sequence[Point], ticks: int, first: int = 0) -> Floats:
    """Power factor of level points for so many ticks from tick ``first`` on.

    Linear in dB between the points, level outside.
    """
    return db_to_power(level_curve(points, ticks, first)) if points else np.ones(ticks)


def level_curve(points: Sequence[Point], ticks: int, first: int = 0) -> Floats:
    """The same in dB."""
    times = (first + np.arange(ticks) + 0.5) / TICKS_PER_S
    curve: Floats = np.interp(times, [p.at_s for p in points], [p.gain_db for p in points])
    return curve


def factor_on(context: JudgingContext, part: Part, points: Sequence[Point], ticks: int, first: int = 0) -> Floats:
    """Power factor of level points on a part, for the whole of its role.

    One channel or one stem counts as much as it has of the role's power.
    """
    curve = gain_curve(points, ticks, first)
    if part.side:
        share: Floats | None = share_of(context, part.role, part.side.index)
    else:
        share = _share_of_stem(context, part.role, part.source)
    if share is None:
        return curve
    factor: Floats = 1.0 + share[first : first + ticks] * (curve - 1.0)
    return factor


def share_of(context: JudgingContext, role: str, channel: int) -> Floats:
    """The share of a channel (from 0) in the power of a role per tick, 0 to 1."""
    whole, own = context.measurement.role_power(role), context.measurement.role_power(role, channel=channel)
    assert whole is not None
    assert own is not None
    share: Floats = own / np.maximum(whole, NOTHING)
    return share


def _share_of_stem(context: JudgingContext, role: str, source: str | None) -> Floats | None:
    """The same for the stem of a name; None where that is all of the role."""
    powers = (
        [(s.name, context.measurement.stem_power(s)) for s in context.measurement.stems if s.role == role]
        if source
        else []
    )
    own = [power for name, power in powers if name == source]
    if not own or len(powers) < 2:
        return None
    share: Floats = np.sum(own, axis=0) / np.maximum(np.sum([power for _, power in powers], axis=0), NOTHING)
    return share


def with_gain(balance: Balance, role: str, factor: Floats, *, bands: bool = True) -> Balance:
    """The balance with a power factor per tick on one role.

    ``dialogue``, ``music``, ``effects``, or ``background`` as a whole.

    Without ``bands`` only the levels follow, which is enough for a ratio.
    """
    parts = {
        "dialogue": balance.voice,
        "music": balance.music,
        "effects": balance.effects,
        "background": balance.background,
    }
    part = parts[role]
    assert part is not None
    if role not in ("dialogue", "background") and balance.background is not None:
        parts["background"] = np.maximum(balance.background + part * (factor - 1), 0.0)
    parts[role] = part * factor
    voice_bands, under = balance.voice_bands, balance.under_bands
    if bands and role == "dialogue" and voice_bands is not None:
        voice_bands = _scaled(voice_bands, block_mean(factor))
    elif bands and role in under:
        under = {**under, role: _scaled(under[role], block_mean(factor))}
    voice, music, effects, background = parts.values()
    assert voice is not None
    return Balance(voice, music, effects, background, balance.flags, voice_bands, under, balance.doubt, balance.active)


def _scaled(bands: Floats, factor: Floats) -> Floats:
    count = min(len(bands), len(factor))
    scaled: Floats = bands[:count] * factor[:count, None]
    return scaled


def ratio_over(balance: Balance, blocks: NDArray[np.int64]) -> float:
    """Lowest local ratio in LU over some blocks.

    The ratio of them together where there is too little speech around them for one.
    """
    values = local_ratio(balance)[blocks]
    known = values[np.isfinite(values)]
    return float(known.min()) if len(known) else _together(balance, blocks)


def _together(balance: Balance, blocks: NDArray[np.int64]) -> float:
    voice, background = (
        mean_lufs(balance.blocks[name][blocks]) if name in balance.blocks else None for name in ("voice", "background")
    )
    return float("nan") if voice is None or background is None else voice - background


def audibility_over(balance: Balance, blocks: NDArray[np.int64]) -> float | None:
    """Audibility of speech over some blocks, 0 to 1; None where the bands are not known."""
    levels = band_levels(balance, blocks)
    return None if levels is None else float(audibility(*levels))


def integrated_with(context: JudgingContext, part: Part, points: Sequence[Point]) -> float | None:
    """Integrated loudness of the mix with level points on a part.

    The points end where they begin; roles are taken as uncorrelated.
    """
    balance = context.balance
    assert balance is not None
    power = balance.voice if part.role == "dialogue" else getattr(balance, part.role)
    assert power is not None
    first, last = around(points[0].at_s, points[-1].at_s, len(context.power))
    return integrated_of(context, power, factor_on(context, part, points, last - first, first), first)


def integrated_of(context: JudgingContext, part: Floats, factor: Floats, first: int) -> float | None:
    """The same with a power factor per tick from tick ``first`` (a whole block) on.

    ``part`` is the power per tick of what it is on.
    """
    last = first + len(factor)
    changed = np.maximum(context.power[first:last] + part[first:last] * (factor - 1), 0.0)
    # The first blocks of the stretch reach before it, where nothing changes.
    fresh = at_blocks(moving_mean(changed, MOMENTARY_TICKS, context.breaks[first:last]))
    begin, skip = first // TICKS_PER_BLOCK, MOMENTARY_TICKS // TICKS_PER_BLOCK if first else 0
    return context.gated.integrated_with(context.momentary_blocks[begin + skip : begin + len(fresh)], fresh[skip:])


def with_loudness(context: JudgingContext, remedy: Remedy) -> Remedy:
    """The remedy with the integrated loudness that it gives, where the parts of the mix are known."""
    if context.balance is None:
        return remedy
    return _giving(remedy, integrated_lufs=integrated_with(context, remedy.part, remedy.points))


def _giving(remedy: Remedy, **figures: float | None) -> Remedy:
    return replace(remedy, then=replace(remedy.then, **figures))


def predicted(context: JudgingContext, remedy: Remedy, passages: Sequence[Passage]) -> Remedy:
    """A remedy with the lowest gap and the loudness that it would give."""
    if not remedy.points or context.balance is None:
        return remedy
    loudness = integrated_with(context, remedy.part, remedy.points)
    if not passages:
        return _giving(remedy, integrated_lufs=loudness)
    part, first = changed_by(context, remedy, passages)
    blocks = np.concatenate([blocks_between(context.balance.active, p.in_s, p.out_s) for p in passages])
    here = blocks - first // TICKS_PER_BLOCK
    return _giving(
        remedy,
        speech_to_background_lu=ratio_over(part, here),
        audibility=audibility_over(part, here),
        integrated_lufs=loudness,
    )


def changed_by(
    context: JudgingContext, remedy: Remedy, passages: Sequence[Passage], *, bands: bool = True
) -> tuple[Balance, int]:
    """The balance around passages with a remedy's level points on its role, and the tick at which it begins."""
    assert context.balance is not None
    begin, end = min(passages[0].in_s, remedy.points[0].at_s), max(passages[-1].out_s, remedy.points[-1].at_s)
    first, last = around(begin, end, len(context.balance.voice))
    factor = factor_on(context, remedy.part, remedy.points, last - first, first)
    return with_gain(context.balance.part(first, last), remedy.role, factor, bands=bands), first
