"""All addresses."""

from django.conf import settings
from django.urls import include, path

handler400 = "mezzavoce.config.refusals.bad_request"
handler403 = "mezzavoce.config.refusals.not_allowed"
handler404 = "mezzavoce.config.refusals.not_found"
handler500 = "mezzavoce.config.refusals.went_wrong"
urlpatterns = [
    path("", include("mezzavoce.screens.urls")),
    path("", include("mezzavoce.accounts.urls")),
    path("", include("mezzavoce.library.urls")),
    path("", include("mezzavoce.transcoding.urls")),
    path("", include("mezzavoce.measuring.urls")),
    path("", include("mezzavoce.notes.urls")),
    path("", include("mezzavoce.dispatch.urls")),
    path("", include("mezzavoce.people.urls")),
    *([path("", include("mezzavoce_demo.urls"))] if settings.DEMO else []),
]
