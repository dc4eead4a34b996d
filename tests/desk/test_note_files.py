"""Notes with a drawing and files: kept, shown, carried on by a correction, within limits, and proved."""

import hashlib

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import DatabaseError, connection, transaction
from django.urls import reverse

from desk.log.anchor import verify
from desk.log.files import MOST_BYTES, MOST_FILES, kind_of
from desk.log.models import Attachment, Kind, Record
from desk.log.search import with_words
from tests.desk.test_bleach import Desk

PNG = b"\x89PNG\r\n\x1a\n" + b"pixels" * 20
DRAWING = "[[[10, 10], [200, 300]], [[400, 250]]]"


def sent(body: bytes, name: str = "basket.png") -> SimpleUploadedFile:
    return SimpleUploadedFile(name, body)


class NoteFiles(Desk):
    def keep(self, *files, words="The basket is cracked.", drawing=DRAWING):
        return self.client.post("/log/note/", {"words": words, "drawing": drawing, "files": list(files)})

    def newest(self) -> Record:
        return Record.objects.filter(kind=Kind.REMARK).order_by("-id").first()

    def test_kept_shown_and_carried_on_by_a_correction(self):
        self.as_("jd")
        self.assertEqual(self.keep(sent(PNG), sent(b"12:10 knock\n", "C:\\notes\\log.txt")).status_code, 302)
        note = self.newest()
        self.assertEqual(note.says, "Note with a drawing and 2 files")
        self.assertEqual([f["name"] for f in note.data["files"]], ["basket.png", "log.txt"])
        page = self.client.get(f"/log/{note.pk}/")
        self.assertContains(page, 'd="M10 10L200 300"')
        self.assertContains(page, f'src="/log/{note.pk}/file/0/"')
        picture = self.client.get(f"/log/{note.pk}/file/0/")
        self.assertEqual((picture.content, picture["Content-Type"]), (PNG, "image/png"))
        self.assertEqual(picture["Content-Security-Policy"], "default-src 'none'; sandbox")
        text = self.client.get(f"/log/{note.pk}/file/1/")
        self.assertEqual(text["Content-Disposition"], 'attachment; filename="log.txt"')
        self.assertEqual(self.client.get(f"/log/{note.pk}/file/2/").status_code, 404)
        self.client.post(f"/log/{note.pk}/", {"words": "The basket is dented.", "reason": "mistyped"})
        later = self.newest()
        self.assertEqual((later.corrects_id, later.data), (note.pk, note.data))
        self.assertEqual(list(with_words(Record.objects.all(), "dented"))[0].pk, later.pk)

    def test_its_kind_and_its_unit_are_found_again_and_safety_comes_first(self):
        self.as_("jd")
        self.client.post("/log/note/", {"words": "Gas smell at the vat.", "sort": "safety", "unit": "R.pulper"})
        note = self.newest()
        self.assertEqual((note.subject, note.status, note.says), ("R.pulper", "safety", "Safety on pulper and detrasher"))
        for typed, says in (({"sort": "gossip"}, "Kind is “gossip”"), ({"unit": "R.moon"}, "Unit is “R.moon”")):
            self.assertContains(self.client.post("/log/note/", {"words": "x", **typed}), says, status_code=422)
        self.assertEqual(self.newest().pk, note.pk)
        self.as_("mr")
        self.assertContains(self.client.get("/log/?station=recovered&kind=remark"), "Gas smell")
        self.assertContains(self.client.get("/log/?q=pulper&kind=remark"), "Gas smell")
        self.assertEqual(
            self.client.get(reverse("shift:handover")).context["made"]["first"][0], "Safety: Gas smell at the vat."
        )
        self.client.post(f"/log/{note.pk}/", {"words": "Gas smell, tested: none.", "reason": "mistyped"})
        self.assertEqual((self.newest().subject, self.newest().status), ("R.pulper", "safety"))

    def test_the_same_file_twice_is_kept_once_and_never_changed(self):
        self.as_("jd")
        before = Attachment.objects.count()
        self.keep(sent(PNG))
        self.keep(sent(PNG, "again.png"))
        self.assertEqual(Attachment.objects.count(), before + 1)
        kept = Attachment.objects.get(sha256=hashlib.sha256(PNG).hexdigest())
        for act in (lambda: Attachment.objects.filter(pk=kept.pk).update(body=b"x"), kept.delete):
            with self.assertRaises(DatabaseError), transaction.atomic():
                act()

    def test_what_cannot_be_kept_says_so_and_loses_no_words(self):
        self.as_("jd")
        before = Record.objects.count(), Attachment.objects.count()
        cases = (
            ([sent(b"MZ\x00\x01program", "run.png")], {}, "File run.png is of another kind"),
            ([sent(b"", "none.txt")], {}, "File none.txt is empty"),
            ([sent(PNG + b"0" * MOST_BYTES, "large.png")], {}, "File large.png is 3.0 MB; it must be at most 3 MB"),
            ([sent(PNG)] * (MOST_FILES + 1), {}, f"Files are {MOST_FILES + 1}"),
            ([], {"drawing": "[[[9999, 1]]]"}, "Drawing leaves its sheet"),
            ([sent(PNG)], {"words": " "}, "Choose the files again"),
        )
        for files, typed, says in cases:
            with self.subTest(says):
                page = self.keep(*files, **typed)
                self.assertContains(page, says, status_code=422)
                self.assertContains(page, typed.get("words", "The basket is cracked."), status_code=422)
        self.assertEqual((Record.objects.count(), Attachment.objects.count()), before)
        self.assertEqual(
            [kind_of(b) for b in (PNG, b"\xff\xd8\xff\xe0", b"%PDF-1.7", b"a;b\n", b"\x00", b"\xff\xfe")],
            ["png", "jpeg", "pdf", "text", "", ""],
        )

    def test_a_file_that_was_changed_beside_the_desk_is_found(self):
        self.as_("jd")
        self.keep(sent(PNG))
        note = self.newest()
        self.assertNotIn("basket.png", " ".join(verify(anchored=False).faults))
        with connection.cursor() as cursor:
            trigger = cursor.execute("SELECT sql FROM sqlite_master WHERE name = 'log_attachment_no_update'").fetchone()[0]
            cursor.execute("DROP TRIGGER log_attachment_no_update")
            cursor.execute("UPDATE log_attachment SET body = x'00'")
            cursor.execute(trigger)
        self.assertIn(f"file basket.png of record {note.pk} is not as it was kept", verify(anchored=False).faults)
        self.assertContains(self.client.get(f"/log/{note.pk}/file/0/"), "is not as it was kept", status_code=500)

    def test_another_persons_files_are_as_private_as_the_note(self):
        self.as_("jd")
        self.keep(sent(PNG))
        for who, may in (("tk", 403), ("mr", 200), ("cv", 200)):
            with self.subTest(who):
                self.as_(who)
                self.assertEqual(self.client.get(f"/log/{self.newest().pk}/").status_code, may)
                self.assertEqual(self.client.get(f"/log/{self.newest().pk}/file/0/").status_code, may)
