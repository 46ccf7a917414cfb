"""The command ``mezzavoce``: measure a mix, print a report or JSON. Exit 0: pass; 1: fail; 2: not measurable."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any, NoReturn

from . import VERSION
from .errors import MezzavoceError, UsageError
from .exchange.corrections import read_corrections
from .exchange.document import document
from .exchange.series import write_npz
from .judge.spec import DEFAULT, load
from .measure.measurement import ROLES
from .pipeline import Job, Progress, StemFile, run
from .report import report

_LATER = {"music_reference": "--music-reference", "captions": "--captions", "tracks": "--tracks", "range_from": "--from", "range_to": "--to"}
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
    measure.add_argument("mix", metavar="MIX", type=Path, help="video or audio file")
    for role in ROLES:
        measure.add_argument(f"--{role}", metavar="FILE", type=Path, action="append", default=[], help=f"stem with the {role}; may be given several times")
    measure.add_argument("--spec", metavar="NAME|FILE", default=DEFAULT.name, help=f"delivery spec (default: {DEFAULT.name})")
    measure.add_argument("--corrections", metavar="FILE", type=Path, help="speech regions set by hand (JSON)")
    measure.add_argument("--fps", metavar="RATE", help="frame rate, for example 25 or 29.97df (default: the file's own)")
    measure.add_argument("--start", metavar="TIMECODE", help="timecode of the first frame (default: the file's own)")
    measure.add_argument("--whole", action="store_true", help="measure every sample (what this version always does)")
    measure.add_argument("--json", action="store_true", help="one JSON object on standard output")
    measure.add_argument("--series", metavar="FILE.npz", type=Path, help="write the curves over time")
    measure.add_argument("--quiet", action="store_true", help="no progress bar")
    for name, option in _LATER.items():
        measure.add_argument(option, dest=name, metavar="…", action="append", default=[], help=argparse.SUPPRESS)
    return parser


def main(arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    try:
        options = _parser().parse_args(arguments)
        return _measure(options)
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
    stems = tuple(StemFile(path, role, path.name) for role in ROLES for path in getattr(options, role))
    job = Job(options.mix, options.mix.name, stems, rate=options.fps, start=options.start)
    show = sys.stderr.isatty() and not options.quiet
    judgement = run(job, spec, corrections, *([_bar] if show else []))
    if options.series:
        write_npz(judgement, options.series)
    result: dict[str, Any] = document(judgement)
    sys.stdout.write(json.dumps(result, ensure_ascii=False, allow_nan=False) + "\n" if options.json else report(result))
    return PASS if judgement.verdict == "pass" else FAIL


def _draw_bar(share: float, doing: str) -> None:
    width = 30
    done = round(share * width)
    sys.stderr.write(f"\r{'━' * done}{'─' * (width - done)} {share:4.0%}  {doing:<60.60}")
    if share >= 1:
        sys.stderr.write("\r" + " " * 100 + "\r")


_bar: Progress = _draw_bar

if __name__ == "__main__":
    sys.exit(main())
