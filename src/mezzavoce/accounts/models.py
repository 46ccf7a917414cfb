"""People, and the trail of what they change."""

from typing import Any, ClassVar

from django.contrib.auth.models import AbstractBaseUser, BaseUserManager
from django.db import models
from django.utils.crypto import salted_hmac


class PersonManager(BaseUserManager["Person"]):
    """Makes people."""

    def create_user(self, mail: str, name: str, password: str | None = None) -> "Person":
        """A person with a mail address to sign in with; without a password nobody can."""
        person = self.model(mail=self.normalize_email(mail), name=name)
        person.set_password(password)
        person.save()
        return person

    def create_superuser(self, mail: str, name: str, password: str | None = None) -> "Person":
        """An administrator, as a command at the terminal makes one."""
        person = self.create_user(mail, name, password)
        person.is_administrator = True
        person.save(update_fields=["is_administrator"])
        return person


class Person(AbstractBaseUser):
    """Somebody with an account."""

    mail = models.EmailField(unique=True)
    name = models.CharField(max_length=100)
    is_active = models.BooleanField(default=True)
    # Looks after accounts and starts productions; what happens inside one is its lead's.
    is_administrator = models.BooleanField(default=False)
    # Changed to sign somebody out everywhere: a session counts as long as both are the same.
    session_round = models.PositiveIntegerField(default=0)
    # The last choice when notes were sent: a mail when editors answer, or the pages alone.
    answers_by_mail = models.BooleanField(default=True)
    # Day or night; empty: as the system has it.
    light = models.CharField(max_length=5, blank=True)
    # Names of pages whose first words were read and put away.
    put_away = models.JSONField(default=list, blank=True)

    USERNAME_FIELD = "mail"
    REQUIRED_FIELDS: ClassVar[list[str]] = ["name"]
    objects = PersonManager()

    def __str__(self) -> str:
        """The name as pages show it."""
        return self.name

    def _get_session_auth_hash(self, secret: str | None = None) -> str:
        """What a session is held against: the password, and the round."""
        return salted_hmac(
            "mezzavoce.accounts.session", f"{self.session_round}:{self.password}", secret=secret, algorithm="sha256"
        ).hexdigest()


class AuditEntry(models.Model):
    """One thing that a person did. Only ever added to."""

    production = models.ForeignKey(
        "library.Production", null=True, on_delete=models.PROTECT, related_name="audit_entries"
    )
    actor = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="audit_entries")
    action = models.CharField(max_length=60)
    target = models.CharField(max_length=200)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """Who did what to what."""
        return f"{self.actor or 'an addressee'}: {self.action} {self.target}"


def record(
    production: Any, actor: Person | None, action: str, target: str, before: object = None, after: object = None
) -> AuditEntry:
    """Add to the trail. Called inside the transaction of the action itself."""
    target = target[: AuditEntry.target.field.max_length]
    return AuditEntry.objects.create(
        production=production, actor=actor, action=action[:60], target=target, before=before, after=after
    )
