"""What an earlier judgement of the same measurement saves.

All that lies far from what a hand changed since stays as it was.
"""

from typing import Self

import numpy as np
from numpy.typing import NDArray

from ..measure.balance import Passage
from ..measure.measurement import Measurement
from ..measure.meter import TICKS_PER_S
from ..measure.programme import Programme
from .model import Finding, Judgement, JudgingContext
from .spec import Spec

_REACH_S = 12.0
"""Twice as far as a remedy looks around a finding."""


def ground_of(
    earlier: Judgement | None, measurement: Measurement, spec: Spec, given: Programme | None
) -> JudgingContext | None:
    """What an earlier judgement began with, where this one begins with the same; else None."""
    if earlier is None or earlier.measurement is not measurement:
        return None
    ground = earlier.context.ground
    return ground if ground is not None and (ground.spec, ground.given) == (spec, given) else None


class Kept:
    """The passages and remedies of an earlier judgement, as far as they hold."""

    def __init__(
        self,
        context: JudgingContext,
        findings: tuple[Finding, ...],
        flags: NDArray[np.bool_],
        important: tuple[tuple[float, float], ...],
    ) -> None:
        """Of an earlier judgement; ``flags`` per tick and ``important`` effects (seconds) are as they are now."""
        assert context.balance is not None
        changed = context.balance.flags != flags
        for in_s, out_s in set(context.important) ^ set(important):
            changed[round(in_s * TICKS_PER_S) : round(out_s * TICKS_PER_S) + 1] = True
        self._changes = np.concatenate([[0], np.cumsum(changed)])
        self._passages = {(p.in_s, p.out_s): p for p in context.passages or ()}
        self._findings = {_key(f): f for f in findings}

    @classmethod
    def of(cls, earlier: Judgement | None, measurement: Measurement, now: JudgingContext) -> Self | None:
        """None where the earlier judgement was of another measurement, spec or programme, or knew nothing of speech."""
        if earlier is None or earlier.measurement is not measurement or now.balance is None:
            return None
        before = earlier.context
        if before.balance is None or before.ground is None or before.ground is not now.ground:
            return None
        return cls(before, earlier.findings, now.balance.flags, now.important)

    def passage(self, in_s: float, out_s: float) -> Passage | None:
        """The passage from ``in_s`` to ``out_s`` as it was; None where it has to be measured."""
        found = self._passages.get((in_s, out_s))
        return found if found is not None and self._holds(in_s, out_s) else None

    def mended(self, finding: Finding) -> Finding:
        """A finding with its remedies, those it had where nothing near it changed."""
        before = self._findings.get(_key(finding)) if finding.mend else None
        return (
            finding.with_remedies((before.remedy, before.alternatives))
            if before and self._holds(finding.in_s, finding.out_s)
            else finding.mended()
        )

    def _holds(self, in_s: float, out_s: float) -> bool:
        last = len(self._changes) - 1
        begin, end = (min(last, max(0, round(t * TICKS_PER_S))) for t in (in_s - _REACH_S, out_s + _REACH_S))
        return bool(self._changes[begin] == self._changes[end])


def _key(finding: Finding) -> tuple[object, ...]:
    return finding.kind, finding.role, finding.in_s, finding.out_s, finding.measured, finding.limit, finding.leans_on
