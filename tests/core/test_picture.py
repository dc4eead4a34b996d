"""A camera's own words are taken out of a JPEG, the picture and how it is turned are not."""

import struct

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.errors import ImpossibleInput
from core.picture import EXIF, bare, turned

PICTURE = b"\xff\xdb\x00\x04ab\xff\xc0\x00\x05abc\xff\xda\x00\x04ab" + b"\x12\xff\x00\x34" * 5 + b"\xff\xd9"


def part(mark: int, body: bytes) -> bytes:
    return bytes((0xFF, mark)) + struct.pack(">H", len(body) + 2) + body


def exif(order: str, way: int, more: bytes = b"GPS 58.1 N") -> bytes:
    word = {"<": b"II*\x00", ">": b"MM\x00*"}[order]
    entries = struct.pack(f"{order}HHII", 0x010F, 2, 4, 0) + struct.pack(f"{order}HHIHH", 0x0112, 3, 1, way, 0)
    return EXIF + word + struct.pack(f"{order}IH", 8, 2) + entries + struct.pack(f"{order}I", 0) + more


@tag("core")
class Bare(SimpleTestCase):
    def test_place_owner_and_comment_go_and_the_picture_stays(self):
        own = part(0xE0, b"JFIF\x00") + part(0xE2, b"ICC_PROFILE\x00")
        told = part(0xE1, exif(">", 1)) + part(0xED, b"owner") + part(0xFE, b"taken at home")
        found = bare(b"\xff\xd8" + own + told + PICTURE + b"a second picture behind the end")
        self.assertEqual(found, b"\xff\xd8" + own + PICTURE)

    def test_how_it_is_turned_stays_in_either_order_of_bytes(self):
        for order in "<>":
            for way in range(1, 9):
                with self.subTest(order=order, way=way):
                    found = bare(b"\xff\xd8" + part(0xE1, exif(order, way)) + PICTURE)
                    self.assertNotIn(b"GPS", found)
                    self.assertTrue(found.endswith(PICTURE))
                    if way == 1:
                        self.assertEqual(found, b"\xff\xd8" + PICTURE)
                    else:
                        self.assertEqual(turned(found[found.index(EXIF) + 6 :]), way)
                    self.assertEqual(bare(found), found)  # a second time changes nothing

    def test_what_is_broken_is_refused_in_words(self):
        whole = b"\xff\xd8" + part(0xE1, exif(">", 6)) + PICTURE
        for broken in (
            b"",
            b"no picture",
            whole[:30],
            whole[: whole.index(b"\xff\xda") + 6],
            b"\xff\xd8\xff\xe1\x00\x01",
            b"\xff\xd8xx",
        ):
            with self.subTest(broken=broken[:8]), self.assertRaises(ImpossibleInput):
                bare(broken)

    @given(st.binary(max_size=120))
    def test_whatever_comes_it_answers_or_refuses(self, body):
        try:
            found = bare(b"\xff\xd8" + body + b"\xff\xd9")
        except ImpossibleInput:
            return
        self.assertTrue(found.startswith(b"\xff\xd8"))
        self.assertLessEqual(len(found), len(body) + 44)
        self.assertTrue(1 <= turned(body) <= 8)
