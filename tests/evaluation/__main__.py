"""``python -m tests.evaluation``: makes the set, measures, and prints the table; ``--write FILE`` keeps it."""

import argparse
import os
import platform
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from tests.evaluation import material
from tests.evaluation.plans import HELD, TUNED, plans
from tests.evaluation.scores import score
from tests.evaluation.tables import by_limit, by_music, figures, together

_FIGURES = ("Figure (stems)", "To reach", "Found")
_BY_MUSIC = ("Music", "Mixes", "Ducks found", "Depth (dB)", "Times (s)", "Planted faults found", "False findings on clean mixes, for ten minutes")
_BY_LIMIT = ("False finding on clean mixes", "Limit", "How many", "Measured")
_BOTH = ("Planted", "Tuned on", "Held out", "Found in both halves", "True share, 95 times in 100")


def page(half, scores):
    """What was found on one half."""
    name = "Tuned on" if half == TUNED else "Held out"
    tables = (("", _FIGURES, figures), (": by kind of music", _BY_MUSIC, by_music), (": what is found in clean mixes", _BY_LIMIT, by_limit))
    return "\n".join(f"##{'#' if more else ''} {name}{more}\n\n{_table(head, lines(scores))}" for more, head, lines in tables) + "\n"


def _table(head, lines):
    rows = [head, ["---"] * len(head), *lines]
    return "".join(f"| {' | '.join(row)} |\n" for row in rows)


def _parts(options):
    """The parts of the page, each as soon as it is known."""
    halves = []
    for half in {"tuned": (TUNED,), "held": (HELD,), "both": (TUNED, HELD)}[options.half]:
        halves.append(list(_scores(half, options)))
        yield page(half, halves[-1])
    if len(halves) > 1:
        yield f"## Both halves: planted faults\n\n{_table(_BOTH, together(halves))}"


def _scores(half, options):
    wanted = [p for p in plans(half, options.scale) if not options.group or p.group in options.group]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for s in pool.map(score, sorted(wanted, key=lambda p: -p.seconds)):
            if options.verbose:
                print(s.plan.name, s.plan.track.path.stem, f"{s.found}/{s.ducks} false {s.false_ducks}", s.planted, [o.kind for o in s.others], flush=True)
            yield s


def main():
    """Score both halves, or one."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--half", choices=("tuned", "held", "both"), default="both")
    parser.add_argument("--scale", type=float, default=1.0, help="share of the mixes of each group")
    parser.add_argument("--group", nargs="+", help="groups of mixes; the others are left out")
    parser.add_argument("--verbose", action="store_true")
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    if material.missing():
        sys.exit(f"The set is made of music and voices that Debian's packages carry; install {' '.join(material.missing())}, then run this again.")
    text = (
        f"# Evaluation\n\nMade by `bin/evaluate --scale {options.scale:g}`: scripted mixes of real and synthetic voices and real music, made outside the "
        f"project, measured and judged. What they are made of: Debian's {', '.join(material.PACKAGES)}. "
        f"Python {platform.python_version()}, NumPy {np.__version__}.\n\n"
    )
    for part in _parts(options):
        print(part, flush=True)
        text += part
    if options.write:
        options.write.write_text(text)


if __name__ == "__main__":
    main()
