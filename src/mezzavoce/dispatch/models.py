"""Notes on their way to editors, and what editors answer."""

from typing import ClassVar

from django.db import models
from django.utils import timezone

from ..accounts.models import Person
from ..library.models import Contact, Mix, StoredFile
from ..notes.models import Mark, Note
from ..work.models import FAILED, RUNNING, WAITING, Making, Work


class Dispatch(models.Model):
    """Notes of one mix, put together for some addressees: first prepared, then sent exactly as prepared."""

    class State(models.TextChoices):
        """Prepared, handed to the queue, or dropped for a newer one."""

        PREPARED = "prepared", "prepared"
        SENT = "sent", "sent"
        DROPPED = "dropped", "dropped"

    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="dispatches")
    state = models.CharField(max_length=10, choices=State, default=State.PREPARED)
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="dispatches")
    prepared_at = models.DateTimeField(auto_now_add=True)
    sent_at = models.DateTimeField(null=True)
    subject = models.CharField(max_length=200)
    # What the sender says to all of it, before the notes.
    covering = models.TextField(blank=True)
    # Formats of the notes that are attached to each mail.
    attached = models.JSONField(default=list)
    # The dispatch of the same mix before it: this one says what is new, changed and withdrawn since.
    follows = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")
    # What holds in all programmes, as it is told with these notes.
    for_all = models.JSONField(default=list)
    # What the preview says of who gets what.
    remarks = models.JSONField(default=list)
    # Whether whoever has answered nothing is reminded before the programme is wanted.
    reminds = models.BooleanField(default=False)
    # Whether the sender wants a mail when answers come.
    answers_by_mail = models.BooleanField(default=False)

    def __str__(self) -> str:
        """Its subject."""
        return self.subject


class DispatchItem(models.Model):
    """One note as it was sent: ``content`` is frozen, whatever becomes of the note."""

    class News(models.TextChoices):
        """What it says beside what the same addressees were sent before."""

        NEW = "new", "new"
        CHANGED = "changed", "changed"
        WITHDRAWN = "withdrawn", "withdrawn"

    dispatch = models.ForeignKey(Dispatch, on_delete=models.CASCADE, related_name="items")
    news = models.CharField(max_length=10, choices=News, default=News.NEW)
    note = models.ForeignKey(Note, on_delete=models.PROTECT, related_name="items")
    mark = models.ForeignKey(Mark, on_delete=models.PROTECT, related_name="items")
    note_version = models.PositiveIntegerField()
    position = models.PositiveIntegerField()
    content = models.JSONField()

    class Meta:
        ordering: ClassVar[list[str]] = ["position"]

    def __str__(self) -> str:
        """Mark and title."""
        return f"{self.content['label']} {self.content['title']}"


class Excerpt(Making):
    """Picture and sound of the passage of one note, cut from the mix's playback file once it is there."""

    item = models.OneToOneField(DispatchItem, on_delete=models.CASCADE, related_name="excerpt")
    clip = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")
    still = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")
    # The same passage with the proposed level points; none where nothing is proposed, or the stem is not there.
    proposed = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")

    def __str__(self) -> str:
        """Of what, and how far."""
        return f"{self.item}: {self.state}"


class ProposedMusic(Making):
    """The whole music as the notes of a dispatch would have it, made where somebody asked for it."""

    dispatch = models.OneToOneField(Dispatch, on_delete=models.CASCADE, related_name="proposed_music")
    file = models.ForeignKey(StoredFile, null=True, on_delete=models.SET_NULL, related_name="+")

    def __str__(self) -> str:
        """Of what, and how far."""
        return f"{self.dispatch}: {self.state}"


class Recipient(models.Model):
    """A personal link to a dispatch: its addressee, and until when it opens. A link that is sent anew is another row.

    The link itself is nowhere stored, only the hash of its token.
    """

    dispatch = models.ForeignKey(Dispatch, on_delete=models.CASCADE, related_name="recipients")
    contact = models.ForeignKey(Contact, on_delete=models.PROTECT, related_name="+")
    # The notes that are for this addressee.
    items = models.ManyToManyField(DispatchItem, related_name="recipients")
    # Somebody who is to know and does not answer.
    is_copy = models.BooleanField(default=False)
    seed = models.CharField(max_length=32)
    token_hash = models.BinaryField(max_length=32, unique=True)
    expires = models.DateTimeField()
    withdrawn = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)
    # When the trail last told that the page was opened.
    opened_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        """Who it is."""
        return str(self.contact)

    @property
    def open(self) -> bool:
        """Whether the link still opens."""
        return not self.withdrawn and self.expires > timezone.now()


class Mail(Work):
    """A mail that goes out once."""

    class State(models.TextChoices):
        """Prepared, to be sent, being sent, sent, given up, or nobody knows."""

        PREPARED = "prepared", "prepared"
        WAITING = WAITING, "waiting"
        RUNNING = RUNNING, "being sent"
        SENT = "sent", "sent"
        FAILED = FAILED, "failed"
        UNKNOWN = "unknown", "nobody knows"

    state = models.CharField(max_length=10, choices=State, default=State.PREPARED, db_index=True)

    class Meta:
        abstract = True


class Delivery(Mail):
    """The mail to one recipient, as prepared, and how it fared."""

    recipient = models.OneToOneField(Recipient, on_delete=models.CASCADE, related_name="delivery")
    subject = models.CharField(max_length=200, default="")
    text = models.TextField()
    html = models.TextField()
    message_id = models.CharField(max_length=120, blank=True)
    sent_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        """To whom and how far."""
        return f"{self.recipient}: {self.state}"


class Notice(Mail):
    """The mail that tells the sender of a dispatch what was answered; one mail for all answers of a minute."""

    dispatch = models.OneToOneField(Dispatch, on_delete=models.CASCADE, related_name="notice")
    # The last answer that a mail has told of.
    told = models.PositiveBigIntegerField(default=0)

    def __str__(self) -> str:
        """Of what, and how far."""
        return f"{self.dispatch}: {self.state}"


class Answer(models.Model):
    """What an editor says to a note. Only ever added to; the newest counts."""

    class What(models.TextChoices):
        """The editor's three answers, and taking one back."""

        FIXED = "fixed", "fixed"
        CANNOT = "cannot fix", "cannot fix"
        QUESTION = "question", "question"
        TAKEN_BACK = "taken back", "taken back"

    recipient = models.ForeignKey(Recipient, on_delete=models.PROTECT, related_name="answers")
    item = models.ForeignKey(DispatchItem, on_delete=models.PROTECT, related_name="answers")
    what = models.CharField(max_length=12, choices=What)
    reason = models.TextField(blank=True)
    at = models.DateTimeField(auto_now_add=True)
    client_key = models.CharField(max_length=40)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["recipient", "client_key"], name="answered_once")
        ]
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """Answer and note."""
        return f"{self.item}: {self.what}"


class Reply(Mail):
    """What the reviewer says to a question, and the mail that tells whoever asked."""

    answer = models.ForeignKey(Answer, on_delete=models.CASCADE, related_name="replies")
    text = models.TextField()
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]

    def __str__(self) -> str:
        """To what."""
        return f"to {self.answer}"


class Reminder(Mail):
    """The mail that reminds an addressee who has answered nothing."""

    recipient = models.OneToOneField(Recipient, on_delete=models.CASCADE, related_name="reminder")

    def __str__(self) -> str:
        """Whom, and how far."""
        return f"{self.recipient}: {self.state}"
