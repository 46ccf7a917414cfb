"""What is kept for later carries the version of its form, so that a newer program reads it without measuring anew.

Each form has a step from every older version to the next one. To change a form, add a step; a test holds an example of
every version.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from ..errors import NotMeasurable

Step = Callable[[dict[str, Any]], dict[str, Any]]
_SIGN = "format"


@dataclass(frozen=True)
class Form:
    """A kind of stored document (plain data by name).

    ``steps`` lead from version ``first`` to the next one and so on. What carries no version is of version ``first``.
    """

    name: str
    steps: tuple[Step, ...] = ()
    first: int = 1

    @property
    def version(self) -> int:
        """The version that is written."""
        return self.first + len(self.steps)

    def stamped(self, document: Mapping[str, Any]) -> dict[str, Any]:
        """The document with its form and version."""
        return {**document, _SIGN: f"{self.name}/{self.version}"}

    def newest(self, document: Mapping[str, Any]) -> dict[str, Any]:
        """A stored document as one of the newest version.

        Raises NotMeasurable where it is of another form, or written by a newer program.
        """
        found = dict(document)
        name, _, version = str(found.pop(_SIGN, f"{self.name}/{self.first}")).partition("/")
        if name != self.name or not version.isdecimal() or not self.first <= int(version) <= self.version:
            raise NotMeasurable(
                f"What is stored is of the form “{name}/{version}”, not “{self.name}” of version {self.first} to "
                f"{self.version}. Use the version of Mezzavoce that wrote it or a newer one, or measure the mix again."
            )
        for step in self.steps[int(version) - self.first :]:
            found = step(found)
        return found
