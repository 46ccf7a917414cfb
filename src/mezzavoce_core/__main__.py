"""The core as a program: ``python -m mezzavoce_core measure …`` for people, ``… confined`` for a worker."""

import sys

from . import lean  # noqa: F401  (has to come before everything that it makes quicker)

if __name__ == "__main__":
    if sys.argv[1:] == ["confined"]:
        from .confined import main

        sys.exit(main())
    from .cli import main as command

    sys.exit(command())
