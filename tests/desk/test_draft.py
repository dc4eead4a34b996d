"""The draft of a set-up on the desk: every part opens, what is refused stays typed, it is proposed once and ends in force."""

import copy

from django.test import TestCase, tag

from core.mill import draft as drafting
from desk.mill.drafts import current, groups_of
from desk.mill.models import DraftStep, MillVersion, Proposal
from desk.mill.setup import propose
from tests import make

STEP = "/mill/draft/step/"


@tag("slow")
class Draft(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.sign_in("pn")
        self.client.post(STEP, {"do": "begin", "from": "version"})

    def sign_in(self, username: str) -> None:
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")

    def step(self, do: str, part: str, **more):
        return self.client.post(STEP, {"do": do, "part": part, **more})

    def test_every_part_of_the_demo_mill_opens(self):
        """Every part has its wells with what it is set to; of those with the same wells, the page of one is opened."""
        document, opened = current().document, set()
        for section, name in drafting.SECTIONS.items():
            if section == "lanes":
                continue
            for part in document[section]:
                with self.subTest(section=section, part=part[name]):
                    groups = groups_of(document, section, part[name], {}, {})
                    wells = {w.name: w.value for g in groups for w in g.wells}
                    self.assertTrue(wells)
                    for key, value in part.items():
                        if key in wells and isinstance(value, str | int | float) and not isinstance(value, bool):
                            self.assertEqual(wells[key], f"{value}", key)
                    if (shape := (section, *sorted(wells))) in opened:
                        continue
                    opened.add(shape)
                    answer = self.client.get("/mill/draft/", {"part": f"{section}:{part[name]}"})
                    self.assertContains(answer, 'name="part" value="' + f"{section}:{part[name]}".replace(">", "&gt;"))
                    for well in wells:
                        self.assertContains(answer, f'name="{well}"'.replace(">", "&gt;"))
        self.assertGreater(len(opened), 20)
        for section in ("mill", "machine", "roles", "schools"):
            self.assertContains(self.client.get("/mill/draft/", {"part": f"{section}:"}), f'value="{section}:"')
        self.assertRegex(self.client.get("/mill/draft/").content.decode(), r"9\s+of\s+9\s+steps")

    def test_usual_moves_are_added_typed_and_stand_in_the_table_once_in_force(self):
        page = self.client.get("/mill/draft/?tab=plan")
        self.assertContains(page, "usual move")
        lacking = page.context["moves_lacking"]
        before = len(current().document["moves"])
        self.assertEqual(self.step("moves", "plan:").status_code, 302)
        self.assertEqual(len(current().document["moves"]), before + lacking)
        self.assertNotContains(self.client.get("/mill/draft/?tab=plan"), "usual move")
        self.step("type", "moves:B6-EOP", **{"opens.inner": "0,2"})
        part = next(m for m in current().document["moves"] if m["key"] == "B6-EOP")
        self.assertEqual(part["opens"]["inner"], 0.2)
        refused = self.step("type", "moves:B6-EOP", **{"opens.inner": "wide"})
        self.assertContains(refused, "it must be a number", status_code=422)

    def test_a_typed_value_changes_the_solved_unit_and_can_be_stepped_back(self):
        before = current().trial.line.acts["K.larch.wash"].worked[0].result.loss_kg_adt
        self.assertEqual(self.step("type", "units:K.larch.wash", **{"acts.df": "3,0"}).status_code, 302)
        self.assertLess(current().trial.line.acts["K.larch.wash"].worked[0].result.loss_kg_adt, before)
        self.assertContains(self.client.get("/mill/draft/against/"), "units[K.larch.wash].acts.df")
        self.assertContains(self.client.post("/mill/draft/back/", follow=True), "Stepped back")
        self.assertEqual(current().trial.line.acts["K.larch.wash"].worked[0].result.loss_kg_adt, before)
        self.assertContains(self.client.post("/mill/draft/back/", follow=True), "no step before this one")

    def test_what_is_refused_stays_typed_beside_its_reason_and_changes_nothing(self):
        answer = self.step("type", "units:K.larch.wash", **{"acts.df": "90", "title": "drums"})
        self.assertContains(answer, "it must be at most 20", status_code=422)
        self.assertContains(answer, 'value="90"', status_code=422)
        self.assertContains(answer, 'value="drums"', status_code=422)
        self.assertEqual(DraftStep.objects.count(), 1)
        answer = self.step("line", "units:K.larch.wash", recipe="broke", key="K", name="", feed_t_h="1")
        self.assertContains(answer, "another has it already", status_code=422)
        self.assertEqual(self.step("fly", "units:K.larch.wash").status_code, 404)

    def test_a_part_taken_out_meanwhile_is_not_mistaken_for_another(self):
        self.step("take", "units:K.clean")
        steps = DraftStep.objects.count()
        again = self.step("take", "units:K.clean")
        self.assertContains(again, "is not in the draft any more", status_code=422)
        self.assertEqual(DraftStep.objects.count(), steps)

    def test_the_same_value_typed_again_is_no_step(self):
        self.step("type", "units:K.larch.wash", **{"acts.df": "2"})
        self.assertEqual(DraftStep.objects.count(), 1)

    def test_it_is_proposed_once_and_gone_when_it_is_in_force(self):
        self.step("type", "vessels:S.tower", lead_h="0.6")
        self.client.post("/mill/draft/propose/", {"note": "slower pump"})
        again = self.client.post("/mill/draft/propose/", {"note": "slower pump"})
        kept = Proposal.objects.get()
        self.assertEqual(again.url, f"/mill/change/{kept.pk}/")
        self.assertIsNotNone(current())
        self.sign_in("mr")
        self.client.post(f"/mill/change/{kept.pk}/", {"choice": "countersign", "pin": make.PIN})
        self.assertEqual(MillVersion.objects.count(), 2)
        self.assertEqual(make.state().mill.vessels["S.tower"].lead_h, 0.6)
        self.assertIsNone(current())

    def test_a_draft_that_is_not_whole_is_not_proposed(self):
        self.step("type", "units:K.clean", **{"outlets[0].to": ""})
        page = self.client.get("/mill/draft/")
        self.assertContains(page, "Joints: 77 of 78")
        answer = self.client.post("/mill/draft/propose/", {"note": "x"})
        self.assertContains(answer, "outlets[0].to", status_code=422)
        self.assertFalse(Proposal.objects.exists())

    def test_a_version_that_came_since_is_said(self):
        newer = copy.deepcopy(current().document)
        newer["note"] = "another hand"
        propose(document=newer, note="note", by=make.person("pn"), now=make.NOW)
        MillVersion.objects.create(document=newer, made_at=make.NOW, by=make.person("pn"), note="meanwhile")
        self.assertContains(self.client.get("/mill/draft/against/"), "came into force since this draft was begun")

    def test_a_line_added_to_a_mill_whose_lanes_are_drawn_has_its_own(self):
        self.client.post("/mill/draft/away/")
        self.client.post(STEP, {"do": "begin", "from": "version"})
        self.step("take", "lines:R")
        self.step("line", "units:blend", recipe="recovered", key="N", name="New line", feed_t_h="2")
        from core.mill.lanes import lanes_of
        from core.mill.reading import read_document

        document = copy.deepcopy(current().document)
        for grade in document["grades"]:
            grade["shares"]["N"] = round(100.0 - sum(grade["shares"].values()), 6)
        document["moves"] = []
        self.assertEqual([lane.key for lane in lanes_of(read_document(document))], ["K", "S", "M", "N"])
