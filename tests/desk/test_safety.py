"""Safety as reminders: every card whole, what must never meet found both ways, checklists that stand for no permit."""

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.practice.table import ROWS
from core.safety.cards import CARDS, CLOSING, UNSET, at_step, cards_of
from core.safety.checklist import DONE, KINDS, NOT_HERE, OPEN, answered
from core.safety.limits import EXPOSURES, Limit, site_limits, words
from core.safety.together import NEVER, SUBSTANCES, together
from desk.log.models import Kind, Record
from desk.shift.demo import PIN
from tests.desk.test_bleach import Desk

STATIONS = ("chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend", "deliver", "lab")


@tag("core")
class Cards(SimpleTestCase):
    def test_every_card_says_all_four_things_and_every_station_has_its_own(self):
        self.assertEqual(len({card.code for card in CARDS}), len(CARDS))
        for card in CARDS:
            with self.subTest(card=card.code):
                self.assertTrue(all((card.name, card.hazard, card.cautions, card.first, card.stop)))
                self.assertTrue(set(card.stations) <= set(STATIONS))
        everywhere = {card.code for card in CARDS if not card.stations}
        for station in STATIONS:
            codes = {card.code for card in cards_of(station)}
            self.assertTrue(everywhere <= codes)
            self.assertGreater(len(codes), len(everywhere), station)
        self.assertTrue({"CL", "GC", "HP", "O2", "AC", "DT"} <= {card.code for card in cards_of("bleach")})
        self.assertEqual(cards_of(""), CARDS)

    def test_what_must_never_meet_is_found_whichever_comes_to_the_other(self):
        for one in SUBSTANCES:
            for other in SUBSTANCES:
                self.assertEqual(set(together(one, other)), set(together(other, one)))
        for one, other, word in (
            ("liquor", "acid", "Hydrogen sulphide"),
            ("alum", "liquor", "Hydrogen sulphide"),
            ("hypo", "acid", "Chlorine"),
            ("chlorite", "acid", "Chlorine dioxide"),
            ("caustic", "peroxide", "runs away"),
            ("oil", "oxygen", "Fire"),
            ("acid", "carbonate", "Carbon dioxide"),
        ):
            self.assertIn(word, " ".join(n.outcome for n in together(one, other)))
        self.assertEqual(together("carbonate", "organic"), ())
        self.assertTrue(all(n.a | n.b <= set(SUBSTANCES) for n in NEVER))
        with self.assertRaisesRegex(ImpossibleInput, "tea"):
            together("tea", "acid")

    def test_what_is_not_answered_is_open_and_what_is_not_applicable_says_why(self):
        for kind, items in KINDS.items():
            self.assertEqual(answered(kind, {}, {}).open, len(items), kind)
            self.assertEqual(answered(kind, dict.fromkeys(dict(items), DONE), {}).open, 0)
        first = KINDS["lock-out"][0][0]
        with self.assertRaisesRegex(ImpossibleInput, first):
            answered("lock-out", {first: NOT_HERE}, {first: " "})
        self.assertEqual(
            answered("lock-out", {first: NOT_HERE}, {first: "no steam there"}).answers[0][1:], (NOT_HERE, "no steam there")
        )
        for kind, answers in (("knitting", {}), ("lock-out", {first: "maybe"})):
            with self.assertRaises(ImpossibleInput):
                answered(kind, answers, {})


class Pages(Desk):
    def setUp(self):
        self.as_("jd")

    def keep(self, kind: str, **typed):
        return self.client.post("/cards/checklist/", {"kind": kind, **typed})

    def test_cards_stand_one_step_from_every_page_and_always_end_in_the_same_words(self):
        self.assertContains(self.client.get("/bleach/"), "/cards/?station=bleach")
        page = self.client.get("/cards/?station=bleach")
        self.assertContains(page, CLOSING, html=False)
        self.assertContains(page, "Chlorine dioxide")
        self.assertNotContains(page, "Pulper")
        self.assertContains(page, "not yet set by this site")
        asked = self.client.get("/cards/", {"one": "alum", "other": "liquor"})
        self.assertContains(asked, "Hydrogen sulphide at once.")
        self.assertContains(
            self.client.get("/cards/", {"one": "carbonate", "other": "organic"}), "does not say that it is safe"
        )
        self.assertEqual(self.client.get("/cards/", {"one": "tea", "other": "x", "station": "moon"}).status_code, 200)

    def test_a_checklist_is_kept_with_items_open_and_answered_again(self):
        first, second, *rest = (key for key, _ in KINDS["line break"])
        refused = self.keep("line break", **{first: NOT_HERE, second: DONE})
        self.assertContains(refused, "Where is empty", status_code=422)
        self.assertContains(refused, "not applicable: say why", status_code=422)
        self.assertContains(refused, f"<option selected>{DONE}</option>", status_code=422)  # nothing typed is lost
        self.assertEqual(self.keep("line break", place="D0 line", **{first: DONE}).status_code, 302)
        kept = Record.objects.get(kind=Kind.EVENT, status="checklist")
        self.assertIn("1 of 7 answered", kept.says)
        self.assertIn("the site’s own permit is the permit", kept.says)
        self.assertContains(self.client.get("/cards/checklist/"), "6 open")
        again = self.client.get(f"/cards/checklist/?again={kept.pk}")
        self.assertContains(again, 'value="D0 line"')
        whole = dict.fromkeys((first, second, *rest), DONE)
        self.assertEqual(self.keep("line break", place="D0 line", again=str(kept.pk), **whole).status_code, 302)
        self.assertEqual(Record.objects.current().get(status="checklist").data["open"], 0)
        self.keep(
            "line break", place="D0 line", again=str(kept.pk), **whole
        )  # a second press of an old page corrects nothing twice
        self.assertEqual(kept.corrected_by.count(), 1)

    def test_an_unloading_of_what_must_never_meet_is_not_kept_until_it_is_read(self):
        typed = {"place": "Acid tank 2", "one": "liquor", "other": "acid"}
        refused = self.keep("chemical unloading", **typed)
        self.assertContains(refused, "Hydrogen sulphide at once.", status_code=422)
        self.assertContains(refused, "must never meet", status_code=422)
        self.assertFalse(Record.objects.filter(status="checklist").exists())
        self.assertEqual(self.keep("chemical unloading", **typed, read_it="yes").status_code, 302)
        self.assertContains(self.keep("chemical unloading", place="x"), "Choose what it is", status_code=422)
        self.assertEqual(self.keep("chemical unloading", place="x", one="carbonate", other="caustic").status_code, 302)

    def test_open_items_of_a_kind_that_is_none_open_the_first(self):
        page = self.client.get("/cards/checklist/?kind=knitting&again=x")
        self.assertEqual(page.context["kind"], next(iter(KINDS)))
        self.assertTrue(all(item["answer"] == OPEN for item in page.context["items"]))


@tag("core")
class Limits(SimpleTestCase):
    def test_what_a_site_types_is_kept_as_it_is_and_what_cannot_be_is_named(self):
        told = site_limits({"h2s": {"long": 5.0, "short": 10.0}, "noise": {"long": 85.0}})
        self.assertEqual(told["h2s"], Limit(5.0, 10.0))
        self.assertEqual(words("h2s", told["h2s"]), "Hydrogen sulphide: 5 ppm over a shift, 10 ppm for a short time")
        self.assertEqual(words("noise", told["noise"]), "Noise: 85 dB(A) over a shift")
        for bad, field in (
            ({"h2s": {"long": 0.0}}, "h2s.long"),
            ({"clo2": {"short": 5.1}}, "clo2.short"),
            ({"so2": {"long": 2.0, "short": 1.0}}, "so2.short"),
            ({"o3": {"long": float("nan")}}, "o3.long"),
            ({}, "h2s.long"),
        ):
            with self.subTest(**bad), self.assertRaises(ImpossibleInput) as refused:
                site_limits(bad)
            self.assertEqual([p.field for p in refused.exception.problems], [field])
        codes = {card.code for card in CARDS}
        self.assertTrue(all(set(e.cards) <= codes for e in EXPOSURES.values()))

    def test_a_lever_that_goes_up_shows_what_it_may_raise_and_one_that_goes_down_nothing(self):
        self.assertEqual([c.code for c in at_step("h_factor", up=True)], ["DG", "WL"])
        self.assertEqual([c.code for c in at_step("B3", up=True)], ["CL", "HP"])
        self.assertEqual([c.code for c in at_step("B10", up=True)], ["DT"])
        self.assertEqual(at_step("K6", up=True), ())
        for row in ROWS:
            self.assertEqual(at_step(row, up=False), ())


class SiteLimits(Desk):
    URL = "/cards/limits/"

    def test_they_are_typed_by_one_and_count_once_safety_has_signed(self):
        self.as_("pn")
        self.assertContains(self.client.get("/cards/"), UNSET)
        typed = {"h2s.long": "5", "h2s.short": "10", "noise.long": "80", "source": "Works order 4"}
        self.assertEqual(self.client.post(self.URL, typed).status_code, 302)
        asked = Record.objects.get(kind=Kind.EVENT, status="proposed", subject="site limits")
        page = self.client.get("/cards/")
        self.assertContains(page, UNSET)  # typed is not signed
        self.assertContains(page, "wait for a safety")
        sign = f"{self.URL}{asked.pk}/sign/"
        self.assertEqual(self.client.post(sign, {"pin": PIN}).status_code, 403)
        self.as_("lo")
        self.assertContains(self.client.post(sign, {"pin": "wrong"}), "PIN is not right", status_code=422)
        self.assertContains(self.client.post(sign, {"pin": PIN}, follow=True), "countersigned")
        cards = self.client.get("/cards/?station=cook")
        self.assertNotContains(cards, UNSET)
        self.assertContains(cards, "Hydrogen sulphide: 5 ppm over a shift, 10 ppm for a short time")
        self.assertContains(self.client.get(self.URL), "Works order 4")
        self.assertContains(self.client.post(sign, {"pin": PIN}), "look again", status_code=422)  # a second press

    def test_who_typed_them_does_not_sign_and_new_ones_leave_the_old_in_force(self):
        self.as_("lo")
        self.client.post(self.URL, {"so2.long": "1", "source": "x"})
        asked = Record.objects.get(status="proposed", subject="site limits")
        self.assertContains(self.client.post(f"{self.URL}{asked.pk}/sign/", {"pin": PIN}), "yourself", status_code=422)
        self.as_("pn")
        self.client.post(self.URL, {"so2.long": "0.5", "source": "y"})
        newer = Record.objects.filter(status="proposed", subject="site limits").latest("id")
        self.as_("lo")
        refused = self.client.post(f"{self.URL}{asked.pk}/sign/", {"pin": PIN})
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.client.post(f"{self.URL}{newer.pk}/sign/", {"pin": PIN}).status_code, 302)
        self.as_("pn")
        self.client.post(self.URL, {"so2.long": "0.3", "source": "z"})
        self.assertContains(self.client.get("/cards/"), "Sulphur dioxide: 0.5 ppm")  # the signed ones stand
        self.assertContains(self.client.get("/cards/"), "Others wait")

    def test_what_cannot_be_is_told_beside_its_well_and_nothing_typed_is_lost(self):
        self.as_("pn")
        before = Record.objects.count()
        for typed, says in (
            ({"h2s.long": "lots", "source": "x"}, "is “lots”; it must be a number"),
            ({"h2s.long": "500", "source": "x"}, "is 500 ppm; it must be above 0 to 100 ppm"),
            ({"h2s.long": "5"}, "name the law or procedure"),
            ({"source": "x"}, "type at least one limit"),
        ):
            with self.subTest(says):
                page = self.client.post(self.URL, typed)
                self.assertContains(page, says, status_code=422)
                for value in typed.values():
                    self.assertContains(page, f'value="{value}"', status_code=422)
        self.assertEqual(Record.objects.count(), before)
        self.as_("jd")
        self.assertEqual(self.client.post(self.URL, {"h2s.long": "5", "source": "x"}).status_code, 403)
        self.assertContains(self.client.get(self.URL), "readonly")

    def test_a_move_that_raises_the_cook_shows_its_cards_above_its_keys(self):
        self.as_("tk")
        move = Record.objects.filter(kind=Kind.MOVE, subject="K.larch_blow.kappa").latest("id")
        page = self.client.get(f"/moves/{move.pk}/").content.decode()
        self.assertGreater(move.data["after"], move.data["before"])
        self.assertIn("#cDG", page)
        self.assertLess(page.index("#cDG"), page.index('name="reason"'))
        row = self.client.get("/lab/row/K.larch_blow.kappa/")
        self.assertContains(row, "#cDG")
