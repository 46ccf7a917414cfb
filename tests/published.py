"""The published test signals of EBU Tech 3341 and EBU Tech 3342.

Made from their descriptions, with the values they have to read.

All values from memory of the documents. ``python -m tests.published --write docs/published-signals.md`` runs every
signal at 44.1, 48 and 96 kHz as 16-bit, 24-bit and float WAV and as FLAC through the whole path from file to figure.
"""

import argparse
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.measure.loudness import MOMENTARY_TICKS, SHORT_TERM_TICKS, moving_mean
from mezzavoce_core.measure.programme import whole
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, measure
from mezzavoce_core.units import power_to_lufs
from tests.signals import sine, steps, stereo, write_wav

RATES = (44100, 48000, 96000)
FORMATS = ("16-bit WAV", "24-bit WAV", "float WAV", "FLAC")
LOUD, MOMENT, SHORT, RANGE, PEAK = "integrated", "momentary", "short-term", "range", "true peak"
STEADY_M, STEADY_S = "momentary, constant after 1 s", "short-term, constant after 3 s"


@dataclass(frozen=True)
class Signal:
    """A signal: its number and how it is made at a rate.

    Each figure has its value and how far it may be under and over it.
    """

    name: str
    make: Callable[[int], np.ndarray]
    wanted: tuple[tuple[str, float, float, float], ...]


def _loud(name, parts, *figures, level=-23.0):
    return Signal(
        f"3341-{name}", lambda rate: stereo(steps(parts, rate=rate)), tuple((f, level, 0.1, 0.1) for f in figures)
    )


def _surround(rate):
    left, centre, side = sine(-28, 20, rate=rate), sine(-24, 20, rate=rate), sine(-30, 20, rate=rate)
    return np.stack([left, left, centre, np.zeros_like(left), side, side], axis=1)


def _after_silence(silence_s, tone_s):
    def make(rate):
        return stereo(np.concatenate([np.zeros(round(silence_s * rate)), sine(-23, tone_s, rate=rate), np.zeros(rate)]))

    return make


def _peak(number, divisor, degrees, amplitude, wanted):
    def make(rate):
        n = np.arange(rate * 2)
        # Faded in and out: the published signals begin gently, and a hard edge rings by itself.
        fade = np.minimum(1, np.minimum(n, n[::-1]) / (rate / 10))
        return stereo(amplitude * np.sin(2 * np.pi * n / divisor + np.radians(degrees)) * fade)

    return Signal(f"3341-{number}", make, ((PEAK, wanted, 0.4, 0.2),))


def _range(number, wanted, *levels):
    return Signal(
        f"3342-{number}",
        lambda rate: stereo(steps([(level, 20) for level in levels], rate=rate)),
        ((RANGE, wanted, 1.0, 1.0),),
    )


SIGNALS: tuple[Signal, ...] = (
    _loud(1, [(-23, 20)], LOUD, MOMENT, SHORT),
    _loud(2, [(-33, 20)], LOUD, MOMENT, SHORT, level=-33.0),
    _loud(3, [(-36, 10), (-23, 60), (-36, 10)], LOUD),
    _loud(4, [(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], LOUD),
    _loud(5, [(-26, 20), (-20, 20.1), (-26, 20)], LOUD),
    Signal("3341-6", _surround, ((LOUD, -23.0, 0.1, 0.1),)),
    _loud(9, [(-20, 1.34), (-30, 1.66)] * 5, STEADY_S),
    *(Signal(f"3341-10.{i + 1}", _after_silence(i * 0.15, 3.0), ((SHORT, -23.0, 0.1, 0.1),)) for i in range(20)),
    _loud(12, [(-20, 0.18), (-30, 0.22)] * 25, STEADY_M),
    *(Signal(f"3341-13.{i + 1}", _after_silence(i * 0.02, 0.4), ((MOMENT, -23.0, 0.1, 0.1),)) for i in range(20)),
    _peak(15, 4, 0.0, 0.50, -6.0),
    _peak(16, 4, 45.0, 0.50, -6.0),
    _peak(17, 6, 60.0, 0.50, -6.0),
    _peak(18, 8, 67.5, 0.50, -6.0),
    _peak(19, 4, 45.0, 1.41, 3.0),
    _range(1, 10.0, -20, -30),
    _range(2, 5.0, -20, -15),
    _range(3, 20.0, -40, -20),
    _range(4, 15.0, -50, -35, -20, -35, -50),
)


def fits(signal, form):
    """Whether a format can hold a signal: beyond full scale only float does."""
    return form == "float WAV" or signal.name != "3341-19"


def write(signal, rate, form, folder):
    """The signal as a file."""
    bits = {"16-bit WAV": 16, "float WAV": 32}.get(form, 24)
    path = write_wav(folder / "signal.wav", signal.make(rate), rate=rate, bits=bits)
    if form != "FLAC":
        return path
    target = folder / "signal.flac"
    subprocess.run(["ffmpeg", "-v", "error", "-y", "-i", str(path), str(target)], check=True)
    return target


def read(path):
    """What the meter reads from a file, by figure; a figure that has to stand still as its two extremes."""
    measured = measure(Job(Sound((path,), path.name), separate=False))
    evidence = judge(measured, DEFAULT, programme=whole(measured.duration_s)).context
    loud = evidence.loudness
    return {
        LOUD: (loud.integrated_lufs,),
        MOMENT: (loud.momentary_max_lufs,),
        SHORT: (loud.short_term_max_lufs,),
        RANGE: (loud.range_lu,),
        PEAK: (float(evidence.true_peak_dbtp.max()),),
        STEADY_S: _extremes(evidence.power, SHORT_TERM_TICKS),
        STEADY_M: _extremes(evidence.power, MOMENTARY_TICKS, from_tick=100),
    }


def _extremes(power, ticks, from_tick=300):
    level = power_to_lufs(np.nan_to_num(moving_mean(power, ticks)))[from_tick:]
    return (float(level.min()), float(level.max())) if len(level) else (float("nan"),)


def misses(signal, found):
    """Figures of a signal that lie outside their tolerance, and the largest deviation of all."""
    wrong, largest = [], 0.0
    for figure, value, under, over in signal.wanted:
        for got in found[figure]:
            if got is None or not value - under <= got <= value + over:
                wrong.append(f"{signal.name}: {figure} reads {got}, wants {value}")
            if got is not None and abs(got - value) > abs(largest):
                largest = got - value
    return wrong, largest


def main():
    """Every signal in every form; exit 1 when one misses."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    lines, wrong, count = [], [], 0
    with tempfile.TemporaryDirectory() as holder:
        for signal in SIGNALS:
            cells = []
            for rate in RATES:
                results = [
                    misses(signal, read(write(signal, rate, form, Path(holder))))
                    for form in FORMATS
                    if fits(signal, form)
                ]
                count += len(results)
                wrong += [w for r in results for w in r[0]]
                cells.append(f"{max((r[1] for r in results), key=abs):+.3f}")
            figures = "; ".join(f"{f} {v:+.1f} (-{u:g} / +{o:g})" for f, v, u, o in signal.wanted)
            lines.append(f"| {signal.name} | {figures} | {' | '.join(cells)} |")
            print(lines[-1], flush=True)
    print(f"{count} files, {len(wrong)} misses", *wrong, sep="\n")
    if options.write:
        head = (
            "# Published signals\n\nMade by `python -m tests.published --write docs/published-signals.md`. "
            f"Sources: EBU Tech 3341 and EBU Tech 3342; signals and values from memory of the documents. "
            f"{count} files: each signal at 44.1, 48 and 96 kHz as {', '.join(FORMATS)} "
            f"(signal 19 passes full scale, so that only float holds it). {len(wrong)} of them miss their tolerance. "
            "The last columns give the largest deviation over the formats.\n\n"
            "| Signal | Reads (tolerance) | 44.1 kHz | 48 kHz | 96 kHz |\n|---|---|---|---|---|\n"
        )
        options.write.write_text(head + "\n".join(lines) + "\n")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
