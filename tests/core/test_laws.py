"""Laws that hold whatever the figures: what goes in comes out, more water never thickens, round trips end where they began."""

import json
import math
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from core.bleach.unit import HELD
from core.catalogue import find
from core.clean.unit import CascadePlan
from core.colour import ks_from_kappa, ks_from_reflectance, reflectance_from_ks
from core.constants import SODIUM_IN_NAOH
from core.cook.blow import white_liquor
from core.cook.unit import Made
from core.deliver.draw import DrawCase, draw
from core.deliver.lots import SIGNS, check_sign
from core.errors import ImpossibleInput
from core.judge.advise import Move, water_to
from core.judge.band import GRAVITY, Band, judge
from core.lab.replicate import combine
from core.line.network import Draw, DrawKind, Outlet, Unit, build, loses, shares
from core.line.steady import Solution, solve
from core.mill.mill import default_feeds
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill
from core.refine.unit import RefinerPlan
from core.soda import bound_sodium
from core.stock import dilution, flow, shape
from core.stock.cover import CoverCase, Piece, cover, forecast
from core.stock.loop import LoopCase
from core.stream import COMPONENTS, DS, SUSPENDED, N, mix, stream
from core.unit import SOLUTES
from core.wash.line import with_air
from desk.shift.demo import DOCUMENT
from tests.profile import examples

flows = st.floats(10, 50_000)
cons = st.floats(0.3, 15)
parts = st.floats(0.001, 50)


def assert_balances(case: SimpleTestCase, found: Solution) -> None:
    """The certificate of every network test: each unit takes in what others send it, and each component closes."""
    case.assertLess(found.worst_closure, 1e-9)
    net = found.network
    arriving = net.feed.copy()
    for i, u in enumerate(net.units):
        for o in u.outlets:
            arriving[net.index[o.to]] += found.after[i] * o.shares
    for d, q, w in zip(net.draws, found.drawn, found.composition, strict=True):
        arriving[net.index[d.to]] += q * w
        tank = net.unit(d.tank)
        for o in tank.outlets if not tank.supply else ():
            if o.name == d.rest:
                arriving[net.index[o.to]] -= q * w
    scale = max(1.0, float(np.abs(found.into).max()))
    case.assertLess(float(np.abs(arriving - found.into).max()), 1e-8 * scale)


def whitewater(
    feed: np.ndarray, loss: float, reject: float, dilute_to: float, thicken_to: float, fines: float, over: float = 1.0
):
    """A cook with a yield loss, a screen, a thickener, and its filtrate back to dilution."""
    units = [
        Unit(id="in", feed=feed, conversion=loses(loss), outlets=(Outlet(name="on", to="screen", shares=shares(1)),)),
        Unit(
            id="screen",
            outlets=(
                Outlet(name="on", to="thick", shares=shares(1 - reject)),
                Outlet(name="reject", to="lost", shares=shares(reject)),
            ),
        ),
        Unit(
            id="thick",
            outlets=(
                Outlet(name="on", to="tower", shares=shares(1, FN=1 - fines, W=0, DS=0)),
                Outlet(name="filtrate", to="tank", shares=shares(0, FN=fines, W=1, DS=1)),
            ),
        ),
        Unit(id="tank", outlets=(Outlet(name="over", to="sewer", shares=shares(1)),)),
        Unit(id="fresh", feed=shares(0, W=1), supply=True),
        Unit(id="tower"),
        Unit(id="lost"),
        Unit(id="sewer"),
    ]
    draws = [
        Draw(id="dilution", kind=DrawKind.DILUTE, tank="tank", to="screen", target=dilute_to, rest="over"),
        Draw(id="mat", kind=DrawKind.THICKEN, tank="thick", to="tower", target=thicken_to, rest="filtrate"),
        Draw(id="makeup", kind=DrawKind.KEEP, tank="fresh", to="tank", target=over),
    ]
    return build(units, draws)


@tag("core")
class NetworkLaws(SimpleTestCase):
    @given(
        lf=parts,
        sf=parts,
        fn=parts,
        ds=st.floats(0, 0.3),
        loss=st.floats(0, 0.6),
        reject=st.floats(0, 0.3),
        fines=st.floats(0, 0.5),
        thin=st.floats(0.005, 0.02),
        thick=st.floats(0.03, 0.15),
    )
    def test_what_goes_in_comes_out(self, lf, sf, fn, ds, loss, reject, fines, thin, thick):
        feed = np.zeros(N)
        feed[:3] = lf, sf, fn
        feed[DS] = ds * (lf + sf + fn)
        feed[-1] = (lf + sf + fn) * 0.8  # wet chips: drier than anything after, so that water is always wanted
        found = solve(whitewater(feed, loss, reject, thin, thick, fines))
        assert_balances(self, found)
        self.assertAlmostEqual(found.enters("screen").cons_pct, 100 * thin, places=7)
        self.assertAlmostEqual(found.enters("tower").cons_pct, 100 * thick, places=7)
        out = sum(found.into[found.network.index[e]].sum() for e in found.network.exits)
        made = found.draw_t_h("makeup")
        self.assertTrue(math.isclose(out, feed.sum() + made, rel_tol=1e-9))

    @given(share=st.floats(0.01, 0.3), step=st.floats(0.01, 0.2))
    def test_more_rejects_never_raise_the_accept(self, share, step):
        feed = np.zeros(N)
        feed[0], feed[-1] = 10.0, 8.0
        less, more = (solve(whitewater(feed, 0.1, r, 0.01, 0.1, 0.0)).enters("tower").solids_t_h for r in (share, share + step))
        self.assertGreater(less, more)

    @given(factor=st.floats(0.2, 3.0))
    def test_a_line_without_limits_scales(self, factor):
        feed = np.zeros(N)
        feed[0], feed[2], feed[DS], feed[-1] = 6.0, 2.0, 0.4, 7.0
        one, many = (
            solve(whitewater(feed * f, 0.3, 0.02, 0.012, 0.1, 0.1, over=f)).enters("tower").solids_t_h for f in (1.0, factor)
        )
        self.assertTrue(math.isclose(many, one * factor, rel_tol=1e-9))

    def test_the_demo_line_closes_however_it_is_run(self):
        mill = read_mill(json.loads(DOCUMENT.read_text()))
        base = default_feeds(mill)
        for rate in (0.6, 1.0, 1.35):
            for drawn in (8.0, 16.35, 22.0):
                with self.subTest(rate=rate, drawn=drawn):
                    gives = {k: drawn * s for k, s in mill.grades["EX70"].shares.items()}
                    running = Running(feeds={k: v * rate for k, v in base.items()}, gives=gives, filler_t_h=0.1 * drawn)
                    found = solve_mill(mill, running).solution
                    assert_balances(self, found)
                    blend = found.leaves("blend", "on")
                    self.assertAlmostEqual(blend.solids_t_h, drawn, places=7)
                    for key in "KSMRB":
                        stored = found.stored_t_h(f"{key}.tower")
                        self.assertAlmostEqual(found.enters(f"{key}.tower").solids_t_h - gives[key], stored, places=7)

    @settings(max_examples=examples(18))
    @given(yield_pct=st.floats(30, 95), kappa=st.floats(5, 120))
    def test_whatever_a_cook_makes_the_line_closes_and_carries_it_on(self, yield_pct, kappa):
        mill = read_mill(json.loads(DOCUMENT.read_text()))
        gives = {k: 16.0 * s for k, s in mill.grades["EX70"].shares.items()}
        made = {"K.larch.cook": Made(yield_pct=yield_pct, kappa=kappa)}
        found = solve_mill(mill, Running(feeds={}, gives=gives, filler_t_h=1.6, makes=made)).solution
        assert_balances(self, found)
        fibre = [
            sum(s.flows[COMPONENTS.index(c)] for c in ("LF", "SF", "FN", "SHV"))
            for s in (found.enters("K.larch.cook"), found.leaves("K.larch.cook", "on"))
        ]
        self.assertAlmostEqual(fibre[1], fibre[0] * yield_pct / 100.0)
        self.assertEqual(found.kappa[found.network.index["K.larch.cook"]], kappa)


@tag("core")
class ActingLine(SimpleTestCase):
    """Units act on what enters them: what changes upstream is felt by everything below, and nothing is lost on the way."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.mill = read_mill(json.loads(DOCUMENT.read_text()))
        cls.base = cls.run_line()

    @classmethod
    def run_line(cls, start=None, mill=None, **how):
        gives = {k: 16.0 * s for k, s in cls.mill.grades["EX70"].shares.items()}
        return solve_mill(mill or cls.mill, Running(feeds={}, gives=gives, filler_t_h=1.6, **how), start)

    def test_solutes_are_conserved(self):
        """Sodium, sulphur and chloride that units add leave over the exits, to 1e-9; COD as its rules make it."""
        for line in (self.base, self.run_line(self.base, moisture_pct={"K.larch.chips": 55.0})):
            network = line.solution.network
            for k, name in enumerate(SOLUTES):
                added = sum(acts.adds.get(name, 0.0) for acts in line.acts.values())
                left = sum(line.solutes[network.index[key], k] for key in network.exits)
                with self.subTest(solute=name):
                    self.assertNotEqual(added, 0.0)
                    self.assertLess(abs(added - left) / abs(added), 1e-9)
            sodium = sum(acts.adds.get("SOD", 0.0) + acts.adds.get("SODB", 0.0) for acts in line.acts.values())
            kg = {k: SODIUM_IN_NAOH * a.duties.get("NaOH_kg_h", 0.0) for k, a in line.acts.items()}
            cooked = sum(self.brought(line, k) for k in ("K.larch.cook", "K.alder.cook", "S.cook"))
            self.assertAlmostEqual(sodium, cooked + sum(kg.values()), places=6)  # none but what is charged

    def brought(self, line, key: str) -> float:
        """Sodium of the white liquor that a cook is charged, kg Na/h."""
        charge, wood = line.acting[key].met(line.inlets[key]), line.inlets[key].solids_t_h
        told = white_liquor(ea_pct_naoh=charge.ea_pct_naoh, sulphidity_pct=charge.sulphidity_pct)
        return told.sodium * wood

    def test_sodium_goes_on_with_the_fibre_until_acid_takes_it(self):
        """A washed mat keeps what its acid groups hold; the first acid stage lets it go."""
        line = self.base
        mat, after = line.inlets["K.larch.o2"], line.inlets["K.bleach"]
        bound = mat.kg_h("SODB") / mat.solids_t_h
        self.assertAlmostEqual(bound, bound_sodium("softwood", 10.0), delta=0.01 * bound)
        self.assertGreater(bound, mat.kg_h("SOD") / mat.solids_t_h * 0.3)
        index = line.solution.network.index
        on = line.solutes[index["K.clean"], SOLUTES.index("SODB")]
        self.assertLess(on, 0.5 * after.kg_h("SODB"))

    @settings(max_examples=examples(18))
    @given(moisture=st.floats(40, 60), larch=st.floats(6, 14), kappa=st.floats(20, 40))
    def test_begun_from_another_line_it_settles_on_the_same(self, moisture, larch, kappa):
        how = {"moisture_pct": {"K.larch.chips": moisture}, "makes": {"K.larch.cook": Made(yield_pct=46.0, kappa=kappa)}}
        near, anew = self.run_line(self.base, **how), self.run_line(**how)
        assert_balances(self, near.solution)
        np.testing.assert_allclose(near.solution.into, anew.solution.into, rtol=1e-6, atol=1e-7)
        np.testing.assert_allclose(near.solution.kappa, anew.solution.kappa, rtol=1e-6, atol=1e-7)
        np.testing.assert_allclose(near.solutes, anew.solutes, rtol=1e-6, atol=1e-5)

    def test_each_unit_saw_what_the_solved_line_brings_it(self):
        """The walk down the line and the solved line tell one story: flows, kappa and solutes at every acting unit."""
        line = self.run_line(self.base, moisture_pct={"K.larch.chips": 55.0})
        s, index = line.solution, line.solution.network.index
        for key, inlet in line.inlets.items():
            with self.subTest(unit=key):
                drawn = sum(
                    float(q * (w @ SUSPENDED))
                    for d, q, w in zip(s.network.draws, s.drawn, s.composition, strict=True)
                    if d.to == key and d.kind is not DrawKind.THICKEN
                )
                came = s.enters(key).solids_t_h - drawn
                self.assertAlmostEqual(inlet.solids_t_h, came, delta=1e-6 * (1.0 + inlet.solids_t_h))
                self.assertAlmostEqual(inlet.kappa, float(s.arrives["kappa"][index[key]]), places=6)
                np.testing.assert_allclose(inlet.solutes, line.solutes[index[key]], rtol=1e-6, atol=1e-6)

    def test_heat_closes_and_the_mat_keeps_what_its_liquor_keeps(self):
        heat = self.base.heat
        self.assertLess(heat.closure, 1e-9)
        for key in ("K.larch.wash", "K.alder.wash", "K.post", "S.wash"):
            stages = self.base.acts[key].worked[0].result.line.stages
            kept = stages[-1].x1 / stages[0].x0
            water = 55.0  # of the demo's hot water
            self.assertAlmostEqual(heat.on[key], water + kept * (heat.pulp[key] - water), places=6)
            self.assertTrue(heat.on[key] < heat.mixed[key] < heat.others[key] < heat.pulp[key], key)
        o2 = self.base.acting["K.larch.o2"]
        self.assertAlmostEqual(heat.on["K.larch.o2"], o2.temp_c)
        hotter = self.run_line(self.base, settings={"K.larch.o2": {**o2.settings(), "temp_c": o2.temp_c + 4.0}})
        self.assertGreater(hotter.heat.steam_t_h("K.larch.o2"), heat.steam_t_h("K.larch.o2"))
        self.assertEqual(hotter.heat.on["K.larch.wash"], heat.on["K.larch.wash"])  # nothing runs upstream

    def test_wetter_chips_are_felt_to_the_last_tower(self):
        """The same wet chips, wetter: less wood meets the same liquor, kappa falls, and everything below answers."""
        wet = self.run_line(self.base, moisture_pct={"K.larch.chips": 55.0})
        was, now = self.base, wet
        self.assertLess(now.inlets["K.larch.cook"].solids_t_h, was.inlets["K.larch.cook"].solids_t_h)
        self.assertLess(now.acts["K.larch.cook"].kappa, was.acts["K.larch.cook"].kappa)
        for key in ("K.larch.wash", "K.larch.o2", "K.post", "K.bleach"):
            with self.subTest(unit=key):
                self.assertNotEqual(now.inlets[key], was.inlets[key])
        self.assertLess(now.solution.stored_t_h("K.tower"), was.solution.stored_t_h("K.tower"))
        self.assertEqual(now.inlets["S.bleach"].kappa, was.inlets["S.bleach"].kappa)

    def test_a_washer_that_loses_costs_the_bleach_plant(self):
        plan = self.mill.wash_plans["K.post"]
        poor = replace(self.mill, plans={**self.mill.plans, "K.post": replace(plan, df=0.2)})
        line = self.run_line(mill=poor)
        self.assertGreater(line.inlets["K.bleach"].kg_odt("COD"), self.base.inlets["K.bleach"].kg_odt("COD"))
        self.assertLess(line.acts["K.bleach"].iso_pct, self.base.acts["K.bleach"].iso_pct)

    def test_an_upset_costs_its_line_and_leaves_the_others_alone(self):
        ends = {"K": "K.bleach", "S": "S.bleach"}
        was = {line: self.base.acts[unit].iso_pct for line, unit in ends.items()}
        for key, plan in self.base.acting.items():
            for upset in plan.upsets():
                with self.subTest(unit=key, upset=upset.name):
                    line = self.run_line(settings={key: upset.settings}, start=self.base)
                    now = {end: line.acts[unit].iso_pct for end, unit in ends.items()}
                    for end in ends:
                        if key.startswith(f"{end}.") and HELD in upset.settings:  # more time uses up the chemical and the fibre
                            a, b = (x.acts[key].worked[0].result for x in (self.base, line))
                            self.assertLess(b.left_kg, a.left_kg)
                            self.assertLessEqual(b.viscosity, a.viscosity)
                            self.assertGreater(b.hours, a.hours + 3.9)
                        elif isinstance(plan, CascadePlan):  # below the bleach plant: dirtier, or dearer to pump
                            a, b = (x.acts[key].worked[0].result for x in (self.base, line))
                            self.assertTrue(
                                b.dirt_out_ppm > a.dirt_out_ppm or b.pump_kw > a.pump_kw or b.least_margin < a.least_margin
                            )
                        elif isinstance(plan, RefinerPlan):  # below it too: freer pulp for less power
                            a, b = (x.acts[key] for x in (self.base, line))
                            self.assertGreater(b.csf_ml, a.csf_ml)
                            self.assertLess(b.duties["power_mw"], a.duties["power_mw"])
                        elif key.startswith(f"{end}.") and "feed" not in upset.name:
                            self.assertLess(now[end], was[end])
                        elif not key.startswith(f"{end}."):
                            self.assertAlmostEqual(now[end], was[end], places=6)
                    self.assertLess(line.solution.worst_closure, 1e-9)

    def test_air_in_the_feed_costs_every_washer_a_little_more_and_none_costs_nothing(self):
        plan, losses = self.mill.wash_plans["K.larch.wash"], []
        for air in (0.0, 0.01, 2.0, 6.0, 12.0):
            line = self.run_line(settings={"K.larch.wash": {"air_pct": air}})
            worked = line.acts["K.larch.wash"].worked[0]
            losses.append(worked.result.loss_kg_adt)
            self.assertEqual(bool([c for c in worked.result.cautions if c.field == "air_pct"]), air > 3.0)
        self.assertEqual(losses, sorted(set(losses)))
        self.assertAlmostEqual(losses[1], losses[0], delta=0.05)
        self.assertAlmostEqual(losses[0], self.base.acts["K.larch.wash"].worked[0].result.loss_kg_adt, places=9)
        self.assertEqual(with_air(plan.washers, 0.0), plan.washers)

    def test_every_washer_but_one_may_stop(self):
        plan = self.mill.wash_plans["K.larch.wash"]
        losses = []
        for stopped in range(len(plan.washers)):
            line = self.run_line(settings={"K.larch.wash": {"stopped": stopped}})
            losses.append(line.acts["K.larch.wash"].worked[0].result.loss_kg_adt)
        self.assertEqual(losses, sorted(losses))
        with self.assertRaises(ImpossibleInput):
            plan.set_to({"stopped": len(plan.washers)})

    def test_what_a_unit_worked_is_the_model_run_on_its_case(self):
        for key, acts in self.base.acts.items():
            for worked in acts.worked:
                with self.subTest(unit=key, model=worked.model):
                    self.assertEqual(find(worked.model).function(worked.case), worked.result)

    def test_a_unit_that_cannot_act_is_named(self):
        plan = self.mill.cook_plans["K.larch.cook"]
        dry = replace(
            self.mill, plans={**self.mill.plans, "K.larch.cook": replace(plan, charge=replace(plan.charge, lw_m3_t=2.0))}
        )
        with self.assertRaises(ImpossibleInput) as refusal:
            self.run_line(mill=dry, moisture_pct={"K.larch.chips": 75.0})
        self.assertTrue(refusal.exception.problems[0].field.startswith("K.larch.cook."))


@tag("core")
class StreamLaws(SimpleTestCase):
    amounts = st.dictionaries(st.sampled_from(COMPONENTS), parts, min_size=1)

    @given(a=amounts, b=amounts)
    def test_mixing_is_addition(self, a, b):
        one, two = stream(temp_c=20, **a), stream(temp_c=60, **b)
        both = mix((one, two))
        np.testing.assert_allclose(both.flows, one.flows + two.flows)
        self.assertGreaterEqual(both.temp_c, 20 - 1e-9)
        self.assertLessEqual(both.temp_c, 60 + 1e-9)
        self.assertTrue(0.0 <= both.cons_pct <= 100.0)
        self.assertAlmostEqual(both.solids_t_h, float((one.flows + two.flows) @ SUSPENDED))

    @given(r=st.floats(0.001, 1.0))
    def test_reflectance_round_trip(self, r):
        self.assertTrue(math.isclose(reflectance_from_ks(ks_from_reflectance(r)), r, rel_tol=1e-9))

    @given(a=st.floats(0, 199), d=st.floats(0.01, 1))
    def test_more_lignin_is_darker(self, a, d):
        self.assertGreater(ks_from_kappa(a + d), ks_from_kappa(a))


@tag("core")
class StockLaws(SimpleTestCase):
    @given(q=flows, c=cons, target=cons, water=st.floats(0, 0.6))
    def test_fibre_in_is_fibre_out(self, q, c, target, water):
        assume(target < c and target > water + 0.01)
        found = dilution.dilute(dilution.DilutionCase(flow_l_min=q, cons_pct=c, target_pct=target, water_cons_pct=water))
        brought = dilution.fibre_t_h(found.water_l_min, water)
        self.assertTrue(math.isclose(found.fibre_out_t_h, found.fibre_in_t_h + brought, rel_tol=1e-9))
        self.assertTrue(math.isclose(found.cons_out_pct, target, rel_tol=1e-9))

    @given(q=flows, c=cons, w=flows, water=st.floats(0, 0.3))
    def test_every_direction_agrees(self, q, c, w, water):
        """Known flows give a consistency; that consistency asks for the same water and finds the same inlet."""
        assume(c > water + 0.05)
        mixed = dilution.dilute_result(dilution.MixedCase(flow_l_min=q, cons_pct=c, water_l_min=w, water_cons_pct=water))
        assume(mixed.cons_out_pct > water + 0.01)
        back = dilution.dilute(
            dilution.DilutionCase(flow_l_min=q, cons_pct=c, target_pct=mixed.cons_out_pct, water_cons_pct=water)
        )
        self.assertTrue(math.isclose(back.water_l_min, w, rel_tol=1e-6, abs_tol=1e-6))
        inlet = dilution.dilution_inlet(
            dilution.InletCase(flow_l_min=q, water_l_min=w, cons_out_pct=mixed.cons_out_pct, water_cons_pct=water)
        )
        self.assertTrue(math.isclose(100 * inlet.fibre_in_t_h / (q * 0.06), c, rel_tol=1e-6))

    @given(t=st.floats(0.05, 100), c=cons, rho=st.floats(0.9, 1.1))
    def test_flow_round_trip(self, t, c, rho):
        q = flow.stock_flow(flow.StockFlowCase(fibre_t_h=t, cons_pct=c, density_kg_l=rho)).flow_l_min
        assume(q <= 500_000)
        self.assertTrue(
            math.isclose(
                flow.fibre_flow(flow.FibreFlowCase(flow_l_min=q, cons_pct=c, density_kg_l=rho)).fibre_t_h, t, rel_tol=1e-9
            )
        )

    @given(r=st.floats(0.5, 10), brim=st.floats(2, 20), cone=st.floats(0, 0.9), floor=st.floats(0, 1), at=st.floats(0, 1))
    def test_level_round_trip(self, r, brim, cone, floor, at):
        vessel = shape.Cylinder(radius_m=r, brim_m=brim, cone_m=cone * brim, floor_m=floor * r)
        h = at * brim
        self.assertAlmostEqual(
            shape.level_m(vessel, vessel.volume_m3(h)), h, delta=1e-5 * brim if cone and not floor else 1e-6 * brim + 1e-4
        )

    @given(level=st.floats(11, 94), rate_in=st.floats(0, 500), rate_out=st.floats(0, 500))
    def test_cover_ends_at_its_limit(self, level, rate_in, rate_out):
        assume(abs(rate_in - rate_out) > 1e-3)
        found = cover(CoverCase(capacity=200, level_pct=level, rate_in=rate_in, rate_out=rate_out))
        end = 100 * (found.content + found.net * found.hours) / 200
        self.assertAlmostEqual(end, 10 if found.way == "empty" else 95, places=6)
        course = forecast(content=found.content, low=20, high=190, pieces=(Piece(found.hours + 1, rate_in, rate_out),))
        self.assertAlmostEqual(min(course.low_at_h, course.high_at_h), found.hours, places=6)

    @given(results=st.lists(st.floats(0.5, 10), min_size=1, max_size=3))
    def test_a_result_lies_among_its_pads(self, results):
        found = combine(tuple(results), r_abs=0.05, r_rel_pct=3)
        self.assertTrue(min(results) - 1e-12 <= found.value <= max(results) + 1e-12)

    @given(a=st.floats(-50, 50), d=st.floats(0, 50))
    def test_farther_out_is_never_calmer(self, a, d):
        band = Band(low=-10, high=10, outer_low=-20, outer_high=20)
        out = math.copysign(abs(a) + d, a)
        self.assertLessEqual(GRAVITY[judge(a, band, confirmed=True).state], GRAVITY[judge(out, band, confirmed=True).state])

    @given(gsm=st.floats(20, 300), speed=st.floats(100, 1500), ash=st.floats(5, 30), furnish=st.floats(0, 5))
    def test_the_draw_closes(self, gsm, speed, ash, furnish):
        found = draw(DrawCase(gsm=gsm, speed_m_min=speed, width_m=5, sheet_ash_pct=ash, furnish_ash_pct=furnish))
        self.assertTrue(math.isclose((found.solids_t_h + found.filler_t_h) * 0.96, found.web_t_h, rel_tol=1e-9))
        mineral = 0.96 * (found.solids_t_h * furnish / 100 + found.filler_t_h)
        self.assertTrue(math.isclose(mineral, found.web_t_h * ash / 100, rel_tol=1e-9))


@tag("core")
class WaterLaws(SimpleTestCase):
    """The water of an outlet, from what was found to what is wanted."""

    band = Band(low=3.4, high=3.8, outer_low=3.2, outer_high=4.0, target=3.6)

    def water(self, found: float, wanted: float):
        loop = LoopCase(
            stock_l_min=1500,
            inlet_pct=5.0,
            target_pct=wanted,
            measured_pct=found,
            water_cons_pct=0.1,
            water_max_l_min=1800,
            pipe_m=20,
            pipe_mm=200,
            filter_s=10,
        )
        return loop, water_to(band=self.band, loop=loop, mixing_min=5.0)

    @given(found=st.floats(2.8, 4.6), share=st.floats(0.0, 1.0))
    def test_it_goes_towards_what_is_wanted_and_never_past_it(self, found, share):
        wanted = self.band.low + share * (self.band.high - self.band.low)
        loop, move = self.water(found, wanted)
        assume(isinstance(move, Move))
        self.assertGreaterEqual(abs(move.change), 1.0)
        self.assertGreaterEqual(move.change * (found - wanted), 0.0, "thicker than wanted takes more water")
        self.assertLessEqual(abs(move.expected - wanted), abs(found - wanted) + 1e-9)
        if not move.bound_by:
            self.assertAlmostEqual(move.expected, found - 0.7 * (found - wanted), places=6)
            self.assertTrue(10.0 - 1e-9 <= move.valve_pct <= 90.0 + 1e-9)

    def test_nothing_to_move(self):
        self.assertIsNone(self.water(3.65, self.band.aim)[1], "inside the band and its aim is wanted: left")
        self.assertIsNone(self.water(3.9, 4.2)[1], "wanted outside the band")
        self.assertIsInstance(self.water(3.65, 3.5)[1], Move, "inside, and another value of the band is wanted")
        self.assertIsInstance(self.water(4.0, self.band.aim)[1], Move)


class LotLaws(SimpleTestCase):
    @given(bare=st.text(SIGNS, min_size=6, max_size=14), at=st.integers(0, 13), sign=st.sampled_from(SIGNS))
    def test_a_single_mistype_is_caught(self, bare, at, sign):
        at %= len(bare)
        assume(bare[at] != sign)
        self.assertNotEqual(check_sign(bare), check_sign(bare[:at] + sign + bare[at + 1 :]))

    @given(bare=st.text(SIGNS, min_size=6, max_size=14), at=st.integers(0, 12))
    def test_a_neighbour_swap_is_caught(self, bare, at):
        at %= len(bare) - 1
        assume(bare[at] != bare[at + 1])
        self.assertNotEqual(check_sign(bare), check_sign(bare[:at] + bare[at + 1] + bare[at] + bare[at + 2 :]))
