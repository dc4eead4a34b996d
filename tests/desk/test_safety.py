"""Safety as reminders: every card whole, what must never meet found both ways, checklists that stand for no permit."""

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.safety.cards import CARDS, CLOSING, cards_of
from core.safety.checklist import DONE, KINDS, NOT_HERE, OPEN, answered
from core.safety.together import NEVER, SUBSTANCES, together
from desk.log.models import Kind, Record
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
