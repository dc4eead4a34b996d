"""What every form carries once."""

from django.db import models


class Once(models.Model):
    """The key of a form that was kept: the same form, sent again, writes nothing.

    `key` is the form's own word, `who` who sent it, `at` when it was kept and `record` the newest log entry it made (0 for
    none).
    """

    key = models.CharField(max_length=40, primary_key=True)
    who = models.CharField(max_length=150, blank=True)
    at = models.DateTimeField(db_index=True)
    record = models.BigIntegerField(default=0)

    def __str__(self) -> str:
        return f"{self.key} by {self.who} at {self.at:%H:%M:%S}"
