"""What lies beside the given stems, from the difference to the mix.

The background beside the voice, or the voice beside the background.
"""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, closing

import numpy as np

from .measure.measurement import StemLevels
from .measure.meter import Meter, Wanted
from .media import decode
from .media.decode import Samples
from .media.layouts import pairs
from .media.source import Source

Given = tuple[Source, float, int]
"""A stem, its gain in what it is taken out of (a factor), and the samples by which it lies later there."""
_NAMES = {"background": "the mix without its dialogue", "dialogue": "the mix without music and effects"}


def missing_role(roles: Sequence[str]) -> str | None:
    """The role that the difference to the mix stands for; else None.

    Background beside dialogue alone, dialogue beside all that lies under it.
    """
    given = set(roles)
    if given == {"dialogue"}:
        return "background"
    return "dialogue" if "dialogue" not in given and ("background" in given or given >= {"music", "effects"}) else None


def remainder(mix: Source, given: Sequence[Given], role: str) -> StemLevels:
    """The mix without the given stems, measured as a stem of a role."""
    info = mix.info
    meter = Meter(
        info.sample_rate_hz,
        info.channels,
        Wanted(between_samples=False, faults=False, bands=True),
        pairs=pairs(info.layout, info.channels),
        about_s=info.duration_s,
    )
    for block in differences(mix, given, info.sample_rate_hz):
        meter.feed(block)
    return StemLevels(_NAMES[role], role, meter.finish(), 0.0, 0.0, None, derived=True)


def differences(whole: Source, given: Sequence[Given], rate_hz: int) -> Iterator[Samples]:
    """Blocks of a mix, or of a stem that holds others, without the given stems."""
    channels = whole.info.channels
    block_s = decode.block_seconds(rate_hz, channels)
    with ExitStack() as open_things:
        mixed = open_things.enter_context(closing(decode.blocks(whole, rate_hz=rate_hz, block_s=block_s)))  # type: ignore[type-var]
        readers = [
            _Later(
                open_things.enter_context(closing(decode.blocks(s, rate_hz=rate_hz, block_s=block_s))),  # type: ignore[type-var]
                late,
                channels,
            )
            for s, _, late in given
        ]
        for block in mixed:
            left = block.astype(np.float32, copy=True)
            for reader, (_, gain, _) in zip(readers, given, strict=True):
                part = reader.take(len(block))
                left[: len(part)] -= np.float32(gain) * part
            yield np.asfortranarray(left)


class _Later:
    """Blocks of a stem, moved by some samples, handed out in any length."""

    def __init__(self, blocks: Iterator[Samples], late: int, channels: int) -> None:
        self._blocks, self._skip = blocks, max(0, -late)
        self._held = np.zeros((max(0, late), channels), dtype=np.float32)

    def take(self, count: int) -> Samples:
        """The next samples ``(frames, channels)``; fewer where the stem ends."""
        while len(self._held) < count:
            block = next(self._blocks, None)
            if block is None:
                break
            drop = min(len(block), self._skip)
            self._skip -= drop
            self._held = np.concatenate(
                [self._held, np.broadcast_to(block[drop:], (len(block) - drop, self._held.shape[1]))]
            )
        taken, self._held = self._held[:count], self._held[count:]
        return taken
