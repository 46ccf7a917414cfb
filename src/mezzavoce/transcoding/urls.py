"""Addresses of picture and sound for the browser."""

from django.urls import path

from . import views

urlpatterns = [
    path("files/<int:file_id>/listen/", views.listen, name="listen"),
    path("mixes/<int:mix_id>/playback/", views.playback, name="playback"),
]
