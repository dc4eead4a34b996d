"""The laboratory beside the models: stages of bleaching, moves that stand on readings, meters, tanks in cover, early blows."""

from datetime import timedelta

from django.test import TestCase

from core.mill.signals import solved_at
from desk.cook.actions import blow
from desk.cook.models import Cook
from desk.instruments.models import Signal
from desk.intake import plant
from desk.lab.actions import Entry, record_sample
from desk.log.models import Kind, Record
from desk.mill.beside import beside, bias_of
from desk.mill.chemicals import standings, strength_of
from desk.mill.clock import set_clock
from desk.moves.board import group_of, lines
from tests import make


class Beside(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.as_("jd")

    def as_(self, who: str) -> None:
        self.client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")

    def sample(self, row_id: str, value: float, minutes: float = 0.0) -> Record:
        state = make.state(minutes)
        row, by = state.mill.plan[row_id], make.person("wa")
        return record_sample(row=row, entry=Entry(results=(value,)), at=state.now, by=by, now=state.now, state=state)

    def test_every_stage_of_the_plants_stands_beside_its_readings(self):
        state = make.state(0)
        for unit, plan in state.mill.bleach_plans.items():
            if not plan.sequence:
                continue
            page = self.client.get("/bleach/", {"line": unit})
            told = page.context["beside"]
            with self.subTest(unit=unit):
                self.assertEqual({b.row.stage for b in told}, set(range(1, len(plan.charges) + 1)))
                self.assertLessEqual({"ph", "residual_clo2", "kappa"}, {b.row.test for b in told})
                for b in told:
                    self.assertAlmostEqual(b.solved, solved_at(state.line, b.row))
                    self.assertIsNotNone(b.result)
                    self.assertAlmostEqual(b.off, b.result.value - b.solved)

    def test_the_forecast_is_corrected_by_the_newest_sample_and_judged_so(self):
        self.sample("K.last_washer.brightness", 83.0)
        page = self.client.get("/bleach/", {"line": "K.bleach"})
        known, worked = page.context["known"], page.context["worked"]
        self.assertEqual(known.result.value, 83.0)
        self.assertAlmostEqual(page.context["corrected"], worked.result.iso_pct + 83.0 - known.solved)
        self.assertIn("starved", page.context["over"])  # the model alone would call it right
        self.assertContains(page, "By the laboratory&#x27;s bias" if b"&#x27;s bias" in page.content else "laboratory's bias")

    def test_an_old_reading_corrects_nothing(self):
        found = beside(make.state(60 * 12), "K.bleach")
        self.assertTrue(found)
        self.assertTrue(all(b.off is None for b in found))
        self.assertIsNone(bias_of(found, "K.last_washer.brightness"))

    def test_another_sequence_stands_beside_no_reading(self):
        self.assertEqual(self.client.get("/bleach/", {"line": "K.bleach", "seq": "D0-E-D1"}).context["beside"], [])

    def test_a_residual_over_its_band_proposes_its_row_and_a_correction_withdraws_it(self):
        wrong = self.sample("K.d1.residual_clo2", 0.14, 1)
        self.assertFalse(Record.objects.filter(kind=Kind.MOVE, subject="K.d1.residual_clo2").exists())  # one is not enough
        wrong = self.sample("K.d1.residual_clo2", 0.15, 4)
        move = Record.objects.get(kind=Kind.MOVE, subject="K.d1.residual_clo2")
        facts = make.state(4).line.facts("K.bleach", 3)
        self.assertEqual(move.data["row"], "B5")
        self.assertAlmostEqual(move.data["before"], round(facts["clo2_kg"], 1))
        self.assertLess(move.data["after"], move.data["before"])
        state = make.state(6)
        record_sample(
            row=state.mill.plan["K.d1.residual_clo2"],
            entry=Entry(results=(0.03,)),
            at=wrong.at,
            by=make.person("wa"),
            now=state.now,
            state=state,
            corrects=wrong,
            reason="wrong burette",
        )
        page = self.client.get(f"/moves/{move.pk}/")
        self.assertTrue(page.status_code == 404 or "withdrawn" in page.content.decode().lower(), page.status_code)

    def test_rows_of_bleaching_stand_or_not_on_readings(self):
        state = make.state(0)
        found = {x.key: x for x in lines(state, group_of("bleach"))}
        for key in ("B1", "B3", "B5", "B6-D0", "B6-EOP", "B6-D1", "B6-EP", "B8-S"):
            with self.subTest(row=key):
                self.assertEqual(found[key].state, "calm", found[key].why)
        self.sample("K.eop.ph", 9.9, 2)
        self.assertEqual({x.key: x for x in lines(make.state(3), group_of("bleach"))}["B6-EOP"].state, "stands")
        page = self.client.get("/moves/row/B6-EOP/")
        self.assertEqual(page.context["came"]["kg_adt"], "solved")
        self.assertIn("lab W.A.", page.context["came"]["ph"])

    def test_a_charge_put_in_force_is_what_the_rows_move_from(self):
        self.as_("mr")
        answer = self.client.post(
            "/mill/put/", {"unit": "K.bleach", "charge.3": "4.1", "why": "brighter", "seen": "0", "back": "/bleach/"}
        )
        self.assertEqual(answer.status_code, 302)
        page = self.client.get("/moves/row/B3/")
        self.assertEqual(page.context["form"].data["clo2_kg"], "4.1")

    def test_meters_of_stages_are_read_and_live(self):
        tags = set(Signal.objects.filter(last_ms__isnull=False).values_list("tag", flat=True))
        self.assertLessEqual({"ph.K.d0", "residual_clo2.K.d1", "kappa.K.post"}, tags)
        state = make.state(10)
        plant.step(state, state.now)
        meter = Signal.objects.get(tag="kappa.K.post")
        self.assertAlmostEqual(meter.last_value, solved_at(state.line, state.mill.plan["K.post.kappa"]), delta=2.5)
        self.assertEqual(self.client.get("/trend/ph.K.eop/").status_code, 200)

    def test_the_solution_is_as_its_tank_was_tested(self):
        self.assertEqual(strength_of(make.state(0), "ClO2").strength, 9.4)
        self.client.post("/bleach/tanks/", {"what": "strength", "where": "clo2", "value": "8,8"})
        make.forget()
        page = self.client.get("/bleach/", {"line": "K.bleach"})
        well = next(w for w in page.context["wells"] if w["name"] == "clo2_g_l")
        self.assertEqual(well["value"], 8.8)
        self.assertIn("measured", well["source"])

    def test_tanks_stand_in_cover_by_what_the_line_takes(self):
        state = make.state(0)
        page = self.client.get("/stock/chests/")
        hours = [t["hours"] for t in page.context["tanks"]]
        self.assertEqual(hours, sorted(hours))
        self.assertEqual(len(hours), len([s for s in standings(state) if s.found]))
        self.client.post("/bleach/tanks/", {"what": "level", "where": "clo2", "value": "40"})
        shown = [c["tank"].tank.key for c in self.client.get("/").context["cover"] if "tank" in c]
        self.assertIn("clo2", shown)
        self.assertContains(self.client.get("/"), "order now")

    def test_white_liquor_is_titrated_and_weak_liquor_is_charged_in_full(self):
        self.sample("K.white_liquor.white_liquor", 97.0, 1)
        row = {x.key: x for x in lines(make.state(2), group_of("cook"))}["K7"]
        self.assertEqual(row.state, "stands")
        page = self.client.get("/moves/row/K7/")
        self.assertIn("lab W.A.", page.context["came"]["ea_g_l"])

    def test_an_ordinary_kappa_of_an_early_blow_is_doubted(self):
        cook = Cook.objects.get(number=1148)
        self.assertIsNone(cook.blown_at)
        self.client.post("/cook/records/1148/", {"act": "blow"})
        self.as_("wa")
        page = self.client.post("/cook/records/1148/", {"act": "lab", "kappa": "29"}, follow=True)
        self.assertContains(page, "may not be this cook")
        self.assertContains(self.client.get("/cook/records/1148/"), "may not be this cook")
        cook.refresh_from_db()
        self.assertEqual(cook.kappa, 29.0)

    def test_a_reading_fades_into_the_set_up_with_a_mark(self):
        row = make.state(0).mill.plan["K.chips.moisture"]
        self.sample(row.id, 55.0, 0)
        fresh = make.state(30)
        self.assertAlmostEqual(fresh.moisture_pct["K.larch.chips"], 55.0)
        fading = make.state(2.5 * row.interval_min)
        self.assertTrue(46.0 < fading.moisture_pct["K.larch.chips"] < 54.0)
        self.assertNotContains(self.client.get("/cook/"), "fading")
        set_clock(make.NOW + timedelta(minutes=2.5 * row.interval_min))
        self.addCleanup(set_clock, make.NOW)
        self.assertContains(self.client.get("/cook/"), "fading")
        gone = make.state(3.0 * row.interval_min + 1)
        self.assertNotIn("K.larch.chips", gone.moisture_pct)

    def test_held_curves_are_dashed(self):
        self.as_("pn")
        for path, change in (
            ("/bleach/?line=K.bleach", "&s0c=8"),
            ("/cook/bench/tmp/?unit=M.tmp", "&sec_kwh_t=1800"),
            ("/cook/?wood=larch", "&ea_pct_naoh=19.5"),
        ):
            with self.subTest(page=path):
                page = self.client.get(path)
                worked = page.context.get("worked")
                if worked is not None:
                    from core import calc

                    given, model = calc.flat(calc.declared(worked.case)), worked.model
                else:
                    given, model = page.context["given"], page.context["bench"].model.name
                asked = {"name": "as it is", "model": model, "back": path} | {f"in.{k}": v for k, v in given.items()}
                held = self.client.post("/cases/hold/", asked).url.partition("held=")[2].partition("&")[0]
                page = self.client.get(f"{path}{change}&held={held}").content.decode()
                self.assertTrue("stroke-dasharray" in page or 'class="curve held"' in page)


class FadingCooks(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def test_a_kept_cook_leads_for_half_a_day_then_the_plan_comes_back(self):
        blow(cook=Cook.objects.get(number=1148), by=make.person("mr"), now=make.NOW)
        kept = Record.objects.filter(kind=Kind.COOK, status="blown", subject="cook.1148").get()
        hours = (make.NOW - kept.at) / timedelta(hours=1)
        at = lambda h: make.state(60.0 * (h - hours)).makes.get("K.larch.cook")  # noqa: E731
        self.assertEqual(at(11.0).weight, 1.0)
        self.assertTrue(0.0 < at(18.0).weight < 1.0)
        self.assertIsNone(at(24.1))
