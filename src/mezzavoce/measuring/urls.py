"""Addresses of measuring."""

from django.urls import path

from . import views

urlpatterns = [
    path("mixes/<int:mix_id>/measure/", views.measure, name="measure"),
    path("mixes/<int:mix_id>/remove/", views.remove_mix, name="remove-mix"),
    path("mixes/<int:mix_id>/peaks/", views.peaks, name="peaks"),
    path("mixes/<int:mix_id>/samples/", views.samples, name="samples"),
    path("mixes/<int:mix_id>/series/", views.series, name="series"),
    path("runs/<int:run_id>/cancel/", views.cancel, name="cancel-run"),
]
