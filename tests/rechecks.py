"""Scripted fixes of planted faults: a former mix, a new one in which one thing was done about it, and the verdict.

``python -m tests.rechecks --write docs/rechecks.md`` makes mixes with one fault each (``tests.evaluation``), then new
mixes of them in which the fault is mended, half mended, left, made worse or cut out with its passage. Every new mix
begins three seconds later than the former one, so that it has to be laid beside it first.
"""

import argparse
from dataclasses import replace
from pathlib import Path

import numpy as np

from mezzavoce_core import VERSION
from mezzavoce_core.exchange.document import document
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.versions.alignment import align
from mezzavoce_core.versions.recheck import BETTER, CURED, GONE, SAME, WORSE, recheck
from tests.evaluation.mixes import RATE, make, make_clean
from tests.evaluation.plans import FAULTS, HELD, TUNED, plans
from tests.evaluation.scores import SPEC, measured
from tests.recut import outline

_DEEPER = ("duck-missing", "duck-shallow", "duck-plunge", "duck-stray")
"""Faults of depth: half mended is a gain between what it is and what it should be."""
_LATER = ("duck-late", "duck-early", "duck-slow-return")
"""Faults of time: half mended is a move between where it is and where it should be."""
_SHARES = {"duck-missing": 0.4, "duck-shallow": 0.4, "duck-stray": 0.2}
_SHARE = 0.25
"""How far it is mended, so that it is a fault still."""
_HEAD_S = 3.0
_NEAR_S = 1.0
_CORNERS = ("fall_start_s", "fall_end_s", "return_start_s", "return_end_s")


def fixes(mix):
    """Every new mix of a mix with one fault: what was done about it, and the mix."""
    kind = mix.plan.faults[0]
    share = _SHARES.get(kind, _SHARE)
    clean = make_clean(mix.plan)
    yield CURED, clean
    yield SAME, mix
    if kind in _DEEPER:
        yield BETTER, blended(mix, clean, share)
        yield WORSE, blended(mix, clean, -share)
    if kind in _LATER:
        yield BETTER, moved(mix, clean, share)
        yield WORSE, moved(mix, clean, -share)
    yield GONE, cut_out(mix)


def curve(trapezoids, length):
    """The gain of the music in dB, ``(frames, 2)``, at the ends of milliseconds filled up."""
    times = np.arange(0, length + 48, 48) / RATE
    rough = np.zeros((len(times), 2))
    for t in trapezoids:
        for channel in t.channels:
            rough[:, channel] += t.gain_db(times)
    fine = np.arange(length) / RATE
    return np.stack([np.interp(fine, times, rough[:, c]) for c in range(2)], axis=1)


def with_gain(mix, trapezoids):
    """The mix with its music under another automation."""
    change = curve(trapezoids, len(mix.music)) - curve(mix.trapezoids, len(mix.music))
    return replace(mix, music=(mix.music * 10 ** (change / 20)).astype(np.float32), trapezoids=list(trapezoids))


def blended(mix, clean, share):
    """So far on the way from the fault to the clean mix, in dB; below 0 away from it."""
    length = len(mix.music)
    change = share * (curve(clean.trapezoids, length) - curve(mix.trapezoids, length))
    return replace(mix, music=(mix.music * 10 ** (change / 20)).astype(np.float32))


def moved(mix, clean, share):
    """The faulty move so far on the way to where it should be, in time; below 0 away from it."""
    wrong = [t for t in mix.trapezoids if t not in clean.trapezoids]
    right = [t for t in clean.trapezoids if t not in mix.trapezoids]
    kept = [t for t in mix.trapezoids if t in clean.trapezoids]
    between = [
        replace(w, **{c: getattr(w, c) + share * (getattr(r, c) - getattr(w, c)) for c in _CORNERS})
        for w, r in zip(wrong, right, strict=True)
    ]
    return with_gain(mix, [*kept, *between])


def cut_out(mix):
    """The mix without the place of the fault and what lies around it, in the silence between two passages."""
    fault = mix.faults[0]
    begin = max((b for _, b in mix.passages if b < fault.in_s - _NEAR_S), default=0.0)
    end = min((a for a, _ in mix.passages if a > fault.out_s + _NEAR_S), default=mix.plan.seconds)
    gone = slice(round((begin + 0.8) * RATE), round((end - 0.8) * RATE))
    stems = {name: np.delete(getattr(mix, name), gone, axis=0) for name in ("dialogue", "music")}
    return replace(mix, **stems)


def later(mix):
    """The mix with three seconds of near silence put before it."""
    dice = np.random.default_rng(1)
    head = (dice.standard_normal((round(_HEAD_S * RATE), 2)) * 1e-4).astype(np.float32)
    return replace(mix, dialogue=np.concatenate([head, mix.dialogue]), music=np.concatenate([head, mix.music]))


def judged(mix):
    """The result of a mix as the application keeps it."""
    return document(judge(measured(mix), SPEC))


def verdicts(plan):
    """Kind, what was done, and what the recheck says of it; nothing where the fault was not told in the former mix."""
    mix = make(plan)
    if not mix.faults:
        return
    old, fault = judged(mix), mix.faults[0]
    number = next((k for k, f in enumerate(old["findings"]) if f["kind"] == fault.kind and near(f, fault)), None)
    if number is None:
        return
    before = outline(mix.mix.mean(axis=1))
    for wanted, made in fixes(mix):
        new = later(made)
        laid = align(before, outline(new.mix.mean(axis=1)))
        yield fault.kind, wanted, recheck(old, judged(new), laid)[number].result


def near(finding, fault):
    return finding["in_s"] < fault.out_s + _NEAR_S and fault.in_s - _NEAR_S < finding["out_s"]


def cases(half, each):
    """So many mixes of every kind of a half."""
    for kind in FAULTS:
        of_kind = [p for p in plans(half) if p.faults == (kind,)]
        told = 0
        for plan in of_kind:
            found = list(verdicts(plan))
            told += bool(found)
            yield from found
            if told == each:
                break


def main():
    """Count, print, and write where asked."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--each", type=int, default=1)
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    lines = ["| Half | Fault | Done about it | Said |", "|---|---|---|---|"]
    sums = []
    for half, name in ((TUNED, "tuned"), (HELD, "held")):
        right = count = 0
        for kind, wanted, said in cases(half, options.each):
            count, right = count + 1, right + (said == wanted)
            if said != wanted:
                lines.append(f"| {name} | {kind} | {wanted} | {said} |")
            print(name, kind, wanted, said, "" if said == wanted else "WRONG", flush=True)
        sums.append(f"{right} of {count} ({right / max(count, 1):.1%}) on the {name} half")
    print("; ".join(sums))
    if options.write:
        options.write.write_text(page(sums, lines))


def page(sums, lines):
    """The page with its table."""
    return (
        "# A new mix rechecked: scripted fixes\n\n"
        "`python -m tests.rechecks` plants one fault in a mix, makes new mixes of it in which the fault is mended, a\n"
        "fifth to two fifths mended (`better`), made worse by as much, left, or cut out with its passage, and asks\n"
        "what the recheck says. Every new mix begins three seconds later. To reach: 97 % right.\n\n"
        f"Measured with {VERSION}. Right: {'; '.join(sums)}. What was told otherwise:\n\n" + "\n".join(lines) + "\n"
    )


if __name__ == "__main__":
    main()
