"""The compiler of the inner loops: how they are compiled, and a quicker way to those that were compiled before.

Before it loads a loop from its cache, the compiler imports and registers everything that compiling might want; that
takes half a second and is of no use when there is nothing to compile. Here this is put off until something has to be
compiled.
"""

import sys
from functools import lru_cache
from typing import Any

from llvmlite import binding
from numba import njit
from numba.core import caching, config
from numba.core.runtime import nrt

__all__ = ["njit"]

_HELPERS: dict[str, int] = getattr(getattr(nrt, "_nrt", None), "c_helpers", {})


def _load(cache: Any, signature: Any, target: Any) -> Any:
    """A loop from the cache; None, and the compiler made ready, where it is not there."""
    _announce()
    with cache._guard_against_spurious_io_errors():  # noqa: SLF001
        found = cache._load_overload(signature, target)  # noqa: SLF001
    if found is None:
        target.refresh()
    return found


@lru_cache(1)
def _announce() -> None:
    """What loops may call of the compiler's runtime, by its addresses.

    Its own way of doing this also compiles something, which only compiling needs.
    """
    for name, address in _HELPERS.items():
        binding.add_symbol(name if name.startswith("_") else f"NRT_{name}", address)


# For some processors the compiler keeps to half of the vector registers' width; the whole of it is a little quicker for
# most loops here.
if getattr(config, "CPU_FEATURES", "") is None:
    setattr(config, "CPU_FEATURES", f"{binding.get_host_cpu_features().flatten()},-prefer-256-bit")  # noqa: B010
# Where a later version of the compiler works in another way, everything stays as it is there.
if _HELPERS and all(
    hasattr(caching.Cache, name) for name in ("load_overload", "_load_overload", "_guard_against_spurious_io_errors")
):
    setattr(caching.Cache, "load_overload", _load)  # noqa: B010  (a plain assignment is refused by the type checker)
# The compiler is up; what was hidden from it on its way (see ``lean``) is there again for whoever wants it.
for _name in ("scipy", "cffi"):
    if sys.modules.get(_name, _name) is None:
        del sys.modules[_name]
