"""Truth 8: another mill works. No id, species or tag of the demo mill stands in the product: a mill of other names passes the
page walk."""

import re

from django.test import TestCase, tag

from core.mill.reading import read_mill
from desk.intake.actions import ensure_signals
from desk.mill.models import MillVersion
from desk.mill.setup import problems
from desk.mill.state import MillState
from desk.people.models import Person, Role
from tests import make, second_mill
from tests.desk.test_addresses import addresses

FOREIGN = re.compile(r"\b(?:Heron|Vixen|K\.larch|K\.alder|S\.bagasse|machine\.chest|K white|S white|Larch silo)\b")
ABSENT = ("people:first", "kit:icon")  # somebody is known already; static files are not gathered for tests
FORMS = {  # what people do on their first day, with what has to be said of it
    "/lab/record/pm7.feed.consistency/": {"mode": "result", "value_1": "3.6", "value_2": "3.61"},
    "/lab/record/T.chips.moisture/": {"mode": "result", "value_1": "51"},
    "/instruments/type/": {"tag": "level.T.tower", "value": "60"},
    "/mill/put/": {"unit": "T.tmp", "sec_kwh_t": "2000", "why": "a trial", "back": "/"},
    "/log/note/": {"words": "first day"},
}


@tag("slow")
class SecondMill(TestCase):
    @classmethod
    def setUpTestData(cls):
        second_mill.build()

    def setUp(self):
        make.forget()
        self.client.force_login(Person.objects.get(role=Role.LEAD), backend="django.contrib.auth.backends.ModelBackend")

    def test_an_empty_yard_and_a_mill_without_bales_and_vats_say_so(self):
        self.assertContains(self.client.get("/recovered/yard/"), "none in the yard")
        self.assertContains(self.client.get("/recovered/pulper/?vat=D"), "No batch of this vat is kept yet")
        document = second_mill.document() | {"bales": [], "vats": []}
        MillVersion.objects.create(document=document, made_at=make.NOW, note="no bales")
        make.forget()
        self.assertContains(self.client.get("/recovered/yard/"), "The set-up names no")
        self.assertContains(self.client.get("/recovered/pulper/"), "nothing can be kept")
        self.assertContains(self.client.get("/deliver/claim/"), "nothing can be claimed")

    def walk(self):
        for name, path in addresses():
            if "<" not in path and "^" not in path:
                with self.subTest(address=name):
                    answer = self.client.get(path, follow=True)
                    self.assertIn(answer.status_code, (200, 403, 405) if name not in ABSENT else (404,), path)
                    if answer.status_code == 200 and answer.headers["Content-Type"].startswith("text/html"):
                        html = re.sub(r"<(option|input|select)[^>]*>", "", answer.content.decode())
                        self.assertIsNone(FOREIGN.search(html), FOREIGN.search(html))

    def test_its_document_may_go_into_force(self):
        self.assertEqual(problems(second_mill.document(), now=make.NOW), [])

    def test_every_page_opens_on_its_first_day(self):
        self.walk()

    def test_every_page_opens_after_a_morning(self):
        for path, form in FORMS.items():
            with self.subTest(form=path):
                self.assertEqual(self.client.post(path, form).status_code, 302)
        state = MillState(make.NOW)
        state.now = make.state(30).now
        self.assertEqual(state.line.acting["T.tmp"].sec_kwh_t, 2000.0)
        self.assertEqual(set(state.moisture_pct), {"T.chips"})
        self.assertIn("T.tower", state.vessels)
        self.walk()
        for row in state.mill.plan:
            with self.subTest(row=row):
                self.assertEqual(self.client.get(f"/lab/row/{row}/").status_code, 200)
        for key in state.mill.moves:
            with self.subTest(move=key):
                self.assertEqual(self.client.get(f"/moves/row/{key}/").status_code, 200)
        for station in ("chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend", "deliver"):
            with self.subTest(station=station):
                self.assertEqual(self.client.get(f"/station/{station}/", follow=True).status_code, 200)
                self.assertEqual(self.client.get(f"/line/{station}/", follow=True).status_code, 200)


class AnotherOverTheDemo(TestCase):
    """A wholly other mill put in force while the first one runs: its order, lots, levels and set points are of the past."""

    @classmethod
    def setUpTestData(cls):
        make.demo()
        document = second_mill.document()
        for grade in document["grades"]:
            grade["key"] = f"Z{grade['key']}"  # what runs is none of its grades
        MillVersion.objects.create(document=document, made_at=make.NOW, by=make.person("pn"), note="another mill")
        ensure_signals(read_mill(document))

    def setUp(self):
        make.forget()
        self.client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")

    def test_every_page_opens(self):
        state = make.state(1)
        self.assertEqual((state.run["order"], state.mill.name), ("", "Otter Race"))
        self.assertAlmostEqual(sum(state.shares.values()), 1.0)
        for name, path in addresses():
            if "<" not in path and "^" not in path:
                with self.subTest(address=name):
                    answer = self.client.get(path, follow=True)
                    self.assertIn(answer.status_code, (200, 403, 405) if name not in ABSENT else (404,), path)
        self.assertEqual(self.client.get("/deliver/lots/BM-26318-A01-2/").status_code, 200)
        self.assertEqual(self.client.get("/log/handover/").status_code, 200)
