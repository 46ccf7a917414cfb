"""The core as a program: ``python -m mezzavoce_core measure …`` for people, ``… confined`` for a worker."""

import os
import sys

from .runtime import startup  # noqa: F401  (has to come before everything that it makes quicker)


def main() -> int:
    """Run what the command line asks for; returns the exit code."""
    if sys.argv[1:] == ["confined"]:
        from .command.confined import main as confined

        return confined()
    from .command.options import files
    from .media.ffprobe import ask

    # What the files say about themselves is found out while the compiler is coming up.
    ask(files(sys.argv[1:]))
    from .command.cli import main as command

    return command()


if __name__ == "__main__":
    code = main()
    sys.stdout.flush()
    sys.stderr.flush()
    # All files are closed by now; taking the compiler down piece by piece would last another tenth of a second.
    os._exit(code)
