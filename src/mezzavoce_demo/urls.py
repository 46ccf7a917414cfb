"""Addresses that only the demo has."""

from django.urls import path

from . import views

urlpatterns = [
    path("demo/sign-in/<str:role>/", views.sign_in_as, name="demo-sign-in"),
    path("demo/planted/", views.planted, name="planted"),
    path("mailbox/", views.mailbox, name="mailbox"),
    path("mailbox/<int:mail_id>/body/", views.body, name="mailbox-body"),
    path("mailbox/<int:mail_id>/attachment/", views.attachment, name="mailbox-attachment"),
]
