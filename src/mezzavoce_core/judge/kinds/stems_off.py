"""Stems that do not belong to this export of the mix: moved, at another level, not all that is in it, or with a voice where none belongs."""

from collections.abc import Iterator

import numpy as np

from ...measure.measurement import StemLevels
from ...measure.meter import BLOCKS_PER_S
from ...signal.spans import join, runs
from ...units import power_to_db
from ..model import NOTE, Evidence, Finding, Kind

_LEFT_DB = -15.0
"""Common practice: what stems leave of a mix lies far under it, also where the mix was coded with losses."""
_MOVED_S, _GAIN_DB = 0.005, 0.3
_LEAST_S, _WINDOW_S = 2.0, 1.0
_QUIET_DB, _SILENT_DB = -60.0, -100.0
_NO_VOICE_DB = -40.0
"""Common practice: what is softer by more than this does no harm."""


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each stem that had to be moved or turned up or down or that holds the voice, and for each stretch of which the stems leave too much."""
    for stem in evidence.measurement.stems:
        if not stem.derived and abs(stem.delay_s) >= _MOVED_S:
            yield _moved(evidence, stem)
        if not stem.derived and abs(stem.gain_db) >= _GAIN_DB:
            yield _turned(evidence, stem)
        if stem.voice_db is not None and stem.voice_db > _NO_VOICE_DB:
            yield _leaked(evidence, stem, stem.voice_db)
    yield from _left(evidence)


def _moved(evidence: Evidence, stem: StemLevels) -> Finding:
    frames = abs(stem.delay_s) * float(evidence.clock.rate.fps)
    side = "earlier" if stem.delay_s > 0 else "later"
    return _finding(
        evidence,
        stem,
        title="Stem out of step",
        message=(
            f"The {stem.role} stem “{stem.name}” runs {abs(stem.delay_s):.3f} s ({frames:.1f} frames) {side} than in the mix. "
            f"It was moved for measuring; level points hold for the mix, so move the stem first."
        ),
        measured=stem.delay_s,
        limit=_MOVED_S,
        unit="s",
    )


def _turned(evidence: Evidence, stem: StemLevels) -> Finding:
    side = "higher" if stem.gain_db > 0 else "lower"
    return _finding(
        evidence,
        stem,
        title="Stem at another level",
        message=(
            f"The {stem.role} stem “{stem.name}” stands {abs(stem.gain_db):.1f} dB {side} in the mix than as delivered. "
            f"It was measured as it is in the mix; gains are to be added there."
        ),
        measured=stem.gain_db,
        limit=_GAIN_DB,
        unit="dB",
    )


def _leaked(evidence: Evidence, stem: StemLevels, voice_db: float) -> Finding:
    return _finding(
        evidence,
        stem,
        title="Voice in another stem",
        message=(
            f"The {stem.role} stem “{stem.name}” holds the voice, too, at {voice_db:+.0f} dB against the dialogue stem. It counts as {stem.role} in every "
            f"figure here, so music seems to rise where somebody speaks. Export that stem without the voice and measure again."
        ),
        measured=voice_db,
        limit=_NO_VOICE_DB,
        unit="dB",
    )


def _finding(evidence: Evidence, stem: StemLevels, *, title: str, message: str, measured: float, limit: float, unit: str) -> Finding:
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=NOTE,
        in_s=0.0,
        out_s=evidence.duration_s,
        title=title,
        message=message,
        measured=measured,
        limit=limit,
        unit=unit,
        role=stem.role,
        source=stem.name,
    )


def _left(evidence: Evidence) -> Iterator[Finding]:
    rest, stems = evidence.measurement.rest, evidence.measurement.stems
    if rest is None or any(s.derived for s in stems) or not {"dialogue"} < {s.role for s in stems}:
        return
    kernel = np.full(round(_WINDOW_S * BLOCKS_PER_S), 1 / (_WINDOW_S * BLOCKS_PER_S))
    whole, left = (np.convolve(part.astype(np.float64), kernel, mode="same") for part in (rest.mix, rest.left))
    level = power_to_db(np.maximum(left, 1e-15)) - power_to_db(np.maximum(whole, 1e-15))
    off = (level > _LEFT_DB) & (power_to_db(np.maximum(whole, 1e-15)) > _QUIET_DB)
    silent = [f"the {s.role} stem “{s.name}”" for s in stems if power_to_db(max(float(s.levels.power.max(initial=0.0)), 1e-15)) < _SILENT_DB]
    why = f"Nothing is to be heard in {' and '.join(silent)}; export it again" if silent else "A stem is missing or of another version"
    for first, last in join(runs(off), BLOCKS_PER_S):
        if last - first < _LEAST_S * BLOCKS_PER_S:
            continue
        share = float(power_to_db(left[first:last].sum()) - power_to_db(whole[first:last].sum()))
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=NOTE,
            in_s=first / BLOCKS_PER_S,
            out_s=min(last / BLOCKS_PER_S, evidence.duration_s),
            title="Stems do not add up to the mix",
            message=(
                f"Here the stems leave a rest at {share:.1f} dB against the mix; up to {_LEFT_DB:.1f} dB they add up. {why}; "
                f"figures of voice against background may be off."
            ),
            measured=share,
            limit=_LEFT_DB,
            unit="dB",
        )


KIND = Kind("stems-off", "signal", find)
