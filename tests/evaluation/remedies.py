"""Every remedy of mixes with planted faults carried out on the stem, mixed, measured and judged again."""

from collections import Counter
from dataclasses import dataclass

import numpy as np

from mezzavoce_core.judge.ducking import served
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.model import NOTE
from mezzavoce_core.judge.remedies.prediction import ratio_over
from mezzavoce_core.judge.remedies.remedy_context import AHEAD_S
from mezzavoce_core.judge.remedy import BandCuts
from mezzavoce_core.measure.balance import blocks_between
from mezzavoce_core.render import Change
from tests.evaluation.mixes import RATE, make
from tests.evaluation.plans import RATIOS, plans
from tests.evaluation.scores import CORNERS, SPEC, measured

_LONGEST_S = 301.0
_NEAR_S = 0.5
HEAD = (
    "Remedies for",
    "What is done",
    "Carried out",
    "Fault gone",
    "Nothing new",
    "Ratio, error of the prediction (LU)",
    "Loudness, error (LU)",
)


@dataclass(frozen=True)
class CarriedOut:
    """What became of one remedy; ``new`` are kinds and severities of findings that were not there before.

    Errors are None where nothing was predicted.
    """

    kind: str
    action: str
    sound: bool
    gone: bool
    new: tuple[tuple[str, str], ...]
    ratio_error_lu: float | None
    loudness_error_lu: float | None


@dataclass(frozen=True)
class AllAtOnce:
    """What became of a mix when the first remedy of every finding was carried out.

    Kinds and severities before and after, of those that can be mended.
    """

    before: tuple[tuple[str, str], ...]
    after: tuple[tuple[str, str], ...]


def some_plans(half, scale):
    """Mixes with planted faults, and such whose voices drown in music that nobody turned down."""
    return [
        p
        for p in plans(half, scale)
        if p.seconds < _LONGEST_S and (p.faults or (p.group == RATIOS and p.margin_lu < 0))
    ]


def carried_out(plan):
    """All remedies of a mix that are for one of its stems, one at a time.

    And the first of each finding, all at once.
    """
    mix = make(plan)
    before = measured(mix)
    first = judge(before, SPEC)
    done = [
        _again(mix, before, first, finding, remedy)
        for finding in first.findings
        for remedy in (finding.remedy, *finding.alternatives)
        if _for_a_stem(mix, remedy)
    ]
    return done, _all_at_once(mix, first)


def _for_a_stem(mix, remedy):
    return remedy is not None and remedy.role != "mix" and getattr(mix, remedy.role, None) is not None


def _all_at_once(mix, first):
    mended = [f for f in first.findings if _for_a_stem(mix, f.remedy)]
    for finding in mended:
        mix = mix.changed(finding.remedy.role, _added(mix, finding.remedy))
    second = judge(measured(mix), SPEC)
    return AllAtOnce(
        tuple((f.kind, f.severity) for f in mended),
        tuple((f.kind, f.severity) for f in second.findings if any(_near(f, m) for m in mended)),
    )


def _added(mix, remedy):
    """What a remedy adds to its stem."""
    change = Change(
        remedy.role,
        tuple(p.at_s for p in remedy.points),
        tuple(p.gain_db for p in remedy.points),
        remedy.bands if isinstance(remedy, BandCuts) else (),
        channel=remedy.part.side and remedy.part.side.index,
    )
    stem = getattr(mix, remedy.role)
    return change.added(stem, np.arange(len(stem)) / RATE, RATE)


def _again(mix, before, first, finding, remedy):
    after = measured(
        mix.changed(remedy.role, _added(mix, remedy)), known={s.role: s for s in before.stems if s.role != remedy.role}
    )
    second = judge(after, SPEC)
    loudness = second.context.loudness.integrated_lufs
    return CarriedOut(
        finding.kind,
        remedy.action,
        remedy.sound,
        not any(f.kind == finding.kind and _near(f, finding) for f in second.findings),
        tuple((f.kind, f.severity) for f in second.findings if _is_new(f, finding, first.findings)),
        _ratio_error(first.context, second.context, finding, remedy),
        None if remedy.then.integrated_lufs is None else abs(loudness - remedy.then.integrated_lufs),
    )


def _near(one, other):
    return one.in_s < other.out_s + _NEAR_S and other.in_s - _NEAR_S < one.out_s


def _is_new(found, mended, before):
    """Whether nothing like it was there.

    Another fault beside may be told as another kind of its family once one is mended.
    """
    others = [f for f in before if f is not mended and _near(found, f)]
    return not any(f.family == found.family or found.kind in f.also for f in others) and not (
        found.kind == mended.kind and _near(found, mended)
    )


def _ratio_error(before, after, finding, remedy):
    wanted, spans = remedy.then.speech_to_background_lu, [(finding.in_s, finding.out_s)]
    if wanted is None:
        return None
    if remedy.action in ("reshape", "hold"):
        spans = [(p.in_s, p.out_s) for p in served(before, _duck_of(before, remedy, finding))]
    elif finding.kind == "effect-over-speech":
        # All words that the effect reaches into.
        spans = [(remedy.points[1].at_s + AHEAD_S, remedy.points[2].at_s)]
    blocks = np.concatenate([blocks_between(before.balance.active, a, b) for a, b in spans])
    return abs(ratio_over(after.balance, blocks) - wanted) if len(blocks) else None


def _duck_of(evidence, remedy, finding):
    """The duck that a remedy draws anew: points lie on its corners; else that in which the fault lies."""
    times = {p.at_s for p in remedy.points}
    middle = (finding.in_s + finding.out_s) / 2
    return max(
        evidence.ducks,
        key=lambda d: (
            len(times & {round(t, 3) for c in CORNERS if (t := getattr(d, c)) is not None}),
            d.covers(middle),
        ),
    )


def table(done):
    """The lines of the table, kind by kind; remedies that say of themselves that they are not enough stand apart."""
    groups = {}
    for d in done:
        groups.setdefault(
            (d.kind, d.action if d.sound else f"{d.action}, said to be not enough or to stand off"), []
        ).append(d)
    return [_line(kind, what, some) for (kind, what), some in sorted(groups.items())]


def _line(kind, what, some):
    new = Counter(f"{k} ({severity})" if severity == NOTE else k for d in some for k, severity in d.new)
    told = ", ".join(f"{k} {n}" for k, n in new.most_common())
    whole = sum(not d.new for d in some)
    return (
        kind,
        what,
        str(len(some)),
        str(sum(d.gone for d in some)),
        f"{whole}{f'; else {told}' if told else ''}",
        _errors([d.ratio_error_lu for d in some]),
        _errors([d.loudness_error_lu for d in some]),
    )


def _errors(values):
    known = [v for v in values if v is not None]
    return f"{np.median(known):.2f}, at most {max(known):.2f}" if known else "none made"


def summary(done, at_once):
    """In a sentence each."""
    sound = [d for d in done if d.sound]
    errors = [d.ratio_error_lu for d in sound if d.ratio_error_lu is not None]
    weighty = [k for a in at_once for k, severity in a.after if severity != NOTE]
    notes = [k for a in at_once for k, severity in a.after if severity == NOTE]
    return (
        f"Of {len(sound)} remedies that are said to be enough, the fault is gone in "
        f"{sum(d.gone for d in sound)}, and nothing new is found in "
        f"{sum(not d.new for d in sound)} (nothing but notes in "
        f"{sum(all(s == NOTE for _, s in d.new) for d in sound)}). "
        f"The ratio is within 0.3 LU of the prediction in {sum(e <= 0.3 for e in errors)} of {len(errors)}.\n\n"
        f"With the first remedy of every finding carried out at once, {len(at_once)} mixes have left in the "
        "places of the "
        f"{sum(len(a.before) for a in at_once)} that were mended: findings {len(weighty)}{_told(weighty)}, "
        f"notes {len(notes)}{_told(notes)}."
    )


def _told(kinds):
    return f" ({', '.join(f'{k} {n}' for k, n in Counter(kinds).most_common())})" if kinds else ""
