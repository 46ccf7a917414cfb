"""Addresses of desk and review page."""

from django.urls import path

from . import spec_views, views

urlpatterns = [
    path("", views.home, name="desk"),
    path("productions/<int:production_id>/", views.production, name="production"),
    path("productions/<int:production_id>/parts/", views.desk_parts, name="desk-parts"),
    path("productions/<int:production_id>/specs/", spec_views.page, name="specs"),
    path("productions/<int:production_id>/specs/bring-in/", spec_views.bring_in, name="spec-bring-in"),
    path("productions/<int:production_id>/specs/programmes/", spec_views.choose_own, name="spec-programmes"),
    path("productions/<int:production_id>/specs/<int:spec_id>/", spec_views.page, name="spec"),
    path("productions/<int:production_id>/specs/<int:spec_id>/change/", spec_views.change, name="spec-change"),
    path("productions/<int:production_id>/specs/<int:spec_id>/copy/", spec_views.copy, name="spec-copy"),
    path("productions/<int:production_id>/specs/<int:spec_id>/choose/", spec_views.choose, name="spec-choose"),
    path("productions/<int:production_id>/specs/<int:spec_id>/file/", spec_views.export, name="spec-file"),
    path("specs/schema.json", spec_views.schema, name="spec-schema"),
    path("mixes/<int:mix_id>/", views.mix, name="mix"),
    path("mixes/<int:mix_id>/side/", views.side, name="mix-side"),
    path("mixes/<int:mix_id>/judged/", views.judged, name="mix-judged"),
    path("mixes/<int:mix_id>/news/", views.mix_news, name="mix-news"),
    path("mixes/<int:mix_id>/measuring/", views.measuring_state, name="mix-measuring"),
]
