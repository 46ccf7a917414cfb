"""Lines for whoever waits at the terminal."""

import sys


def say(line: str) -> None:
    """A line at once, wherever it goes."""
    sys.stdout.write(f"{line}\n")
    sys.stdout.flush()
