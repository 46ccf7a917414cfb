"""The music stays up under a passage that needs it lower."""

from collections.abc import Iterator
from functools import partial

from ...measure.balance import blocks_between
from ..ducking import known_ducks, served
from ..fit import new_duck
from ..model import MUST, SHOULD, Evidence, Finding, Kind
from ..remedies import balance_remedies


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each passage whose ratio to the music is too low and that no duck covers. Where the gap is wide enough none is missed."""
    limits = evidence.spec.limits
    if limits.clearance_lu is None or evidence.balance is None or evidence.balance.music is None or evidence.ducks is None:
        return
    covered = {id(p) for d in known_ducks(evidence) for p in served(evidence, d)}
    for passage in evidence.passages or ():
        ratio = passage.speech_to_music_lu
        if ratio is None or round(ratio, 1) >= limits.clearance_lu or id(passage) in covered:
            continue
        over_all = passage.speech_to_background_lu
        measured = ratio if over_all is None else over_all
        severe = limits.clearance_must_lu is not None and round(measured, 1) < limits.clearance_must_lu
        blocks = blocks_between(evidence.balance.active, passage.in_s, passage.out_s)
        fit = new_duck(evidence, passage.in_s, passage.out_s)
        yield Finding(
            kind=KIND.name,
            family=KIND.family,
            severity=MUST if severe else SHOULD,
            in_s=passage.in_s,
            out_s=passage.out_s,
            title="Music does not give way",
            message=f"The music stays up through this passage: the voice stands {measured:.1f} LU over the background; {limits.clearance_lu:g} LU are wanted.",
            measured=measured,
            limit=limits.clearance_lu,
            unit="LU",
            role="music",
            leans_on=fit,
            mend=partial(balance_remedies, evidence, passage.in_s, passage.out_s, blocks, wanted=limits.clearance_lu, fit=fit),
        )


KIND = Kind("duck-missing", "ducking", find)
