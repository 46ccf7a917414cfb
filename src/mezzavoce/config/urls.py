"""All addresses."""

from django.conf import settings
from django.urls import include, path

urlpatterns = [
    path("", include("mezzavoce.screens.urls")),
    path("", include("mezzavoce.accounts.urls")),
    path("", include("mezzavoce.library.urls")),
    path("", include("mezzavoce.measuring.urls")),
    path("", include("mezzavoce.notes.urls")),
    path("", include("mezzavoce.dispatch.urls")),
    *([path("", include("mezzavoce_demo.urls"))] if settings.DEMO else []),
]
