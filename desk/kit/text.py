"""What people and programs send, read strictly: whole numbers, keys of rows, words without control characters."""

import re
import unicodedata

_DIGITS = re.compile(r"[0-9]{1,18}\Z")
_KEPT = {"\n", "\t"}


def whole(text: object, low: int = 0, high: int = 2**62) -> int | None:
    """A whole number in plain digits from `low` to `high`; None for anything else (² and ١ are no digits here)."""
    if not isinstance(text, str) or not _DIGITS.match(text.strip()):
        return None
    number = int(text.strip())
    return number if low <= number <= high else None


def _stands(c: str) -> bool:
    return c in _KEPT or unicodedata.category(c) not in ("Cc", "Cs", "Cn", "Co")


def has_control(text: str) -> bool:
    """Whether words hold a character that cannot be kept: NUL, a bell, half a surrogate."""
    return not all(_stands(c) for c in text.replace("\r\n", "\n"))


def plain(text: object) -> str:
    """Words as they can be kept and shown: no control characters, no half surrogates, no spaces at the ends."""
    return "".join(c for c in str(text) if _stands(c)).strip()
