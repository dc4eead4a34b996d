"""What a case that somebody holds is, whatever it is a case of: a name, who holds it, and that only they let it go."""

from typing import Any

from django.core.exceptions import PermissionDenied

from desk.kit.writing import writing

MOST_HELD = 200  # by one person at a time


class Held:
    """Of a model with `name`, `by`, `made_at` and `let_go_at`: held until its person lets it go; its address shows it after
    that, too."""

    objects: Any
    by_id: int
    pk: int

    @classmethod
    def standing(cls):
        """Those that nobody has let go, the newest first."""
        return cls.objects.filter(let_go_at=None).select_related("by")

    @classmethod
    def room(cls, by) -> bool:
        """Whether a person may hold one more."""
        return cls.objects.filter(by=by, let_go_at=None).count() < MOST_HELD

    def let_go(self, *, by, now) -> None:
        """Take it off the list. Raises: PermissionDenied for anybody but the one who holds it."""
        if self.by_id != by.pk:
            raise PermissionDenied("Only the one who holds a case lets it go.")
        with writing():
            type(self).objects.filter(pk=self.pk, let_go_at=None).update(let_go_at=now)
