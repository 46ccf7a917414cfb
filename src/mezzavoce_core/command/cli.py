"""The command ``mezzavoce``: measure a mix, print a report or JSON. Exit 0: pass; 1: fail; 2: not measurable."""

import argparse
import json
import math
import sys
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from ..errors import MezzavoceError, UsageError
from ..exchange.captions import read_captions
from ..exchange.corrections import read_corrections
from ..exchange.document import document
from ..exchange.series import write_npz
from ..judge.spec import load
from ..media.layouts import channel_names, is_known
from ..media.probe import FileInfo, probe
from ..media.source import Sound
from ..media.tracks import MIX, mix_tracks, parse_map, write_tracks
from ..pipeline import Job, Judging, Ranges, Stem, run
from ..reading import Progress
from ..roles import ROLES
from ..timecode import Clock
from .options import LATER, parser
from .report import report

PASS, FAIL, NOT_MEASURABLE = 0, 1, 2


def main(arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    try:
        options = parser().parse_args(arguments)
        return {"render": _render, "recheck": _recheck, "export": _export}.get(options.command, _measure)(options)
    except MezzavoceError as error:
        sys.stderr.write(f"mezzavoce: {error}\n")
    except OSError as error:
        sys.stderr.write(f"mezzavoce: {error.strerror} ({error.filename}); check the path and its permissions.\n")
    return NOT_MEASURABLE


def _measure(options: argparse.Namespace) -> int:
    how = _how(options)
    job = _job(options, None if options.series else how.spec.limits.true_peak_max_dbtp)
    judgement = run(job, how, _progress(options))
    if options.series:
        write_npz(judgement, options.series)
    result: dict[str, Any] = document(judgement)
    sys.stdout.write(json.dumps(result, ensure_ascii=False, allow_nan=False) + "\n" if options.json else report(result))
    return PASS if judgement.verdict == "pass" else FAIL


def _how(options: argparse.Namespace) -> Judging:
    """How the options want a mix to be judged."""
    for name, option in LATER.items():
        if getattr(options, name):
            raise UsageError(f"{option} is not part of this version; leave it out.")
    spec = load(options.spec)
    corrections = read_corrections(options.corrections) if options.corrections else ()
    return Judging(spec, corrections, _ranges(options), read_captions(options.captions) if options.captions else ())


def _progress(options: argparse.Namespace) -> Progress:
    return _draw_bar if sys.stderr.isatty() and not options.quiet else _no_bar


def _recheck(options: argparse.Namespace) -> int:
    from ..versions.alignment import align  # noqa: PLC0415  (measuring, which is done far more often, does not wait for it)
    from ..versions.document import recheck_document  # noqa: PLC0415
    from ..versions.recheck import holds, recheck  # noqa: PLC0415
    from ..versions.report import recheck_report  # noqa: PLC0415

    how, floor = _how(options), None
    options.series, options.mix = None, [options.mix]
    floor = how.spec.limits.true_peak_max_dbtp
    new = run(replace(_job(options, floor), outline=True), how, _progress(options))
    old = run(_old_job(options, floor), Judging(how.spec), _progress(options))
    alignment = align(old.measurement.mix.outline, new.measurement.mix.outline)
    before, now = document(old), document(new)
    found = recheck(before, now, alignment)
    result = recheck_document(before, now, alignment, found)
    sys.stdout.write(
        json.dumps(result, ensure_ascii=False, allow_nan=False) + "\n" if options.json else recheck_report(result)
    )
    return PASS if holds(found) else FAIL


def _old_job(options: argparse.Namespace, floor_dbtp: float | None) -> Job:
    """The former mix, with stems of its own; what else was said counts for the new one."""
    stems = tuple(Stem(Sound((path,), path.name), role) for role in ROLES for path in getattr(options, f"old_{role}"))
    path = options.old
    mix = Sound((path,), path.name, mix_tracks(probe(path)))
    floor = -math.inf if floor_dbtp is None else floor_dbtp
    return Job(mix, stems, peak_floor_dbtp=floor, outline=True, **_effort(options))


def _export(options: argparse.Namespace) -> int:
    from ..exchange.sheets.formats import FORMATS  # noqa: PLC0415  (measuring does not wait for what only files need)
    from ..exchange.sheets.sheet import sheet_of  # noqa: PLC0415

    try:
        result = json.loads(options.result.read_bytes())
    except ValueError as error:
        raise UsageError(f"“{options.result.name}” is no JSON ({error}); give what “measure --json” wrote.") from None
    if not isinstance(result, dict):
        raise UsageError(f"“{options.result.name}” is no result; give what “measure --json” wrote.")
    sheet = sheet_of(result)
    part = options.out.with_name(f".{options.out.name}.part")
    with part.open("wb") as file:
        file.writelines(FORMATS[options.form].pieces(sheet))
    part.replace(options.out)
    return PASS


def _render(options: argparse.Namespace) -> int:
    from ..render import read_change, render, write  # noqa: PLC0415  (measuring, which is done far more often, does not wait for it)

    change = read_change(options.points, options.finding)
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
        stems += [
            Stem(Sound(paths, f"{paths[0].name}, tracks {write_tracks(t)}", t), role)
            for role, t in entries
            if role != MIX
        ]
    elif len(paths) == 1:
        info = probe(paths[0])
        tracks = mix_tracks(info)
        if not options.quiet:
            sys.stderr.writelines(
                f"mezzavoce: {sentence}\n" for sentence in _taken_for_granted(info, tracks, options.channels)
            )
    floor = None if options.series else (-math.inf if floor_dbtp is None else floor_dbtp)
    mix = Sound(paths, paths[0].name, tracks, options.channels)
    return Job(mix, tuple(stems), rate=options.fps, start=options.start, peak_floor_dbtp=floor, **_effort(options))


def _effort(options: argparse.Namespace) -> dict[str, Any]:
    """How much is looked into, and with how many processors."""
    return {
        "threads": max(1, options.threads),
        "levels_only": options.levels_only,
        "separate": not options.loudness_only,
        "thorough": not options.quick,
    }


def _taken_for_granted(info: FileInfo, tracks: tuple[int, ...], layout: str | None) -> Iterator[str]:
    """What the file does not say and nobody said."""
    if tracks:
        taken = f"track {tracks[0]} is" if len(tracks) == 1 else f"tracks {write_tracks(tracks)} are"
        yield (
            f"“{info.name}” has {len(info.streams)} audio tracks; {taken} measured as the mix. --tracks says otherwise."
        )
    mix = info.streams[tracks[0] - 1 if tracks else 0]
    if layout is None and not mix.says_layout and is_known(mix.layout, mix.channels):
        order = " ".join(channel_names(mix.layout, mix.channels))
        yield (
            f"“{info.name}” does not say where its {mix.channels} channels stand; they are counted as {order}. "
            "--channels says otherwise."
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
