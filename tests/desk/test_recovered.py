"""Recovered on the desk: the line as it runs, grey beside white, settings typed and put in force, least cost, refusals."""

from desk.deliver.actions import source_lot
from desk.recovered import bales
from desk.recovered.batches import batches, chest_now
from desk.shift.demo import PIN
from tests import make
from tests.desk.test_bleach import Desk


class RecoveredPage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_it_opens_as_the_line_runs_and_its_losses_add_up(self):
        state = make.state(0)
        page = self.client.get("/recovered/")
        self.assertEqual(page.context["worked"].result, state.line.acts["R.float"].worked[0].result)
        self.assertNotIn("put", page.context)
        fed, p = page.context["fed"], page.context["p"]
        self.assertAlmostEqual(fed, state.line.inlets["R.float"].solids_t_h)
        off = sum(float(x["text"]) for x in p["losses"])
        self.assertAlmostEqual(off, float(p["in"]) - float(p["out"]), delta=0.012)
        self.assertContains(page, "R flotation in, out")  # the laboratory beside the models
        found = page.context["worked"].result
        self.assertAlmostEqual(found.stickies_mm2_kg, 236, delta=5)  # the demo’s samples agree with what its line makes
        self.assertAlmostEqual(found.gain, 9.6, delta=1.0)

    def test_grey_and_white_are_each_other_s_comparison(self):
        white, grey = self.client.get("/recovered/").context, self.client.get("/recovered/?upto=6").context
        self.assertEqual((white["other_name"], grey["other_name"]), ("grey", "white"))
        self.assertAlmostEqual(white["other"].iso_pct, grey["worked"].result.iso_pct)
        self.assertGreater(white["saves"], 0.0)
        self.assertIn("to_step=6", grey["put"])

    def test_a_setting_is_put_in_force_and_felt_at_the_machine(self):
        page = self.client.get("/recovered/?dose8=0")
        self.assertLess(page.context["worked"].result.iso_pct, 74.5)
        self.assertIn("dose.8=0", page.context["put"])
        was = make.state(0).solution.enters("R.tower").quality.ks
        asked = {"unit": "R.float", "dose.8": "0", "why": "peroxide is late", "seen": "0", "back": "/recovered/"}
        self.assertEqual(self.client.post("/mill/put/", asked).status_code, 302)
        make.forget()
        self.addCleanup(make.forget)
        self.assertLess(1.05 * was, make.state(5).solution.enters("R.tower").quality.ks)
        again = self.client.get("/recovered/")
        self.assertContains(again, "in force since")

    def test_least_cost_is_told_with_what_binds_or_what_is_reached(self):
        page = self.client.get("/recovered/?least=1&want=74")
        self.assertGreaterEqual(page.context["least"].found.iso_pct, 73.9)
        self.assertContains(page, "What binds: brightness, 74 %")
        self.assertIn("dose.8=", page.context["put_least"])
        self.assertContains(self.client.get("/recovered/?least=1&want=88"), "is beyond these steps; the brightest is")

    def test_what_cannot_be_is_said_at_its_well_and_kept(self):
        page = self.client.get("/recovered/?ta8=9&eric=x&to_pct6=0.5")
        self.assertContains(page, "8 peroxide, total alkali is 9 %; it must be 0 to 2.5 %")
        self.assertContains(page, 'value="x"')
        thin = self.client.get("/recovered/?to_pct6=0.5")
        self.assertContains(thin, "must be over the feed, 0.9 %")
        self.assertNotIn("worked", thin.context)


class PulperPage(Desk):
    given = {"vat": "R", "n1": "4"}

    def setUp(self):
        self.as_("jd")

    def kept(self, **more):
        return self.client.post("/recovered/pulper/keep/", {**self.given, "wire": "1", **more}, follow=True)

    def test_a_bale_more_is_seen_and_mended_by_water(self):
        page = self.client.get("/recovered/pulper/", self.given)
        found, card, more = (page.context[k] for k in ("worked", "card", "more"))
        self.assertGreater(found.result.cons_pct, card.cons_pct + 1.0)
        self.assertAlmostEqual(card.cons_pct, 14.0, places=2)  # the card comes from the vat and the oldest lots
        self.assertAlmostEqual(more.cons_pct, 14.0, places=6)
        self.assertContains(page, "Add 1.51 m³ of white water")
        self.assertContains(page, 'data-put="water_m3=15.60"')
        self.assertEqual([b["over"] for b in page.context["p"]["rows"][1]["boxes"]], [False, False, False, True])
        thin = self.client.get("/recovered/pulper/", {**self.given, "n0": "3", "n1": "3"})
        self.assertContains(thin, "points too thin")
        self.assertContains(self.client.get("/recovered/pulper/", {**self.given, "water_m3": "40"}), "it would run over")

    def test_a_step_key_is_a_bale_more_and_is_not_pressed_again_by_a_reload(self):
        page = self.client.get("/recovered/pulper/", {"vat": "R", "n1": "3", "step": "n1_1"})
        self.assertEqual(page.status_code, 302)
        self.assertIn("n1=4", page.url)
        self.assertNotIn("step", page.url)
        half = self.client.get("/recovered/pulper/", {"vat": "R", "b0": "1", "step": "b0_0.5"})
        self.assertIn("b0=1.5", half.url)

    def test_another_lot_opens_with_its_own_weight_and_moisture(self):
        rows = self.client.get("/recovered/pulper/", {"vat": "R"}).context["rows"]
        other = next(x for x in rows[0]["choices"] if x.kind.key == "trim")
        turned = {"lot0": other.number, "was0": rows[0]["lot"].number, "kg0": "420", "wet0": "8.5"}
        row = self.client.get("/recovered/pulper/", {"vat": "R", **turned}).context["rows"][0]
        self.assertEqual((row["values"]["kg0"], row["values"]["wet0"]), (260, 7))
        kept = self.client.get("/recovered/pulper/", {"vat": "R", **turned, "was0": other.number, "kg0": "255"}).context[
            "rows"
        ][0]
        self.assertEqual(kept["values"]["kg0"], 255)

    def test_a_batch_takes_of_its_lots_becomes_a_source_lot_and_is_corrected_whole(self):
        self.assertContains(self.kept(wire=""), "Rope and wires are not looked at")
        before = bales.lots_of(make.state(5))
        self.assertContains(self.kept(), "Kept. Batch RP-")
        first = batches("R")[0]
        ledger, trim = (row["lot"] for row in first.record.data["lots"])
        now = bales.lots_of(make.state(5))
        self.assertAlmostEqual(before[trim].kg - now[trim].kg, 4 * 260)
        self.assertAlmostEqual(before[ledger].kg - now[ledger].kg, 4 * 420)
        made = source_lot(first.number)
        self.assertEqual([row["lot"] for row in made.made.data["from"]], [ledger, trim])
        self.assertAlmostEqual(made.tonnes, first.record.data["od_t"] * 0.798, delta=0.02)
        again = self.client.get("/recovered/pulper/", {"vat": "R", "corrects": first.number})
        self.assertEqual([w["source"] for w in again.context["wells"]], ["as it was kept"] * 7)
        self.assertEqual(again.context["rows"][1]["values"]["n1"], 4)
        self.assertContains(self.kept(n1="3", corrects=first.number), "Kept. Batch")
        newest = batches("R")[0]
        self.assertEqual((newest.number, newest.record.corrects_id), (first.number, first.record.pk))
        self.assertAlmostEqual(before[trim].kg - bales.lots_of(make.state(5))[trim].kg, 3 * 260)  # not seven
        self.assertLess(source_lot(first.number).tonnes, made.tonnes)
        self.assertContains(self.kept(corrects="RP-1"), "is none of this vat’s last 5")
        self.assertNotEqual(self.client.get("/recovered/pulper/").context["number"], first.number)
        sheet = self.client.get(f"/recovered/pulper/ticket/{first.number}/")
        self.assertContains(sheet, "It stands for an earlier")
        self.assertContains(sheet, trim)
        self.as_("pn")
        self.assertNotContains(self.kept(corrects=first.number), "another person’s")  # an engineer may

    def test_the_second_person_reads_the_labels_by_their_own_pin_before_the_dump(self):
        self.kept(b0="1")
        number = batches("R")[0].number

        def post(what: str, **asked: str):
            return self.client.post(f"/recovered/pulper/{what}/", {"number": number, **asked}, follow=True)

        self.assertContains(post("dumped"), "waits for the second person")
        self.assertContains(post("read", person="jd", pin=PIN), "That is who loaded the batch")
        self.assertContains(post("read", person="wa", pin="no"), "PIN is not right; nothing was signed.")
        self.assertContains(post("read", person="cv", pin=PIN), "Choose who reads the labels")
        self.assertContains(post("read", person="wa", pin=PIN), "Signed lab W.A.")
        self.assertContains(post("read", person="tk", pin=PIN), "were read by lab W.A.")
        self.assertContains(post("dumped"), "dumped")
        self.assertContains(post("dumped"), "was dumped already")
        last = batches("R")[0]
        self.assertEqual((last.read.by.username, last.dumped.by.username), ("wa", "jd"))
        self.assertGreater(chest_now(make.state(5), make.state(5).mill.vats["R"])[0], last.record.data["chest_pct"])

    def test_what_cannot_be_is_said_and_not_kept(self):
        page = self.client.get("/recovered/pulper/", {"vat": "R", "n0": "-1", "vat_m3": "x"})
        self.assertContains(page, "loaded is -1; it must be 0 to 200")
        self.assertContains(page, 'value="x"')
        count = len(batches("R"))
        newest = batches("R")[0].record.pk
        self.assertContains(self.kept(n0="-1"), "Not kept. Bales of office ledger")
        self.assertContains(self.kept(n0="120", kg0="420", vat_m3="400", water_m3="10"), "kg; 50400 kg are loaded of it")
        held = next(x for x in bales.lots_of(make.state(5)).values() if x.held)
        self.assertContains(self.kept(lot1=held.number), "is set aside; it is not used")
        self.assertEqual((len(batches("R")), batches("R")[0].record.pk), (count, newest))
        self.as_("cv")
        self.assertEqual(self.client.post("/recovered/pulper/keep/", {"vat": "R"}).status_code, 403)

    def test_wet_lap_has_its_own_vat(self):
        page = self.client.get("/recovered/pulper/", {"vat": "W"})
        self.assertAlmostEqual(page.context["card"].cons_pct, 6.0, places=2)
        self.assertEqual({r["lot"].kind.source for r in page.context["rows"]}, {"W"})
        self.assertContains(
            self.client.post("/recovered/pulper/keep/", {"vat": "W", "wire": "1"}, follow=True), "Kept. Batch WP-"
        )
        self.assertEqual(source_lot(batches("W")[0].number).made.data["source"], "W")


class LoadedMix(Desk):
    """What was loaded leads the line, until somebody puts another mix in force."""

    def setUp(self):
        self.as_("jd")

    def test_a_dirty_lot_is_felt_at_the_end_of_the_line(self):
        was = make.state(5).line.facts("R.float")["stickies_mm2_kg"]
        lot = self.client.get("/recovered/pulper/", {"vat": "R"}).context["rows"][0]["lot"]
        tested = {"what": "tested", "stickies": "16800"}
        self.assertContains(self.client.post(f"/recovered/yard/{lot.number}/keep/", tested, follow=True), "stickies 16800")
        for _ in range(3):
            self.client.post("/recovered/pulper/keep/", {"vat": "R", "wire": "1"})
        make.forget()
        self.addCleanup(make.forget)
        state = make.state(5)
        self.assertGreater(state.loaded["R.float"]["stickies.ledger"], 6000)
        self.assertGreater(state.line.facts("R.float")["stickies_mm2_kg"], 1.2 * was)
        self.as_("mr")
        mix = {f"{name}.{kind}": v for kind in ("ledger", "trim") for name, v in (("stickies", "4300"),)}
        asked = {"unit": "R.float", **mix, "why": "the lot is out", "seen": "0", "back": "/recovered/"}
        self.client.post("/mill/put/", asked)
        make.forget()
        self.assertEqual(make.state(5).loaded, {})
        self.assertLess(make.state(5).line.facts("R.float")["stickies_mm2_kg"], 1.05 * was)


class Upsets(Desk):
    """The outbreak's page: what tests say, the lots that were loaded, where their pulp is; another mix on the line's page."""

    def setUp(self):
        self.as_("mr")

    def test_quiet_it_says_so_and_a_dirty_lot_is_named_with_where_it_went(self):
        page = self.client.get("/recovered/outbreak/?hours=72")
        self.assertContains(page, "Leave it")
        self.assertAlmostEqual(sum(x.share_pct for x in page.context["loads"]), 100.0)
        lot = page.context["loads"][1].lot
        self.client.post(f"/recovered/yard/{lot.number}/keep/", {"what": "tested", "stickies": str(4 * lot.tests["stickies"])})
        page = self.client.get("/recovered/outbreak/?hours=72")
        self.assertEqual((page.context["loads"][0].lot.number, page.context["chosen"].suspect), (lot.number, True))
        self.assertContains(page, f"Set {lot.number} aside")
        self.assertLessEqual(page.context["mine"], page.context["made"])
        ledger = sum(t for _, t in page.context["reached"])
        self.assertLessEqual(ledger, page.context["mine"] + 1e-9)
        ink = self.client.get("/recovered/outbreak/?kind=ink&hours=8")
        self.assertContains(ink, "Ink upset")
        self.assertContains(self.client.get("/recovered/outbreak/?kind=none&hours=-1&lot=x"), "Sticky outbreak")

    def test_another_mix_on_the_page_brings_its_own_ink_and_may_be_put_in_force(self):
        base = self.client.get("/recovered/").context
        page = self.client.get("/recovered/", {"share_ledger": "40", "share_trim": "60", "eric": "767", "mixwas": "68.3,31.7"})
        self.assertTrue(page.context["turned"])
        self.assertLess(page.context["worked"].case.eric_ppm, base["worked"].case.eric_ppm - 50)
        self.assertIn("share.ledger=40", page.context["put"])
        typed = {"share_ledger": "40", "share_trim": "60", "eric": "500", "mixwas": "40,60"}
        self.assertEqual(self.client.get("/recovered/", typed).context["worked"].case.eric_ppm, 500)
        self.assertContains(self.client.get("/recovered/?share_ledger=0&share_trim=0"), "there is no mix")

    def test_rows_of_ash_loop_and_rope(self):
        for row, asked, told in (
            ("R4", {"ash_pct": "7.5", "high": "6.5"}, "Foam"),
            ("R6", {"ph": "7.2"}, "pH of the loop 7.2 to 7.5"),
            ("R7", {"turns": "stuck, or the rotor is braked"}, "lock out, then cut"),
        ):
            self.assertContains(self.client.get(f"/moves/row/{row}/", asked), told)
