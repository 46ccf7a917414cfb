"""Figures beside ffmpeg's ``ebur128`` on real sound of the machine.

``python -m tests.against_ffmpeg FOLDER… --write docs/against-ffmpeg.md``

The files stay where they are; only how far the figures lie apart is kept, by kind of material.
"""

import argparse
import re
import subprocess
import sys
from pathlib import Path

import numpy as np

from mezzavoce_core.errors import MezzavoceError
from mezzavoce_core.judge.judging import judge
from mezzavoce_core.judge.spec import DEFAULT
from mezzavoce_core.measure.loudness import at_blocks, moving_mean
from mezzavoce_core.measure.programme import whole
from mezzavoce_core.media.probe import probe
from mezzavoce_core.media.source import Sound
from mezzavoce_core.pipeline import Job, measure
from mezzavoce_core.units import lufs_to_power, power_to_lufs

SOUNDS = {".wav", ".ogg", ".mp3", ".flac", ".m4a", ".opus", ".gsm", ".aif", ".aiff"}
WITHIN = {"integrated": 0.05, "range": 0.2, "true peak": 0.1}

HEAD = """# Beside ffmpeg on real sound

Made by `python -m tests.against_ffmpeg KIND=FOLDER … --write docs/against-ffmpeg.md` on sound of Debian's packages,
which stays on the machine. The table shows the absolute difference, median / largest. In brackets stands how many files
lie further apart than the tolerance: integrated 0.05 LU, range 0.2 LU, true peak 0.1 dB and the 0.05 dB that ffmpeg
rounds away. Files below 32 kHz are resampled for ffmpeg alone: its filter reads the same speech 0.2 LU louder at 8 kHz
than at 48 kHz, while ours reads both alike.

Where the range lies further apart, the file lasts twelve seconds or less. EBU Tech 3342 takes the values at rank
(n - 1) · p, rounded; ffmpeg counts its histogram up to n · p, which is one rank lower now and then. Among a few dozen
short-term values in an onset one rank is a step of several tenths. The last column holds our short-term values against
ffmpeg's range when they are counted in ffmpeg's way.

| Material | Files | Integrated, LU | Range, LU | True peak, dB | Range, counted as ffmpeg does |
|---|---|---|---|---|---|
"""


def by_ffmpeg(path):
    """Integrated and range from the last of its frames (to 0.01 or finer), the true peak from its summary (to 0.1)."""
    # At low rates its filter is off: it reads the same speech 0.2 LU louder at 8 kHz than at 48 kHz. There it gets the
    # sound at 48 kHz.
    low = probe(path).sample_rate_hz < 32000
    resample = "aresample=48000:resampler=soxr:precision=28," if low else ""
    measure_it = f"{resample}ebur128=peak=true:metadata=1:framelog=verbose,ametadata=print:file=-"
    command = [
        "ffmpeg",
        "-v",
        "info",
        "-nostdin",
        "-i",
        str(path),
        "-map",
        "0:a:0",
        "-af",
        measure_it,
        "-f",
        "null",
        "-",
    ]
    done = subprocess.run(command, check=True, capture_output=True, text=True, errors="replace")
    summary = done.stderr[done.stderr.rindex("Summary:") :]
    last = {name: float(re.findall(rf"lavfi\.r128\.{name}=(-?[\d.]+)", done.stdout)[-1]) for name in ("I", "LRA")}
    return {
        "integrated": last["I"],
        "range": last["LRA"],
        "true peak": float(re.search(r"Peak:\s+(-?[\d.]+|-inf)", summary)[1]),
    }


def by_us(path):
    """The same figures from the meter; the whole file."""
    measured = measure(Job(Sound((path,), path.name), separate=False))
    evidence = judge(measured, DEFAULT, programme=whole(measured.duration_s)).context
    loud = evidence.loudness
    counted = counted_their_way(evidence.power)
    return {
        "integrated": loud.integrated_lufs,
        "range": loud.range_lu or 0.0,
        "true peak": float(evidence.true_peak_dbtp.max()),
        "counted": counted,
    }


def counted_their_way(power):
    """The range between the values at which a histogram has been counted up to 10 and 95 per cent of all."""
    values = at_blocks(moving_mean(power, 300))
    values = values[values >= lufs_to_power(-70)]
    if not len(values):
        return 0.0
    values = np.sort(values[values >= values.mean() / 100])
    low, high = (values[max(0, int(share * len(values) + 0.5) - 1)] for share in (0.10, 0.95))
    return float(power_to_lufs(high) - power_to_lufs(low))


def compare(paths, tell=lambda _line: None):
    """Differences ours minus theirs by figure, for the files that both can measure."""
    found = []
    for path in paths:
        try:
            mine = by_us(path)
        except MezzavoceError:
            continue
        theirs = by_ffmpeg(path)
        found.append(
            {name: mine[name] - theirs[name] for name in WITHIN} | {"counted": mine["counted"] - theirs["range"]}
        )
        tell(f"{path.name:40.40} " + "  ".join(f"{name} {mine[name]:.2f} ({found[-1][name]:+.2f})" for name in WITHIN))
    return found


def main():
    """Compare folder by folder and write the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", nargs="+", help="KIND=FOLDER")
    parser.add_argument("--most", type=int, default=25, help="files of each kind, the longest ones")
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    lines = []
    for entry in options.folders:
        kind, _, folder = entry.partition("=")
        files = sorted(
            (p for p in Path(folder).rglob("*") if p.suffix.lower() in SOUNDS), key=lambda p: -p.stat().st_size
        )[: options.most]
        found = compare(files, lambda line: print(line, flush=True))
        if not found:
            raise SystemExit(f"{folder} holds no sound that can be measured; give another folder.")
        cells = []
        for name, within in (*WITHIN.items(), ("counted", WITHIN["range"])):
            values = np.array([f[name] for f in found])
            cells.append(
                f"{np.median(np.abs(values)):.3f} / {np.abs(values).max():.3f} "
                f"({(np.abs(values) > within + (0.05 if name == 'true peak' else 0.005)).sum()})"
            )
        lines.append(f"| {kind} | {len(found)} | {' | '.join(cells)} |")
        print(lines[-1], flush=True)
    if options.write:
        head = HEAD
        options.write.write_text(head + "\n".join(lines) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
