"""The compiler of the inner loops, set to the whole width of the processor's vector registers."""

from llvmlite import binding
from numba import njit
from numba.core import config

__all__ = ["njit"]

# For some processors the compiler keeps to half of that width; the whole is a little quicker for most loops here.
if getattr(config, "CPU_FEATURES", "") is None:
    setattr(config, "CPU_FEATURES", f"{binding.get_host_cpu_features().flatten()},-prefer-256-bit")  # noqa: B010
