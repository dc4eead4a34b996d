"""Which samples tell first of a change at a unit, and when."""

from django.test import SimpleTestCase, tag

from core.mill.causes import Ways, place_of
from core.mill.reading import read_mill
from core.mill.telling import planned, takers, telling
from core.through.plant import felt_min
from tests.core.test_through import demo
from tests.second_mill import document


@tag("core")
class Telling(SimpleTestCase):
    def mills(self):
        yield demo()[0]
        yield read_mill(document())

    def test_a_row_tells_of_its_own_unit_and_units_without_one_are_told_by_the_nearest_behind(self):
        for mill in self.mills():
            line = planned(mill)
            told, ways = telling(mill, line), Ways(mill, line, {})
            placed = {r.id: place_of(mill, r) for r in mill.plan.values()}
            placed = {r: u for r, u in placed.items() if u in line.solution.network.index}
            self.assertGreater(len(placed), 5)
            for row, unit in placed.items():
                with self.subTest(row=row):
                    self.assertIn(row, told[unit])
                    self.assertGreaterEqual(told[unit][row].hours, 0.0)
            for unit, rows in told.items():
                if unit in placed.values():
                    self.assertEqual(set(rows), {r for r, u in placed.items() if u == unit})
                    continue
                (behind,) = {placed[r] for r in rows}
                hours = {p: ways.to(p)[unit].hours for p in set(placed.values()) if unit in ways.to(p)}
                with self.subTest(unit=unit):
                    self.assertEqual(hours[behind], min(hours.values()))
                    self.assertEqual({w.hours for w in rows.values()}, {hours[behind]})

    def test_stages_are_told_one_after_the_other_and_the_last_after_the_whole_plant(self):
        mill = demo()[0]
        line = planned(mill)
        for unit in mill.bleach_plans:
            rows = [r for r in mill.plan.values() if r.unit == unit and r.stage]
            hours = [telling(mill, line)[unit][r.id].delay_h for r in sorted(rows, key=lambda r: r.stage)]
            with self.subTest(unit=unit):
                self.assertEqual(hours, sorted(hours))
                if rows:
                    whole = felt_min(line.acting[unit], line.inlets[unit], ()) / 60.0
                    self.assertAlmostEqual(hours[-1], whole, delta=0.02)

    def test_units_that_take_a_chemical(self):
        mill = demo()[0]
        line = planned(mill)
        self.assertEqual(set(takers(line, "ClO2")), {"K.bleach", "S.bleach"})
        self.assertEqual(takers(line, "moonshine"), ())
