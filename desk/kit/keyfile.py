"""Keys that live beside the database: made once, whole, readable by their owner alone."""

import contextlib
import os
import secrets
from functools import lru_cache
from pathlib import Path


def kept_key(path: Path) -> str:
    """The key in a file, made there first when there is none. Two processes that start together get the same one."""
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        made = path.with_name(f".{path.name}-{os.getpid()}-{secrets.token_hex(4)}")
        handle = os.open(made, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        try:
            with os.fdopen(handle, "w") as out:
                out.write(secrets.token_urlsafe(60))
                out.flush()
                os.fsync(out.fileno())
            with contextlib.suppress(FileExistsError):  # the second of two is told that it is there
                os.link(made, path)  # appears whole or not at all
        finally:
            made.unlink()
    return _read(path)


@lru_cache(maxsize=8)
def _read(path: Path) -> str:
    return path.read_text()
