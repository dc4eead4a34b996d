"""The yard: piles by their ledger, stones a day, looks kept; and the belt, wet wash and weather by their laws."""

from datetime import timedelta

from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.chips.bagasse import WetWashCase, wet_wash
from core.chips.wood import OrderCase, WeatherCase, order, weather
from core.cook.belt import BeltCase, ClassRow, PartRow, belt
from core.cook.charged import LogPoint
from core.cook.house import batch_of, follow_on, pace
from core.errors import ImpossibleInput
from core.lab.fibre import LengthCase, PithCase, SandCase, fibre_length, pith, sand
from desk.chips import yard
from desk.log.models import Kind, Record
from tests import make

PLAN = ((0.0, 80.0), (95.0, 170.0), (185.0, 170.0))


@tag("core")
class Laws(SimpleTestCase):
    def case(self, **more):
        parts = (PartRow(share=62, moisture_pct=48.7, rho_b=510), PartRow(share=38, moisture_pct=43.8, rho_b=500))
        given = {
            "parts": parts,
            "basis": "green",
            "classes": (ClassRow(mm=2.5, share=40.0), ClassRow(mm=4.5, share=50.0), ClassRow(mm=9.0, share=10.0)),
            "presteam_min": 6.0,
            "feed_t_h": 10.0,
        }
        return BeltCase(
            **(given | more),
            species="larch",
            ea_pct_naoh=18.0,
            sulphidity_pct=28.4,
            lw_m3_t=4.1,
            points=tuple(LogPoint(minute=m, temp_c=t) for m, t in PLAN),
        )

    def test_the_belt(self):
        found = belt(self.case())
        self.assertAlmostEqual(found.wet_t_h, 10.0 / (1 - found.mix.moisture_pct / 100))
        self.assertEqual((found.over_thick_pct, found.accept_pct), (10.0, 90.0))
        self.assertLess(found.after.rejects, found.uneven.rejects)
        with self.assertRaisesMessage(ImpossibleInput, "90 %"):
            belt(self.case(classes=(ClassRow(mm=2.5, share=40.0), ClassRow(mm=4.5, share=50.0))))

    def test_the_house_keeps_time_and_pulp(self):
        one = batch_of(name="1", digester="1", rise_at=0.0, plan=PLAN, lw_m3_t=4.1, wood_t=22.4, yield_pct=45.0)
        self.assertEqual((one.rise_min, one.hold_min), (95.0, 90.0))
        self.assertAlmostEqual(one.pulp_t, 10.08)
        nxt = follow_on(one, "2", 0.0)
        self.assertGreater(nxt.rise_at, one.end)
        two, four = pace(one, 2), pace(one, 4)
        self.assertAlmostEqual(four.adt_day, 2 * two.adt_day)
        self.assertAlmostEqual(two.adt_day, 2 * 10.08 / 0.9 * 24 / two.cycle_h)
        self.assertRaises(ImpossibleInput, pace, one, 0)

    @given(st.floats(0, 25), st.floats(0, 8), st.floats(0, 6), st.floats(0.5, 6))
    def test_washing_loses_what_it_says(self, pith_pct, solubles, ash, at):
        found = wet_wash(WetWashCase(od_t_h=10.0, pith_pct=pith_pct, solubles_pct=solubles, ash_pct=ash, feed_pct=at))
        self.assertAlmostEqual(found.od_out + found.lost_t_h, 10.0)
        self.assertGreaterEqual(found.water_m3_h, found.pressed_m3_h)
        self.assertLessEqual(found.ash_left_pct, ash + 1e-9)

    @given(st.floats(0, 200), st.floats(0, 200))
    def test_more_rain_never_dries(self, a, b):
        at = lambda rain: weather(WeatherCase(od_t=1800, moisture_pct=45, area_m2=2000, rain_mm=rain)).skin_pct  # noqa: E731
        self.assertGreaterEqual(at(max(a, b)), at(min(a, b)))

    def test_an_order_that_the_yard_covers_lacks_nothing(self):
        case = {"pulp_t": 25.0, "screened_pct": 44.0, "moisture_pct": 46.0, "feed_t_h": 10.0}
        self.assertEqual(order(OrderCase(**case, yard_t=100.0)).lacks_t, 0.0)
        self.assertAlmostEqual(order(OrderCase(**case)).lacks_t, order(OrderCase(**case)).od_t)

    @given(st.lists(st.integers(1, 5000), min_size=6, max_size=6))
    def test_the_averages_stand_in_order(self, n):
        found = fibre_length(LengthCase(**{f"n{i}": c for i, c in enumerate(n, start=1)}))
        self.assertLessEqual(found.ln_mm, found.lw_mm + 1e-12)
        self.assertLessEqual(found.lw_mm, found.lww_mm + 1e-12)

    def test_weighings_that_cannot_be_are_refused_by_name(self):
        for ask, field in (
            (lambda: pith(PithCase(sample_g=40, fibre_g=38, pith_g=6)), "fibre_g"),
            (lambda: sand(SandCase(crucible_g=21.5, residue_g=21.4, after_g=21.4, sample_g=10)), "residue_g"),
            (lambda: sand(SandCase(crucible_g=21.4, residue_g=21.5, after_g=21.6, sample_g=10)), "after_g"),
            (lambda: fibre_length(LengthCase(n1=0, n2=0, n3=0, n4=0, n5=0, n6=0)), "n1"),
            (lambda: wet_wash(WetWashCase(od_t_h=1, pith_pct=60, solubles_pct=30, ash_pct=20)), "pith_pct"),
        ):
            with self.subTest(field=field), self.assertRaises(ImpossibleInput) as refused:
                ask()
            self.assertEqual(refused.exception.problems[0].field, field)


class Yard(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def post(self, username: str, **data):
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")
        return self.client.post("/chips/note/", data, follow=True)

    def pile(self, key: str, minutes: float = 1.0):
        return next(s for s in yard.stands(make.state(minutes)) if s.pile.key == key)

    def test_a_receipt_adds_and_a_survey_starts_anew(self):
        before = self.pile("larch-round").now.od_t
        self.assertContains(self.post("tk", what="receipt", where="larch-round", value="120"), "120 t OD came in")
        self.assertAlmostEqual(self.pile("larch-round").now.od_t, before + 120.0, delta=0.2)
        self.post("tk", what="survey", where="larch-round", value="1 500")
        self.assertAlmostEqual(self.pile("larch-round").now.od_t, 1500.0, delta=0.2)
        later = self.pile("larch-round", 24 * 60 + 1.0)
        self.assertAlmostEqual(later.now.od_t, 1500.0 - 24 * later.draw_t_h, delta=0.3)

    def test_a_survey_beyond_the_receipts_says_so(self):
        self.post("tk", what="survey", where="alder", value="9000")
        self.assertIsNone(self.pile("alder").now)
        self.assertIn("receipts", self.pile("alder").why)

    def test_stones_are_counted_by_the_day(self):
        before = {c.what: c.today for c in yard.counts(make.state(1))}
        self.post("jd", what="stone", where="K.larch.chips", words="fist size")
        after = {c.what: c.today for c in yard.counts(make.state(1))}
        self.assertEqual(after["stone"], before["stone"] + 1)
        self.assertEqual(sum(yard.counts(make.state(24 * 60 + 1))[0].days[-1:]), 0, "a new day starts at nought")

    def test_a_look_is_kept_with_what_to_do(self):
        self.assertContains(self.post("tk", what="flooded", where="S.bagasse"), "Cut the feed before anything else")
        self.assertEqual(yard.looked(make.state(1))["S.bagasse"].status, "look.flooded")

    def test_what_cannot_be_is_refused_and_not_kept(self):
        n = Record.objects.filter(kind=Kind.EVENT).count()
        for data, said in (
            ({"what": "receipt", "where": "larch-round", "value": "-4"}, "must be 0.1 to"),
            ({"what": "receipt", "where": "moon", "value": "4"}, "none of this yard"),
            ({"what": "survey", "where": "alder", "value": "wet"}, "must be a number"),
            ({"what": "unicorn", "where": "K.larch.chips"}, "Choose what was seen"),
            ({"what": "stone", "where": "Z"}, "none of Larch chips"),
        ):
            with self.subTest(data=data):
                self.assertContains(self.post("tk", **data), said)
        self.assertEqual(Record.objects.filter(kind=Kind.EVENT).count(), n)
        self.assertEqual(self.post("cv", what="stone", where="K.larch.chips").status_code, 403)

    def test_the_demo_opens_where_it_should(self):
        self.assertAlmostEqual(self.pile("larch-round", 0).now.od_t, 1850, delta=5)
        self.assertEqual((make.NOW - self.pile("alder").surveyed_at) > timedelta(0), True)
