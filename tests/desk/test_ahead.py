"""The next twelve hours on the desk: as planned, with a break, a lost feed or other settings; figures as JSON; refusals."""

from datetime import timedelta
from unittest.mock import patch

from desk.cook.running import running_cooks
from desk.mill import ahead
from desk.mill.ahead import Tried, course_of
from desk.mill.drawings import cover_rows
from desk.schedule import halts
from desk.shift import kept_board
from tests import make
from tests.desk.test_bleach import Desk


class Ahead(Desk):
    def setUp(self):
        self.as_("mr")

    def met(self, page) -> dict:
        return {m.name: m for m in page.context["meets"]}

    def test_it_tells_what_cover_tells_and_what_follows_it(self):
        state = make.state(0)
        page = self.client.get("/schedule/ahead/")
        met = self.met(page)
        for key in ("S.tower", "B.tower"):
            now = state.vessels[key]
            self.assertAlmostEqual(met[now.vessel.name].hours, now.cover.hours, delta=0.25)
            self.assertEqual(met[now.vessel.name].way, now.cover.way)
        self.assertContains(page, "Not given as asked")  # the blend is short of bagasse once its tower is empty
        self.assertContains(page, "leaves its band at")
        self.assertContains(self.client.get("/schedule/"), "The next 12 hours")

    def test_a_break_fills_the_broke_tower_sooner_and_saves_the_pulps(self):
        plain = self.met(self.client.get("/schedule/ahead/"))
        page = self.client.get("/schedule/ahead/", {"break_in": "30", "break": "45"})
        broken = self.met(page)
        self.assertLess(broken["Broke tower"].hours, plain["Broke tower"].hours - 0.5)
        self.assertGreater(broken["K white tower"].hours, plain["K white tower"].hours)
        self.assertContains(page, "without it")
        self.assertContains(page, "dashed: without what is tried")

    def test_batches_go_by_the_running_cook_and_interlocks_that_trip_are_told(self):
        state = make.state(0)
        running = running_cooks(state.now)[0]
        page = self.client.get("/schedule/ahead/")
        larch, pulper = page.context["batches"]
        self.assertEqual((larch.name, larch.kept, pulper.kept), ("larch cook", True, False))
        self.assertAlmostEqual((larch.next_at - running.blows_at).total_seconds(), 0.0, delta=61.0)
        self.assertLess(larch.low_pct, larch.high_pct)
        low = page.context["tripped"][0]
        self.assertEqual(low.name, "S white tower low: its pumps stop")
        self.assertGreater(low.at, next(m.at for m in page.context["meets"] if m.name == "S white tower"))
        self.assertContains(page, "sets, resets and bypasses none")
        told = self.client.get("/schedule/ahead/json/").json()
        self.assertEqual(told["batches"][0]["unit"], "K.larch.cook")
        self.assertTrue(told["interlocks"][0]["tripped"])

    def test_a_lost_feed_and_another_setting_are_felt_where_they_flow(self):
        state = make.state(0)
        none, lost = course_of(state, Tried()), course_of(state, Tried(feed="M.chips", feed_min=720.0))
        self.assertLess(lost.level_of("M.tower")[0][-1], none.level_of("M.tower")[0][-1] - 20.0)
        self.assertAlmostEqual(lost.level_of("B.tower")[0][-1], none.level_of("B.tower")[0][-1], delta=0.5)
        page = self.client.get("/schedule/ahead/", {"s.K.refine.gross_kw.1": "260"})
        self.assertContains(page, "With the settings of a case")
        case = page.context["case"]
        harder = course_of(make.state(0), Tried(case=case))
        self.assertLess(harder.csf_ml[33, 0], none.csf_ml[33, 0] - 3.0)
        self.assertContains(self.client.get("/mill/case/", {"s.K.refine.gross_kw.1": "260"}), "Through 12 h")

    def test_planned_stops_are_in_it_and_looking_again_costs_nothing(self):
        state = make.state(0)
        before = course_of(state, Tried())
        self.assertIs(course_of(state, Tried()), before)
        late = state.now + timedelta(hours=7)
        halt = halts.Halt(late, late + timedelta(hours=3), "wire change", 0.0, True)
        halts.enter(halt=halt, by=make.person("mr"), now=state.now, state=state)
        after = course_of(make.state(0), Tried())
        self.assertGreater(after.level_of("K.tower")[0][-1], before.level_of("K.tower")[0][-1])

    def test_figures_as_json_and_what_cannot_be_is_said(self):
        told = self.client.get("/schedule/ahead/json/", {"break": "20"}).json()
        self.assertEqual(len(told["hours"]), len(told["vessels"]["K.tower"]["level_pct"]))
        self.assertEqual(told["hours"][-1], 12.0)
        bad = self.client.get("/schedule/ahead/json/", {"break": "much"})
        self.assertEqual(bad.status_code, 400)
        page = self.client.get("/schedule/ahead/", {"break": "-4", "feed": "no.such"})
        self.assertContains(page, "and lasts")
        self.assertContains(page, 'value="-4"')
        self.assertNotIn("p", page.context)
        self.assertEqual(self.client.get("/schedule/ahead/", {"s.K.refine.gross_kw.1": "9999"}).status_code, 200)

    def test_chance_is_run_told_on_the_way_and_drawn(self):
        with patch("desk.mill.ahead.RUNS", 2):
            told = self.client.post("/schedule/ahead/chance/", {"break": "20"})
            page = b"".join(told.streaming_content).decode()
        self.assertIn("<p>2 of ", page)
        self.assertIn("/schedule/ahead/?break=20", page)
        after = self.client.get("/schedule/ahead/", {"break": "20"})
        self.assertContains(after, "By chance")
        self.assertTrue(after.context["by_chance"])
        self.assertTrue(after.context["p"]["plots"][0]["sure"])
        self.assertNotContains(self.client.get("/schedule/ahead/"), "meets a limit in")
        self.assertEqual(self.client.post("/schedule/ahead/chance/", {"break": "x"}).status_code, 302)

    def test_shift_marks_what_the_hours_ahead_bring_once_they_are_worked_out(self):
        ahead._soon.clear()
        self.assertNotContains(self.client.get("/"), ", if nobody acts</title>")
        with self.settings(LOOK_AHEAD_BESIDE=True), patch("desk.mill.ahead.Thread", Beside):
            state = make.state(0)
            self.assertEqual(ahead.soon(state, 10.0, 95.0), [])  # begun beside the page
            self.assertEqual(ahead.soon(state, 10.0, 95.0)[0].told, "S white tower empty")
        marks = ahead.soon(make.state(1), 10.0, 95.0)
        self.assertEqual(sorted(marks, key=lambda m: m.at), marks)
        self.assertAlmostEqual(
            (marks[0].at - state.now).total_seconds() / 3600.0, state.vessels["S.tower"].cover.hours, delta=0.25
        )
        kept_board.forget()
        page = self.client.get("/")
        self.assertContains(page, "S white tower empty")
        self.assertContains(page, ", if nobody acts</title>")
        self.assertEqual(ahead.soon(make.state(30), 10.0, 95.0), [])  # too old to tell
        ahead._soon.clear()

    def test_cover_and_trends_draw_the_hours_ahead_once_they_are_worked_out(self):
        state = make.state(0)
        self.assertEqual(ahead.levels_ahead(state), {})
        plain = {r["v"].vessel.key: r["wedge"] for r in cover_rows(state)}
        self.assertNotContains(self.client.get("/trend/level.K.tower/?hours=8"), "Dashed after now")
        course = course_of(state, Tried())
        ahead._soon.clear()
        ahead._soon[ahead._soon_key(state)] = (state.now, course)
        try:
            told = ahead.levels_ahead(state)
            self.assertTrue({"K.tower", "S.tower", "larch.silo"} <= set(told))
            for key, found in told.items():
                with self.subTest(vessel=key):
                    self.assertAlmostEqual(found.value[0], state.vessels[key].level_pct, delta=0.2)
                    self.assertEqual((found.low[0], found.high[0]), (found.value[0], found.value[0]))  # read now: no band
                    self.assertTrue(
                        all(0.0 <= a <= v <= b <= 100.0 for a, v, b in zip(found.low, found.value, found.high, strict=True))
                    )
            card = self.client.get("/schedule/card/?order=H-0413")
            self.assertContains(card, "until it")
            self.assertTrue(all(lane["ahead"] for lane in card.context["picture"]["lanes"]))
            drawn = {r["v"].vessel.key: r for r in cover_rows(state)}
            self.assertNotEqual(drawn["K.tower"]["wedge"], plain["K.tower"])
            self.assertIn("band", drawn["K.tower"])
            self.assertEqual(drawn["W.store"]["wedge"], plain["W.store"])  # a store beside the line keeps its wedge
            for path in (
                "/trend/level.K.tower/?hours=8",
                "/trend/machine.chest.freeness/?hours=8",
                "/trend/meter.machine.chest/?hours=8",
            ):
                self.assertContains(self.client.get(path), "Dashed after now")
            for path in ("/trend/level.K.tower/?hours=336", "/trend/level.W.store/?hours=8", "/trend/K.post.kappa/?hours=8"):
                self.assertNotContains(self.client.get(path), "Dashed after now")
        finally:
            ahead._soon.clear()


class Beside:
    """A thread that does its work at once."""

    def __init__(self, target, args, daemon):
        self.target, self.args = target, args

    def start(self):
        self.target(*self.args)
