"""Raw entries of every test that has them: worked out by its model, kept as typed, with their working; checks on a standard."""

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.lab.methods import TESTS
from core.lab.raw import RAW, worked
from core.quantity import quantities
from core.register import models
from desk.lab import standards
from desk.log.models import Kind, Record
from tests import make
from tests.desk.test_bleach import Desk

KAPPA = "/lab/record/K.larch_blow.kappa/"
A = {"a.blank_ml": "50.2", "a.sample_ml": "24.1", "a.normality": "0.2", "a.pulp_g": "1.950", "a.temp_c": "24"}
B = {"b.blank_ml": "50.2", "b.sample_ml": "24.0", "b.normality": "0.2", "b.pulp_g": "1.950", "b.temp_c": "24"}


@tag("core")
class Methods(SimpleTestCase):
    def test_every_raw_entry_stands_on_a_model_and_reads_its_figure_in_the_unit_of_the_test(self):
        known = {m.name: m for m in models()}
        for key, raw in RAW.items():
            with self.subTest(test=key):
                self.assertIn(key, TESTS)
                said = quantities(known[raw.model].result_class)[raw.figure]
                unit, wanted = said.unit, TESTS[key].unit
                self.assertTrue(unit == wanted or unit in wanted or wanted.startswith(unit), (unit, wanted))
                self.assertTrue(raw.fields)
                self.assertFalse(set(raw.fixed) & set(raw.fields))

    def test_singles_are_what_the_document_says(self):
        for key, typed, wanted in (
            ("kappa", {"blank_ml": 50.2, "sample_ml": 24.1, "pulp_g": 1.95, "temp_c": 24.0, "normality": 0.2}, 27.245),
            ("freeness", {"read_ml": 432, "cons_pct": 0.312, "temp_c": 22.5}, 434.05),
            ("ash", {"crucible_g": 22.4186, "at_525_g": 22.8342, "pulp_g": 4.102}, 10.132),
            (
                "residual_peroxide",
                {"sample_ml": 18.6, "blank_ml": 0.1, "aliquot_ml": 1.0, "dilution": 10, "normality": 0.1},
                314.6,
            ),
            ("brightness", {f"readings.{i}.iso_pct": x for i, x in enumerate((84.2, 84.5, 84.1, 84.4, 83.9, 84.3), 1)}, 84.233),
            ("white_liquor", {"v_ml": 2.5, "normality": 0.5, "a_ml": 13.45, "b_ml": 16.20, "c_ml": 19.07}, 107.59),
        ):
            with self.subTest(test=key):
                self.assertAlmostEqual(worked(key, typed).value, wanted, delta=3e-4 * wanted)
        with self.assertRaises(ImpossibleInput) as refused:
            worked("kappa", {"blank_ml": 20.0, "sample_ml": 24.1, "pulp_g": 1.95})
        self.assertEqual(refused.exception.problems[0].field, "sample_ml")


class Entered(Desk):
    def setUp(self):
        self.as_("wa")

    def test_a_titration_is_worked_as_it_is_typed_and_kept_with_what_was_read(self):
        page = self.client.get(f"{KAPPA}?mode=weighings")
        for words in ("Raw entries", "Thiosulphate for the blank", 'value="0.2"'):
            self.assertContains(page, words)
        answer = self.client.get(KAPPA, {"mode": "weighings", **A}, headers={"HX-Request": "true", "HX-Target": "answer"})
        self.assertContains(answer, "27.2")
        self.assertContains(answer, "Working of")
        self.assertContains(answer, "lab.kappa")
        kept = self.client.post(KAPPA, {"mode": "weighings", "at": "10:40", **A, **B})
        self.assertEqual(kept.status_code, 302)
        record = Record.objects.filter(kind=Kind.RESULT, subject="K.larch_blow.kappa").latest("id")
        self.assertEqual(record.status, "accepted")
        self.assertEqual(record.data["weighings"][0]["sample_ml"], 24.1)
        self.assertAlmostEqual(record.value, 27.3, delta=0.1)

    def test_what_is_wrong_stands_beside_its_well_and_nothing_typed_is_lost(self):
        sent = {"mode": "weighings", "at": "10:40", **A, "a.sample_ml": "60"}
        answer = self.client.post(KAPPA, sent)
        self.assertContains(answer, "must be under the blank", status_code=422)
        self.assertContains(answer, 'value="60"', status_code=422)
        less = {k: v for k, v in sent.items() if k != "a.pulp_g"} | {"a.sample_ml": "24.1"}
        self.assertContains(self.client.post(KAPPA, less), "is empty", status_code=422)
        usual = self.client.post(KAPPA, {"mode": "weighings", "at": "10:40", **A, "b.normality": "0.2", "b.temp_c": "25"})
        self.assertEqual(usual.status_code, 302)  # the second column holds only what it opened with

    def test_a_brightness_of_four_readings_is_enough(self):
        told = {f"a.readings.{i}.iso_pct": f"{84.0 + 0.1 * i}" for i in range(1, 5)}
        kept = self.client.post("/lab/record/K.last_washer.brightness/", {"mode": "weighings", "at": "10:40", **told})
        self.assertEqual(kept.status_code, 302)
        short = {k: v for k, v in told.items() if ".4." not in k}
        answer = self.client.post("/lab/record/K.last_washer.brightness/", {"mode": "weighings", "at": "10:40", **short})
        self.assertEqual(answer.status_code, 422)

    def test_every_row_with_raw_entries_opens_on_them(self):
        for row in make.state(0).mill.plan.values():
            if row.test in RAW:
                with self.subTest(row=row.id):
                    self.assertEqual(self.client.get(f"/lab/record/{row.id}/?mode=weighings").status_code, 200)

    def test_a_standard_that_is_off_is_minded_at_the_next_entry(self):
        at = "/lab/standard/K.larch_blow.kappa/"
        self.client.post(at, {"known": "30", "found": "30.2"})
        self.assertEqual(Record.objects.get(subject="standard.kappa").status, standards.GOOD)
        self.client.post(at, {"known": "30,0", "found": "32.5"})
        self.assertEqual(Record.objects.filter(subject="standard.kappa").latest("id").status, standards.OFF)
        self.assertContains(self.client.get("/lab/row/K.larch_blow.kappa/"), "Do not trust the test")
        self.assertContains(self.client.get(KAPPA), "was off on its standard")
        before = Record.objects.count()
        for odd in ({"known": "", "found": "1"}, {"known": "x", "found": "1"}, {"known": "30", "found": "900"}):
            self.assertEqual(self.client.post(at, odd).status_code, 302)
        self.assertEqual(Record.objects.count(), before)
        self.as_("eb")
        self.assertEqual(self.client.post(at, {"known": "1", "found": "1"}).status_code, 403)
