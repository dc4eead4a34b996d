"""Control charts: rules on crafted series, alarms as often as theory says, phases and limits that people keep, the page."""

from datetime import timedelta

import numpy as np
from django.test import SimpleTestCase, TestCase, tag

from core.errors import ImpossibleInput, Infeasible
from core.judge.capable import able, capability, group_chart, grouped
from core.judge.chart import (
    CUSUM_LIMIT,
    EVERY,
    METER_CUSUM_LIMIT,
    ON,
    Chart,
    cusum,
    ewma,
    individuals,
    moved,
    phased,
    run_rules,
    signals_of,
)
from core.judge.heard import APART, EACH, GROUPS, SWITCHED, Heard, side_of, usual
from core.judge.run_length import (
    BOTH,
    BY_RULES,
    CHARTS,
    CUSUM,
    EWMA,
    ONE,
    RULES,
    SINGLES,
    USUAL,
    RunLengthCase,
    chart_of,
    of_rules,
    run_length,
)
from core.stream import SUSPENDED
from desk.lab import charts
from desk.lab.actions import Entry, record_sample
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.mill.state import MillState
from tests import make, second_mill
from tests.desk.test_bleach import Desk

ROW = "K.larch_blow.kappa"


@tag("core")
class Rules(SimpleTestCase):
    def fired(self, values, *rules) -> list[tuple[str, int]]:
        return [(s.rule, s.at + 1) for s in run_rules(values, 0.0, 1.0, rules or EVERY)]

    def test_the_published_series_fires_where_it_is_said_to(self):
        z = [0.2, -0.5, 2.3, 0.4, 2.4, 1.2, 1.4, 0.9, 1.6, 1.1, 0.3, 0.2, -3.4]
        told = self.fired(z, "WE1", "WE2", "WE3", "WE4")
        self.assertEqual([at for rule, at in told if rule == "WE1"], [13])
        self.assertEqual([at for rule, at in told if rule == "WE2"], [5])
        self.assertEqual([at for rule, at in told if rule == "WE3"], [7, 9, 10])
        self.assertEqual([at for rule, at in told if rule == "WE4"], [10, 11, 12])
        self.assertEqual({rule for rule, _ in [(s.rule, s.at) for s in run_rules(z, 0.0, 1.0)]}, set(ON))

    def test_each_other_rule_fires_at_its_length_and_not_one_before(self):
        rising = [-0.9, -0.5, -0.2, 0.1, 0.4, 0.8]
        turns = [0.5 * (-1) ** k for k in range(14)]
        inside = [0.9, -0.3, 0.2, -0.8] * 4
        mixed = [1.2, -1.4, 1.1, -1.3, 1.6, -1.2, 1.4, 1.1]
        for rule, series, length in (
            ("trend6", rising, 6),
            ("alternating14", turns, 14),
            ("inside15", inside, 15),
            ("mixed8", mixed, 8),
        ):
            with self.subTest(rule=rule):
                self.assertIn((rule, length), self.fired(series, rule))
                self.assertEqual(self.fired(series[: length - 1], rule), [])
        self.assertEqual(self.fired([0.1, 0.2, 0.3, 0.3, 0.4, 0.5], "trend6"), [])  # level is not rising
        self.assertEqual(self.fired([1.1] * 8, "mixed8"), [])  # one side alone

    def test_strictly_beyond_and_early_points_count_those_there_are(self):
        self.assertEqual(self.fired([3.0], "WE1"), [])
        self.assertEqual(self.fired([2.1, 2.2], "WE2"), [("WE2", 2)])
        self.assertEqual(self.fired([1.1, 1.2, 1.3, 1.4], "WE3"), [("WE3", 4)])


@tag("core")
class AsOftenAsTheory(SimpleTestCase):
    """False alarms and run lengths of every chart, simulated, agree with the chains within four standard errors."""

    RUNS = 400

    def simulated(self, heard, shift: float) -> tuple[float, float]:
        rng = np.random.default_rng(11)
        told = np.array([heard(rng, shift) for _ in range(self.RUNS)], dtype=float)
        return float(told.mean()), float(told.std(ddof=1) / np.sqrt(self.RUNS))

    def first(self, signals) -> int:
        at = np.flatnonzero(signals)
        return int(at[0]) + 1 if len(at) else len(signals)

    def test_run_lengths(self):
        def singles(rng, shift):
            return self.first(np.abs(rng.normal(shift, 1.0, 4000)) > 3.0)

        def smoothed(rng, shift):  # from limits at rest
            z, half = 0.0, 2.86 * np.sqrt(0.2 / 1.8)
            for i, x in enumerate(rng.normal(shift, 1.0, 4000).tolist(), start=1):
                z = 0.2 * x + 0.8 * z
                if abs(z) > half:
                    return i
            return 4000

        def sums(rng, shift):
            told = np.array(cusum(rng.normal(shift, 1.0, 400).tolist(), 0.0, 1.0))
            return self.first(told.max(axis=1) > CUSUM_LIMIT)

        def rules(rng, shift):
            found = run_rules(rng.normal(shift, 1.0, 160).tolist(), 0.0, 1.0, ("WE1", "WE2", "WE3", "WE4"))
            return min((s.at + 1 for s in found), default=160)

        def usual(rng, shift):
            found = run_rules(rng.normal(shift, 1.0, 200).tolist(), 0.0, 1.0, ON)
            return min((s.at + 1 for s in found), default=200)

        for name, heard, shift in (
            (SINGLES, singles, 1.0),
            (SINGLES, singles, 2.0),
            (EWMA, smoothed, 0.5),
            (EWMA, smoothed, 1.0),
            (CUSUM, sums, 1.0),
            (RULES, rules, 1.0),
            (USUAL, usual, 1.0),
        ):
            with self.subTest(chart=name, shift=shift):
                mean, error = self.simulated(heard, shift)
                self.assertAlmostEqual(mean, run_length(RunLengthCase(chart=name, shift=shift)).points, delta=4.0 * error)

    def test_false_alarms_of_the_rules_together(self):
        rng = np.random.default_rng(5)
        share = np.mean(
            [bool(run_rules(rng.normal(0, 1, 50).tolist(), 0.0, 1.0, ("WE1", "WE2", "WE3", "WE4"))) for _ in range(400)]
        )
        self.assertAlmostEqual(float(share), 1.0 - np.exp(-50.0 / of_rules(0.0)), delta=0.09)
        for fewer, rules in ((a, b) for a in BY_RULES.values() for b in BY_RULES.values() if a < b):
            self.assertLess(of_rules(0.0, rules), of_rules(0.0, fewer))  # every rule more is a false alarm more

    def test_some_rules_alone_and_one_side_agree_with_simulation(self):
        for rules, side, shift in ((("WE1", "WE3"), 0, 0.5), (("WE2", "WE4"), 0, 1.0), (("WE1", "WE2"), 1, 1.0)):
            heard = Heard(rules=rules, side=side)

            def first(rng, shift, heard=heard, rules=rules):
                found = heard.alarms(run_rules(rng.normal(shift, 1.0, 260).tolist(), 0.0, 1.0, rules))
                return min((s.at + 1 for s in found), default=260)

            mean, error = self.simulated(first, shift)
            case = RunLengthCase(chart=chart_of(rules), sides=ONE if side else BOTH, shift=shift)
            with self.subTest(rules=rules):
                self.assertAlmostEqual(mean, run_length(case).points, delta=4.0 * error)

    def test_one_side_cries_half_as_often_and_hears_its_side_as_soon(self):
        for chart in CHARTS:
            both, one = (run_length(RunLengthCase(chart=chart, sides=s)).points for s in (BOTH, ONE))
            with self.subTest(chart=chart):
                self.assertAlmostEqual(one / both, 2.0, delta=0.05)
                both, one = (run_length(RunLengthCase(chart=chart, sides=s, shift=2.0)).points for s in (BOTH, ONE))
                self.assertAlmostEqual(one / both, 1.0, delta=0.02)

    def test_a_larger_change_is_heard_sooner_by_every_chart(self):
        for chart in CHARTS:
            told = [run_length(RunLengthCase(chart=chart, shift=s)).points for s in (0.0, 0.5, 1.0, 2.0, 3.0)]
            self.assertEqual(told, sorted(told, reverse=True), chart)


@tag("core")
class Phases(SimpleTestCase):
    def test_no_range_and_no_signal_crosses_into_another_phase(self):
        rng = np.random.default_rng(3)
        values = [*(30.0 + 0.4 * rng.standard_normal(30)), *(35.0 + 0.4 * rng.standard_normal(30))]
        one, two = phased(values, [0], {}), phased(values, [30], {})
        self.assertEqual([(p.first, p.end) for p in two], [(0, 30), (30, 60)])
        self.assertGreater(len(signals_of(values, one)), 20)
        self.assertLess(len(signals_of(values, two)), 6)
        for p, mean in zip(two, (30.0, 35.0), strict=True):
            self.assertAlmostEqual(p.begun.mean, mean, delta=0.3)
            self.assertLess(p.begun.high - p.begun.low, 6.0)
        self.assertEqual(phased(values, [0, 60, -4], {})[0].end, 60)  # what begins outside the points begins nothing

    def test_kept_limits_stand_however_many_points_come(self):
        values = [30.0 + 0.3 * (-1) ** k for k in range(24)]
        kept = individuals(values)
        later = [*values, *(36.0 + 0.3 * (-1) ** k for k in range(10))]
        (p,) = phased(later, [], {0: kept})
        self.assertTrue(p.kept)
        self.assertEqual(p.begun, kept)
        self.assertTrue([s for s in signals_of(later, (p,)) if s.rule == "WE1" and s.at == 24])

    def test_groups_ability_and_what_cannot_be_told(self):
        groups = [29.4, 30.6, 30.1, 30.8, 31.2, 29.9, 29.1, 29.8, 30.3, 30.5, 29.6, 30.2, 31.0, 30.2, 30.9]
        means, ranges = grouped([99.0, *groups], 3)  # what is over at the old end is left out
        chart = group_chart(means, ranges, 3)
        for name, value in (
            ("mean", 30.240),
            ("range_mean", 1.080),
            ("low", 29.1352),
            ("high", 31.3448),
            ("range_high", 2.7799),
        ):
            self.assertAlmostEqual(getattr(chart, name), value, places=3, msg=name)
        self.assertIsInstance(group_chart(means[:4], ranges[:4], 3), Infeasible)
        with self.assertRaises(ImpossibleInput):
            grouped(groups, 9)
        rng = np.random.default_rng(9)
        values = (84.3 + 0.4 * rng.standard_normal(60)).tolist()
        both, one = (capability(able(values, low, high)) for low, high in ((83.0, 86.0), (83.0, np.inf)))
        self.assertGreater(both.cp, both.cpk - 1e-12)
        self.assertEqual(one.cp, 0.0)
        self.assertAlmostEqual(one.cpk, both.cpk)  # the nearer limit
        for few, low in ((values[:29], 83.0), (values, -np.inf), ([5.0] * 40, 1.0)):
            self.assertIsInstance(able(few, low, np.inf), Infeasible)

    def test_a_meter_is_heard_sooner_than_a_row(self):
        last = cusum([460.0] * 9, 450.0, 10.0)[-1][0]
        self.assertAlmostEqual(last, 4.5)
        self.assertIsNone(moved([460.0] * 9, 450.0, 10.0))
        self.assertEqual(moved([460.0] * 9, 450.0, 10.0, limit=METER_CUSUM_LIMIT), (0, last))

    def test_a_head_start_hears_a_change_that_was_there_at_the_restart_sooner(self):
        values = [0.9] * 20
        over = [[max(pair) > CUSUM_LIMIT for pair in cusum(values, 0.0, 1.0, head=head)] for head in (2.5, 0.0)]
        soon, late = (told.index(True) for told in over)
        self.assertLess(soon, late)
        soon, late = moved(values[:8], 0.0, 1.0, head=2.5), moved(values[:8], 0.0, 1.0)
        self.assertEqual((soon[0], late), (0, None))
        self.assertEqual(len(ewma(values, 0.0, 1.0)), 20)


class Page(Desk):
    def setUp(self):
        self.as_("pn")

    def open(self, query: str = "", row: str = ROW):
        return self.client.get(f"/lab/chart/{row}/{query}")

    def test_it_says_what_moved_since_when_how_often_by_chance_and_what_it_lies_in(self):
        page = self.open()
        told = page.context["told"]
        self.assertGreater(len(told.points), 50)
        self.assertEqual(page.context["says"]["title"], "Look for the cause, then move")
        self.assertTrue({"WE1", "WE2"} <= {s.rule for s in told.standing})
        self.assertIsNotNone(told.left_ewma)
        self.assertContains(page, "By chance once in")
        self.assertEqual(page.context["chance"].case.chart, USUAL)  # the rules that are on
        suspect = page.context["suspect"]
        self.assertEqual(suspect.lots, [])  # no pulp of these cooks has come to the furnish yet
        self.assertGreater(suspect.way.hours, 3.0)
        self.assertGreater(suspect.from_, make.NOW - timedelta(hours=2))
        solution, hours = make.state(0).solution, (make.NOW - page.context["since"]).total_seconds() / 3600.0
        passes = float(solution.after[solution.network.index["K.larch.cook"]] @ SUSPENDED)
        self.assertAlmostEqual(suspect.on_way_t, hours * passes, delta=0.01)
        self.assertContains(page, "are still in towers and pipes")
        self.assertGreaterEqual(told.able.case.n, 30)
        self.assertLess(told.able.case.n, len(told.points))  # points of signals are left out
        worked = page.context["limits"].result
        self.assertAlmostEqual(worked.low, told.chart.low)
        self.assertAlmostEqual(worked.high, told.chart.high)
        self.assertContains(self.client.get(f"/lab/row/{ROW}/"), f"/lab/chart/{ROW}/")

    def test_a_phase_is_begun_charted_taken_back_and_refused_where_it_cannot_be(self):
        said = self.client.post(f"/lab/chart/{ROW}/phase/", {"words": "cook card 12", "at": "04:00"})
        self.assertEqual(said.status_code, 302)
        told = self.open().context["told"]
        self.assertEqual(len(told.phases), 2)
        self.assertEqual(told.records[1].words, "cook card 12")
        self.assertContains(self.open(), "phase 2: cook card 12")
        for typed, words in (
            ({"words": "", "at": ""}, "Why is empty"),
            ({"words": "x", "at": "03:00"}, "must be after the phase before"),
            ({"words": "x", "at": "nine"}, "is no time up to now"),
            ({"words": "x", "at": "10:59"}, "is no time up to now"),
        ):
            refused = self.client.post(f"/lab/chart/{ROW}/phase/", typed, follow=True)
            self.assertContains(refused, words)
            self.assertContains(refused, f'value="{typed["at"]}"')  # nothing typed is lost
        back = f"/lab/chart/{ROW}/phase/{told.records[1].pk}/back/"
        self.assertEqual(self.client.post(back).status_code, 302)
        self.assertEqual(len(self.open().context["told"].phases), 1)
        self.assertContains(self.client.post(back, follow=True), "taken back already")

    def test_limits_are_kept_by_an_engineer_from_twenty_points_without_a_signal(self):
        row = "K.chest.consistency"
        self.assertContains(self.client.post(f"/lab/chart/{ROW}/limits/", {"words": "now"}, follow=True), "A signal stands")
        self.assertContains(self.client.post(f"/lab/chart/{row}/limits/", {"words": ""}, follow=True), "Why is empty")
        self.client.post(f"/lab/chart/{row}/phase/", {"words": "new plates", "at": "10:40"})
        self.assertContains(self.client.post(f"/lab/chart/{row}/limits/", {"words": "early"}, follow=True), "20 are needed")
        state = make.state(0)
        (begun,) = charts.begins_of(state.mill.plan[row], state.now)
        self.client.post(f"/lab/chart/{row}/phase/{begun.pk}/back/")
        kept = self.client.post(f"/lab/chart/{row}/limits/", {"words": "cause found"}, follow=True)
        self.assertContains(kept, "Kept by a person")
        record = Record.objects.get(kind=Kind.EVENT, status=charts.LIMITS)
        self.assertEqual(kept.context["told"].chart, Chart(**record.data["chart"]))
        for k in range(3):  # points that come do not move them
            at = state.now + timedelta(minutes=k)
            record_sample(
                row=state.mill.plan[row], entry=Entry(results=(3.9,)), at=at, by=make.person("jd"), now=at, state=state
            )
        set_clock(make.NOW + timedelta(minutes=5))
        self.addCleanup(set_clock, make.NOW)
        self.assertEqual(self.open("?of=each", row).context["told"].chart, kept.context["told"].chart)
        self.as_("jd")
        self.assertEqual(self.client.post(f"/lab/chart/{row}/limits/", {"words": "x"}).status_code, 403)

    def test_what_the_log_tells_of_stands_on_it_where_it_came(self):
        page = self.client.get("/lab/chart/K.larch_blow.kappa/")
        marks, told = page.context["marks"], page.context["told"]
        self.assertTrue(marks)
        for mark, drawn in zip(marks, page.context["p"]["log"], strict=True):
            self.assertTrue(told.points[0].at < mark.at <= told.points[-1].at)
            self.assertEqual(drawn["pk"], mark.pk)
            self.assertEqual(mark.subject, "K.larch_blow.kappa")  # what the machine takes moves no kappa
            self.assertContains(page, f"/log/{mark.pk}/")
        self.assertFalse([m for m in marks if m.data.get("choice") == "refuse"])
        chest = self.client.get("/lab/chart/machine.chest.consistency/?of=each").context["marks"]
        self.assertIn(Kind.SETPOINT, [m.kind for m in chest])

    def test_groups_differences_stretches_and_the_file(self):
        row = "S.chest.consistency"
        apart = self.open("?of=differences", row)
        self.assertAlmostEqual(apart.context["told"].chart.mean, 0.09, delta=0.03)
        self.assertContains(apart, "The meter has not moved")
        groups = self.open("?of=groups", row).context["told"]
        self.assertEqual(len(groups.ranges), len(groups.points))
        wide = self.open()
        first, last = wide.context["shown"]
        some = self.open(f"?from={round(first.timestamp() * 1000)}&to={round(last.timestamp() * 1000) - 3 * 86_400_000}")
        self.assertTrue(all(p.at <= last - timedelta(days=3) for p in some.context["told"].points))
        nothing = self.open("?from=1000&to=2000")
        self.assertContains(nothing, "No accepted result lies in this stretch")
        for broken in ("?from=x&to=y", "?from=9&to=1", "?of=everything"):
            self.assertEqual(len(self.open(broken).context["told"].points), len(wide.context["told"].points))
        lines = self.open("?csv=1").content.decode().splitlines()
        self.assertEqual(len(lines), 1 + len(wide.context["told"].points))
        self.assertIn("WE1", lines[-1])
        self.assertEqual(self.open(row="no.such").status_code, 404)


class HowItIsCharted(Desk):
    """The usual chart of each test, and the alarms that an engineer chooses."""

    def setUp(self):
        self.as_("pn")

    def told(self, row: str, query: str = "?of=each"):
        return self.client.get(f"/lab/chart/{row}/{query}").context["told"]

    def test_what_is_usual(self):
        inf = float("inf")
        for test, low, high, metered, of, wanted in (
            ("kappa", 28.0, 32.0, False, EACH, Heard(sums=False)),
            ("consistency", 3.5, 3.7, True, APART, Heard(rules=("WE1",), smooth=False)),
            ("consistency", 3.5, 3.7, False, GROUPS, Heard(smooth=False, sums=False)),
            ("freeness", 360.0, 390.0, False, EACH, Heard(sums=False)),
            ("residual_clo2", -inf, 0.05, False, EACH, Heard(sums=False, side=1)),
            ("gain", 7.0, inf, False, EACH, Heard(sums=False, side=-1)),
            ("soda_loss", -inf, 10.0, False, EACH, Heard(rules=("WE1",), smooth=False, side=1)),
            ("dirt", -inf, 3.0, False, EACH, Heard(sums=False, side=1)),
        ):
            with self.subTest(test=test, metered=metered):
                found = usual(test, low, high, metered=metered)
                self.assertEqual((found.of, found.heard), (of, wanted))
                self.assertEqual(found.root, test == "dirt")
        self.assertEqual((side_of(1.0, 2.0), side_of(-inf, inf)), (0, 0))
        for bad in ({"rules": ("trend6",)}, {"rules": (), "smooth": False, "sums": False}):
            with self.subTest(**bad), self.assertRaises(ImpossibleInput):
                Heard(**bad)

    def test_each_row_opens_on_its_own_and_another_may_be_asked_for(self):
        for row, of in (("K.chest.consistency", APART), ("K.larch_blow.kappa", EACH)):
            self.assertEqual(self.told(row, "").of, of)
            self.assertEqual(self.told(row, "?of=groups").of, GROUPS)

    def test_counts_are_charted_by_their_square_roots_and_read_as_they_are(self):
        row = "K.last_washer.dirt"
        page = self.client.get(f"/lab/chart/{row}/")
        told = page.context["told"]
        self.assertTrue(told.usual.root)
        results = Record.objects.filter(kind=Kind.RESULT, subject=row).order_by("-at", "-id")
        self.assertAlmostEqual(told.back(told.points[-1].value), results[0].value)
        self.assertAlmostEqual(told.chart.mean, np.mean([p.value for p in told.points]))
        self.assertAlmostEqual(told.back(told.forth(3.0)), 3.0)
        self.assertContains(page, "charted, and its ability told, by its square")
        lines = self.client.get(f"/lab/chart/{row}/?csv=1").content.decode().splitlines()
        self.assertAlmostEqual(float(lines[-1].split(",")[1]), results[0].value)
        band = make.state(0).mill.plan[row].band
        if told.able is not None:
            self.assertAlmostEqual(told.able.case.high, np.sqrt(band.high))

    def test_an_engineer_chooses_alarms_and_takes_them_back(self):
        url = f"/lab/chart/{ROW}/alarms/"
        before = self.told(ROW)
        self.assertTrue(before.standing)
        self.assertEqual(self.client.post(url, {"on": ["WE4"], "side": "down"}).status_code, 302)
        now = self.told(ROW)
        self.assertEqual(now.heard, Heard(rules=("WE4",), smooth=False, sums=False, side=-1))
        self.assertEqual((now.standing, now.left_ewma, now.moved), ([], None, None))
        grey = {s.rule for s in now.grey}
        self.assertTrue({s.rule for s in before.standing} <= grey)  # still told, never an alarm
        page = self.client.get(f"/lab/chart/{ROW}/")
        self.assertContains(page, "chosen")
        (word, worked), *others = page.context["switches"]["chances"]
        self.assertEqual((word, others), ("rules", []))
        self.assertAlmostEqual(worked.result.points, 2.0 * 255.0, delta=1.0)
        self.assertContains(self.client.post(url, {"side": "both"}, follow=True), "all off")
        self.assertContains(self.client.post(url, {"usual": "1"}, follow=True), "the usual ones again")
        self.assertEqual([s.rule for s in self.told(ROW).standing], [s.rule for s in before.standing])
        self.assertContains(self.client.post(url, {"usual": "1"}, follow=True), "usual ones already")
        self.as_("jd")
        self.assertEqual(self.client.post(url, {"on": ["WE1"]}).status_code, 403)
        self.assertNotContains(self.client.get(f"/lab/chart/{ROW}/"), "Choose these")

    def test_every_rule_may_be_on_and_all_are_heard(self):
        self.client.post(f"/lab/chart/{ROW}/alarms/", {"on": [*SWITCHED, "smooth", "sums"], "side": "both"})
        told = self.told(ROW)
        self.assertEqual(told.heard, Heard(rules=SWITCHED))
        chances = self.client.get(f"/lab/chart/{ROW}/").context["switches"]["chances"]
        self.assertEqual([w for w, _ in chances], ["rules", "smoothed mean", "sums"])
        self.assertAlmostEqual(chances[0][1].result.points, 91.75, delta=0.1)


class FirstDay(TestCase):
    def test_a_row_without_results_says_so(self):
        second_mill.build()
        make.forget()
        self.client.force_login(make.Person.objects.first(), backend="django.contrib.auth.backends.ModelBackend")
        state = MillState(make.NOW)
        row = next(iter(state.mill.plan.values()))
        page = self.client.get(f"/lab/chart/{row.id}/")
        self.assertContains(page, "No accepted result lies in this stretch")
        self.assertContains(page, "Too little to judge")
