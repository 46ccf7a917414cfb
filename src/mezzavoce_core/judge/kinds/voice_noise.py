"""The voice brings its room along: noise between the words that is not far enough under them."""

from collections.abc import Iterator

import numpy as np

from ...estimate import exact
from ...measure.loudness import mean_lufs
from ...units import ABSENT_BELOW_LUFS, lufs_to_power, power_to_lufs
from ..model import NOTE, Finding, JudgingContext, Kind

_LEAST_BLOCKS = 20
_NEAR_BLOCKS = 15


def find(context: JudgingContext) -> Iterator[Finding]:
    """One finding for the programme, where there is too much noise near speech.

    The dialogue stem near speech is less than ``noise_below_speech_lu`` under the words.
    """
    limit, balance = context.spec.limits.noise_below_speech_lu, context.balance
    if limit is None or balance is None or not context.speech:
        return
    blocks, spoken = balance.blocks["voice"], balance.active
    near = np.convolve(spoken, np.ones(2 * _NEAR_BLOCKS + 1), mode="same") > 0
    # Blocks right beside a word hold its beginning and its end.
    beside = np.convolve(spoken, np.ones(5), mode="same") > 0
    quiet = blocks[near & ~beside]
    level = mean_lufs(blocks[spoken])
    heard = quiet[quiet > lufs_to_power(ABSENT_BELOW_LUFS)]
    if level is None or len(heard) < _LEAST_BLOCKS or len(heard) < len(quiet) / 2:
        return
    below = level - float(power_to_lufs(np.median(heard)))
    if round(below, 1) >= limit:
        return
    yield Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=NOTE,
        in_s=context.speech[0].in_s,
        out_s=context.speech[-1].out_s,
        title="Noise behind the voice",
        message=f"Between the words the dialogue is only {below:.1f} LU softer than in them; {limit:g} LU keep the "
        "room out of the way.",
        estimate=exact(below),
        limit=limit,
        unit="LU",
        role="dialogue",
    )


KIND = Kind("voice-noise", "voice", "noise behind the voice", find, wants_stems=True)
