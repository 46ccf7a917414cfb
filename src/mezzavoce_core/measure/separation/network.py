"""What the voice network hears in the stretches where somebody speaks: powers and what they share with the mix."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor, Future
from dataclasses import dataclass
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from ...signal.mono import Mono
from ...signal.spans import join
from ...units import Floats
from ..meter import TICKS_PER_S
from .models import VOICE_RATE_HZ, VoiceNetwork
from .spatial import BANDS, channel_roles, cut_for

_LEAD_S, _AFTER_S = 1.0, 0.4
_LONGEST_S, _APART_S = 30.0, 1.5
_AT_ONCE, _WORTH_A_NETWORK_S = 4, 45.0
_PER_TICK = VOICE_RATE_HZ // TICKS_PER_S
_SHARED_TICKS = 11
_LEAST = 1e-14
Block = NDArray[np.float32]


@dataclass(frozen=True)
class NetworkVoice:
    """What the network gives, per tick and band ``(ticks, 26)``; nothing outside the stretches that it heard.

    ``power``: of its voice, on the scale of the mix on the axis of the dialogue. ``shared``: its product with the mix
    there. ``heard``: the ticks that it heard.
    """

    power: NDArray[np.float32]
    shared: NDArray[np.float32]
    heard: NDArray[np.bool_]

    def in_mix(self, ticks: NDArray[np.int64]) -> Floats:
        """The power ``(26,)`` over some ticks of what of the mix goes along with the network's voice.

        In tenths of a second, band by band: the network's voice is softer than the one in the mix, and dull.
        """
        whole = len(ticks) // 10 * 10
        if not whole:
            return np.zeros(BANDS)
        shared, power = (x[ticks[:whole]].reshape(-1, 10, BANDS).sum(axis=1) for x in (self.shared, self.power))
        found: Floats = (np.maximum(shared, 0) ** 2 / np.maximum(power, _LEAST)).sum(axis=0) * (len(ticks) / whole)
        return found

    def along(self, on: NDArray[np.float32], part: slice) -> Floats:
        """The same from moment to moment in a part ``(ticks, 26)``, never more than there is ``on`` the axis."""
        own = self.power[part]
        shared, power, most = (uniform_filter1d(x[part], _SHARED_TICKS, axis=0) for x in (self.shared, self.power, on))
        share = np.maximum(shared, 0) / np.maximum(power, _LEAST)
        voice = own * share**2
        meant = uniform_filter1d(voice, _SHARED_TICKS, axis=0)
        limited: Floats = voice * np.minimum(1.0, most / np.maximum(meant, _LEAST))
        return limited


@dataclass(frozen=True)
class Stretch:
    """A stretch for the network to hear, in ticks; what it gives counts from ``begin`` on, the rest warms it up."""

    first: int
    begin: int
    last: int


def stretches(passages: Sequence[tuple[float, float]], ticks: int) -> list[Stretch]:
    """Stretches of 30 s at most that hold all passages (seconds), each with a second before it."""
    after = round(_AFTER_S * TICKS_PER_S)
    spans = join(
        [(max(0, round(a * TICKS_PER_S) - after), min(ticks, round(b * TICKS_PER_S) + after)) for a, b in passages],
        round(_APART_S * TICKS_PER_S),
    )
    longest, lead = round(_LONGEST_S * TICKS_PER_S), round(_LEAD_S * TICKS_PER_S)
    parts = [(at, min(at + longest, b)) for a, b in spans for at in range(a, b, longest)]
    return [Stretch(max(0, a - lead), a, b) for a, b in parts]


def listen(
    blocks: Iterable[Block],
    wanted: Sequence[Stretch],
    on_axis: Callable[[Block], Mono],
    ticks: int,
    threads: Executor | None,
    heard: Callable[[float], None],
) -> NetworkVoice:
    """Let the network hear some stretches of a sound in blocks at 48 kHz ``(frames, channels)``.

    ``threads`` hear several at once; ``heard`` is told the seconds of stretches that are done.
    """
    found = NetworkVoice(
        np.zeros((ticks, BANDS), dtype=np.float32),
        np.zeros((ticks, BANDS), dtype=np.float32),
        np.zeros(ticks, dtype=np.bool_),
    )
    lanes = [_Lane() for _ in range(_lanes(wanted))]
    waiting: list[tuple[Stretch, Future[tuple[Block, Block]]]] = []
    done_s = 0.0
    try:
        for k, (stretch, mono) in enumerate(_cut_out(blocks, wanted, on_axis)):
            lane = lanes[k % len(lanes)]
            if threads is None:
                _keep(found, stretch, lane.hear(mono))
                heard(done_s := done_s + (stretch.last - stretch.first) / TICKS_PER_S)
                continue
            waiting.append((stretch, threads.submit(lane.hear, mono)))
            # Few enough at a time that hours of sound do not wait in memory.
            while len(waiting) > _AT_ONCE:
                done_s = _next(found, waiting, done_s, heard)
        while waiting:
            done_s = _next(found, waiting, done_s, heard)
    finally:
        for lane in lanes:
            lane.close()
    return found


def _lanes(wanted: Sequence[Stretch]) -> int:
    """How many networks hear, whatever threads there are: so that the result does not depend on them."""
    return min(_AT_ONCE, 1 + sum(s.last - s.first for s in wanted) // round(_WORTH_A_NETWORK_S * TICKS_PER_S))


def _next(
    found: NetworkVoice,
    waiting: list[tuple[Stretch, Future[tuple[Block, Block]]]],
    done_s: float,
    heard: Callable[[float], None],
) -> float:
    stretch, job = waiting.pop(0)
    _keep(found, stretch, job.result())
    done_s += (stretch.last - stretch.first) / TICKS_PER_S
    heard(done_s)
    return done_s


class _Lane:
    """A network and the stretches that it hears one after the other: it remembers a little of what it heard."""

    def __init__(self) -> None:
        self._mine, self._network = Lock(), None

    _network: VoiceNetwork | None

    def hear(self, mono: Mono) -> tuple[Block, Block]:
        """Power of the network's voice and its product with the sound, ``(ticks, 26)`` each."""
        with self._mine:
            self._network = self._network or VoiceNetwork()
            voice = self._network.voice(mono)
        return _powers(voice, mono)

    def close(self) -> None:
        if self._network is not None:
            self._network.close()


def _powers(voice: Mono, mono: Mono) -> tuple[Block, Block]:
    cut = cut_for(VOICE_RATE_HZ)
    whole = np.zeros((1, cut.size), dtype=np.float32)
    powers = []
    for signal in (voice, mono, voice + mono):
        frames = cut.frames()
        powers.append(np.concatenate([frames.feed(signal[None]), frames.feed(whole)])[: len(mono) // _PER_TICK])
    own, given, both = powers
    return own, (both - own - given) / 2


def _keep(found: NetworkVoice, stretch: Stretch, heard: tuple[Block, Block]) -> None:
    own, shared = (x[stretch.begin - stretch.first :] for x in heard)
    last = min(stretch.begin + len(own), stretch.last)
    count = last - stretch.begin
    found.power[stretch.begin : last], found.shared[stretch.begin : last] = own[:count], shared[:count]
    found.heard[stretch.begin : last] = True


def _cut_out(
    blocks: Iterable[Block], wanted: Sequence[Stretch], on_axis: Callable[[Block], Mono]
) -> Iterator[tuple[Stretch, Mono]]:
    """Each stretch with its sound on the axis."""
    held, at, left = np.zeros(0, dtype=np.float32), 0, list(wanted)
    for block in blocks:
        if not left:
            return
        held = np.concatenate([held, on_axis(block)])
        while left and at + len(held) >= left[0].last * _PER_TICK:
            stretch = left.pop(0)
            yield stretch, held[stretch.first * _PER_TICK - at : stretch.last * _PER_TICK - at]
        drop = max(0, min(len(held), (left[0].first * _PER_TICK if left else at + len(held)) - at))
        held, at = held[drop:], at + drop
    for stretch in left:
        if len(mono := held[max(0, stretch.first * _PER_TICK - at) : stretch.last * _PER_TICK - at]) >= _PER_TICK:
            yield stretch, mono


def axis_of(layout: str, channels: int, axis_deg: float, *, in_centre: bool) -> Callable[[Block], Mono]:
    """How a block ``(frames, channels)`` gives the sound on an axis, on the scale of the powers there."""
    roles = channel_roles(layout, channels)
    weights = np.zeros(channels, dtype=np.float32)
    if in_centre:
        weights[roles["centre"]] = 1.0
    elif len(roles["pair"]) == 2:
        # Turned from the middle: the mid times the cosine and the side times the sine.
        c, s = np.cos(np.deg2rad(axis_deg)), np.sin(np.deg2rad(axis_deg))
        weights[roles["pair"]] = np.array([c + s, c - s]) * np.sqrt(0.5)
    else:
        weights[roles["pair"]] = 1.0

    def mono(block: Block) -> Mono:
        sound: Mono = (block @ weights).astype(np.float32, copy=False)
        return sound

    return mono
