"""Cooks on the desk: charged, followed, moved, blown, tested, brought in, taken away, learnt from."""

import csv
import io
import json
import re
from datetime import timedelta

from django.core.exceptions import PermissionDenied
from django.test import TestCase
from openpyxl import load_workbook

from core.chips.wood import Part, mix_wood
from core.cook import follow, kinetic
from core.cook.kinetic import Charge
from desk.cook import actions, thermometer
from desk.cook.actions import CookRefused
from desk.cook.models import Cook, CookFit
from desk.cook.running import running_cooks
from desk.instruments import store
from desk.instruments.models import Signal, ms
from desk.log.models import Kind, Record
from desk.mill.line_case import LineCase, carry
from desk.mill.state import MillState
from tests import make

PLAN = ((0.0, 80.0), (35.0, 116.0), (50.0, 116.0), (95.0, 170.0), (188.0, 170.0))
CHARGE = Charge(ea_pct_naoh=19.5, sulphidity_pct=28.4, lw_m3_t=4.1)
HEADER = "No,Digester,Wood,EA,Sulphidity,LW,Start,Rise,Top,Hold,Kappa"
MAP = {
    "map.number": "No",
    "map.digester": "Digester",
    "map.species": "Wood",
    "map.ea_pct_naoh": "EA",
    "map.sulphidity_pct": "Sulphidity",
    "map.lw_m3_t": "LW",
    "map.start_c": "Start",
    "map.rise_min": "Rise",
    "map.cook_c": "Top",
    "map.hold_min": "Hold",
    "map.kappa": "Kappa",
}


class CookCase(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def as_(self, username: str):
        person = make.person(username)
        self.client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        return person

    def charged(self, digester="4") -> Cook:
        return actions.start(
            species="larch",
            digester=digester,
            wood_t=22.4,
            charge=CHARGE,
            plan=PLAN,
            target=30.0,
            by=make.person("mr"),
            now=make.NOW,
        )


class Followed(CookCase):
    def test_a_cook_from_charge_to_kappa(self):
        mr = make.person("mr")
        cook = self.charged()
        self.assertEqual(cook.predicted, kinetic.cook("larch", CHARGE, PLAN).kappa)
        at = lambda minute: make.NOW + timedelta(minutes=minute)  # noqa: E731
        for minute, temp in ((35, 115.5), (50, 115.8), (96, 169.0), (120, 168.8)):
            actions.add_point(cook=cook, minute=minute, value=temp, by=mr, now=at(121))
        actions.add_point(cook=cook, minute=118, value=14.2, by=mr, now=at(121), kind="r")
        actions.hold_on(cook=cook, minutes=6, choice="take", by=mr, now=at(122))
        self.assertEqual(Cook.objects.get(pk=cook.pk).profile[-1][0], 194.0)
        actions.blow(cook=cook, by=mr, now=at(191))
        actions.lab(cook=cook, kappa=31.4, residual=9.2, by=mr, now=at(215))
        cook = Cook.objects.get(pk=cook.pk)
        self.assertAlmostEqual(cook.error, 31.4 - cook.predicted)
        told = list(Record.objects.filter(subject=f"cook.{cook.number}").order_by("id").values_list("kind", "status"))
        self.assertEqual(
            told,
            [
                (Kind.COOK, "started"),
                (Kind.COOK, "residual"),
                (Kind.DECISION, "take"),
                (Kind.COOK, "blown"),
                (Kind.COOK, "tested"),
            ],
        )

    def test_what_is_refused(self):
        mr, cook = make.person("mr"), self.charged()
        now = make.NOW + timedelta(minutes=60)
        for field, act in (
            ("digester", lambda: self.charged()),
            ("value", lambda: actions.add_point(cook=cook, minute=30, value=250, by=mr, now=now)),
            ("value", lambda: actions.add_point(cook=cook, minute=30, value=15, by=mr, now=now, kind="p")),
            ("minute", lambda: actions.add_point(cook=cook, minute=0, value=90, by=mr, now=now)),
            ("minute", lambda: actions.add_point(cook=cook, minute=90, value=120, by=mr, now=now)),
            ("reason", lambda: actions.hold_on(cook=cook, minutes=0, choice="refuse", by=mr, now=now)),
            ("minutes", lambda: actions.hold_on(cook=cook, minutes=90, choice="alter", by=mr, now=now)),
            ("kappa", lambda: actions.lab(cook=cook, kappa=30, residual=None, by=mr, now=now)),
        ):
            with self.subTest(field=field), self.assertRaises(CookRefused) as refused:
                act()
            self.assertEqual(refused.exception.field, field)
        for act in (
            lambda: actions.blow(cook=cook, by=make.person("eb"), now=now),
            lambda: actions.keep_fit(species="larch", by=make.person("tk"), now=now),
            lambda: actions.hold_on(cook=cook, minutes=5, choice="take", by=make.person("cv"), now=now),
        ):
            with self.assertRaises(PermissionDenied):
                act()

    def test_at_most_two_moves_and_the_log_closes_with_the_blow(self):
        mr, cook = make.person("mr"), self.charged()
        now = make.NOW + timedelta(minutes=100)
        for _ in range(2):
            actions.hold_on(cook=cook, minutes=3, choice="take", by=mr, now=now)
        with self.assertRaisesMessage(CookRefused, "Two moves"):
            actions.hold_on(cook=cook, minutes=3, choice="take", by=mr, now=now)
        actions.blow(cook=cook, by=mr, now=now)
        with self.assertRaisesMessage(CookRefused, "its log is closed"):
            actions.add_point(cook=cook, minute=99, value=170, by=mr, now=now)
        with self.assertRaisesMessage(CookRefused, "was blown at"):
            actions.blow(cook=cook, by=mr, now=now)

    def test_the_page_keeps_what_was_typed_wrong_and_says_it_beside_the_field(self):
        self.as_("mr")
        before = Cook.objects.get(number=1148).points.count()
        for value, words in (
            ("999", "it must be -10 to 200.0 °C"),
            ("warm", "it must be a number"),
            ("", "it must be a number"),
        ):
            answer = self.client.post("/cook/records/1148/", {"act": "temperature", "value": value})
            self.assertContains(answer, words, status_code=422)
        self.assertEqual(Cook.objects.get(number=1148).points.count(), before)
        self.assertEqual(self.client.post("/cook/records/1148/", {"act": "temperature", "value": "168.4"}).status_code, 302)
        self.assertEqual(Cook.objects.get(number=1148).points.count(), before + 1)

    def test_a_cook_just_charged_is_followed_along_its_plan(self):
        cook = self.charged()
        self.as_("mr")
        seen = self.client.get(f"/cook/records/{cook.number}/").context["f"]
        self.assertEqual(seen.h_so_far, 0.0)
        self.assertAlmostEqual(seen.planned.kappa, cook.predicted)

    def test_the_live_page_foresees_what_the_model_says(self):
        self.as_("mr")
        answer = self.client.get("/cook/records/1148/")
        seen, cook = answer.context["f"], Cook.objects.get(number=1148)
        self.assertLess(abs(seen.to_target), 120)
        stop = [*((m, t) for m, t in answer.context["log"]), (seen.stop, answer.context["log"][-1][1])]
        self.assertGreater(len(stop), 4)
        hotter = actions.add_point(cook=cook, minute=117.9, value=174, by=make.person("mr"), now=make.NOW)
        self.assertEqual(hotter.value, 174)
        self.assertLess(self.client.get("/cook/records/1148/").context["f"].stop, seen.stop)

    def test_the_blow_has_its_window_and_the_pressure_is_held_against_saturation(self):
        self.as_("mr")
        url = "/cook/records/1148/"
        before = self.client.get(url).context
        decision, running = before["blow"].result, before["worked"].result
        self.assertEqual(decision.stands, "cook on")
        self.assertTrue(decision.opens_min < running.stop_min < decision.closes_min)
        self.assertLess(before["relief"].result.over_bar, 0.5)
        self.assertEqual(self.client.post(url, {"act": "pressure", "value": "15"}).status_code, 422)
        for bar, words in (("7.9", "gas and air are in it"), ("6", "the liquor flashes")):
            minute = f"{117.9 if bar == '7.9' else 118:g}"
            self.assertEqual(self.client.post(url, {"act": "pressure", "value": bar, "minute": minute}).status_code, 302)
            self.assertContains(self.client.get(url), words)

    def test_a_blow_outside_its_window_tells_the_mix_that_holds_it(self):
        self.as_("mr")
        cook = Cook.objects.get(number=1144)
        worked = self.client.get("/cook/records/1144/").context["divert"]
        share = worked.result.most_pct / 100.0
        mixed = share * cook.kappa + (1.0 - share) * worked.case.other_kappa
        self.assertAlmostEqual(mixed, worked.result.high if cook.kappa > cook.target else worked.result.low)
        self.assertNotContains(self.client.get("/cook/records/1142/"), "divert it")


class NextCook(CookCase):
    """What a blow asks of the next cook: proposed, decided once by who may, in the next design, and what became of it."""

    def with_kappa(self, kappa="33.4", residual="9.1") -> Cook:
        self.as_("wa")
        self.client.post("/cook/records/1147/", {"act": "lab", "kappa": kappa, "residual": residual})
        return Cook.objects.get(number=1147)

    def test_taken_and_in_the_next_design(self):
        self.with_kappa()
        self.as_("mr")
        page = self.client.get("/cook/records/1147/")
        move = page.context["next"]
        self.assertEqual(move.row, "K1")
        self.assertEqual(self.client.post("/cook/records/1147/", {"act": "next.take"}).status_code, 302)
        kept = Record.objects.get(subject="cook.1147.next")
        self.assertAlmostEqual(kept.data["after"] - kept.data["before"], move.size)
        page = self.client.get("/cook/records/1147/")
        self.assertContains(page, "Its outcome is not in yet")
        nxt = self.client.get(page.context["design"]).context["d"].cooked
        now = page.context["done"]
        self.assertAlmostEqual(nxt.h, move.after, delta=2.0)
        self.assertLess(nxt.kappa, now.kappa)
        self.assertContains(self.client.post("/cook/records/1147/", {"act": "next.take"}), "was decided at", status_code=422)

    def test_what_became_of_it(self):
        self.with_kappa()
        self.as_("mr")
        self.client.post("/cook/records/1147/", {"act": "next.alter", "size": "60"})
        later = actions.start(
            species="larch",
            digester="2",
            wood_t=22.4,
            charge=CHARGE,
            plan=PLAN,
            target=30.0,
            by=make.person("mr"),
            now=make.NOW + timedelta(minutes=5),
        )
        later.blown_at, later.kappa = make.NOW + timedelta(hours=3), 30.6
        later.save()
        self.assertContains(self.client.get("/cook/records/1147/"), f"Then cook {later.number} came at <b>30.6</b>")

    def test_refusals_are_at_their_field_and_nothing_is_kept(self):
        self.with_kappa()
        self.as_("mr")
        for sent, field, words in (
            ({"act": "next.refuse"}, "reason", "Reason is empty"),
            ({"act": "next.alter", "size": "400"}, "size", "it must be -120 to 120 H"),
            ({"act": "next.alter", "size": "more"}, "size", "must be a number"),
        ):
            with self.subTest(sent=sent):
                answer = self.client.post("/cook/records/1147/", sent)
                self.assertContains(answer, words, status_code=422)
                self.assertEqual(answer.context["field"], field)
        self.as_("eb")
        self.assertEqual(self.client.post("/cook/records/1147/", {"act": "next.take"}).status_code, 403)
        self.assertFalse(Record.objects.filter(subject="cook.1147.next").exists())

    def test_low_alkali_asks_for_alkali_and_never_for_heat(self):
        self.with_kappa(residual="2.0")
        self.as_("mr")
        page = self.client.get("/cook/records/1147/")
        self.assertEqual((page.context["next"].row, page.context["next"].lever), ("K2", "ea"))
        self.assertContains(page, "ever answer low alkali with more heat")

    def test_inside_its_band_there_is_nothing_to_change(self):
        self.with_kappa(kappa="30.4")
        self.assertContains(self.client.get("/cook/records/1147/"), "Nothing to change")


class Continuous(CookCase):
    def test_a_rate_change_is_foreseen_and_its_move_kept(self):
        self.as_("mr")
        page = self.client.get("/cook/continuous/?new_t_h=5.4").context
        self.assertGreater(page["settled"].kappa, page["moved"][-1].kappa)
        self.assertAlmostEqual(page["settled"].minute, page["then"].minutes, delta=0.01)
        self.assertEqual(self.client.post("/cook/continuous/", {"new_t_h": "5.4", "choice": "take"}).status_code, 302)
        kept = Record.objects.get(subject="cook.continuous")
        self.assertEqual((kept.status, kept.data["after"]), ("take", 5.4))
        self.assertAlmostEqual(kept.data["expected"], page["moved"][-1].kappa)

    def test_the_page_and_the_line_tell_one_kappa_and_a_rate_moves_both(self):
        self.as_("mr")
        line = make.state().line
        self.assertAlmostEqual(
            self.client.get("/cook/continuous/").context["done"].kappa, line.acts["K.alder.cook"].kappa, places=6
        )
        faster = carry(make.state(), LineCase(settings={"K.alder.chips": {"feed_t_h": 5.2}}), None).other.line
        self.assertGreater(faster.acts["K.alder.cook"].kappa, line.acts["K.alder.cook"].kappa + 1.0)
        there = self.client.get("/cook/continuous/?wood_t_h=5.2").context["done"].kappa
        self.assertAlmostEqual(there, faster.acts["K.alder.cook"].kappa, places=6)

    def test_zone_temperatures_are_put_in_force(self):
        self.as_("mr")
        to = self.client.get("/cook/continuous/?t2=157").context["put_in_force"]
        self.assertIn("zone.3=157", to)
        self.assertContains(self.client.get(to), "Cooking, temperature 160.6 to 157.0")

    def test_refusals(self):
        self.as_("mr")
        answer = self.client.post("/cook/continuous/", {"new_t_h": "5.4", "choice": "refuse"})
        self.assertContains(answer, "Reason is empty", status_code=422)
        self.assertContains(self.client.post("/cook/continuous/", {"new_t_h": "4.57", "choice": "take"}), "", status_code=422)
        for query, words in (
            ("wood_t_h=0", "it must be 0.1 to 300"),
            ("t2=hot", "must be a number"),
            ("level_pct=140", "it must be 10 to 110"),
        ):
            with self.subTest(query=query):
                answer = self.client.get(f"/cook/continuous/?{query}")
                self.assertContains(answer, words)
                self.assertNotIn("way", answer.context)
        self.as_("wa")
        self.assertEqual(self.client.post("/cook/continuous/", {"choice": "take"}).status_code, 403)
        self.assertFalse(Record.objects.filter(subject="cook.continuous").exists())


class TheLine(CookCase):
    """The ribbon, the run card and the balances answer to the newest blow, in place of the set-up's fixed yield."""

    def made(self):
        found = MillState(make.NOW + timedelta(minutes=1)).solution
        i = found.network.index["K.larch.cook"]
        fibre = found.enters("K.larch.cook"), found.leaves("K.larch.cook", "on")
        return sum(fibre[1].flows[:4]) / sum(fibre[0].flows[:4]), float(found.kappa[i]), found.stored_t_h("K.tower")

    def test_it_counts_with_the_newest_blow(self):
        share, kappa, stored = self.made()
        planned = kinetic.cook("larch", CHARGE, PLAN)
        self.assertAlmostEqual(share, planned.yield_pct / 100.0)
        self.assertAlmostEqual(kappa, planned.kappa)
        mr, cook = make.person("mr"), Cook.objects.get(number=1148)
        actions.blow(cook=cook, by=mr, now=make.NOW)
        told = Record.objects.filter(status="blown").latest("id").data
        after, kappa_after, stored_after = self.made()
        self.assertAlmostEqual(after, told["yield_pct"] / 100.0)
        self.assertAlmostEqual(kappa_after, told["kappa"])
        self.assertGreater(kappa_after, kappa + 5)  # blown half way, it is raw
        self.assertGreater(stored_after, stored)
        actions.lab(cook=cook, kappa=61.0, residual=None, by=mr, now=make.NOW)
        self.assertEqual(self.made()[1], 61.0)

    def test_a_blow_of_the_day_before_yesterday_counts_no_more(self):
        actions.blow(cook=Cook.objects.get(number=1148), by=make.person("mr"), now=make.NOW)
        self.assertTrue(MillState(make.NOW).makes)
        self.assertFalse(MillState(make.NOW + timedelta(hours=25)).makes)


class Designed(CookCase):
    def test_the_three_ways_reach_the_target(self):
        self.as_("mr")
        for lever in ("time", "temperature", "charge"):
            with self.subTest(lever=lever):
                found = self.client.get(f"/cook/?solve={lever}&target=27").context["solved"]
                self.assertAlmostEqual(found.cooked.kappa, 27.0, delta=0.1)

    def test_beyond_reach_is_said(self):
        self.as_("mr")
        answer = self.client.get("/cook/?solve=temperature&target=12&ea_pct_naoh=12.5")
        self.assertIsNotNone(answer.context["beyond"])
        self.assertContains(answer, answer.context["beyond"].reason)

    def test_what_cannot_be_is_said_at_its_well(self):
        self.as_("mr")
        for query, words in (("ea_pct_naoh=60", "60"), ("m2=20", "20"), ("t1=hot", "hot")):
            with self.subTest(query=query):
                answer = self.client.get(f"/cook/?{query}")
                self.assertContains(answer, words)
                self.assertNotIn("d", answer.context)

    def test_charge_from_the_design(self):
        self.as_("tk")
        opened = self.client.get("/cook/").context["form"]
        form = {
            **{k: opened.data[k] for k in opened.fields if k in opened.data},
            "digester": "5",
            **{f"m{i}": m for i, (m, _) in enumerate(PLAN)},
            **{f"t{i}": t for i, (_, t) in enumerate(PLAN)},
        }
        answer = self.client.post("/cook/start/", form)
        self.assertEqual(answer.status_code, 302)
        cook = Cook.objects.get(digester="5")
        self.assertEqual(answer.url, f"/cook/records/{cook.number}/")
        self.assertEqual(cook.number, 1149)


class Kept(CookCase):
    def test_exports_agree(self):
        self.as_("eb")
        plain = list(csv.DictReader(io.StringIO(self.client.get("/cook/records/?species=larch&as=csv").content.decode())))
        held = json.loads(self.client.get("/cook/records/?species=larch&as=json").content)["cooks"]
        sheet = load_workbook(io.BytesIO(self.client.get("/cook/records/?species=larch&as=xlsx").content)).active
        self.assertEqual(len(plain), Cook.objects.filter(species="larch").count())
        self.assertEqual([int(r["number"]) for r in plain], [r["number"] for r in held])
        self.assertEqual([r["number"] for r in held], [row[0].value for row in list(sheet.rows)[1:]])
        self.assertAlmostEqual(float(plain[-1]["kappa"]), held[-1]["kappa"])

    def test_past_cooks_are_brought_in_and_bad_rows_are_named(self):
        self.as_("pn")
        rows = [
            "9001,7,larch,18,28,4.1,80,95,170,90,31.2",
            "9002,7,granite,18,28,4.1,80,95,170,90,31",
            "9003,7,larch,hot,28,4.1,80,95,170,90,31",
            "9001,7,larch,18,28,4.1,80,95,170,90,30",
            "-4,7,larch,18,28,4.1,80,95,170,90,30",
            "9004,7,larch,18,28,4.1,80,95,170,90,999",
            "9005,7,larch,90,28,4.1,80,95,170,90,30",
        ]
        answer = self.client.post("/cook/records/import/", {"text": "\n".join([HEADER, *rows]), "go": "1", **MAP})
        self.assertEqual(answer.context["kept"], 1)
        self.assertEqual([line for line, _ in answer.context["bad"]], [3, 4, 5, 6, 7, 8])
        for word in ("granite", "hot", "9001 is there", "1 to 999999999", "999", "90"):
            self.assertTrue(any(word in text for _, text in answer.context["bad"]), word)
        kept = Cook.objects.get(number=9001)
        self.assertEqual((kept.profile, kept.kappa), (((0.0, 80.0), (95.0, 170.0), (185.0, 170.0)), 31.2))

    def test_a_column_that_is_needed_must_be_chosen(self):
        self.as_("pn")
        answer = self.client.post("/cook/records/import/", {"text": HEADER + "\n1,1,larch,1,1,1,1,1,1,1,1", "go": "1"})
        self.assertContains(answer, "Say which column is", status_code=422)


class Learnt(CookCase):
    def test_a_fit_is_kept_chosen_used_and_let_go(self):
        self.as_("pn")
        told = b"".join(self.client.post("/cook/fit/larch/", {"choice": "fit"}).streaming_content).decode()
        heard = [int(n) for n in re.findall(r"<p>(\d+) of at most 50 evaluations", told)]
        self.assertEqual(heard, list(range(1, len(heard) + 1)))
        self.assertGreater(len(heard), 2)
        self.assertIn("url=/cook/fit/larch/", told)
        fit = CookFit.objects.get(species="larch")
        self.assertEqual(fit.n, Cook.objects.filter(species="larch", kappa__isnull=False).count())
        self.assertLess(fit.after, fit.before)
        self.assertTrue(fit.accepted)
        bias = sum(lab - by for lab, by in zip(fit.dots["lab"], fit.dots["default"], strict=True)) / fit.n
        self.assertGreater(abs(bias), 0.5)
        default = self.client.get("/cook/").context["d"].cooked.kappa
        self.client.post("/cook/fit/larch/", {"choice": str(fit.pk)})
        mine = self.client.get("/cook/").context["d"].cooked.kappa
        self.assertAlmostEqual(mine - default, bias, delta=1.0)
        self.client.post("/cook/fit/larch/", {"choice": "default"})
        self.assertEqual(self.client.get("/cook/").context["d"].cooked.kappa, default)
        told = Record.objects.filter(subject="fit.larch").values_list("status", flat=True)
        self.assertEqual(sorted(told), ["chosen", "chosen", "fitted"])

    def test_a_bias_of_the_newest_cooks_is_taken_out_and_put_back(self):
        self.as_("pn")
        for cook in Cook.objects.filter(species="alder", kappa__isnull=False).order_by("-number")[:12]:
            Cook.objects.filter(pk=cook.pk).update(kappa=cook.kappa + 3.0)
        before = actions.bias_seen("alder")
        self.assertTrue(before.stands)
        self.assertContains(self.client.get("/cook/fit/alder/"), "more than chance would make it")
        self.client.post("/cook/fit/alder/", {"choice": "bias"})
        self.assertAlmostEqual(actions.coefficients_in_use("alder")[0].kappa, before.mean)
        self.assertAlmostEqual(actions.bias_seen("alder").mean, 0.0, places=6)
        told = Record.objects.filter(subject="fit.alder", status="chosen").latest("id")
        self.assertIn("of bias taken out", told.says)
        self.assertEqual(make.state(1).coefficients["alder"].kappa, before.mean)
        self.client.post("/cook/fit/alder/", {"choice": "bias"})  # a second press finds none
        self.assertEqual(CookFit.objects.filter(species="alder").count(), 1)
        self.client.post("/cook/fit/alder/", {"choice": "default"})
        self.assertEqual(actions.coefficients_in_use("alder")[1], None)
        self.assertEqual(make.state(1).coefficients, {})

    def test_too_few_blows_are_said(self):
        self.as_("pn")
        told = b"".join(self.client.post("/cook/fit/bagasse/", {"choice": "fit"}).streaming_content).decode()
        self.assertIn("a fit wants 8 at least", told)
        self.assertFalse(CookFit.objects.filter(species="bagasse").exists())

    def test_an_unaccepted_fit_cannot_be_chosen(self):
        fit = CookFit.objects.create(
            species="larch",
            coefficients={},
            n=3,
            before=1,
            after=1,
            left_out=2,
            accepted=False,
            dots={},
            made_at=make.NOW,
            by=make.person("pn"),
        )
        with self.assertRaisesMessage(CookRefused, "the default stays"):
            actions.use_fit(species="larch", fit=fit, by=make.person("pn"), now=make.NOW)


class ChipsPage(CookCase):
    def test_the_belt_agrees_with_the_core_and_moves_with_thickness(self):
        self.as_("tk")
        found = self.client.get("/chips/").context
        mix = mix_wood(
            (Part(name="a", share=62, moisture_pct=48.7, rho_b=510), Part(name="b", share=38, moisture_pct=43.8, rho_b=500)),
            "green",
        )
        self.assertAlmostEqual(found["b"].mix.moisture_pct, mix.moisture_pct)
        thick = self.client.get("/chips/?c3=7&c12=12.6").context["b"].uneven
        self.assertGreater(thick.rejects, found["b"].uneven.rejects)
        self.assertGreater(thick.kappa_sd, found["b"].uneven.kappa_sd)

    def test_classes_must_make_a_whole(self):
        self.as_("tk")
        answer = self.client.get("/chips/?c4=10")
        self.assertContains(answer, "must make 100")
        self.assertNotIn("b", answer.context)

    def test_the_house_moves_the_clash_away(self):
        self.as_("tk")
        tight = self.client.get("/cook/house/?steam_t_h=9").context
        wide = self.client.get("/cook/house/?steam_t_h=60&tank_t=400").context
        self.assertGreater(len(tight["house"].clashes), 0)
        self.assertEqual(len(wide["house"].clashes), 0)


class ToTheRunCard(CookCase):
    def test_a_design_goes_to_a_run_card_as_it_stands_and_opens_again(self):
        self.as_("mr")
        card = make.issue_card(self.client)
        page = self.client.get("/cook/")
        self.assertContains(page, "Send to the run card")
        form = page.context["form"]
        sent = dict(form.given) | {"card": card}
        for r in page.context["profile"].rows:
            sent |= {f"m{r['i']}": r["m"], f"t{r['i']}": r["t"]}
        answer = self.client.post("/schedule/card/design/", sent)
        newest = Record.objects.filter(kind=Kind.RUNCARD, subject="H-0413").order_by("-id").first()
        self.assertRedirects(answer, f"/schedule/card/{newest.pk}/")
        kept = newest.data["cases"][-1]
        again = self.client.get(kept["url"])
        self.assertEqual(f"{again.context['d'].cooked.kappa:.1f}", {a: b for a, b, _ in kept["figures"]}["kappa foreseen"])
        self.assertEqual(f"{again.context['d'].cooked.kappa:.6f}", f"{page.context['d'].cooked.kappa:.6f}")
        self.assertContains(self.client.get(f"/schedule/card/{newest.pk}/print/"), "kappa foreseen")
        old = self.client.post("/schedule/card/design/", sent)
        self.assertTrue(old.url.startswith("/cook/"), "an old version takes nothing")
        self.client.post("/schedule/card/design/", sent | {"card": newest.pk, "ea_pct_naoh": "-3"})
        self.assertEqual(Record.objects.filter(kind=Kind.RUNCARD, subject="H-0413").count(), newest.data["version"])

    def test_only_planners_send(self):
        self.as_("tk")
        self.assertNotContains(self.client.get("/cook/"), "Send to the run card")
        self.assertEqual(self.client.post("/schedule/card/design/", {"card": 1}).status_code, 403)


class Thermometer(CookCase):
    """A running cook reads its digester's own signal; typed readings stand in its place; at the blow they become its log."""

    def test_the_log_is_the_meters_and_what_was_typed(self):
        cook, signal = Cook.objects.get(number=1148), Signal.objects.get(tag="temp.digester.1")
        cook.points.all().delete()
        at = lambda m: cook.started_at + timedelta(minutes=m)  # noqa: E731
        now = at(100)
        store.keep([(signal.pk, ms(at(m)), 90.0 + 0.8 * m, 0) for m in range(0, 100, 2)])
        log = actions.log_of(cook, now)
        self.assertGreater(len(log), 15)
        self.assertEqual([m for m, _ in log], sorted(m for m, _ in log))
        actions.add_point(cook=cook, minute=50.0, value=111.0, by=make.person("tk"), now=now)
        cook = Cook.objects.get(number=1148)
        near = [(m, t) for m, t in actions.log_of(cook, now) if abs(m - 50.0) < 2.5]
        self.assertEqual(near, [(50.0, 111.0)])
        seen = follow.follow(cook.species, cook.given, cook.profile, actions.log_of(cook, now), cook.target)
        self.assertGreater(seen.planned.h, 0.0)
        actions.blow(cook=cook, by=make.person("mr"), now=now)
        kept = actions.log_of(Cook.objects.get(number=1148))
        self.assertEqual(kept, tuple(sorted(kept)))
        self.assertGreater(len(kept), 15)
        store.keep([(signal.pk, ms(at(101)), 20.0, 0)])
        self.assertEqual(actions.log_of(Cook.objects.get(number=1148)), kept, "what it reads after the blow is not the cook's")

    def test_the_simulated_plant_heats_the_running_cook_only(self):
        cook = Cook.objects.get(number=1148)
        found = thermometer.truths(cook.started_at + timedelta(minutes=150))
        self.assertAlmostEqual(found["temp.digester.1"], 170.0 - thermometer.COOLER_C)
        self.assertEqual(found["temp.digester.2"], 60.0)


class Running(CookCase):
    def test_a_running_cook_is_first_on_cook_and_stands_on_the_rule_until_it_is_blown(self):
        self.as_("mr")
        cook = Cook.objects.get(blown_at=None)
        page = self.client.get("/cook/")
        self.assertContains(page, f"Cook {cook.number}</b>")
        self.assertLess(page.content.index(b"livecook"), page.content.index(b"benchform"))
        (shown,) = self.client.get("/").context["rule"]["cooks"]
        self.assertIn(str(cook.number), shown["told"])
        (running,) = running_cooks(make.NOW + timedelta(hours=4))
        self.assertTrue(running.over)
        self.assertContains(self.client.get("/cook/continuous/"), f"Cook {cook.number}</b>")
        self.assertEqual(running_cooks(cook.started_at - timedelta(minutes=1)), [])


class OneKappa(CookCase):
    """Truth 4: a blow's test on the cook's page, the sample of its row and the cook's kappa are one reading."""

    ROW = "K.larch_blow.kappa"

    def sampled(self, value: str, **more):
        self.as_("jd")
        return self.client.post(f"/lab/record/{self.ROW}/", {"mode": "result", "value_1": value, "sure": "1", **more})

    def newest(self) -> Record:
        return Record.objects.current().filter(kind=Kind.RESULT, subject=self.ROW).order_by("-at", "-id").first()

    def test_the_cooks_own_test_is_the_sample_of_its_row(self):
        self.as_("wa")
        self.client.post("/cook/records/1147/", {"act": "lab", "kappa": "33.4", "residual": "9.1"})
        result = self.newest()
        self.assertEqual((result.value, result.data["of"]), (33.4, "cook.1147"))
        told = Record.objects.get(kind=Kind.COOK, subject="cook.1147", status="tested")
        self.assertEqual(told.about_id, result.pk)
        self.assertContains(self.client.get(f"/lab/row/{self.ROW}/"), "33.4")
        self.assertEqual(make.state(1).makes["K.larch.cook"].kappa, 33.4)

    def test_a_sample_of_the_row_is_the_kappa_of_the_newest_blow(self):
        self.assertEqual(self.sampled("31.2").status_code, 302)
        cook = Cook.objects.get(number=1147)
        self.assertEqual(cook.kappa, 31.2)
        self.assertContains(self.client.get("/cook/records/1147/"), "31.2")
        before = Cook.objects.filter(kappa=30.8).count()
        self.sampled("30.8")  # a second sample of the same blow changes no cook
        self.assertEqual(Cook.objects.filter(kappa=30.8).count(), before)
        self.assertEqual(Cook.objects.get(number=1147).kappa, 31.2)

    def test_a_corrected_sample_corrects_its_cook(self):
        self.sampled("39.2")
        wrong = self.newest()
        self.sampled("31.2", corrects=wrong.pk, reason="mistyped")
        self.assertEqual(self.newest().value, 31.2)
        self.assertEqual(Cook.objects.get(number=1147).kappa, 31.2)
        told = Record.objects.current().get(kind=Kind.COOK, subject="cook.1147", status="tested")
        self.assertEqual((told.value, told.about_id), (31.2, self.newest().pk))
        self.assertEqual(make.state(1).makes["K.larch.cook"].kappa, 31.2)

    def test_a_sample_before_any_blow_and_one_of_a_continuous_digester_change_no_cook(self):
        before = list(Cook.objects.order_by("pk").values_list("kappa", flat=True))
        self.as_("jd")
        self.client.post("/lab/record/K.alder_blow.kappa/", {"mode": "result", "value_1": "18.4", "sure": "1"})
        Cook.objects.filter(number=1147).update(blown_at=make.NOW - timedelta(hours=7))
        self.sampled("31.2")
        self.assertEqual(list(Cook.objects.order_by("pk").values_list("kappa", flat=True)), before)
