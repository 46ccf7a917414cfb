"""Addresses of deciding and wording."""

from django.urls import path

from . import views

urlpatterns = [
    path("marks/<int:mark_id>/decide/", views.decide, name="decide"),
    path("mixes/<int:mix_id>/undo/", views.undo, name="undo"),
    path("notes/<int:note_id>/word/", views.word, name="word-note"),
]
