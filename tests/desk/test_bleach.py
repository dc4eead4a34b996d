"""Wash and Bleach on the desk: lines, looks, sequences typed and mistyped, solving, two schools, the tank book, their moves."""

from copy import copy
from dataclasses import replace
from datetime import timedelta
from unittest import mock

from django.test import TestCase

from core.bleach.plant import plant as bleach_plant
from core.catalogue import find
from core.stream import DS
from core.wash.line import Washer, wash
from desk.log.models import Kind, Record
from desk.mill.chemicals import standings
from tests import make


class Desk(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def as_(self, username: str):
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")


class WashPage(Desk):
    def test_the_page_agrees_with_the_core(self):
        self.as_("tk")
        asked = {
            "line": "K.larch.wash",
            "feed_pct": "11",
            "x0": "60",
            "od_t_h": "10",
            "shower": f"{10 * (87 / 13 + 2.5)}",
            "count": "3",
            "e0": "3.5",
            "e1": "3.5",
            "e2": "3.5",
            "c0": "12",
            "c1": "12",
            "c2": "13",
        }
        found = self.client.get("/wash/", asked).context["w"]
        drums = tuple(Washer(kind="drum", e10=3.5, out_pct=c) for c in (12, 12, 13))
        self.assertAlmostEqual(found.loss_kg_adt, wash(feed_pct=11, x0=60, washers=drums, df=2.5).loss_kg_adt, places=6)
        self.assertAlmostEqual(found.loss_kg_adt, 8.3499, delta=0.02)

    def test_a_weak_drum_is_found_by_its_samples(self):
        self.as_("tk")
        page = self.client.get("/wash/", {"m0": "33", "m1": "20", "m2": "3.6"})
        self.assertEqual(page.context["weak"], (2,))
        self.assertContains(page, "Clean the showers of stage 2")
        self.assertLess(page.context["mended"].soda_kg_adt, page.context["worked"].result.soda_kg_adt)

    def test_stages_can_be_added_and_taken(self):
        self.as_("tk")
        losses = [self.client.get("/wash/", {"count": n}).context["w"].loss_kg_adt for n in (2, 4)]
        self.assertGreater(losses[0], losses[1])
        self.assertEqual(len(self.client.get("/wash/", {"count": "4"}).context["rows"]), 4)

    def test_wrong_wells_are_named_and_nothing_typed_is_lost(self):
        self.as_("tk")
        page = self.client.get("/wash/", {"x0": "-4", "c0": "900"})
        self.assertContains(page, "Solids in its liquor is -4 kg/t; it must be 0 to 400 kg/t")
        self.assertContains(page, "Stage 1 leaves at is 900 %; it must be 1 to 60 %")
        self.assertContains(page, 'value="900"')
        self.assertNotIn("w", page.context)

    def test_the_page_opens_at_the_plan_of_the_set_up_and_without_one(self):
        self.as_("tk")
        state = make.state(0)
        for key, plan in state.mill.wash_plans.items():
            page, inlet = self.client.get("/wash/", {"line": key}).context, state.line.inlets[key]
            self.assertEqual([w["value"] for w in page["wells"][:2]], [round(inlet.cons_pct, 2), round(inlet.liquor_kg_t, 1)])
            self.assertEqual((page["df"], page["band"] is None), (plan.df, not plan.loss_row))
            self.assertEqual(page["worked"].result, state.line.acts[key].worked[0].result)  # one number on page and line
        bare = copy(state)
        bare.mill = replace(state.mill, plans={})
        with mock.patch("desk.wash.views.state_of", return_value=bare):
            self.assertGreater(self.client.get("/wash/").context["w"].loss_kg_adt, 0.0)

    def test_a_look_is_kept_with_its_cause(self):
        self.as_("tk")
        page = self.client.post("/wash/look/", {"line": "K.larch.wash", "look": "bands", "drum": "2"}, follow=True)
        self.assertContains(page, "most often a blocked shower")
        kept = Record.objects.get(kind=Kind.EVENT, subject="mat.K.larch.wash")
        self.assertEqual((kept.status, kept.data["drum"], kept.data["row"]), ("look.bands", 2, "W1"))
        self.client.post("/wash/look/", {"line": "K.larch.wash", "look": "unicorn", "drum": "2"})
        self.assertEqual(Record.objects.filter(kind=Kind.EVENT, subject="mat.K.larch.wash").count(), 1)
        self.as_("cv")
        self.assertEqual(
            self.client.post("/wash/look/", {"line": "K.larch.wash", "look": "bands", "drum": "2"}).status_code, 403
        )


class BleachPage(Desk):
    def test_a_sequence_is_read_or_its_fault_is_placed(self):
        self.as_("tk")
        self.assertContains(self.client.get("/bleach/", {"seq": "D(EO)D"}), "3 stages, ECF")
        page = self.client.get("/bleach/", {"seq": "D-K-D"})
        self.assertContains(page, "which is no stage, at character 3")
        self.assertContains(page, 'value="D-K-D"')
        self.assertNotIn("b", page.context)

    def test_solving_hits_the_target_and_can_be_put_in(self):
        self.as_("tk")
        page = self.client.get("/bleach/", {"solve": "1", "target": "86"})
        solved = page.context["solved"]
        self.assertGreaterEqual(solved.bleached.iso, 85.97)
        self.assertLess(solved.bleached.cost, page.context["b"].cost)
        again = self.client.get(page.context["put"]).context["b"]
        self.assertAlmostEqual(again.iso, solved.bleached.iso, delta=0.05)

    def test_the_alkali_of_an_extraction_is_what_its_ph_asks_or_what_is_typed(self):
        self.as_("tk")
        asked = self.client.get("/bleach/").context
        lye = asked["b"].steps[1].charged["NaOH"]
        typed = self.client.get("/bleach/", {"s1n": f"{0.9 * lye:.6f}"}).context["b"]
        self.assertAlmostEqual(typed.iso, asked["b"].iso, places=4)
        starved = self.client.get("/bleach/", {"s1n": "4"})
        self.assertLess(starved.context["b"].steps[1].setting.ph, 8.0)
        self.assertLess(starved.context["b"].iso, asked["b"].iso - 2)
        measured = self.client.get("/bleach/", {"s1n": "4", "s1p": "10.4"}).context["b"]  # a measured pH leads
        self.assertEqual((measured.steps[1].setting.ph, measured.steps[1].charged["NaOH"]), (10.4, 4 / 0.9))
        extraction = self.client.get("/bleach/", {"seq": "D0-E-D1", "s1c": "14"}).context["b"].steps[1]
        self.assertEqual(extraction.charged["NaOH"], 14 / 0.9)
        self.assertContains(self.client.get("/bleach/", {"s1n": "99"}), "EOP, NaOH is 99")
        held = starved.context["worked"]
        self.assertEqual(bleach_plant(held.case).iso_pct, held.result.iso_pct)

    def test_beyond_its_ceiling_is_said(self):
        self.as_("tk")
        self.assertContains(
            self.client.get("/bleach/", {"ready": "sulphite, TCF", "solve": "1", "target": "93"}), "is beyond this sequence"
        )

    def test_impossible_wells_each_have_their_words(self):
        self.as_("tk")
        for data, said in (
            ({"kappa": "-3"}, "Kappa in is -3"),
            ({"s0c": "-4"}, "D0, charge is -4 kg/ADt"),
            ({"s0p": "19"}, "D0, pH is 19"),
            ({"s0t": "120"}, "boils over 100"),
            ({"clo2_g_l": "0"}, "ClO₂ solution is 0 g/L"),
            ({"s0m": "soon"}, "must be a number"),
        ):
            with self.subTest(data=data):
                self.assertContains(self.client.get("/bleach/", data), said)

    def test_a_new_kappa_is_followed_to_the_mixer(self):
        self.as_("tk")
        page = self.client.get("/bleach/", {"kappa": "26", "front": "30"})
        front = page.context["front"]
        self.assertGreater(front.after, front.before)
        first = page.context["b"].steps[front.stage]
        self.assertLess(abs(page.context["front_at"] - make.NOW - timedelta(minutes=first.starts_min)), timedelta(seconds=2))
        self.assertContains(page, "when the front reaches the mixer, not before")

    def test_cautions_stand_at_the_charges(self):
        self.as_("tk")
        self.assertContains(self.client.get("/bleach/"), "Yellow-green haze")
        self.assertContains(self.client.get("/bleach/", {"seq": "C-E-H"}), "neither ECF nor TCF")
        self.assertNotContains(self.client.get("/bleach/", {"seq": "O-Q-P"}), "Yellow-green haze")

    def test_two_schools_beside_each_other(self):
        self.as_("pn")
        page = self.client.get("/bleach/compare/", {"a": "O-D0-EOP-D1", "b": "O-Q-PO-P", "target": "85"})
        lines = {label: (x, y) for label, _, x, y, _ in page.context["lines"]}
        one, other = (page.context[f"worked_{side}"] for side in "ab")
        self.assertGreater(one.result.aox_kg, 0.0)
        self.assertEqual(other.result.aox_kg, 0.0)
        for worked in (one, other):  # what stands in the table is what its working says of the very case
            self.assertEqual(find(worked.model).function(worked.case).iso_pct, worked.result.iso_pct)
        self.assertGreater(lines["Brightness at most"][0], lines["Brightness at most"][1])
        self.assertContains(self.client.get("/bleach/compare/", {"a": "O-D0", "b": "Q--P"}), "after another joiner")


class TankBook(Desk):
    def post(self, who: str, **data):
        self.as_(who)
        return self.client.post("/bleach/tanks/", data, follow=True)

    def stand(self, key: str, minutes: float = 1.0):
        return next(s for s in standings(make.state(minutes)) if s.tank.key == key)

    def test_a_delivery_wants_two_people_and_the_gate(self):
        self.assertContains(
            self.post("tk", what="delivery", where="peroxide", value="20"), "gate is not answered", status_code=422
        )
        self.assertContains(
            self.post("tk", what="delivery", where="peroxide", value="20", read_aloud="yes", second="TK"),
            "read by two people",
            status_code=422,
        )
        before = self.stand("peroxide").now_m3
        self.post("tk", what="delivery", where="peroxide", value="20", read_aloud="yes", second="J.D.")
        self.assertAlmostEqual(self.stand("peroxide").now_m3, before + 20.0, places=2)
        kept = Record.objects.filter(kind=Kind.EVENT, subject="tank.peroxide", status="delivery").latest("id")
        self.assertEqual((kept.data["gate"], kept.data["second"]), ("G2", "J.D."))

    def test_use_draws_the_tank_down_and_a_test_changes_the_strength(self):
        now, later = self.stand("clo2", 0.0), self.stand("clo2", 120.0)
        self.assertAlmostEqual(now.now_m3 - later.now_m3, 2 * now.tank.use_m3_h, places=2)
        self.post("wa", what="strength", where="clo2", value="8,6")
        self.assertEqual(self.stand("clo2").strength, 8.6)
        move = Record.objects.get(kind=Kind.MOVE, subject="move.B2")
        self.assertAlmostEqual(move.data["after"], 15.7 * 9.4 / 8.6)
        self.assertIn("monitors read", move.data["gate"])

    def test_what_cannot_be_is_refused(self):
        n = Record.objects.filter(kind=Kind.EVENT).count()
        for data, said in (
            ({"what": "level", "where": "clo2", "value": "9999"}, "must be 30 to 400"),
            ({"what": "level", "where": "moon", "value": "9"}, "none of this mill"),
            ({"what": "level", "where": "clo2", "value": "much"}, "must be a number"),
            ({"what": "smell", "where": "clo2", "value": "9"}, "Choose level"),
        ):
            with self.subTest(data=data):
                self.assertContains(self.post("tk", **data), said, status_code=422)
        self.assertEqual(Record.objects.filter(kind=Kind.EVENT).count(), n)


class TheLine(Desk):
    def test_washing_and_bleaching_units_answer_to_the_cook(self):
        state = make.state(0)
        network, plan = state.solution.network, state.mill.bleach_plans["K.bleach"]
        self.assertEqual(plan.sequence, "D0-EOP-D1")
        i, j = network.index["K.larch.o2"], network.index["K.bleach"]
        self.assertLess(float(state.solution.kappa[i]), 20.0)
        self.assertLess(float(state.solution.kappa[j]), 3.0)
        going = state.solution.leaves("K.larch.wash", "on").flows
        came = state.solution.enters("K.larch.wash").flows
        self.assertAlmostEqual(going[DS] / came[DS], 0.0095, delta=0.001)

    def test_their_moves_stand_on_readings(self):
        self.as_("tk")
        page = self.client.get(
            "/moves/row/W1-K/",
            {
                "loss": "14",
                "target": "7",
                "inner": "3",
                "mat": "even",
                "shower_m3_adt": "8.1",
                "adt_h": "5.1",
                "feed_pct": "10.5",
                "out_pct": "12.5",
                "x0": "112",
                "stages": "3",
                "economy": "5",
            },
        )
        self.assertContains(page, "Shower 8.10 to")
        faulty = self.client.get(
            "/moves/row/W1-K/",
            {
                "loss": "14",
                "target": "7",
                "inner": "3",
                "mat": "faulty",
                "shower_m3_adt": "8.1",
                "adt_h": "5.1",
                "feed_pct": "10.5",
                "out_pct": "12.5",
                "x0": "112",
                "stages": "3",
                "economy": "5",
            },
        )
        self.assertContains(faulty, "water is no repair")
        left = self.client.get(
            "/moves/row/B3/",
            {
                "iso_pct": "84.5",
                "target": "86",
                "inner": "0.8",
                "residual_g_l": "0.06",
                "clo2_kg": "2.9",
                "before_pct": "81",
                "minutes": "167",
                "temp_c": "74",
                "ph": "4.4",
            },
        )
        self.assertContains(left, "not charge, but pH to 3.8")

    def test_an_oxidant_goes_up_only_with_its_gate_answered(self):
        self.as_("tk")
        given = {
            "kappa": "15",
            "set_kappa": "13.5",
            "clo2_kg": "10.3",
            "low_factor": ".15",
            "high_factor": ".28",
            "strength_g_l": "9.4",
            "adt_h": "7.3",
        }
        self.client.post("/moves/row/B1/", given)
        move = Record.objects.get(kind=Kind.MOVE, subject="move.B1")
        self.assertContains(self.client.get(f"/moves/{move.pk}/"), "monitors read")
        self.assertContains(self.client.post(f"/moves/{move.pk}/", {"choice": "take"}), "gate is not answered", status_code=422)
        self.assertEqual(self.client.post(f"/moves/{move.pk}/", {"choice": "take", "gate": "yes"}).status_code, 302)
        self.assertEqual(Record.objects.get(kind=Kind.DECISION, about=move).data["gate"], move.data["gate"])
        down = self.client.get("/moves/row/B1/", given | {"kappa": "11"})
        self.assertEqual(down.context["slip"]["gate"], "")
