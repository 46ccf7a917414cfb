"""The music stays up under a passage that needs it lower."""

from collections.abc import Iterator
from functools import partial

from ...measure.balance import blocks_between
from ..ducking import known_ducks, served
from ..model import MUST, SHOULD, Finding, JudgingContext, Kind
from ..remedies.level_points import balance_remedies
from ..remedies.remedy_context import new_duck


def find(context: JudgingContext) -> Iterator[Finding]:
    """A finding for each passage whose ratio to the music is too low and that no duck covers.

    Where the gap is wide enough none is missed.
    """
    limits = context.spec.limits
    if limits.clearance_lu is None or context.balance is None or context.balance.music is None or context.ducks is None:
        return
    covered = {id(p) for d in known_ducks(context) for p in served(context, d)}
    for passage in context.passages or ():
        ratio = passage.speech_to_music_lu
        if ratio is None or round(ratio, 1) >= limits.clearance_lu or id(passage) in covered:
            continue
        ratio_of_all = passage.speech_to_background or passage.speech_to_music
        assert ratio_of_all is not None
        measured = ratio_of_all.value
        severe = limits.clearance_must_lu is not None and round(measured, 1) < limits.clearance_must_lu
        blocks = blocks_between(context.balance.active, passage.in_s, passage.out_s)
        elsewhere = new_duck(context, passage.in_s, passage.out_s)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST if severe else SHOULD,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Music does not give way",
            message=f"The music stays up through this passage: the voice stands {ratio_of_all.told} LU over the "
            f"background; {limits.clearance_lu:g} LU are wanted.",
            estimate=ratio_of_all,
            limit=limits.clearance_lu,
            unit="LU",
            role="music",
            leans_on=elsewhere,
            mend=partial(
                balance_remedies,
                context,
                passage.in_s,
                passage.out_s,
                blocks,
                wanted=limits.clearance_lu,
                elsewhere=elsewhere,
            ),
        )


KIND = Kind("duck-missing", "ducking", "music stays up", find)
