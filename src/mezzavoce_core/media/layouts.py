"""Where channels stand and what they weigh in the sum of powers (ITU-R BS.1770-5).

Positions carry ffmpeg's short names. A layout is a name of the table below, or positions joined by ``+`` in the order
of the file. Weights: within 30 degrees of elevation and between 60 and 120 degrees of azimuth 1.41 (+1.5 dB), the
low-frequency channels none, every other position 1.0. The side and the back pair of a 5.1 layout both stand for Ls and
Rs. Figures from memory of the recommendation.
"""

import numpy as np
from numpy.typing import NDArray

from ..errors import LayoutError

SURROUND_WEIGHT = 1.41
LAYOUTS: dict[str, tuple[str, ...]] = {
    "mono": ("FC",),
    "stereo": ("FL", "FR"),
    "2.1": ("FL", "FR", "LFE"),
    "3.0": ("FL", "FR", "FC"),
    "quad": ("FL", "FR", "BL", "BR"),
    "5.0": ("FL", "FR", "FC", "BL", "BR"),
    "5.0(side)": ("FL", "FR", "FC", "SL", "SR"),
    "5.1": ("FL", "FR", "FC", "LFE", "BL", "BR"),
    "5.1(side)": ("FL", "FR", "FC", "LFE", "SL", "SR"),
    "5.1(film)": ("FL", "FC", "FR", "SL", "SR", "LFE"),
    "7.1": ("FL", "FR", "FC", "LFE", "BL", "BR", "SL", "SR"),
    "5.1.4": ("FL", "FR", "FC", "LFE", "SL", "SR", "TFL", "TFR", "TBL", "TBR"),
}
_BY_COUNT = {1: "mono", 2: "stereo", 3: "3.0", 6: "5.1(side)", 8: "7.1", 10: "5.1.4"}
# How people write positions on paper, for reading and for showing.
_WRITTEN = {
    "FL": "L",
    "FR": "R",
    "FC": "C",
    "LFE": "LFE",
    "SL": "Ls",
    "SR": "Rs",
    "BL": "Lb",
    "BR": "Rb",
    "BC": "Cb",
    "TFL": "Ltf",
    "TFR": "Rtf",
    "TBL": "Ltb",
    "TBR": "Rtb",
}
_PAIRS = (("FL", "FR"), ("SL", "SR"), ("BL", "BR"), ("TFL", "TFR"), ("TBL", "TBR"))
_ALWAYS_SURROUND = {"SL", "SR", "WL", "WR"}


def positions(layout: str, channels: int) -> tuple[str, ...]:
    """The position of each channel; an unknown layout gives empty names."""
    names = LAYOUTS.get(layout) or tuple(layout.split("+"))
    return names if len(names) == channels else ("",) * channels


def layout_name(reported: str | None, channels: int) -> str:
    """The layout to count with: the file's own where it is known, else the usual one of that many channels."""
    if reported in LAYOUTS and len(LAYOUTS[reported]) == channels:
        return reported
    listed = reported.partition("(")[2].rstrip(")") if reported and "+" in reported else ""
    if listed and len(listed.split("+")) == channels:
        return listed
    return _BY_COUNT.get(channels, f"{channels} channels")


def says_layout(reported: str | None, channels: int) -> bool:
    """Whether a file's own word settles the layout; with one or two channels there is nothing to ask."""
    return channels <= 2 or bool(
        reported and ("+" in reported or (reported in LAYOUTS and len(LAYOUTS[reported]) == channels))
    )


def is_known(layout: str, channels: int) -> bool:
    """Whether every channel has a position."""
    return all(positions(layout, channels))


def parse_layout(text: str) -> str:
    """A layout from its name or from positions as people write them (``L C R Ls Rs LFE``).

    Raises LayoutError that lists what is known.
    """
    if text in LAYOUTS:
        return text
    by_written = {written.casefold(): name for name, written in _WRITTEN.items()} | {
        name.casefold(): name for name in _WRITTEN
    }
    words = text.replace(",", " ").replace("+", " ").split()
    names = [by_written.get(w.casefold(), "") for w in words]
    if not words or not all(names) or len(set(names)) != len(names):
        raise LayoutError(
            f"“{text}” is no channel layout; list each position once, from {' '.join(_WRITTEN.values())}, or "
            f"name one of: {', '.join(LAYOUTS)}."
        )
    order = tuple(names)
    return next((name for name, listed in LAYOUTS.items() if listed == order), "+".join(order))


def channel_names(layout: str, channels: int) -> tuple[str, ...]:
    """What each channel is called on a page: its position as people write it, or its number."""
    if channels == 1:
        return ("mono",)
    return tuple(_WRITTEN.get(p, p) or str(k) for k, p in enumerate(positions(layout, channels), 1))


def pairs(layout: str, channels: int) -> tuple[tuple[int, int], ...]:
    """Channels that stand left and right of each other, as indices."""
    names = positions(layout, channels)
    return tuple((names.index(a), names.index(b)) for a, b in _PAIRS if a in names and b in names)


def channel_weights(layout: str, channels: int) -> NDArray[np.float64]:
    """Weights ``(channels,)`` for the sum of powers. A layout without a name weighs all channels 1.0."""
    names = positions(layout, channels)
    # In 7.1 the back pair stands beyond 120 degrees and weighs 1.0; alone it stands for the surrounds.
    surround = _ALWAYS_SURROUND if "SL" in names else _ALWAYS_SURROUND | {"BL", "BR"}
    return np.array([0.0 if n.startswith("LFE") else SURROUND_WEIGHT if n in surround else 1.0 for n in names])
