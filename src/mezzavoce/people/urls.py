"""Addresses of people's pages."""

from django.urls import path

from . import contact_views, member_views, views

urlpatterns = [
    path("first/<str:token>/", views.first_account, name="first-account"),
    path("invitations/<str:token>/", views.invitation, name="invitation"),
    path("password/", views.ask_for_password, name="ask-for-password"),
    path("password/<str:token>/", views.new_password, name="new-password"),
    path("own/", views.own, name="own"),
    path("own/change/", views.change_own, name="change-own"),
    path("own/put-away/", views.put_away, name="put-away"),
    path("own/password/", views.change_password, name="change-password"),
    path("own/sign-out-everywhere/", views.sign_out_everywhere, name="sign-out-everywhere"),
    path("accounts/", views.all_accounts, name="accounts"),
    path("accounts/mail/", views.mail_server, name="mail-server"),
    path("accounts/<int:person_id>/", views.change_account, name="change-account"),
    path("productions/start/", member_views.start_production, name="start-production"),
    path("productions/<int:production_id>/people/", member_views.people, name="people"),
    path("productions/<int:production_id>/people/invite/", member_views.invite, name="invite"),
    path("productions/<int:production_id>/contacts/", contact_views.add, name="new-contact"),
    path("contacts/<int:contact_id>/change/", contact_views.change, name="change-contact"),
    path("contacts/<int:contact_id>/take-off/", contact_views.take_off, name="take-off-contact"),
    path("productions/<int:production_id>/trail/", member_views.trail, name="trail"),
    path("people/invitations/<int:link_id>/take-back/", member_views.take_back, name="take-back-invitation"),
    path("members/<int:membership_id>/role/", member_views.change_role, name="change-role"),
    path("members/<int:membership_id>/take-out/", member_views.take_out, name="take-out"),
]
