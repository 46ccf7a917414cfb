"""The page of a production's specs.

Every limit with its meaning and its place on its scale, versions, and who is judged by what.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.http import Http404

from mezzavoce_core.errors import SpecError
from mezzavoce_core.judge.limits import BY_NAME, GROUPS, LIMITS, LimitFacts

from ..accounts.access import role_in
from ..accounts.models import Person
from ..library.models import Membership, Production, Programme, Spec, SpecVersion
from ..library.specs import newest, specs_of


@dataclass(frozen=True)
class LimitRow:
    """A limit as it stands in a spec."""

    facts: LimitFacts
    value: Any
    tolerance: float = 0.0

    @property
    def written(self) -> str:
        """The value for a field of the form."""
        return (
            "" if self.value is None else f"{self.value:g}" if isinstance(self.value, (int, float)) else str(self.value)
        )


@dataclass(frozen=True)
class SpecPage:
    """Everything that the page shows."""

    production: Production
    role: str
    specs: list[Spec]
    chosen: Spec
    version: SpecVersion
    programmes: list[Programme]

    @property
    def may_change(self) -> bool:
        """Whether the person may change the chosen spec."""
        return self.role == Membership.Role.LEAD and self.chosen.production_id is not None

    @property
    def is_lead(self) -> bool:
        """Whether the person may copy, bring in and choose."""
        return self.role == Membership.Role.LEAD

    @property
    def may_choose_own(self) -> bool:
        """Whether the person may give a programme a spec of its own."""
        return self.role != Membership.Role.GUEST

    @property
    def is_newest(self) -> bool:
        """Whether an older version is looked at."""
        return self.version == newest(self.chosen)

    @property
    def groups(self) -> list[tuple[str, list[LimitRow]]]:
        """Limits in their groups."""
        limits = self.version.as_core.as_dict()["limits"]
        tolerances = {
            "integrated_lufs": limits["integrated_tolerance_lu"],
            "duration_s": limits["duration_tolerance_s"],
        }
        rows = [LimitRow(f, limits[f.name], tolerances.get(f.name, 0.0)) for f in LIMITS]
        return [(group, [r for r in rows if r.facts.group == group]) for group in GROUPS]

    @property
    def history(self) -> list[tuple[SpecVersion, list[str]]]:
        """Versions, newest first, with what each changed."""
        versions = sorted(self.chosen.versions.all(), key=lambda v: v.number)
        earlier: list[SpecVersion | None] = [None, *versions]
        return [(v, _changes(before, v)) for before, v in zip(earlier, versions, strict=False)][::-1]

    @property
    def listed(self) -> list[tuple[Spec, SpecVersion, bool]]:
        """Specs with their newest version and whether the production is judged by it."""
        return [(s, newest(s), self.production.spec_version.spec_id == s.pk) for s in self.specs]


def _changes(before: SpecVersion | None, after: SpecVersion) -> list[str]:
    if before is None:
        return []
    old, new = (v.as_core.as_dict()["limits"] for v in (before, after))
    return [
        f"{BY_NAME[name].label.lower()} {_said(old[name])} to {_said(new[name])}"
        for name in new
        if old[name] != new[name]
    ]


def _said(value: Any) -> str:
    return "not judged" if value is None else f"{value:g}" if isinstance(value, (int, float)) else str(value)


def spec_page(
    person: Person, production: Production, spec_id: int | None = None, number: int | None = None
) -> SpecPage:
    """The page with one spec chosen: by id, else the one that the production is judged by."""
    found = list(specs_of(production))
    chosen = next((s for s in found if s.pk == (spec_id or production.spec_version.spec_id)), None)
    if chosen is None:
        raise Http404
    version = next((v for v in chosen.versions.all() if v.number == number), None) or newest(chosen)
    version.spec = chosen
    programmes = list(production.programmes.select_related("spec_version__spec", "production"))
    return SpecPage(production, role_in(person, production) or "guest", found, chosen, version, programmes)


def read_form(data: Mapping[str, Any]) -> dict[str, Any]:
    """A spec from the fields of the page's form. Raises SpecError for what is no number."""
    limits: dict[str, Any] = {}
    for facts in LIMITS:
        text = str(data.get(facts.name, "")).strip().replace(",", ".").replace("−", "-")
        if facts.choices:
            limits[facts.name] = text
        elif not text:
            limits[facts.name] = None
        else:
            try:
                limits[facts.name] = float(text)
            except ValueError:
                raise SpecError(
                    f"“{facts.label}” is “{text}”; write a number, or nothing where it is not to be judged."
                ) from None
    return {"name": str(data.get("name", "")), "limits": limits}
