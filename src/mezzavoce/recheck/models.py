"""What became of each mark of a mix in the next one, and who has looked at that."""

from typing import ClassVar

from django.db import models

from ..accounts.models import Person
from ..library.models import Mix
from ..notes.models import Mark


class Recheck(models.Model):
    """A mark of a former mix, measured in a new one. Derived, but for who confirmed which result."""

    class Result(models.TextChoices):
        """As the core names them."""

        CURED = "cured", "cured"
        BETTER = "better", "better"
        SAME = "same", "as it was"
        WORSE = "worse", "worse"
        GONE = "gone", "gone from the edit"
        UNKNOWN = "unknown", "not judged"

    mark = models.ForeignKey(Mark, on_delete=models.PROTECT, related_name="rechecks")
    former = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="+")
    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="rechecks")
    result = models.CharField(max_length=8, choices=Result)
    # Figures before and now, in a unit; none now where it is cured or gone.
    before = models.FloatField(null=True)
    now = models.FloatField(null=True)
    limit = models.FloatField(null=True)
    lacks = models.FloatField(null=True)
    unit = models.CharField(max_length=20)
    # Where it lies in the new mix, in whole samples; none where it is gone.
    in_sample = models.PositiveBigIntegerField(null=True)
    out_sample = models.PositiveBigIntegerField(null=True)
    # Human: what a person has seen and confirmed, which stays when it is measured again.
    confirmed = models.CharField(max_length=8, choices=Result, blank=True)
    confirmed_by = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="+")
    confirmed_at = models.DateTimeField(null=True)

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["mix", "mark"], name="one_recheck_a_mix")
        ]
        ordering: ClassVar[list[str]] = ["in_sample", "id"]

    def __str__(self) -> str:
        """Which mark and what became of it."""
        return f"{self.mark.label}: {self.get_result_display()}"

    @property
    def is_left(self) -> bool:
        """Whether the fault is still found in the new mix."""
        return self.result in (self.Result.BETTER, self.Result.SAME, self.Result.WORSE)

    @property
    def is_confirmed(self) -> bool:
        """Whether a person has confirmed what it is now."""
        return self.confirmed == self.result


class SignOff(models.Model):
    """A person's word that a mix may go out. ``content`` is frozen: the report is made from it alone.

    ``fingerprint`` tells what was signed: files, spec and range. Where that is another by now, the sign-off is broken.
    """

    mix = models.ForeignKey(Mix, on_delete=models.PROTECT, related_name="sign_offs")
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="sign_offs")
    at = models.DateTimeField()
    content = models.JSONField()
    fingerprint = models.CharField(max_length=64)
    withdrawn_at = models.DateTimeField(null=True)
    withdrawn_by = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering: ClassVar[list[str]] = ["-id"]

    def __str__(self) -> str:
        """What was signed by whom."""
        return f"{self.mix}, signed by {self.by}"
