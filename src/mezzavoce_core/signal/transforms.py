"""Fourier transforms of real signals in single precision, several at a time, which NumPy does one by one.

They are SciPy's. Only their compiled part is loaded: what its package imports around it takes a sixth of a second of
every measurement.
"""

from functools import lru_cache
from importlib.machinery import EXTENSION_SUFFIXES, ExtensionFileLoader
from importlib.util import find_spec, module_from_spec, spec_from_loader
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

_NAME = "pypocketfft"
_LOADING = Lock()


def transform(rows: NDArray[np.float32]) -> NDArray[np.complex64]:
    """Spectra ``(rows, size // 2 + 1)`` of real signals ``(rows, size)``."""
    alone = _compiled_part()
    if alone is None:
        from scipy.fft import rfft  # noqa: PLC0415

        whole: NDArray[np.complex64] = rfft(rows, axis=1)
        return whole
    found: NDArray[np.complex64] = alone.r2c(rows, (1,), True)
    return found


def good_size(least: int) -> int:
    """The first size from ``least`` on that is quickly transformed."""
    alone = _compiled_part()
    if alone is None:
        from scipy.fft import next_fast_len  # noqa: PLC0415

        return int(next_fast_len(least, real=True))
    return int(alone.good_size(least, True))


def _compiled_part() -> Any:
    with _LOADING:
        return _load()


@lru_cache(1)
def _load() -> Any:
    """The module by itself.

    None where SciPy keeps it elsewhere or calls it otherwise, so that the whole package is asked.
    """
    package = find_spec("scipy")
    for folder in (package and package.submodule_search_locations) or ():
        for path in (Path(folder) / "fft" / "_pocketfft" / f"{_NAME}{suffix}" for suffix in EXTENSION_SUFFIXES):
            if path.is_file():
                loader = ExtensionFileLoader(_NAME, str(path))
                spec = spec_from_loader(_NAME, loader)
                assert spec is not None
                module = module_from_spec(spec)
                loader.exec_module(module)
                return module if hasattr(module, "r2c") and hasattr(module, "good_size") else None
    return None
