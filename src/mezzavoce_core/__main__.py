"""The core as a program: ``python -m mezzavoce_core measure …`` for people, ``… confined`` for a worker."""

import os
import sys

from . import lean  # noqa: F401  (has to come before everything that it makes quicker)


def main() -> int:
    """Run what the command line asks for; returns the exit code."""
    if sys.argv[1:] == ["confined"]:
        from .confined import main as confined

        return confined()
    from .media.asking import ask
    from .options import files

    # What the files say about themselves is found out while the compiler is coming up.
    ask(files(sys.argv[1:]))
    from .cli import main as command

    return command()


if __name__ == "__main__":
    code = main()
    sys.stdout.flush()
    sys.stderr.flush()
    # All files are closed by now; taking the compiler down piece by piece would last another tenth of a second.
    os._exit(code)
