"""What makes a process of the core start and run quickly.

Imported first by ``python -m mezzavoce_core``, and by nothing else.

The compiler of the inner loops looks for two packages on its way up, to link what none of our loops uses; not finding
them saves a third of a second. What is imported stays to the end, so that nobody looks for garbage in it. Memory that a
block of sound leaves free is kept for the next block instead of going back to the system.
"""

import ctypes
import gc
import os
import sys

_M_TRIM_THRESHOLD, _M_TOP_PAD, _M_MMAP_THRESHOLD = -1, -2, -3
_LARGE, _PAD = 1 << 30, 1 << 26
_MANY = 200_000

# Linear algebra in one thread: its helpers cost more to start than they save here, and figures must not depend on their
# number.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Garbage in circles is rare here: it is looked for once in a great many new things.
gc.set_threshold(_MANY)
for _name in ("scipy", "cffi"):
    sys.modules.setdefault(_name, None)  # type: ignore[arg-type]
_libc = ctypes.CDLL(None)
if hasattr(_libc, "mallopt"):
    _libc.mallopt(_M_MMAP_THRESHOLD, _LARGE)
    _libc.mallopt(_M_TRIM_THRESHOLD, _LARGE)
    _libc.mallopt(_M_TOP_PAD, _PAD)
