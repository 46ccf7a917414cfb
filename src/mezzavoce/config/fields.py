"""Fields of models that hold documents of the core."""

from typing import Any

from django.db import models

from mezzavoce_core.exchange.stored import Form


class StoredDocumentField(models.JSONField):
    """Plain data of a form of the core: written with its version, an older version read as the newest one."""

    def __init__(self, *args: Any, form: Form | None = None, **options: Any) -> None:
        """Of a form; migrations know none, because to the database it is JSON."""
        self.form = form
        super().__init__(*args, **options)

    def deconstruct(self) -> tuple[str, str, Any, Any]:
        """As plain JSON: another form changes no table."""
        name, _, args, options = super().deconstruct()
        return name, "django.db.models.JSONField", args, options

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        """The document in its newest version."""
        found = super().from_db_value(value, expression, connection)
        return self.form.newest(found) if self.form and isinstance(found, dict) else found

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        """The document with its version."""
        stamped = self.form.stamped(value) if self.form and isinstance(value, dict) else value
        return super().get_db_prep_value(stamped, connection, prepared)
