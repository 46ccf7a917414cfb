"""``python -m tests.evaluation``: makes the set, measures, and prints the table; ``--write FILE`` keeps it.

``--remedies``: carries them out instead.
"""

import argparse
import os
import platform
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from tests.evaluation import kept, material, mix_plans, mix_scores, mix_tables, remedies
from tests.evaluation.plans import HELD, TUNED, again, plans
from tests.evaluation.tables import by_limit, by_music, figures, together

_FIGURES = ("Figure (stems)", "To reach", "Found")
_BY_MUSIC = (
    "Music",
    "Mixes",
    "Ducks found",
    "Depth (dB)",
    "Times (s)",
    "Planted faults found",
    "False findings on clean mixes, for ten minutes",
)
_BY_LIMIT = ("False finding on clean mixes", "Limit", "How many", "Measured")
_NAMES, _HALVES = {TUNED: "Tuned on", HELD: "Held out"}, {"tuned": (TUNED,), "held": (HELD,), "both": (TUNED, HELD)}
_BOTH = ("Planted", "Tuned on", "Held out", "Found in both halves", "True share, 95 times in 100")


def page(half, scores):
    """What was found on one half."""
    name = _NAMES[half]
    tables = (
        ("", _FIGURES, figures),
        (": by kind of music", _BY_MUSIC, by_music),
        (": what is found in clean mixes", _BY_LIMIT, by_limit),
    )
    return (
        "\n".join(
            f"##{'#' if more else ''} {name}{more}\n\n{_table(head, lines(scores))}" for more, head, lines in tables
        )
        + "\n"
    )


def _table(head, lines):
    rows = [head, ["---"] * len(head), *lines]
    return "".join(f"| {' | '.join(row)} |\n" for row in rows)


def _parts(options):
    """The parts of the page, each as soon as it is known."""
    halves = []
    for half in _HALVES[options.half]:
        halves.append(list(_scores(half, options)))
        yield page(half, halves[-1])
    if len(halves) > 1:
        yield _both(halves)


def _both(halves):
    return f"## Both halves: planted faults\n\n{_table(_BOTH, together(halves))}"


def _again(options):
    """Planted faults alone, over and over: a kind of which a half holds fifty may lie a few hundredths off by luck."""
    yield _both([list(_scores(half, options)) for half in (TUNED, HELD)])


def _remedied(options):
    """The same of what remedies do."""
    for half in _HALVES[options.half]:
        each, at_once = zip(
            *_over(remedies.carried_out, remedies.some_plans(half, options.scale), options), strict=True
        )
        done = [d for some in each for d in some]
        yield (
            f"## {_NAMES[half]}\n\n{remedies.summary(done, at_once)}\n\n{_table(remedies.HEAD, remedies.table(done))}\n"
        )


def _alone(options):
    """What is told from mixes without their stems."""
    for half in _HALVES[options.half]:
        with ProcessPoolExecutor(os.cpu_count()) as pool:
            scores = list(pool.map(mix_scores.scored, mix_plans.mix_plans(half, options.scale)))
        yield (
            f"## {_NAMES[half]}\n\n{_table(mix_tables.HEAD, mix_tables.figures(scores))}\n"
            f"### {_NAMES[half]}: by condition\n\n{_table(mix_tables.BY_CONDITION, mix_tables.by_condition(scores))}\n"
        )


def _over(what, wanted, options):
    """What is made of each of some plans, the long ones first."""
    wanted = [p for p in wanted if not options.group or p.group in options.group]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        yield from pool.map(what, sorted(wanted, key=lambda p: -p.seconds))


def _scores(half, options):
    wanted = again(half, options.again) if options.again else plans(half, options.scale)
    for s in _over(kept.scored, wanted, options):
        if options.verbose:
            print(
                s.plan.name,
                s.plan.track.path.stem,
                f"{s.found}/{s.ducks} false {s.false_ducks}",
                s.planted,
                [o.kind for o in s.others],
                flush=True,
            )
        yield s


def _head(options):
    title, done, flags = "Evaluation", "measured and judged", f"--scale {options.scale:g}"
    if options.remedies:
        title, done, flags = (
            "Remedies",
            f"{done}, and every remedy for a stem carried out on it, {done} again",
            f"--remedies {flags}",
        )
    if options.mix:
        title, flags = "Mixes without stems", f"--mix {flags}"
    if options.again:
        title, done, flags = (
            "Planted faults again",
            f"{done}, {options.again} times as many as in the evaluation, of other seeds",
            f"--again {options.again}",
        )
    if options.group:
        flags += f" --group {' '.join(options.group)}"
    packages = (*material.PACKAGES, *(material.SONGS if options.mix else ()))
    return (
        f"# {title}\n\nMade by `bin/evaluate {flags}`: scripted mixes of real and synthetic voices and real "
        "music, made outside the "
        f"project, {done}. What they are made of: Debian's {', '.join(packages)}. "
        f"Python {platform.python_version()}, NumPy {np.__version__}.\n\n"
    )


def main():
    """Score both halves, or one."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--half", choices=("tuned", "held", "both"), default="both")
    parser.add_argument("--scale", type=float, default=1.0, help="share of the mixes of each group")
    parser.add_argument("--group", nargs="+", help="groups of mixes; the others are left out")
    parser.add_argument(
        "--again",
        type=int,
        default=0,
        metavar="LOTS",
        help="planted faults alone, in so many lots of other mixes of both halves",
    )
    parser.add_argument("--remedies", action="store_true", help="carry out every remedy, measure and judge again")
    parser.add_argument("--mix", action="store_true", help="mixes without their stems")
    parser.add_argument("--verbose", action="store_true")
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    if material.missing(songs=options.mix):
        sys.exit(
            "The set is made of music and voices that Debian's packages carry; install "
            f"{' '.join(material.missing(songs=options.mix))}, then run this again."
        )
    kept.forget_others()
    text = _head(options)
    for part in (_alone if options.mix else _again if options.again else _remedied if options.remedies else _parts)(
        options
    ):
        print(part, flush=True)
        text += part
    if options.write:
        options.write.write_text(text)


if __name__ == "__main__":
    main()
