"""The register of models through every door: page, working, command, JSON; units at the edge."""

import csv
import io
import json
import math
import re
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from html import unescape
from pathlib import Path
from unittest.mock import patch

from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

from core import calc
from core.catalogue import models
from core.quantity import quantities, row_fields
from desk.handbook import command
from desk.kit import units
from desk.people import tokens
from tests import make

NOT_NUMBERS = st.recursive(
    st.none() | st.booleans() | st.text(max_size=8) | st.integers() | st.floats(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@tag("core")
class Register(SimpleTestCase):
    def test_every_check_value_holds_and_every_model_has_one(self):
        for m in models():
            with self.subTest(model=m.name):
                proofs = calc.prove(m)
                self.assertTrue(proofs)
                self.assertTrue(all(p.holds for p in proofs), proofs)

    def test_names_symbols_and_words_are_whole(self):
        for m in models():
            fields = {**quantities(m.case_class), **quantities(m.result_class)}
            with self.subTest(model=m.name):
                self.assertRegex(m.name, r"^[a-z]+\.[a-z0-9_]+$")
                self.assertEqual([f for f in m.symbols.values() if f not in fields], [])
                self.assertTrue(m.source and m.holds_for and m.equation)
                self.assertIn(m.basis, ("exact", "published", "default"))

    def test_examples_fit_their_schema_and_answer(self):
        import jsonschema

        for m in models():
            with self.subTest(model=m.name):
                jsonschema.Draft202012Validator.check_schema(calc.schema(m))
                jsonschema.validate(calc.example(m), calc.schema(m))
                self.assertTrue(calc.calculate(m, calc.example(m))["feasible"])
                json.dumps(calc.calculate(m, calc.example(m)), allow_nan=False)

    @given(st.data())
    def test_anything_put_in_is_answered_or_refused_in_words(self, data):
        m = data.draw(st.sampled_from(models()))
        names = st.sampled_from([*quantities(m.case_class), "other"])
        asked = data.draw(st.dictionaries(names, NOT_NUMBERS, max_size=8) | NOT_NUMBERS)
        try:
            json.dumps(calc.calculate(m, asked), allow_nan=False)
        except calc.ImpossibleInput as refusal:
            self.assertTrue(all(p.text for p in refusal.problems))

    def test_sensitivities_point_the_right_way(self):
        m = next(m for m in models() if m.name == "stock.dilute")
        moved = {x.field: x.change / x.step for x in calc.sensitivities(m, calc.read_case(m, calc.example(m)), "water_l_min")}
        self.assertGreater(moved["flow_l_min"], 0)
        self.assertLess(moved["target_pct"], 0)
        self.assertTrue(math.isclose(moved["flow_l_min"], 0.5, rel_tol=1e-6))


class Command(SimpleTestCase):
    def call(self, *argv: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = command.main(list(argv))
        return status, out.getvalue(), err.getvalue()

    def test_one_answer_and_its_refusals(self):
        status, out, _ = self.call("stock.dilute", '{"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2}')
        self.assertEqual(status, 0)
        self.assertAlmostEqual(json.loads(out)["result"]["water_l_min"], 1000)
        status, _, err = self.call("stock.dilute", '{"flow_l_min": -1, "wet": 2}')
        self.assertEqual(status, 2)
        self.assertEqual({e["field"] for e in json.loads(err)["errors"]}, {"flow_l_min", "wet", "cons_pct", "target_pct"})
        self.assertEqual(self.call("stock.nothing", "{}")[0], 2)
        self.assertEqual(self.call("stock.dilute", "{")[0], 2)
        self.assertIn("stock.dilute", self.call("list")[1])
        self.assertEqual(json.loads(self.call("stock.dilute", "--schema")[1])["title"], "stock.dilute")

    def test_a_batch_goes_on_past_bad_rows(self):
        with tempfile.TemporaryDirectory() as folder:
            source, target = Path(folder) / "in.csv", Path(folder) / "out.csv"
            source.write_text(
                "flow_l_min,cons_pct,target_pct\n2000,4.8,3.2\n=1+1,4.8,3.2\n2000,3,4\n1000,4.8,3.2,9\n1000,4.8,2.4\n"
            )
            status, _, err = self.call("stock.dilute", "--csv", str(source), str(target))
            rows = list(csv.reader(target.read_text().splitlines()))
        self.assertEqual(status, 2)
        self.assertEqual([line.split(":")[0] for line in err.splitlines()[:3]], ["line 3", "line 4", "line 5"])
        self.assertIn("2 rows worked out, 3 bad", err)
        self.assertEqual(len(rows), 6)
        self.assertEqual(rows[2][0], "'=1+1")
        self.assertAlmostEqual(float(rows[5][rows[0].index("water_l_min [L/min]")]), 1000)


@tag("slow")
class Doors(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def test_json_for_people_tokens_and_nobody(self):
        url, body = "/api/calc/stock.dilute/", {"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2}
        ask = lambda **h: self.client.post(url, body, content_type="application/json", headers=h)  # noqa: E731
        self.assertEqual(ask().status_code, 401)
        token, plain = tokens.issue(name="historian", scope="calc", by=make.person("pn"), now=make.NOW)
        _, other = tokens.issue(name="scales", scope="readings", by=make.person("pn"), now=make.NOW)
        self.assertEqual(ask(Authorization=f"Bearer {other}").status_code, 401)
        answer = ask(Authorization=f"Bearer {plain}")
        self.assertEqual(answer.status_code, 200)
        self.assertAlmostEqual(answer.json()["result"]["water_l_min"], 1000)
        tokens.revoke(token, now=make.NOW)
        self.assertEqual(ask(Authorization=f"Bearer {plain}").status_code, 401)
        self.client.force_login(make.person("tk"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(ask().status_code, 200)
        bad = self.client.post(url, {"flow_l_min": "much"}, content_type="application/json")
        self.assertEqual(bad.status_code, 422)
        self.assertEqual({e["field"] for e in bad.json()["errors"]}, {"flow_l_min", "cons_pct", "target_pct"})
        self.assertEqual(self.client.post(url, "{", content_type="application/json").status_code, 400)
        self.assertEqual(self.client.post("/api/calc/no.such/", "{}", content_type="application/json").status_code, 404)
        self.assertEqual(self.client.get(url).json()["schema"]["required"], ["flow_l_min", "cons_pct", "target_pct"])
        self.assertEqual(len(self.client.get("/api/calc/").json()["models"]), len(models()))

    def test_every_working_opens_with_its_check_values(self):
        self.client.force_login(make.person("new"), backend="django.contrib.auth.backends.ModelBackend")
        opened = set()
        for m in models():
            said = quantities(m.case_class).values()
            shape = (m.basis, any(q.options for q in said), any(q.whole for q in said), bool(row_fields(m.case_class)))
            kind = (m.station, *shape, len(m.checks) > 3)
            if kind in opened:  # one template draws them all: of those that it draws alike one is opened
                continue
            opened.add(kind)
            with self.subTest(model=m.name):
                page = self.client.get(f"/models/{m.name}/")
                self.assertContains(page, "check values, run now")
                self.assertNotContains(page, "does not hold")
        self.assertGreater(len(opened), 60)
        self.assertContains(self.client.get("/models/stock.dilute/?flow_l_min=-2"), "it must be at least 0")

    def test_what_moves_a_slow_model_comes_after_its_page_and_is_the_same(self):
        self.client.force_login(make.person("new"), backend="django.contrib.auth.backends.ModelBackend")
        asked = {"flow_l_min": "1800", "cons_pct": "3.5", "target_pct": "3"}
        page = self.client.get("/models/stock.dilute/", asked)
        at_once = re.search(r"<b>What moves it:</b>.*?</p>", page.content.decode(), re.S)[0]
        self.assertIn("gives", at_once)
        with patch("desk.handbook.views.MOVES_AT_ONCE_S", 0.0):
            page = self.client.get("/models/stock.dilute/", asked)
            self.assertNotContains(page, at_once)
            self.assertContains(page, page.context["rows"][0]["value"])  # all else is there
            later = unescape(re.search(r'hx-get="([^"]*)" hx-trigger="load"', page.content.decode())[1])
            part = self.client.get(later, headers={"HX-Request": "true", "HX-Target": "moves"})
            self.assertContains(part, at_once)
            self.assertNotContains(part, "Holds for")
            self.assertContains(self.client.get(later), at_once)  # without script: the whole page with it
            refused = self.client.get("/models/stock.dilute/", {**asked, "flow_l_min": "-1", "moves": "1"})
            self.assertContains(refused, "waits until the marked wells are right")

    def test_every_figure_of_shift_opens_its_working(self):
        self.client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")
        html = self.client.get("/").content.decode()
        links = {href.replace("&amp;", "&") for href in re.findall(r'<a href="(/(?:models|line)/[^"]+)" aria-label', html)}
        self.assertGreater(len(links), 8)
        for href in links:
            with self.subTest(href=href[:80]):
                self.assertEqual(self.client.get(href).status_code, 200)
        shown = re.search(r'href="(/models/deliver.draw/[^"]+)"', html).group(1).replace("&amp;", "&")
        self.assertContains(self.client.get(shown), "16.4")

    def test_units_are_the_readers_and_come_back_the_same(self):
        person = make.person("pn")
        person.schools = {"system": "us", "freeness": "sr"}
        person.save()
        self.client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get("/stock/dilution/")
        self.assertContains(page, "US gal/min")
        self.assertContains(page, 'value="528.344"')
        key = units.key(units.schools_from(person.schools))
        typed = self.client.get("/stock/dilution/", {"flow_l_min": "528.344", "units": key})
        self.assertContains(typed, "<b>302</b>")  # 1143 L/min of water
        self.assertContains(self.client.get("/stock/dilution/", {"flow_l_min": "2000"}), 'value="528.344"')
        self.assertContains(self.client.get("/stock/dilution/", {"flow_l_min": "-3", "units": key}), "must be at least 0")
        self.assertContains(self.client.get("/lab/row/K.refiner.freeness/"), "°SR")
        self.client.post("/help/units/", {"system": "metric", "freeness": "junk"})
        person.refresh_from_db()
        self.assertEqual(person.schools, {"system": "metric"})


ALL_UNITS = [*units.US, "mL CSF", "g/L NaOH", "% wet", "t/h OD", "t OD", "% ISO"]


@tag("core")
class Units(SimpleTestCase):
    @given(
        st.sampled_from(ALL_UNITS),
        st.floats(30, 700),
        st.builds(
            lambda **k: units.schools_from(k),
            system=st.sampled_from(["metric", "us"]),
            freeness=st.sampled_from(["csf", "sr"]),
            alkali=st.sampled_from(["naoh", "na2o"]),
            moisture=st.sampled_from(["wet", "dry"]),
            dryness=st.sampled_from(["od", "ad"]),
            brightness=st.sampled_from(["iso", "dir"]),
            offset=st.floats(-3, 3),
        ),
    )
    def test_round_trip(self, unit, value, schools):
        value = value / 10 if unit in ("% wet", "% ISO") else value
        found, _, _ = units.shown(value, unit, schools)
        self.assertTrue(math.isclose(units.typed(found, unit, schools), value, rel_tol=1e-9))
        self.assertEqual(units.from_key(units.key(schools), None).system, schools.system)

    def test_values(self):
        us = units.Schools(system="us")
        for value, unit, wanted in (
            (1000, "L/min", 264.172),
            (1, "t/h", 1.10231),
            (100, "°C", 212),
            (80, "g/m²", 49.16),
            (2, "kg/t", 4),
            (100, "kWh/t", 90.7185),
        ):
            with self.subTest(unit=unit):
                self.assertAlmostEqual(units.shown(value, unit, us)[0], wanted, delta=wanted * 1e-4)
        self.assertAlmostEqual(units.shown(50, "% wet", units.Schools(moisture="dry"))[0], 100)
        self.assertAlmostEqual(units.shown(10, "g/L NaOH", units.Schools(alkali="na2o"))[0], 7.748, places=3)
        self.assertAlmostEqual(units.shown(9, "t/h OD", units.Schools(dryness="ad"))[0], 10)
        self.assertEqual(units.shown(5, "mL CSF", units.Schools(freeness="sr"))[1], "mL CSF")


class Docs(SimpleTestCase):
    def test_the_page_of_models_is_in_step(self):
        from desk.handbook.listing import page

        kept = Path(__file__).resolve().parent.parent.parent / "docs" / "models.md"
        self.assertEqual(kept.read_text(encoding="utf-8"), page(), "run ./vat manage models_page")
