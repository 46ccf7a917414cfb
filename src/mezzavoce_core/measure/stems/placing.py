"""How a stem lies in the mix: delay, gain, and whether the mix contains it at all.

Works on a few stretches where the stem is loud. The delay is the peak of the phase correlation; the gain the
least-squares fit of all stems together, so that stems that move together do not steal from each other; a stem
belongs to the mix when it is coherent with what the other stems leave of it. Coherence and not plain correlation,
because a stem can lie far below its neighbours.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...signal.comparison import SHORTEST, coherence, expected_coherence, find_delay, fit_gains, shifted
from ...signal.mono import Mono, ReadStretch
from ...units import Floats
from ..meter import TICKS_PER_S

MAX_DELAY_S = 2.0
STRETCH_S = 12.0
_STRETCHES = 4
_CONTAINED = 0.12
_CONTAINED_SHARE = 0.5
"""Of the coherence that a stem would have as it was delivered; less is enough for a soft one below loud ones that were
not given."""
_DIRECT = 0.5
_SURE_ERRORS = 4.0
"""From so many standard errors on it is not by chance that a gain is not 0, or not 1."""
_SILENT_POWER = 1e-9


@dataclass(frozen=True)
class Placed:
    """A stem in the mix: it starts ``delay_s`` later than the mix and stands there with ``gain`` (a factor).

    ``expected`` is the coherence that it would have with the gain with which it was delivered, ``error`` the standard
    error of the gain.
    """

    delay_s: float
    gain: float
    coherence: float
    expected: float = 1.0
    error: float = 0.0

    @property
    def contained(self) -> bool:
        """Whether the mix holds this stem, or hides it so well that this cannot be told."""
        seen = self.coherence >= _CONTAINED_SHARE * self.expected and self.gain > _SURE_ERRORS * self.error
        return self.coherence >= _CONTAINED or seen or self.hidden

    @property
    def hidden(self) -> bool:
        """Whether it lies so far below everything else that it would not be seen."""
        return _SURE_ERRORS * self.error > 1.0


def loud_stretches(power: Floats) -> list[float]:
    """Starts in seconds of up to four stretches of 12 s in which a stem (tick powers) has most energy.

    None when it is silent.
    """
    size = int(STRETCH_S * TICKS_PER_S)
    if not len(power) or power.max() < _SILENT_POWER:
        return []
    step = size // 2
    starts = list(range(0, max(1, len(power) - size + 1), step))
    energy = [float(power[s : s + size].sum()) for s in starts]
    chosen: list[int] = []
    for index in np.argsort(energy)[::-1]:
        if energy[index] > 0 and all(abs(starts[index] - c) >= size for c in chosen):
            chosen.append(starts[index])
        if len(chosen) == _STRETCHES:
            break
    return [c / TICKS_PER_S for c in sorted(chosen)]


def place(
    mix: ReadStretch, stems: Sequence[ReadStretch], loud: Sequence[Sequence[float]], rate_hz: int
) -> list[Placed | None]:
    """Delay, gain and coherence of each stem; None for a silent one. ``loud`` are the stretches of each stem."""
    delays = [_delay(mix, stem, places, rate_hz) for stem, places in zip(stems, loud, strict=True)]
    heard = [k for k, places in enumerate(loud) if places]
    placed: list[Placed | None] = [None] * len(stems)
    for k in heard:
        results: list[tuple[float, float, Mono, Mono]] = []
        for start in loud[k]:
            mixed = mix(start, STRETCH_S)
            parts = [shifted(stems[j], start, delays[j], rate_hz, len(mixed)) for j in heard]
            gains = fit_gains(mixed, parts)
            own = heard.index(k)
            rest = (mixed - sum(g * p for j, (g, p) in enumerate(zip(gains, parts, strict=True)) if j != own)).astype(
                np.float32
            )
            results.append((float(gains[own]), coherence(rest, parts[own]), rest, parts[own]))
        placed[k] = _placed(delays[k] / rate_hz, *max(results, key=lambda r: r[1]))
    return placed


def _placed(delay_s: float, gain: float, found: float, rest: Mono, part: Mono) -> Placed:
    """Where little of a stem is seen, its gain is the one with which it was delivered.

    Only if that cannot be told from the one that fits best.
    """
    if found > _DIRECT or min(len(rest), len(part)) < SHORTEST:
        return Placed(delay_s, gain, found)
    most, error = expected_coherence(rest, part)
    place = Placed(delay_s, gain, found, most, error)
    return replace(place, gain=1.0) if place.hidden or abs(gain - 1.0) < _SURE_ERRORS * error else place


def _delay(mix: ReadStretch, stem: ReadStretch, places: Sequence[float], rate_hz: int) -> int:
    """The delay that most stretches agree on.

    None at all where the first one shows none and the stem is coherent as it lies.

    Coherence alone does not tell: a held note is coherent with itself a little later, too.
    """
    if not places:
        return 0
    found = []
    for start in places:
        mixed, part = mix(start, STRETCH_S), stem(start, STRETCH_S)
        length = min(len(mixed), len(part))
        found.append(find_delay(mixed, part, int(MAX_DELAY_S * rate_hz)))
        if found == [0] and coherence(mixed[:length], part[:length]) > _DIRECT:
            return 0
    return max(set(found), key=lambda d: (found.count(d), -abs(d)))
