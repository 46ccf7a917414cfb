"""Addresses of measuring."""

from django.urls import path

from . import views

urlpatterns = [
    path("mixes/<int:mix_id>/measure/", views.measure, name="measure"),
    path("mixes/<int:mix_id>/series/", views.series, name="series"),
    path("runs/<int:run_id>/cancel/", views.cancel, name="cancel-run"),
]
