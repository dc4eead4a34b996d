"""The line follows its stations: every setting of every unit, moved, is felt down the line, and nowhere else."""

import json
import math
from dataclasses import replace

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill
from core.stream import INDEX
from core.unit import SOLUTES
from desk.shift.demo import DOCUMENT

# settings that change nothing by themselves: when an addition comes whose share is nothing
QUIET = ("second_min", "third_min")


@tag("core")
class EverySetting(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.mill = read_mill(json.loads(DOCUMENT.read_text()))
        cls.gives = {k: 16.0 * s for k, s in cls.mill.grades["EX70"].shares.items()}
        cls.base = cls.run_line()
        cls.after = {u.id: cls.below(u.id) for u in cls.mill.units}

    @classmethod
    def run_line(cls, **how):
        return solve_mill(cls.mill, Running(feeds={}, gives=cls.gives, filler_t_h=1.6, **how), how and cls.base or None)

    @classmethod
    def below(cls, unit: str) -> set[str]:
        """Every unit that what leaves a unit can reach, itself included."""
        to = {u.id: [o.to for o in u.outlets] for u in cls.mill.units}
        for draw in cls.mill.draws:
            to.setdefault(draw.tank, []).append(draw.to)
        found, waiting = set(), [unit]
        while waiting:
            key = waiting.pop()
            if key not in found:
                found.add(key)
                waiting += [x for x in to.get(key, ()) if x]
        return found

    def moved(self, said, value: float) -> float | None:
        """Another value of a setting that may be: a little more, else a little less."""
        step = 1.0 if said.whole else 0.05 * abs(value) or 0.5
        return next((v for v in (value + step, value - step) if said.problem(v) is None), None)

    def apart(self, a, b) -> bool:
        """Whether a unit acts otherwise: what it works, sets, adds or takes."""
        pairs = [(getattr(a, f), getattr(b, f)) for f in ("kappa", "iso_pct", "csf_ml", "dissolves", "liquor_on")]
        pairs += [(a.adds.get(s, 0.0), b.adds.get(s, 0.0)) for s in SOLUTES]
        pairs += [(v, b.duties.get(k, 0.0)) for k, v in a.duties.items()]
        shares = [abs(x - y) for k, on in a.shares.items() for x, y in zip(on, b.shares.get(k, on), strict=True)]
        if max(shares, default=0.0) > 1e-4:
            return True
        numbers = [(x, y) for x, y in pairs if x is not None and y is not None]
        return len(numbers) != sum(x is not None or y is not None for x, y in pairs) or not all(
            math.isclose(x, y, rel_tol=1e-6, abs_tol=1e-9) for x, y in numbers
        )

    def test_each_is_felt_below_and_not_beside_and_the_line_still_closes(self):
        tried = 0
        for key, plan in self.base.acting.items():
            settings, said = plan.settings(), plan.settable()
            for name, value in settings.items():
                new = self.moved(said[name], value)
                if new is None:
                    continue
                line = self.run_line(settings={key: {name: new}})
                tried += 1
                with self.subTest(unit=key, setting=name, value=new):
                    self.assertLess(line.solution.worst_closure, 1e-9)
                    self.assertEqual(line.acting[key].settings()[name], new)
                    felt = {u for u in line.acts if self.apart(self.base.acts[u], line.acts[u])}
                    self.assertLessEqual(felt, self.after[key])
                    if name not in QUIET and (key, name) != ("M.clean", "temp_c"):  # no stickies come to it
                        self.assertTrue(felt or self.flows_differ(line))
                    back = self.run_line(settings={key: {name: value}})
                    self.assertFalse([u for u in back.acts if self.apart(self.base.acts[u], back.acts[u])])
        self.assertGreater(tried, 40)

    def flows_differ(self, line) -> bool:
        """Whether any unit is entered by another flow than before (a feed, or a washer whose water alone changes)."""
        pairs = ((self.base.solution.enters(u.id), line.solution.enters(u.id)) for u in self.mill.units)
        return any(abs(a.flows - b.flows).max() > 1e-6 for a, b in pairs)

    def test_a_setting_that_cannot_be_is_refused_by_its_unit_and_name(self):
        for key, plan in self.base.acting.items():
            for name, said in plan.settable().items():
                bad = said.possible[0] - 1.0
                if not math.isfinite(bad):
                    continue
                with self.subTest(unit=key, setting=name), self.assertRaises(ImpossibleInput) as refused:
                    self.run_line(settings={key: {name: bad}})
                self.assertTrue(all(p.field.startswith(key) for p in refused.exception.problems))

    def test_constants_are_felt_as_settings_are(self):
        for key, plan in self.base.acting.items():
            for constant in plan.constants():
                if constant.tests == ("shives",) and self.base.inlets[key].parts[INDEX["SHV"]] < 1e-6:
                    continue  # of what does not come it tells nothing
                value = constant.value(constant.scaled(constant.default) + 0.5 * constant.sd)
                line = self.run_line(constants={key: {constant.field: value}})
                felt = {u for u in line.acts if self.apart(self.base.acts[u], line.acts[u])}
                with self.subTest(unit=key, constant=constant.field):
                    self.assertIn(key, felt)
                    self.assertLessEqual(felt, self.after[key])
                    self.assertEqual(replace(plan, **{constant.field: value}).settings(), plan.settings())
