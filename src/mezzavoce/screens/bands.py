"""The bands of a passage: voice over what lies under it, and which of them are covered."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from mezzavoce_core.exchange.sheets.picture import passage_of

_FAMILIES = ("voice", "ducking", "effects")
_WIDTH, _HEIGHT, _STEP = 306, 52, 17
_SPAN_DB = 60.0
_COVERED_LU = 0.0


@dataclass(frozen=True)
class Bar:
    """One band: where its two bars stand, whether what lies under the voice covers it, and its name."""

    x: int
    voice_top: float
    under_top: float
    covered: bool
    name: str


@dataclass(frozen=True)
class BandPicture:
    """Bars of 18 bands and a sentence about them."""

    bars: Sequence[Bar]
    words: str
    width: int = _WIDTH
    height: int = _HEIGHT


def bands_of(evidence: dict[str, Any], detail: dict[str, Any]) -> BandPicture | None:
    """The bands of the passage that a finding lies in most; None where there are none to show."""
    if evidence["family"] not in _FAMILIES:
        return None
    passage = passage_of(evidence, detail.get("passages") or [])
    if passage is None or passage["audibility"] is None:
        return None
    bands = passage["bands"]
    top = max(max(b["speech_db"], b["background_db"]) for b in bands)

    def row(level: float) -> float:
        place: float = round(min(1.0, max(0.0, (top - level) / _SPAN_DB)) * _HEIGHT, 1)
        return place

    bars = [
        Bar(
            k * _STEP,
            row(b["speech_db"]),
            row(b["background_db"]),
            b["speech_db"] - b["background_db"] < _COVERED_LU,
            _name(b["centre_hz"]),
        )
        for k, b in enumerate(bands)
    ]
    return BandPicture(bars, _words(passage, bars))


def _words(passage: Mapping[str, Any], bars: Sequence[Bar]) -> str:
    covered = [b.name for b in bars if b.covered]
    words = f"Audibility {passage['audibility']:.2f} of 1: the voice (lines) over what lies under it (hatched)."
    if covered:
        words += (
            f" Covered: {covered[0] if len(covered) == 1 else f'{len(covered)} bands, {covered[0]} to {covered[-1]}'}."
        )
    elif passage["weakest_band_hz"]:
        words += f" Weakest around {_name(passage['weakest_band_hz'])}."
    return words


def _name(hz: int) -> str:
    return f"{hz / 1000:g} kHz" if hz >= 1000 else f"{hz} Hz"
