"""People and the trail of what they change."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """The app's label and name."""

    name = "mezzavoce.accounts"
