"""What was done to the music as plain data, to be kept with a measurement or a judgement."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from ..measure.ducks import Duck, HeardStep, MusicGain, Pump
from .forms import GAIN


def gain_dict(gain: MusicGain) -> dict[str, Any]:
    """Plain data of the moves of a programme or of a part."""
    return GAIN.stamped(asdict(gain))


def gain_from_dict(facts: Mapping[str, Any]) -> MusicGain:
    """The moves from their plain data, of this or an older version.

    Raises NotMeasurable where it is of a newer one.
    """
    facts = GAIN.newest(facts)
    ducks = []
    for duck in facts["ducks"]:
        serves, pumps = duck["serves"] and tuple(duck["serves"]), tuple(Pump(**p) for p in duck["pumps"])
        ducks.append(Duck(**{**duck, "serves": serves, "pumps": pumps}))
    return MusicGain(tuple(ducks), facts["nats"], tuple(HeardStep(**h) for h in facts["steps"]))
