"""The set-up: a broken document changes nothing and names every fault; a good one is proposed, seen, countersigned, kept."""

import copy
import json
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from core.mill.draft import typed
from core.mill.reading import document_schema
from desk.log.models import Kind, Record
from desk.mill.models import MillVersion, Proposal
from desk.mill.setup import differences, problems
from desk.shift.demo import DOCUMENT
from tests import make
from tests.profile import examples

HOUSE = Path(__file__).resolve().parent.parent.parent


def document() -> dict:
    return json.loads(DOCUMENT.read_text())


def upload(data, name="mill.json"):
    return SimpleUploadedFile(name, data if isinstance(data, bytes) else json.dumps(data).encode(), "application/json")


class Setup(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()

    def sign_in(self, username: str) -> None:
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")

    def test_the_published_schema_is_in_step(self):
        self.assertEqual(
            json.loads((HOUSE / "docs" / "mill.schema.json").read_text()), json.loads(json.dumps(document_schema()))
        )
        self.sign_in("tk")
        self.assertEqual(self.client.get("/mill/schema/").json(), json.loads(json.dumps(document_schema())))
        self.assertEqual(problems(self.client.get("/mill/document/").json(), now=make.NOW), [])

    def test_a_broken_document_names_every_fault_and_changes_nothing(self):
        self.sign_in("pn")
        bad = document()
        bad["units"][20]["loss_pct"] = 140
        bad["grades"][0]["gsm"] = "heavy"
        bad["plan"][3]["test"] = "taste"
        del bad["machine"]["width_m"]
        answer = self.client.post("/mill/import/", {"file": upload(bad), "note": "new band"})
        for said in (
            "units[20].loss_pct",
            "at most 100",
            "grades[0].gsm",
            "heavy",
            "plan[3].test",
            "machine.width_m",
        ):
            self.assertContains(answer, said, status_code=422)
        for data, said in (
            (b"{", "is no JSON"),
            (b"[" * 100_000, "is no JSON"),
            ([], "must be an object"),
            (None, "File is missing"),
        ):
            answer = self.client.post("/mill/import/", {"note": "x"} if data is None else {"file": upload(data), "note": "x"})
            self.assertContains(answer, said, status_code=422)
        dead = document()
        next(u for u in dead["units"] if u["id"] == "K.larch.cook")["outlets"][0]["to"] = "K.larch.cook"
        self.assertContains(
            self.client.post("/mill/import/", {"file": upload(dead), "note": "x"}), "K.larch.cook", status_code=422
        )
        stray = document()
        stray["lanes"][0]["nodes"][0]["unit"] = "nowhere"
        self.assertContains(
            self.client.post("/mill/import/", {"file": upload(stray), "note": "x"}), "there is no such unit", status_code=422
        )
        self.assertEqual((MillVersion.objects.count(), Proposal.objects.count()), (1, 0))

    def test_a_band_is_edited_countersigned_and_judged_by(self):
        self.sign_in("pn")
        url = "/mill/edit/plan/K.larch_blow.kappa/"
        page = self.client.get(url)
        self.assertContains(page, 'value="32"')
        row = {
            "place": "Larch blow",
            "interval_min": "160",
            "who": "operator",
            "low": "28",
            "high": "34",
            "outer_low": "26",
            "outer_high": "36",
            "target": "30",
            "tap": "t",
        }
        wrong = self.client.post(url, {**row, "high": "many", "note": "x"})
        self.assertContains(wrong, "is “many”; it must be a number", status_code=422)
        self.assertContains(wrong, 'value="many"', status_code=422)
        crossed = self.client.post(url, {**row, "low": "40", "note": "x"})
        self.assertContains(crossed, "Nothing was changed", status_code=422)
        self.assertContains(self.client.post(url, {**row, "note": ""}), "Reason is empty", status_code=422)
        self.assertEqual(Proposal.objects.count(), 0)
        made = self.client.post(url, {**row, "note": "larch is coarser in winter"})
        self.assertContains(self.client.get(made.url), "plan[K.larch_blow.kappa].high")
        sign = {"choice": "countersign", "pin": make.PIN}
        self.assertContains(self.client.post(made.url, sign), "may not countersign", status_code=422)
        self.sign_in("tk")
        self.assertEqual(self.client.post(made.url, sign).status_code, 403)
        self.sign_in("mr")
        self.assertContains(self.client.post(made.url, {**sign, "pin": "no"}), "PIN is not right", status_code=422)
        self.assertContains(self.client.post(made.url, {"choice": "back", "pin": make.PIN}), "Reason is empty", status_code=422)
        self.assertEqual(MillVersion.objects.count(), 1)
        self.client.post(made.url, sign)
        self.assertEqual(MillVersion.objects.first().document["plan"][0]["id"], document()["plan"][0]["id"])
        self.assertEqual(MillVersion.objects.count(), 2)
        self.assertEqual([r.status for r in Record.objects.filter(kind=Kind.SETUP).order_by("id")], ["proposed", "in force"])
        self.assertContains(self.client.get("/lab/row/K.larch_blow.kappa/"), "28.0 to 34.0")
        self.assertContains(self.client.post(made.url, sign), "was countersigned at", status_code=422)
        self.assertContains(self.client.get(f"/mill/version/{MillVersion.objects.first().pk}/"), "K.larch_blow.kappa")

    def test_an_older_proposal_does_not_undo_a_newer_version(self):
        self.sign_in("pn")
        for lead in ("0.5", "0.6"):
            made = self.client.post("/mill/edit/vessels/S.tower/", {"lead_h": lead, "note": "slower truck"})
        self.sign_in("mr")
        first, second = Proposal.objects.order_by("id")
        self.client.post(f"/mill/change/{first.pk}/", {"choice": "countersign", "pin": make.PIN})
        late = self.client.post(f"/mill/change/{second.pk}/", {"choice": "countersign", "pin": make.PIN})
        self.assertContains(late, "Another version came into force", status_code=422)
        self.assertEqual(made.status_code, 302)

    def test_the_console_shows_before_it_loads(self):
        new = document()
        new["vessels"][0]["lead_h"] = 1.5
        with TemporaryDirectory() as folder:
            file = Path(folder) / "mill.json"
            file.write_text(json.dumps(new))
            out = StringIO()
            call_command("load_mill", str(file), stdout=out)
            self.assertIn("vessels[S.tower].lead_h: 0.42 -> 1.5", out.getvalue())
            self.assertEqual(MillVersion.objects.count(), 1)
            call_command("load_mill", str(file), "--yes", stdout=out)
            self.assertEqual(MillVersion.objects.count(), 2)
            call_command("load_mill", str(file), "--export", stdout=out)
            self.assertEqual(json.loads(file.read_text()), new)
            file.write_text("[]")
            with self.assertRaises(CommandError):
                call_command("load_mill", str(file))

    def test_differences_and_edits(self):
        old = document()
        new = typed(old, "grades", "EX70", {"gsm": "72", "tests[0].low": ""})
        self.assertEqual(
            [(d.place, d.before, d.after) for d in differences(old, new)],
            [("grades[EX70].gsm", "70", "72"), ("grades[EX70].tests[freeness].low", "365", "none")],
        )
        self.assertEqual(differences(old, copy.deepcopy(old)), [])


JUNK = (
    st.none()
    | st.booleans()
    | st.integers(-5, 5000)
    | st.floats(-10, 1e6)
    | st.sampled_from(["", "K", "blend", "out.K", "operator"])
    | st.just([])
    | st.just({})
)


def leaves(value, way=()):
    if isinstance(value, dict) and value:
        return [w for k, v in value.items() for w in leaves(v, (*way, k))]
    if isinstance(value, list) and value:
        return [w for i, v in enumerate(value) for w in leaves(v, (*way, i))]
    return [way]


WAYS = leaves(document())


class AnyDocument(HypothesisTestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    @settings(max_examples=examples(18))
    @given(st.lists(st.tuples(st.sampled_from(WAYS), JUNK), min_size=1, max_size=3), st.booleans())
    def test_a_changed_leaf_is_refused_in_words_or_the_pages_open(self, changes, drop):
        from django.test import Client

        new = document()
        for way, junk in changes:
            holder = new
            for step in way[:-1]:
                holder = holder[step]
            if drop and isinstance(holder, dict):
                holder.pop(way[-1], None)
            else:
                holder[way[-1]] = junk
        found = problems(new, now=make.NOW)
        self.assertTrue(all(p.field and p.text for p in found))
        if found:
            return
        make.forget()
        self.addCleanup(make.forget)
        MillVersion.objects.create(document=new, made_at=make.NOW, note="tried")
        client = Client(raise_request_exception=True)
        client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")
        for url in ("/", "/stock/", "/stock/chests/", "/mill/", "/lab/", "/schedule/card/?order=H-0413", "/deliver/lots/"):
            self.assertIn(client.get(url, follow=True).status_code, (200, 404), url)
