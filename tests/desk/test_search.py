"""The log is searched by beginnings of words, station, person and time; its index follows the record, or is done without."""

from datetime import timedelta
from unittest.mock import patch

from django.db import OperationalError, connection
from django.utils import timezone

from desk.log import search
from desk.log.actions import write_note
from desk.log.models import Kind, Record
from tests import make
from tests.desk.test_bleach import Desk


class Search(Desk):
    def setUp(self):
        self.as_("mr")

    def found(self, **asked) -> list[Record]:
        page = self.client.get("/log/", asked)
        self.assertEqual(page.status_code, 200)
        return list(page.context["page"].paginator.object_list)

    def test_every_word_must_be_there_by_its_beginning_in_any_place_and_letter_case(self):
        write_note(by=make.person("jd"), now=make.NOW, words="Überlauf at the Broke pit, mopped.")
        for text in ("broke mopped", "BROK mop", "uberlauf", "j.d. broke mopped", "“Broke”"):
            with self.subTest(text=text):
                self.assertIn("mopped", self.found(q=text)[0].words)
        for text in ("broke dry mopped", '"', "- *", "NEAR(broke mopped)", "broke OR nothing"):
            with self.subTest(text=text):
                self.assertFalse([r for r in self.found(q=text) if "mopped" in r.words])
        lot = self.found(q="BM-26318-A01-2")
        self.assertTrue(lot)
        self.assertTrue(all("BM-26318-A01-2" in r.says + r.subject + r.words for r in lot))

    def test_the_index_finds_what_a_look_at_every_entry_finds(self):
        whole = {r.pk for r in Record.objects.filter(at__lte=make.NOW + timedelta(minutes=1)) if "kappa" in r.says.lower()}
        self.assertEqual({r.pk for r in self.found(q="kappa")} & whole, whole)
        write_note(by=make.person("jd"), now=make.NOW, words="kappa looked at twice")  # written since
        self.assertEqual(len(self.found(q="looked twice")), 1)
        with connection.cursor() as cursor:  # an index that stands for another record
            cursor.execute("DELETE FROM log_words")
            cursor.execute(
                "INSERT INTO log_words (rowid, says, words, subject, signed, hash) VALUES (99999999, 'x', '', '', '', 'y')"
            )
        self.assertEqual({r.pk for r in self.found(q="kappa")} & whole, whole)

    def test_where_the_index_cannot_be_written_every_entry_is_looked_at(self):
        write_note(by=make.person("jd"), now=make.NOW, words="the disk is nearly full of foxes")
        with patch.object(search, "writing", side_effect=OperationalError("database or disk is full")):
            self.assertEqual(len(self.found(q="full foxes")), 1)
        with (
            patch.object(search, "writing", side_effect=OperationalError("no such table: x")),
            self.assertRaises(OperationalError),
        ):
            self.found(q="foxes")

    def test_by_station_person_and_time_together_and_what_is_no_time_is_said(self):
        cook = self.found(station="cook")
        self.assertTrue(cook)
        rows = {r.id: r.station for r in make.state(0).mill.plan.values()}
        self.assertTrue(all(rows.get(r.subject, "cook") == "cook" for r in cook))
        wa = make.person("wa")
        self.assertEqual({r.by_id for r in self.found(by=str(wa.pk))}, {wa.pk})
        since, until = "2026-11-14 08:00", "10:00"
        told = self.found(**{"from": since, "to": until, "kind": Kind.RESULT})
        self.assertTrue(told)
        local = [timezone.localtime(r.at) for r in told]
        self.assertTrue(all((8, 0) <= (t.hour, t.minute) < (10, 0) and t.date() == local[0].date() for t in local))
        page = self.client.get("/log/", {"from": "soon"})
        self.assertContains(page, "is no time; give it as")
        self.assertContains(page, 'value="soon"')
        self.assertEqual(
            len(self.found(station="nowhere", by="x")), Record.objects.filter(at__lte=make.NOW + timedelta(minutes=1)).count()
        )

    def test_by_a_tag_and_its_parts_and_nothing_beside_it(self):
        told = self.found(tag="S.chest")
        self.assertTrue({"S.chest.consistency"} <= {r.subject for r in told})
        self.assertTrue(all("S.chest" in r.subject for r in told))
        every = Record.objects.filter(at__lte=make.NOW + timedelta(minutes=1), subject="S.chest.consistency").count()
        self.assertEqual(len(self.found(tag="S.chest.consistency")), every)
        self.assertEqual(self.found(tag="no.such.tag"), [])
        page = self.client.get("/log/", {"tag": "K.refine"})
        self.assertContains(page, '<option value="K.refiner.freeness">')
        self.assertContains(page, 'value="K.refine"')

    def test_an_operator_searches_the_own_trail_alone(self):
        write_note(by=make.person("mr"), now=make.NOW, words="for leads only")
        self.assertEqual(len(self.found(q="leads only")), 1)
        self.as_("jd")
        self.assertEqual(self.found(q="leads only"), [])
