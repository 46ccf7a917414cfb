"""The core as a process with limits: reads a request from standard input, carries it out, tells its progress.

Memory, processor time and file size are limited, the network is cut off where the system allows it, and the process
ends with the one that started it. A request says what to ``do``: ``probe`` a file, ``survey`` its tracks, hand out
``samples`` of a moment, write a passage to ``listen`` to, ``measure`` (and write the features), or ``align`` two
measurements. Each line of output
is a JSON object: ``share`` and ``doing``, at the end ``result`` where there is one, or ``error`` and ``temporary``.
"""

import ctypes
import json
import resource
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import MezzavoceError

if TYPE_CHECKING:
    from ..media.source import Sound

_CLONE_NEWUSER, _CLONE_NEWNET, _PR_SET_PDEATHSIG = 0x10000000, 0x40000000, 1
_LARGEST_FILE = 8 * 1024**3


def confine(memory_mib: int, seconds: int) -> bool:
    """Limit this process and its children. Returns whether the network could be cut off."""
    resource.setrlimit(resource.RLIMIT_AS, (memory_mib * 1024**2,) * 2)
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 5))
    resource.setrlimit(resource.RLIMIT_FSIZE, (_LARGEST_FILE,) * 2)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    libc = ctypes.CDLL(None, use_errno=True)
    libc.prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    # As root the network alone; otherwise through a user namespace of its own.
    return bool(libc.unshare(_CLONE_NEWNET) == 0 or libc.unshare(_CLONE_NEWUSER | _CLONE_NEWNET) == 0)


def _tell(**line: Any) -> None:
    sys.stdout.write(json.dumps(line) + "\n")
    sys.stdout.flush()


def _sound(facts: dict[str, Any]) -> "Sound":
    from ..media.source import Sound

    return Sound(
        tuple(Path(p) for p in facts["paths"]), facts["name"], tuple(facts.get("tracks", ())), facts.get("layout")
    )


def _probe(request: dict[str, Any]) -> dict[str, Any]:
    from ..media.probe import probe

    return probe(Path(request["path"]), request["name"]).as_dict()


def _survey(request: dict[str, Any]) -> list[dict[str, Any]]:
    from ..survey import survey

    return [p.as_dict() for p in survey(Path(request["path"]), request["name"], in_pairs=request["in_pairs"])]


def _samples(request: dict[str, Any]) -> dict[str, Any]:
    from ..media.decode import window
    from ..media.source import open_sound

    source = open_sound(_sound(request["sound"]))
    found = window(source, request["from_s"], request["length_s"])
    return {
        "rate_hz": source.info.sample_rate_hz,
        "channels": [[round(float(v), 6) for v in channel] for channel in found.T],
    }


def _listen(request: dict[str, Any]) -> dict[str, Any]:
    from ..media.layouts import channel_names
    from ..media.probe import probe
    from ..render import change_from, for_two, open_passage, write_wav

    stems = [(s["role"], _sound(s)) for s in request["stems"]]
    passage = open_passage(_sound(request["mix"]), stems, (request["from_s"], request["to_s"]))
    change = change_from(request["change"], "The proposal") if request.get("change") else None
    samples = passage.sound(request["what"], change)
    layout = request["mix"].get("layout") or probe(Path(request["mix"]["paths"][0])).layout
    write_wav(Path(request["target"]), for_two(samples, channel_names(layout, samples.shape[1])), passage.rate_hz)
    return {"frames": len(samples)}


def _propose(request: dict[str, Any]) -> dict[str, Any]:
    from ..exchange.sheets.sheet import Noted, Sheet
    from ..proposed import PlacedStem, write_proposed
    from ..render import change_from
    from ..timecode import Clock, parse_rate

    told = request["sheet"]
    notes = [Noted(n["label"], "", "", "", n["title"], "", n["in_s"], n["out_s"]) for n in told["notes"]]
    clock = Clock.starting(told["start"], parse_rate(told["rate"]))
    sheet = Sheet(told["name"], clock, told["duration_s"], told["sample_rate_hz"], notes)
    stems = [PlacedStem(_sound(s), s["delay_s"]) for s in request["stems"]]
    changes = [change_from(c, "The proposal") for c in request["changes"]]
    return {"frames": write_proposed(stems, changes, sheet, Path(request["target"]))}


def _measure(request: dict[str, Any]) -> None:
    from ..exchange.features import write_features
    from ..pipeline import Job, Stem, measure

    stems = tuple(Stem(_sound(s), s["role"]) for s in request["stems"])
    job = Job(
        _sound(request["mix"]),
        stems,
        rate=request.get("rate"),
        start=request.get("start"),
        threads=request.get("threads", 1),
        outline=True,
    )
    write_features(
        measure(job, lambda share, doing: _tell(share=round(share, 4), doing=doing)), Path(request["features"])
    )


def _align(request: dict[str, Any]) -> dict[str, Any]:
    from ..exchange.features import read_features
    from ..versions.alignment import align
    from ..versions.document import alignment_dict

    old, new = (read_features(Path(request[name])).mix.outline for name in ("old", "new"))
    return alignment_dict(align(old, new))


# Each imports what it needs: looking at a file's header must not wait for the compiled loops.
_DO: dict[str, Callable[[dict[str, Any]], Any]] = {
    "probe": _probe,
    "survey": _survey,
    "samples": _samples,
    "listen": _listen,
    "propose": _propose,
    "measure": _measure,
    "align": _align,
}


def main() -> int:
    """Carry out one request."""
    request = json.load(sys.stdin)
    confine(request["limits"]["memory_mib"], request["limits"]["seconds"])
    try:
        result = _DO[request.get("do", "measure")](request)
    except MezzavoceError as error:
        _tell(error=str(error), temporary=error.temporary)
        return 2
    except MemoryError:
        _tell(
            error="Measuring needed more memory than it may have; export the mix with fewer channels or shorter.",
            temporary=False,
        )
        return 2
    if result is not None:
        _tell(result=result)
    return 0
