"""Addresses of ingest."""

from django.urls import path

from . import views

urlpatterns = [
    path("productions/<int:production_id>/ingest/", views.ingest, name="ingest"),
    path("productions/<int:production_id>/uploads/", views.upload, name="upload"),
    path("uploads/<uuid:key>/", views.upload_piece, name="upload-piece"),
    path("uploads/<uuid:key>/done/", views.upload_done, name="upload-done"),
    path("files/<int:file_id>/survey/", views.survey, name="survey"),
]
