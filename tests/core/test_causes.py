"""What changed before a reading: transit, split, and planted causes found again in a plant of its own."""

from dataclasses import replace
from functools import cache

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.errors import ImpossibleInput, Infeasible
from core.judge.cause import Cause, SplitCase, Together, drift_of, scatter, seen_as, split_drift, weights
from core.line.acting import solve_line
from core.mill.causes import Gains, Met, Shifted, Ways, apart, met_by, split_case, upstream
from core.mill.run import solve_mill
from core.through.plant import Plant
from tests.core.test_plant import as_set, mills

ROW = "K.post.kappa"
STEP_H, EACH = 0.5, 6
PLANTED = (  # what is moved and by how much: each moves the row by more than a kappa
    ("K.larch.cook", "ea_pct_naoh", -1.6),
    ("K.larch.o2", "naoh_kg", -9.0),
    ("K.larch.o2", "temp_c", -12.0),
    ("K.alder.cook", "zone.3", -5.0),
    ("K.larch.cook", "kappa", 5.0),  # it makes more than its settings tell
)
SD = {"kappa": 0.15, "moisture": 0.3, "white_liquor": 0.5, "soda_loss": 0.3}


def figures(low=-5.0, high=5.0):
    return st.floats(min_value=low, max_value=high, allow_nan=False)


@tag("core")
class Parts(SimpleTestCase):
    @given(
        st.lists(st.tuples(figures(), figures(0.0, 2.0), figures(), figures(0.0, 1.0)), min_size=1, max_size=6),
        figures(),
        figures(0.01, 2.0),
        figures(0.01, 2.0),
    )
    def test_parts_rest_and_noise_add_up_to_the_drift(self, causes, drift, drift_sd, rest_sd):
        rows = tuple(Cause(moved=m, moved_sd=s, gain=g, gain_sd=gs) for m, s, g, gs in causes)
        found = split_drift(SplitCase(causes=rows, drift=drift, drift_sd=drift_sd, rest_sd=rest_sd))
        self.assertAlmostEqual(found.sums_to, drift, places=8)

    def test_what_is_known_exactly_keeps_its_part_and_two_alike_cannot_be_told_apart(self):
        known = split_drift(SplitCase(causes=(Cause(moved=1.5, gain=2.0),), drift=4.0, drift_sd=0.0, rest_sd=0.5))
        self.assertEqual((round(known.first, 9), round(known.rest, 9)), (3.0, 1.0))
        vague = Cause(moved=1.0, moved_sd=3.0, gain=1.0)
        both = split_drift(SplitCase(causes=(vague, vague), drift=4.0, drift_sd=0.1, rest_sd=0.2))
        self.assertEqual(both.one_of, ((0, 1),))
        self.assertAlmostEqual(both.parts[0][0], both.parts[1][0])

    def test_a_meter_that_two_causes_share_counts_once(self):
        one = Cause(moved=1.0, moved_sd=0.5, gain=1.0)
        opposed = (Together(one=1, other=2, covariance=-0.25),)
        rows = (one, replace(one, gain=1.0))
        apart_, together = (
            split_drift(SplitCase(causes=rows, drift=3.0, drift_sd=0.2, rest_sd=0.5, together=t)) for t in ((), opposed)
        )
        self.assertGreater(apart_.first, together.first)  # what moves against each other tells nothing of their sum
        self.assertAlmostEqual(together.first, 1.0)
        with self.assertRaises(ImpossibleInput):
            split_drift(
                SplitCase(causes=rows, drift=3.0, drift_sd=0.2, rest_sd=0.5, together=(Together(one=1, other=3, covariance=0),))
            )

    def test_a_drift_asks_for_results_that_scatter(self):
        self.assertIsInstance(drift_of([1.0], 1, 0.1), Infeasible)
        self.assertIsInstance(drift_of([1.0, 2.0], 1, 0.0), Infeasible)
        found = drift_of([30.0, 30.2, 29.8, 30.1, 33.0], 1, 0.3)
        self.assertTrue(found.seen)
        self.assertAlmostEqual(found.d, 33.0 - np.mean([30.2, 29.8, 30.1]))
        self.assertFalse(drift_of([30.0, 30.2, 29.8, 30.1, 30.2], 1, 0.3).seen)
        self.assertEqual([seen_as(p, 1.0) for p in (2.5, -1.5, 0.5)], ["likely", "possible", "not seen"])
        self.assertEqual(scatter([1.0, 2.0]), 0.0)


@tag("core")
class Transit(SimpleTestCase):
    @given(st.lists(figures(-20.0, 20.0), min_size=1, max_size=8), figures(-30.0, 30.0), figures(0.0, 9.0), figures(0.0, 9.0))
    def test_weights_are_shares_of_one(self, times, at, delay, tau):
        told = weights(sorted(times), at, delay, tau)
        self.assertAlmostEqual(float(told.sum()), 1.0)
        self.assertTrue((told >= -1e-12).all())

    def test_a_plug_gives_what_stood_then_and_a_vessel_its_share(self):
        self.assertEqual(weights([0.0, 2.0, 5.0], 6.0, 1.5, 0.0).tolist(), [0.0, 1.0, 0.0])
        self.assertEqual(weights([4.0], 1.0, 0.0, 2.0).tolist(), [1.0])  # the first holds for ever before
        told = weights([0.0, 2.0], 4.0, 0.0, 2.0)
        self.assertAlmostEqual(told[1], 1.0 - np.exp(-1.0))
        self.assertEqual(len(weights([], 1.0, 0.0, 1.0)), 0)


@cache
def gains(which: int = 0) -> Gains:
    mill, running = mills()[which]
    return Gains(mill, running, lambda run: solve_mill(mill, run), solve_line)


@tag("core")
class Upstream(SimpleTestCase):
    def test_a_gain_is_what_the_line_does(self):
        g, (mill, _) = gains(), mills()[0]
        things = {t.key: t for t in upstream(mill, g.base, mill.plan["K.last_washer.brightness"], {})}
        told = g.of(things["set:K.bleach.charge.1"], 0.1)["K.last_washer.brightness"]
        plan = g.base.acting["K.bleach"]
        own = dict(plan.settings())
        more = solve_mill(mill, replace(g.running, settings={"K.bleach": {**own, "charge.1": own["charge.1"] + 0.1}}))
        self.assertAlmostEqual(told, (more.acts["K.bleach"].iso_pct - g.base.acts["K.bleach"].iso_pct) / 0.1, delta=0.05)
        kappa = g.of(things["row:K.larch_blow.kappa"], 0.1)
        self.assertAlmostEqual(kappa["K.larch_blow.kappa"], 1.0, places=3)
        self.assertLess(kappa["K.last_washer.brightness"], 0.0)  # more lignin comes, less bright it leaves
        self.assertNotIn("row:machine.chest.brightness", things)  # what lies downstream is no cause

    def test_every_row_of_both_mills_has_its_way_from_what_lies_upstream(self):
        seen = 0
        for which, (mill, _) in enumerate(mills()):
            g = gains(which)
            for row in mill.plan.values():
                for t in upstream(mill, g.base, row, {}):
                    seen += 1
                    self.assertGreaterEqual(t.way.delay_h, 0.0)
                    self.assertLess(t.way.hours, 72.0, t.key)
                    self.assertNotEqual(t.row, row.id)
        self.assertGreater(seen, 200)

    def test_a_tower_is_waited_for_as_it_stands(self):
        mill, _ = mills()[0]
        line = gains().base
        low, high = (Ways(mill, line, {"K.tower": level}).to("chest")["K.refine"].hours for level in (20.0, 80.0))
        self.assertGreater(high, 2.0 * low)

    def test_what_a_setting_did_is_not_counted_again_where_it_is_read(self):
        g, (mill, _) = gains(), mills()[0]
        things = {t.key: t for t in upstream(mill, g.base, mill.plan["K.last_washer.brightness"], {})}
        ea, kappa = things["set:K.larch.cook.ea_pct_naoh"], things["row:K.larch_blow.kappa"]
        told = [g.of(t, 0.1) for t in (ea, kappa)]
        by_setting = told[0]["K.larch_blow.kappa"] * -0.5
        met = [Met(thing=ea, moved=-0.5, sd=0.0), Met(thing=kappa, moved=by_setting, sd=0.1)]
        _, moved, covariance, _ = apart(met, told, "K.last_washer.brightness")
        self.assertAlmostEqual(moved[1], 0.0)
        self.assertAlmostEqual(covariance[1, 1], 0.01)
        self.assertIsInstance(Shifted(g.base.acting["K.larch.cook"], "kappa", 1.0).set_to({}), Shifted)


def read(p: Plant, rng, log: dict[str, list[tuple[float, float]]], fed: dict[str, str]) -> None:
    """What the laboratory finds now, with the noise of its methods."""
    for key, row in p.mill.plan.items():
        if row.test not in SD:
            continue
        found = p.moisture(fed[key]) if key in fed else p.seen_at(row)
        if found is not None:
            log.setdefault(key, []).append((p.minutes / 60.0, found + rng.normal(0.0, SD[row.test])))


def planted(seed: int) -> tuple[str, list[str]]:
    """A cause planted in a plant, with two that hardly count: its key, and what the split ranks from its readings alone."""
    (mill, running), rng = mills()[0], np.random.default_rng(seed)
    g = gains()
    row = mill.plan[ROW]
    things = upstream(mill, g.base, row, dict.fromkeys(mill.vessels, 60.0))
    known = {t.key: t for t in things}
    order = rng.permutation(len(PLANTED))
    p = Plant(mill, running, dict.fromkeys(mill.vessels, 60.0), seed=seed)
    fed = {r: u for u, r in mill.moisture_rows.items()}
    log: dict[str, list[tuple[float, float]]] = {}

    def run_to(hour: float) -> None:
        while p.minutes < 60.0 * hour - 0.5:
            p.run(round(60.0 * STEP_H))
            read(p, rng, log, fed)

    run_to(EACH * STEP_H)
    changed: dict[str, tuple[float, float]] = {}
    key = ""
    for rank, k in enumerate(order[:3]):
        unit, name, size = PLANTED[k]
        by = size if rank == 0 else size / 8.0
        told = f"row:{mill.cook_plans[unit].kappa_row}" if name == "kappa" else f"set:{unit}.{name}"
        key = key or told
        if name == "kappa":
            p.acting.runs_as(unit, Shifted(p.acting.acting[unit], name, by))
        else:
            was = dict(p.running.settings.get(unit) or mill.settable[unit].settings())
            p.set_as(as_set(p, unit, **{**was, name: was[name] + by}))
            changed[told] = (was[name], was[name] + by)
    begun = p.minutes / 60.0
    run_to(begun + known[key].way.hours + 1.0 + EACH * STEP_H)
    results = [t for t, _ in log[ROW]]
    values = [v for _, v in log[ROW]]
    now, before = results[-EACH:], results[:EACH]
    sigma = scatter(values[:EACH])
    drift = drift_of([*values[:EACH], *values[-EACH:]], EACH, sigma)
    met, moves = [], []
    for t in things:
        held = [(-1e4, changed[t.key][0]), (begun, changed[t.key][1])] if t.key in changed else log.get(t.row, [])
        found = met_by(t, held, now, before)
        if found is not None and (j := g.of(t, 0.5)):
            met.append(found)
            moves.append(j)
    found = split_drift(split_case(met, moves, ROW, drift, sigma))
    ranked = sorted(range(len(met)), key=lambda i: -abs(found.parts[i][0]))
    return key, [met[i].thing.key for i in ranked]


@tag("core")
class Planted(SimpleTestCase):
    def test_a_planted_cause_stands_first_in_seventeen_of_twenty(self):
        told = [planted(seed) for seed in range(20)]
        right = sum(key == ranked[0] for key, ranked in told)
        self.assertGreaterEqual(right, 17, [(key, ranked[:2]) for key, ranked in told if key != ranked[0]])
        self.assertGreater(len({key for key, _ in told}), 3)
