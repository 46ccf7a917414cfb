"""Who may sign in, and who stays signed in."""

from django.contrib.auth.backends import AllowAllUsersModelBackend

from .models import Person


class AccountBackend(AllowAllUsersModelBackend):
    """Whoever gives the right password of a closed account is told that it is closed; nobody is signed in with one."""

    def get_user(self, user_id: int) -> Person | None:
        """The person of a session, as long as the account is open."""
        person = super().get_user(user_id)
        return person if person is not None and person.is_active else None
