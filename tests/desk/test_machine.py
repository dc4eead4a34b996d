"""At the machine, and the rows of stock, blend and delivery: they open on the mill's own state."""

from datetime import timedelta

from desk.instruments.models import Signal
from desk.schedule import halts
from tests import make
from tests.desk.test_bleach import Desk


class MachinePage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_it_opens_as_the_machine_runs(self):
        state = make.state(0)
        page = self.client.get("/deliver/machine/")
        self.assertEqual(page.context["worked"].result, state.draw)
        head = page.context["head"]
        self.assertAlmostEqual(head.result.flow_l_min, head.case.stock_l_min + head.result.water_l_min)
        tower = state.vessels["B.tower"]
        self.assertAlmostEqual(page.context["break"].case.content_t, tower.content_t, delta=0.05)
        self.assertAlmostEqual(page.context["break"].case.web_t_h, state.draw.web_t_h)
        self.assertContains(page, "120 results at the chest")

    def test_a_break_fills_the_broke_tower_and_a_change_makes_paper_off_its_grade(self):
        short, long = (self.client.get("/deliver/machine/", {"minutes": m}).context["break"].result for m in ("5", "60"))
        self.assertGreater(long.level_pct, short.level_pct)
        self.assertGreater(long.over_t, 0.0)
        self.assertContains(self.client.get("/deliver/machine/", {"minutes": "60"}), "more than the tower holds")
        same, other = (self.client.get("/deliver/machine/", {"next_iso": iso}).context for iso in ("79.4", "82"))
        self.assertNotIn("change", same)
        self.assertGreater(other["change"].result.off_t, 1.0)

    def test_what_cannot_be_is_said_at_its_well_and_kept(self):
        page = self.client.get("/deliver/machine/", {"gsm": "x", "minutes": "-1"})
        self.assertContains(page, "Basis weight is “x”")
        self.assertContains(page, 'value="-1"')
        self.assertContains(self.client.get("/deliver/machine/", {"sheet_ash": "1"}), "least")
        self.assertContains(self.client.get("/deliver/machine/", {"allowed": "0.1"}), "at least 0.50 %")

    def test_cover_goes_through_every_stop_that_is_planned(self):
        state = make.state(0)
        one = state.vessels["M.tower"]
        self.assertEqual(one.model, "stock.cover_stop")
        late = state.now + timedelta(hours=9)
        halt = halts.Halt(late, late + timedelta(hours=6), "wire change", 0.0, True)
        halts.enter(halt=halt, by=make.person("mr"), now=state.now, state=state)
        two = make.state(1).vessels["M.tower"]
        self.assertEqual(two.model, "stock.cover_plan")
        self.assertEqual(len(two.case.legs), 5)  # to the felts, felts, between, wire, after it
        self.assertLessEqual(two.cover.to_high_h, one.cover.to_high_h + 1e-6)
        self.assertEqual([leg.rate_out for leg in two.case.legs][1], 0.0)
        self.assertEqual([leg.rate_out for leg in two.case.legs][3], 0.0)
        self.as_("mr")
        self.assertContains(self.client.get("/stock/chests/"), "M tower")

    def test_rows_open_on_vessels_and_what_the_furnish_takes(self):
        self.as_("jd")
        state = make.state(0)
        page = self.client.get("/moves/", {"group": "stock"})
        stands = {x.key for x in page.context["lines"] if x.state == "stands"}
        self.assertEqual(stands, {"H3-S"})
        blend = self.client.get("/moves/", {"group": "blend"})
        self.assertEqual({x.key for x in blend.context["lines"] if x.state == "stands"}, {"N1-B"})
        row = self.client.get("/moves/row/N1-B/")
        self.assertContains(row, "Broke 7.0 to 9.0 %")
        facts = state.vessel_facts("B.tower")
        self.assertAlmostEqual(facts["share_pct"], 7.0)
        self.assertEqual(state.vessel_facts("no.such"), {})
        self.assertContains(self.client.get("/moves/row/D4/?seen=oil"), "divert and hold")


class VesselPage(Desk):
    def setUp(self):
        self.as_("jd")

    def test_a_tower_cut_open_tells_what_leaves_it_and_when_it_came(self):
        state = make.state(0)
        page = self.client.get("/stock/vessel/K.tower/")
        now, lain = state.vessels["K.tower"], page.context["lain"].result
        self.assertAlmostEqual(lain.content_t, now.content_t, delta=0.01)
        self.assertLess(lain.newest_h, lain.oldest_h)
        self.assertAlmostEqual(page.context["worked"].result.hours, now.cover.hours, delta=0.05)
        self.assertContains(page, "K last washer")
        self.assertNotContains(page, "Larch blow")  # hours away from the tower
        all_mixed = self.client.get("/stock/vessel/K.tower/", {"mixed": "100"}).context["lain"].result
        self.assertGreater(all_mixed.oldest_h - all_mixed.newest_h, lain.oldest_h - lain.newest_h)

    def test_what_is_typed_is_tried_and_what_cannot_be_is_told(self):
        page = self.client.get("/stock/vessel/machine.chest/", {"out": "20", "kw": "5"})
        self.assertEqual(page.context["worked"].case.rate_out, 20.0)
        self.assertEqual(page.context["tried"].cover.way, "empty")
        self.assertContains(page, "expect dead zones")
        self.assertContains(self.client.get("/stock/vessel/machine.chest/", {"level": "120"}), "Level")
        self.assertContains(self.client.get("/stock/vessel/machine.chest/", {"out": "x"}), "Out is “x”")
        self.assertEqual(self.client.get("/stock/vessel/none.such/").status_code, 404)

    def test_every_vessel_has_its_page_read_or_not(self):
        for key in make.state(0).mill.vessels:
            self.assertContains(self.client.get(f"/stock/vessel/{key}/"), "What leaves now")
        Signal.objects.filter(tag="level.S.tower").update(last_ms=None, last_value=None)
        self.assertContains(self.client.get("/stock/vessel/S.tower/"), "No level of it has been read")
