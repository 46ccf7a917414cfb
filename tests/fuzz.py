"""Damaged copies of every kind of file through the confined core.

No crash, no hang, nothing left over, always a figure or a sentence.

``python -m tests.fuzz --count 1000 --seed 1``; the same seed makes the same damage.
"""

import argparse
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np

from mezzavoce_core.command import confined
from mezzavoce_core.measure.meter import Meter
from tests.signals import RATE, noise, sine, stereo, write_wav

LIMIT_S = 60
_PICTURE = ("-f", "lavfi", "-i", "testsrc=s=64x36:r=25:d=2")
_KINDS = {
    "16.wav": ("-c:a", "pcm_s16le"),
    "24.wav": ("-c:a", "pcm_s24le"),
    "float.wav": ("-c:a", "pcm_f32le"),
    "double.wav": ("-c:a", "pcm_f64le"),
    "bext.wav": ("-c:a", "pcm_s24le", "-write_bext", "1", "-metadata", "time_reference=172800000"),
    "rf64.wav": ("-c:a", "pcm_s24le", "-rf64", "always"),
    "a.aiff": ("-c:a", "pcm_s24be"),
    "a.flac": (),
    "a.mp3": (),
    "a.m4a": (),
    "a.aac": (),
    "a.opus": (),
    "a.mov": ("film", "-c:a", "pcm_s24le", "-timecode", "10:00:00:00"),
    "a.mp4": ("film", "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "aac"),
    "a.mkv": ("film", "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "flac"),
    "a.mxf": ("film", "-c:v", "mpeg2video", "-c:a", "pcm_s24le", "-ar", "48000"),
}


def originals(folder):
    """One small file of each kind."""
    source = write_wav(folder / "source.wav", stereo(sine(-20, 2) + noise(2, -40)))
    made = []
    for name, options in _KINDS.items():
        film = options[:1] == ("film",)
        maps = ("-map", "0:v", "-map", "1:a") if film else ()
        command = [
            "ffmpeg",
            "-v",
            "error",
            "-y",
            *(_PICTURE if film else ()),
            "-i",
            str(source),
            *maps,
            *options[film:],
            str(folder / name),
        ]
        subprocess.run(command, check=True)
        made.append(folder / name)
    source.unlink()
    return made


def damaged(data, others, dice):
    """A damaged copy of some bytes.

    Flipped bits, an end that is missing, a piece of another file, a header that lies, a hole, a piece twice.
    """
    data = bytearray(data)
    way = dice.choice(("flip", "flip header", "cut", "splice", "lie", "zero", "repeat"))
    if way == "flip":
        for _ in range(dice.randint(1, 60)):
            data[dice.randrange(len(data))] ^= 1 << dice.randrange(8)
    elif way == "flip header":
        for _ in range(dice.randint(1, 8)):
            data[dice.randrange(min(len(data), 512))] ^= 1 << dice.randrange(8)
    elif way == "cut":
        del data[dice.randrange(len(data)) :]
    elif way == "splice":
        other, at = dice.choice(others), dice.randrange(len(data))
        begin = dice.randrange(len(other))
        data[at : at + dice.randrange(1, 20_000)] = other[begin : begin + dice.randrange(1, 20_000)]
    elif way == "lie":
        at = dice.randrange(0, min(len(data) - 8, 256), 2)
        width = dice.choice((2, 4, 8))
        data[at : at + width] = dice.choice((0, 1, 255, 2**15, 2**31 - 1, 2**63 - 1, 2**64 - 1)).to_bytes(
            8, dice.choice(("little", "big"))
        )[:width]
    elif way == "zero":
        at = dice.randrange(len(data))
        data[at : at + dice.randrange(1, 50_000)] = bytes(len(data[at : at + dice.randrange(1, 50_000)]))
    else:
        at = dice.randrange(len(data))
        data[at:at] = data[at : at + dice.randrange(1, 50_000)]
    return way, bytes(data)


def carry_out(path, folder):
    """Measure a file in a confined child that shares the compiled loops.

    Returns exit code (negative: signal), what it said, and seconds.
    """
    order = {
        "do": "measure",
        "mix": {"paths": [str(path)], "name": path.name},
        "stems": [],
        "features": str(folder / "features.npz"),
    }
    order["limits"] = {"memory_mib": 4096, "seconds": LIMIT_S}
    said, begun = folder / "said", time.monotonic()
    child = os.fork()
    if child == 0:
        _be_the_child(order, said, folder)
    while True:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            break
        if time.monotonic() - begun > LIMIT_S:
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
            return None, said.read_text(), time.monotonic() - begun
        time.sleep(0.005)
    code = os.waitstatus_to_exitcode(status)
    text = said.read_text()
    said.unlink()
    return code, text, time.monotonic() - begun


def _be_the_child(order, said, folder):
    with said.open("w") as out:
        reader, writer = os.pipe()
        os.write(writer, json.dumps(order).encode())
        os.close(writer)
        sys.stdin, sys.stdout = os.fdopen(reader), out
        tempfile.tempdir = str(folder)
        code = 99
        try:
            code = confined.main()
        except BaseException as error:  # noqa: BLE001  (this is what the run is about)
            out.write(f"\n{type(error).__name__}: {error}\n")
        out.flush()
        os._exit(code)


def judged(code, text, folder):
    """What is wrong with how a damaged file went, or nothing; and whether it ended in a figure or a sentence."""
    last = next((json.loads(line) for line in reversed(text.strip().splitlines()) if line.startswith("{")), {})
    left = sorted(p.name for p in folder.iterdir() if p.name not in ("features.npz", "file"))
    if code is None:
        return "hung", ""
    if left:
        return f"left over: {left}", ""
    if code == 0:
        return ("" if (folder / "features.npz").exists() else "no features"), "figure"
    if code == 2 and str(last.get("error", "")).endswith("."):
        return ("" if not (folder / "features.npz").exists() else "half-made features"), "sentence"
    return f"exit {code}: {text[-300:]}", ""


def run(count, seed, tell=lambda _line: None):
    """Damage and measure; returns counts of how it ended, by kind of file and damage, and what went wrong."""
    dice, ends, wrong, slowest = random.Random(seed), Counter(), [], 0.0  # noqa: S311  (dice, no secret)
    holder = Path(tempfile.mkdtemp())
    try:
        files = originals(holder)
        contents = [f.read_bytes() for f in files]
        _warm()
        for number in range(count):
            kind = files[number % len(files)]
            way, data = damaged(contents[number % len(files)], contents, dice)
            folder = holder / "case"
            folder.mkdir()
            path = folder / "file"
            path.write_bytes(data)
            code, text, seconds = carry_out(path, folder)
            problem, end = judged(code, text, folder)
            slowest = max(slowest, seconds)
            ends[end or "wrong"] += 1
            if problem:
                wrong.append(f"{kind.name} {way} (case {number}): {problem}")
                tell(wrong[-1])
            shutil.rmtree(folder)
            if number % 100 == 99:
                tell(f"{number + 1} of {count}: {dict(ends)}, slowest {slowest:.1f} s")
    finally:
        shutil.rmtree(holder)
    return ends, wrong, slowest


def _warm():
    """Load what every child needs once, before it is forked."""
    import mezzavoce_core.exchange.features
    import mezzavoce_core.pipeline  # noqa: F401

    for channels in (1, 2):
        meter = Meter(RATE, channels)
        meter.feed(np.zeros((RATE, channels), dtype=np.float32))
        meter.finish()


def main():
    """Run from the command line; exit 1 when anything went wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    ends, wrong, slowest = run(options.count, options.seed, print)
    print(
        f"{options.count} damaged files: {ends['figure']} figures, {ends['sentence']} sentences, {len(wrong)} "
        f"wrong; slowest {slowest:.1f} s"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
