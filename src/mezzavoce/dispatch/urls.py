"""Addresses of notes, dispatches and the editor's page."""

from django.urls import path

from . import editor_views, hand_in_views, note_views, views

urlpatterns = [
    path("mixes/<int:mix_id>/notes/", views.notes, name="notes"),
    path("mixes/<int:mix_id>/notes/more/", views.more_notes, name="more-notes"),
    path("mixes/<int:mix_id>/notes/state/", views.notes_state, name="notes-state"),
    path("mixes/<int:mix_id>/contacts/", views.add_contact, name="add-contact"),
    path("mixes/<int:mix_id>/notes/bring-in/", views.bring_in, name="bring-in-notes"),
    path("links/<int:recipient_id>/answers/", views.answers_in_table, name="answers-in-table"),
    path("mixes/<int:mix_id>/join/", note_views.join, name="join-notes"),
    path("mixes/<int:mix_id>/prepare/", views.prepare, name="prepare"),
    path("mixes/<int:mix_id>/for-all/", note_views.add_for_all, name="add-series-note"),
    path("for-all/<int:series_note_id>/withdraw/", note_views.withdraw_for_all, name="withdraw-series-note"),
    path("notes/<int:note_id>/", note_views.note, name="note"),
    path("notes/<int:note_id>/split/", note_views.split, name="split-note"),
    path("answers/<int:answer_id>/reply/", views.reply, name="reply"),
    path("dispatches/<int:dispatch_id>/", views.dispatch, name="dispatch"),
    path("dispatches/<int:dispatch_id>/letter/", views.letter, name="dispatch-letter"),
    path("dispatches/<int:dispatch_id>/files/<slug:name>/", views.file, name="dispatch-file"),
    path("dispatches/<int:dispatch_id>/music/", views.proposed_music, name="proposed-music"),
    path("dispatches/<int:dispatch_id>/music/ask/", views.ask_music, name="ask-music"),
    path("dispatches/<int:dispatch_id>/send/", views.send, name="send"),
    path("deliveries/<int:delivery_id>/retry/", views.retry, name="retry"),
    path("links/<int:recipient_id>/renew/", views.renew, name="renew-link"),
    path("links/<int:recipient_id>/withdraw/", views.withdraw, name="withdraw-link"),
    path("n/<str:token>/", editor_views.editor, name="editor"),
    path("n/<str:token>/state/", editor_views.state, name="editor-state"),
    path("n/<str:token>/answers/", editor_views.answer_all, name="editor-answer-all"),
    path("n/<str:token>/uploads/", hand_in_views.upload, name="editor-upload"),
    path("n/<str:token>/uploads/<uuid:key>/", hand_in_views.piece, name="editor-upload-piece"),
    path("n/<str:token>/uploads/<uuid:key>/done/", hand_in_views.done, name="editor-upload-done"),
    path("n/<str:token>/mix/", hand_in_views.mix, name="editor-mix"),
    path("n/<str:token>/music/", editor_views.music, name="editor-music"),
    path("n/<str:token>/table/", editor_views.table, name="editor-table"),
    path("n/<str:token>/files/<slug:name>/", editor_views.file, name="editor-file"),
    path("n/<str:token>/<int:item_id>/answer/", editor_views.answer, name="editor-answer"),
    path("n/<str:token>/<int:item_id>/excerpt/", editor_views.excerpt, name="editor-excerpt"),
    path("n/<str:token>/<int:item_id>/proposed/", editor_views.proposed, name="editor-proposed"),
    path("n/<str:token>/<int:item_id>/still/", editor_views.still, name="editor-still"),
]
