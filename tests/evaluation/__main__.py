"""``python -m tests.evaluation``: makes the set, measures, and prints the table; ``--write FILE`` keeps it."""

import argparse
import os
import platform
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from scipy.stats import spearmanr

from tests.evaluation import material
from tests.evaluation.plans import HELD, TUNED, plans
from tests.evaluation.scores import score


def spread(values):
    """Median and 90th percentile."""
    return "none" if not len(values) else f"{np.median(values):.2f} / {np.percentile(values, 90):.2f}"


def share(part, whole):
    return "none" if not whole else f"{part / whole:.3f} ({part} of {whole})"


def table(scores):
    """The lines of the table."""
    groups = {g: [s for s in scores if s.plan.group == g] for g in dict.fromkeys(s.plan.group for s in scores)}
    hits, false, missed = (sum(s.speech[k] for s in scores) for k in range(3))
    ducked = [s for s in scores if s.plan.group in ("alike", "differing", "clean")]
    lines = [
        ("speech, F1 over 100 ms frames, 100 ms collar", ".98", f"{2 * hits / (2 * hits + false + missed):.3f}"),
        ("ratio of a passage, error median / 90th percentile (LU)", ".05 / .2", spread([e for s in scores for e in s.ratio_errors])),
        ("ducks of 5 dB and more found", ".97", share(sum(s.found for s in ducked), sum(s.ducks for s in ducked))),
    ]
    for name, wanted in (("alike", ".08 / .8"), ("differing", "1 / 4")):
        lines.append((f"duck depth, error (dB), ducks of one programme {name}", wanted, spread([e for s in groups.get(name, []) for e in s.depth_errors])))
    lines.append(("the four times, error (s)", ".03 / .2", spread([e for s in ducked for e in s.time_errors])))
    plain = groups.get("unducked", [])
    lines.append(("false ducks on unducked music, share of passages", "1 %", share(sum(s.false_ducks for s in plain), sum(s.passages for s in plain))))
    clean = groups.get("clean", []) + groups.get("alike", [])
    others = Counter(k for s in clean for k in s.others)
    lines.append(
        ("false findings on clean mixes, for ten minutes", "1", f"{10 * sum(others.values()) / max(1e-9, sum(s.minutes for s in clean)):.1f} {dict(others)}")
    )
    followed = [each for s in scores for each in s.followed]
    if followed:
        library, whole, shared = zip(*followed, strict=True)
        ranks = [f"{spearmanr(library, own).statistic:.3f} ({len(followed)} passages)" for own in (whole, shared)]
        lines.append(("audibility ranks passages like pystoi (rank correlation)", ".9", ranks[0]))
        lines.append(("the same over the bands up to 4 kHz, the only ones that pystoi hears", "-", ranks[1]))
    kinds = dict.fromkeys(k for s in scores for k, _ in s.planted)
    for kind in kinds:
        found = [hit for s in scores for k, hit in s.planted if k == kind]
        extra = Counter(o for s in groups.get(kind, []) for o in s.others)
        lines.append((f"planted {kind} found", ".95", f"{share(sum(found), len(found))}; besides: {dict(extra) or 'nothing'}"))
    return lines


def page(half, lines):
    rows = "\n".join(f"| {a} | {b} | {c} |" for a, b, c in lines)
    return f"## {'Tuned on' if half == TUNED else 'Held out'}\n\n| Figure (stems) | To reach | Found |\n|---|---|---|\n{rows}\n"


def main():
    """Score both halves, or one."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--half", choices=("tuned", "held", "both"), default="both")
    parser.add_argument("--scale", type=float, default=1.0, help="share of the mixes of each group")
    parser.add_argument("--group", nargs="+", help="groups of mixes; the others are left out")
    parser.add_argument("--verbose", action="store_true")
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    if not material.music() or not material.voices():
        sys.exit(f"The set is made of music and voices that Debian's packages carry; install {material.PACKAGES}, then run this again.")
    text = (
        f"# Evaluation\n\nMade by `bin/evaluate --scale {options.scale:g}`: scripted mixes of real and synthetic voices and real music, made outside the "
        f"project, measured and judged. What they are made of: Debian's {', '.join(material.PACKAGES.split())}. "
        f"Python {platform.python_version()}, NumPy {np.__version__}.\n\n"
    )
    for half in {"tuned": (TUNED,), "held": (HELD,), "both": (TUNED, HELD)}[options.half]:
        wanted = [p for p in plans(half, options.scale) if not options.group or p.group in options.group]
        with ProcessPoolExecutor(os.cpu_count()) as pool:
            scores = []
            for s in pool.map(score, sorted(wanted, key=lambda p: -p.seconds)):
                scores.append(s)
                if options.verbose:
                    print(s.plan.name, s.plan.track.path.stem, f"{s.found}/{s.ducks} false {s.false_ducks}", s.planted, s.others, flush=True)
        part = page(half, table(scores))
        print(part, flush=True)
        text += part + "\n"
    if options.write:
        options.write.write_text(text)


if __name__ == "__main__":
    main()
