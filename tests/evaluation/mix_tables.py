"""The table of what is told from mixes alone."""

import numpy as np

from tests.evaluation.mix_plans import EFFECTS, LOW, MONO, MUSIC_ALONE, PLAIN, REVERBERANT, SUNG, WIDE

HEAD = ("Figure (mix alone)", "Aim", "Found")
BY_CONDITION = (
    "Condition",
    "Passages",
    "Ratio, error median / 90th percentile (LU)",
    "after the first look",
    "Inside the stated interval",
    "Half-width, median (LU)",
    "10 LU met or not: decided / wrong among them",
)
_CONDITIONS = (PLAIN, SUNG, LOW, MONO, REVERBERANT, WIDE, EFFECTS)
_STEREO = (PLAIN, SUNG, LOW)


def figures(scores):
    """Rows of the figures of a half."""
    hit, false, missed = np.sum([s.speech for s in scores], axis=0)
    told = [t for s in scores for t in s.passages]
    dry = [t for s in scores if s.condition in _STEREO for t in s.passages]
    plain = [t for s in scores if s.condition == PLAIN for t in s.passages]
    ducked = [s for s in scores if s.ducks and s.condition in (PLAIN, SUNG, EFFECTS)]
    bare = [s for s in scores if not s.ducks]
    return [
        ("speech, F1 over 100 ms frames, 100 ms collar", ".94", f"{2 * hit / (2 * hit + false + missed):.3f}"),
        ("false speech on instrumental music", "0.5 %", _false(scores, lambda c: c != SUNG)),
        ("false speech on sung music", "8 %", _false(scores, lambda c: c == SUNG)),
        ("ratio of a passage, stereo and dry: error, median / 90th percentile (LU)", ".45 / 1.4", _error(dry)),
        ("the same, all conditions", ".7 / -", _error(told)),
        ("errors inside the stated interval, all conditions", "88 to 93 %", _inside(told)),
        ("interval's half-width, plain passages, median (LU)", "1.6", _half_width(plain)),
        ("10 LU met or not, stereo and dry: decided / wrong among them", "95 / 3 %", _decided(dry)),
        ("ducks of 5 dB and more found", ".87", _of(sum(s.found for s in ducked), sum(s.ducks for s in ducked))),
        ("their depth, error (dB)", ".2 / 1.5", _spread([e for s in ducked for e in s.depth_errors])),
        ("the four times, error (s)", "-", _spread([e for s in ducked for e in s.time_errors])),
        (
            "false ducks on unducked music, share of passages",
            "2 %",
            f"{sum(s.false_ducks for s in bare)} of {sum(len(s.passages) for s in bare)}",
        ),
    ]


def by_condition(scores):
    """A row for each condition."""
    rows = []
    for condition in _CONDITIONS:
        told = [t for s in scores if s.condition == condition for t in s.passages]
        if told:
            first = [t.quick - t.true for t in told if t.quick is not None]
            rows.append(
                (
                    condition,
                    str(len(told)),
                    _error(told),
                    _spread(first),
                    _inside(told),
                    _half_width(told),
                    _decided(told),
                )
            )
    return rows


def _false(scores, wanted):
    some = [s for s in scores if wanted(s.condition)]
    alone = [s for s in some if s.condition == MUSIC_ALONE]
    share = sum(s.speech[1] for s in some) / max(1, sum(s.silent for s in some))
    more = sum(s.speech[1] for s in alone) / max(1, sum(s.silent for s in alone))
    return f"{100 * share:.1f} %" + (f"; without any speech {100 * more:.1f} %" if alone else "")


def _of(some, all_of_them):
    return f"{some / max(1, all_of_them):.2f} ({some} of {all_of_them})"


def _error(told):
    return _spread([t.ratio - t.true for t in told])


def _spread(errors):
    if not errors:
        return "-"
    middle, high = np.percentile(np.abs(errors), [50, 90])
    return f"{middle:.2f} / {high:.2f}"


def _inside(told):
    return f"{100 * np.mean([t.low <= t.true <= t.high for t in told]):.0f} %" if told else "-"


def _half_width(told):
    return f"{np.median([(t.high - t.low) / 2 for t in told]):.1f}" if told else "-"


def _decided(told):
    decided = [t for t in told if t.certainty >= 0.5]
    wrong = sum((t.ratio < 10.0) != (t.true < 10.0) for t in decided)
    return f"{100 * len(decided) / max(1, len(told)):.0f} / {100 * wrong / max(1, len(decided)):.1f} %"
