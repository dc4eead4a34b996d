"""What a camera writes into a JPEG beside the picture (place, time, owner, a small picture of its own) taken out of it.

Only how the picture is to be turned stays. The picture itself is not touched. Source: ITU-T T.81, annex B; Exif 2.3, section 4.
"""

import struct
from typing import Final

from core.errors import ImpossibleInput, Problem

START, SCAN, END = 0xD8, 0xDA, 0xD9
EXIF: Final = b"Exif\x00\x00"
ORIENTATION, SHORT = 0x0112, 3
UPRIGHT, TURNS = 1, 8
KEPT: Final = frozenset({0xE0, 0xE2, 0xEE})  # the frame’s own, its colours, and how they are packed
COMMENT, FIRST_OF_APPLICATIONS, LAST_OF_APPLICATIONS = 0xFE, 0xE0, 0xEF
ALONE: Final = frozenset({0x01, *range(0xD0, 0xD8)})  # markers without a length


def _broken(text: str) -> ImpossibleInput:
    return ImpossibleInput(Problem("picture", text))


def turned(exif: bytes) -> int:
    """How a picture is to be turned, 1 (upright) to 8, as the camera wrote it after its Exif mark; upright where it did not."""
    order = {b"II": "<", b"MM": ">"}.get(exif[:2])
    if order is None or len(exif) < 8:
        return UPRIGHT
    (at,) = struct.unpack(f"{order}I", exif[4:8])
    if at + 2 > len(exif):
        return UPRIGHT
    (count,) = struct.unpack(f"{order}H", exif[at : at + 2])
    for k in range(count):
        entry = exif[at + 2 + 12 * k : at + 14 + 12 * k]
        if len(entry) < 12:
            return UPRIGHT
        tag, kind, _, value = struct.unpack(f"{order}HHIH", entry[:10])
        if tag == ORIENTATION and kind == SHORT:
            return value if 1 <= value <= TURNS else UPRIGHT
    return UPRIGHT


def _turning(way: int) -> bytes:
    """A segment that says how the picture is turned, and nothing else."""
    entry = struct.pack(">HHIHH", ORIENTATION, SHORT, 1, way, 0)
    body = EXIF + b"MM\x00*" + struct.pack(">IH", 8, 1) + entry + struct.pack(">I", 0)
    return b"\xff\xe1" + struct.pack(">H", len(body) + 2) + body


def bare(jpeg: bytes) -> bytes:
    """A JPEG without what the camera wrote beside the picture. Raises: ImpossibleInput where its parts do not fit together."""
    if jpeg[:2] != bytes((0xFF, START)):
        raise _broken("does not begin as a JPEG does")
    out, at, way = [jpeg[:2]], 2, UPRIGHT
    while True:
        if at + 2 > len(jpeg) or jpeg[at] != 0xFF:
            raise _broken("ends within its parts")
        mark = jpeg[at + 1]
        if mark == 0xFF:  # filling
            at += 1
            continue
        if mark in ALONE:
            out.append(jpeg[at : at + 2])
            at += 2
            continue
        if mark in (SCAN, END):
            break
        if at + 4 > len(jpeg):
            raise _broken("ends within its parts")
        (size,) = struct.unpack(">H", jpeg[at + 2 : at + 4])
        part = jpeg[at : at + 2 + size]
        if size < 2 or len(part) < 2 + size:
            raise _broken("ends within its parts")
        if mark == FIRST_OF_APPLICATIONS + 1 and part[4:10] == EXIF:
            way = turned(part[10:])
        elif mark in KEPT or not (mark == COMMENT or FIRST_OF_APPLICATIONS <= mark <= LAST_OF_APPLICATIONS):
            out.append(part)
        at += 2 + size
    if way != UPRIGHT:
        out.insert(1, _turning(way))
    end = jpeg.rfind(bytes((0xFF, END)))
    if end < at:
        raise _broken("has no end")
    return b"".join(out) + jpeg[at : end + 2]  # what stands behind the end is no part of it
