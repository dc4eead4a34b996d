"""Plans that are issued: versions, what moved after a trip, what came instead; files of plans and orders, in and out."""

import csv
import io
import json
import re
from copy import copy
from datetime import datetime, timedelta
from functools import cache
from html import unescape
from types import SimpleNamespace
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone
from icalendar import Calendar

from core.cook.house import BLOW_MIN
from core.plan import checker
from core.plan.cycles import BlowTank, Stand
from core.plan.feeds import plan_feeds
from core.plan.levels import level_at
from desk.cook.lanes import blow_tank, coming_cooks
from desk.cook.models import Cook
from desk.instruments.store import at_minute
from desk.kit.lane import Bars, Flags, Stack, Steps
from desk.lab.looks import coming as coming_rounds
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.mill.planned import of_plan
from desk.people.models import Person, Role
from desk.recovered.lanes import coming_batches
from desk.schedule.order_plan import HOURS, Plan, stands_of
from desk.schedule.plan_lanes import all_lanes
from desk.schedule.versions import SAME_H, came, learnt, moved_from, newest, versions
from tests import make, second_mill
from tests.desk.test_bleach import Desk

URL = "/schedule/plan/"
QUEUED = "H-0413,H-0414,H-0415,H-0416"


searched = cache(plan_feeds)  # the rates of the same towers are the same: looked for once a process


class Planned(Desk):
    """The clock stands still between what sets it, so that two looks at a plan are at the same towers."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        stands = timezone.now()
        cls.enterClassContext(mock.patch("desk.mill.clock.timezone", SimpleNamespace(now=lambda: stands)))
        cls.enterClassContext(mock.patch("desk.schedule.order_plan.plan_feeds", searched))
        set_clock(make.NOW)

    def setUp(self):
        make.forget()
        self.as_("mr")

    def stop(self, **typed):
        told = {
            "unit": "",
            "from": "10:42",
            "to": "14:00",
            "what": "trip",
            "does": "stop",
            "planned": "no",
            "why": "",
            "number": "",
        }
        answer = self.client.post("/schedule/stops/", {**told, **typed})
        self.assertEqual(answer.status_code, 302, answer.context and answer.context["bad"])

    def issue(self, orders: str = QUEUED, **more):
        seen = newest(make.state(1))
        return self.client.post(f"{URL}put/", {"orders": orders, "seen": seen.number if seen else 0, **more}, follow=True)


class Versions(Planned):
    def test_each_issue_is_the_next_version_with_its_words_and_is_not_rewritten(self):
        kept = newest(make.state(1))
        self.assertEqual((kept.number, kept.record.signed), (1, "lead M.R."))
        self.assertContains(self.issue(why="label <b>first</b>", orders="H-0414,H-0413,H-0415,H-0416"), "Plan 2 is issued.")
        second, first = versions(make.state(1))
        self.assertEqual(
            (second.number, second.record.words, second.record.about_id), (2, "label <b>first</b>", first.record.pk)
        )
        self.assertEqual(first.record.data, kept.record.data)
        page = self.client.get(f"{URL}1/")
        self.assertContains(page, "in its place plan 2")
        self.assertNotContains(page, "<b>first</b>")
        self.assertEqual(self.client.get(f"{URL}3/").status_code, 404)
        self.assertContains(self.client.get("/log/"), "Plan 2: H-0414, H-0413")

    def test_a_plan_that_nobody_changed_moves_nothing_and_who_saw_another_is_told(self):
        self.issue()
        self.assertContains(self.issue(), "Nothing had to move.")
        page = self.client.get(URL).content.decode()
        self.assertIn("As plan 3 has it", page)
        late = self.client.post(f"{URL}put/", {"orders": QUEUED, "seen": "2"}, follow=True)
        self.assertContains(late, "Plan 3 was issued by lead M.R. meanwhile; look again.")
        self.assertEqual(newest(make.state(1)).number, 3)
        self.as_("jd")
        self.assertEqual(self.client.post(f"{URL}put/", {"orders": QUEUED, "seen": "3"}).status_code, 403)

    def test_after_a_trip_everything_behind_it_moves_and_the_new_plan_says_what(self):
        before = Plan(make.state(0)).queued
        self.issue()
        self.stop(to="13:30")
        state = make.state(0)
        plan = Plan(state)
        self.assertEqual(plan.running[0][2], 0.0)  # what runs stands first, then goes on for as long as it had left
        self.assertAlmostEqual(
            sum(r * (b - a) for a, b, r in plan.running),
            sum(r * (b - a) for a, b, r in Plan(make.state(-1)).running),
            delta=0.1,
        )
        after = plan.queued
        for was, now in zip(before.found.runs, after.found.runs, strict=True):
            self.assertGreaterEqual(now.begins_h + 1e-6, was.begins_h)
        self.assertEqual(checker.of_orders(after.found, plan.machine), [])
        page = self.client.get(URL)
        self.assertContains(page, "moved from plan 2: H-0413")
        self.assertGreater(after.courses["K.tower"].at(4.0), before.courses["K.tower"].at(4.0))  # nothing is drawn meanwhile
        self.assertContains(self.issue(why="trip"), "Plan 3 is issued.")
        starts = {o.subject: o.data["start"] for o in Record.objects.current().filter(kind=Kind.ORDER)}
        self.assertGreaterEqual(datetime.fromisoformat(starts["H-0413"]), make.NOW.replace(hour=15, minute=30))
        queue = self.client.get("/schedule/").context["waiting"]
        self.assertEqual([o.start for o in queue], sorted(o.start for o in queue))

    def test_moves_are_counted_from_what_was_issued_and_what_has_begun_has_not_moved(self):
        was = {"A": (1.0, 3.0), "B": (4.0, 6.0), "C": (-2.0, 0.5)}
        self.assertEqual(moved_from({"A": (1.0 + SAME_H / 2, 3.0), "B": (4.2, 6.2), "C": (-1.0, 0.5)}, was), ["B"])
        self.assertEqual(moved_from({"D": (0.0, 1.0)}, was), ["D"])


class Came(Planned):
    def test_levels_beside_what_was_foreseen_are_those_that_were_read(self):
        state = make.state(0)
        (version,) = versions(state)
        told = came(state, version, state.now)
        self.assertEqual({c.hours for c in told}, {1.0, 2.0, 4.0})
        for c in told:
            with self.subTest(vessel=c.vessel, hours=c.hours):
                read = at_minute(f"level.{c.vessel}", version.from_ + timedelta(hours=c.hours))
                self.assertAlmostEqual(c.read_t, read.value / 100.0 * state.mill.vessels[c.vessel].full_t)
                self.assertAlmostEqual(c.foreseen_t, level_at(version.record.data["levels"][c.vessel], c.hours))
                self.assertGreater(c.sd_t, 0.0)
        found, count = learnt(state)
        self.assertEqual(count, len(told))
        self.issue()
        self.assertAlmostEqual(newest(make.state(1)).factor, found.factor, places=3)  # the next plan's bands have learnt it
        self.assertEqual(versions(make.state(1))[1].factor, 1.0)

    def test_the_page_draws_both_and_gives_the_reasons_of_an_order_that_ran_late(self):
        self.client.post("/log/note/", {"words": "felt torn at the couch"})
        page = self.client.get(f"{URL}1/")
        self.assertContains(page, "not begun")
        self.assertContains(page, "not in the plan")  # the refiner that tripped in the morning
        figures = page.context["worked"].result
        self.assertContains(page, f"{figures.inside_pct:.0f}</a>")
        self.stop(to="12:30", what="felt torn")
        late = make.NOW + timedelta(hours=7)
        set_clock(late)
        again = self.client.get(f"{URL}1/")
        ran = {r.number: r for r, _ in again.context["ran"]}
        self.assertIsNone(ran["H-0413"].ran)  # was to begin at 15:30 and has not
        self.assertIn("felt torn", " ".join(r.says for r in ran["H-0413"].reasons))
        self.assertEqual(ran["H-0416"].reasons, ())

    def test_blows_and_orders_are_told_by_how_far_they_were_off(self):
        before = self.client.get(f"{URL}1/").context["durations"]
        self.assertEqual(before.orders, ())
        (version,) = versions(make.state(0))
        name, (_, ends) = next(
            (n, s) for n, s in version.cooks.items() if Cook.objects.filter(number=int(n), blown_at=None).exists()
        )
        cook = Cook.objects.get(number=int(name))
        planned = make.NOW + timedelta(hours=ends)
        Cook.objects.filter(pk=cook.pk).update(blown_at=planned + timedelta(minutes=17.0 - BLOW_MIN))
        set_clock(planned + timedelta(hours=1))
        after = self.client.get(f"{URL}1/").context["durations"]
        self.assertEqual(after.cooks, before.cooks + 1)
        self.assertAlmostEqual(after.bias_min * after.cooks, before.bias_min * before.cooks + 17.0, delta=0.01)

    def test_before_any_plan_the_page_says_so(self):
        with make_without_plans():
            page = self.client.get(URL)
            self.assertContains(page, "no plan is issued yet")
            self.assertContains(page, "Issue as plan 1")
            self.assertIsNone(learnt(make.state(0)))


def make_without_plans():
    none = {"plans_issued": lambda now: Record.objects.none(), "plan_in_force": lambda now: None}
    return mock.patch.multiple("desk.mill.planned", PLAN_STATUS="none", **none)


class Followed(Planned):
    """What the plan in force says of the next order is what covers, the hours ahead and the machine's page count with."""

    def test_covers_and_the_machine_page_go_by_the_plan_until_a_card_is_issued(self):
        state = make.state(0)
        run, grade = state.next_run, state.mill.grades["LB80"]
        self.assertEqual((run.order, run.told_by, run.gsm), ("H-0413", "plan 1", grade.gsm))
        self.assertAlmostEqual(sum(run.t_h.values()), run.solids_t_h * sum(grade.shares.values()))
        case = state.cover_case("K.tower", 50.0)
        self.assertAlmostEqual(case.next_out, grade.shares["K"] * run.solids_t_h)
        self.assertAlmostEqual(case.next_h, (run.start - state.now).total_seconds() / 3600.0)
        self.assertContains(self.client.get("/deliver/machine/"), "plan 1")
        make.issue_card(self.client)
        carded = make.state(1)
        self.assertEqual((carded.next_run.order, carded.next_run.told_by), ("H-0413", "next card"))
        self.assertAlmostEqual(carded.cover_case("K.tower", 50.0).next_out, 0.60 * carded.next_run.solids_t_h, places=2)

    def test_another_plan_puts_another_order_next_and_one_that_has_begun_is_not_next(self):
        self.issue(orders="H-0414,H-0413,H-0415,H-0416")
        self.assertEqual(make.state(1).next_run.order, "H-0414")
        at = (make.state(1).next_run.start - make.NOW).total_seconds() / 60.0
        later = make.state(at + 1.0)
        self.assertEqual(later.next_run.order, "H-0413")
        self.assertIsNone(make.state(4 * 24 * 60.0).next_run)  # all of it lies behind

    def test_an_order_of_a_grade_that_is_gone_follows_nobody(self):
        state = make.state(0)
        mill = copy(state.mill)
        object.__setattr__(mill, "grades", {k: g for k, g in mill.grades.items() if k != "LB80"})
        state.__dict__["mill"] = mill
        self.assertIsNone(of_plan(state))


class Clock(Planned):
    def lanes(self, state=None):
        plan = Plan(state or make.state(1))
        return plan, {lane.name: lane for lane in all_lanes(plan, plan.queued)}

    def test_everything_stands_on_one_clock_in_the_way_of_the_fibre(self):
        _, lanes = self.lanes()
        cooking = ["Digesters", "Continuous", "Steam", "Blow tank", "White liquor"]
        self.assertEqual(list(lanes), [*cooking, "Bleach", "Pulpers", "Broke by shade", "Samples, rounds"])
        kinds = {"Digesters": Bars, "Steam": Steps, "Broke by shade": Stack, "Samples, rounds": Flags}
        for name, kind in kinds.items():
            self.assertIsInstance(lanes[name], kind)
        for hours in (72, 24, 8):
            page = self.client.get(URL, {"h": hours}).content.decode()
            self.assertNotRegex(page, r"\b(nan|inf|None)\b")
        self.assertRegex(page, r"1150, blow \d\d:\d\d")  # at 8 hours each cook by its blow
        self.assertEqual(self.client.get(URL, {"h": "9"}).context["wide"], "72")

    def test_a_stop_of_a_digester_takes_its_cooks_out_and_its_tower_lacks_them(self):
        whole = Plan(make.state(0)).queued.courses["K.tower"]
        self.stop(unit="1", **{"from": "18:00", "to": "23:30"}, what="inspection", planned="yes")
        plan, lanes = self.lanes()
        one = lanes["Digesters"].rows[0]
        (stand,) = (x for x in plan.stands if x.unit)
        begins, ends = stand.from_h, stand.to_h
        self.assertAlmostEqual(ends - begins, 5.5)
        self.assertTrue(all(b.to_h <= begins + 1e-6 or b.from_h >= ends - 1e-6 for b in one))
        known, coming = coming_cooks(plan.state, HOURS, plan.stands)
        own = [Stand(s.unit, 60.0 * s.from_h, 60.0 * s.to_h) for s in plan.stands if s.unit]
        self.assertEqual(checker.of_cycles(coming, own), [])
        self.assertTrue(all(c.rise_at - c.fill_min >= b.end for c in coming for b in known if b.digester == c.digester))
        self.assertGreater(plan.queued.courses["K.tower"].short_t, whole.short_t + 1.0)
        (cut,) = plan.cuts["K.tower"]
        fed = plan.state.full_rates["K.tower"][0]
        self.assertTrue(0.2 * fed < cut.t_h < 0.5 * fed, (cut, fed))  # half of what larch gives to the tower
        self.assertNotIn("S.tower", plan.cuts)

    def test_batches_of_a_pulper_keep_its_chest_between_its_levels(self):
        state = make.state(0)
        vat = next(v for v in state.mill.vats.values() if v.source == "R")
        told = coming_batches(state, vat, 72.0)
        self.assertGreater(len(told), 20)
        for (a, b), (c, _) in zip(told, told[1:], strict=False):
            self.assertAlmostEqual(b - a, vat.minutes / 60.0)
            self.assertGreaterEqual(c + 1e-9, b)

    def test_rounds_are_due_in_this_shift_and_the_next_until_they_are_done(self):
        state = make.state(0)
        told = coming_rounds(state, 36.0)
        hours = {round(h, 2) for h, _ in told if h > 0.0}
        shift_h = state.mill.shift_h
        by = [1.5, 0.75 * shift_h]
        started = (state.shift.start - state.now).total_seconds() / 3600.0
        wanted = {
            round(started + k * shift_h + h, 2) for k in range(1, 4) for h in by if 0.0 < started + k * shift_h + h < 36.0
        }
        self.assertLessEqual(wanted, hours)
        lines = {line for _, line in told}
        self.assertTrue(lines)
        _, lanes = self.lanes()
        self.assertTrue([f for f in lanes["Samples, rounds"].flags if f.text.startswith("round of")])

    def test_steam_and_blow_tank_stand_under_what_the_set_up_allows(self):
        plan, lanes = self.lanes()
        mill = plan.state.mill
        self.assertEqual((lanes["Steam"].limit, lanes["Blow tank"].limit), (mill.steam_allowed_t_h, mill.blow_tank_t))
        self.assertLessEqual(lanes["Blow tank"].most[1], mill.blow_tank_t + 1e-9)
        known, coming = coming_cooks(plan.state, HOURS, ())
        tank = blow_tank(plan.state, known)
        self.assertEqual(checker.of_blow_tank([*known, *coming], tank), [])
        slow = BlowTank(coming[0].pulp_t + 0.5, 0.0, 2.0)  # each waits until the one before it is drawn
        with mock.patch("desk.cook.lanes.blow_tank", lambda state, known: slow):
            _, fewer = coming_cooks(plan.state, HOURS, ())
        self.assertLess(len(fewer), len(coming))
        page = self.client.get(URL).context
        self.assertTrue(any(b.startswith("Blow tank, greatest") for b in page["binds"]))
        wells = {w["name"]: w["text"] for w in self.client.get("/cook/house/").context["wells"]}
        self.assertEqual(float(wells["tank_t"]), plan.state.mill.blow_tank_t)
        self.assertAlmostEqual(float(wells["wash_t_h"]), tank.draw_t_h, places=2)

    def test_white_liquor_is_what_cooks_are_charged_with(self):
        plan, lanes = self.lanes()
        lane = lanes["White liquor"]
        steady = min(v for _, v in lane.points)
        given = sum((b - a) * (v - steady) for (a, v), (b, _) in zip(lane.points, lane.points[1:], strict=False))
        cooks = [b for row in lanes["Digesters"].rows for b in row if not b.known and b.to_h < HOURS]
        newest = Cook.objects.filter(digester__in=plan.state.mill.digesters).order_by("-started_at").first()
        each = newest.wood_t * newest.given.ea_pct_naoh / 100.0
        self.assertTrue(each * len(cooks) * 0.95 < given < each * (len(cooks) + 4) * 1.05, (given, each, len(cooks)))

    def test_samples_come_by_their_interval_and_wait_for_the_machine(self):
        self.stop(**{"from": "16:00", "to": "22:00"}, planned="yes")
        plan, lanes = self.lanes()
        stands = [(s.from_h, s.to_h) for s in stands_of(plan.state) if not s.unit]
        self.assertTrue(stands)
        chest = [f.hour for f in lanes["Samples, rounds"].flags if "/machine.chest." in f.href]
        self.assertTrue(chest)
        self.assertFalse([h for h in chest for a, b in stands if a <= h < b])
        kappa = [f.hour for f in lanes["Samples, rounds"].flags if f.href == "/lab/row/K.larch_blow.kappa/"]
        row = plan.state.mill.plan["K.larch_blow.kappa"]
        self.assertTrue(
            all(
                abs(b - a - row.interval_min / 60.0) < 0.51 * row.interval_min / 60.0
                for a, b in zip(kappa, kappa[1:], strict=False)
            )
        )


class RatesFound(Planned):
    """The rates of the lines for a plan: on its page, in its version, and what they do to the levels."""

    def test_they_starve_the_machine_less_and_are_shown_with_their_working(self):
        page = self.client.get(URL, {"rates": "1"})
        rows = {r["label"]: r["values"] for r in page.context["weighed"]["rows"]}
        self.assertEqual(page.context["weighed"]["heads"][-1], "with rates")
        short = next(v for k, v in rows.items() if "short" in k)
        self.assertLess(short[-1], short[0])
        plan = Plan(make.state(0))
        rated, rates = plan.with_rates(plan.queued)
        self.assertEqual(set(rates), {"K.tower", "S.tower", "M.tower", "R.tower"})  # bought pulp and broke are not set
        for vessel, r in rates.items():
            with self.subTest(vessel=vessel):
                self.assertEqual(checker.of_feeds(r.found, r.case), [])
                self.assertAlmostEqual(r.case.usual_t_h, plan.state.full_rates[vessel][0], places=3)
                self.assertAlmostEqual(sum((b - a) * t for a, b, t in r.runs()), sum(r.found.rates) * r.case.block_h)
                self.assertLessEqual(rated.courses[vessel].short_t, plan.queued.courses[vessel].short_t + 1e-6)
        working = re.search(r'href="(/models/schedule\.feeds/\?[^"]+)"', page.content.decode()).group(1)
        self.assertEqual(self.client.get(unescape(working)).status_code, 200)
        self.assertNotContains(self.client.get(URL), "Find them")

    def test_a_plan_issued_with_them_counts_on_them(self):
        self.assertContains(self.issue(rates="1"), "Plan 2 is issued")
        kept = newest(make.state(1)).record.data
        self.assertEqual(set(kept["counts_on"]), {"K.tower", "S.tower", "M.tower", "R.tower"})
        self.assertGreater(min(t for _, t in kept["levels"]["K.tower"]), 0.0)
        self.assertContains(self.client.get(f"{URL}2/"), "Rates it counts on")
        self.assertNotContains(self.client.get(f"{URL}1/"), "Rates it counts on")

    def test_a_line_that_stands_is_not_set_while_it_stands(self):
        self.stop(unit="K.bleach", **{"from": "16:00", "to": "22:00"}, what="pump", planned="yes")
        plan = Plan(make.state(1))
        _, rates = plan.with_rates(plan.queued)
        r = rates["K.tower"]
        stands = [k for k, b in enumerate(r.case.blocks) if b.stands]
        self.assertTrue(stands)
        self.assertTrue(all(r.found.rates[k] == 0.0 for k in stands))


class Files(Planned):
    HEAD = "order,grade,gsm,sale_t,speed_m_min,start,due\n"

    def bring(self, text: str, **more):
        return self.client.post("/schedule/orders/bring-in/", {"text": text, **more})

    def test_the_plan_as_csv_is_read_in_again(self):
        text = self.client.get(URL, {"csv": "1"}).content.decode()
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual([r["order"] for r in rows], QUEUED.split(","))
        looked = self.bring(text)
        self.assertEqual(
            [(r.number, r.there, r.bad) for r in looked.context["rows"]], [(n, True, ()) for n in QUEUED.split(",")]
        )
        self.assertNotContains(looked, "in the queue</button>")
        fresh = self.bring(text.replace("H-04", "H-05"), go="1")
        self.assertRedirects(fresh, "/schedule/", fetch_redirect_response=False)
        kept = {o.subject: o.data for o in Record.objects.current().filter(kind=Kind.ORDER, subject__startswith="H-05")}
        self.assertEqual(sorted(kept), ["H-0513", "H-0514", "H-0515", "H-0516"])
        for r in rows:
            new = kept[r["order"].replace("H-04", "H-05")]
            self.assertEqual((new["grade"], f"{new['sale_t']:g}"), (r["grade"], r["sale_t"]))
            self.assertEqual(datetime.fromisoformat(new["due"]), datetime.fromisoformat(r["due"]))
        count = Record.objects.count()
        self.bring(text.replace("H-04", "H-05"), go="1")  # a second time: all of them stand there
        self.assertEqual(Record.objects.count(), count)

    def test_json_is_read_too_and_a_grade_by_its_name(self):
        told = [{"order": "J-1", "grade": "Exercise white", "sale_t": 40, "start": "2026-11-15 14:00"}]
        for text in (json.dumps(told), json.dumps({"orders": told})):
            (row,) = self.bring(text).context["rows"]
            self.assertEqual((row.bad, row.values["grade"], row.values["gsm"]), ((), "EX70", 70.0))

    def test_one_wrong_line_keeps_all_of_them_out_and_says_which_and_why(self):
        count = Record.objects.count()
        for line, said in (
            ("X-1,EX70,70,forty,850,2026-11-15 14:00,", "sale_t is “forty”; it must be a number from 0.1 to 10000"),
            ("X-1,NOPE,70,40,850,2026-11-15 14:00,", "grade is “NOPE”; it must be one of"),
            (",EX70,70,40,850,2026-11-15 14:00,", "order is empty"),
            ("X-1,EX70,70,40,850,soon,", "start is “soon”; it must be a time within 60 days"),
            ("X-1,EX70,70,40,850,2029-01-01 14:00,", "it must be a time within 60 days"),
            ("X-1,EX70,70,nan,850,2026-11-15 14:00,", "sale_t is “nan”"),
            ("X-1,EX70,70,40,850,2026-11-15 14:00,\nX-1,EX70,70,40,850,2026-11-15 14:00,", "stands in the file twice"),
        ):
            with self.subTest(line=line):
                answer = self.bring(f"{self.HEAD}G-1,EX70,,30,,2026-11-16 08:00,\n{line}\n", go="1")
                self.assertContains(answer, said, status_code=422)
                self.assertContains(answer, "G-1,EX70", status_code=422)  # what was typed stays
                self.assertEqual(Record.objects.count(), count)

    def test_a_broken_or_hostile_file_is_refused_in_words(self):
        for text, said in (
            ("", "It holds no order"),
            ("[1, 2]", "JSON must be a list of orders"),
            ('{"orders": ' + "[" * 5000, "begins like JSON and is none"),
            ("a,b\n1,2\n", "It lacks the columns: order, grade, sale_t, start"),
            (self.HEAD + "X,EX70,70,40,850,2026-11-15 14:00,\n" * 201, "at most 200"),
            ("x" * 200_001, "longer than 200 kB"),
        ):
            with self.subTest(text=text[:30]):
                self.assertContains(self.bring(text), said, status_code=422)
        upload = SimpleUploadedFile("orders.csv", b"\xff\xfe\x00\x01")
        answer = self.client.post("/schedule/orders/bring-in/", {"file": upload})
        self.assertContains(answer, "no text in UTF-8", status_code=422)
        self.as_("jd")
        self.assertEqual(self.client.post("/schedule/orders/bring-in/", {"text": "x"}).status_code, 403)

    def test_a_plan_taken_away_as_json_comes_back_as_it_was_and_issues_nothing(self):
        moved = "H-0414,H-0416,H-0413,H-0415"
        text = self.client.get(URL, {"orders": moved, "json": "1"}).content.decode()
        count = Record.objects.count()
        page = self.client.post("/schedule/orders/bring-in/", {"text": text}, follow=True)
        self.assertEqual([r["w"].number for r in page.context["rows"]], moved.split(","))
        self.assertContains(page, "nothing is issued yet")
        self.assertEqual(Record.objects.count(), count)
        part = json.loads(text)
        part["orders"] = part["orders"][1:2]
        page = self.client.post("/schedule/orders/bring-in/", {"text": json.dumps(part)}, follow=True)
        self.assertEqual(page.context["rows"][0]["w"].number, "H-0416")
        part["orders"].append({"order": "H-9999"})
        self.assertContains(self.bring(json.dumps(part)), "H-9999 do not wait here", status_code=422)
        part["orders"] = "all"
        self.assertContains(self.bring(json.dumps(part)), "without a list of orders", status_code=422)

    def test_cells_that_a_spreadsheet_would_run_are_written_as_text(self):
        self.bring(f"{self.HEAD}=1+1,EX70,70,40,850,2026-11-15 14:00,\n", go="1")
        self.assertIn("'=1+1", self.client.get(URL, {"csv": "1"}).content.decode())

    def test_the_calendar_has_stops_and_critical_samples_and_a_stop_keeps_its_name_when_it_is_moved(self):
        def read() -> dict[str, dict]:
            answer = self.client.get("/schedule/plan/calendar.ics")
            self.assertEqual(answer["Content-Type"], "text/calendar; charset=utf-8")
            cal = Calendar.from_ical(answer.content)
            return {str(e["uid"]): e for e in cal.walk("VEVENT")}

        first = read()
        stops = {k: e for k, e in first.items() if k.startswith("stop-")}
        ((uid, stop),) = stops.items()
        self.assertEqual(stop["dtstart"].dt, make.NOW.replace(hour=14, minute=0))
        self.assertEqual(len(first), len(set(first)))
        self.assertTrue(all(e["dtend"].dt > e["dtstart"].dt for e in first.values()))
        told = self.client.get(URL, {"json": "1"}).json()
        self.assertEqual(len(told["stops"]), len(stops))
        halt = next(t for t in self.client.get("/schedule/stops/").context["halts"] if t.halt.what == "felts")
        self.stop(
            corrects=str(halt.record.pk), **{"from": "14:00", "to": "16:00"}, what="felts", planned="yes", why="N", number="2"
        )
        moved = read()[uid]
        self.assertEqual(moved["dtend"].dt, make.NOW.replace(hour=16, minute=0))


class OfAnotherMill(TestCase):
    """A mill without kraft or digesters, with no order at first; then one without any set-up."""

    @classmethod
    def setUpTestData(cls):
        second_mill.build()

    def setUp(self):
        make.forget()
        self.client.force_login(Person.objects.get(role=Role.LEAD), backend="django.contrib.auth.backends.ModelBackend")

    def test_an_empty_queue_then_an_order_planned_issued_and_told(self):
        self.assertContains(self.client.get(URL), "No order waits")
        for rates in ("1", "2"):
            self.assertContains(self.client.get(URL, {"rates": rates, "h": "8"}), "No order waits")
        self.client.post("/instruments/type/", {"tag": "level.T.tower", "value": "60"})
        grade = next(iter(make.state(1).mill.grades))
        self.client.post("/schedule/order/", {"order": "A-1", "grade": grade, "sale_t": "40", "start": "14:00"})
        page = self.client.get(URL, {"rates": "2"})
        self.assertNotRegex(page.content.decode(), r"\b(nan|inf|None)\b")
        self.assertNotContains(page, "Digesters")  # it has none
        issued = self.client.post(f"{URL}put/", {"orders": "A-1", "seen": "0", "rates": "1"}, follow=True)
        self.assertContains(issued, "Plan 1 is issued")
        self.assertContains(self.client.get(f"{URL}1/"), "A-1")
        self.assertEqual(self.client.get(URL, {"json": "1"}).json()["cooks"], [])
        self.assertEqual(self.client.get("/schedule/plan/calendar.ics").status_code, 200)
        self.assertIsNone(make.state(1).next_run)  # the machine stood free: it was to begin at once

    def test_without_a_set_up_every_page_of_it_says_so(self):
        with mock.patch("desk.schedule.order_plan_views.state_of", lambda request: None):
            for path in (URL, f"{URL}calendar.ics", "/schedule/orders/bring-in/"):
                with self.subTest(path=path):
                    answer = self.client.get(path)
                    self.assertIn(answer.status_code, (200, 302))
            self.assertEqual(self.client.post(f"{URL}put/", {"orders": "x"}).status_code, 302)
