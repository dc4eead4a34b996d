"""The gates before a grade: each on its own figures, at the card, in the record, and in what a cook is foreseen to be."""

from dataclasses import replace
from datetime import timedelta
from unittest.mock import patch

from django.test import SimpleTestCase, TestCase, tag

from core.accounts.gates import Balanced, Titrated, Transmitter, apart_pct, gates, wider
from core.cook.trust import band_of, default_band
from desk.cook.liquor import less_sure, titrated
from desk.log.models import Kind, Record
from desk.mill.models import HourAccount
from desk.mill.state import MillState
from desk.schedule.gates import gates_of
from tests import make, second_mill
from tests.desk.test_bleach import Desk

FINE = Balanced(chi=2.0, chi_allowed=12.6, worst=1.0, worst_allowed=2.9, unaccounted_t=-0.5, came_t=100.0)


def liquor(age_h: float | None = 1.0, pair_pct: float | None = 0.4) -> Titrated:
    return Titrated(name="White liquor", row="wl", age_h=age_h, pair_pct=pair_pct)


def meter(off: float | None = 0.01, *, stuck: bool = False) -> Transmitter:
    return Transmitter(name="K chest", row="k", off_pct=off, action_pct=0.05, stuck=stuck)


@tag("core")
class Each(SimpleTestCase):
    def failing(self, titrations=(), meters=(), balance=FINE) -> set[str]:
        told = gates(titrations, meters, balance)
        self.assertTrue(all(bool(g.cure) != g.holds for g in told))  # what does not hold says what cures it
        return {g.key for g in told if not g.holds}

    def test_each_holds_to_its_limit_and_not_beyond(self):
        self.assertEqual(self.failing((liquor(),), (meter(),)), set())
        for titration, key in ((liquor(4.0), ""), (liquor(4.01), "alkali"), (liquor(None, None), "alkali")):
            self.assertEqual(self.failing((titration,)) - {"pair"}, {key} - {""})
        for titration, fails in ((liquor(1.0, 1.0), False), (liquor(1.0, 1.01), True), (liquor(1.0, None), True)):
            self.assertEqual("pair" in self.failing((titration,)), fails)
        for changed, key in (
            ({"chi": 12.7}, "balance"),
            ({"worst": 2.91}, "measurement"),
            ({"unaccounted_t": -2.01}, "fibre"),
        ):
            self.assertEqual(self.failing(balance=replace(FINE, **changed)), {key})
        self.assertEqual(self.failing(balance=None), {"balance", "measurement", "fibre"})
        for m, key in ((meter(-0.05), ""), (meter(-0.051), "meter"), (meter(None), "meter"), (meter(stuck=True), "stuck")):
            self.assertEqual(self.failing(meters=(m,)), {key} - {""})

    def test_two_titrations_are_apart_by_their_mean_and_none_of_nothing(self):
        self.assertAlmostEqual(apart_pct([103.0, 103.6, 99.0]), 100.0 * 0.6 / 103.3)
        for singles in ([], [103.0], [0.0, 0.0]):
            self.assertIsNone(apart_pct(singles))

    def test_suspects_are_named_and_only_the_liquor_widens_a_forecast(self):
        off = replace(FINE, chi=30.0, suspects=("S tower, its level",))
        named = next(g for g in gates((), (), off) if not g.holds)
        self.assertEqual(named.cure, "look at S tower, its level")
        self.assertIsNone(wider((named,), 18.5))
        late = tuple(g for g in gates((liquor(9.0),), (), FINE) if not g.holds)
        self.assertEqual((wider(late, 18.5).ea_pct, wider(late, 18.5).sd0), (18.5, 0.8))

    def test_a_band_widens_as_the_squares_add(self):
        self.assertEqual(band_of(30.0, None), default_band(30.0))
        self.assertAlmostEqual(band_of(30.0, None, 1.4) ** 2, default_band(30.0) ** 2 + (1.959964 * 1.4) ** 2, places=4)


class AtTheCard(Desk):
    def setUp(self):
        self.as_("mr")
        self.order, self.card = "H-0413", f"/schedule/card/{make.issue_card(self.client)}/"

    def take(self, **typed):
        return self.client.post(f"{self.card}start/", typed)

    def test_they_are_told_and_a_lead_goes_on_with_a_reason_that_the_record_keeps(self):
        page = self.client.get(self.card)
        told = page.context["gates"]
        self.assertIn("pair", {g.key for g in told.not_yet})
        self.assertContains(page, "titrate a second time")
        refused = self.take()
        self.assertContains(refused, "The reason is empty", status_code=422)
        self.assertFalse(Record.objects.filter(kind=Kind.START, subject=self.order).exists())
        self.assertEqual(self.take(reason="the customer waits").status_code, 302)
        kept = Record.objects.get(kind=Kind.START, subject=self.order)
        self.assertIn("not every gate held: the customer waits", kept.says)
        self.assertEqual(kept.data["reason"], "the customer waits")
        self.assertFalse(all(g["holds"] for g in kept.data["gates"]))
        self.assertGreater(kept.data["kappa_sd"], 1.0)
        self.assertContains(self.client.get(self.card), "Not every gate held: the customer waits.")
        self.assertContains(self.take(reason="again"), "", status_code=302)  # a second press starts nothing
        self.assertEqual(Record.objects.filter(kind=Kind.START, subject=self.order).count(), 1)

    def test_an_operator_is_sent_to_a_lead_and_takes_it_where_all_hold(self):
        self.as_("jd")
        self.assertContains(self.take(reason="I say so"), "A lead may go on", status_code=422)
        with (
            patch("desk.schedule.gates.titrated", return_value=(liquor(),)),
            patch("desk.schedule.gates._balance", return_value=(FINE, 0)),
            patch("desk.schedule.gates._meters", return_value=(meter(),)),
        ):
            self.assertContains(self.client.get(self.card), "All 7 hold")
            self.assertEqual(self.take().status_code, 302)
        kept = Record.objects.get(kind=Kind.START, subject=self.order)
        self.assertNotIn("reason", kept.data)
        self.assertEqual(len(kept.data["gates"]), 7)

    def test_a_second_titration_that_agrees_opens_its_gate_and_narrows_the_cook(self):
        state = make.state(0)
        row = titrated(state)[0].row
        self.assertGreater(less_sure(state, "K.larch.cook", 19.5), 0.5)
        self.assertEqual(less_sure(state, "S.cook", 13.0), 0.0)  # no plan titrates its liquor
        self.assertContains(self.client.get("/cook/?wood=larch"), "wider until its liquor is titrated")
        self.client.post(f"/lab/record/{row}/", {"value_1": "103.0", "value_2": "103.6"})
        found = titrated(MillState(state.now + timedelta(minutes=1)))[0]
        self.assertAlmostEqual(found.pair_pct, 0.581, places=3)
        self.assertNotContains(self.client.get("/cook/?wood=larch"), "wider until its liquor is titrated")

    def test_the_day_is_worked_out_bit_by_bit_and_told(self):
        HourAccount.objects.all().delete()
        page = self.client.get("/schedule/gates/")
        for _ in range(6):
            if not page.context["gates"].missing_h:
                break
            page = self.client.get("/schedule/gates/?short=yes", headers={"HX-Request": "true"})
        self.assertNotContains(page, "<html")
        self.assertContains(page, 'id="gates_n"')
        self.assertEqual(page.context["gates"].missing_h, 0)
        fibre = next(g for g in page.context["gates"].told if g.key == "fibre")
        self.assertRegex(fibre.found, r"^\d\.\d %$")


class AnotherMill(TestCase):
    def test_a_mill_without_liquor_says_what_it_has_not(self):
        second_mill.build()
        make.forget()
        told = gates_of(MillState(make.NOW))
        self.assertFalse({"alkali", "pair"} & {g.key for g in told.told})
        self.assertIsNone(told.found)
        self.assertTrue({"balance", "fibre"} <= {g.key for g in told.not_yet})
