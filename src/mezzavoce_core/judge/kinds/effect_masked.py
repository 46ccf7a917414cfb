"""An effect that matters is covered. Only for effects that a person called important."""

from collections.abc import Iterator

from ...estimate import exact
from ...measure.loudness import mean_lufs
from ...measure.meter import TICKS_PER_S
from ..model import NOTE, Finding, JudgingContext, Kind
from ..remedies.level_points import hold_points
from ..remedies.prediction import with_loudness
from ..remedy import Part, Remedy

LIMIT_LU = 0.0
"""Common practice: what matters is at least as loud as what lies over it."""
_BEYOND_LU = 3.0


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each important effect that the music there is louder than."""
    balance = context.balance
    if balance is None or balance.effects is None or balance.music is None:
        return
    for in_s, out_s in context.important:
        part = slice(round(in_s * TICKS_PER_S), round(out_s * TICKS_PER_S))
        effect, music = mean_lufs(balance.effects[part]), mean_lufs(balance.music[part])
        if effect is None or music is None or round(effect - music, 1) >= LIMIT_LU:
            continue
        amount = round(effect - music - _BEYOND_LU, 1)
        remedy = Remedy("lower", Part("music"), amount, hold_points(context, in_s, out_s, amount))
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=NOTE,
            in_s=in_s,
            out_s=out_s,
            title="Important effect covered",
            message=f"The music stands {music - effect:.1f} LU over an effect that was marked as important; it should "
            "stand no higher.",
            estimate=exact(effect - music),
            limit=LIMIT_LU,
            unit="LU",
            role="effects",
            remedy=with_loudness(context, remedy),
        )


KIND = Kind("effect-masked", "effects", "important effect covered", find, wants_stems=True)
