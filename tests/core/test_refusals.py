"""Impossible input is named field by field; outside a published range is a caution; a network without an answer says where."""

import copy
import dataclasses
import json
import math

import jsonschema
import numpy as np
from django.test import SimpleTestCase, tag

from core.calc import calculate, read_case
from core.catalogue import models
from core.cook.kinetic import Charge, cook
from core.cook.unit import Made
from core.deliver.runcard import Supply, run_card
from core.document import write
from core.errors import Caution, ImpossibleInput, Infeasible
from core.judge.band import Band
from core.lab import consistency
from core.line.network import Draw, DrawKind, Outlet, Unit, UnsolvableNetwork, build, shares
from core.line.steady import solve
from core.mill.document import FORMER
from core.mill.mill import default_feeds
from core.mill.reading import document_schema, read_document, read_mill
from core.mill.run import Running, solve_mill
from core.quantity import quantities, row_fields
from core.register import find
from core.stock import transmitter
from core.stock.dilution import DilutionCase, dilute
from core.stream import N, stream
from desk.shift.demo import DOCUMENT


def water(t_h: float = 100.0, solids: float = 1.0) -> np.ndarray:
    v = np.zeros(N)
    v[0], v[-1] = solids, t_h
    return v


def impossible(said):
    """What a figure may never be."""
    if said.options:
        return ("none of the list",)
    low, high = said.possible
    return (
        *(math.nan, math.inf, low - 1.0),
        *([low] if said.above else []),
        *([high * 1.01 + 1.0] if math.isfinite(high) else []),
    )


@tag("core")
class FieldRefusals(SimpleTestCase):
    def test_every_impossible_field_of_every_model_is_named(self):
        """Walks every model from its first check: below, above and not finite, one field at a time, also in its rows."""
        for model in models():
            sound = read_case(model, model.checks[0].given)
            for name, said in quantities(model.case_class).items():
                for value in impossible(said):
                    with self.subTest(model=model.name, field=name, value=value), self.assertRaises(ImpossibleInput) as refused:
                        model.function(dataclasses.replace(sound, **{name: value}))
                    self.assertIn(name, {p.field for p in refused.exception.problems})
            for rows, group in row_fields(model.case_class).items():
                first, *others = getattr(sound, rows) or (None,)
                for name, said in quantities(group.of).items() if first else ():
                    for value in impossible(said):
                        row = dataclasses.replace(first, **{name: value})
                        with self.subTest(model=model.name, row=rows, field=name, value=value):
                            with self.assertRaises(ImpossibleInput) as refused:
                                model.function(dataclasses.replace(sound, **{rows: (row, *others)}))
                            told = {p.field for p in refused.exception.problems}
                            self.assertTrue(any(name in field or field in ("shares", rows) for field in told), told)

    def test_all_bad_fields_at_once(self):
        with self.assertRaises(ImpossibleInput) as refused:
            dilute(DilutionCase(flow_l_min=-1, cons_pct=0, target_pct=math.nan, water_cons_pct=9))
        self.assertEqual(
            {p.field for p in refused.exception.problems}, {"flow_l_min", "cons_pct", "target_pct", "water_cons_pct"}
        )

    def test_outside_the_published_range_is_a_caution(self):
        found = dilute(DilutionCase(flow_l_min=2000, cons_pct=20, target_pct=10, stock_density_kg_l=1.01))
        self.assertIn("cons_pct", {c.field for c in found.cautions})
        self.assertIsInstance(found.cautions[0], Caution)

    def test_weighings(self):
        for pad, paper, stock in ((1.0, 1.2, 500), (600.0, 1.0, 500)):
            with self.subTest(pad=pad), self.assertRaises(ImpossibleInput) as refused:
                consistency.weigh(consistency.Weighing(stock_g=stock, paper_g=paper, pad_g=pad))
            self.assertEqual(refused.exception.problems[0].field, "pad_g")

    def test_few_pairs_is_an_answer(self):
        found = transmitter.check_transmitter(transmitter.TransmitterCase(pairs=(transmitter.Pair(3.5, 3.4),) * 5))
        self.assertIsInstance(found, Infeasible)

    def test_one_odd_pair_never_moves_a_meter(self):
        pairs = [transmitter.Pair(3.5 + 0.01 * i, 3.5 + 0.01 * i) for i in range(7)] + [transmitter.Pair(3.9, 3.5)]
        found = transmitter.check_transmitter(transmitter.TransmitterCase(pairs=tuple(pairs)))
        self.assertEqual(found.outcome, transmitter.Outcome.RESAMPLE)

    def test_bands_must_rise(self):
        for bad in ({"low": 5, "high": 4}, {"low": 1, "high": 2, "outer_low": 1.5}, {"low": 1, "high": 2, "target": 3}):
            with self.subTest(bad=bad), self.assertRaises(ImpossibleInput):
                Band(**bad)

    def test_streams_refuse_negative_and_unknown_components(self):
        for bad in ({"LF": -1.0}, {"LF": math.nan}, {"GOLD": 1.0}):
            with self.subTest(bad=bad), self.assertRaises(ImpossibleInput):
                stream(**bad)

    def test_every_model_says_its_source_and_range(self):
        for m in models():
            with self.subTest(model=m.name):
                self.assertTrue(m.source and m.holds_for and m.equation and m.function.__doc__)
                self.assertRegex(m.name, r"^[a-z]+\.[a-z_]+$")


@tag("core")
class NetworkRefusals(SimpleTestCase):
    def refused(self, units, draws=()) -> str:
        with self.assertRaises(UnsolvableNetwork) as refused:
            solve(build(units, draws))
        return str(refused.exception)

    def test_a_loop_without_a_bleed_is_named(self):
        said = self.refused(
            [
                Unit(id="a", feed=water(), outlets=(Outlet(name="on", to="b", shares=shares(1)),)),
                Unit(
                    id="b",
                    outlets=(
                        Outlet(name="back", to="a", shares=shares(1, W=0)),
                        Outlet(name="out", to="end", shares=shares(0, W=1)),
                    ),
                ),
                Unit(id="end"),
            ]
        )
        self.assertIn("long fibre enter a, b and leave nowhere", said)

    def test_unknown_targets_and_shares_not_making_one(self):
        said = self.refused([Unit(id="a", feed=water(), outlets=(Outlet(name="on", to="nowhere", shares=shares(0.5)),))])
        self.assertIn("nowhere, which does not exist", said)
        self.assertIn("must take 100 %", said)

    def test_thinner_than_the_target_is_refused(self):
        units = [
            Unit(id="a", feed=water(400.0, 1.0), outlets=(Outlet(name="on", to="b", shares=shares(1)),)),
            Unit(id="b", outlets=(Outlet(name="on", to="end", shares=shares(1)),)),
            Unit(id="fresh", feed=shares(0, W=1), supply=True),
            Unit(id="end"),
        ]
        said = self.refused(units, [Draw(id="d", kind=DrawKind.DILUTE, tank="fresh", to="b", target=0.03)])
        self.assertIn("b cannot be thinned to 3 %", said)

    def test_a_tank_drawn_dry_is_named(self):
        units = [
            Unit(id="a", feed=water(5.0), outlets=(Outlet(name="on", to="tank", shares=shares(1)),)),
            Unit(id="tank", outlets=(Outlet(name="over", to="end", shares=shares(1)),)),
            Unit(id="use", outlets=(Outlet(name="on", to="end", shares=shares(1)),)),
            Unit(id="end"),
        ]
        said = self.refused(units, [Draw(id="d", kind=DrawKind.FLOW, tank="tank", to="use", target=50.0, rest="over")])
        self.assertIn("tank is drawn dry", said)

    def test_conversions_may_not_turn_in_a_circle(self):
        k = np.eye(N)
        k[:2, :2] = [[0.5, 0.5], [0.5, 0.5]]
        said = self.refused(
            [Unit(id="a", feed=water(), conversion=k, outlets=(Outlet(name="on", to="end", shares=shares(1)),)), Unit(id="end")]
        )
        self.assertIn("circle", said)


@tag("core")
class MillDocument(SimpleTestCase):
    def setUp(self):
        self.document = json.loads(DOCUMENT.read_text())

    def test_every_error_has_its_place(self):
        d = self.document
        d["units"][5]["loss_pct"] = 140
        d["vessels"][0]["full_t"] = "much"
        d["grades"][0]["shares"]["K"] = 50
        d["plan"][0]["test"] = "taste"
        d["machine"]["width_m"] = -1
        with self.assertRaises(ImpossibleInput) as refused:
            read_mill(d)
        said = str(refused.exception)
        for place in ("units[5].loss_pct", "vessels[0].full_t", "grades[0].shares", "plan[0].test", "machine.width_m"):
            self.assertIn(place, said)

    def test_names_that_lead_nowhere_and_doubles_are_named(self):
        d = self.document
        d["units"][20]["outlets"][0]["to"] = "nowhere"
        d["sources"][0]["vessel"] = "no.tower"
        d["draws"][1]["id"] = d["draws"][0]["id"]
        with self.assertRaises(ImpossibleInput) as refused:
            read_mill(d)
        for place in ("units[20].outlets[0].to", "sources[0].vessel", "draws[1].id"):
            self.assertIn(place, str(refused.exception))

    def test_a_stage_that_is_none_and_a_meter_that_is_none_are_named(self):
        """A sequence that is made shorter leaves its samples and moves behind: they are named, not read elsewhere."""
        for stage, unit, said in (
            (4, "K.bleach", "K.bleach has 3 stages"),
            (1, "K.larch.wash", "has 0 stages"),
            (2, "", "a unit"),
        ):
            for section, name in (("plan", "K.d0.ph"), ("moves", "B3")):
                d = json.loads(DOCUMENT.read_text())
                part = next(p for p in d[section] if p.get("id", p.get("key")) == name)
                part.update(unit=unit, stage=stage)
                with self.subTest(section=section, unit=unit), self.assertRaisesMessage(ImpossibleInput, said):
                    read_mill(d)
        shorter = json.loads(DOCUMENT.read_text())
        unit = next(u for u in shorter["units"] if u["id"] == "K.bleach")
        unit["acts"].update(sequence="D0-EOP", charges=[10.3, 2.7])
        with self.assertRaises(ImpossibleInput) as refused:
            read_mill(shorter)
        rows = [i for i, r in enumerate(shorter["plan"]) if r.get("unit") == "K.bleach" and r.get("stage") == 3]
        self.assertGreater(len(rows), 1)
        for i in rows:
            self.assertIn(f"plan[{i}].stage", str(refused.exception))

    def test_it_is_written_as_it_is_read(self):
        document = read_document(self.document)
        self.assertEqual(read_document(write(document)), document)

    def test_the_schema_refuses_what_the_reader_refuses(self):
        check = jsonschema.Draft202012Validator(document_schema())
        self.assertTrue(check.is_valid(self.document))
        spoils = (
            lambda d: d["units"][18].update(loss_pct="much"),
            lambda d: d["units"][18].update(colour="brown"),
            lambda d: d["machine"].pop("width_m"),
            lambda d: d["plan"][0].update(who="nobody"),
            lambda d: d["vessels"][0]["shape"].update(kind="ball"),
            lambda d: d["grades"][0]["tests"][0].update(decimals=1.5),
            lambda d: next(u for u in d["units"] if u.get("acts"))["acts"].update(kind="magic"),
            lambda d: d["draws"][0].update(target=-1),
        )
        for spoil in spoils:
            d = copy.deepcopy(self.document)
            spoil(d)
            with self.subTest(spoil=spoil):
                self.assertFalse(check.is_valid(d))
                self.assertRaises(ImpossibleInput, read_document, d)

    def test_a_document_of_the_earlier_format_is_brought_up(self):
        old = copy.deepcopy(self.document)
        old["format"] = FORMER
        for unit in old["units"]:
            if acts := unit.pop("acts", None):
                unit[acts.pop("kind")] = acts
                if "species" in acts:
                    unit["cooks"] = acts.pop("species")
        old["units"][2]["fibre"] = True
        self.assertEqual(read_document(old), read_document(self.document))

    def test_lanes_are_drawn_where_the_document_draws_none(self):
        del self.document["lanes"]
        lanes = {lane.key: lane for lane in read_mill(self.document).lanes}
        self.assertEqual(list(lanes), ["K", "S", "M", "R"])
        self.assertEqual([s.nodes[0].unit for s in lanes["K"].strands], ["K.larch.chips", "K.alder.chips"])
        self.assertEqual(lanes["R"].nodes[0].unit, "R.bales")
        for lane in lanes.values():
            self.assertEqual(lane.nodes[-1].station, "stock")

    def test_another_format_is_refused(self):
        with self.assertRaises(ImpossibleInput):
            read_mill({"format": "something else"})

    def test_a_feed_that_does_not_exist_is_refused(self):
        mill = read_mill(self.document)
        with self.assertRaises(ImpossibleInput):
            solve_mill(mill, Running(feeds={"Z.nothing": 1.0}, gives=dict.fromkeys(mill.sources, 1.0), filler_t_h=0))
        self.assertIn("K.larch.chips", default_feeds(mill))

    def test_a_cook_that_cannot_be_is_refused(self):
        mill = read_mill(self.document)
        for unit, made in (
            ("Z.cook", Made(yield_pct=45, kappa=30)),
            ("K.larch.cook", Made(yield_pct=0, kappa=30)),
            ("K.larch.cook", Made(yield_pct=45, kappa=-1)),
        ):
            with self.subTest(unit=unit, made=made), self.assertRaises(ImpossibleInput) as refusal:
                solve_mill(mill, Running(feeds={}, gives=dict.fromkeys(mill.sources, 1.0), filler_t_h=0, makes={unit: made}))
            self.assertEqual(refusal.exception.problems[0].field, unit)

    def test_run_orders_name_their_bad_fields(self):
        given = dict(find("deliver.run_card").checks[0].given)
        for change, named in (
            ({"sale_t": 0, "start_h": -1, "speed_m_min": 1100}, {"sale_t", "start_h", "speed_m_min"}),
            ({"busy_until_h": 3.5}, {"start_h"}),
            ({"supplies": [row | {"share": 0.3} for row in given["supplies"]]}, {"shares"}),
        ):
            case = read_case(find("deliver.run_card"), given)
            rows = tuple(Supply(**row) for row in change.get("supplies", given["supplies"]))
            with self.subTest(change=change), self.assertRaises(ImpossibleInput) as refused:
                run_card(dataclasses.replace(case, **{**change, "supplies": rows}))
            self.assertEqual({p.field for p in refused.exception.problems}, named)


@tag("core")
class Hurts(SimpleTestCase):
    """Figures that could hurt: every inverse ends at its ceiling, every model refuses what cannot be, a null says why."""

    def test_no_number_of_any_model_may_be_endless_or_a_part_of_a_count(self):
        for model in models():
            sound = dict(model.checks[0].given)
            for field, said in quantities(model.case_class).items():
                if said.options:
                    continue
                for value in (math.nan, math.inf, -math.inf, 10**400, *((1.5,) if said.whole else ())):
                    with self.subTest(model=model.name, field=field, value=str(value)[:8]):
                        with self.assertRaises(ImpossibleInput) as refused:
                            read_case(model, {**sound, field: value})
                        texts = {p.field: p.text for p in refused.exception.problems}
                        self.assertRegex(texts[field], r"must be|is missing")

    def test_inverses_answer_infeasible_beyond_their_ceiling_with_what_binds(self):
        for name, given, reason in (
            (
                "bleach.charge",
                {"stage": "P", "iso_pct": 60.0, "wanted_pct": 84.0, "minutes": 60.0, "temp_c": 60.0, "ph": 8.5},
                "over the 40 a stage may take",
            ),
            ("bleach.charge", {"stage": "D1", "iso_pct": 70.0, "wanted_pct": 97.0}, "ceiling"),
            ("oxygen.alkali", {"kappa_in": 30.0, "kappa": 6.0, "minutes": 30.0, "temp_c": 80.0}, "35"),
        ):
            with self.subTest(name=name, given=given):
                model = find(name)
                told = calculate(model, {**dict(model.checks[0].given), **given})
                self.assertFalse(told["feasible"], told)
                self.assertIn(reason, told["infeasible"]["reason"])
                self.assertIsNotNone(told["infeasible"]["nearest"])

    def test_steam_a_wet_mat_and_severity(self):
        steam, norden = find("cook.steam"), find("wash.norden")
        for bar in (15.6, 17.2, 17.3, 1e9):
            self.assertRaisesRegex(
                ImpossibleInput, "steam_bar_abs", calculate, steam, {**dict(steam.checks[0].given), "steam_bar_abs": bar}
            )
        given = dict(norden.checks[0].given)
        wrong = {**given, "x1": given["x0"] * 1.01}
        self.assertRaisesRegex(ImpossibleInput, "x1", calculate, norden, wrong)
        hard = cook(
            "softwood", Charge(ea_pct_naoh=24.0, sulphidity_pct=29.0, lw_m3_t=4.0), ((0.0, 80.0), (20.0, 178.0), (260.0, 178.0))
        )
        said = " ".join(c.text for c in hard.cautions)
        for word in ("severity", "°C/min", "viscosity", "% NaOH"):
            self.assertIn(word, said)

    def test_strong_dioxide_is_minded_wherever_it_is_asked_for(self):
        asked = [(m, f) for m in models() for f, q in quantities(m.case_class).items() if "ClO₂ solution" in q.label]
        self.assertGreaterEqual(len(asked), 3)
        for model, strength in asked:
            with self.subTest(model=model.name):
                told = calculate(model, {**dict(model.checks[0].given), strength: 11.0})
                self.assertIn("over the safe strength", json.dumps(told["cautions"], ensure_ascii=False))
                self.assertRaises(ImpossibleInput, calculate, model, {**dict(model.checks[0].given), strength: 12.5})

    def test_a_null_says_why(self):
        rate = find("stock.cover")
        told = calculate(rate, {**dict(rate.checks[0].given), "rate_in": 150, "rate_out": 150})
        nulls = [k for k, v in told["result"].items() if v is None and k in told["units"]]
        self.assertTrue(nulls)
        self.assertEqual(set(nulls), set(told["why_null"]))
