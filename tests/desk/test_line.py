"""One state feeds every page: a figure is printed from the case that made it, and what is put in force is felt everywhere."""

import json
import re
from collections import Counter
from dataclasses import replace
from datetime import timedelta
from html import unescape
from unittest import mock
from urllib.parse import parse_qs, urlencode, urlsplit

from django.test import TestCase
from django.utils.html import strip_tags

from core import calc
from core.catalogue import find
from core.errors import ImpossibleInput
from core.line.heat import heated
from desk.cases.actions import compare
from desk.cases.models import HeldCase
from desk.kit.templatetags.vat import hmu
from desk.log.models import Kind, Record
from desk.mill import in_force
from desk.mill.clock import set_clock
from desk.mill.drawings import cover_rows
from desk.mill.models import MillVersion
from desk.mill.ribbon import draw_ribbon
from desk.mill.state import MillState
from desk.people.models import Person
from desk.stock.benches import BENCHES
from tests import make
from tests.core.test_draft import whole

FIGURE = re.compile(
    r'<a (?:class="fig" )?href="([^"]*/models/[^"]+)">\s*(?:<span class="m [^"]*"><b class="num">)?([−\d][^<]*)<'
)


class Line(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.as_("tk")

    def as_(self, who):
        self.client.force_login(make.person(who))

    def put(self, unit, seen=0, why="a trial", **values):
        return self.client.post("/mill/put/", {"unit": unit, "why": why, "seen": seen, "back": "/wash/", **values})


class OneNumber(Line):
    """Truth 1: page value = working value, in every school of units, on the pages that print figures of the line."""

    PAGES = (
        "/wash/",
        "/wash/?line=K.post",
        "/wash/?shower=36&x0=150",
        "/bleach/",
        "/bleach/?line=S.bleach",
        "/bleach/?seq=O-D0-EOP-D1&kappa=26",
        "/cook/",
        "/cook/?wood=alder&ea_pct_naoh=18.5",
        "/cook/continuous/",
        "/cook/continuous/?new_t_h=5.4&t2=157",
        "/cook/house/",
        "/cook/records/1148/",
        "/chips/",
        "/bleach/compare/?target=85",
        "/schedule/card/?order=H-0413",
        "/schedule/card/?order=H-0413&sale_t=40",
    )

    def by_case(self, found) -> dict[str, dict[str, str]]:
        """The figures of a page by the case that made them: the address of the first of each case, and every figure of it."""
        cases: dict[str, tuple[str, dict[str, str]]] = {}
        for href, value in found:
            address = unescape(href)
            asked = parse_qs(urlsplit(address).query)
            (name,) = asked.pop("show")
            case = f"{urlsplit(address).path}?{urlencode(asked, doseq=True)}"
            cases.setdefault(case, (address, {}))[1].setdefault(name, value)
        return dict(cases.values())

    def test_a_vessel_runs_out_at_the_same_minute_in_the_picture_and_in_cover(self):
        seen = set()
        for minutes in range(0, 50, 3):
            state = make.state(minutes)
            cover = {row["v"].vessel.key: strip_tags(hmu(row["hours"])).replace(" ", "") for row in cover_rows(state)}
            for vat in draw_ribbon(state).vats:
                if vat.get("vessel") in cover and ("block" in vat or "under" in vat):
                    shown = vat["block"]["text"] if "block" in vat else vat["under"]["left"]
                    self.assertEqual(shown.replace(" ", ""), cover[vat["vessel"]], (minutes, vat["vessel"]))
                    seen.add(vat["vessel"])
        self.assertGreater(len(seen), 3)

    def test_every_figure_opens_the_case_that_made_it(self):
        schools = ({}, {"system": "us", "dryness": "ad"}, {"alkali": "na2o", "moisture": "dry", "brightness": "dir"})
        for chosen in schools:
            self.assertEqual(self.client.post("/help/units/", chosen).status_code, 302)
            opened: Counter = Counter()  # in another school one of each model tell what its units do
            for path in self.PAGES:
                page = self.client.get(path).content.decode()
                found = FIGURE.findall(page)
                self.assertGreater(len(found), 3, path)
                for address, figures in self.by_case(found).items():
                    opened[urlsplit(address).path] += 1
                    if chosen and opened[urlsplit(address).path] > 1:
                        continue
                    working = self.client.get(address).context
                    told = {r["field"]: r["value"] for r in working["rows"]}
                    self.assertEqual(working["lead"]["value"], figures[working["show"]])
                    for name, value in figures.items():
                        with self.subTest(page=path, units=chosen, figure=name):
                            self.assertEqual(told[name], value)

    def test_the_page_and_the_line_say_the_same(self):
        state = make.state(0)
        for key in state.mill.wash_plans:
            with self.subTest(unit=key):
                worked = self.client.get("/wash/", {"line": key}).context["worked"]
                self.assertEqual(worked.result, state.line.acts[key].worked[0].result)
        for key, plan in state.mill.bleach_plans.items():
            if plan.sequence:
                worked = self.client.get("/bleach/", {"line": key}).context["worked"]
                self.assertEqual(
                    (worked.result.iso_pct, worked.result.kappa), (state.line.acts[key].iso_pct, state.line.acts[key].kappa)
                )

    def test_the_tank_book_takes_what_the_plants_take(self):
        state = make.state(0)
        self.as_("jd")
        for s in self.client.get("/bleach/tanks/").context["standings"]:
            kg_h = sum(a.duties.get(f"{s.tank.chemical}_kg_h", 0.0) for a in state.line.acts.values())
            with self.subTest(tank=s.tank.key):
                self.assertEqual(s.use_from, "solved from the charges" if kg_h else "set-up")
                if kg_h:
                    self.assertAlmostEqual(s.tank.use_m3_h * s.strength, kg_h, places=6)
                    self.assertFalse(s.apart)


class InForce(Line):
    """Truth 5: a change is carried down the line before it is put in force, and a later record sets it back."""

    def test_less_water_is_felt_down_the_line_and_can_be_set_back(self):
        before = MillState(make.NOW).line
        page = self.client.get("/mill/put/", {"unit": "K.larch.wash", "df": "1.2"})
        self.assertEqual([s.title for s in page.context["steps"]][:2], ["larch washing", "larch oxygen stage"])
        self.assertContains(page, "Dilution factor 2.00 to 1.20")
        self.assertFalse(Record.objects.filter(kind=Kind.SETPOINT, subject="set.K.larch.wash").exists())
        self.assertRedirects(self.put("K.larch.wash", df="1.2"), "/wash/", fetch_redirect_response=False)
        state = make.state(30)
        self.assertEqual(state.line.acting["K.larch.wash"].df, 1.2)
        self.assertGreater(state.line.inlets["K.bleach"].kg_odt("COD"), before.inlets["K.bleach"].kg_odt("COD"))
        wash = self.client.get("/wash/", {"line": "K.larch.wash"})
        self.assertEqual((wash.context["df"], wash.context["wells"][3]["source"][:14]), (1.2, "in force since"))
        record = Record.objects.get(subject="set.K.larch.wash")
        self.client.post(f"/mill/put/{record.pk}/back/", {"back": "/"})
        self.assertEqual(make.state(40).line.acting["K.larch.wash"].df, 2.0)
        self.client.post(f"/mill/put/{record.pk}/back/", {"back": "/"})  # a second press finds the newer record
        self.assertEqual(Record.objects.filter(subject="set.K.larch.wash").count(), 2)

    def test_what_cannot_be_is_refused_beside_its_field_and_nothing_is_stored(self):
        for unit, values, said in (
            ("K.larch.wash", {"df": "30"}, "it must be at most 20"),
            ("K.larch.wash", {"df": "much"}, "must be a number"),
            ("K.larch.wash", {"df": "2"}, "nothing changes"),
            ("K.larch.wash", {"df": "1.5", "why": " "}, "say why"),
            ("K.bleach", {"charge.1": "90"}, "may take at most"),
            ("K.larch.cook", {"ea_pct_naoh": "31"}, "at most 30"),
            ("K.larch.o2", {"naoh_kg": "nan"}, "must be a number"),
        ):
            with self.subTest(unit=unit, values=values):
                answer = self.put(unit, **values) if "why" in values else self.put(unit, why="x", **values)
                self.assertContains(answer, said, status_code=422)
        self.assertFalse(Record.objects.filter(kind=Kind.SETPOINT, subject__startswith="set.").exists())
        self.assertEqual(self.put("Z.nothing", df="1").status_code, 404)

    def test_who_looked_at_an_older_setting_is_told(self):
        self.put("K.larch.wash", df="1.2")
        answer = self.put("K.larch.wash", df="1.6", seen=0)
        self.assertContains(answer, "meanwhile", status_code=422)
        self.assertEqual(make.state(30).line.acting["K.larch.wash"].df, 1.2)

    def test_only_who_may_move_puts_and_everybody_may_look(self):
        for who in ("wa", "cv", "new"):
            self.as_(who)
            self.assertEqual(self.put("K.larch.wash", df="1.2").status_code, 403)
            self.assertContains(self.client.get("/mill/put/", {"unit": "K.larch.wash", "df": "1.2"}), "Down the line")
        self.assertContains(self.client.get("/mill/in-force/"), "Larch washing")

    def test_a_setting_the_set_up_no_longer_has_is_passed_over(self):
        state = make.state(0)
        change = in_force.weigh(state, "K.larch.wash", {"df": 1.2})
        made = in_force.put(change=change, why="x", by=make.person("tk"), now=state.now, seen=0)
        later = make.state(30)
        later.__dict__["plans"] = {k: p for k, p in later.plans.items() if k != "K.larch.wash"}
        self.assertEqual(later.put_in_force, {})
        with self.assertRaises(ImpossibleInput):
            in_force.put(change=change, why="x", by=make.person("tk"), now=state.now, seen=made.pk - 1)


class Measured(Line):
    """Truth 2: a reading leads while it is fresh, then the set-up does again."""

    def test_the_moisture_of_the_chips_leads_while_it_is_fresh(self):
        state = make.state(0)
        self.assertEqual(set(state.moisture_pct), {"K.larch.chips", "M.chips"})
        was = state.line.inlets["K.larch.cook"]
        self.as_("jd")
        answer = self.client.post("/lab/record/K.chips.moisture/", {"mode": "result", "value_1": "55", "sure": "1"})
        self.assertEqual(answer.status_code, 302)
        now = make.state(40)
        self.assertAlmostEqual(now.moisture_pct["K.larch.chips"], 55.0)
        self.assertLess(now.line.inlets["K.larch.cook"].solids_t_h, was.solids_t_h)
        self.assertLess(now.rates["K.tower"][0], state.rates["K.tower"][0])
        old = MillState(make.NOW + timedelta(hours=30))
        self.assertNotIn("K.larch.chips", old.moisture_pct)
        self.assertAlmostEqual(old.line.inlets["K.larch.cook"].solids_t_h, 11.0, places=6)


class NoPageFalls(Line):
    """A reading or a set point that the line cannot be run with is left aside and said; no page falls for it."""

    def test_an_impossible_reading_takes_no_page_down(self):
        self.as_("jd")
        form = {"mode": "result", "value_1": "90", "sure": "1"}
        self.assertEqual(self.client.post("/lab/record/K.chips.moisture/", form).status_code, 302)
        for path in (
            "/",
            "/cook/",
            "/wash/",
            "/bleach/",
            "/bleach/tanks/",
            "/stock/chests/",
            "/mill/in-force/",
            "/line/stock/",
            "/lab/",
        ):
            with self.subTest(page=path):
                page = self.client.get(path)
                self.assertEqual(page.status_code, 200)
                if path not in ("/lab/",):
                    self.assertContains(page, "The line cannot be run with all that was read")
        self.assertAlmostEqual(make.state(30).line.inlets["K.larch.cook"].solids_t_h, 11.0)


class RowsOfACase(Line):
    """A case with rows is asked by name like any other: schema, refusals by row, address and answer."""

    GIVEN = {"feed_pct": 11, "x0": 60, "df": 2.5, "washers": [{"kind": "drum", "e10": 3.5, "out_pct": 12}] * 3}

    def test_it_answers_and_names_the_row_that_is_wrong(self):
        model = find("wash.line")
        self.assertIn("washers", calc.schema(model)["required"])
        self.assertAlmostEqual(calc.calculate(model, self.GIVEN)["result"]["recovered_pct"], 98.0, delta=0.2)
        for bad, field in (
            ({"washers": []}, "washers"),
            ({"washers": "three"}, "washers"),
            ({"washers": [{"kind": "sieve", "e10": 99, "out_pct": 12}]}, "washers.1.kind"),
            ({"washers": [*self.GIVEN["washers"], {"kind": "drum", "e10": float("nan"), "out_pct": 12}]}, "washers.4.e10"),
            ({"washers": [{"kind": "drum", "out_pct": 12}]}, "washers.1.e10"),
        ):
            with self.subTest(bad=bad), self.assertRaises(ImpossibleInput) as refusal:
                calc.calculate(model, {**self.GIVEN, **bad})
            self.assertIn(field, [p.field for p in refusal.exception.problems])

    def test_the_interface_takes_rows(self):
        answer = self.client.post("/api/calc/wash.line/", json.dumps(self.GIVEN), content_type="application/json").json()
        self.assertEqual(len(answer["result"]["line"]["stages"]), 3)

    def test_an_address_round_trips(self):
        page = self.client.get("/models/wash.line/", {"washers": "2", "washers.2.e10": "5", "df": "2.2"})
        self.assertEqual((len(page.context["form"].case.washers), page.context["form"].case.washers[1].e10), (2, 5.0))
        self.assertEqual(self.client.get("/models/wash.line/", {"washers": "9999999"}).status_code, 200)


class HeldCases(Line):
    """A case of a headline model is held, put beside what comes next, compared row by row, and opens its own working."""

    def hold(self, path: str) -> HeldCase:
        page = self.client.get(path)
        worked = page.context["worked"]
        given = {f"in.{k}": v for k, v in calc.flat(calc.declared(worked.case)).items()}
        answer = self.client.post("/cases/hold/", {"name": "Monday", "model": worked.model, "back": path, **given})
        held = HeldCase.objects.first()
        self.assertIn(f"held={held.pk}", answer.url)
        return held

    def test_wash_bleach_and_cook_are_held_beside(self):
        for path, changed in (
            *(("/wash/", "shower=36"), ("/bleach/", "s0c=12"), ("/cook/", "ea_pct_naoh=19")),
            *(("/chips/", "presteam=2"), ("/cook/continuous/", "wood_t_h=4"), ("/cook/house/", "delay=30")),
        ):
            with self.subTest(page=path):
                held = self.hold(path)
                page = self.client.get(f"{path}?{changed}&held={held.pk}")
                self.assertContains(page, '<span class="src block">held ')
                self.assertEqual(page.context["held"], held)
                self.assertContains(page, 'class="curve held"')  # and dashed in the picture
                self.assertNotContains(self.client.get(path), 'class="curve held"')
                lines = compare(held, self.hold(f"{path}?{changed}"), None)
                self.assertTrue(any(" 1, " in x.label for x in lines))
                self.assertTrue(any(x.change for x in lines))
                one = self.client.get(f"/cases/{held.pk}/")
                working = self.client.get(one.context["working"]).context["form"].case
                for name, value in calc.flat(calc.plain(working)).items():
                    kept = calc.flat(held.given)[name]
                    self.assertEqual(value, kept) if isinstance(kept, str) else self.assertAlmostEqual(value, kept, places=3)

    def test_a_drawn_bench_of_stock_draws_the_held_case_dashed_and_itself_at_rest(self):
        for bench in (b for b in BENCHES.values() if b.picture):
            with self.subTest(bench=bench.key):
                path, moved = f"/stock/{bench.key}/", next(iter(bench.opening))
                given = {f"in.{k}": v for k, v in bench.opening.items()}
                self.client.post("/cases/hold/", {"name": bench.key, "model": bench.model_name, "back": path, **given})
                held = HeldCase.objects.get(name=bench.key)
                same = self.client.get(path, {**bench.opening, "held": held.pk}).context["p"]
                other = self.client.get(path, {**bench.opening, moved: bench.opening[moved] * 0.93, "held": held.pk})
                self.assertContains(other, 'class="curve held"')
                self.assertNotEqual(other.context["p"]["held"], "")
                self.assertNotEqual(same["held"], "")
                self.assertFalse(self.client.get(path, bench.opening).context["p"]["held"])

    def test_a_case_of_another_model_is_not_put_beside(self):
        held = self.hold("/bleach/")
        self.assertIsNone(self.client.get("/wash/", {"held": held.pk}).context["held"])
        self.assertIsNone(self.client.get("/wash/", {"held": "²"}).context["held"])

    def test_rows_that_cannot_be_are_refused_in_words(self):
        for count in ("99", "-1", "x", "1e400", "2.5"):
            with self.subTest(count=count):
                given = {"in.feed_pct": "11", "in.x0": "60", "in.df": "2", "in.washers": count, "in.washers.1.e10": "3"}
                self.client.post("/cases/hold/", {"name": "x", "model": "wash.line", "back": "/wash/", **given})
        self.assertFalse(HeldCase.objects.exists())


class SulphiteRuns(TestCase):
    """A mill that cooks with sulphite: its bench opens at the digester that runs, and what is set there goes into force."""

    @classmethod
    def setUpTestData(cls):
        make.nothing()
        lead = Person.objects.create_user("ll", password=make.PIN, initials="L.L.", role="lead", own_pin=True)
        MillVersion.objects.create(document=whole("sulphite"), made_at=make.NOW, by=lead, note="a sulphite line")
        set_clock(make.NOW)

    def setUp(self):
        make.forget()
        self.client.force_login(make.person("ll"), backend="django.contrib.auth.backends.ModelBackend")

    def test_it_opens_as_it_runs_and_goes_into_force(self):
        page = self.client.get("/cook/bench/sulphite/")
        state = make.state(0)
        kappa = state.line.acts["X.sulphite"].kappa
        self.assertEqual(page.context["line_unit"].unit, "X.sulphite")
        self.assertAlmostEqual(page.context["result"].kappa, kappa, delta=0.05)
        self.assertEqual([b.row.id for b in page.context["beside"]], ["X.sulphite.kappa"])
        self.assertEqual(page.context["sources"]["cook_c"], "set-up")
        asked = {"unit": "X.sulphite", "hold_min": "300", "why": "softer", "seen": "0", "back": "/cook/bench/sulphite/"}
        self.assertEqual(self.client.post("/mill/put/", asked).status_code, 302)
        make.forget()
        self.assertLess(make.state(1).line.acts["X.sulphite"].kappa, kappa)
        self.assertIn("in force", self.client.get("/cook/bench/sulphite/").context["sources"]["hold_min"])


class Balance(Line):
    """The balance page tells the line as it is solved, every steam with its working, also where a mill has little."""

    def test_it_is_the_line(self):
        self.as_("jd")
        page, state = self.client.get("/mill/balance/"), make.state(0)
        rows = {r.key: r for r in page.context["rows"]}
        self.assertEqual(list(rows), [u.id for u in state.mill.units if u.id in state.line.inlets])
        self.assertLess(page.context["gap"], 1e-9)
        wash, o2 = rows["K.larch.wash"], rows["K.larch.o2"]
        self.assertAlmostEqual(wash.values[0], state.line.inlets["K.larch.wash"].solids_t_h)
        self.assertAlmostEqual(o2.steam.result.steam_t_h, state.line.heat.steam_t_h("K.larch.o2"))
        self.assertIsNone(wash.steam)
        shown = re.findall(r'href="(/models/heat\.(?:pulp|stages)/[^"]+)"', page.content.decode())
        self.assertEqual(len(shown), sum(r.steam is not None for r in rows.values()))
        working = self.client.get(unescape(shown[1]))
        self.assertContains(working, f"{o2.steam.result.steam_t_h:.2f}")
        told = self.client.get("/mill/balance/?as=csv").content.decode().splitlines()
        self.assertEqual(len(told), len(rows) + 1)

    def test_steam_too_cold_is_said_and_nothing_falls(self):
        self.as_("jd")
        line = make.state(0).line
        warmths = {k: a.warmth for k, a in line.acts.items() if a.warmth is not None}
        cold = {**warmths, "K.larch.o2": replace(warmths["K.larch.o2"], steam_bar_abs=1.0, to_c=120.0)}
        with self.assertRaises(ImpossibleInput) as refused:
            heated(line.solution, cold)
        self.assertEqual(refused.exception.problems[0].field, "K.larch.o2.steam_bar_abs")
        with mock.patch("desk.mill.balance_views.rows_of", side_effect=refused.exception):
            self.assertContains(self.client.get("/mill/balance/"), "must be hotter")
