"""A case of the whole line: carried through, judged, held, compared, taken away and put in force together or not at all."""

import json

from django.test import TestCase

from core.cook.unit import Made
from core.errors import ImpossibleInput
from core.mill.expected import expected, running_cost
from desk.log.models import Kind, Record
from desk.mill import in_force
from desk.mill.line_case import LineCase, carry, put
from desk.mill.models import HeldLine
from tests import make

CHARGE = "s.K.larch.cook.ea_pct_naoh"
FURNISH = {"f.K": "54", "f.S": "10", "f.M": "10", "f.R": "14", "f.W": "5", "f.B": "7"}


class LineCases(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.sign_in("jd")

    def sign_in(self, username: str) -> None:
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")

    def carried(self, **given):
        return carry(make.state(), LineCase(**given), None)

    def test_an_empty_case_changes_nothing(self):
        carried = self.carried()
        self.assertEqual(carried.steps, ())
        self.assertFalse(any(j.leaves for j in carried.judged))
        self.assertFalse(any(e.moved for e in carried.ends))

    def test_less_alkali_is_seen_from_the_digester_to_the_cost(self):
        carried = self.carried(settings={"K.larch.cook": {"ea_pct_naoh": 17.0}})
        was, now = carried.today.line.acts, carried.other.line.acts
        self.assertGreater(now["K.larch.cook"].kappa, was["K.larch.cook"].kappa)
        self.assertGreater(now["K.larch.o2"].kappa, was["K.larch.o2"].kappa)
        self.assertLess(now["K.bleach"].iso_pct, was["K.bleach"].iso_pct)
        stations = [s.station for s in carried.steps]
        self.assertLessEqual({"cook", "wash", "bleach", "deliver"}, set(stations))
        self.assertEqual(
            stations,
            sorted(
                stations,
                key=["chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend", "deliver"].index,
            ),
        )
        self.assertIn("K.larch_blow.kappa", [j.row for j in carried.judged if j.leaves])
        self.assertLess(carried.closure, 1e-9)

    def test_a_furnish_moves_covers_and_the_mix(self):
        shares = {k.removeprefix("f."): float(v) for k, v in FURNISH.items()}
        carried = self.carried(shares_pct=shares)
        ends = {e.key: e for e in carried.ends}
        self.assertTrue(ends["K.tower"].moved)
        self.assertLess(ends["K.tower"].then.hours, ends["K.tower"].now.hours)
        self.assertGreater(carried.other.mix.iso_pct, carried.today.mix.iso_pct)
        self.assertAlmostEqual(carried.other.running.gives["K"], 0.54 * carried.other.draw.solids_t_h)

    def test_expected_rows_are_what_the_units_gave(self):
        state = make.state()
        told = expected(state.mill, state.line, state.mix)
        self.assertEqual(told["K.larch_blow.kappa"], state.line.acts["K.larch.cook"].kappa)
        self.assertEqual(told["K.last_washer.brightness"], state.line.acts["K.bleach"].iso_pct)
        self.assertEqual(told["machine.chest.brightness"], state.mix.iso_pct)
        twice = running_cost(state.line, 2.0 * state.takes_t_h)
        self.assertAlmostEqual(2.0 * twice.per_adt, running_cost(state.line, state.takes_t_h).per_adt)

    def test_the_page_its_refusals_and_its_json(self):
        page = self.client.get("/mill/case/", {CHARGE: "17", **FURNISH})
        self.assertContains(page, "case-edge")
        self.assertRegex(page.content.decode(), r"leave\s+its\s+band")
        wrong = self.client.get("/mill/case/", {CHARGE: "many", "f.K": "90"})
        for said in ("is “many”; it must be a number", "they must make 100 %", 'value="many"'):
            self.assertContains(wrong, said, status_code=422)
        dry = self.client.get("/mill/case/", {"s.K.bleach.charge.1": "60"})
        self.assertContains(dry, "The line cannot be run so", status_code=422)
        told = self.client.get("/mill/case/json/", {CHARGE: "17"}).json()
        self.assertEqual(told["settings"], {"K.larch.cook": {"ea_pct_naoh": 17.0}})
        self.assertTrue(any(c["unit"] == "larch oxygen stage" for c in told["changes"]))
        self.assertEqual(self.client.get("/mill/case/json/", {CHARGE: "x"}).status_code, 422)
        self.assertContains(self.client.get("/mill/case/", {"add": CHARGE}), f'name="{CHARGE}"')
        self.assertContains(self.client.get("/mill/case/", {"s.Z.gone.ea": "1"}), "Nothing yet")

    def test_held_beside_and_let_go(self):
        self.client.post("/mill/case/hold/", {CHARGE: "17", "name": "less alkali"})
        kept = HeldLine.objects.get()
        beside = self.client.get("/mill/case/", {CHARGE: "19", "beside": kept.pk})
        self.assertContains(beside, "case-edge held")
        self.assertContains(beside, "dashed: “less alkali”")
        self.assertEqual(self.client.get(f"/mill/case/{kept.pk}/").url, f"/mill/case/?{CHARGE}=17")
        self.assertContains(self.client.post("/mill/case/hold/", {CHARGE: "17"}), "Name is empty", status_code=422)
        self.assertContains(self.client.post("/mill/case/hold/", {"name": "x"}), "holds nothing", status_code=422)
        self.sign_in("tk")
        self.assertEqual(self.client.post(f"/mill/case/{kept.pk}/go/").status_code, 403)
        self.sign_in("jd")
        self.client.post(f"/mill/case/{kept.pk}/go/")
        self.assertNotContains(self.client.get("/mill/case/"), "less alkali</a>")

    def test_put_in_force_together_or_not_at_all(self):
        given = {CHARGE: "17.5", "s.K.larch.wash.df": "2.4", **FURNISH}
        count = Record.objects.filter(kind=Kind.SETPOINT).count()
        self.assertContains(self.client.post("/mill/case/put/", given), "Why is empty", status_code=422)
        newest = make.state().setpoints
        seen = {"seen.": newest[-1].pk if newest else 0, "seen.K.larch.cook": 0, "seen.K.larch.wash": 0}
        overtaken = self.client.post("/mill/case/put/", {**given, **seen, "seen.": 10**9, "why": "trial"})
        self.assertContains(overtaken, "set by somebody else meanwhile", status_code=422)
        self.assertEqual(Record.objects.filter(kind=Kind.SETPOINT).count(), count)
        self.assertEqual(self.client.post("/mill/case/put/", {**given, **seen, "why": "trial"}).url, "/mill/in-force/")
        self.assertEqual(Record.objects.filter(kind=Kind.SETPOINT).count(), count + 3)
        state = make.state(1.0)
        self.assertEqual(state.line.acting["K.larch.cook"].charge.ea_pct_naoh, 17.5)
        self.assertEqual(state.line.acting["K.larch.wash"].df, 2.4)
        self.assertAlmostEqual(state.shares["K"], 0.54)
        again = self.client.post("/mill/case/put/", {**given, **seen, "why": "a second press"})
        self.assertContains(again, "no setting is another", status_code=422)
        self.sign_in("wa")
        self.assertEqual(self.client.post("/mill/case/put/", {**given, **seen, "why": "x"}).status_code, 403)

    def test_a_set_point_put_meanwhile_is_not_overrun(self):
        state = make.state()
        carried = carry(state, LineCase(settings={"K.larch.wash": {"df": 2.4}}), None)
        change = in_force.weigh(state, "K.larch.wash", {"df": 2.2})
        in_force.put(change=change, why="first", by=make.person("tk"), now=make.NOW, seen=0)
        with self.assertRaises(ImpossibleInput) as refusal:
            put(carried, why="second", seen={"K.larch.wash": 0}, by=make.person("jd"), now=make.NOW)
        self.assertIn("meanwhile", str(refusal.exception))

    def test_a_kept_cook_leads_and_its_change_is_the_model_s(self):
        state, unit = make.state(), "K.larch.cook"
        state.__dict__["makes"] = {unit: Made(yield_pct=46.0, kappa=33.0)}
        plan = state.line.acting[unit]
        model = [p.makes_of(p.charge, plan.points).kappa for p in (plan, plan.set_to({"ea_pct_naoh": 17.0}))]
        carried = carry(state, LineCase(settings={unit: {"ea_pct_naoh": 17.0}}), None)
        self.assertEqual(state.line.acts[unit].kappa, 33.0)
        self.assertAlmostEqual(carried.other.line.acts[unit].kappa - 33.0, model[1] - model[0], places=9)

    def test_it_is_taken_away_as_it_is_shown(self):
        told = json.loads(self.client.get("/mill/case/json/", FURNISH).content)
        self.assertEqual(sum(told["furnish_pct"].values()), 100.0)
        self.assertIn("K.tower", [v["vessel"] for v in told["vessels"]])
