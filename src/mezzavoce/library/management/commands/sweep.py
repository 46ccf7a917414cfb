"""``manage.py sweep``: removes what nothing points at, or says only what it would remove."""

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from ...sweep import sweep


class Command(BaseCommand):
    """See the module."""

    help = "Removes what nothing points at: uploads given up, files that no mix uses, what old measurements left."

    def add_arguments(self, parser: CommandParser) -> None:
        """One option."""
        parser.add_argument("--dry-run", action="store_true", help="say what would be removed, and remove nothing")

    def handle(self, *_: Any, **options: Any) -> None:
        """Sweep and say what went."""
        found = sweep(dry_run=options["dry_run"])
        for leftover in found:
            self.stdout.write(f"{leftover.what}: {leftover.name} ({leftover.size / 1e6:.1f} MB)")
        verb = "would be removed" if options["dry_run"] else "removed"
        self.stdout.write(f"{len(found)} left over, {sum(f.size for f in found) / 1e6:.1f} MB {verb}.")
