"""Keys for programs: made, shown once, asked for in the header Authorization: Bearer, revoked."""

import hashlib
import secrets
from datetime import timedelta

from desk.kit.writing import writing
from desk.people.models import Person, Token

NOTED_EVERY = timedelta(minutes=5)


def _digest(plain: str) -> str:
    return hashlib.sha256(plain.encode()).hexdigest()


def issue(*, name: str, scope: str, by: Person | None, now) -> tuple[Token, str]:
    """A new token and its plain text, which is kept nowhere."""
    plain = f"vat_{secrets.token_urlsafe(32)}"
    with writing():
        token = Token.objects.create(name=name, scope=scope, digest=_digest(plain), made_by=by, made_at=now)
    return token, plain


def revoke(token: Token, *, now) -> None:
    with writing():
        Token.objects.filter(pk=token.pk, revoked_at=None).update(revoked_at=now)


def bearer(request, scope: str) -> Token | None:
    """The living token of this scope that a request carries, or None."""
    kind, _, plain = request.headers.get("Authorization", "").partition(" ")
    if kind.lower() != "bearer" or not plain:
        return None
    token = Token.objects.filter(digest=_digest(plain.strip()), scope=scope, revoked_at=None).first()
    if token and (token.used_at is None or request.now - token.used_at > NOTED_EVERY):
        Token.objects.filter(pk=token.pk).update(used_at=request.now)
    return token
