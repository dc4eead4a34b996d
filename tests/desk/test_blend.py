"""Blend on the desk: the recipe as it runs, least cost and its steps put in force, nothing fits, refusals, set back."""

from desk.blend.pulps import pulps_now, source_now
from desk.log.models import Kind, Record
from tests import make
from tests.desk.test_bleach import Desk

HERE = "/blend/"


class BlendPage(Desk):
    def setUp(self):
        self.as_("mr")

    def given(self, shares, **more):
        return {**{f"s{i}": str(s) for i, s in enumerate(shares)}, "seen": self.seen(), "back": HERE, **more}

    def seen(self):
        newest = Record.objects.current().filter(kind=Kind.SETPOINT, subject="blend.shares").order_by("-at", "-id").first()
        return newest.pk if newest else 0

    def test_it_opens_as_the_furnish_runs_and_on_the_line_s_own_pulps(self):
        state = make.state(0)
        page = self.client.get(HERE)
        case = page.context["worked"].case
        self.assertEqual([round(p.share_pct, 6) for p in case.pulps], [round(100 * s, 6) for s in state.shares.values()])
        kraft = state.solution.drawn_from("K.tower").quality
        self.assertAlmostEqual(case.pulps[0].csf_ml, kraft.csf_ml)
        self.assertAlmostEqual(case.pulps[0].k457, kraft.k457, places=6)
        self.assertAlmostEqual(case.pulps[0].tensile, state.line.acts["K.refine"].worked[1].result.tensile)
        self.assertNotIn("put", page.context)
        self.assertLess(case.csf_sd, 0.03)  # from the chest’s own results, not the default
        self.assertContains(page, "of 120 results")

    def test_least_cost_says_what_holds_it_and_a_step_is_put_in_force_and_set_back(self):
        page = self.client.get(HERE, {"least": "1"})
        found = page.context["least"].result
        self.assertGreater(found.saves, 0.0)
        self.assertContains(page, "What holds it")
        self.assertContains(page, "First of")
        see = self.client.get(page.context["step"]["put"])
        self.assertContains(see, "S white tower")
        shares = [float(see.context["given"][i][1]) for i in range(6)]
        self.assertAlmostEqual(sum(shares), 100.0, places=1)
        without = self.client.post("/blend/put/", self.given(shares))
        self.assertEqual(without.status_code, 422)
        self.assertContains(without, "say why the furnish is changed", status_code=422)
        before = make.state(5).vessels["S.tower"].cover.hours
        self.assertEqual(self.client.post("/blend/put/", self.given(shares, why="bagasse runs short")).status_code, 302)
        make.forget()
        self.addCleanup(make.forget)
        after = make.state(5)
        self.assertAlmostEqual(100 * after.shares["S"], shares[1], places=2)
        self.assertGreater(after.vessels["S.tower"].cover.hours, before + 0.1)
        kept = Record.objects.order_by("-id").first()
        self.assertEqual(kept.words, "bagasse runs short")
        late = self.client.post("/blend/put/", {**self.given([50, 14, 10, 14, 5, 7], why="again"), "seen": "0"})
        self.assertContains(late, "meanwhile", status_code=422)
        self.assertEqual(self.client.post(f"/blend/back/{kept.pk}/").status_code, 302)
        make.forget()
        self.assertAlmostEqual(100 * make.state(5).shares["S"], 18.0, places=6)

    def test_nothing_fits_says_what_must_give(self):
        page = self.client.get(HERE, {"least": "1", "csf_least": "388"})
        self.assertContains(page, "These cannot hold together")
        self.assertContains(page, "Least give, one")
        self.assertNotIn("step", page.context)
        eased = self.client.get(HERE, {"least": "1", "csf_least": "360"})
        self.assertIn("step", eased.context)

    def test_what_cannot_be_is_said_at_its_well_and_kept(self):
        page = self.client.get(HERE, {"share0": "60"})
        self.assertContains(page, "makes the recipe 114 %")
        self.assertContains(page, 'value="60"')
        self.assertContains(self.client.get(HERE, {"iso_least": "x"}), "Brightness, at least is “x”")
        wrong = self.client.post("/blend/put/", self.given([50, 18, 10, 14, 5, 7], why="x"))
        self.assertContains(wrong, "The shares make 104 %", status_code=422)
        self.assertContains(self.client.post("/blend/put/", {"why": "x"}), "not told", status_code=422)
        self.assertEqual(self.client.get("/blend/put/").status_code, 302)
        self.as_("wa")
        self.assertEqual(self.client.post("/blend/put/", self.given([48, 16, 10, 14, 5, 7], why="x")).status_code, 403)

    def test_supply_follows_what_the_line_makes_and_how_long_it_must_last(self):
        state = make.state(0)
        short, long = pulps_now(state, 1.0), pulps_now(state, 48.0)
        for key in short:
            self.assertGreaterEqual(short[key].pulp.supply_pct, long[key].pulp.supply_pct)
        self.assertAlmostEqual(source_now(state, "W").csf_ml, 540.0)


class BrokePage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_it_opens_on_the_tower_and_the_yard_and_a_dark_shade_makes_mixing_costly(self):
        state = make.state(0)
        page = self.client.get("/blend/broke/")
        stores = page.context["worked"].case.stores
        self.assertAlmostEqual(stores[0].t, state.vessels["B.tower"].content_t, delta=0.1)
        self.assertEqual([s.suits for s in stores], ["this grade", "this grade", "other grades"])
        self.assertGreater(stores[1].t + stores[2].t, 1.0)  # lots of the yard
        dark = self.client.get("/blend/broke/", {"iso2": "8", "t2": "30", "t0": "5", "made0": "0"})
        self.assertLess(dark.context["worked"].result.together_pct, page.context["worked"].result.together_pct)
        self.assertLess(dark.context["worked"].result.better, -1000.0)
        self.assertContains(dark, "Kept apart more of it")
        self.assertContains(self.client.get("/blend/broke/", {"t0": "x"}), "Broke tower, stored is “x”")


class OrderFurnish(Desk):
    """The run card takes the furnish and the refiners with it."""

    CARD = {"order": "H-0413", "grade": "LB80", "gsm": "80", "sale_t": "50", "speed_m_min": "880", "start": "16:45"}
    SHARES = {"share_K": "56", "share_S": "10", "share_M": "6", "share_R": "13", "share_W": "5", "share_B": "10"}

    def setUp(self):
        self.as_("mr")

    def test_a_card_offers_least_cost_within_what_the_towers_give(self):
        page = self.client.get("/schedule/card/", {**self.CARD, **self.SHARES, "least": "1"})
        told = page.context["least"]
        self.assertGreater(told["saves"], 0.0)
        again = self.client.get("/schedule/card/", {**self.CARD, **told["put"]})
        self.assertTrue(again.context["card"].feasible)
        self.assertGreater(again.context["card"].csf_ml, 380.0)

    def test_a_card_sets_the_refiners_for_its_freeness_and_its_start_puts_them_in_force(self):
        wet = {"share_K": "54", "share_S": "16", "share_M": "12", "share_R": "10", "share_W": "3", "share_B": "5"}
        given = {**self.CARD, "sale_t": "20", **wet}
        page = self.client.get("/schedule/card/", given)
        found = page.context["refiners"]
        self.assertLess(page.context["card"].csf_ml, 390.0)
        self.assertGreater(found.to_csf, 460.0)
        self.assertContains(page, "Set at its start")
        made = self.client.post("/schedule/card/", given)
        self.assertEqual(made.status_code, 302, made.context and made.context["form"].errors)
        issued = self.client.get(made.url)
        self.assertContains(issued, found.words)
        self.assertContains(issued, "L/min")
        pk = int(made.url.rstrip("/").rsplit("/", 1)[1])
        self.assertContains(self.client.get(f"/schedule/card/{pk}/print/"), found.words)
        self.assertEqual(self.client.post(f"/schedule/card/{pk}/start/", {"reason": "due"}).status_code, 302)
        make.forget()
        self.addCleanup(make.forget)
        after = make.state(10)
        self.assertAlmostEqual(after.line.acting["K.refine"].refiners[0].gross_kw, found.settings["gross_kw.1"], places=3)
        self.assertAlmostEqual(after.solution.enters("K.tower").quality.csf_ml, found.to_csf, delta=0.6)
        self.assertAlmostEqual(100 * after.shares["S"], 16.0)
