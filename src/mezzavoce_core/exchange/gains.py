"""What was done to the music as plain data, to be kept with a measurement or a judgement."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from ..errors import NotMeasurable
from ..measure.ducks import Duck, HeardStep, MusicGain, Pump
from .forms import GAIN


def gain_dict(gain: MusicGain) -> dict[str, Any]:
    """Plain data of the moves of a programme or of a part."""
    return GAIN.stamped(asdict(gain))


def gain_from_dict(facts: Mapping[str, Any]) -> MusicGain:
    """The moves from their plain data, of this or an older version.

    Raises NotMeasurable where it is of a newer one, or something else.
    """
    facts = GAIN.newest(facts)
    try:
        return MusicGain(
            tuple(_duck(duck) for duck in facts["ducks"]),
            facts["nats"],
            tuple(HeardStep(**heard) for heard in facts["steps"]),
        )
    except (KeyError, TypeError) as error:
        raise NotMeasurable(f"The stored moves of the music cannot be read ({error}); measure the mix again.") from None


def _duck(facts: Mapping[str, Any]) -> Duck:
    serves, pumps = facts["serves"] and tuple(facts["serves"]), tuple(Pump(**p) for p in facts["pumps"])
    return Duck(**{**facts, "serves": serves, "pumps": pumps})
