"""What makes a process of the core start and run quickly. Imported first by ``python -m mezzavoce_core``, and by nothing else.

The compiler of the inner loops looks for two packages on its way up, to link what none of our loops uses; not finding them saves
a third of a second. Memory that a block of sound leaves free is kept for the next block instead of going back to the system.
"""

import ctypes
import sys

_M_TRIM_THRESHOLD, _M_TOP_PAD, _M_MMAP_THRESHOLD = -1, -2, -3
_LARGE, _PAD = 1 << 30, 1 << 26

for _name in ("scipy", "cffi"):
    sys.modules.setdefault(_name, None)  # type: ignore[arg-type]
_libc = ctypes.CDLL(None)
if hasattr(_libc, "mallopt"):
    _libc.mallopt(_M_MMAP_THRESHOLD, _LARGE)
    _libc.mallopt(_M_TRIM_THRESHOLD, _LARGE)
    _libc.mallopt(_M_TOP_PAD, _PAD)
