"""What the command can be asked for.

Nothing is imported here that takes long, so that work can begin while the rest comes up.
"""

import argparse
import os
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, NoReturn

from .. import VERSION
from ..errors import UsageError
from ..judge.spec import DEFAULT
from ..roles import ROLES

EXPORTS = ("csv", "json", "otio", "edl", "vtt", "srt", "wav", "points", "pdf", "text")
LATER = {"music_reference": "--music-reference"}


class _Parser(argparse.ArgumentParser):
    """An option parser whose complaint is one line."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong and end with the exit code of what cannot be measured."""
        raise UsageError(f"{message}; see “{self.prog} --help”.")


def parser() -> argparse.ArgumentParser:
    """The options of all commands."""
    found = _Parser(
        prog="mezzavoce", description="Measures finished mixes: loudness, peaks and how far speech stands over music."
    )
    found.add_argument("--version", action="version", version=VERSION)
    commands = found.add_subparsers(dest="command", required=True, parser_class=_Parser)
    measure = commands.add_parser("measure", help="measure one mix and judge it by a spec")
    measure.add_argument(
        "mix",
        metavar="MIX",
        type=Path,
        nargs="+",
        help="video or audio file; several where each holds one channel of the mix",
    )
    _add_measuring(measure)
    measure.add_argument("--series", metavar="FILE.npz", type=Path, help="write the curves over time")
    _add_recheck(commands)
    _add_render(commands)
    _add_export(commands)
    return found


def _add_measuring(measure: argparse.ArgumentParser) -> None:
    """How a mix is measured and judged."""
    for role in ROLES:
        measure.add_argument(
            f"--{role}",
            metavar="FILE",
            type=Path,
            action="append",
            default=[],
            help=f"stem with the {role}; may be given several times",
        )
    measure.add_argument(
        "--spec", metavar="NAME|FILE", default=DEFAULT.name, help=f"delivery spec (default: {DEFAULT.name})"
    )
    measure.add_argument("--corrections", metavar="FILE", type=Path, help="speech regions set by hand (JSON)")
    measure.add_argument(
        "--captions", metavar="FILE", type=Path, help="captions as WebVTT or SubRip, held against the voice"
    )
    measure.add_argument(
        "--fps", metavar="RATE", help="frame rate, for example 25 or 29.97df (default: the file's own)"
    )
    measure.add_argument("--start", metavar="TIMECODE", help="timecode of the first frame (default: the file's own)")
    measure.add_argument(
        "--tracks",
        metavar="MAP",
        help="mix and stems as tracks (or channels) of one file, for example mix=1-2,dialogue=3-4",
    )
    measure.add_argument(
        "--channels",
        metavar="LAYOUT",
        help="where the mix's channels stand, for example “L C R Ls Rs LFE” (default: the file's own word)",
    )
    measure.add_argument(
        "--from",
        dest="range_from",
        metavar="TIMECODE",
        action="append",
        default=[],
        help="in of the programme; again for each part",
    )
    measure.add_argument(
        "--to",
        dest="range_to",
        metavar="TIMECODE",
        action="append",
        default=[],
        help="out of the programme (first frame after it)",
    )
    measure.add_argument(
        "--whole", action="store_true", help="measure every sample instead of leaving out head and tail material"
    )
    measure.add_argument(
        "--levels-only",
        action="store_true",
        help="levels and ratios alone, sooner: what was done to the music's gain is not read",
    )
    measure.add_argument(
        "--quick",
        action="store_true",
        help="of a mix without stems a first look at speech and its ratios, many times sooner and less sure",
    )
    measure.add_argument(
        "--loudness-only",
        action="store_true",
        help="of a mix without stems loudness, peaks and faults of the signal alone, not speech and what lies under it",
    )
    measure.add_argument(
        "--threads",
        metavar="N",
        type=int,
        default=min(2, os.cpu_count() or 1),
        help="processors to use (default: %(default)s)",
    )
    measure.add_argument("--json", action="store_true", help="one JSON object on standard output")
    measure.add_argument("--quiet", action="store_true", help="no progress bar")
    for name, option in LATER.items():
        measure.add_argument(option, dest=name, metavar="…", action="append", default=[], help=argparse.SUPPRESS)


def _add_recheck(commands: Any) -> None:
    recheck = commands.add_parser(
        "recheck", help="lay a new mix beside a former one and say what became of every finding"
    )
    recheck.add_argument("old", metavar="OLD", type=Path, help="the former mix")
    recheck.add_argument("mix", metavar="NEW", type=Path, help="the new mix")
    for role in ROLES:
        recheck.add_argument(
            f"--old-{role}",
            metavar="FILE",
            type=Path,
            action="append",
            default=[],
            help=f"{role} stem of the former mix",
        )
    _add_measuring(recheck)


def _add_render(commands: Any) -> None:
    render = commands.add_parser("render", help="write a passage as it is and as a remedy proposes it")
    render.add_argument("mix", metavar="MIX", type=Path, help="video or audio file")
    for role in ROLES:
        render.add_argument(
            f"--{role}", metavar="FILE", type=Path, action="append", default=[], help=f"stem with the {role}"
        )
    render.add_argument(
        "--points",
        metavar="FILE",
        type=Path,
        required=True,
        help="what “measure --json” wrote, or a finding or a remedy of it",
    )
    render.add_argument(
        "--finding", metavar="NUMBER", type=int, help="which of the findings there, as the report numbers them"
    )
    render.add_argument("--fps", metavar="RATE", help="frame rate (default: the file's own)")
    render.add_argument("--start", metavar="TIMECODE", help="timecode of the first frame (default: the file's own)")
    render.add_argument(
        "--from", dest="range_from", metavar="TIMECODE", help="in of the passage (default: 2 s before the first point)"
    )
    render.add_argument(
        "--to", dest="range_to", metavar="TIMECODE", help="out of the passage (default: 2 s after the last point)"
    )
    render.add_argument("--out", metavar="FOLDER", type=Path, default=Path(), help="where to write (default: here)")


def _add_export(commands: Any) -> None:
    export = commands.add_parser("export", help="write the findings of a result as notes in another format")
    export.add_argument("result", metavar="RESULT.json", type=Path, help="what “measure --json” wrote")
    export.add_argument("--as", dest="form", required=True, choices=EXPORTS, help="the format")
    export.add_argument("--out", metavar="FILE", type=Path, required=True, help="where to write")


def files(arguments: Sequence[str]) -> Iterator[Path]:
    """The media files that a command line names; none where it cannot be read."""
    try:
        options = parser().parse_args(arguments)
    except UsageError:
        return
    if options.command == "export":
        return
    yield from options.mix if isinstance(options.mix, list) else [options.mix]
    for role in ROLES:
        yield from getattr(options, role)
    if options.command == "recheck":
        yield options.old
        for role in ROLES:
            yield from getattr(options, f"old_{role}")
