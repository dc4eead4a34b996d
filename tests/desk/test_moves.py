"""The practice table on the desk: what stands, put to the shift, decided, judged; and its table of checks."""

from datetime import timedelta

from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import core.catalogue  # noqa: F401
import tests.profile  # noqa: F401
from core.practice.cook import DriftCase, LiquorCase, WetCase, drift, weak_liquor, wet_feed
from core.practice.mechanical import LoadCase, load
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find
from desk.kit.templatetags.vat import formula, midline
from desk.lab.actions import Entry, record_sample
from desk.log.models import Kind, Record
from desk.log.practice import newest_results, opening, proposed
from tests import make


@tag("core")
class Table(SimpleTestCase):
    def test_every_row_is_whole(self):
        for key in (*(f"K{i}" for i in range(1, 14)), *(f"T{i}" for i in range(1, 6))):
            row = ROWS[key]
            with self.subTest(row=key):
                self.assertTrue(row.symptom and row.check_first and row.caution)
                if row.model:
                    model = find(row.model)
                    self.assertTrue({"before", "after", "expected"} <= set(model.result_class.__dataclass_fields__))
                    self.assertTrue(not row.reads or row.reads == "gap_c" or row.reads in model.case_class.__dataclass_fields__)

    @given(st.floats(10, 40), st.floats(200, 2500), st.floats(140, 175))
    def test_heat_moves_against_the_error_and_within_its_step(self, kappa, h, temp):
        found = drift(DriftCase(kappa=kappa, target=25.0, inner=2.0, gain=-0.03, h=h, temp_c=temp))
        self.assertEqual(found.stands, abs(kappa - 25.0) > 2.0)
        self.assertLessEqual(abs(found.after - temp), 1.5 + 1e-9)
        self.assertGreaterEqual((found.after - temp) * (kappa - 25.0), 0.0)
        self.assertLessEqual(abs(found.expected - 25.0), abs(kappa - 25.0) + 1e-9)

    @given(st.floats(30, 60), st.floats(30, 60), st.floats(1, 100))
    def test_dry_wood_is_kept_unless_the_step_is_cut(self, old, new, feed):
        found = wet_feed(WetCase(moisture_pct=new, set_pct=old, feed_t_h=feed))
        dry = feed * (1.0 - old / 100.0)
        if not found.bound_by:
            self.assertAlmostEqual(found.expected, dry, delta=1e-9 * feed)
            self.assertAlmostEqual(found.makeup_t_h, -(found.after - feed), delta=1e-9 * feed + 1e-9)
        self.assertLessEqual(abs(found.after / feed - 1.0), 0.15 + 1e-9)

    @given(st.floats(500, 8000), st.floats(80, 120), st.floats(80, 120))
    def test_the_alkali_and_the_liquor_are_kept(self, charge, old, new):
        found = weak_liquor(LiquorCase(ea_kg=charge, old_g_l=old, ea_g_l=new, makeup_m3=1000.0))
        if not found.bound_by:
            self.assertAlmostEqual(found.expected, charge, delta=1e-9 * charge)
        self.assertAlmostEqual(found.after - found.before, 1000.0 - found.makeup_m3, delta=1e-9 * 1000)

    def test_the_motor_cuts_the_energy(self):
        found = load(LoadCase(csf_ml=150, target=120, sec_kwh_t=2000, rate_t_h=2.0, load_left_mw=0.05))
        self.assertEqual((found.after, found.bound_by), (2025.0, "the motor's room"))


class Written(SimpleTestCase):
    def test_a_label_inside_a_line_keeps_its_symbol_and_a_formula_its_numbers_low(self):
        said = [midline(x) for x in ("H-factor", "EA on wood", "Kappa foreseen", "pH", "ClO₂ solution", "")]
        self.assertEqual(said, ["H-factor", "EA on wood", "kappa foreseen", "pH", "ClO₂ solution", ""])
        self.assertEqual([formula(x) for x in ("ClO2", "H2O2", "acid")], ["ClO₂", "H₂O₂", "acid"])


class Moves(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def as_(self, username: str):
        person = make.person(username)
        self.client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        return person

    def sample(self, row_id: str, value: float, minutes: float) -> Record:
        state = make.state(minutes)
        row = state.mill.plan[row_id]
        at = make.NOW + timedelta(minutes=minutes)
        return record_sample(row=row, entry=Entry(results=(value,)), at=at, by=make.person("tk"), now=at, state=state)

    def test_a_chemicals_move_opens_at_what_its_tank_says(self):
        mill = make.state(0).mill
        placement, tank = mill.moves["B2"], mill.tanks["clo2"]
        self.assertEqual((placement.opens["set_g_l"], placement.opens["flow_m3_h"]), (tank.strength_g_l, tank.use_m3_h))

    def test_two_wet_belts_propose_the_feed_and_the_next_sample_judges_it(self):
        self.sample("K.chips.moisture", 51.0, 1)
        self.assertFalse(Record.objects.filter(kind=Kind.MOVE, subject="K.chips.moisture").exists())
        self.sample("K.chips.moisture", 51.4, 3)
        move = Record.objects.get(kind=Kind.MOVE, subject="K.chips.moisture")
        self.assertEqual(move.data["row"], "K6")
        wet = find("chips.wet_feed")
        wanted = wet.function(wet.case_class(moisture_pct=51.4, set_pct=46, inner=3, feed_t_h=move.data["given"]["feed_t_h"]))
        self.assertAlmostEqual(move.data["after"], wanted.after)
        state = make.state(3)
        self.assertAlmostEqual(move.data["before"], state.line.facts("K.larch.chips")["wet_t_h"], delta=0.06)
        self.as_("tk")
        self.assertContains(self.client.get(f"/moves/{move.pk}/"), "White liquor stays on dry wood")
        self.assertEqual(self.client.post(f"/moves/{move.pk}/", {"choice": "take"}).status_code, 302)
        self.sample("K.chips.moisture", 47.0, 70)
        effect = Record.objects.get(kind=Kind.EFFECT, subject="K.chips.moisture")
        self.assertEqual(effect.status, "worked")
        self.assertContains(self.client.get("/moves/row/K6-K/"), "worked")

    def test_a_row_without_a_sample_is_read_by_hand_put_decided_and_judged(self):
        self.as_("tk")
        page = self.client.get("/moves/row/K10/")
        self.assertContains(page, "Not read yet: top, bottom")
        given = {"top_c": "152", "bottom_c": "141", "liquor_m3": "90", "flow_m3_h": "450"}
        self.assertContains(self.client.get("/moves/row/K10/", given), "Hold the heating")
        answer = self.client.post("/moves/row/K10/", given)
        move = Record.objects.get(kind=Kind.MOVE, subject="move.K10")
        self.assertRedirects(answer, f"/moves/{move.pk}/")
        self.assertEqual(self.client.post("/moves/row/K10/", given).status_code, 422, "one at a time")
        self.client.post(f"/moves/{move.pk}/", {"choice": "alter", "size": "12"})
        self.assertEqual(self.client.post("/moves/row/K10/", {"move": move.pk, "value": "cold"}).status_code, 422)
        self.client.post("/moves/row/K10/", {"move": move.pk, "value": "2.4"})
        self.assertEqual(Record.objects.get(kind=Kind.EFFECT, subject="move.K10").status, "worked")
        self.assertEqual(self.client.post("/moves/row/K10/", {"move": move.pk, "value": "2"}).status_code, 422, "once")
        self.assertEqual(self.client.post("/moves/row/K10/", given).status_code, 302, "the next may stand now")

    def test_inside_the_band_nothing_can_be_put(self):
        self.as_("mr")
        given = {"top_c": "152", "bottom_c": "149", "liquor_m3": "90", "flow_m3_h": "450"}
        self.assertContains(self.client.get("/moves/row/K10/", given), "Leave it.")
        self.assertEqual(self.client.post("/moves/row/K10/", given).status_code, 422)
        self.assertFalse(Record.objects.filter(kind=Kind.MOVE, subject="move.K10").exists())

    def test_pith_comes_before_alkali(self):
        self.as_("tk")
        placement = make.state(0).mill.moves["K11"]
        start = opening(placement, make.state(0), newest=newest_results(placement.readings.values()))
        high = dict(start.values) | {"kappa": 16.5}
        self.assertTrue(proposed(placement, high | {"pith_pct": 11.0}).stands)
        pithy = proposed(placement, high | {"pith_pct": 17.0})
        self.assertFalse(pithy.stands)
        self.assertIn("depithing first", pithy.why)

    def test_who_may(self):
        given = {"top_c": "152", "bottom_c": "141", "liquor_m3": "90", "flow_m3_h": "450"}
        self.as_("wa")
        self.assertEqual(self.client.post("/moves/row/K10/", given).status_code, 403)
        self.as_("pn")
        self.assertRedirects(self.client.post("/moves/row/K10/", given), "/moves/row/K10/")

    def test_every_row_opens_and_refuses_the_impossible(self):
        self.as_("tk")
        for key, placement in make.state(0).mill.moves.items():
            name = next(iter(find(ROWS[placement.row].model).case_class.__dataclass_fields__))
            with self.subTest(row=key):
                self.assertEqual(self.client.get(f"/moves/row/{key}/").status_code, 200)
                self.assertContains(self.client.get(f"/moves/row/{key}/", {name: "-400"}), 'role="alert"')
        self.assertEqual(self.client.get("/moves/row/K99/").status_code, 404)


class WaterByHand(TestCase):
    """Stock's own lever: what the bench works out is put to the shift as a slip, decided, and judged by the next sample."""

    WELLS = {"inlet_pct": "4.6", "water_cons_pct": "0.4", "target_pct": "3.66", "measured_pct": "3.74", "stock_l_min": "5200"}

    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.as_("jd")

    def as_(self, who):
        self.client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")

    def put(self, **more):
        return self.client.post("/stock/meter/K.chest.consistency/put/", {**self.WELLS, **more}, follow=True)

    def test_preview_and_record_are_one_and_the_sample_judges_it(self):
        page = self.client.get("/stock/", {"row": "K.chest.consistency", **self.WELLS})
        shown = page.context["water_slip"]
        self.assertContains(page, "Put the water to the shift")
        self.put()
        move = Record.objects.filter(kind=Kind.MOVE, subject="K.chest.consistency").latest("id")
        for name in ("title", "before", "after", "expected", "why"):
            self.assertEqual(move.data[name], shown[name], name)
        self.assertGreater(move.data["after"], move.data["before"])  # thicker than wanted wants more water
        self.assertContains(self.client.get("/stock/", {"row": "K.chest.consistency", **self.WELLS}), "waits to be decided")
        again = self.put()
        self.assertContains(again, "waits to be decided")
        self.assertEqual(Record.objects.filter(kind=Kind.MOVE, subject="K.chest.consistency").latest("id").pk, move.pk)
        self.assertEqual(self.client.post(f"/moves/{move.pk}/", {"choice": "take"}).status_code, 302)
        state = make.state(30)
        row, by = state.mill.plan["K.chest.consistency"], make.person("jd")
        record_sample(row=row, entry=Entry(results=(3.68, 3.69)), at=state.now, by=by, now=state.now, state=state)
        effect = Record.objects.filter(kind=Kind.EFFECT, subject="K.chest.consistency").latest("id")
        self.assertEqual(effect.status, "worked")

    def test_what_cannot_be_is_not_put(self):
        before = Record.objects.filter(kind=Kind.MOVE).count()
        quiet = {"target_pct": "3.7", "measured_pct": "3.74"}  # in its band, and its aim is wanted: leaving it is right
        for bad in (quiet, {"target_pct": "9"}, {"measured_pct": "much"}, {"measured_pct": "3.66"}, {"inlet_pct": "-2"}):
            with self.subTest(bad=bad):
                self.assertContains(self.put(**bad), "Not put")
        self.assertEqual(Record.objects.filter(kind=Kind.MOVE).count(), before)
        self.as_("cv")
        self.assertEqual(self.put().status_code, 403)
        self.assertEqual(self.client.post("/stock/meter/no.row/put/", self.WELLS).status_code, 403)


@tag("core")
class Expected(SimpleTestCase):
    def test_every_row_with_a_model_says_what_is_expected(self):
        for key, row in ROWS.items():
            if row.model:
                self.assertIn("expected", quantities(find(row.model).result_class), key)
