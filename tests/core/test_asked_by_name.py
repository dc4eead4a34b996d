"""Any model asked by name: what its schema says is what it reads, every refusal names its field, a case survives every door."""

import json
import math

import jsonschema
from django.test import SimpleTestCase, tag

from core import calc
from core.catalogue import find, models
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities, row_fields

SLOW = {"schedule.digesters", "blend.recipe", "blend.relief", "schedule.feeds", "refine.fit", "chips.belt"}


@tag("core")
class Doors(SimpleTestCase):
    def test_the_example_of_every_model_fits_its_schema_and_is_the_same_laid_flat_and_back(self):
        for model in models():
            with self.subTest(model=model.name):
                given = calc.example(model)
                jsonschema.validate(given, calc.schema(model))
                json.dumps(calc.schema(model), allow_nan=False)
                self.assertEqual(calc.unflat(model, calc.flat(given)), given)
                case = calc.read_case(model, given)
                self.assertEqual(calc.read_case(model, calc.declared(case)), case)
                counts = {name: len(getattr(case, name)) for name in row_fields(model.case_class)}
                values = {name: calc._figure_of(case, name) for name in calc.leaves(model.case_class, counts)}
                self.assertEqual(calc.gather(model, values, counts), case)

    def test_whatever_is_left_out_or_wrong_is_named_with_what_is_allowed(self):
        for model in models():
            given, said = calc.example(model), quantities(model.case_class)
            wanted = [n for n, s in said.items() if n not in calc.defaults(model) and not s.options]
            with self.subTest(model=model.name), self.assertRaises(ImpossibleInput) as refused:
                calc.read_case(model, {**{k: v for k, v in given.items() if k not in wanted}, "no_such": 1})
            named = {p.field for p in refused.exception.problems}
            self.assertEqual(named, {*wanted, "no_such"})
            for bad in ("much", True, None, [1.0]):
                if wanted:
                    with self.subTest(model=model.name, bad=bad), self.assertRaises(ImpossibleInput) as refused:
                        calc.read_case(model, {**given, wanted[0]: bad})
                    self.assertEqual([p.field for p in refused.exception.problems], [wanted[0]])
                    self.assertIn("it must be a number", refused.exception.problems[0].text)

    def test_rows_are_counted_and_named_by_their_place(self):
        model = find("schedule.silo")
        given = calc.example(model)
        for rows, field in (
            ([], "feeds"),
            ("five", "feeds"),
            ([{"t_h": 1.0}] * 9, "feeds"),
            ([{"t_h": 1.0}, {"t_h": -1.0}], "feeds.2.t_h"),
            ([{"t_h": 1.0}, {}], "feeds.2.t_h"),
            ([{"t_h": 1.0, "colour": 2}], "feeds.1.colour"),
        ):
            with self.subTest(rows=rows), self.assertRaises(ImpossibleInput) as refused:
                calc.read_case(model, {**given, "feeds": rows})
            self.assertEqual([p.field for p in refused.exception.problems], [field])
        with self.assertRaises(ImpossibleInput):
            calc.read_case(model, [1, 2, 3])
        usual = {"feeds": given["feeds"]}
        self.assertEqual(calc.counts(model, {}, usual), {"feeds": len(given["feeds"])})
        self.assertEqual(calc.counts(model, {"feeds": "3"}, usual), {"feeds": 3})
        self.assertEqual(calc.counts(model, {"feeds": "99"}, usual), {"feeds": 8})
        self.assertEqual(calc.counts(model, {"feeds": "²"}, usual), {"feeds": len(given["feeds"])})

    def test_an_answer_is_plain_data_and_says_why_where_there_is_none(self):
        told = calc.calculate(find("stock.dilute"), {"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2})
        json.dumps(told, allow_nan=False)
        self.assertTrue(told["feasible"])
        self.assertEqual(set(told["units"]), set(quantities(find("stock.dilute").result_class)))
        none = calc.calculate(find("stock.dilute"), {"flow_l_min": 2000, "cons_pct": 3.0, "target_pct": 3.2})
        self.assertEqual((none["feasible"], none["infeasible"]["field"]), (False, "target_pct"))
        self.assertEqual(calc.plain((1.0, math.inf, {"a": math.nan, 2: None}, True)), [1.0, None, {"a": None, "2": None}, True])

    def test_a_figure_that_is_no_number_says_why(self):
        steady = calc.calculate(find("stock.cover"), {"capacity": 40, "level_pct": 50, "rate_in": 5, "rate_out": 5})
        self.assertTrue(steady["why_null"])
        for name, why in steady["why_null"].items():
            self.assertIsNone(steady["result"][name])
            self.assertRegex(why, "has no end here|is not defined")

    def test_what_moves_a_figure_most_stands_first_and_moves_it_that_way(self):
        moved = 0
        for model in models():
            if model.name in SLOW:
                continue
            case = calc.read_case(model, calc.example(model))
            found = model.function(case)
            if isinstance(found, Infeasible):
                continue
            figure = next((n for n in quantities(model.result_class) if isinstance(getattr(found, n), float)), None)
            if figure is None or not math.isfinite(getattr(found, figure)):
                continue
            told = calc.sensitivities(model, case, figure)[:3]
            with self.subTest(model=model.name):
                sizes = [abs(m.change) for m in told]
                self.assertEqual(sizes, sorted(sizes, reverse=True))
                counts = {name: len(getattr(case, name)) for name in row_fields(model.case_class)}
                values = {name: calc._figure_of(case, name) for name in calc.leaves(model.case_class, counts)}
                for m in told[:1]:
                    again = model.function(calc.gather(model, {**values, m.field: values[m.field] + m.step}, counts))
                    self.assertAlmostEqual(getattr(again, figure) - getattr(found, figure), m.change)
                    moved += 1
        self.assertGreater(moved, 150)
