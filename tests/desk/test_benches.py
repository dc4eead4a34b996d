"""Every single-question page of every station: opens solved on its model's own figures, reads its own address back, and refuses
an impossible well beside it."""

import math
import random

from django.test import TestCase, tag
from django.urls import reverse

from core import calc
from desk.kit.station import installed
from tests import make

FIELDS = 1  # wells of each page that are tried, by chance
PART = {"HX-Request": "true", "HX-Target": "answer"}  # the answer alone, as the page asks for it


def impossible(said) -> list[str]:
    """Values that a field can never take: beyond its ends, between whole numbers, and words."""
    low, high = said.possible
    values = [repr(v) for v in (low - 1.0, high + abs(high) + 1.0) if math.isfinite(v) and said.problem(v) is not None]
    return [*values, *(["1.5"] if said.whole and said.problem(1.5) is not None else []), "much", "", "nan", "1e999"]


@tag("slow")
class EveryBench(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")

    def benches(self):
        for station in installed():
            for key, bench in station.benches.items():
                yield f"{station.key}/{key}", reverse(station.bench, args=[key]), bench

    def test_each_opens_on_what_its_model_says_and_its_address_reads_back(self):
        opened = 0
        for name, url, bench in self.benches():
            with self.subTest(bench=name):
                page = self.client.get(url, headers=PART)
                form, result = page.context["form"], page.context["result"]
                self.assertFalse(form.errors)
                told = bench.model.function(form.case)
                rows = {row.field: row.number for row in page.context["results"]}
                self.assertTrue(rows)
                for field, number in rows.items():
                    model_says = float(getattr(told, field))
                    self.assertTrue(number == model_says or (math.isnan(number) and math.isnan(model_says)), field)
                    self.assertEqual(repr(getattr(result, field)), repr(getattr(told, field)))
                again = self.client.get(url, form.given, headers=PART)
                self.assertFalse(again.context["form"].errors)
                for row in again.context["results"]:
                    if math.isfinite(row.number):
                        self.assertTrue(math.isclose(row.number, rows[row.field], rel_tol=1e-6, abs_tol=1e-9), row)
                opened += 1
        self.assertGreater(opened, 40)

    def test_an_impossible_well_is_refused_beside_it_and_the_others_stand(self):
        chance, tried = random.Random(3), 0
        for name, url, bench in self.benches():
            page = self.client.get(url, headers=PART)
            given, counts = dict(page.context["form"].given), page.context["form"].counts
            leaves = {k: said for k, said in calc.leaves(bench.model.case_class, counts).items() if not said.options}
            for field in chance.sample(sorted(leaves), min(FIELDS, len(leaves))):
                value = chance.choice(impossible(leaves[field]))
                with self.subTest(bench=name, field=field, value=value):
                    answer = self.client.get(url, {**given, field: value}, headers=PART)
                    self.assertEqual(answer.status_code, 200)
                    form = answer.context["form"]
                    self.assertEqual(set(form.errors), {field})
                    self.assertIsNone(answer.context["result"])
                    self.assertTrue(str(form.errors[field][0]).strip())
                    self.assertContains(answer, f'id="{field}_e"')
                    others = {k: v for k, v in form.data.items() if k != field and k in given}
                    self.assertEqual(set(others), set(given) - {field, *counts})
                    tried += 1
        self.assertGreater(tried, 70)

    def test_a_word_that_is_none_of_a_choice_is_refused(self):
        tried = 0
        for name, url, bench in self.benches():
            choices = [
                k for k, said in calc.leaves(bench.model.case_class, bench.form_class({}).counts).items() if said.options
            ]
            for field in choices[:1]:
                with self.subTest(bench=name, field=field):
                    answer = self.client.get(url, {field: "<b>neither</b>"}, headers=PART)
                    self.assertIn(field, answer.context["form"].errors)
                    self.assertNotContains(answer, "<b>neither</b>")
                    tried += 1
        self.assertGreater(tried, 10)


class RefusedInWords(TestCase):
    """What a station cannot work is said at the well it came of, by the well's own name and unit."""

    TOLD = (
        (
            "/wash/",
            {"line": "K.larch.wash", "shower": "3"},
            "The dilution factor that it makes is -6.04071 t/ODt; it must be at least -1",
        ),
        ("/cook/continuous/", {"wood_t_h": "0.0001"}, "Wood fed now is 0.0001 t/h OD; it must be 0.1 to 300 t/h OD"),
        ("/bleach/", {"line": "K.bleach", "kappa": "0.01"}, "Kappa in is 0.01; it must be 0.1 to 200."),
        ("/chips/", {"share_0": "0", "share_1": "0"}, "Round wood and the others sum to 0; give at least one"),
        ("/chips/", {"c4": "90"}, "The classes sum to 162.5 %; they must make 100 ± 0.5 %"),
        ("/chips/", {"moisture_0": "130"}, "Round wood, moisture is 130 % wet; it must be 0 to 99 % wet. On dry basis?"),
    )

    @classmethod
    def setUpTestData(cls):
        make.demo()

    def test_the_words_of_each(self):
        make.forget()
        self.client.force_login(make.person("jd"), backend="django.contrib.auth.backends.ModelBackend")
        for path, asked, told in self.TOLD:
            with self.subTest(path=path, asked=asked):
                answer = self.client.get(path, asked)
                self.assertContains(answer, told)
                for typed in asked.values():
                    if typed[0].isdigit():
                        self.assertContains(answer, f'value="{typed}"')
