"""What every page knows."""

from django.conf import settings
from django.http import HttpRequest


def page(request: HttpRequest) -> dict[str, object]:
    """The chosen light (day, night or as the system) and whether this is the demo."""
    light = request.COOKIES.get("light", "")
    return {"light": light if light in ("day", "night") else "", "demo": settings.DEMO}
