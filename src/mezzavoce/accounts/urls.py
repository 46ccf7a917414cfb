"""Addresses of signing in."""

from django.urls import path

from . import views

urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="sign-in"),
    path("sign-out/", views.SignOut.as_view(), name="sign-out"),
    path("light/", views.light, name="light"),
]
