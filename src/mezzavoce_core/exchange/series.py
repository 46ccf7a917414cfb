"""Curves over time, one value each 100 ms: as ``.npz`` for scripts and as compact binary for the page."""

import json
from pathlib import Path

import numpy as np

from ..judge.kinds.duck_one_sided import KIND as ONE_SIDED
from ..judge.model import Judgement
from ..measure.balance import Balance, audible_series
from ..measure.loudness import MOMENTARY_TICKS, SHORT_TERM_TICKS, at_blocks, block_mean, moving_mean
from ..measure.meter import TICKS_PER_BLOCK
from ..measure.speech import active_share
from ..units import Floats, amplitude_to_db, power_to_lufs

BLOCK_S = 0.1
ABSENT = -32768
_PAGE_CURVES = (
    "momentary_lufs",
    "short_term_lufs",
    "speech_lufs",
    "music_lufs",
    "effects_lufs",
    "background_lufs",
    "local_ratio_lu",
    "speech_probability",
    "true_peak_dbtp",
)
_SILENCE_LUFS = -100.0


def series(judgement: Judgement) -> dict[str, Floats]:
    """All curves by name, ``(blocks,)`` each; ``music_gain_db`` is ``(blocks, channels + 1)``, the joint gain last. Absent figures are NaN."""
    evidence = judgement.evidence
    mix = evidence.measurement.mix
    count = len(block_mean(evidence.power))
    curves = {
        "time_s": evidence.origin_s + np.arange(count) * BLOCK_S,
        "momentary_lufs": _level(at_blocks(moving_mean(evidence.power, MOMENTARY_TICKS, evidence.breaks))[:count]),
        "short_term_lufs": _level(at_blocks(moving_mean(evidence.power, SHORT_TERM_TICKS, evidence.breaks))[:count]),
        "true_peak_dbtp": np.maximum(amplitude_to_db(_block_peaks(mix.true_peak.max(axis=1), count)), _SILENCE_LUFS),
        "music_gain_db": _music_gain(judgement, count),
    }
    return curves | _balance(evidence.balance, evidence.local_ratio_lu, count)


def _block_peaks(per_tick: Floats, count: int) -> Floats:
    highest: Floats = per_tick[: count * TICKS_PER_BLOCK].reshape(count, TICKS_PER_BLOCK).max(axis=1)
    return highest


def _balance(balance: Balance | None, ratios: Floats, count: int) -> dict[str, Floats]:
    absent = np.full(count, np.nan)
    if balance is None:
        names = ("speech_probability", "speech_lufs", "music_lufs", "effects_lufs", "background_lufs", "local_ratio_lu", "audibility")
        return dict.fromkeys(names, absent)
    parts = {"speech": balance.voice, "music": balance.music, "effects": balance.effects, "background": balance.background}
    return {
        "speech_probability": active_share(balance.flags),
        **{f"{name}_lufs": absent if power is None else _level(block_mean(power)) for name, power in parts.items()},
        "local_ratio_lu": ratios,
        "audibility": audible_series(balance),
    }


def _level(power: Floats) -> Floats:
    return np.where(np.isfinite(power), np.maximum(power_to_lufs(np.nan_to_num(power)), _SILENCE_LUFS), np.nan)


def _music_gain(judgement: Judgement, count: int) -> Floats:
    """One gain for all channels, and per channel the same but where the music was found lowered in one of them."""
    evidence = judgement.evidence
    gains = np.full((count, evidence.measurement.file.channels + 1), np.nan)
    if evidence.ducks is None:
        return gains
    middle = (np.arange(count) + 0.5) * BLOCK_S
    gains[:] = np.min([np.zeros(count), *(d.gain_db(middle) for d in evidence.ducks)], axis=0)[:, None]
    for finding in judgement.findings:
        if finding.kind == ONE_SIDED.name:
            here = (middle >= finding.in_s) & (middle < finding.out_s)
            gains[here, :-1] = 0.0
            gains[here, finding.details["channel"]] = -finding.measured
    return gains


def write_npz(judgement: Judgement, path: Path) -> None:
    """Write all curves to an ``.npz`` file."""
    with path.open("wb") as file:
        np.savez_compressed(file, **series(judgement))  # type: ignore[arg-type]


def write_page_series(judgement: Judgement, path: Path) -> None:
    """Write the curves that the page draws: a JSON line (names, count, hop), then int16 hundredths, curve after curve.

    The JSON line is padded with blanks to an even length; -32768 stands for an absent figure.
    """
    curves = series(judgement)
    # Counted from the first sample of the file; what lies before the programme is absent.
    before = round(judgement.evidence.origin_s / BLOCK_S)
    count = before + len(curves["time_s"])
    start_s = judgement.evidence.origin_s - before * BLOCK_S
    header = json.dumps({"curves": list(_PAGE_CURVES), "count": count, "hop_s": BLOCK_S, "start_s": round(start_s, 3)})
    header += " " * (1 - len(header) % 2) + "\n"
    with path.open("wb") as file:
        file.write(header.encode())
        for name in _PAGE_CURVES:
            values = np.nan_to_num(np.round(np.concatenate([np.full(before, np.nan), curves[name]]) * 100), nan=ABSENT)
            file.write(np.clip(values, ABSENT, 32767).astype("<i2").tobytes())
