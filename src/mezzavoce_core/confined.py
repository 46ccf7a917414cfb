"""The core as a process with limits: reads an order from standard input, measures, writes the features, tells its progress.

Started by a worker. Memory, processor time and file size are limited, the network is cut off where the system
allows it, and the process ends with the one that started it. Each line of output is a JSON object: ``share`` and
``doing``, or ``error`` and ``temporary`` as the last one.
"""

import ctypes
import json
import resource
import signal
import sys
from pathlib import Path
from typing import Any

from .errors import MezzavoceError
from .exchange.features import write_features
from .media.source import Sound
from .pipeline import Job, Stem, measure

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


def _sound(facts: dict[str, Any]) -> Sound:
    return Sound(tuple(Path(p) for p in facts["paths"]), facts["name"], tuple(facts.get("tracks", ())), facts.get("layout"))


def main() -> int:
    """Carry out one order."""
    order = json.load(sys.stdin)
    confine(order["limits"]["memory_mib"], order["limits"]["seconds"])
    stems = tuple(Stem(_sound(s), s["role"]) for s in order["stems"])
    job = Job(_sound(order["mix"]), stems, rate=order.get("rate"), start=order.get("start"), threads=order.get("threads", 1))
    try:
        measurement = measure(job, lambda share, doing: _tell(share=round(share, 4), doing=doing))
        write_features(measurement, Path(order["features"]))
    except MezzavoceError as error:
        _tell(error=str(error), temporary=error.temporary)
        return 2
    except MemoryError:
        _tell(error="Measuring needed more memory than it may have; export the mix with fewer channels or shorter.", temporary=False)
        return 2
    return 0
