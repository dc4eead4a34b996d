"""The line at the ends of what its settings may be: it runs and closes with figures that can be, or says which unit cannot."""

import json
import math
import random
from dataclasses import fields, is_dataclass

import numpy as np
from django.test import SimpleTestCase, tag

from core.errors import CoreError, ImpossibleInput
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill
from desk.shift.demo import DOCUMENT
from tests import second_mill

COMBINED = 60


def ends(said) -> list[float]:
    """The ends of what a setting may be; where it may be anything, of what is published for it."""
    pairs = zip(said.possible, said.valid, strict=True)
    listed = {a if a is not None and math.isfinite(a) else b for a, b in pairs}
    return sorted(v for v in listed if v is not None and math.isfinite(v) and said.problem(v) is None)


def numbers_of(thing, depth: int = 3):
    """Every number that a result carries, with its name."""
    if not is_dataclass(thing) or depth == 0:
        return
    for f in fields(thing):
        value = getattr(thing, f.name)
        if isinstance(value, float):
            yield f.name, value
        elif is_dataclass(value):
            yield from numbers_of(value, depth - 1)


@tag("core", "slow")
class Extremes(SimpleTestCase):
    least, units_at_once = 80, 4

    @staticmethod
    def document() -> dict:
        return json.loads(DOCUMENT.read_text())

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.mill = read_mill(cls.document())
        cls.gives = {k: 16.0 * s for k, s in next(iter(cls.mill.grades.values())).shares.items()}
        cls.base = solve_mill(cls.mill, Running(feeds={}, gives=cls.gives, filler_t_h=1.6))

    def run_line(self, settings):
        """The line so, or None where it is refused; a refusal names a unit of the line and reads as a sentence."""
        try:
            return solve_mill(self.mill, Running(feeds={}, gives=self.gives, filler_t_h=1.6, settings=settings), self.base)
        except ImpossibleInput as refusal:
            for problem in refusal.problems:
                ids = (u.id for u in self.mill.units)
                self.assertTrue(any(f"{problem.field}.".startswith(f"{i}.") for i in ids), problem)
                self.assertNotRegex(problem.text, r"\bnan\b|\bNone\b|e\+\d")
        except CoreError as failure:
            self.assertTrue(str(failure).strip())
        return None

    def assertRuns(self, line):
        self.assertLess(line.solution.worst_closure, 1e-9)
        for unit in self.mill.units:
            i = line.solution.network.index[unit.id]
            self.assertTrue(np.isfinite(line.solution.into[i]).all(), unit.id)
            self.assertTrue(0.0 <= line.solution.temp_c[i] <= 200.0, (unit.id, line.solution.temp_c[i]))
        for key, acts in line.acts.items():
            for worked in acts.worked:
                for name, value in numbers_of(worked.result):
                    self.assertFalse(math.isnan(value) and name in ("kappa", "iso_pct", "soda_kg_adt", "csf_ml"), (key, name))
            if line.inlets[key].solids_t_h < 1e-6:
                continue  # nothing comes: what it would do to pulp is not said
            if acts.kappa is not None:
                self.assertTrue(0.0 <= acts.kappa <= 250.0, (key, acts.kappa))
            if acts.iso_pct is not None:
                self.assertTrue(0.0 < acts.iso_pct <= 95.0, (key, acts.iso_pct))
            for duty, value in acts.duties.items():
                self.assertTrue(math.isfinite(value), (key, duty))

    def test_every_setting_at_its_ends(self):
        ran = 0
        for key, plan in self.base.acting.items():
            for name, said in plan.settable().items():
                for value in ends(said):
                    with self.subTest(unit=key, setting=name, value=value):
                        line = self.run_line({key: {name: value}})
                        if line is not None:
                            ran += 1
                            self.assertRuns(line)
        self.assertGreater(ran, self.least)

    def test_several_units_moved_at_once(self):
        chance, ran = random.Random(11), 0
        units = [(key, plan) for key, plan in self.base.acting.items() if plan.settable()]
        for trial in range(COMBINED):
            settings = {}
            for key, plan in chance.sample(units, self.units_at_once):
                said = plan.settable()
                name = chance.choice(sorted(said))
                value = plan.settings()[name] * chance.uniform(0.6, 1.5)
                value = float(round(value)) if said[name].whole else value
                if said[name].problem(value) is None:
                    settings[key] = {name: value}
            with self.subTest(trial=trial, settings=settings):
                line = self.run_line(settings)
                ran += line is not None
                if line is not None:
                    self.assertRuns(line)
        self.assertGreater(ran, 0.9 * COMBINED)

    def test_what_runs_warm_is_what_runs_from_nothing(self):
        chance = random.Random(5)
        units = [(key, plan) for key, plan in self.base.acting.items() if plan.settable()]
        for _ in range(6):
            key, plan = chance.choice(units)
            name = chance.choice(sorted(plan.settable()))
            value = plan.settings()[name] * 1.1
            if plan.settable()[name].problem(value) is not None:
                continue
            settings = {key: {name: value}}
            warm = self.run_line(settings)
            cold = solve_mill(self.mill, Running(feeds={}, gives=self.gives, filler_t_h=1.6, settings=settings))
            with self.subTest(unit=key, setting=name):
                self.assertIsNotNone(warm)
                for unit in self.mill.units:
                    i = cold.solution.network.index[unit.id]
                    a, b = warm.solution, cold.solution
                    self.assertLess(abs(a.into[i] - b.into[i]).max(), 1e-5 * max(1.0, b.into[i].max()), unit.id)
                    self.assertAlmostEqual(a.temp_c[i], b.temp_c[i], delta=0.01)
                for unit, acts in cold.acts.items():
                    if acts.kappa is not None:
                        self.assertAlmostEqual(warm.acts[unit].kappa, acts.kappa, delta=1e-4 * acts.kappa)


class OfAnotherMill(Extremes):
    """The same of two lines without kraft, under other names."""

    least, units_at_once = 6, 2

    @staticmethod
    def document() -> dict:
        return second_mill.document()
