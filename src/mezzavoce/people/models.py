"""Links that let a person in, each once and for a while, and the mails that carry them."""

from typing import ClassVar

from django.db import models
from django.utils import timezone

from ..accounts.access import Role
from ..accounts.models import Person
from ..dispatch.models import Mail
from ..library.models import Production


class PersonalLink(models.Model):
    """A link that works once: for the first account, for an invitation, or for a new password.

    The link itself is nowhere stored, only the hash of its token.
    """

    class Purpose(models.TextChoices):
        """What it opens."""

        FIRST = "first", "the first account"
        INVITATION = "invitation", "an invitation to a production"
        PASSWORD = "password", "a new password"

    purpose = models.CharField(max_length=10, choices=Purpose)
    seed = models.CharField(max_length=32)
    token_hash = models.BinaryField(max_length=32, unique=True)
    mail = models.EmailField(blank=True)
    # A link for a new password is for somebody who is known.
    person = models.ForeignKey(Person, null=True, on_delete=models.CASCADE, related_name="+")
    production = models.ForeignKey(Production, null=True, on_delete=models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=10, choices=Role, blank=True)
    by = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    used_at = models.DateTimeField(null=True)
    withdrawn = models.BooleanField(default=False)

    class Meta:
        indexes: ClassVar[list[models.Index]] = [models.Index(fields=["purpose", "mail"], name="links_by_mail")]

    def __str__(self) -> str:
        """What it opens, and for whom."""
        return f"{self.get_purpose_display()} for {self.mail or self.person or 'nobody yet'}"

    @property
    def open(self) -> bool:
        """Whether it still opens."""
        return not self.withdrawn and self.used_at is None and self.expires > timezone.now()


class LinkMail(Mail):
    """The mail that carries a link."""

    link = models.OneToOneField(PersonalLink, on_delete=models.CASCADE, related_name="carried_by")
    # A plain number for the turn of productions; a mail that belongs to none has 0.
    turn = models.PositiveBigIntegerField(default=0)

    def __str__(self) -> str:
        """Of what, and how far."""
        return f"{self.link}: {self.state}"
