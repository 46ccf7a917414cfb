"""Requests of people who are signed in."""

from django.http import HttpRequest

from .models import Person


class PersonRequest(HttpRequest):
    """What a view behind ``login_required`` gets."""

    user: Person
