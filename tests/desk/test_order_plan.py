"""The plan of 72 hours: orders moved and found, levels that answer, what is put in the plan and what is not."""

from datetime import datetime, timedelta

from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.plan import checker
from core.plan.levels import Span, Vessel, course, half_t
from desk.log.models import Kind, Record
from desk.schedule.order_plan import HOURS, WASH_H, Plan, wash_h
from tests import make, second_mill
from tests.desk.test_bleach import Desk

URL = "/schedule/plan/"


@tag("core")
class Levels(SimpleTestCase):
    tower = Vessel(now_t=50.0, full_t=100.0, low_t=10.0, high_t=95.0, fed_t_h=6.0)

    def test_a_straight_fall_meets_its_limit_where_it_should_and_is_short_once_it_is_empty(self):
        found = course(self.tower, [Span(0.0, 20.0, 10.0)], 30.0)
        self.assertEqual(found.first, ("empty", 10.0))
        self.assertAlmostEqual(found.at(12.5), 0.0)
        self.assertAlmostEqual(found.short_t, 4.0 * 7.5)  # empty at 12.5 h, 4 t/h too little until 20
        self.assertAlmostEqual(found.low_h, 10.0 + 10.0 / 6.0)
        self.assertAlmostEqual(found.at(30.0), 60.0)

    def test_nothing_drawn_fills_it_to_its_brim_and_no_further(self):
        found = course(self.tower, [], 30.0)
        self.assertEqual(found.first, ("full", 7.5))
        self.assertEqual((found.at(30.0), found.short_t), (100.0, 0.0))
        self.assertAlmostEqual(found.high_h, 22.5)

    spans = st.lists(st.tuples(st.floats(0, 60), st.floats(0.1, 30), st.floats(0, 20)), max_size=6)

    @given(st.floats(0, 100), st.floats(0, 12), spans)
    def test_mass_closes_and_the_level_stays_in_its_vessel(self, now, fed, told):
        draws = [Span(a, a + lasts, t_h) for a, lasts, t_h in told]
        vessel = Vessel(now_t=now, full_t=100.0, low_t=10.0, high_t=95.0, fed_t_h=fed)
        found = course(vessel, draws, 72.0)
        times = [h for h, _ in found.points]
        self.assertEqual(times, sorted(times))
        self.assertTrue(all(-1e-9 <= t <= 100.0 + 1e-9 for _, t in found.points))
        asked = sum(max(0.0, min(72.0, s.to_h) - s.from_h) * s.t_h for s in draws if s.from_h < 72.0)
        balance = found.points[-1][1] - now - fed * 72.0 + asked - found.short_t
        self.assertLessEqual(balance, 1e-6)  # what runs over is lost, nothing is made
        if found.high_h == 0.0:
            self.assertAlmostEqual(balance, 0.0, places=6)

    def test_a_level_is_less_sure_the_further_ahead_and_never_by_more_than_a_tenth(self):
        told = [half_t(self.tower, 6.0, h) for h in (0.0, 3.0, 12.0, 72.0, 1000.0)]
        self.assertEqual(told, sorted(told))
        self.assertEqual((told[0], told[-1]), (0.0, 10.0))


class Plans(Desk):
    def plan(self, minutes: float = 0.0) -> Plan:
        return Plan(make.state(minutes))

    def test_it_opens_as_it_is_queued_and_says_what_meets_what(self):
        self.as_("mr")
        page = self.client.get(URL)
        plan = self.plan()
        self.assertEqual([w.number for w in plan.waiting], ["H-0413", "H-0414", "H-0415", "H-0416"])
        self.assertEqual(page.context["name"], "queued")
        self.assertContains(page, "as it is queued")
        for found in plan.found():
            self.assertEqual(checker.of_orders(found.found, plan.machine), [])
        self.assertTrue(all(a.rank <= b.rank for a, b in zip(plan.found(), plan.found()[1:], strict=False)))
        self.assertEqual(wash_h(plan.state.mill, "WP110", "EX70"), 0.75)
        self.assertEqual(wash_h(plan.state.mill, "none", "EX70"), WASH_H)
        for key, c in plan.queued.courses.items():
            self.assertAlmostEqual(c.points[0][1], plan.state.vessels[key].content_t)
            self.assertLessEqual(c.points[-1][0], HOURS)
        first, stop = plan.queued.found.runs[0], plan.machine.stands[0]
        self.assertGreaterEqual(first.begins_h, min(stop[1], plan.free_h))

    def test_an_order_is_moved_by_its_keys_and_everything_answers(self):
        self.as_("jd")
        rows = self.client.get(URL).context["rows"]
        self.assertNotIn("earlier", rows[0])
        moved = self.client.get(URL, {"orders": rows[0]["later"]}, headers={"HX-Request": "true", "HX-Target": "answer"})
        self.assertNotContains(moved, "<html")
        self.assertEqual(moved.context["name"], "moved")
        self.assertEqual([r["w"].number for r in moved.context["rows"]][:2], ["H-0414", "H-0413"])
        self.assertContains(moved, "plan 1</a>, issued")  # dashed behind it
        self.assertContains(moved, "H-0413 is")  # it is late there, and the page says by how much
        self.assertContains(moved, "the lead or an engineer issues a plan")
        self.assertEqual(self.client.get(URL, {"orders": rows[0]["later"]}).context["weighed"]["heads"][1], "as moved")
        for broken in ("H-0413", "x,y", "H-0413,H-0413,H-0414,H-0415", "Z", "A" * 900):
            self.assertEqual(self.client.get(URL, {"orders": broken}).context["name"], "queued")

    def test_what_is_found_is_shown_and_put_in_the_plan_and_shows_in_the_queue(self):
        self.as_("mr")
        before = {o.subject: o.data["start"] for o in Record.objects.current().filter(kind=Kind.ORDER)}
        orders = "H-0414,H-0413,H-0415,H-0416"
        self.assertEqual(self.client.post(f"{URL}put/", {"orders": orders, "seen": "1"}).status_code, 302)
        now = {o.subject: o.data for o in Record.objects.current().filter(kind=Kind.ORDER)}
        self.assertLess(now["H-0414"]["start"], now["H-0413"]["start"])
        self.assertEqual(now["H-0411"]["start"], before["H-0411"])  # started ones stay
        plan = self.plan()
        self.assertEqual([w.number for w in plan.waiting], orders.split(","))
        was = datetime.fromisoformat(before["H-0413"])
        due = next(w.due for w in plan.waiting if w.number == "H-0413")
        self.assertGreater(due, was)  # what is due stays due when its start moves
        self.assertGreater(plan.queued.found.late_h, 0.0)
        queue = [o.subject for o in self.client.get("/schedule/").context["waiting"]]
        self.assertEqual(queue[:2], ["H-0414", "H-0413"])
        self.assertContains(
            self.client.post(f"{URL}put/", {"orders": orders, "seen": "1"}, follow=True), "meanwhile; look again"
        )
        again = self.client.post(f"{URL}put/", {"orders": orders, "seen": "2"}, follow=True)
        self.assertContains(again, "Nothing had to move")
        self.assertContains(self.client.post(f"{URL}put/", {"orders": "H-0414"}, follow=True), "look again")

    def test_who_may_not_plan_puts_nothing_and_a_card_keeps_its_start(self):
        self.as_("jd")
        orders = "H-0414,H-0413,H-0415,H-0416"
        self.assertEqual(self.client.post(f"{URL}put/", {"orders": orders}).status_code, 403)
        self.as_("pn")
        make.issue_card(self.client)  # of H-0413
        refused = self.client.post(f"{URL}put/", {"orders": "H-0414,H-0415,H-0416,H-0413", "seen": "1"}, follow=True)
        self.assertContains(refused, "A card is issued for what would move")
        self.assertFalse(Record.objects.filter(kind=Kind.ORDER, reason="planned").exists())

    def test_a_card_that_begins_soon_keeps_its_place(self):
        self.as_("pn")
        make.issue_card(self.client)
        late = Plan(make.state(6 * 60 - 90))  # 16:45 is under two hours away
        (fixed,) = late.fixed
        self.assertEqual(late.waiting[fixed].number, "H-0413")
        self.assertTrue(all(j.found.orders[0] == fixed for j in late.found()))
        self.assertIsNone(late.read("H-0414,H-0413,H-0415,H-0416"))

    def test_as_json(self):
        self.as_("cv")
        told = self.client.get(URL, {"json": "1"}).json()
        self.assertEqual([o["order"] for o in told["orders"]], ["H-0413", "H-0414", "H-0415", "H-0416"])
        begins = [datetime.fromisoformat(o["begins"]) for o in told["orders"]]
        self.assertEqual(begins, sorted(begins))
        self.assertTrue(all(datetime.fromisoformat(o["ends"]) > b for o, b in zip(told["orders"], begins, strict=True)))
        self.assertIn("K.tower", told["levels_t"])
        self.assertLess(begins[0] - make.NOW, timedelta(hours=8))


class Fits(Desk):
    URL = "/schedule/fits/"

    def setUp(self):
        self.as_("mr")

    def test_a_stop_that_fits_tells_its_feeds_and_one_hour_more_than_the_longest_does_not(self):
        first = self.client.get(self.URL, {"vessel": "M.tower", "stop_in": "2", "stop_for": "1", "end": "15"})
        self.assertTrue(first.context["holds"])
        found = first.context["found"]
        self.assertEqual(checker.of_silo(found.result, found.case), [])
        self.assertTrue(any(s["stop"] for s in first.context["steps"]))
        longest = first.context["longest"]
        asked = {"vessel": "M.tower", "stop_in": "2", "end": "15"}
        self.assertContains(self.client.get(self.URL, {**asked, "stop_for": f"{longest + 1:.0f}"}), "It cannot be done")
        self.assertContains(first, "/models/schedule.silo/")
        v = make.state(0).vessels["M.tower"]
        self.assertAlmostEqual(found.case.now_t, v.content_t, delta=0.01)

    def test_one_that_does_not_says_which_rules_and_what_would_relieve_it(self):
        page = self.client.get(self.URL, {"vessel": "R.tower", "stop_in": "4", "stop_for": "20", "most": "2.4", "end": "40"})
        self.assertFalse(page.context["holds"])
        self.assertEqual(page.context["rules"], ["the stop of its feed", "the level at the end", "the draw"])
        self.assertContains(page, "Any one of")
        self.assertTrue(any("stop for" in r for r in page.context["reliefs"]))

    def test_what_cannot_be_is_told_beside_its_well_and_another_tower_opens_anew(self):
        page = self.client.get(self.URL, {"stop_in": "soon", "stop_for": "99"})
        self.assertContains(page, "must be a number")
        self.assertContains(page, "it must be 0 to 48")
        self.assertContains(page, 'value="soon"')
        self.assertEqual(self.client.get(self.URL, {"vessel": "no.such"}).context["key"], "K.tower")


class OnAnotherMill(TestCase):
    def test_a_stop_is_tried_there_too(self):
        second_mill.build()
        make.forget()
        self.client.force_login(make.person("o2"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.get("/schedule/fits/").status_code, 200)

    def test_a_mill_without_an_order_says_so(self):
        second_mill.build()
        make.forget()
        self.client.force_login(make.person("o2"), backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get(URL)
        self.assertContains(page, "No order waits")
