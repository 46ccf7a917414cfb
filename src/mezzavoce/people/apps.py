"""People: first account, invitations, roles, passwords, the trail."""

from django.apps import AppConfig


class PeopleConfig(AppConfig):
    """The app."""

    name = "mezzavoce.people"
    verbose_name = "people"
