"""Words are lost because what lies under the voice comes too close: the gap from moment to moment is below the clearance."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...measure.balance import Passage, blocks_between, loudest_under
from ...measure.meter import BLOCKS_PER_S
from ...signal.spans import join
from ..model import MUST, SHOULD, Evidence, Finding, Kind
from ..remedies import balance_remedies

# A dip of the gap shorter than this is a breath between two notes, not a lost word.
_SHORTEST_S = 0.4


def find(evidence: Evidence) -> Iterator[Finding]:
    """A finding for each stretch inside a passage, joined over less than 1 s."""
    limits = evidence.spec.limits
    if limits.clearance_lu is None or evidence.balance is None:
        return
    for passage in evidence.passages or ():
        for first, last, blocks in thin_stretches(evidence, passage):
            yield _finding(evidence, first, last, blocks)


def thin_stretches(evidence: Evidence, passage: Passage) -> Iterator[tuple[float, float, NDArray[np.int64]]]:
    """In, out (seconds) and blocks of each stretch of a passage whose local ratio, rounded to 0.1, is below the clearance."""
    assert evidence.balance is not None
    assert evidence.spec.limits.clearance_lu is not None
    active = blocks_between(evidence.balance.active, passage.in_s, passage.out_s)
    ratios = np.round(evidence.local_ratio_lu[active], 1)
    thin = active[np.isfinite(ratios) & (ratios < evidence.spec.limits.clearance_lu)]
    for first, last in join([(int(b), int(b) + 1) for b in thin], BLOCKS_PER_S):
        inside = thin[(thin >= first) & (thin < last)]
        if len(inside) >= _SHORTEST_S * BLOCKS_PER_S:
            yield max(passage.in_s, first / BLOCKS_PER_S), min(passage.out_s, last / BLOCKS_PER_S), inside


def _finding(evidence: Evidence, in_s: float, out_s: float, blocks: NDArray[np.int64]) -> Finding:
    limits, balance = evidence.spec.limits, evidence.balance
    assert limits.clearance_lu is not None
    assert balance is not None
    lowest = float(evidence.local_ratio_lu[blocks].min())
    severe = limits.clearance_must_lu is not None and round(lowest, 1) < limits.clearance_must_lu
    remedy, alternatives = balance_remedies(evidence, in_s, out_s, blocks, wanted=limits.clearance_lu)
    under = loudest_under(balance, blocks)
    return Finding(
        kind=KIND.name,
        family=KIND.family,
        severity=MUST if severe else SHOULD,
        in_s=in_s,
        out_s=out_s,
        title=f"Words covered by the {under}",
        message=f"The voice stands only {lowest:.1f} LU over the {under} at the thinnest place; {limits.clearance_lu:g} LU are wanted.",
        measured=lowest,
        limit=limits.clearance_lu,
        unit="LU",
        role=under,
        remedy=remedy,
        alternatives=alternatives,
    )


KIND = Kind("masked-speech", "voice", find)
