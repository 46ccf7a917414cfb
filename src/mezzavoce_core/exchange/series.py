"""Curves over time, one value each 100 ms: as ``.npz`` for scripts and as compact binary for the page."""

import json
from collections.abc import Collection, Mapping
from hashlib import blake2b
from pathlib import Path
from typing import Any

import numpy as np

from ..judge.kinds.duck_one_sided import KIND as ONE_SIDED
from ..judge.model import Judgement, JudgingContext
from ..measure.balance import Balance, audible_series
from ..measure.loudness import MOMENTARY_TICKS, SHORT_TERM_TICKS, at_blocks, block_mean, moving_mean
from ..measure.meter import TICKS_PER_BLOCK
from ..measure.speech import active_share
from ..units import Floats, amplitude_to_db, db_to_power, power_to_db, power_to_lufs

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
    "background_low_lufs",
    "background_high_lufs",
    "ratio_doubt_lu",
)
_SILENCE_LUFS = -100.0


def series(judgement: Judgement) -> dict[str, Floats]:
    """All curves by name, ``(blocks,)`` each; ``music_gain_db`` is ``(blocks, channels + 1)``, the joint gain last.

    Absent figures are NaN.
    """
    context = judgement.context
    count = _count(context)
    times = {"time_s": context.origin_s + np.arange(count) * BLOCK_S}
    audible = np.full(count, np.nan) if context.balance is None else audible_series(context.balance)
    return times | _drawn(context) | {"audibility": audible, "music_gain_db": _music_gain(judgement, count)}


def _count(context: JudgingContext) -> int:
    return len(block_mean(context.power))


def _drawn(context: JudgingContext) -> dict[str, Floats]:
    """The curves that the page draws."""
    return context.once(_of_the_mix) | context.once(_of_the_stems) | _of_speech(context)


def _of_the_mix(context: JudgingContext) -> dict[str, Floats]:
    count = _count(context)
    return {
        "momentary_lufs": _level(at_blocks(moving_mean(context.power, MOMENTARY_TICKS, context.breaks))[:count]),
        "short_term_lufs": _level(at_blocks(moving_mean(context.power, SHORT_TERM_TICKS, context.breaks))[:count]),
        "true_peak_dbtp": np.maximum(
            amplitude_to_db(_block_peaks(context.measurement.mix.true_peak.max(axis=1), count)), _SILENCE_LUFS
        ),
    }


def _block_peaks(per_tick: Floats, count: int) -> Floats:
    highest: Floats = per_tick[: count * TICKS_PER_BLOCK].reshape(count, TICKS_PER_BLOCK).max(axis=1)
    return highest


def _of_the_stems(context: JudgingContext) -> dict[str, Floats]:
    balance, absent = context.balance, np.full(_count(context), np.nan)
    roles = ("music", "effects", "background")
    parts = (
        dict.fromkeys(("speech", *roles))
        if balance is None
        else {"speech": balance.voice, **{role: getattr(balance, role) for role in roles}}
    )
    levels = {f"{name}_lufs": absent if power is None else _level(block_mean(power)) for name, power in parts.items()}
    return levels | _doubtful(balance, levels["background_lufs"])


def _doubtful(balance: Balance | None, background_lufs: Floats) -> dict[str, Floats]:
    """From where to where the background may lie, and how far the ratio may be off; NaN where it is known exactly."""
    names = ("background_low_lufs", "background_high_lufs", "ratio_doubt_lu")
    if balance is None or balance.doubt is None or balance.background is None:
        return dict.fromkeys(names, np.full(len(background_lufs), np.nan))
    voice, under = balance.blocks["voice"], balance.blocks["background"]
    ratio = power_to_db(np.maximum(voice, 1e-15)) - power_to_db(np.maximum(under, 1e-15))
    below, above = (_over(part, len(ratio)) for part in (balance.doubt.low_lu, balance.doubt.high_lu))
    shares = [-power_to_db(1 + db_to_power(ratio + by)) for by in (0.0, -below, above)]
    spoken = np.where(balance.active, 0.0, np.nan)
    found = background_lufs + shares[2] - shares[0] + spoken, background_lufs + shares[1] - shares[0] + spoken
    return dict(zip(names, (*found, (below + above) / 2 + spoken), strict=True))


def _over(values: Floats, count: int) -> Floats:
    return np.concatenate([values[:count], np.full(max(0, count - len(values)), np.nan)])


def _of_speech(context: JudgingContext) -> dict[str, Floats]:
    if context.balance is None:
        absent = np.full(_count(context), np.nan)
        return {"speech_probability": absent, "local_ratio_lu": absent}
    return {"speech_probability": active_share(context.balance.flags), "local_ratio_lu": context.local_ratio_lu}


def _level(power: Floats) -> Floats:
    return np.where(np.isfinite(power), np.maximum(power_to_lufs(np.nan_to_num(power)), _SILENCE_LUFS), np.nan)


def _music_gain(judgement: Judgement, count: int) -> Floats:
    """One gain for all channels, and per channel the same but where the music was found lowered in one of them."""
    context = judgement.context
    gains = np.full((count, context.measurement.file.channels + 1), np.nan)
    if context.ducks is None:
        return gains
    middle = (np.arange(count) + 0.5) * BLOCK_S
    deepest = np.zeros(count)
    for duck in context.ducks:
        first = 0 if duck.fall_start_s is None else int(np.searchsorted(middle, duck.fall_start_s))
        last = count if duck.return_end_s is None else int(np.searchsorted(middle, duck.return_end_s, side="right"))
        deepest[first:last] = np.minimum(deepest[first:last], duck.gain_db(middle[first:last]))
    gains[:] = deepest[:, None]
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
    """Write the curves that the page draws.

    A JSON line (names, count, hop, digests), then int16 hundredths, curve after curve.

    The JSON line is padded with blanks to an even length; -32768 stands for an absent figure. Curves of one digest are
    the same.
    """
    curves = _drawn(judgement.context)
    # Counted from the first sample of the file; what lies before the programme is absent.
    before = round(judgement.context.origin_s / BLOCK_S)
    count = before + _count(judgement.context)
    start_s = judgement.context.origin_s - before * BLOCK_S
    packed = {}
    for name in _PAGE_CURVES:
        values = np.nan_to_num(np.round(np.concatenate([np.full(before, np.nan), curves[name]]) * 100), nan=ABSENT)
        packed[name] = np.clip(values, ABSENT, 32767).astype("<i2").tobytes()
    path.write_bytes(
        _page_file(
            {"count": count, "hop_s": BLOCK_S, "start_s": round(start_s, 3), "digests": _digests(packed)}, packed
        )
    )


def page_curves(content: bytes) -> tuple[dict[str, Floats], float]:
    """The curves of a file of ``write_page_series`` by name, NaN where a figure is absent, and their hop in seconds."""
    line, _, values = content.partition(b"\n")
    header = json.loads(line)
    numbers = np.frombuffer(values, dtype="<i2").reshape(len(header["curves"]), header["count"])
    told = np.where(numbers == ABSENT, np.nan, numbers / 100.0)
    return dict(zip(header["curves"], told, strict=True)), float(header["hop_s"])


def without(content: bytes, have: Collection[str]) -> bytes:
    """The content of a file of curves for a page without the curves whose digest is among ``have``.

    Their digests still stand in the JSON line.
    """
    line, _, values = content.partition(b"\n")
    header = json.loads(line)
    length = header["count"] * 2
    packed = {name: values[k * length : (k + 1) * length] for k, name in enumerate(header["curves"])}
    # A file of a version that knew no digests.
    digests = header.setdefault("digests", _digests(packed))
    return _page_file(header, {name: curve for name, curve in packed.items() if digests[name] not in have})


def _digests(packed: Mapping[str, bytes]) -> dict[str, str]:
    return {name: blake2b(curve, digest_size=8).hexdigest() for name, curve in packed.items()}


def _page_file(header: Mapping[str, Any], packed: Mapping[str, bytes]) -> bytes:
    line = json.dumps({**header, "curves": list(packed)})
    return (line + " " * (1 - len(line) % 2) + "\n").encode() + b"".join(packed.values())
