"""The tables of an evaluation: its figures, by kind of fault and by kind of music."""

from collections import Counter

import numpy as np
from scipy.stats import binomtest, spearmanr

from tests.evaluation import material
from tests.evaluation.plans import LONG, LONG_CLEAN

_FEWEST_RANKED = 10
_DUCKED = ("alike", "differing", "clean")
_AS_A_MIXER_LEAVES_IT = ("alike", "clean", LONG_CLEAN)
_MOST_SHOWN = 8


def spread(values):
    """Median and 90th percentile."""
    return "none" if not len(values) else f"{np.median(values):.2f} / {np.percentile(values, 90):.2f}"


def share(part, whole):
    return "none" if not whole else f"{part / whole:.3f} ({part} of {whole})"


def figures(scores):
    """The lines of the table of figures: what it is, what is to be reached, what was found."""
    groups = {g: [s for s in scores if s.plan.group == g] for g in dict.fromkeys(s.plan.group for s in scores)}
    hits, false, missed = (sum(s.speech[k] for s in scores) for k in range(3))
    ducked = [s for s in scores if s.plan.group in _DUCKED]
    lines = [
        ("speech, F1 over 100 ms frames, 100 ms collar", ".98", f"{2 * hits / (2 * hits + false + missed):.3f}"),
        ("ratio of a passage, error median / 90th percentile (LU)", ".05 / .2", spread(_all(scores, "ratio_errors"))),
        ("ducks of 5 dB and more found", ".97", _ducks_found(ducked)),
    ]
    for name, wanted in (("alike", ".08 / .8"), ("differing", "1 / 4")):
        lines.append(
            (
                f"duck depth, error (dB), ducks of one programme {name}",
                wanted,
                spread(_all(groups.get(name, []), "depth_errors")),
            )
        )
    lines.append(("the four times, error (s)", ".03 / .2", spread(_all(ducked, "time_errors"))))
    plain = groups.get("unducked", [])
    lines.append(
        (
            "false ducks on unducked music, share of passages",
            "1 %",
            share(sum(s.false_ducks for s in plain), sum(s.passages for s in plain)),
        )
    )
    lines.append(
        (
            "false findings on clean mixes, for ten minutes",
            "1",
            _false_findings([s for s in scores if s.plan.group in ("alike", "clean")]),
        )
    )
    lines += _long(groups.get(LONG, []), groups.get(LONG_CLEAN, []))
    clean = [s for s in scores if s.plan.group in _AS_A_MIXER_LEAVES_IT]
    lines.append(
        (
            (
                f"false findings on all {sum(s.minutes for s in clean):.0f} minutes of clean mixes together, for "
                "ten minutes"
            ),
            "1",
            _false_findings(clean),
        )
    )
    return [*lines, *_audibility(scores), *_planted(scores, groups)]


def _long(faulty, clean):
    if not faulty + clean:
        return []
    return [
        ("programmes of 5 to 20 minutes with several cues: ducks found", ".97", _ducks_found(faulty + clean)),
        ("the same: depth, error (dB)", ".08 / .8", spread(_all(faulty + clean, "depth_errors"))),
        ("the same: the four times, error (s)", ".03 / .2", spread(_all(faulty + clean, "time_errors"))),
        ("the same, clean: false findings, for ten minutes", "1", _false_findings(clean)),
        ("the same, with a fault in every 70 s: findings beside them, for ten minutes", "-", _false_findings(faulty)),
    ]


def _audibility(scores):
    followed = _all(scores, "followed")
    if not followed:
        return []
    full = [one for one in followed if one.full_band]
    return [
        ("audibility ranks passages like pystoi (rank correlation)", ".9", _ranks(followed, "audibility")),
        (
            "the same over the bands up to 4 kHz, the only ones that pystoi hears",
            "-",
            _ranks(followed, "in_shared_bands"),
        ),
        ("the same over all bands, for voices that were recorded above 4 kHz, too", "-", _ranks(full, "audibility")),
    ]


def _ranks(followed, name):
    if len(followed) < _FEWEST_RANKED:
        return "none"
    return (
        f"{spearmanr([one.library for one in followed], [getattr(one, name) for one in followed]).statistic:.3f} "
        f"({len(followed)} passages)"
    )


def _planted(scores, groups):
    for kind in dict.fromkeys(k for s in scores for k, _ in s.planted):
        found = [hit for s in scores for k, hit in s.planted if k == kind]
        extra = Counter(o.kind for s in groups.get(kind, []) for o in s.others)
        yield f"planted {kind} found", ".95", f"{share(sum(found), len(found))}; besides: {dict(extra) or 'nothing'}"
    hits = [hit for s in scores for _, hit in s.planted]
    if hits:
        yield "all planted faults found", ".95", share(sum(hits), len(hits))


def together(halves):
    """The lines of the table of planted faults of several lots of scores.

    Kind, found in each and in all, and where the true share lies (95 %, Wilson).
    """
    planted = [[one for s in scores for one in s.planted] for scores in halves]
    everything = [one for lot in planted for one in lot]
    for kind in sorted({k for k, _ in everything}):
        hits = [[hit for k, hit in lot if k == kind] for lot in (*planted, everything)]
        within = binomtest(sum(hits[-1]), len(hits[-1])).proportion_ci(method="wilson")
        yield kind, *(share(sum(of_lot), len(of_lot)) for of_lot in hits), f"{within.low:.2f} to {within.high:.2f}"


def by_music(scores):
    """The lines of the table by kind of music.

    Its ducks found, errors of depth and times, faults found, false findings on clean mixes.
    """
    kinds = {}
    for s in scores:
        for name in (
            (material.collection(s.plan.track), material.liveliness(s.plan.track))
            if not s.plan.more_tracks
            else ("several cues",)
        ):
            kinds.setdefault(name, []).append(s)
    for name, own in sorted(kinds.items()):
        ducked = [s for s in own if s.plan.group in (*_DUCKED, LONG, LONG_CLEAN)]
        hits = [hit for s in own for _, hit in s.planted]
        clean = [s for s in own if s.plan.group in _AS_A_MIXER_LEAVES_IT]
        errors = spread(_all(ducked, "depth_errors")), spread(_all(ducked, "time_errors"))
        yield name, str(len(own)), _ducks_found(ducked), *errors, share(sum(hits), len(hits)), _false_findings(clean)


def by_limit(scores):
    """The lines of the table of false findings.

    Kind, limit, and what was measured where the mix is as a mixer would leave it.
    """
    found = {}
    for s in scores:
        if s.plan.group in _AS_A_MIXER_LEAVES_IT:
            for o in s.others:
                found.setdefault((o.kind, "" if o.limit is None else f"{o.limit:g} {o.unit}"), []).append(o.measured)
    minutes = sum(s.minutes for s in scores if s.plan.group in _AS_A_MIXER_LEAVES_IT)
    for (kind, limit), measured in sorted(found.items()):
        shown = ", ".join("not measured" if m is None else f"{m:.2f}" for m in measured[:_MOST_SHOWN])
        yield (
            kind,
            limit,
            f"{len(measured)} in {minutes:.0f} min",
            shown + (", ..." if len(measured) > _MOST_SHOWN else ""),
        )


def _all(scores, name):
    return [each for s in scores for each in getattr(s, name)]


def _ducks_found(scores):
    return share(sum(s.found for s in scores), sum(s.ducks for s in scores))


def _false_findings(scores):
    others = Counter(o.kind for s in scores for o in s.others)
    return (
        "none"
        if not scores
        else f"{10 * sum(others.values()) / sum(s.minutes for s in scores):.1f} {dict(others) or ''}".strip()
    )
