"""The demo as an application of Django: one-click sign-in and the stand-in mailbox."""

from django.apps import AppConfig


class DemoConfig(AppConfig):
    """The app's name."""

    name = "mezzavoce_demo"
