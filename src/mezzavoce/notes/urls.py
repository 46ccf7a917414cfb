"""Addresses of deciding and wording."""

from django.urls import path

from . import views

urlpatterns = [
    path("marks/<int:mark_id>/decide/", views.decide, name="decide"),
    path("marks/<int:mark_id>/trim/", views.trim, name="trim"),
    path("mixes/<int:mix_id>/sound/", views.sound, name="sound"),
    path("mixes/<int:mix_id>/undo/", views.undo, name="undo"),
    path("notes/<int:note_id>/word/", views.word, name="word-note"),
]
