"""The music stays up under a passage that needs it lower."""

from collections.abc import Iterator

from ...measure.balance import Passage, blocks_between
from ...measure.music_gain import Duck
from ..model import MUST, SHOULD, Evidence, Finding, Kind
from ..remedies import balance_remedies


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each passage whose ratio to the music is too low and that no duck covers. Where the gap is wide enough none is missed."""
    limits = evidence.spec.limits
    if limits.clearance_lu is None or evidence.balance is None or evidence.balance.music is None:
        return
    for passage in evidence.passages or ():
        ratio = passage.speech_to_music_lu
        if ratio is None or round(ratio, 1) >= limits.clearance_lu or _covered(evidence, passage):
            continue
        over_all = passage.speech_to_background_lu
        measured = ratio if over_all is None else over_all
        severe = limits.clearance_must_lu is not None and round(measured, 1) < limits.clearance_must_lu
        blocks = blocks_between(evidence.balance.active, passage.in_s, passage.out_s)
        remedy, alternatives = balance_remedies(evidence, passage.in_s, passage.out_s, blocks, wanted=limits.clearance_lu)
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
            remedy=remedy,
            alternatives=alternatives,
        )


def _covered(evidence: Evidence, passage: Passage) -> bool:
    """Whether a duck is there and the music is really nearer to its bed than to its level in the clear."""
    middle = (passage.in_s + passage.out_s) / 2
    return any(d.covers(middle) and _down(d, passage) for d in evidence.ducks or ())


def _down(duck: Duck, passage: Passage) -> bool:
    if duck.open_lufs is None or passage.music_lufs is None:
        return True
    return passage.music_lufs < duck.open_lufs - duck.depth_db / 2


KIND = Kind("duck-missing", "ducking", find)
