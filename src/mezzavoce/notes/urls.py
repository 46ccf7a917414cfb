"""Addresses of what the player of a review page asks for."""

from django.urls import path

from . import views

urlpatterns = [path("mixes/<int:mix_id>/sound/", views.sound, name="sound")]
