"""The command ``mezzavoce``: measure a mix, print a report or JSON. Exit 0: pass; 1: fail; 2: not measurable."""

import argparse
import json
import math
import os
import sys
from pathlib import Path
from typing import Any, NoReturn

from . import VERSION
from .errors import MezzavoceError, UsageError
from .exchange.captions import read_captions
from .exchange.corrections import read_corrections
from .exchange.document import document
from .exchange.series import write_npz
from .judge.spec import DEFAULT, load
from .measure.measurement import ROLES
from .media.probe import probe
from .media.source import Sound
from .media.tracks import MIX, mix_tracks, parse_map, write_tracks
from .pipeline import Job, Judging, Ranges, Stem, run
from .report import report
from .timecode import Clock

_LATER = {"music_reference": "--music-reference"}
PASS, FAIL, NOT_MEASURABLE = 0, 1, 2


class _Parser(argparse.ArgumentParser):
    """An option parser whose complaint is one line."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong and end with the exit code of what cannot be measured."""
        raise UsageError(f"{message}; see “{self.prog} --help”.")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="mezzavoce", description="Measures finished mixes: loudness, peaks and how far speech stands over music.")
    parser.add_argument("--version", action="version", version=VERSION)
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    measure = commands.add_parser("measure", help="measure one mix and judge it by a spec")
    measure.add_argument("mix", metavar="MIX", type=Path, nargs="+", help="video or audio file; several where each holds one channel of the mix")
    for role in ROLES:
        measure.add_argument(f"--{role}", metavar="FILE", type=Path, action="append", default=[], help=f"stem with the {role}; may be given several times")
    measure.add_argument("--spec", metavar="NAME|FILE", default=DEFAULT.name, help=f"delivery spec (default: {DEFAULT.name})")
    measure.add_argument("--corrections", metavar="FILE", type=Path, help="speech regions set by hand (JSON)")
    measure.add_argument("--captions", metavar="FILE", type=Path, help="captions as WebVTT or SubRip, held against the voice")
    measure.add_argument("--fps", metavar="RATE", help="frame rate, for example 25 or 29.97df (default: the file's own)")
    measure.add_argument("--start", metavar="TIMECODE", help="timecode of the first frame (default: the file's own)")
    measure.add_argument("--tracks", metavar="MAP", help="mix and stems as tracks (or channels) of one file, for example mix=1-2,dialogue=3-4")
    measure.add_argument("--channels", metavar="LAYOUT", help="where the mix's channels stand, for example “L C R Ls Rs LFE” (default: the file's own word)")
    measure.add_argument("--from", dest="range_from", metavar="TIMECODE", action="append", default=[], help="in of the programme; again for each part")
    measure.add_argument("--to", dest="range_to", metavar="TIMECODE", action="append", default=[], help="out of the programme (first frame after it)")
    measure.add_argument("--whole", action="store_true", help="measure every sample instead of leaving out head and tail material")
    measure.add_argument("--levels-only", action="store_true", help="levels and ratios alone, sooner: what was done to the music's gain is not read")
    measure.add_argument("--threads", metavar="N", type=int, default=min(2, os.cpu_count() or 1), help="processors to use (default: %(default)s)")
    measure.add_argument("--json", action="store_true", help="one JSON object on standard output")
    measure.add_argument("--series", metavar="FILE.npz", type=Path, help="write the curves over time")
    measure.add_argument("--quiet", action="store_true", help="no progress bar")
    for name, option in _LATER.items():
        measure.add_argument(option, dest=name, metavar="…", action="append", default=[], help=argparse.SUPPRESS)
    _add_render(commands)
    return parser


def _add_render(commands: Any) -> None:
    render = commands.add_parser("render", help="write a passage as it is and as a remedy proposes it")
    render.add_argument("mix", metavar="MIX", type=Path, help="video or audio file")
    for role in ROLES:
        render.add_argument(f"--{role}", metavar="FILE", type=Path, action="append", default=[], help=f"stem with the {role}")
    render.add_argument("--points", metavar="FILE", type=Path, required=True, help="a finding or a remedy as “measure --json” writes it")
    render.add_argument("--fps", metavar="RATE", help="frame rate (default: the file's own)")
    render.add_argument("--start", metavar="TIMECODE", help="timecode of the first frame (default: the file's own)")
    render.add_argument("--from", dest="range_from", metavar="TIMECODE", help="in of the passage (default: 2 s before the first point)")
    render.add_argument("--to", dest="range_to", metavar="TIMECODE", help="out of the passage (default: 2 s after the last point)")
    render.add_argument("--out", metavar="FOLDER", type=Path, default=Path(), help="where to write (default: here)")


def main(arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    try:
        options = _parser().parse_args(arguments)
        return _render(options) if options.command == "render" else _measure(options)
    except MezzavoceError as error:
        sys.stderr.write(f"mezzavoce: {error}\n")
    except OSError as error:
        sys.stderr.write(f"mezzavoce: {error.strerror} ({error.filename}); check the path and its permissions.\n")
    return NOT_MEASURABLE


def _measure(options: argparse.Namespace) -> int:
    for name, option in _LATER.items():
        if getattr(options, name):
            raise UsageError(f"{option} is not part of this version; leave it out.")
    spec = load(options.spec)
    corrections = read_corrections(options.corrections) if options.corrections else ()
    captions = read_captions(options.captions) if options.captions else ()
    job = _job(options, None if options.series else spec.limits.true_peak_max_dbtp)
    show = sys.stderr.isatty() and not options.quiet
    judgement = run(job, Judging(spec, corrections, _ranges(options), captions), _draw_bar if show else _no_bar)
    if options.series:
        write_npz(judgement, options.series)
    result: dict[str, Any] = document(judgement)
    sys.stdout.write(json.dumps(result, ensure_ascii=False, allow_nan=False) + "\n" if options.json else report(result))
    return PASS if judgement.verdict == "pass" else FAIL


def _render(options: argparse.Namespace) -> int:
    from .render import read_change, render, write  # noqa: PLC0415  (measuring, which is done far more often, does not wait for it)

    change = read_change(options.points)
    if (options.range_from is None) != (options.range_to is None):
        raise UsageError("--from and --to belong together; give both or none.")
    span = None
    if options.range_from is not None:
        info = probe(options.mix).with_timing(options.fps, options.start)
        clock = Clock.starting(info.start_timecode, info.rate)
        span = clock.seconds_at(options.range_from), clock.seconds_at(options.range_to)
    stems = [(role, Sound((path,), path.name)) for role in ROLES for path in getattr(options, role)]
    paths = write(options.out, options.mix.stem, *render(Sound((options.mix,), options.mix.name), stems, change, span))
    sys.stdout.write("".join(f"{path}\n" for path in paths))
    return PASS


def _job(options: argparse.Namespace, floor_dbtp: float | None) -> Job:
    """The job that the options ask for. Without a curve to write, true peaks far under the limit are not looked for."""
    stems = [Stem(Sound((path,), path.name), role) for role in ROLES for path in getattr(options, role)]
    paths = tuple(options.mix)
    tracks: tuple[int, ...] = ()
    if options.tracks:
        if len(paths) > 1:
            raise UsageError("--tracks maps the tracks of one file; give one file, or leave it out.")
        entries = parse_map(options.tracks, ROLES)
        tracks = next(t for role, t in entries if role == MIX)
        stems += [Stem(Sound(paths, f"{paths[0].name}, tracks {write_tracks(t)}", t), role) for role, t in entries if role != MIX]
    elif len(paths) == 1:
        info = probe(paths[0])
        tracks = mix_tracks(info)
        if tracks and not options.quiet:
            rest = f"“{info.name}” has {len(info.streams)} audio tracks; track {write_tracks(tracks)} is measured as the mix. --tracks says otherwise."
            sys.stderr.write(f"mezzavoce: {rest}\n")
    floor = None if options.series else (-math.inf if floor_dbtp is None else floor_dbtp)
    mix = Sound(paths, paths[0].name, tracks, options.channels)
    return Job(
        mix, tuple(stems), rate=options.fps, start=options.start, peak_floor_dbtp=floor, threads=max(1, options.threads), levels_only=options.levels_only
    )


def _ranges(options: argparse.Namespace) -> Ranges:
    if len(options.range_from) != len(options.range_to):
        raise UsageError("Each --from needs its --to; give the in and the out of every part of the programme.")
    if options.whole and options.range_from:
        raise UsageError("--whole and --from exclude each other; leave one of them out.")
    return Ranges(options.whole, tuple(zip(options.range_from, options.range_to, strict=True)))


def _no_bar(_share: float, _doing: str) -> None:
    """Nobody watches."""


def _draw_bar(share: float, doing: str) -> None:
    width = 30
    done = round(share * width)
    sys.stderr.write(f"\r{'━' * done}{'─' * (width - done)} {share:4.0%}  {doing:<60.60}")
    if share >= 1:
        sys.stderr.write("\r" + " " * 100 + "\r")
