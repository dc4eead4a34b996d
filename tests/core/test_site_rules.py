"""Rules of the shift that need no mill: checklists, exposure limits, how a deviation may end, gates before a grade, what charts
hear."""

import itertools
import math
from dataclasses import replace

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.accounts.gates import ALKALI_H, Balanced, Titrated, Transmitter, added_sd, apart_pct, gates, wider
from core.deliver.deviation import CONTAIN, CONTAMINANTS, ENDS, RULES, Stands, missing
from core.errors import ImpossibleInput
from core.judge.chart import Signal
from core.judge.heard import APART, BOTH, DOWN, EACH, GROUPS, SWITCHED, UP, Heard, side_of, usual
from core.safety.checklist import DONE, KINDS, NOT_HERE, OPEN, answered
from core.safety.limits import EXPOSURES, LONG, SHORT, Limit, site_limits, words


@tag("core")
class Checklists(SimpleTestCase):
    def test_what_is_not_answered_is_open_and_every_kind_ends_by_name(self):
        for kind, items in KINDS.items():
            with self.subTest(kind=kind):
                keys = [key for key, _ in items]
                self.assertEqual(len(keys), len(set(keys)))
                self.assertIn("end", keys)
                self.assertEqual(answered(kind, {}, {}).open, len(items))
                self.assertEqual(answered(kind, dict.fromkeys(keys, DONE), {}).open, 0)
                half = answered(kind, dict.fromkeys(keys[::2], DONE), {})
                self.assertEqual(half.open, len(keys) - len(keys[::2]))
                self.assertEqual([text for text, _, _ in half.answers], [text for _, text in items])

    def test_energies_are_isolated_before_anybody_opens_enters_or_welds(self):
        for kind in ("confined space", "lock-out", "line break", "hot work"):
            self.assertIn("isolated", [key for key, _ in KINDS[kind]], kind)
        for kind in ("confined space", "hot work"):
            self.assertIn("gas", [key for key, _ in KINDS[kind]], kind)
        self.assertIn("rescue", [key for key, _ in KINDS["confined space"]])

    def test_not_applicable_needs_its_reason_and_every_problem_is_named_at_once(self):
        told = answered("line break", {"drained": NOT_HERE}, {"drained": " never filled "})
        self.assertIn(("Drained, vented, flushed", NOT_HERE, "never filled"), told.answers)
        with self.assertRaises(ImpossibleInput) as refused:
            answered("line break", {"drained": NOT_HERE, "blanked": "maybe", "end": OPEN}, {"drained": "  "})
        self.assertEqual({p.field for p in refused.exception.problems}, {"drained", "blanked"})
        with self.assertRaisesMessage(ImpossibleInput, "it must be one of confined space"):
            answered("barbecue", {}, {})


@tag("core")
class ExposureLimits(SimpleTestCase):
    def test_they_are_taken_as_typed_and_told_in_words(self):
        told = site_limits({"h2s": {LONG: 5.0, SHORT: 10.0}, "noise": {LONG: 85.0}, "o3": {LONG: None, SHORT: 0.2}})
        self.assertEqual(told, {"h2s": Limit(5.0, 10.0), "o3": Limit(None, 0.2), "noise": Limit(85.0, None)})
        self.assertEqual(words("h2s", told["h2s"]), "Hydrogen sulphide: 5 ppm over a shift, 10 ppm for a short time")
        self.assertEqual(words("noise", told["noise"]), "Noise: 85 dB(A) over a shift")
        self.assertEqual(words("o3", told["o3"]), "Ozone: 0.2 ppm for a short time")

    def test_none_is_kept_that_no_site_could_set(self):
        for key, exposure in EXPOSURES.items():
            for value in (0.0, -1.0, exposure.most * 1.001, math.nan, math.inf):
                with self.subTest(key=key, value=value), self.assertRaises(ImpossibleInput) as refused:
                    site_limits({key: {LONG: value}})
                self.assertEqual([p.field for p in refused.exception.problems], [f"{key}.{LONG}"])
            self.assertEqual(site_limits({key: {LONG: exposure.most, SHORT: exposure.most}})[key].long, exposure.most)

    def test_a_short_time_is_never_stricter_than_a_shift_and_all_are_named_at_once(self):
        with self.assertRaises(ImpossibleInput) as refused:
            site_limits({"h2s": {LONG: 10.0, SHORT: 5.0}, "cl2": {SHORT: -1.0}})
        self.assertEqual({p.field for p in refused.exception.problems}, {"h2s.short", "cl2.short"})
        with self.assertRaisesMessage(ImpossibleInput, "type at least one limit"):
            site_limits({})


@tag("core")
class Deviations(SimpleTestCase):
    whole = {"answered": frozenset(CONTAIN), "cause": "valve passed", "waiting": 0, "good_again": True}

    def test_one_that_is_answered_ends_as_it_may(self):
        for rule, end in itertools.product(RULES, ENDS):
            told = missing(Stands(rule=rule, **self.whole), end)
            with self.subTest(rule=rule, end=end):
                self.assertEqual(bool(told), end == "blended" and rule in CONTAMINANTS)

    @given(
        st.sampled_from(sorted(RULES)),
        st.sets(st.sampled_from(sorted(CONTAIN))),
        st.sampled_from(("", "   ", "worn seal")),
        st.integers(0, 3),
        st.booleans(),
        st.sampled_from((*ENDS, "", "burnt")),
    )
    def test_it_is_closed_only_with_everything_answered_and_each_thing_is_named_once(
        self, rule, done, cause, waiting, good, end
    ):
        told = missing(Stands(rule, frozenset(done), cause, waiting, good), end)
        self.assertEqual(sum(t.startswith("containment") for t in told), len(CONTAIN) - len(done))
        self.assertEqual("its cause, or that it was not found" in told, not cause.strip())
        self.assertEqual("a good result after it" in told, not good)
        self.assertEqual("how it ends" in told, end not in ENDS)
        self.assertEqual(any("never blended away" in t for t in told), end == "blended" and rule in CONTAMINANTS)
        self.assertEqual(any(t.startswith("what becomes of") for t in told), end == "none" and waiting > 0)
        self.assertEqual(len(told), len(set(told)))


@tag("core")
class Gates(SimpleTestCase):
    liquor = Titrated(name="K white liquor", row="K.wl", age_h=1.0, pair_pct=0.4)
    meter = Transmitter(name="Blend chest", row="B.cons", off_pct=0.02, action_pct=0.1, stuck=False)
    balance = Balanced(chi=9.0, chi_allowed=14.1, worst=1.2, worst_allowed=2.9, unaccounted_t=1.0, came_t=300.0)

    def held(self, **other) -> dict[str, bool]:
        told = {"titrated": (self.liquor,), "meters": (self.meter,), "balance": self.balance} | other
        return {g.key: g.holds for g in gates(told["titrated"], told["meters"], told["balance"])}

    def test_all_hold_and_each_fails_alone(self):
        every = {"alkali", "pair", "balance", "measurement", "fibre", "meter", "stuck"}
        self.assertEqual({k for k, v in self.held().items() if v}, every)
        for other, fails in (
            ({"titrated": (replace(self.liquor, age_h=ALKALI_H + 0.1),)}, {"alkali"}),
            ({"titrated": (replace(self.liquor, age_h=None, pair_pct=None),)}, {"alkali", "pair"}),
            ({"titrated": (replace(self.liquor, pair_pct=1.01),)}, {"pair"}),
            ({"balance": replace(self.balance, chi=14.2)}, {"balance"}),
            ({"balance": replace(self.balance, worst=3.0)}, {"measurement"}),
            ({"balance": replace(self.balance, unaccounted_t=-6.1)}, {"fibre"}),
            ({"balance": None}, {"balance", "measurement", "fibre"}),
            ({"meters": (replace(self.meter, off_pct=-0.11),)}, {"meter"}),
            ({"meters": (replace(self.meter, off_pct=None),)}, {"meter"}),
            ({"meters": (replace(self.meter, stuck=True),)}, {"stuck"}),
        ):
            with self.subTest(fails=fails):
                self.assertEqual({k for k, v in self.held(**other).items() if not v}, fails)

    def test_what_does_not_hold_has_its_cure_and_what_holds_has_none(self):
        bad = gates((replace(self.liquor, age_h=9.0, pair_pct=3.0),), (replace(self.meter, stuck=True),), None)
        for gate in (*bad, *gates((self.liquor,), (self.meter,), self.balance)):
            self.assertEqual(bool(gate.cure), not gate.holds, gate.key)
        named = gates((), (), replace(self.balance, worst=5.0, suspects=("K tower",)))
        self.assertIn("look at K tower", [g.cure for g in named])

    def test_two_titrations_apart(self):
        self.assertAlmostEqual(apart_pct((100.0, 101.0)), 100.0 / 100.5)
        self.assertEqual(apart_pct((100.0, 101.0, 150.0)), apart_pct((101.0, 100.0)))
        self.assertIsNone(apart_pct((100.0,)))
        self.assertIsNone(apart_pct((0.0, 0.0)))

    def test_a_liquor_that_is_late_or_alone_makes_a_forecast_less_sure_and_a_meter_does_not(self):
        late = replace(self.liquor, age_h=9.0)
        self.assertEqual(added_sd((self.liquor,), 18.0), 0.0)
        self.assertGreater(added_sd((late,), 18.0), 0.0)
        self.assertGreater(added_sd((late,), 22.0), added_sd((late,), 18.0))  # 2 % of more alkali is more
        meter = gates((self.liquor,), (replace(self.meter, stuck=True),), self.balance)
        self.assertIsNone(wider(tuple(g for g in meter if not g.holds), 18.0))


@tag("core")
class WhatAChartHears(SimpleTestCase):
    def test_each_test_opens_on_its_usual_chart(self):
        for test, band, asked, wanted in (
            ("kappa", (28.0, 32.0), {"metered": False}, (EACH, False, True, False, BOTH)),
            ("consistency", (3.4, 3.8), {"metered": True}, (APART, False, False, True, BOTH)),
            ("consistency", (3.4, 3.8), {"metered": False}, (GROUPS, False, False, False, BOTH)),
            ("dirt", (-math.inf, 5.0), {"metered": False}, (EACH, True, True, False, UP)),
            ("stickies", (-math.inf, 250.0), {"metered": False}, (EACH, True, True, False, UP)),
            ("soda_loss", (-math.inf, 12.0), {"metered": False}, (EACH, False, False, True, UP)),
            ("brightness", (85.0, math.inf), {"metered": False}, (EACH, False, True, False, DOWN)),
            ("kappa", (28.0, 32.0), {"metered": False, "of": GROUPS}, (GROUPS, False, False, False, BOTH)),
        ):
            with self.subTest(test=test, asked=asked):
                told = usual(test, *band, **asked)
                self.assertEqual((told.of, told.root, told.heard.smooth, told.heard.sums, told.heard.side), wanted)
                self.assertTrue(set(told.heard.rules) <= set(SWITCHED))

    def test_the_side_that_hurts(self):
        self.assertEqual(side_of(1.0, 2.0), BOTH)
        self.assertEqual(side_of(-math.inf, 2.0), UP)
        self.assertEqual(side_of(1.0, math.inf), DOWN)
        self.assertEqual(side_of(-math.inf, math.inf), BOTH)

    def test_only_what_is_on_and_on_its_side_is_an_alarm(self):
        told = (("WE1", 1), ("WE2", -1), ("WE1", -1), ("T1", 1))
        signals = [Signal(rule=r, at=k, first=k, side=side, text="") for k, (r, side) in enumerate(told)]
        self.assertEqual([s.at for s in Heard(rules=("WE1",)).alarms(signals)], [0, 2])
        self.assertEqual([s.at for s in Heard(rules=("WE1",), side=UP).alarms(signals)], [0])
        self.assertEqual([s.at for s in Heard(rules=("WE1", "WE2"), side=DOWN).alarms(signals)], [1, 2])

    def test_a_chart_that_could_never_say_anything_is_refused(self):
        with self.assertRaisesMessage(ImpossibleInput, "leave one on"):
            Heard(rules=(), smooth=False, sums=False)
        with self.assertRaisesMessage(ImpossibleInput, "is never an alarm"):
            Heard(rules=("T1",))
        self.assertTrue(Heard(rules=(), smooth=False).sums)
