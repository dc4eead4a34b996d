"""A planned stop moved on the plan: levels answer, nothing is kept, and it is entered where it was tried."""

from datetime import timedelta
from urllib.parse import parse_qs, urlsplit

from desk.cook.lanes import coming_cooks, next_cooks
from desk.log.models import Kind, Record
from desk.schedule.moved_stops import movable, read_tried, stands_with
from desk.schedule.order_plan import FROZEN_H, HOURS, Plan, stands_of
from tests import make
from tests.desk.test_plan_versions import URL, Planned

PART = {"HX-Request": "true", "HX-Target": "answer"}


class MovedStop(Planned):
    def felts(self):
        """The machine's planned stop of the demo's afternoon."""
        return next(m for m in movable(make.state(1)) if not m.halt.unit)

    def test_a_stop_that_is_moved_moves_levels_and_orders_and_keeps_nothing(self):
        stop, before = self.felts(), Record.objects.count()
        plain = self.client.get(URL)
        page = self.client.get(URL, {"stop": stop.key, "by": "6"}, headers=PART)
        self.assertEqual(page.status_code, 200)
        self.assertEqual(page.context["weighed"]["heads"][:2], ["as entered", "stop moved"])
        rows = {r["label"]: r["values"] for r in page.context["weighed"]["rows"]}
        self.assertTrue(any(values[0] != values[1] for values in rows.values()))
        (moved,) = [s for s in page.context["p"]["stops"]["rows"] if s["key"] == stop.key]
        (was,) = [s for s in plain.context["p"]["stops"]["rows"] if s["key"] == stop.key]
        self.assertAlmostEqual(float(moved["x"]) - float(was["x"]), 6.0 * 720.0 / 72.0, delta=0.3)
        begins = [b["x"] for b in page.context["p"]["orders"]["bars"]]
        self.assertNotEqual(begins, [b["x"] for b in plain.context["p"]["orders"]["bars"]])
        self.assertContains(page, "As it would be with")
        self.assertNotContains(page, "Issue as plan")  # what is not entered is not issued
        self.assertEqual(Record.objects.count(), before)

    def test_it_is_as_if_it_were_entered_so(self):
        stop = self.felts()
        state = make.state(1)
        tried = read_tried(state, {"stop": stop.key, "by": "5.5"})
        as_tried = Plan(tried.mill_state(state), stands_with(state, tried)).queued
        form = {k: v[0] for k, v in parse_qs(urlsplit(tried.enter).query).items()}
        answer = self.client.post("/schedule/stops/", {"why": "", "number": "", **form})
        self.assertEqual(answer.status_code, 302, answer.context and answer.context["bad"])
        entered = make.state(1)
        self.assertEqual({(s.start, s.end) for s in entered.stops}, {(tried.start, tried.end)})
        told = Plan(entered).queued
        self.assertEqual([r.begins_h for r in told.found.runs], [r.begins_h for r in as_tried.found.runs])
        for key, course in told.courses.items():
            self.assertAlmostEqual(course.short_t, as_tried.courses[key].short_t, places=6)
        self.assertEqual(self.felts().key, stop.key)  # the same stop, moved
        self.assertIsNone(read_tried(make.state(1), {"stop": stop.key, "by": "0"}))

    def test_a_stop_of_a_unit_takes_out_of_its_tower_where_it_is_tried(self):
        self.stop(unit="K.bleach", **{"from": "16:00", "to": "22:00"}, what="pump", planned="yes")
        state = make.state(1)
        stop = next(m for m in movable(state) if m.halt.unit == "K.bleach")
        tried = read_tried(state, {"stop": stop.key, "by": "-2"})
        (cut,) = Plan(tried.mill_state(state), stands_with(state, tried)).cuts["K.tower"]
        (was,) = Plan(state).cuts["K.tower"]
        self.assertAlmostEqual(was.from_h - cut.from_h, 2.0)
        self.assertAlmostEqual(was.to_h - cut.to_h, 2.0)
        self.assertAlmostEqual(was.t_h, cut.t_h)
        self.assertIs(tried.mill_state(state), state)

    def test_what_cannot_be_tried_is_told_or_passed_over(self):
        stop, state = self.felts(), make.state(1)
        begins = (stop.halt.start - state.now).total_seconds() / 3600.0
        self.assertGreaterEqual(begins, FROZEN_H)
        early = read_tried(state, {"stop": stop.key, "by": f"{FROZEN_H - begins - 0.5:g}"})
        self.assertIn("keeps its place", early.problem)
        late = read_tried(state, {"stop": stop.key, "by": f"{HOURS - begins + 1.0:g}"})
        self.assertIn("behind", late.problem)
        page = self.client.get(URL, {"stop": stop.key, "by": f"{HOURS:g}"})
        self.assertContains(page, "behind the 72 h of the plan")
        self.assertContains(page, stop.halt.what)
        for typed in (
            {"stop": "x", "by": "1"},
            {"stop": stop.key, "by": "nan"},
            {"stop": stop.key, "by": "1e9"},
            {"stop": stop.key},
        ):
            with self.subTest(typed=typed):
                self.assertIsNone(read_tried(state, typed))
                self.assertEqual(self.client.get(URL, typed).status_code, 200)

    def test_a_trip_and_what_begins_at_once_cannot_be_moved(self):
        self.stop(**{"from": "10:50", "to": "11:30"}, what="trip", planned="no")
        self.assertEqual({m.halt.what for m in movable(make.state(1)) if not m.halt.unit}, {self.felts().halt.what})
        self.assertGreater(len(stands_of(make.state(1))), len(movable(make.state(1))))

    def test_its_keys_move_it_an_hour_and_back_and_an_operator_has_no_way_to_enter_it_where_he_may_not(self):
        page = self.client.get(URL)
        (row,) = [r for r in page.context["tries"] if r["m"].key == self.felts().key]
        later = self.client.get(f"{URL}{row['later']}", headers=PART)
        (moved,) = [r for r in later.context["tries"] if r["m"].key == row["m"].key]
        self.assertEqual(moved["start"] - row["start"], timedelta(hours=1))
        back = self.client.get(f"{URL}{moved['earlier']}", headers=PART)
        self.assertIsNone(back.context["tried"])
        self.assertContains(later, "Enter it so")
        self.as_("new")
        reader = self.client.get(f"{URL}{row['later']}", headers=PART)
        self.assertNotContains(reader, "Enter it so")
        self.assertEqual(Record.objects.filter(kind=Kind.STOP, corrects__isnull=False).count(), 0)


class HeldBackCook(Planned):
    """The next cook of a digester is put off on the plan: cooks behind it, the blow tank and the tower answer; entered it is a
    stop of that digester."""

    def held(self, by: str):
        state = make.state(1)
        tried = read_tried(state, {"hold": "1", "by": by})
        return state, tried

    def test_a_cook_that_is_put_off_comes_later_and_takes_out_of_its_tower(self):
        state, tried = self.held("4")
        known, coming = coming_cooks(state, HOURS, stands_of(state))
        _, later = coming_cooks(state, HOURS, stands_with(state, tried))
        first, then = (next_cooks(cooks)["1"] for cooks in (coming, later))
        self.assertGreaterEqual(then.rise_at - first.rise_at, 4 * 60.0 - 1e-6)
        self.assertLess(len([b for b in later if b.digester == "1"]), len([b for b in coming if b.digester == "1"]))
        (cut,) = Plan(state, stands_with(state, tried)).cuts["K.tower"]
        self.assertAlmostEqual(cut.to_h - cut.from_h, 4.0)
        page = self.client.get(URL, {"hold": "1", "by": "4"}, headers=PART)
        self.assertContains(page, "held back from")
        self.assertEqual(page.context["weighed"]["heads"][:2], ["as entered", "stop moved"])
        self.assertContains(page, "digester 1: held back")
        self.assertLess(page.context["moved"].count(", "), 0.6 * len(later))  # each names those behind it too

    def test_entered_it_is_a_stop_of_the_digester_and_the_plan_is_as_it_was_tried(self):
        state, tried = self.held("3")
        as_tried = Plan(state, stands_with(state, tried)).queued
        form = {k: v[0] for k, v in parse_qs(urlsplit(tried.enter).query).items()}
        self.assertNotIn("corrects", form)
        self.assertContains(self.client.get(tried.enter), "Enter one")
        answer = self.client.post("/schedule/stops/", {"why": "", "number": "", **form})
        self.assertEqual(answer.status_code, 302, answer.context and answer.context["bad"])
        told = Plan(make.state(1)).queued
        self.assertEqual(Record.objects.filter(kind=Kind.DOWN, subject="1").count(), 1)
        for key, course in told.courses.items():
            self.assertAlmostEqual(course.points[-1][1], as_tried.courses[key].points[-1][1], delta=0.2)  # minutes are whole

    def test_its_keys_put_it_off_by_half_hours_and_back_and_nothing_else_is_taken(self):
        (row,) = [r for r in self.client.get(URL).context["tries"] if r.get("cook") and r["m"].key == "1"]
        self.assertEqual(row["earlier"], "")
        once = self.client.get(f"{URL}{row['later']}", headers=PART)
        (moved,) = [r for r in once.context["tries"] if r.get("cook") and r["m"].key == "1"]
        self.assertEqual(moved["by"], 0.5)
        self.assertIsNone(self.client.get(f"{URL}{moved['earlier']}", headers=PART).context["tried"])
        state = make.state(1)
        for typed in ({"hold": "9", "by": "1"}, {"hold": "1", "by": "-1"}, {"hold": "1", "by": "25"}, {"hold": "1", "by": "x"}):
            with self.subTest(typed=typed):
                self.assertIsNone(read_tried(state, typed))
                self.assertEqual(self.client.get(URL, typed).status_code, 200)
