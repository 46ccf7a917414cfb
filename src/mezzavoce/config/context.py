"""What every page knows."""

from django.conf import settings
from django.http import HttpRequest


def page(request: HttpRequest) -> dict[str, object]:
    """The chosen light (day, night or as the system): a person's, or the browser's. And whether this is the demo."""
    person = getattr(request, "user", None)
    light = person.light if person is not None and person.is_authenticated else request.COOKIES.get("light", "")
    return {"light": light if light in ("day", "night") else "", "demo": settings.DEMO}
