"""Units of the demo mill at the pages: a setting put in force by who may and set back, an upset tried, a case held."""

import re

from django.test import TestCase

from desk.log.models import Kind, Record
from desk.mill.line_case import upsets_of
from desk.mill.models import HeldLine
from tests import make

WHY = "the shift’s own <b>reason</b> & more"


class EachUnit(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.sign_in("mr")

    def sign_in(self, name: str):
        self.client.force_login(make.person(name), backend="django.contrib.auth.backends.ModelBackend")

    def other(self, plan) -> tuple[str, float] | None:
        """The first setting of a unit that may be a little more, or less, with that value."""
        for name, said in plan.settable().items():
            value = plan.settings()[name]
            step = 1.0 if said.whole else 0.04 * abs(value) or 0.4
            new = next((v for v in (value + step, value - step) if said.problem(v) is None), None)
            if new is not None:
                return name, float(f"{new:.6g}")
        return None

    def test_a_setting_is_put_in_force_told_and_set_back(self):
        tried = 0
        for unit, plan in list(make.state(0).line.acting.items())[::3]:
            if (chosen := self.other(plan)) is None:
                continue
            name, value = chosen
            was, asked = plan.settings()[name], {"unit": unit, name: repr(value)}
            with self.subTest(unit=unit, setting=name, value=value):
                looked = self.client.get("/mill/put/", asked)
                self.assertEqual(looked.context["change"].moved, (name,))
                self.assertContains(looked, f'value="{value!r}"')
                count = Record.objects.count()
                none = self.client.post("/mill/put/", {**asked, "seen": 0, "back": "/", "why": "  "})
                self.assertContains(none, "Why is empty", status_code=422)
                self.assertEqual(Record.objects.count(), count)
                put = self.client.post("/mill/put/", {**asked, "seen": 0, "back": "/mill/in-force/", "why": WHY})
                self.assertRedirects(put, "/mill/in-force/", fetch_redirect_response=False)
                record = Record.objects.order_by("-id").first()
                self.assertEqual((record.kind, record.subject, record.signed), (Kind.SETPOINT, f"set.{unit}", "lead M.R."))
                self.assertEqual(record.data["settings"][name], value)
                self.assertEqual(make.state(30).line.acting[unit].settings()[name], value)
                again = self.client.post("/mill/put/", {**asked, "seen": 0, "back": "/", "why": WHY})
                self.assertEqual(again.status_code, 422)  # a second press, or somebody who looked before
                self.assertEqual(Record.objects.count(), count + 1)
                back = self.client.post(f"/mill/put/{record.pk}/back/", {"back": "/mill/in-force/"})
                self.assertEqual(back.status_code, 302)
                self.assertEqual(Record.objects.count(), count + 2)
                self.assertAlmostEqual(make.state(30).line.acting[unit].settings()[name], was, delta=1e-9 + 1e-6 * abs(was))
                tried += 1
        self.assertGreater(tried, 5)
        standing = self.client.get("/mill/in-force/")
        self.assertNotContains(standing, "<b>reason</b>")
        log = self.client.get("/log/", {"csv": "1"}).content.decode("utf-8-sig")
        self.assertIn("lead M.R.", log)

    def test_who_may_not_put_in_force_looks_and_is_refused(self):
        unit, plan = next(iter(make.state(0).line.acting.items()))
        name, value = self.other(plan)
        count = Record.objects.count()
        self.sign_in("wa")
        looked = self.client.get("/mill/put/", {"unit": unit, name: repr(value)})
        self.assertContains(looked, "Putting in force is for operators and shift leads")
        self.assertNotContains(looked, 'name="why"')
        refused = self.client.post("/mill/put/", {"unit": unit, name: repr(value), "why": "x", "seen": 0})
        self.assertEqual(refused.status_code, 403)
        self.assertEqual(Record.objects.count(), count)

    def test_an_upset_is_tried_on_its_page_and_leaves_nothing_behind(self):
        count, state = Record.objects.count(), make.state(0)
        upsets = upsets_of(state)
        self.assertGreater(len(upsets), 20)
        for key, told, query in upsets[::3]:
            with self.subTest(upset=told):
                page = self.client.get("/mill/case/", {"upset": key})
                self.assertEqual(page.status_code, 200)
                html = page.content.decode()
                for name, text in query:
                    self.assertRegex(html, rf'name="{re.escape(name)}"[^>]*value="{re.escape(text)}"')
                self.assertNotRegex(html, r"\b(nan|inf)\b")
                answer = self.client.get("/mill/case/json/", dict(query))
                taken = answer.json()
                unit = key.rpartition(":")[0]
                self.assertEqual(set(taken["settings"]), {unit})
                self.assertEqual(taken["format"], "fox-vat line case 1")
                for change in taken["changes"]:
                    self.assertTrue(change["unit"] and change["figure"])
                for vessel in taken["vessels"]:
                    self.assertIn(vessel["case_is"], ("empty", "full", "steady", "fills", "empties"))
        self.assertEqual(Record.objects.count(), count)
        self.assertFalse(HeldLine.objects.exists())

    def test_a_held_upset_is_laid_beside_another_and_told_again_when_it_cannot_be_run(self):
        (key, told, query), (_, _, other) = upsets_of(make.state(0))[:2]
        self.client.post("/mill/case/hold/", {**dict(query), "name": told[:60]})
        kept = HeldLine.objects.get()
        beside = self.client.get("/mill/case/", {**dict(other), "beside": kept.pk})
        self.assertContains(beside, "case-edge held")
        kept.changes = {"K.bleach": {"charge.1": 60.0}}  # as a mill of before could have run it
        kept.save()
        gone = self.client.get("/mill/case/", {**dict(other), "beside": kept.pk})
        self.assertContains(gone, "cannot be run now")
        self.assertNotContains(gone, "case-edge held")
