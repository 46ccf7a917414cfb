"""Fill the compiled cache at set-up, so that no user waits for the compiler."""

import numpy as np

from .measure.meter import Meter


def main() -> None:
    """Run every compiled loop once on a short signal."""
    for channels in (1, 2):
        meter = Meter(48000, channels)
        meter.feed(np.zeros((48000, channels), dtype=np.float32))
        meter.finish()


if __name__ == "__main__":
    main()
