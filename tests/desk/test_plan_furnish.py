"""The furnish of the coming orders on the plan's page: within its bands and its cards, issued with the plan and followed, and
what is said where no furnish and no rate is enough."""

from dataclasses import replace
from html import unescape
from unittest import mock
from urllib.parse import parse_qs, urlsplit

from core.blend.furnish import BlendCase, Table, told
from core.plan import checker
from core.plan.shares import ENOUGH_T, plan_furnish
from desk.blend.pulps import limits_of, pulps_now
from desk.log.models import Kind, Record
from desk.mill.planned_sets import sets_due
from desk.schedule.furnish_plan import BROKE_KEPT, RUNNING, cannot, find_furnish
from desk.schedule.order_plan import Plan
from desk.schedule.versions import moved_chain, newest
from tests import make
from tests.desk.test_plan_versions import URL, Planned


class Found(Planned):
    def furnish(self, minute: float = 0):
        plan = Plan(make.state(minute))
        return plan, find_furnish(plan, plan.queued)

    def test_every_share_is_within_its_band_and_one_move_of_what_runs(self):
        plan, f = self.furnish()
        self.assertEqual(checker.of_shares(f.found, f.case), [])
        for name, own in f.shares.items():
            self.assertAlmostEqual(sum(own.values()), 1.0, places=6)
            for key, share in own.items():
                with self.subTest(run=name, pulp=key):
                    source = plan.state.mill.sources[key]
                    recipe = plan.state.shares if name == RUNNING else self.grade(plan, name).shares
                    self.assertGreaterEqual(100.0 * share, min(source.low_pct, 100.0 * recipe[key]) - 1e-4)
                    self.assertLessEqual(100.0 * share, max(source.high_pct, 100.0 * recipe[key]) + 1e-4)
                    if name == RUNNING and source.step_pct:
                        self.assertLessEqual(abs(100.0 * (share - recipe[key])), source.step_pct + 1e-4)

    def grade(self, plan, number: str):
        return plan.state.mill.grades[next(w.grade for w in plan.waiting if w.number == number)]

    def test_what_a_card_asks_for_is_kept_or_no_worse_than_its_recipe(self):
        plan, f = self.furnish()
        now = pulps_now(plan.state, 1.0)
        table = Table(tuple(p.pulp for p in now.values()))
        for name, own in f.shares.items():
            if name == RUNNING:
                continue
            grade = self.grade(plan, name)
            limits = BlendCase(**limits_of(grade), pulps=tuple(p.pulp for p in now.values()))
            recipe, then = (told(table, [s.get(k, 0.0) for k in now]) for s in (grade.shares, own))
            with self.subTest(order=name):
                self.assertGreaterEqual(then.iso_pct, min(recipe.iso_pct, limits.iso_least) - 1e-3)
                self.assertLessEqual(then.ash_pct, max(recipe.ash_pct, limits.ash_most) + 1e-3)
                self.assertGreaterEqual(then.tensile, min(recipe.tensile, limits.tensile_least) - 1e-3)

    def test_broke_is_used_up_and_the_machine_is_starved_less_than_by_the_recipes(self):
        plan, f = self.furnish()
        tower = plan.state.mill.sources["B"].vessel
        self.assertAlmostEqual(f.case.pulps[-1].keep_t, BROKE_KEPT * plan.state.mill.vessels[tower].full_t, places=2)
        broke = [own["B"] for own in f.shares.values()]
        recipe = [plan.state.shares["B"], *(self.grade(plan, n).shares["B"] for n in f.shares if n != RUNNING)]
        self.assertGreater(sum(broke), sum(recipe))
        by_recipe, _ = plan.with_rates(plan.queued)
        rated, _ = plan.with_rates(plan.queued, f.shares)
        self.assertLessEqual(rated.rank, by_recipe.rank)
        for key in ("K", "S"):
            drawn = sum(s.t_h * (s.to_h - s.from_h) for s in plan.drawn(plan.queued.found, key, f.shares))
            usual = sum(s.t_h * (s.to_h - s.from_h) for s in plan.drawn(plan.queued.found, key))
            self.assertNotAlmostEqual(drawn, usual, places=2)

    def test_the_page_shows_what_moves_with_its_working_and_the_way_to_each_card(self):
        page = self.client.get(URL, {"rates": "2"})
        self.assertEqual(page.context["weighed"]["heads"][-1], "with these")
        rows = page.context["furnishes"]
        self.assertEqual([r["name"] for r in rows], [RUNNING, "H-0413", "H-0414", "H-0415", "H-0416"])
        moved = next(r for r in rows if r["href"] and r["name"] != RUNNING)
        asked = {k: v[0] for k, v in parse_qs(urlsplit(moved["href"]).query).items()}
        shares = [float(v) for k, v in asked.items() if k.startswith("share_")]
        self.assertAlmostEqual(sum(shares), 100.0, places=6)
        card = self.client.get(moved["href"])
        self.assertEqual(card.status_code, 200)
        for key, value in asked.items():
            if key.startswith("share_"):
                self.assertContains(card, f'value="{value}"')
        running = next(r for r in rows if r["name"] == RUNNING)
        self.assertContains(self.client.get(running["href"]), "Forecast")
        working = page.context["furnish"].worked
        opened = [h for h in self.links(page) if h.startswith("/models/schedule.furnish/")]
        self.assertEqual({parse_qs(urlsplit(h).query)["show"][0] for h in opened}, {"moved_t", "over_t", "left_t"})
        shown = self.client.get(opened[0]).context
        self.assertAlmostEqual(shown["result"].moved_t, working.result.moved_t, places=3)

    def links(self, page) -> list[str]:
        text = page.content.decode()
        return [unescape(part.partition('"')[0]) for part in text.split('href="')[1:]]

    def test_an_operator_sees_it_and_has_no_way_to_a_card(self):
        self.as_("tk")
        page = self.client.get(URL, {"rates": "2"})
        self.assertTrue(page.context["furnishes"])
        self.assertFalse(any(r["href"] for r in page.context["furnishes"]))

    def test_rates_alone_keep_every_recipe(self):
        page = self.client.get(URL, {"rates": "1"})
        self.assertIsNone(page.context["furnish"])
        self.assertNotContains(page, "Moved from the recipes")

    def test_as_json_it_says_the_furnish_to_a_tenth(self):
        told = self.client.get(URL, {"rates": "2", "json": "1"}).json()
        self.assertEqual(set(told["furnish_pct"]), {RUNNING, "H-0413", "H-0414", "H-0415", "H-0416"})
        for shares in told["furnish_pct"].values():
            self.assertAlmostEqual(sum(shares.values()), 100.0, places=6)
        self.assertEqual(set(told["rates_t_h"]), {"K.tower", "S.tower", "M.tower", "R.tower"})
        plain = self.client.get(URL, {"json": "1"}).json()
        self.assertEqual((plain["furnish_pct"], plain["rates_t_h"]), ({}, {}))


class Issued(Planned):
    def test_the_next_order_is_counted_with_the_furnish_of_the_plan_until_it_has_a_card(self):
        orders = "H-0414,H-0413,H-0415,H-0416"
        self.assertContains(self.issue(rates="1", orders=orders), "Plan 2 is issued")
        before = make.state(1).next_run
        self.assertContains(self.issue(rates="2", orders=orders), "Plan 3 is issued")
        record = newest(make.state(1)).record
        told = record.data["furnish"]
        self.assertEqual(set(told), {RUNNING, "H-0413", "H-0414", "H-0415", "H-0416"})
        run = make.state(1).next_run
        self.assertEqual((run.order, run.told_by), ("H-0414", "plan 3"))
        for key, pct in told["H-0414"].items():
            self.assertAlmostEqual(run.t_h[key], pct / 100.0 * run.solids_t_h, places=9)
        self.assertAlmostEqual(sum(run.t_h.values()), sum(before.t_h.values()), places=6)
        self.assertNotEqual(run.t_h, before.t_h)
        card = self.client.get("/schedule/card/", {"order": "H-0414"})
        self.assertContains(card, "The furnish is the plan’s.")
        self.assertAlmostEqual(card.context["wish"].shares_pct["B"], told["H-0414"]["B"])
        other = self.client.get("/schedule/card/", {"order": "H-0414", "share_K": "46", "share_B": "7"})
        self.assertEqual(other.context["planned"]["put"]["share_B"], f"{told['H-0414']['B']:g}")
        self.assertFalse(other.context["planned"]["same"])

    def test_a_plan_without_it_leaves_the_recipes(self):
        self.issue(rates="1")
        state = make.state(1)
        self.assertEqual(newest(state).record.data["furnish"], {})
        grade = state.mill.grades["LB80"]
        self.assertAlmostEqual(state.next_run.t_h["K"], grade.shares["K"] * state.next_run.solids_t_h)


class CannotBeDone(Planned):
    def test_a_tower_that_runs_over_is_named_with_what_would_do(self):
        """Broke of the demo comes faster than its cards let it be used."""
        plan = Plan(make.state(0))
        f = find_furnish(plan, plan.queued)
        self.assertGreater(f.found.over_t, ENOUGH_T)
        said = cannot(f)
        self.assertIn("the room of Broke", said["rules"])
        self.assertTrue(said["together"])
        room = next(w for w in said["alone"] if w.startswith("the room of Broke"))
        more = float(room.split(": ")[1].split(" t")[0])
        wider = [p if p.name != "Broke" else self.wider(p, more + 1.0) for p in f.case.pulps]
        self.assertLess(plan_furnish(self.with_pulps(f.case, wider)).over_t, ENOUGH_T)
        page = self.client.get(URL, {"rates": "2"})
        self.assertContains(page, "Cannot be done")
        self.assertContains(page, "the room of Broke")
        self.assertNotContains(self.client.get(URL, {"rates": "1"}), "Cannot be done")

    def wider(self, pulp, by: float):
        return replace(pulp, full_t=pulp.full_t + by)

    def with_pulps(self, case, pulps):
        return replace(case, pulps=tuple(pulps))

    def test_a_long_stop_of_a_line_is_one_of_the_rules(self):
        self.stop(unit="K.bleach", **{"from": "11:00", "to": "23:30"}, what="pump", planned="yes")
        plan = Plan(make.state(1))
        f = find_furnish(plan, plan.queued)
        self.assertTrue(f.case.stops)
        self.assertGreater(f.found.short_t, ENOUGH_T)
        said = cannot(f)
        self.assertIn("the stop that takes K kraft out", said["rules"])
        self.assertTrue(any("h shorter" in w for w in said["together"] + said["alone"]))

    def test_what_holds_says_nothing(self):
        plan = Plan(make.state(0))
        f = find_furnish(plan, plan.queued)
        roomy = [self.wider(p, 500.0) if p.full_t else p for p in f.case.pulps]
        case = self.with_pulps(f.case, roomy)
        self.assertIsNone(cannot(replace(f, case=case, found=plan_furnish(case))))


class Moved(Planned):
    def test_cooks_that_all_run_late_by_the_same_are_told_once(self):
        was = {str(n): (2.0 * n, 2.0 * n + 1.5) for n in range(1, 8)}
        late = {n: (a + 0.7, b + 0.7) for n, (a, b) in was.items()}
        self.assertEqual(moved_chain(late, was, 0.5), ["1"])
        later = {n: (a + (1.4 if int(n) > 3 else 0.7), b) for n, (a, b) in was.items()}
        self.assertEqual(moved_chain(later, was, 0.5), ["1", "4"])
        self.assertEqual(moved_chain(was, was, 0.5), [])
        self.assertEqual(moved_chain({"9": (1.0, 2.0)}, was, 0.5), [])


class ToSet(Planned):
    """A plan issued with rates and furnish asks for them on Shift, in Due and on its own page until they are in force."""

    def test_a_rate_is_asked_for_by_its_feeds_until_they_are_set_and_then_no_more(self):
        self.assertEqual(sets_due(make.state(1)), ())  # the plan of the morning counts on none
        self.issue(rates="2")
        state = make.state(1)
        counted = newest(state).record.data["counts_on"]
        told = {s.name: s for s in sets_due(state)}
        for vessel, blocks in counted.items():
            now = state.full_rates[vessel][0]
            t_h = next(t for a, b, t in blocks if a <= 0.25 < b)
            name = state.mill.vessels[vessel].name
            with self.subTest(vessel=vessel):
                self.assertEqual(name in told, abs(t_h - now) > 0.02 * now)
        vessel = "K.tower"  # of two feeds
        begins, _, wanted = next(block for block in counted[vessel] if block[2] > 1.02 * state.full_rates[vessel][0])
        minute = 60.0 * begins + 2.0
        due = next(s for s in sets_due(make.state(minute)) if s.name == state.mill.vessels[vessel].name)
        self.assertEqual(len(due.feeds), 2)
        for feed in due.feeds:
            asked = {k: v[0] for k, v in parse_qs(urlsplit(feed.href).query).items()}
            self.assertContains(self.client.get(feed.href), feed.title)
            in_force = make.state(1).put_in_force.get(asked["unit"])
            seen = str(in_force.pk if in_force else 0)
            self.assertEqual(self.client.post("/mill/put/", {**asked, "seen": seen}).status_code, 302)
            make.forget()
            still = [f for s in sets_due(make.state(minute)) if s.name == due.name for f in s.feeds]
            self.assertEqual(still, list(due.feeds[due.feeds.index(feed) + 1 :]))  # the others are to be what they were to be
        make.forget()
        after = make.state(minute)
        self.assertAlmostEqual(after.full_rates[vessel][0], wanted, delta=0.02 * wanted)
        self.assertNotIn(due.name, {s.name for s in sets_due(after)})

    def test_the_furnish_of_what_runs_is_asked_for_until_it_is_in_force_or_another_order_runs(self):
        self.issue(rates="2")
        told = next(s for s in sets_due(make.state(1)) if s.name == "Furnish")
        self.assertIn("B 7.0 to", told.words)
        asked = {k: v[0] for k, v in parse_qs(urlsplit(told.href).query).items()}
        seen = Record.objects.filter(kind=Kind.SETPOINT, subject="blend.shares").order_by("-id").first()
        self.assertContains(self.client.get(told.href), "plan 2")
        answer = self.client.post("/blend/put/", {**asked, "seen": str(seen.pk if seen else 0)})
        self.assertEqual(answer.status_code, 302)
        make.forget()
        self.assertNotIn("Furnish", {s.name for s in sets_due(make.state(2))})

    def test_it_stands_on_shift_in_due_and_on_the_plan_and_an_operator_sees_it(self):
        self.issue(rates="2")
        sets = sets_due(make.state(1))
        self.assertTrue(sets)
        self.as_("tk")
        shift = self.client.get("/")
        self.assertContains(shift, f"Set {sets[0].name}")
        self.assertContains(shift, "plan 2:")
        self.assertContains(self.client.get("/lab/"), "To set by plan 2")
        page = self.client.get(URL)
        self.assertContains(page, "To set now")
        self.assertEqual(len(page.context["sets"]), len(sets))

    def test_a_line_that_is_to_stand_has_no_way_and_one_that_is_gone_is_left_out(self):
        self.issue(rates="1")
        record = newest(make.state(1)).record
        data = {
            **record.data,
            "counts_on": {"K.tower": [[0.0, 4.0, 0.0]], "gone.tower": [[0.0, 4.0, 3.0]], "S.tower": [[8.0, 9.0, 1.0]]},
            "furnish": {RUNNING: {"K": 50.0, "X": 50.0}},
        }
        state = make.state(1)
        state.__dict__["plan_in_force"] = mock.Mock(data=data, at=record.at)
        (told,) = sets_due(state)
        self.assertEqual(told.name, state.mill.vessels["K.tower"].name)
        self.assertTrue(told.feeds)
        self.assertTrue(all(f.href == "" and f.after == 0.0 for f in told.feeds))
        self.assertIn("stands", told.words)


class ByChance(Planned):
    def test_a_plan_with_rates_and_furnish_is_short_by_chance_less_often_than_without(self):
        plan = Plan(make.state(1))
        f = find_furnish(plan, plan.queued)
        plain = plan.chances(plan.queued, {}, {}, 1.0)
        rated, rates = plan.with_rates(plan.queued, f.shares)
        eased = plan.chances(rated, rates, f.shares, 1.0)
        self.assertLess(eased[""], plain[""])
        self.assertEqual(set(eased), {"", *plan.queued.courses})
        self.assertGreaterEqual(eased[""], max(v for k, v in eased.items() if k))
        self.assertEqual(plan.chances(plan.queued, {}, {}, 0.0)[""], float(plan.queued.short_t > 0.1))
        for asked, chances in (("", plain), ("2", eased)):
            page = self.client.get(URL, {"rates": asked})
            said = float(page.context["chance"].split(" in ")[1].split(" of ")[0])
            with self.subTest(rates=asked):
                self.assertAlmostEqual(said, 100.0 * chances[""], delta=6.0)  # the clock has gone on by a minute
