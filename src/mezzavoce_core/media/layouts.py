"""Channel weights of ITU-R BS.1770-5 for the layouts that ffmpeg names.

Front channels weigh 1.0, surrounds between 60 and 120 degrees of azimuth 1.41 (+1.5 dB), the low-frequency
channel is left out. The side and the back pair of a 5.1 layout both stand for Ls and Rs. Figures from memory.
"""

import numpy as np
from numpy.typing import NDArray

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
    "7.1": ("FL", "FR", "FC", "LFE", "BL", "BR", "SL", "SR"),
}
_BY_COUNT = {1: "mono", 2: "stereo", 6: "5.1(side)", 8: "7.1"}


def layout_name(reported: str | None, channels: int) -> str:
    """The layout to count with: the file's own where it is known, else the usual one of that many channels."""
    if reported in LAYOUTS and len(LAYOUTS[reported]) == channels:
        return reported
    return _BY_COUNT.get(channels, f"{channels} channels")


def channel_weights(layout: str, channels: int) -> NDArray[np.float64]:
    """Weights ``(channels,)`` for the sum of powers. A layout without a name weighs all channels 1.0."""
    names = LAYOUTS.get(layout)
    if names is None:
        return np.ones(channels)
    # In 7.1 the back pair stands beyond 120 degrees and weighs 1.0; alone it stands for the surrounds.
    surround = {"SL", "SR"} if "SL" in names else {"BL", "BR"}
    return np.array([0.0 if n == "LFE" else SURROUND_WEIGHT if n in surround else 1.0 for n in names])
