"""Refine on the desk: the refiners as the line runs them, power for a freeness put in force and felt, refusals, the rows."""

from tests import make
from tests.desk.test_bleach import Desk


class RefinePage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_it_opens_as_the_line_runs(self):
        state = make.state(0)
        for key in ("K.refine", "S.refine", "R.refine"):
            page = self.client.get("/refine/", {"line": key})
            self.assertEqual(page.context["worked"].result, state.line.acts[key].worked[0].result, key)
            self.assertNotIn("put", page.context)
        self.assertContains(self.client.get("/refine/"), "Laboratory 4")
        self.assertContains(self.client.get("/refine/"), "models")

    def test_the_power_for_a_freeness_is_put_in_force_and_felt_at_the_blend(self):
        page = self.client.get("/refine/?line=K.refine&want=430")
        self.assertContains(page, "Solved for 430 mL")
        self.assertIn("gross_kw.1=", page.context["put_then"])
        there = page.context["then"]
        was = make.state(0).solution.enters("K.tower").quality.csf_ml
        asked = {f"gross_kw.{i}": f"{r.gross_kw:.1f}" for i, r in enumerate(there.refiners, start=1)}
        given = {"unit": "K.refine", **asked, "why": "wetter for the card", "seen": "0", "back": "/refine/"}
        self.assertEqual(self.client.post("/mill/put/", given).status_code, 302)
        make.forget()
        self.addCleanup(make.forget)
        now = make.state(5).solution.enters("K.tower").quality.csf_ml
        self.assertAlmostEqual(now, 430, delta=1.0)
        self.assertGreater(was - now, 20.0)
        self.assertContains(self.client.get("/refine/?line=K.refine"), "in force since")

    def test_one_refiner_alone_cuts_and_the_case_is_offered(self):
        page = self.client.get("/refine/?line=K.refine&gross1=62&gross2=400")
        self.assertContains(page, "K1 idles")
        self.assertTrue(any("outside 1.5 to 3.5" in m for m in page.context["minds"]))
        self.assertIn("gross_kw.2=400", page.context["put"])

    def test_what_cannot_be_is_said_at_its_well_and_kept(self):
        page = self.client.get("/refine/?line=K.refine&gross2=500&rpm1=x")
        self.assertContains(page, "K2, gross power is 500 kW; it must be 0 to 400 kW")
        self.assertContains(page, 'value="x"')
        self.assertContains(self.client.get("/refine/?line=K.refine&want=600"), "refining only lowers it")
        self.assertContains(self.client.get("/refine/?line=K.refine&want=100"), "beyond these motors and plates")
        self.assertContains(self.client.get("/refine/?line=nowhere"), "Refiners, K1")

    def test_the_rows_stand_on_the_line_s_own_slope(self):
        self.as_("jd")
        page = self.client.get("/moves/row/F1-K/?csf_ml=480")
        self.assertContains(page, "Freeness is 480 mL")
        self.assertContains(page, "kWh/t more gives")


class PlatesPage(Desk):
    """What is kept of plates: fitted, measured, put right; their life by the trend."""

    HERE = "/refine/plates/"

    def keep(self, **more):
        return self.client.post(f"{self.HERE}keep/", {"of": "S.refine.1", **more}, follow=True)

    def test_the_demo_s_plates_tell_how_long_they_last(self):
        self.as_("jd")
        page = self.client.get(self.HERE, {"of": "K.refine.2"})
        groove = page.context["trends"][1]["worked"].result
        self.assertEqual(groove.trend, 1.0)
        self.assertTrue(900.0 < groove.low < groove.hours < groove.high)
        self.assertContains(page, "Order by the early end")

    def test_they_are_kept_refused_and_put_right(self):
        self.as_("jd")
        self.assertContains(self.keep(what="measured", no_load_kw="27"), "No plates are fitted by the record yet")
        self.assertContains(self.keep(what="fitted", no_load_kw="30", groove_mm="x"), "Groove depth is “x”")
        self.assertContains(self.keep(what="fitted"), "Nothing is typed")
        self.assertContains(
            self.keep(what="fitted", no_load_kw="30", groove_mm="6"), "Kept. S1, new plates fitted: 30 kW, 6.00 mm"
        )
        self.assertContains(self.keep(what="measured", no_load_kw="72"), "72 kW")
        wrong = self.client.get(self.HERE, {"of": "S.refine.1"}).context["book"][0]
        right = self.keep(what="measured", no_load_kw="25", entry=str(wrong.pk))
        self.assertContains(right, "25 kW")
        self.assertContains(right, "Plan a change at the next stop")  # a sixth under new
        self.assertContains(self.keep(what="measured", no_load_kw="26", entry=str(wrong.pk)), "put right already")
        self.as_("tk")
        self.assertEqual(self.client.get(self.HERE).status_code, 200)


class Feed(Desk):
    def test_stock_under_its_least_is_cautioned_and_the_gap_kept_last_stands_by_its_refiner(self):
        self.as_("pn")
        page = self.client.get("/refine/", {"line": "K.refine"})
        self.assertContains(page, "2\u202f000 to 4\u202f200")
        self.assertContains(page, "0.19")
        thin = self.client.get("/refine/", {"line": "K.refine", "od_t_h": "3"})
        self.assertContains(thin, "under its 2000: back K1 out first")
        self.client.post("/refine/plates/keep/", {"of": "K.refine.1", "what": "measured", "gap_mm": "0.17"})
        self.assertEqual(self.client.get("/refine/", {"line": "K.refine"}).context["groups"][0][1]["mm"], 0.17)
        self.assertTrue(self.client.get("/refine/", {"line": "K.refine"}).context["groups"][0][1]["near"])
