"""Addresses of desk and review page."""

from django.urls import path

from . import files_views, health, production_views, review_views, spec_views, views

urlpatterns = [
    path("", views.home, name="desk"),
    path("next/", views.up_next, name="up-next"),
    path("next/state/", views.up_next_state, name="up-next-state"),
    path("health/", health.health, name="health"),
    path("figures/", health.figures, name="figures"),
    path("productions/<int:production_id>/", views.production, name="production"),
    path("productions/", production_views.overview, name="productions"),
    path("productions/<int:production_id>/programmes/", production_views.programmes, name="programmes"),
    path("productions/<int:production_id>/programmes/plan/", production_views.plan, name="plan-programmes"),
    path("productions/<int:production_id>/settle/", production_views.settle, name="settle-production"),
    path("productions/<int:production_id>/archive/", production_views.archive, name="archive-production"),
    path("programmes/<int:programme_id>/change/", production_views.change, name="change-programme"),
    path("productions/<int:production_id>/state/", views.desk_state, name="desk-state"),
    path("productions/<int:production_id>/specs/", spec_views.page, name="specs"),
    path("productions/<int:production_id>/specs/bring-in/", spec_views.bring_in, name="spec-bring-in"),
    path("productions/<int:production_id>/specs/programmes/", spec_views.choose_own, name="spec-programmes"),
    path("productions/<int:production_id>/specs/<int:spec_id>/", spec_views.page, name="spec"),
    path("productions/<int:production_id>/specs/<int:spec_id>/change/", spec_views.change, name="spec-change"),
    path("productions/<int:production_id>/specs/<int:spec_id>/copy/", spec_views.copy, name="spec-copy"),
    path("productions/<int:production_id>/specs/<int:spec_id>/delete/", spec_views.delete, name="spec-delete"),
    path("productions/<int:production_id>/specs/<int:spec_id>/choose/", spec_views.choose, name="spec-choose"),
    path("productions/<int:production_id>/specs/<int:spec_id>/file/", spec_views.export, name="spec-file"),
    path("specs/schema.json", spec_views.schema, name="spec-schema"),
    path("mixes/<int:mix_id>/", review_views.page, name="mix"),
    path("mixes/<int:mix_id>/files/", files_views.files, name="mix-files"),
    path("mixes/<int:mix_id>/delete/", files_views.delete_mix, name="delete-mix"),
    path("programmes/<int:programme_id>/delete/", files_views.delete_programme, name="delete-programme"),
    path("programmes/<int:programme_id>/archive/", production_views.archive_programme, name="archive-programme"),
    path("mixes/<int:mix_id>/state/", review_views.state, name="mix-state"),
    path("mixes/<int:mix_id>/correct/", review_views.correct, name="correct"),
    path("mixes/<int:mix_id>/correct/prejudge/", review_views.prejudge, name="prejudge"),
    path("mixes/<int:mix_id>/range/", review_views.set_range, name="set-range"),
    path("mixes/<int:mix_id>/undo/", review_views.undo, name="undo"),
    path("marks/<int:mark_id>/decide/", review_views.decide, name="decide"),
    path("marks/<int:mark_id>/trim/", review_views.trim, name="trim"),
    path("notes/<int:note_id>/word/", review_views.word, name="word-note"),
]
