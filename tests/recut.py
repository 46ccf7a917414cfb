"""How well a new mix is laid beside a former one: programmes of the demo strung together, edited by chance.

``python -m tests.recut --write docs/recut.md`` (with the demo's media in ``MEZZAVOCE_TEST_MEDIA``) edits an hour with
stretches of 1 to 30 s put in, cut out and moved, lowers the whole by 3 dB, and counts the moments that are placed
right, placed wrong, or lost. What is put in comes from programmes that are not in the hour.
"""

import argparse
import os
import subprocess
import time
from pathlib import Path

import numpy as np

from mezzavoce_core.signal.outline import Outline
from mezzavoce_core.versions.alignment import align
from tests.signals import RATE

_FRAME_S = 1 / 25
_STEP = RATE // 50


def sounds(folder, others):
    """The mixes of the demo's programmes as mono, every fifth apart."""
    paths = sorted(p for p in Path(folder).glob("*mix 1.*") if not p.name.startswith("."))
    for path in [p for k, p in enumerate(paths) if (k % 5 == 4) == others]:
        command = ["ffmpeg", "-v", "error", "-i", path, "-map", "0:a:0", "-ac", "1", "-f", "f32le", "-"]
        yield np.frombuffer(subprocess.run(command, check=True, capture_output=True).stdout, dtype=np.float32)


def material(folder, seconds, seed):
    """So many seconds; programmes that come again run at another speed, so that no moment is there twice."""
    rng = np.random.default_rng(seed)
    own = list(sounds(folder, others=False))
    parts, count = [], 0
    for turn in range(1000):
        for k in rng.permutation(len(own)):
            sound = own[k]
            if turn:
                at = np.arange(0, len(sound) - 1, 1 + 0.02 * turn * (-1) ** turn)
                sound = np.interp(at, np.arange(len(sound)), sound).astype(np.float32)
            parts.append(sound)
            count += len(sound)
            if count >= seconds * RATE:
                return np.concatenate(parts)[: round(seconds * RATE)]
    raise AssertionError("never so long")


def edited(sound, scenes, count, seed):
    """The sound after so many edits, and where each of its samples was before (-1: nowhere)."""
    rng = np.random.default_rng(seed)
    origin = np.arange(len(sound))
    for k in range(count):
        length = round(rng.uniform(1, 30) * RATE)
        at = int(rng.integers(0, len(sound) - length))
        if k % 5 == 4:
            part, was = sound[at : at + length], origin[at : at + length]
            sound, origin = np.delete(sound, slice(at, at + length)), np.delete(origin, slice(at, at + length))
            to = int(rng.integers(0, len(sound)))
            sound, origin = np.insert(sound, to, part), np.insert(origin, to, was)
        elif k % 2:
            sound, origin = np.delete(sound, slice(at, at + length)), np.delete(origin, slice(at, at + length))
        else:
            scene = scenes[(begin := int(rng.integers(0, len(scenes) - length))) : begin + length]
            sound, origin = np.insert(sound, at, scene), np.insert(origin, at, np.full(length, -1))
    return sound, origin


def outline(sound):
    """The outline of a mono sound."""
    found = Outline(RATE, 1, len(sound) / RATE)
    for k in range(0, len(sound), 10 * RATE):
        found.feed(np.ascontiguousarray(sound[None, k : k + 10 * RATE]))
    return found.finish()


def score(folder, minutes, edits, seed):
    """Shares of moments placed right, wrong and lost, worst and middle offset (ms), seconds of processor time."""
    before = material(folder, 60 * minutes, seed)
    after, origin = edited(before, np.concatenate(list(sounds(folder, others=True))), edits, seed)
    old, new = outline(before), outline(after * np.float32(0.708))
    begun = time.process_time()
    found = align(old, new)
    took = time.process_time() - begun
    truth = np.full(len(before), -1)
    truth[origin[origin >= 0]] = np.flatnonzero(origin >= 0)
    right, wrong, lost, offsets = 0, 0, 0, []
    for at in range(0, len(before), _STEP):
        place, wanted = found.new_s(at / RATE), truth[at]
        if place is None:
            lost += wanted >= 0
        elif wanted >= 0 and abs(place - wanted / RATE) <= _FRAME_S:
            right += 1
            offsets.append(abs(place - wanted / RATE) * 1000)
        else:
            wrong += 1
    there = right + lost
    return right / there, wrong / (there + wrong), lost / there, np.median(offsets), np.quantile(offsets, 0.99), took


def main():
    """Measure, print, and write where asked."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--edits", type=int, default=20)
    parser.add_argument("--seeds", type=int, default=3)
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    lines = [
        "| Programme | Right | Wrong | Lost | Offset, median / 99 of 100 | Processor time of laying beside |",
        "|---|---|---|---|---|---|",
    ]
    for seed in range(options.seeds):
        right, wrong, lost, middle, high, took = score(
            os.environ["MEZZAVOCE_TEST_MEDIA"], options.minutes, options.edits, seed
        )
        lines.append(
            f"| {seed + 1} | {right:.2%} | {wrong:.2%} | {lost:.2%} | {middle:.1f} / {high:.1f} ms | {took:.1f} s |"
        )
        print(lines[-1], flush=True)
    if options.write:
        options.write.write_text(page(lines, options))


def page(lines, options):
    """The page with its table."""
    return (
        "# A new mix beside the former one: how well it is laid\n\n"
        f"`python -m tests.recut` strings programmes of the demo together to {options.minutes:g} minutes (those that\n"
        f"come again run at another speed), makes {options.edits} edits of 1 to 30 s by chance (put in, cut out,\n"
        "moved), lowers the whole by 3 dB, and asks every 20 ms where that moment is now. Right: within a frame of\n"
        "40 ms. Wrong: elsewhere, or somewhere although it was cut out. Lost: there, and not placed. What is put in\n"
        "comes from programmes that are not in the hour. To reach: within one frame, nothing wrong, 10 s on one\n"
        "core.\n\n" + "\n".join(lines) + "\n"
    )


if __name__ == "__main__":
    main()
