"""Addresses of desk and review page."""

from django.urls import path

from . import views

urlpatterns = [
    path("", views.home, name="desk"),
    path("productions/<int:production_id>/", views.production, name="production"),
    path("productions/<int:production_id>/parts/", views.desk_parts, name="desk-parts"),
    path("mixes/<int:mix_id>/", views.mix, name="mix"),
    path("mixes/<int:mix_id>/side/", views.side, name="mix-side"),
    path("mixes/<int:mix_id>/measuring/", views.measuring_state, name="mix-measuring"),
]
