"""Speed as ratios: the measuring command against ffmpeg's ``ebur128=peak=true`` on the same file in the same run.

Whole processes, median of pairs that follow each other; processor time (user and system) with one thread, wall time
with two. The material is made here: something like speech in bursts over something like music, with the ups and downs
of a programme. ``python -m tests.bench --write docs/benchmark.md`` keeps the table.
"""

import argparse
import os
import platform
import re
import statistics
import subprocess
import sys
import tempfile
import time
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from tests.bench_page import TO_REACH_MS, measure, table
from tests.signals import RATE, write_wav

TO_REACH = {"wav": (10, 15), "flac": (4.5, 5), "aac": (3, 4.5), "surround": (5.5, 8), "bands": (2.3, 3.5)}
ALL_MINUTES = (2, 60)
TITLES = {
    "wav": "stereo 24-bit WAV, {m} min",
    "flac": "stereo FLAC, {m} min",
    "aac": "stereo AAC in MP4, {m} min",
    "surround": "5.1 WAV, {s} min",
    "bands": "stereo WAV, {m} min, with 18 bands on three stems",
}
_LINES = [*TITLES, "all", "revisited", "long", "short", "library", "page"]
_SAID = ("All that is done", "A stretch corrected", "5.1 WAV of", "A file of ten seconds", "pyloudnorm")
"""How the sentences below the table begin."""
_CORRECTED = """
import statistics, sys, time
from pathlib import Path
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.measure.speech import Correction
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, Stem, measure

mix, *stems = (Sound((Path(path),), Path(path).name) for path in sys.argv[1:])
begun = time.process_time()
measured = measure(Job(mix, tuple(Stem(sound, role) for sound, role in zip(stems, ("dialogue", "music", "effects")))))
found = judge(measured, DEFAULT)
whole, words, took = time.process_time() - begun, [], []
# As the page does it: the stretch is looked at while it is under the hand, and judged once more when it is saved.
origin_s = found.context.origin_s
for said in [s for s in found.context.speech if s.out_s - s.in_s > 1][2:60:6]:
    words.append(Correction("no-speech", origin_s + said.in_s + 0.3, origin_s + said.out_s))
    for _ in range(2):
        begun = time.process_time()
        found = judge(measured, DEFAULT, words, earlier=found, revisited=found.context.revisited)
        took.append(time.process_time() - begun)
print(whole, statistics.median(took[::2]), statistics.median(took[1::2]), len(found.findings))
"""
_PAGE_HEAD = "\n## The review page under load"
_ROLES = ("dialogue", "music", "effects")
_PIECE_S = 10
_LONG_MINUTES = 20


@dataclass(frozen=True)
class Cost:
    """What a process took, in seconds, and its largest memory in MiB."""

    processor_s: float
    wall_s: float
    memory_mib: float


def piece(number, channels, part="mix"):
    """Ten seconds of something like a programme, ``(frames, channels)``; ``part`` picks one of its stems."""
    dice = np.random.default_rng(number)
    t = np.arange(_PIECE_S * RATE) / RATE
    syllables = np.clip(np.sin(2 * np.pi * 3.1 * t + dice.random() * 6), 0, 1) * np.clip(
        np.sin(2 * np.pi * 0.23 * t + number), 0, 1
    )
    rough = dice.standard_normal(len(t)) * 0.3 + np.sin(2 * np.pi * 180 * t) + 0.5 * np.sin(2 * np.pi * 720 * t)
    voice = (rough * syllables * 0.12 * 10 ** (dice.normal() * 2.5 / 20))[:, None] * np.ones(channels)
    beat = np.exp(-((t * 2) % 1) * 6)
    note = 110 * 2 ** ((number % 12) / 12)
    music = np.stack(
        [
            (np.sin(2 * np.pi * note * t + c) + dice.standard_normal(len(t)) * 0.2) * beat * 0.05
            for c in range(channels)
        ],
        axis=1,
    )
    effects = dice.standard_normal((len(t), channels)) * 0.002
    parts = {"dialogue": voice, "music": music, "effects": effects, "mix": voice + music + effects}
    return np.clip(parts[part], -0.99, 0.99)


def make_wav(path, minutes, channels, part="mix"):
    """A 24-bit WAV of that many minutes."""
    with soundfile.SoundFile(path, "w", RATE, channels, "PCM_24") as file:
        for number in range(round(minutes * 60 / _PIECE_S)):
            file.write(piece(number, channels, part))
    return path


def cost(command):
    """Run a process to its end."""
    begun = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    highest, ended = 0, 0
    while not ended:
        highest = max(highest, _highest_kib(process.pid))
        ended, status, usage = os.wait4(process.pid, os.WNOHANG)
        time.sleep(0 if ended else 0.01)
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode not in (0, 1):
        raise RuntimeError(f"{command[0]} ended with {process.returncode}")
    return Cost(usage.ru_utime + usage.ru_stime, time.perf_counter() - begun, highest / 1024)


def _highest_kib(pid):
    """The largest memory so far.

    What the system reports at the end would count this process, too, from which the other one was forked.
    """
    try:
        lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    except OSError:
        return 0
    return next((int(line.split()[1]) for line in lines if line.startswith("VmHWM")), 0)


def reference(path):
    return cost(
        [
            "ffmpeg",
            "-v",
            "quiet",
            "-nostdin",
            "-i",
            str(path),
            "-map",
            "0:a:0",
            "-af",
            "ebur128=peak=true",
            "-f",
            "null",
            "-",
        ]
    )


def ours(path, threads, stems=(), *more):
    options = [option for role, stem in stems for option in (f"--{role}", str(stem))] + list(more)
    return cost(
        [
            sys.executable,
            "-m",
            "mezzavoce_core",
            "measure",
            str(path),
            "--whole",
            "--json",
            "--quiet",
            # What the reference does: speech in a mix without stems is another matter.
            "--loudness-only",
            "--threads",
            str(threads),
            *options,
        ]
    )


def decoding(path):
    """Seconds of processor time for decoding alone, inside a process that is running already."""
    code = (
        "import sys, time\nfrom pathlib import Path\nfrom mezzavoce_core.runtime import startup\nfrom "
        "mezzavoce_core.media import decode\n"
        "from mezzavoce_core.media.source import Sound, open_sound\nimport resource\n"
        "source = open_sound(Sound((Path(sys.argv[1]),), 'x'))\nnext(decode.blocks(source))\n"
        "def used():\n    return sum(u.ru_utime + u.ru_stime for u in map(resource.getrusage, "
        "(resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)))\n"
        "begun = used()\nfor _ in decode.blocks(source): pass\nprint(used() - begun)\n"
    )
    return float(
        subprocess.run([sys.executable, "-c", code, str(path)], check=True, capture_output=True, text=True).stdout
    )


def row(key, path, minutes, pairs, stems=()):
    """One line of the table."""
    found = []
    more = ("--levels-only",) if stems else ()
    for _ in range(pairs):
        _read_once(path, *(stem for _, stem in stems))
        base, one, two = reference(path), ours(path, 1, stems, *more), ours(path, 2, stems, *more)
        found.append(
            (
                base.processor_s / one.processor_s,
                base.wall_s / two.wall_s,
                minutes * 60 / two.wall_s,
                max(one.memory_mib, two.memory_mib),
                one.processor_s,
            )
        )
    one, two, real, memory, seconds = (statistics.median(f[k] for f in found) for k in range(5))
    wanted = TO_REACH[key]
    return (
        f"| {TITLES[key].format(m=f'{minutes:g}', s=f'{minutes:g}')} | {one:.1f} / {two:.1f} | {wanted[0]} / "
        f"{wanted[1]} | "
        f"{real:.0f} | {decoding(path) / seconds:.0%} | {memory:.0f} MiB |"
    )


def _read_once(*paths):
    """Files into memory, as far as there is room: what is compared is no disk."""
    for path in paths:
        with path.open("rb") as file:
            while file.read(1 << 24):
                pass


def short_file(folder):
    """Wall seconds for a file of ten seconds, warm; median of five."""
    path = write_wav(folder / "short.wav", piece(1, 2))
    ours(path, 2)
    return statistics.median(ours(path, 2).wall_s for _ in range(5))


@contextmanager
def with_stems(folder, minutes):
    """A mix and its stems by their roles, for as long as the block runs."""
    mix, *stems = (make_wav(folder / f"all {part}.wav", minutes, 2, part) for part in ("mix", *_ROLES))
    try:
        yield mix, list(zip(_ROLES, stems, strict=True))
    finally:
        for path in (mix, *stems):
            path.unlink()


def whole_analysis(folder, minutes):
    """All that is done with stems, on one processor, as times real time; median of three for short programmes."""
    with with_stems(folder, minutes) as (mix, given):
        seconds = statistics.median(ours(mix, 1, given).processor_s for _ in range(3 if minutes < _LONG_MINUTES else 1))
    return f"{minutes:g} min: {minutes * 60 / seconds:.0f} times"


def corrected(folder, minutes):
    """What it takes to judge a programme again after a word of hand, against measuring and judging it.

    Median of some words.
    """
    with with_stems(folder, minutes) as (mix, given):
        said = subprocess.run(
            [sys.executable, "-c", _CORRECTED, str(mix), *(str(path) for _, path in given)],
            check=True,
            capture_output=True,
            text=True,
        ).stdout
    whole, look, again, findings = (float(word) for word in said.split())
    return (
        f"A stretch corrected by hand in {minutes:g} min with {findings:.0f} findings: looking at it while it "
        f"is set takes 1/{whole / look:.0f} of measuring "
        f"and judging the whole, judging by it when it is saved 1/{whole / again:.0f} ({look:.2f} and "
        f"{again:.2f} s of processor time)."
    )


def long_surround(folder, minutes):
    """Memory in MiB for a long 5.1 file (RF64), with two threads."""
    path = folder / "long.wav"
    minute = np.concatenate([piece(k, 6) for k in range(60 // _PIECE_S)])
    with soundfile.SoundFile(path, "w", RATE, 6, "PCM_24", format="RF64") as file:
        for _ in range(minutes):
            file.write(minute)
    found = ours(path, 2)
    path.unlink()
    return (
        f"5.1 WAV of {minutes} min: at most {found.memory_mib:.0f} MiB, {minutes * 60 / found.wall_s:.0f} "
        "times real time."
    )


def other_library(path, minutes):
    """How much longer pyloudnorm takes for the integrated loudness alone, reading included."""
    code = (
        "import sys, soundfile, pyloudnorm\nx, r = "
        "soundfile.read(sys.argv[1])\npyloudnorm.Meter(r).integrated_loudness(x)\n"
    )
    theirs = statistics.median(cost([sys.executable, "-c", code, str(path)]).processor_s for _ in range(3))
    mine = statistics.median(ours(path, 1).processor_s for _ in range(3))
    return (
        f"pyloudnorm (integrated loudness alone, {minutes:g} min of stereo WAV): {theirs / mine:.1f} times "
        "the processor time of the whole measurement."
    )


def rows(folder, options, tell):
    """The lines of the table that were asked for, by key; ``tell`` hears each as soon as it is there."""
    minutes, pairs, found = options.minutes, options.pairs, {}

    def add(key, path, length, stems=()):
        if key in options.only:
            found[key] = row(key, path, length, pairs, stems)
            tell(found[key])

    if not set(options.only) & set(TITLES):
        return found
    wav = make_wav(folder / "mix.wav", minutes, 2)
    add("wav", wav, minutes)
    for key, name, coding in (("flac", "mix.flac", ()), ("aac", "mix.mp4", ("-c:a", "aac", "-b:a", "192k"))):
        if key in options.only:
            subprocess.run(["ffmpeg", "-v", "error", "-y", "-i", str(wav), *coding, str(folder / name)], check=True)
            add(key, folder / name, minutes)
            (folder / name).unlink()
    if "surround" in options.only:
        add("surround", make_wav(folder / "surround.wav", options.surround_minutes, 6), options.surround_minutes)
    if "bands" in options.only:
        stems = [
            (role, make_wav(folder / f"{role}.wav", minutes, 2, role)) for role in ("dialogue", "music", "effects")
        ]
        add("bands", wav, minutes, stems)
    return found


def sentences(folder, options):
    """What is said below the table, as far as it was asked for."""
    if "all" in options.only:
        every = ", ".join(whole_analysis(folder, m) for m in ALL_MINUTES)
        yield f"All that is done with three stems, on one processor: {every} real time."
    if "revisited" in options.only:
        yield corrected(folder, options.minutes)
    if "long" in options.only:
        yield long_surround(folder, options.long_minutes)
    if "short" in options.only:
        yield f"A file of ten seconds: {short_file(folder):.2f} s, warm."
    if "library" in options.only:
        ten_min = min(10, options.minutes)
        yield other_library(make_wav(folder / "ten.wav", ten_min, 2), ten_min)


def machine():
    """The machine in a sentence."""
    model = next(
        (
            line.split(":")[1].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if line.startswith("model name")
        ),
        platform.machine(),
    )
    version = subprocess.run(["ffmpeg", "-version"], check=True, capture_output=True, text=True).stdout.split()[2]
    return (
        f"{model}, {os.cpu_count()} processors; ffmpeg {version}, Python {platform.python_version()}, NumPy "
        f"{np.__version__}."
    )


def page(found, more, drawn, pairs, before):
    """The page; lines that were not measured this time are taken over from the page before."""
    keys = {key: title.split(",")[0] for key, title in TITLES.items()}
    kept = {
        k: next(
            (
                line
                for line in before.splitlines()
                if line.startswith(f"| {t},") and ("bands" in line) == (k == "bands")
            ),
            "",
        )
        for k, t in keys.items()
    }
    lines = [found.get(key) or kept[key] for key in TITLES if found.get(key) or kept[key]]
    # Where no ratio was measured this time, they are medians of as many pairs as before.
    past = re.search(r"median of (.+?) pairs", before)
    pairs = past.group(1) if past and not found else pairs
    said = [next((line for line in (*more, *before.splitlines()) if line.startswith(begin)), "") for begin in _SAID]
    return (
        f"# Speed\n\n`bin/bench` makes the material, measures, and writes this page (median of {pairs} pairs). "
        f"{machine()}\n\n"
        "The reference is `ffmpeg -af ebur128=peak=true` on the same file; both are whole processes, start included,\n"
        "and every file is read once before, so that no disk is compared.\n"
        "Lines can be measured again by themselves (`--only`), so they need not be of one run. The line with "
        "stems holds placing them, bands and\n"
        "judging, without reading what was done to the music (`--levels-only`); much is found in its material, "
        "and judging that is part of it.\n"
        "Others on the same machine slow down what moves much memory: within the hour a line may lie a fifth lower.\n\n"
        "| What | Ratio: one thread (processor time) / two threads (wall) | To reach | Times real time | Share "
        "of decoding | Memory |\n"
        "|---|---|---|---|---|---|\n"
        + "\n".join(lines)
        + "\n\n"
        + "\n\n".join(filter(None, said))
        + "\n"
        + review_page(drawn, before)
    )


def review_page(drawn, before):
    """What a frame of the review page costs; taken over from the page before where it was not measured."""
    if not drawn:
        at = before.find(_PAGE_HEAD)
        return before[at:] if at >= 0 else ""
    return (
        f"{_PAGE_HEAD}\n\nScript time of a frame, measured in headless Chromium on material made from formulas "
        "(`bin/bench --only page`); the lanes are\n"
        f"930 pixels wide. To reach: {TO_REACH_MS[0]} ms in the middle, {TO_REACH_MS[1]} ms for 95 of 100.\n\n{drawn}\n"
    )


def main():
    """Make the material, measure, print, and write where asked."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--surround-minutes", type=float, default=10)
    parser.add_argument("--pairs", type=int, default=5)
    parser.add_argument("--long-minutes", type=int, default=120)
    parser.add_argument("--only", nargs="+", choices=_LINES, default=_LINES, help="lines to measure; the others stay")
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as holder:
        folder = Path(holder)
        print(machine(), flush=True)
        found = rows(folder, options, lambda line: print(line, flush=True))
        more = list(sentences(folder, options))
    drawn = table(measure()) if "page" in options.only else ""
    print("\n".join([*more, drawn]))
    if options.write:
        before = options.write.read_text() if options.write.exists() else ""
        options.write.write_text(page(found, more, drawn, options.pairs, before))
    return 0


if __name__ == "__main__":
    sys.exit(main())
