"""Signing in."""

from django.contrib.auth.forms import AuthenticationForm


class SignInForm(AuthenticationForm):
    """Mail address and password."""

    error_messages = {  # noqa: RUF012  (Django declares it as a plain dictionary)
        "invalid_login": "This mail address and password do not belong together. Check both; the password knows "
        "capitals.",
        "inactive": "This account is closed. Ask the lead of your production.",
    }
