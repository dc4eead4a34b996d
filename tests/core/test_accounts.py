"""Accounts of a solved line: what came is what went, of fibre, water and salts, in both mills; hours sum."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag

from core.accounts import towers
from core.accounts.energy import HeaderCase, Slot, header
from core.accounts.line import Terms, accounts_of, adt, make_up_kg_h, summed
from core.accounts.reconcile import DayCase, day, reconcile
from core.accounts.recovery import FiredCase, MakeUpCase, make_up, steam
from core.errors import ImpossibleInput, Infeasible
from core.mill.reading import read_mill
from core.stream import SUSPENDED, W
from tests.core.test_through import demo, running
from tests.second_mill import document


@tag("core")
class OfALine(SimpleTestCase):
    def lines(self):
        yield demo()[1], "reel"
        yield running(read_mill(document())), "pope"

    def test_fibre_water_and_salts_close_by_place(self):
        for line, reel in self.lines():
            accounts = accounts_of(line, reel, {}, Terms())
            for key in ("fibre", "water", "sodium", "sulphur"):
                a = accounts.of[key]
                self.assertLess(abs(a.unexplained), 1e-7 * max(1.0, a.total), key)
            network = line.solution.network
            fed = sum(float(u.feed @ SUSPENDED) for u in network.units if not u.supply)
            self.assertGreaterEqual(accounts.of["fibre"].total, fed - 1e-9)
            self.assertAlmostEqual(accounts.reel_t, float(line.solution.after[network.index[reel]] @ SUSPENDED))
            self.assertAlmostEqual(adt(accounts.reel_t), accounts.reel_t / 0.9)
            self.assertTrue(all(abs(e.value) > 0.0 for a in accounts.of.values() for e in (*a.came, *a.went)))

    def test_what_is_used_is_what_units_say_and_money_follows_prices(self):
        line = demo()[1]
        one, dear = (accounts_of(line, "reel", {"starch": 98.0}, Terms(steam_t=price)) for price in (22.0, 44.0))
        power = sum(a.duties.get("power_mw", 0.0) for a in line.acts.values())
        self.assertAlmostEqual(one.of["power"].total, power)
        self.assertIn("starch", {e.name for e in one.of["chemicals"].came})
        steam = one.of["steam"].total
        self.assertAlmostEqual(dear.of["money"].total - one.of["money"].total, 22.0 * steam)
        self.assertAlmostEqual(one.of["carbon"].total, 60.0 * steam + 350.0 * power)
        self.assertFalse({e.key for e in one.of["cod"].came} & {"recovery", "reel", "stays.stored.K"})
        self.assertEqual({e.key: e.name for e in one.of["fibre"].went}["stays.stored.K"], "stays in the K tower")
        self.assertGreater({e.key: e.value for e in one.of["sulphur"].went}["recovery"], 0.99 * one.of["sulphur"].gone)
        self.assertGreater(make_up_kg_h(one, "sodium"), 0.0)
        self.assertLess(make_up_kg_h(one, "sulphur"), 0.01 * one.of["sulphur"].total)
        water = {e.key: e.value for e in one.of["water"].came}
        self.assertAlmostEqual(water["showers"], float(line.solution.network.unit("showers").feed[W]))

    def test_hours_sum(self):
        accounts = accounts_of(demo()[1], "reel", {}, Terms())
        both = summed([(1.0, accounts), (0.5, accounts)])
        self.assertAlmostEqual(both.reel_t, 1.5 * accounts.reel_t)
        for key, a in accounts.of.items():
            self.assertAlmostEqual(both.of[key].total, 1.5 * a.total)
            self.assertAlmostEqual(both.of[key].gone, 1.5 * a.gone)


DAY = DayCase(
    wood_t=402,
    wood_sd=12,
    yield_pct=46.2,
    washed_t=183.5,
    washed_sd=3.0,
    towers_t=6.0,
    towers_sd=1.5,
    delivered_t=171.0,
    delivered_sd=1.5,
    lost_t=5.2,
    lost_sd=0.8,
)


@tag("core")
class OfADay(SimpleTestCase):
    def test_what_is_adjusted_closes_and_is_surer(self):
        found = day(DAY)
        self.assertAlmostEqual(0.462 * found.wood_t, found.washed_t)
        self.assertAlmostEqual(found.washed_t, found.towers_t + found.delivered_t + found.lost_t)
        self.assertLess(found.wood_sd, DAY.wood_sd)
        self.assertEqual(found.suspects, ())

    def test_meters_that_cannot_be_told_apart_are_all_named_and_one_that_can_is_sized(self):
        scale = day(replace(DAY, delivered_t=184.0))
        self.assertEqual(set(scale.suspects), {"towers", "delivered", "losses"})
        wood = day(replace(DAY, wood_t=500.0))
        self.assertEqual(wood.suspects, ("wood",))
        self.assertIn("+10", wood.cautions[-1].text)  # about 104 t too much
        self.assertIn("the others agree without it", wood.cautions[-1].text)

    def test_errors_of_chance_pass_as_often_as_they_should(self):
        rng, passed = np.random.default_rng(5), 0
        balances = np.array([[0.462, -1.0, 0, 0, 0], [0, 1.0, -1.0, -1.0, -1.0]])
        true, sd = np.array([396.0, 182.952, 6.3, 171.4, 5.252]), np.array([12, 3, 1.5, 1.5, 0.8])
        for _ in range(2000):
            passed += reconcile(true + sd * rng.standard_normal(5), sd, balances, (0, 0)).passes
        self.assertAlmostEqual(passed / 2000, 0.95, delta=0.015)
        with self.assertRaisesRegex(ImpossibleInput, "above 0"):
            reconcile(true, [0, 1, 1, 1, 1], balances, (0, 0))
        with self.assertRaisesRegex(ImpossibleInput, "twice"):
            reconcile(true, sd, np.vstack([balances, balances[:1]]), (0, 0, 0))

    def test_what_cannot_be_burnt_borne_or_made_up_is_said(self):
        self.assertIsInstance(steam(FiredCase(hhv_mj_kg=14, solids_pct=10)), Infeasible)
        self.assertIsInstance(make_up(MakeUpCase(na_kg=9, s_kg=1, s_in_kg=2)), Infeasible)
        slots = tuple(Slot(there=20, wanted=50) for _ in range(4))
        self.assertIsInstance(header(HeaderCase(cap_t_h=100, base_t_h=70, slots=slots)), Infeasible)
        later = header(HeaderCase(cap_t_h=125, base_t_h=70, slots=slots))
        self.assertEqual(later.start_slot, 4.0)
        self.assertLessEqual(later.peak_t_h, 125.0)


@tag("core")
class TowersAgree(SimpleTestCase):
    """Towers and the machine, against the whole system of the multipliers, and with faults planted."""

    def case(self, rng, faulty: tuple[int, str, float] | None = None, count: int = 4):
        made = rng.uniform(40.0, 250.0, count)
        rose = rng.uniform(-6.0, 6.0, count)
        drawn, bought = made - rose, 20.0
        sd = {"made": 0.02 * made, "drawn": 0.01 * drawn, "rose": np.full(count, 0.1)}
        true = {"made": made, "drawn": drawn, "rose": rose}
        told = {k: v + rng.normal(0.0, 1.0, count) * sd[k] for k, v in true.items()}
        if faulty is not None:
            told[faulty[1]][faulty[0]] += faulty[2]
        rows = tuple(
            towers.Tower(**{f"{k}_t": float(told[k][i]) for k in told}, **{f"{k}_sd": float(sd[k][i]) for k in sd})
            for i in range(count)
        )
        taken = float(drawn.sum() + bought)
        return towers.TowersCase(
            bought_t=bought + float(rng.normal(0.0, 0.2)),
            bought_sd=0.2,
            machine_t=taken + float(rng.normal(0.0, 0.01 * taken)),
            machine_sd=0.01 * taken,
            towers=rows,
        )

    def test_it_is_what_the_whole_system_gives_and_closes(self):
        rng = np.random.default_rng(5)
        for count in (1, 2, 5):
            case = self.case(rng, count=count)
            found = towers.towers(case)
            m, sd = towers._laid_out(case)
            a = towers._balances(count)
            n, k = len(m), len(a)
            weight = np.diag(1.0 / np.array(sd) ** 2)
            system = np.block([[weight, a.T], [a, np.zeros((k, k))]])
            x = np.linalg.solve(system, np.concatenate([weight @ np.array(m), np.zeros(k)]))[:n]
            np.testing.assert_allclose([v for t in found.towers for v in t], x[:-2], rtol=1e-9)
            np.testing.assert_allclose([found.bought_t, found.machine_t], x[-2:], rtol=1e-9)
            self.assertAlmostEqual(found.chi, float((((np.array(m) - x) / np.array(sd)) ** 2).sum()), places=6)
            for made, drawn, rose in found.towers:
                self.assertAlmostEqual(made, drawn + rose, places=9)
            self.assertAlmostEqual(sum(t[1] for t in found.towers) + found.bought_t, found.machine_t, places=9)

    def test_chance_alone_is_suspected_as_seldom_as_it_should_be(self):
        rng = np.random.default_rng(11)
        failed = sum((f := towers.towers(self.case(rng))).chi > f.chi_allowed for _ in range(400))
        self.assertAlmostEqual(failed / 400.0, 0.05, delta=0.035)

    def test_a_flow_meter_that_is_off_is_named_with_its_size(self):
        rng = np.random.default_rng(3)
        named = 0
        for i in range(20):
            case = self.case(rng, (i % 4, "drawn", 60.0))
            found = towers.towers(case)
            self.assertGreater(found.chi, found.chi_allowed)
            if found.suspects == ((i % 4 + 1, "drawn"),):
                named += 1
                self.assertAlmostEqual(found.off_t, 60.0, delta=15.0)
                self.assertIn("cannot be made to agree", found.cautions[-1].text)
        self.assertGreaterEqual(named, 18)

    def test_what_stands_in_one_balance_alone_is_told_together(self):
        case = self.case(np.random.default_rng(4), (0, "made", -90.0))
        found = towers.towers(case)
        self.assertEqual({what for k, what in found.suspects if k == 1} & {"made", "rose"}, {"made", "rose"})
        self.assertIn("cannot be told apart", found.cautions[-1].text)
        with self.assertRaises(ImpossibleInput):
            towers.towers(towers.TowersCase(bought_t=0, bought_sd=1, machine_t=1, machine_sd=1, towers=()))
