"""The passage of a note as a picture on paper: the voice over what lies under it, and the same by bands."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ...units import Floats

_MOST_POINTS = 160
_AROUND_S = 2.0
_LONGEST_S = 90.0
_FAMILIES = ("voice", "ducking", "effects", "music")


@dataclass(frozen=True)
class Picture:
    """Levels over time in LUFS, every ``hop_s`` from ``start_s`` on (None: nothing there), and by bands in dB.

    ``bands`` are centre in Hz, the voice, what lies under it; of both parts either may be empty.
    """

    start_s: float
    hop_s: float
    voice: tuple[float | None, ...] = ()
    under: tuple[float | None, ...] = ()
    bands: tuple[tuple[float, float, float], ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """As JSON types."""
        return {
            "start_s": self.start_s,
            "hop_s": self.hop_s,
            "voice": list(self.voice),
            "under": list(self.under),
            "bands": [list(band) for band in self.bands],
        }


def picture_from(told: Mapping[str, Any] | None) -> Picture | None:
    """The same from JSON types; None where there is none."""
    if not told:
        return None
    bands = tuple((float(hz), float(voice), float(under)) for hz, voice, under in told["bands"])
    return Picture(told["start_s"], told["hop_s"], tuple(told["voice"]), tuple(told["under"]), bands)


def picture_of(
    finding: Mapping[str, Any],
    passages: Sequence[Mapping[str, Any]] | None,
    curves: Mapping[str, Floats] | None = None,
    hop_s: float = 0.1,
) -> Picture | None:
    """The picture of a finding of a result; None where there is nothing to draw.

    ``curves`` are ``speech_lufs`` and ``background_lufs`` of the whole mix, a value every ``hop_s`` seconds, NaN where
    nothing is.
    """
    if finding["family"] not in _FAMILIES:
        return None
    passage = passage_of(finding, passages or ())
    bands = (
        tuple((float(b["centre_hz"]), round(b["speech_db"], 1), round(b["background_db"], 1)) for b in passage["bands"])
        if passage
        else ()
    )
    begin = max(0, int((finding["in_s"] - _AROUND_S) / hop_s))
    end = int(min(finding["out_s"] + _AROUND_S, finding["in_s"] + _LONGEST_S) / hop_s) + 1
    step = max(1, -(-(end - begin) // _MOST_POINTS))
    voice, under = (
        tuple(_figure(v) for v in curves[name][begin:end:step]) if curves else ()
        for name in ("speech_lufs", "background_lufs")
    )
    if not bands and not any(v is not None for v in (*voice, *under)):
        return None
    return Picture(round(begin * hop_s, 3), round(step * hop_s, 3), voice, under, bands)


def passage_of(finding: Mapping[str, Any], passages: Sequence[Mapping[str, Any]]) -> Mapping[str, Any] | None:
    """The passage with bands that a finding lies in most; None where it lies in none."""
    shared = [
        (min(p["out_s"], finding["out_s"]) - max(p["in_s"], finding["in_s"]), p) for p in passages if p.get("bands")
    ]
    overlap, passage = max(shared, key=lambda s: s[0], default=(0.0, None))
    return passage if overlap > 0 else None


def _figure(value: float) -> float | None:
    return None if value != value else round(float(value), 1)  # noqa: PLR0124  (what is not itself is no number)
