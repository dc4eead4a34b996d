"""Nothing lost, nothing doubled, nobody locked out: what was found by trying the running desk, each as it was found."""

import json
import mmap
import os
import stat
import subprocess
import sys
import threading
from datetime import timedelta
from pathlib import Path
from unittest.mock import patch

from axes.models import AccessAttempt, AccessFailureLog
from django.conf import settings
from django.core.exceptions import PermissionDenied
from django.core.management import call_command
from django.db import OperationalError, connection, transaction
from django.test import Client, RequestFactory, SimpleTestCase, TestCase, override_settings, tag
from django.utils.html import escape

from core.deliver.runcard import reliefs
from core.errors import ImpossibleInput
from desk.deliver import actions as deliver
from desk.deliver.signing import Hands
from desk.instruments.models import Delivery, Reading
from desk.intake import files
from desk.intake.form import form_of
from desk.kit import disk, keyfile
from desk.kit.models import Once
from desk.kit.templatetags import vat
from desk.kit.text import plain, whole
from desk.kit.writing import AlreadySent, current_request, writing
from desk.lab.actions import Entry, record_sample
from desk.log.actions import correct_note, write, write_note
from desk.log.models import Kind, Record
from desk.log.moves import DecisionRefused, decide, decide_cover, share_slip, undo
from desk.mill.models import MillVersion
from desk.mill.state import MillState
from desk.people import tokens
from desk.people.first import first_code
from desk.people.models import Person, Role
from desk.people.table import BY_ACT, ROLES, TABLE
from desk.schedule import halts
from desk.schedule.actions import Refused as ScheduleRefused
from desk.schedule.planning import Wish, plan, relief_words
from desk.server import InTurn as InTurnOf
from desk.shift import people_actions
from desk.shift.demo import DOCUMENT
from tests import make

CHEST = "machine.chest.consistency"
TAG = "meter.K.chest"
BACKEND = "django.contrib.auth.backends.ModelBackend"


class DeskCase(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        disk.mark_good()
        self.sign_in("mr")

    def sign_in(self, username: str) -> Person:
        person = make.person(username)
        self.client.force_login(person, backend=BACKEND)
        return person

    def sample(self, row_id: str, *values: float, minutes: float = 5, by: str = "jd", **more) -> Record:
        state, row = make.state(minutes), make.state(0).mill.plan[row_id]
        at = more.pop("at", state.now)
        entry = Entry(results=values)
        return record_sample(row=row, entry=entry, at=at, by=make.person(by), now=state.now, state=state, **more)


class FilesOfReadings(DeskCase):
    """A.1: every line is kept, refused with its reason, or named as not read."""

    def setUp(self):
        super().setUp()
        for p in files.folder().glob("**/*.csv"):
            p.unlink()

    def take(self, text: bytes | str, name: str = "history.csv") -> Delivery:
        data = text if isinstance(text, bytes) else text.encode()
        (files.folder() / name).write_bytes(data)
        for clock in (0.0, files.OPEN_END_S + 1.0):
            files.dropped(make.NOW, clock)
        d = Delivery.objects.filter(door="file").first()
        while files.work(make.NOW, clock=0.0):
            pass
        d.refresh_from_db()
        return d

    def lines(self, n: int, separator: str = ",", comma: bool = False) -> list[str]:
        start = make.NOW - timedelta(days=90)
        value = lambda i: f"{3.5 + i % 20 / 100:.2f}".replace(".", "," if comma else ".")  # noqa: E731
        return [separator.join((TAG, (start + timedelta(minutes=i)).isoformat(), value(i))) for i in range(n)]

    def test_a_stray_quote_costs_one_line(self):
        lines = self.lines(2000)
        lines[9] = lines[9].replace(",3", ',"3')
        d = self.take("tag,at,value\n" + "\n".join(lines) + "\n")
        self.assertEqual((d.status, d.kept + d.refused), ("done", 2000))
        self.assertGreaterEqual(d.kept, 1999)

    def test_endless_and_broken_lines_are_named(self):
        good = self.lines(40)
        text = (
            "\n".join([*good[:10], "x" * 900_000, *good[10:20]]).encode() + b"\n\xff\xfe\xff\n" + "\n".join(good[20:]).encode()
        )
        d = self.take(text + b"\n")
        self.assertEqual((d.kept, d.reasons["malformed row"]), (40, 2))

    def test_semicolons_and_decimal_commas_are_read_and_said(self):
        d = self.take(
            "at;value;tag\n" + "\n".join(";".join(c.split(";")[i] for i in (1, 2, 0)) for c in self.lines(30, ";", True)) + "\n"
        )
        self.assertEqual((d.kept, d.refused), (30, 0))
        self.assertEqual(d.assumed, "separator ;, decimal comma, columns by their header")
        self.assertContains(self.client.get(f"/instruments/deliveries/{d.pk}/"), "decimal comma")
        self.assertEqual(form_of(["a,b,c", "1,2,3"]).separator, ",")

    def test_a_file_that_grows_is_not_taken_and_goes_on_when_it_grew(self):
        whole_file, path = self.lines(4000), files.folder() / "history.csv"
        path.write_text("\n".join(whole_file[:500]))
        self.assertFalse(files.settled(path, 0.0))
        path.write_text("\n".join(whole_file[:900]))
        self.assertFalse(files.settled(path, files.SETTLED_S + 1))  # it grew: the clock begins anew
        self.assertFalse(files.settled(path, files.SETTLED_S + 7))  # its last line has no end yet
        for name in (".history.csv", "history.csv.part"):
            (files.folder() / name).write_text("x")
        self.assertEqual(files.waiting(), ["history.csv"])
        path.unlink()
        d = self.take("\n".join(whole_file[:500]) + "\n")
        self.assertEqual(d.kept, 500)
        with open(d.path, "a") as out:
            out.write("\n".join(whole_file[500:]) + "\n")
        files.work(make.NOW, clock=0.0)
        while files.work(make.NOW, clock=0.0):
            pass
        d.refresh_from_db()
        self.assertEqual((d.kept, d.status), (4000, "done"))

    def test_one_that_fails_is_set_aside_and_the_next_is_taken(self):
        bad = self.take("\ufefftag,at,value\n".encode("utf-16"))
        self.assertEqual(bad.status, "failed")
        self.assertIn("UTF-16", bad.not_read)
        self.assertEqual(Path(bad.path).parent.name, "failed")
        wide = self.take(",".join(f"c{i}" for i in range(20_000)) + "\n", "history2.csv")
        self.assertIn("columns", Delivery.objects.get(pk=wide.pk).not_read + str(wide.reasons))
        good = self.take("\n".join(self.lines(20)) + "\n", "history3.csv")
        self.assertEqual((good.status, good.kept), ("done", 20))
        page = self.client.get("/instruments/")
        self.assertContains(page, "failed")
        self.assertContains(page, "Last file taken")

    def test_one_broken_tag_refuses_that_reading_alone(self):
        _, key = tokens.issue(name="x", scope="readings", by=None, now=make.NOW)
        at = (make.NOW - timedelta(minutes=2)).isoformat()
        rows = [
            {"tag": "\ud800", "at": at, "value": 1},
            {"tag": TAG, "at": at, "value": 3.61},
            {"tag": "a\x00b", "at": at, "value": 1},
        ]
        before = Reading.objects.count()
        answer = self.client.post(
            "/api/readings/",
            json.dumps({"readings": rows}),
            content_type="application/json",
            headers={"Authorization": f"Bearer {key}"},
        )
        self.assertEqual((answer.status_code, answer.json()["kept"], answer.json()["refused"]), (200, 1, 2))
        self.assertEqual(Reading.objects.count(), before + 1)

    def test_the_process_says_how_it_stands(self):
        self.assertContains(self.client.get("/instruments/"), "Never heard")
        call_command("run_instruments", "--once")
        self.assertContains(self.client.get("/instruments/"), "Heard")


class OncePerForm(DeskCase):
    """A.2: a double press writes once; of two people one wins and the other is told who and when."""

    def test_every_form_carries_a_key_and_is_kept_once(self):
        page = self.client.get("/log/note/").content.decode()
        key = page.split('name="once" value="')[1].split('"')[0]
        before = Record.objects.count()
        first = self.client.post("/log/note/", {"words": "the pump hunts", "once": key})
        second = self.client.post("/log/note/", {"words": "the pump hunts", "once": key}, follow=True)
        self.assertEqual(Record.objects.count(), before + 1)
        self.assertEqual(second.redirect_chain[0][0], first.url)
        self.assertContains(second, "recorded already")
        self.client.post("/log/note/", {"words": "the pump hunts", "once": key + "x"})
        self.assertEqual(Record.objects.count(), before + 2)

    def test_every_page_with_a_form_gives_it_a_key(self):
        pages = (
            "/",
            "/drift/",
            "/schedule/",
            "/schedule/stops/",
            "/log/note/",
            "/log/handover/",
            "/lab/record/machine.chest.ph/",
            "/help/",
            "/instruments/",
            "/deliver/lots/BM-26318-A01-2/",
            "/cook/records/1148/",
            "/cook/fit/larch/",
            "/cook/continuous/",
            "/moves/row/K10/",
            "/bleach/tanks/",
            "/chips/",
            "/wash/",
            "/people/",
            "/pin/",
        )
        for path in pages:
            with self.subTest(path=path):
                text = self.client.get(path).content.decode()
                self.assertEqual(text.count('name="once"'), text.lower().count('method="post"'))

    def test_a_refused_form_writes_nothing_and_keeps_no_key(self):
        before = Record.objects.count(), Once.objects.count()
        self.assertEqual(self.client.post("/log/note/", {"words": " ", "once": "k1"}).status_code, 422)
        self.client.post("/deliver/lots/BM-26318-A01-2/", {"action": "release", "pin": make.PIN, "once": "k2"})
        self.assertEqual((Record.objects.count(), Once.objects.count()), before)

    def test_a_key_is_kept_with_its_write_or_not_at_all(self):
        request = RequestFactory().post("/", {"once": "together"})
        request.user = make.person("mr")
        token = current_request.set(request)
        try:
            with self.assertRaises(ValueError), writing():
                raise ValueError
            with writing():
                write_note(by=request.user, now=make.NOW, words="x")
            request.once_claimed = False
            with self.assertRaises(AlreadySent), writing():
                write_note(by=request.user, now=make.NOW, words="x")
        finally:
            current_request.reset(token)
        self.assertEqual(Record.objects.filter(words="x").count(), 1)

    def test_two_people_at_one_entry(self):
        wrong = self.sample(CHEST, 3.16, 3.16)
        self.sample(CHEST, 3.61, 3.61, corrects=wrong, reason="mistyped")
        with self.assertRaisesMessage(ImpossibleInput, "was corrected at"):
            self.sample(CHEST, 3.62, 3.62, corrects=wrong, reason="mistyped", by="mr")
        state, lead = make.state(1), make.person("mr")
        running = deliver.running_lot(state)
        deliver.close_and_go_on(opened=running.opened, by=lead, now=state.now, state=state)
        with self.assertRaisesMessage(deliver.Refused, "was closed at 10:43 by lead M.R."):
            deliver.close_and_go_on(opened=running.opened, by=make.person("as"), now=state.now, state=state)
        held = deliver.lot("BM-26318-A01-2", state)
        stale = deliver.lot("BM-26318-A01-2", state)
        act = {"action": "divert", "now": state.now, "pin": make.PIN, "words": "dirt"}
        with self.assertRaisesMessage(deliver.Refused, "a process engineer signs with you"):
            deliver.decide_lot(lot_=held, by=lead, **act)
        kept = deliver.decide_lot(lot_=held, by=lead, hands=Hands(make.PIN, "pn", make.PIN), **act)
        self.assertEqual(kept.data["second"], make.person("pn").signed)
        with self.assertRaisesMessage(deliver.Refused, "the lot is diverted (lead M.R., 10:43)"):
            deliver.decide_lot(lot_=stale, by=make.person("pn"), hands=Hands(make.PIN, "mr", make.PIN), **act)

    def test_two_people_at_one_slip(self):
        state = make.state(1)
        slip = share_slip(state, state.vessels["S.tower"])
        decide_cover(slip_=slip, by=make.person("mr"), now=state.now, state=state, choice="take")
        with self.assertRaisesMessage(DecisionRefused, "The shares were set at 10:43 by lead M.R."):
            decide_cover(slip_=slip, by=make.person("as"), now=state.now, state=state, choice="take")
        self.assertEqual(Record.objects.filter(kind=Kind.MOVE, subject="cover.S.tower").count(), 1)


class NotRecorded(DeskCase):
    """A.3 and A.5: a busy or full database answers in words, with all that was typed."""

    def test_busy_is_said_and_what_was_typed_is_kept(self):
        with patch("desk.log.actions.Record.save", side_effect=OperationalError("database is locked")):
            answer = self.client.post("/log/note/", {"words": "pump B hunts", "pin": "secret-pin"})
        self.assertContains(answer, "Not recorded, try again", status_code=503)
        self.assertContains(answer, 'name="words" value="pump B hunts"', status_code=503)
        self.assertNotContains(answer, "secret-pin", status_code=503)
        self.client.post("/log/note/", {"words": "pump B hunts"})
        self.assertEqual(Record.objects.filter(words="pump B hunts").count(), 1)

    @patch("desk.kit.disk._shared", mmap.mmap(-1, 8))  # the mark is shared by processes, also by those that run the tests
    def test_a_full_disk_is_said_on_every_page_until_it_is_over(self):
        with connection.cursor() as cursor:
            size, free = (cursor.execute(f"PRAGMA {what}").fetchone()[0] for what in ("page_size", "freelist_count"))
            cursor.execute("CREATE TABLE filler (x)")
            cursor.execute(f"INSERT INTO filler VALUES (zeroblob({size * (free + 1)}))")
            pages = cursor.execute("PRAGMA page_count").fetchone()[0]
            cursor.execute(f"PRAGMA max_page_count = {pages}")
            try:
                answer = self.client.post("/log/note/", {"words": "w" * 9000})
                for page in ("/", "/log/audit/", "/wash/", "/help/"):
                    self.assertContains(self.client.get(page), "Disk full: nothing is recorded")
            finally:
                cursor.execute("PRAGMA max_page_count = 1073741823")
        self.assertContains(answer, "Disk full, not recorded", status_code=507)
        self.assertContains(answer, "w" * 9000, status_code=507)
        self.client.post("/log/note/", {"words": "room again"})
        self.assertNotContains(self.client.get("/"), "Disk full")

    def test_heavy_work_is_done_before_the_lock(self):
        """PIN hashing, the kinetic cook and the rehearsal of a set-up happen outside the write."""
        inside = []

        def seen(*args, **kwargs):
            inside.append(connection.in_atomic_block and len(connection.savepoint_ids))
            raise PermissionError

        depth = len(connection.savepoint_ids)
        for target, act in (
            (
                "desk.people.pins.authenticate",
                lambda: self.client.post(
                    "/deliver/lots/BM-26318-A01-2/", {"action": "divert", "pin": "x", "words": "y", "second": "pn"}
                ),
            ),
            ("desk.cook.actions.kinetic.cook", lambda: self.client.post("/cook/start/", self.cook_form())),
            (
                "desk.mill.setup.problems",
                lambda: self.client.post("/mill/edit/vessels/S.tower/", {"lead_h": "1.5", "note": "x"}),
            ),
        ):
            self.sign_in("mr")
            with self.subTest(target=target), patch(target, side_effect=seen):
                try:
                    act()
                except PermissionError:
                    self.assertEqual(inside[-1], depth)
        self.assertEqual(len(inside), 3)

    def cook_form(self) -> dict:
        opened = self.client.get("/cook/").context["form"]
        profile = {"m0": 0, "t0": 80, "m1": 90, "t1": 170, "m2": 150, "t2": 170}
        return {**{k: opened.data[k] for k in opened.fields if k in opened.data}, "digester": "7", **profile}


class InTurn(SimpleTestCase):
    def test_a_slow_request_holds_nobody_up(self):
        """A.4: requests of one process run in turn, but one that waits goes ahead beside a long one."""
        begun, go_on = threading.Event(), threading.Event()

        def application(environ, start_response):
            if environ["path"] == "slow":
                begun.set()
                go_on.wait(5.0)
            return environ["path"]

        turns, answers = InTurnOf(application), []
        slow = threading.Thread(target=lambda: answers.append(turns({"path": "slow"}, None)))
        slow.start()
        begun.wait(5.0)
        self.assertEqual(turns({"path": "quick"}, None), "quick")
        self.assertEqual(answers, [])
        go_on.set()
        slow.join()
        self.assertEqual((answers, turns.turn.locked()), (["slow"], False))


class People(DeskCase):
    """B.7: people are made, the table of rights is the truth, and nobody is locked out."""

    def test_the_table_of_the_document(self):
        for act, wanted in {
            "move": "operator lead",
            "propose": "operator lead engineer",
            "release": "lead",
            "divert": "lead engineer",
            "hold": "operator lab lead engineer safety",
            "fit": "engineer",
            "setup": "admin",
            "people": "admin",
            "read_trail": "operator lab lead engineer maintenance safety auditor admin",
            "stop": "operator lead engineer maintenance",
            "hold_case": "operator lab lead engineer maintenance safety",
            "propose_setup": "lead engineer admin",
        }.items():
            with self.subTest(act=act):
                self.assertEqual([r for r in ROLES if r in BY_ACT[act].cells], [r for r in ROLES if r in wanted.split()])
        self.assertEqual(BY_ACT["read_trail"].cells["operator"], "own")
        self.assertFalse(any("trainee" in r.cells for r in TABLE))
        self.assertEqual({r.act for r in TABLE if "auditor" in r.cells}, {"read_trail", "audit"})
        page = self.client.get("/people/")
        for right in TABLE:
            self.assertContains(page, escape(right.row))
            self.assertContains(self.client.get("/help/"), escape(right.row))

    def test_added_with_a_one_time_pin_that_is_changed_at_the_first_sign_in(self):
        self.sign_in("admin")
        page = self.client.post("/people/", {"initials": "Z.B.", "role": "operator", "post": "stock prep"})
        pin = page.context["given"].pin
        self.assertContains(page, pin)
        self.assertNotContains(self.client.get("/people/"), pin)
        again = self.client.post("/people/", {"initials": "zb", "role": "lab"})
        self.assertContains(again, "is here already", status_code=422)
        for bad, said in (
            ({"initials": "²"}, "Initials are"),
            ({"initials": ""}, "Initials are empty"),
            ({"role": "king"}, "Role is"),
        ):
            self.assertContains(self.client.post("/people/", {"initials": "Q.Q.", "role": "lab", **bad}), said, status_code=422)
        new = Client()
        new.post("/sign-in/", {"initials": "Z.B.", "pin": pin})
        self.assertRedirects(new.get("/"), "/pin/", fetch_redirect_response=False)
        for own, twice, said in (
            ("12", "12", "too short"),
            (pin, pin, "PIN you were given"),
            ("heron-1999", "other", "not alike"),
        ):
            self.assertContains(new.post("/pin/", {"new_pin": own, "again": twice}), said, status_code=422)
        new.post("/pin/", {"new_pin": "wet-lap-77", "again": "wet-lap-77"})
        self.assertEqual(new.get("/").status_code, 200)
        self.assertEqual(Record.objects.filter(subject="people.zb").count(), 2)

    def test_role_leave_and_the_last_administrator(self):
        admin = self.sign_in("admin")
        tk = make.person("tk")
        self.client.post(f"/people/{tk.pk}/", {"act": "role", "role": "lab", "post": ""})
        self.assertEqual(make.person("tk").signed, "lab T.K.")
        other = Client()
        other.force_login(make.person("tk"), backend=BACKEND)
        self.client.post(f"/people/{tk.pk}/", {"act": "leave"})
        self.assertEqual(other.get("/").status_code, 302)
        self.assertContains(
            self.client.post(f"/people/{admin.pk}/", {"act": "role", "role": "lab"}), "last administrator", status_code=422
        )
        self.assertContains(
            self.client.post(f"/people/{admin.pk}/", {"act": "leave"}), "Nobody takes themselves out", status_code=422
        )
        self.sign_in("mr")
        self.assertEqual(self.client.post(f"/people/{tk.pk}/", {"act": "back"}).status_code, 403)

    def test_why_opens_for_all_and_operators_read_their_own_trail(self):
        move = Record.objects.filter(kind=Kind.MOVE).first()
        for username in ("eb", "cv", "new", "wa"):
            self.sign_in(username)
            self.assertContains(self.client.get(f"/moves/{move.pk}/"), move.data["title"])
            self.assertEqual(self.client.post(f"/moves/{move.pk}/", {"choice": "take"}).status_code, 403)
        jd = self.sign_in("jd")
        theirs = Record.objects.filter(by=make.person("wa")).first()
        self.assertContains(self.client.get(f"/log/{theirs.pk}/"), "own trail", status_code=403)
        self.assertEqual(self.client.get(f"/log/{Record.objects.filter(by=jd).first().pk}/").status_code, 200)
        for username in ("cv", "new"):
            self.sign_in(username)
            self.assertEqual(self.client.post("/cases/hold/", {"name": "x", "model": "stock.flow"}).status_code, 403)

    def test_a_lead_proposes_and_the_engineer_signs(self):
        self.sign_in("mr")
        made = self.client.post("/mill/edit/vessels/S.tower/", {"lead_h": "1.5", "note": "slower"})
        self.sign_in("as")
        sign = {"choice": "countersign", "pin": make.PIN}
        self.assertContains(self.client.post(made.url, sign), "An engineer signs", status_code=422)
        self.sign_in("pn")
        self.client.post(made.url, sign)
        self.assertEqual(MillVersion.objects.count(), 2)

    def test_at_the_console_the_pin_is_never_an_argument(self):
        with patch("sys.stdin") as typed:
            typed.isatty.return_value = False
            typed.readline.return_value = "birch-bark-3\n"
            call_command("add_person", "Y.Y.", "lead")
        self.assertTrue(Person.objects.get(username="yy").check_password("birch-bark-3"))


class FirstDay(TestCase):
    """From nothing to a first signed handover, without the console beyond the start command."""

    def setUp(self):
        make.nothing()

    def test_from_nothing_to_a_handover(self):
        page = self.client.get("/sign-in/", follow=True)
        self.assertEqual(page.redirect_chain[-1][0], "/first/")
        form = {"code": "wrong", "initials": "F.W.", "new_pin": "alder-kappa", "again": "alder-kappa"}
        self.assertContains(self.client.post("/first/", form), "Code is not", status_code=422)
        self.assertRedirects(self.client.post("/first/", {**form, "code": first_code()}), "/people/")
        self.assertEqual(self.client.get("/first/").status_code, 404)
        pins = {}
        for initials, role in (("A.L.", "lead"), ("B.L.", "lead"), ("C.O.", "operator")):
            pins[initials] = self.client.post("/people/", {"initials": initials, "role": role}).context["given"].pin
        from django.core.files.uploadedfile import SimpleUploadedFile

        self.assertContains(self.client.get("/"), "No line is set up")
        upload = SimpleUploadedFile("mill.json", DOCUMENT.read_bytes())
        change = self.client.post("/mill/import/", {"file": upload, "note": "as built"}).url
        lead = Client()
        lead.post("/sign-in/", {"initials": "A.L.", "pin": pins["A.L."]})
        lead.post("/pin/", {"new_pin": "wash-loss-8", "again": "wash-loss-8"})
        self.assertContains(lead.get("/mill/"), change)
        lead.post(change, {"choice": "countersign", "pin": "wash-loss-8"})
        shift = lead.get("/")
        self.assertContains(shift, "No reading yet")
        self.assertNotContains(shift, "Every reading is in its band")
        for path in (
            "/drift/",
            "/lab/",
            "/stock/",
            "/stock/chests/",
            "/deliver/lots/",
            "/schedule/",
            "/log/",
            "/cook/",
            "/chips/",
            "/wash/",
            "/bleach/",
            "/instruments/",
            "/moves/",
            "/log/handover/",
        ):
            with self.subTest(path=path):
                self.assertEqual(lead.get(path).status_code, 200)
        lead.post("/lab/record/machine.chest.ph/", {"mode": "result", "value_1": "7.4"})
        signed = lead.post("/log/handover/", {"watch": "nothing", "pin": "wash-loss-8"})
        self.assertContains(lead.get(signed.url), "records, head")
        other = Client()
        other.post("/sign-in/", {"initials": "B.L.", "pin": pins["B.L."]})
        other.post("/pin/", {"new_pin": "soda-loss-9", "again": "soda-loss-9"})
        other.post(signed.url, {"read": [str(n) for n in range(1, 13)], "pin": "soda-loss-9"})
        self.assertTrue(Record.objects.filter(kind=Kind.HANDOVER_READ).exists())


class Signatures(DeskCase):
    """B.8: PINs are throttled, pages are not kept, names are not guessed."""

    def test_pins_at_a_signature_are_counted_paused_and_logged(self):
        act = {"action": "divert", "words": "dirt", "second": "pn", "second_pin": make.PIN}
        for _ in range(5):
            self.client.post("/deliver/lots/BM-26318-A01-2/", {**act, "pin": "wrong"})
        answer = self.client.post("/deliver/lots/BM-26318-A01-2/", {**act, "pin": make.PIN})
        self.assertContains(answer, "Signing pauses", status_code=422)
        self.assertEqual(deliver.lot("BM-26318-A01-2", make.state(0)).standing, "held")
        self.assertGreaterEqual(AccessFailureLog.objects.filter(username="mr").count(), 5)
        self.assertContains(self.client.get("/log/audit/?kind=failed sign-in"), "PIN at a signature")
        self.sign_in("admin")
        self.assertContains(self.client.get("/people/"), "locked")
        self.client.post(f"/people/{make.person('mr').pk}/", {"act": "pin"})
        self.assertFalse(AccessAttempt.objects.filter(username="mr").exists())

    def test_pages_are_not_kept_and_foreign_names_get_a_plain_answer(self):
        self.assertEqual(self.client.get("/")["Cache-Control"], "no-store, private")
        with override_settings(ALLOWED_HOSTS=["localhost"]):
            answer = self.client.get("/", headers={"host": "evil.example"})
        self.assertEqual((answer.status_code, answer["Content-Type"]), (400, "text/plain; charset=utf-8"))
        self.assertNotIn(b"<html", answer.content)

    def test_one_press_signs_in_on_this_computer_alone(self):
        self.assertContains(Client().get("/sign-in/"), "Shift lead")
        far = Client(REMOTE_ADDR="10.1.2.3")
        self.assertNotContains(far.get("/sign-in/"), 'name="person"')
        self.assertEqual(far.post("/sign-in/as/", {"person": "mr"}).status_code, 404)

    def test_names_a_desk_goes_by(self):
        from desk.server import host_names, is_loopback

        self.assertEqual(host_names("127.0.0.1"), ["localhost", "127.0.0.1", "[::1]"])
        for host in ("0.0.0.0", "::", "10.0.0.7"):
            self.assertNotIn("*", host_names(host))
            self.assertFalse(is_loopback(host))
        self.assertIn("10.0.0.7", host_names("10.0.0.7"))

    def test_keys_are_made_whole_and_for_their_owner_alone(self):
        path = Path(settings.DATA) / "try" / "key"
        made = {keyfile.kept_key(path), keyfile.kept_key(path)}
        self.assertEqual(len(made), 1)
        self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o600)
        self.assertEqual(stat.S_IMODE(path.parent.stat().st_mode), 0o700)
        self.assertEqual([p.name for p in path.parent.iterdir()], ["key"])
        path.unlink()


class Typed(DeskCase):
    """B.9: what people send is read strictly, and refused in words."""

    def test_superscripts_are_no_digits(self):
        self.assertEqual(
            [whole(t) for t in ("7", "²", "١", "7.0", "-1", "9" * 30, None, " 3 ")],
            [7, None, None, None, None, None, None, 3],
        )
        for path in (
            "/cases/?a=²&b=²",
            "/lab/record/machine.chest.ph/?corrects=²",
            "/wash/?count=²",
            "/cook/records/?a=²&b=²",
            "/people/?who=²",
            "/stock/dilution/?held=²",
        ):
            with self.subTest(path=path):
                self.assertIn(self.client.get(path).status_code, (200, 404))
        for path, data in (
            ("/wash/look/", {"line": "K", "look": "even", "drum": "²"}),
            ("/schedule/card/attach/", {"case": "²", "card": "²"}),
            ("/cook/fit/larch/", {"choice": "²"}),
            ("/log/handover/", {"read": "²"}),
            ("/moves/row/K10/", {"move": "²", "value": "1"}),
            ("/schedule/stops/", {"corrects": "²"}),
        ):
            with self.subTest(path=path):
                self.assertLess(self.client.post(path, data).status_code, 500)

    def test_control_characters_are_refused_with_the_words_kept(self):
        before = Record.objects.count()
        answer = self.client.post("/log/note/", {"words": "pump\x00 B\x07"})
        self.assertContains(answer, "control character", status_code=422)
        self.assertContains(answer, 'value="pump B"', status_code=422)
        self.assertEqual(Record.objects.count(), before)
        self.assertEqual(plain(" a\x00\ud800b\n"), "ab")

    def test_a_trend_backwards_and_an_impossible_proposal(self):
        self.assertContains(
            self.client.get("/trend/meter.S.chest/?from=1763000000000&to=1762000000000"), "ends before it begins"
        )
        self.sign_in("pn")
        for typed in ("1e999", "nan", "-5", "1e400"):
            with self.subTest(typed=typed):
                answer = self.client.post("/mill/edit/vessels/S.tower/", {"lead_h": typed, "note": "x"})
                self.assertEqual(answer.status_code, 422)


class Moves(DeskCase):
    """C.10 and C.12: two steps, one minute to undo, everything that stands in one list."""

    def test_taking_asks_first_and_shows_the_neighbours(self):
        ask = self.client.get("/moves/cover/S.tower/?ask=take", headers={"HX-Request": "true"})
        for said in (
            "Put in force: Blend: bagasse 18 to 11 %",
            "Wet lap store empty in",
            "Freeness of mix",
            "data-yes",
            "data-back",
            "can be undone until",
        ):
            self.assertContains(ask, said)
        self.assertFalse(Record.objects.filter(kind=Kind.DECISION, subject="cover.S.tower").exists())

    def test_undo_stands_for_a_minute_as_a_later_record(self):
        state = make.state(1)
        before = dict(state.shares)
        slip = share_slip(state, state.vessels["S.tower"])
        kept = decide_cover(slip_=slip, by=make.person("mr"), now=state.now, state=state, choice="take")
        self.assertNotEqual(MillState(state.now + timedelta(seconds=5)).shares, before)
        undone = undo(decided=kept, by=make.person("mr"), now=state.now + timedelta(seconds=50))
        after = MillState(state.now + timedelta(seconds=55))
        for source, share in before.items():
            self.assertAlmostEqual(after.shares[source], share)
        self.assertEqual((undone.kind, undone.corrects_id), (Kind.UNDO, kept.pk))
        with self.assertRaisesMessage(DecisionRefused, "It was undone at"):
            undo(decided=kept, by=make.person("mr"), now=state.now + timedelta(seconds=52))
        again = decide_cover(slip_=slip, by=make.person("mr"), now=after.now, state=after, choice="take")
        with self.assertRaisesMessage(DecisionRefused, "minute is over"):
            undo(decided=again, by=make.person("mr"), now=after.now + timedelta(seconds=61))

    def test_drift_holds_every_standing_row_worst_first(self):
        page = self.client.get("/drift/")
        keys = [d.gravity for d in page.context["drifts"]]
        self.assertEqual(keys, sorted(keys, reverse=True))
        for said in ("Blend: bagasse 18 to 11 %", "Raise the larch cook", "Next cook"):
            self.assertContains(page, said)
        shift = self.client.get("/")
        self.assertContains(shift, f"All {len(keys)}")
        self.assertContains(shift, "Not shown here: K1 stands")


class StopsAndCards(DeskCase):
    """C.13: stops and rates are entered, cover and cards follow."""

    def halt(self, state, start_h: float, hours: float, rate: float = 0.0) -> halts.Halt:
        start = state.now + timedelta(hours=start_h)
        return halts.Halt(start, start + timedelta(hours=hours), "break", rate, False)

    def test_cover_and_draw_follow_a_stop_and_its_end(self):
        state = make.state(0)
        running = state.vessels["S.tower"].cover
        kept = halts.enter(halt=self.halt(state, 0.0, 2.0), by=make.person("jd"), now=state.now, state=state)
        stood = make.state(1)
        self.assertEqual((stood.stands_still, stood.takes_t_h), (True, 0.0))
        self.assertGreater(stood.vessels["S.tower"].cover.hours, running.hours + 1.5)
        with self.assertRaisesMessage(ScheduleRefused, "It overlaps another"):
            halts.enter(halt=self.halt(stood, 0.5, 1.0, 60.0), by=make.person("jd"), now=stood.now, state=stood)
        halts.end_now(record=kept, by=make.person("mr"), now=make.state(30).now, state=make.state(30))
        self.assertFalse(make.state(31).stands_still)
        self.assertAlmostEqual(make.state(60).running_h(state.now, make.state(60).now), 0.5, places=6)

    def test_a_reduced_rate_takes_its_share(self):
        state = make.state(0)
        full_in, full_out = state.rates["S.tower"]
        full = state.takes_t_h
        halts.enter(halt=self.halt(state, 0.0, 2.0, 60.0), by=make.person("eb"), now=state.now, state=state)
        slow = make.state(1)
        self.assertAlmostEqual(slow.takes_t_h, 0.6 * full)
        into, out = slow.rates["S.tower"]
        self.assertAlmostEqual(into, full_in, places=4)
        self.assertAlmostEqual(out, 0.6 * full_out, places=4)
        self.assertContains(self.client.get("/"), "at 60 %")

    def test_bad_stops_are_named_beside_their_fields(self):
        for typed, said in (
            ({"from": "soon"}, "From is “soon”"),
            ({"to": ""}, "To is empty"),
            ({"what": " "}, "What is empty"),
            ({"does": "rate", "rate_pct": "140"}, "Rate is “140”"),
        ):
            with self.subTest(typed=typed):
                answer = self.client.post("/schedule/stops/", {"from": "18:00", "to": "19:00", "what": "wire", **typed})
                self.assertContains(answer, said, status_code=422)
        self.sign_in("new")
        self.assertEqual(self.client.post("/schedule/stops/", {"to": "19:00", "what": "x"}).status_code, 403)

    def test_each_relief_put_in_gives_a_card_that_can_be_issued(self):
        state = MillState(make.NOW + timedelta(seconds=37, microseconds=400))
        shares = {k: 100 * v for k, v in state.mill.grades["LB80"].shares.items()}
        base = {
            "order": "H-0413",
            "grade": "LB80",
            "gsm": 80.0,
            "sale_t": 80.0,
            "speed_m_min": 880.0,
            "start": make.NOW.replace(hour=15, minute=30),
            "shares_pct": shares,
        }
        card = plan(Wish(**base), state)
        tried = 0
        for relief in reliefs(card.case).listed:
            put = relief_words(relief, card, Wish(**base), state)["put"]
            if not put:
                continue
            change = dict(base)
            for name, text in put.items():
                if name == "start":
                    hour, minute = map(int, text.split(":"))
                    change["start"] = make.NOW.replace(hour=hour, minute=minute, second=0, microsecond=0)
                elif name.startswith("share_"):
                    change["shares_pct"] = {**change["shares_pct"], name[6:]: float(text)}
                else:
                    change[name] = float(text)
            tried += 1
            later = MillState(state.now + timedelta(seconds=80))
            with self.subTest(relief=relief.kind, put=put):
                self.assertTrue(plan(Wish(**change), later).feasible)
        self.assertGreaterEqual(tried, 2)

    def test_the_queue_and_cover_follow_the_issued_card(self):
        make.issue_card(self.client)
        page = self.client.get("/schedule/")
        first = page.context["waiting"][0]
        self.assertEqual((first.subject, first.run["sale_t"]), ("H-0413", 50.0))
        ends = [o.ends for o in page.context["waiting"]]
        begins = [o.begins for o in page.context["waiting"]]
        self.assertTrue(all(b >= e for b, e in zip(begins[1:], ends, strict=False)))
        state = make.state(1)
        self.assertEqual(state.next_card.subject, "H-0413")
        self.assertLess(state.vessels["K.tower"].case.next_h, 72.0)


class Corrections(DeskCase):
    """C.14: a corrected reading travels."""

    def test_a_waiting_slip_is_withdrawn_or_sized_anew(self):
        wrong = self.sample(CHEST, 3.74, 3.75)
        move = Record.objects.get(kind=Kind.MOVE, about=wrong)
        right = self.sample(CHEST, 3.70, 3.71, minutes=7, at=wrong.at, corrects=wrong, reason="mistyped")
        fresh = Record.objects.current().get(kind=Kind.MOVE, about=right)
        self.assertLess(fresh.data["after"] - fresh.data["before"], move.data["after"] - move.data["before"])
        self.assertFalse(Record.objects.current().filter(pk=move.pk).exists())
        with self.assertRaisesMessage(DecisionRefused, "was withdrawn at"):
            decide(move=move, choice="take", by=make.person("jd"), now=make.state(8).now, state=make.state(8))
        self.sample(CHEST, 3.60, 3.61, minutes=9, at=wrong.at, corrects=right, reason="mistyped")
        since = {"at__gte": move.at, "data__reading__gt": 3.6}
        self.assertFalse(Record.objects.current().filter(kind=Kind.MOVE, subject=CHEST, **since).exists())

    def test_a_taken_one_is_marked_and_its_way_back_is_offered(self):
        wrong = self.sample(CHEST, 3.74, 3.75)
        move = Record.objects.get(kind=Kind.MOVE, about=wrong)
        kept = decide(move=move, choice="take", by=make.person("jd"), now=make.state(6).now, state=make.state(6))
        right = self.sample(CHEST, 3.60, 3.61, minutes=8, at=wrong.at, corrects=wrong, reason="mistyped")
        mark = Record.objects.get(kind=Kind.EFFECT, about=kept)
        self.assertEqual(mark.status, "rests on a corrected reading")
        back = Record.objects.get(kind=Kind.MOVE, about=right)
        self.assertEqual((back.data["before"], back.data["after"]), (move.data["after"], move.data["before"]))
        self.assertIn("Set back", back.says)

    def test_an_effect_is_judged_again(self):
        move = Record.objects.get(kind=Kind.MOVE, about=self.sample(CHEST, 3.70, 3.71))
        decide(move=move, choice="take", by=make.person("jd"), now=make.state(7).now, state=make.state(7))
        retest = self.sample(CHEST, 3.61, 3.62, minutes=25)
        self.sample(CHEST, 3.70, 3.71, minutes=27, at=retest.at, corrects=retest, reason="mistyped")
        effects = Record.objects.filter(kind=Kind.EFFECT, about__about=move).order_by("id")
        self.assertEqual([e.status for e in effects], ["worked", "not"])
        self.assertEqual(effects[1].corrects_id, effects[0].pk)

    def test_a_released_lot_is_to_be_judged_again(self):
        lot = deliver.lots(make.state(0), days=3)[-1]
        self.assertEqual(lot.standing, "released")
        row = lot.grade.tests[0].row
        wrong = Record.objects.current().filter(kind=Kind.RESULT, subject=row, at__gte=lot.start, at__lt=lot.end).first()
        self.sample(row, wrong.value * 1.2, at=wrong.at, corrects=wrong, reason="instrument", by="mr")
        again = deliver.lot(lot.number, make.state(0))
        self.assertIsNotNone(again.judge_again)
        self.assertContains(self.client.get(f"/deliver/lots/{lot.number}/"), "Judge again")
        deliver.decide_lot(lot_=again, action="hold", by=make.person("mr"), now=make.state(9).now, pin=make.PIN)
        self.assertEqual(deliver.lot(lot.number, make.state(9)).standing, "held")

    def test_notes_decisions_and_moves_can_be_corrected(self):
        note = write_note(by=make.person("mr"), now=make.NOW, words="pump A")
        right = correct_note(note=note, words="pump B", reason="mistyped", by=make.person("mr"), now=make.NOW)
        self.assertEqual((right.corrects_id, right.words), (note.pk, "pump B"))
        self.assertEqual(self.client.post(f"/log/{note.pk}/", {"words": "pump C", "reason": "mistyped"}).status_code, 403)
        state = make.state(1)
        slip = share_slip(state, state.vessels["S.tower"])
        kept = decide_cover(slip_=slip, by=make.person("mr"), now=make.NOW, state=state, choice="take")
        page = self.client.get(f"/log/{kept.pk}/")
        self.assertContains(page, "Correct it")
        self.client.post(f"/log/{kept.pk}/", {"choice": "alter", "size": "14", "words": "set to 14", "reason": "mistyped"})
        self.assertAlmostEqual(MillState(make.NOW + timedelta(minutes=5)).shares["S"], 0.14)
        move = Record.objects.get(kind=Kind.MOVE, about=self.sample(CHEST, 3.74, 3.75))
        self.client.post(f"/log/{move.pk}/", {"words": "wrong tap", "reason": "wrong_point"})
        self.assertFalse(Record.objects.current().filter(pk=move.pk).exists())

    def test_result_only_keeps_what_it_corrects(self):
        wrong = self.sample(CHEST, 3.16, 3.16, by="mr")
        page = self.client.get(f"/lab/record/{CHEST}/", {"corrects": wrong.pk})
        self.assertContains(page, f"?mode=weighings&amp;corrects={wrong.pk}")


class Genealogy(DeskCase):
    """C.15: what a lot gives away never exceeds what it holds."""

    def test_no_source_lot_gives_more_than_it_holds(self):
        state = make.state(200)
        running = deliver.running_lot(state)
        deliver.close_and_go_on(opened=running.opened, by=make.person("mr"), now=state.now, state=state)
        given = deliver.given_away(state.now)
        self.assertGreater(len(given), 10)
        made = dict(Record.objects.filter(kind=Kind.LOT_CLOSE, about__isnull=True).values_list("subject", "data"))
        for number, t in given.items():
            self.assertLessEqual(t, made[number]["tonnes"] + 1e-9, number)
        for lot in deliver.lots(state, days=3):
            if lot.standing == "released":
                self.assertAlmostEqual(sum(s["t"] for s in lot.sources), lot.tonnes, places=6)
            for s in lot.sources:
                if s["lot"]:
                    self.assertEqual(self.client.get(f"/deliver/source/{s['lot']}/").status_code, 200)
                    break
        number = max(given, key=given.get)
        page = self.client.get(f"/deliver/source/{number}/")
        self.assertAlmostEqual(page.context["source"].given, given[number], places=9)
        self.assertContains(page, "/deliver/lots/")

    def test_a_sample_counts_for_the_lot_that_ran_when_it_was_taken(self):
        first = deliver.lot("BM-26318-A01-2", make.state(0))
        row = first.grade.tests[0].row
        late = self.sample(row, 380.0, at=first.end)
        test = first.grade.tests[0]
        self.assertNotIn(late, first.results(test))
        self.assertIn(late, deliver.running_lot(make.state(6)).results(test))


@tag("core")
class Words(SimpleTestCase):
    """C.16: what is stored reads as words."""

    def test_stored_values_read_as_words(self):
        self.assertEqual(
            vat.told({"retest_at": "2026-11-14T12:55:00+00:00", "after": 0.1 + 0.2}), "retest at 14 Nov 12:55, after 0.3"
        )
        self.assertEqual([vat.told(v) for v in (None, True, [1, 2.5], "x")], ["none", "yes", "1; 2.5", "x"])
        self.assertEqual([vat.hm(h) for h in (8792 / 60, 1.5, 0.4, 47.9)], ["6 d 2 h", "1 h 30", "24 min", "47 h 54"])
        self.assertEqual([vat.stop(t) for t in ("lead M.R.", "the desk")], ["lead M.R.", "the desk."])
        self.assertEqual([vat.midline(t) for t in ("pH", "Freeness", "EA on wood")], ["pH", "freeness", "EA on wood"])

    def test_a_start_imports_what_it_needs(self):
        """D.17: SciPy's statistics cost two seconds and belong to no start and no calculation."""
        code = (
            "import sys, django; django.setup(); import desk.urls, desk.server, desk.intake.plant;"
            "print([m for m in ('scipy.stats', 'scipy.optimize') if m in sys.modules])"
        )
        env = {**os.environ, "DJANGO_SETTINGS_MODULE": "tests.settings"}
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env=env, check=True)
        self.assertEqual(done.stdout.strip(), "[]")


__all__ = ["PermissionDenied", "Role", "halts", "people_actions", "transaction", "write"]
