"""A management command of Django beside whatever runs: ``bin/manage COMMAND``, for example ``createsuperuser``."""

import os
import sys
from pathlib import Path

from .machine import with_database
from .services import CannotStart


def main(arguments: list[str]) -> int:
    """Run the command with the settings and the database of the installation; returns the exit code."""
    from django.core.management import execute_from_command_line

    try:
        with with_database(Path(os.environ["MEZZAVOCE_DATA_DIR"]).resolve()):
            execute_from_command_line(["bin/manage", *arguments])
    except CannotStart as error:
        sys.stderr.write(f"{error}\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
