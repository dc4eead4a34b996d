"""Whether the disk can still take a record: a mark that every process of the desk shares, and the room that is left."""

import mmap
import os
import struct
import time
from enum import StrEnum

from django.conf import settings

LOW_BYTES = 100_000_000
_PLACE = struct.Struct("d")
_shared = mmap.mmap(-1, _PLACE.size)  # made before the processes part, so that all of them read and write the same


class Disk(StrEnum):
    """How the disk stands."""

    GOOD = ""
    LOW = "low"
    FULL = "full"


def mark_full() -> None:
    """A write found the disk full."""
    _PLACE.pack_into(_shared, 0, time.time())


def mark_good() -> None:
    """A write went through."""
    if full_since():
        _PLACE.pack_into(_shared, 0, 0.0)


def full_since() -> float:
    """Seconds since 1970 at which a write last found the disk full; 0 once one has gone through again."""
    return float(_PLACE.unpack_from(_shared, 0)[0])


def room_bytes() -> int:
    """Bytes that the data folder's disk still takes."""
    result = os.statvfs(settings.DATA)
    return result.f_bavail * result.f_frsize


def stands() -> Disk:
    """Full while the last write failed for want of room, low under 100 MB, else good."""
    if full_since():
        return Disk.FULL
    return Disk.LOW if room_bytes() < LOW_BYTES else Disk.GOOD
