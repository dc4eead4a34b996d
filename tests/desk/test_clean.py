"""Clean on the desk: each cascade as the line runs it, cleaners shut, stages built, least loss, refusals, putting in force."""

from core import calc
from core.catalogue import find
from core.clean.unit import CascadePlan
from desk.cases.models import HeldCase
from tests import make
from tests.desk.test_bleach import Desk


class CascadePage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_it_opens_as_each_line_runs_and_its_picture_counts_its_cleaners(self):
        state = make.state(0)
        plans = {k: p for k, p in state.line.acting.items() if isinstance(p, CascadePlan)}
        self.assertEqual(list(plans), ["K.clean", "S.clean", "M.clean", "R.clean"])
        for key, plan in plans.items():
            with self.subTest(unit=key):
                page = self.client.get("/clean/", {"line": key})
                self.assertEqual(page.context["worked"].result, state.line.acts[key].worked[0].result)
                self.assertNotIn("put", page.context)
                for stage, s in zip(page.context["p"]["stages"], plan.stages, strict=True):
                    shut = [m["shut"] for m in stage["marks"]]
                    self.assertEqual((len(shut), shut.count(False)), (max(s.there, s.cones_open), s.cones_open))

    def test_cleaners_shut_are_seen_in_the_drop_and_opened_by_the_move(self):
        page = self.client.get("/clean/", {"line": "K.clean", "open1": "5"})
        advice = page.context["advice"]
        self.assertEqual((advice.what, advice.stage, advice.before, advice.after), ("drop", 2, 5, 7))
        self.assertContains(page, "Open cleaners of stage")
        self.assertTrue(page.context["p"]["stages"][1]["beside"]["out"])
        self.assertContains(page, "far over 200: tips wear and rope")
        put = page.context["put"]
        self.assertIn("cones_open.2=5", put)
        asked = {"unit": "K.clean", "cones_open.2": "5", "why": "two plugged", "seen": "0", "back": "/clean/"}
        self.assertEqual(self.client.post("/mill/put/", asked).status_code, 302)
        make.forget()
        self.addCleanup(make.forget)
        row = self.client.get("/moves/row/C1-K.2/")
        self.assertContains(row, "Cleaners open 5 to 7")
        opened = self.client.get("/clean/", {"line": "K.clean"})
        self.assertContains(opened, "in force since")
        self.assertEqual(opened.context["rows"][1]["values"]["open1"], 5)

    def test_stages_are_built_and_a_forward_accept_is_dirtier(self):
        back = self.client.get("/clean/", {"line": "K.clean"}).context["worked"].result
        ahead = self.client.get("/clean/", {"line": "K.clean", "accept1": "forward"}).context["worked"].result
        self.assertGreater(ahead.dirt_out_ppm, back.dirt_out_ppm)
        five = self.client.get("/clean/", {"line": "K.clean", "count": "5", "kind4": "screen", "mm4": "0.2"})
        case = five.context["worked"].case
        self.assertEqual([s.kind for s in case.stages], ["cleaner"] * 4 + ["screen"])
        self.assertLess(five.context["worked"].result.lost_kg_h, back.lost_kg_h)
        self.assertNotIn("put", five.context)  # another number of stages is the set-up's business
        more = self.client.get("/clean/", {"line": "K.clean", "pulp": "8"}).context["worked"]
        self.assertAlmostEqual(more.case.solids_t_h, 8.0)
        self.assertGreater(more.result.solved.stages[0].kpa, back.solved.stages[0].kpa)

    def test_least_loss_says_what_binds_or_how_clean_it_gets(self):
        page = self.client.get("/clean/", {"line": "K.clean", "least": "1"})
        least = page.context["least"]
        self.assertLess(least.found.lost_kg_h, page.context["worked"].result.lost_kg_h)
        self.assertContains(page, "What binds: dirt")
        self.assertIn("rv_pct.1=", page.context["put_least"])
        self.assertContains(self.client.get("/clean/", {"line": "K.clean", "least": "1", "want": "5"}), "the cleanest is")

    def test_what_cannot_be_stands_at_its_stage_and_is_kept_as_typed(self):
        page = self.client.get("/clean/", {"line": "K.clean", "open0": "0", "rv2": "x", "mm1": "0.1"})
        self.assertContains(page, "Stage 1, cleaners open is 0; it must be 1 to 2000")
        self.assertContains(page, "Stage 3, flow rejected is “x”; it must be a number")
        self.assertContains(page, 'value="x"')
        small = self.client.get("/clean/", {"line": "K.clean", "mm1": "0.1"})
        self.assertContains(small, "Stage 2, cone is 0.1 mm; cones are 20 to 600 mm")
        self.assertNotIn("worked", small.context)

    def test_a_case_is_held_beside_and_a_figure_opens_its_own(self):
        page = self.client.get("/clean/", {"line": "S.clean", "open0": "7"})
        form = {"name": "seven open", "model": "clean.cascade", "back": "/clean/?line=S.clean"}
        form |= {f"in.{k}": v for k, v in calc.flat(calc.declared(page.context["worked"].case)).items()}
        self.assertEqual(self.client.post("/cases/hold/", form).status_code, 302)
        held = HeldCase.objects.get(name="seven open")
        beside = self.client.get("/clean/", {"line": "S.clean", "held": held.pk})
        self.assertEqual(beside.context["held"], held)
        self.assertNotEqual(beside.context["p"]["stages"][0]["beside"]["held"], "")
        read = calc.read_case(find("clean.cascade"), held.given)
        self.assertEqual(read.stages[0].cones_open, 7)
