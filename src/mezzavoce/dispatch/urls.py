"""Addresses of notes, dispatches and the editor's page."""

from django.urls import path

from . import views

urlpatterns = [
    path("mixes/<int:mix_id>/notes/", views.notes, name="notes"),
    path("mixes/<int:mix_id>/notes/state/", views.notes_state, name="notes-state"),
    path("mixes/<int:mix_id>/contacts/", views.add_contact, name="add-contact"),
    path("mixes/<int:mix_id>/prepare/", views.prepare, name="prepare"),
    path("dispatches/<int:dispatch_id>/", views.dispatch, name="dispatch"),
    path("dispatches/<int:dispatch_id>/letter/", views.letter, name="dispatch-letter"),
    path("dispatches/<int:dispatch_id>/files/<slug:name>/", views.file, name="dispatch-file"),
    path("dispatches/<int:dispatch_id>/send/", views.send, name="send"),
    path("deliveries/<int:delivery_id>/retry/", views.retry, name="retry"),
    path("links/<int:recipient_id>/renew/", views.renew, name="renew-link"),
    path("links/<int:recipient_id>/withdraw/", views.withdraw, name="withdraw-link"),
    path("n/<str:token>/", views.editor, name="editor"),
    path("n/<str:token>/table/", views.table, name="editor-table"),
    path("n/<str:token>/files/<slug:name>/", views.editor_file, name="editor-file"),
    path("n/<str:token>/<int:item_id>/answer/", views.answer, name="editor-answer"),
    path("n/<str:token>/<int:item_id>/excerpt/", views.excerpt, name="editor-excerpt"),
    path("n/<str:token>/<int:item_id>/still/", views.still, name="editor-still"),
]
