"""Nothing is lost: backups are checked and restore whole, the chain shows any change, a killed server keeps what it
answered."""

import http.cookiejar
import json
import os
import random
import re
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from contextlib import closing
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.db import DatabaseError, connection, transaction
from django.test import SimpleTestCase, TestCase, tag

from desk.cases.models import HeldCase
from desk.cook.models import Cook, CookFit
from desk.deliver.actions import Refused, decide_lot, lot
from desk.kit import triggers
from desk.log import anchor
from desk.log.models import Kind, Record
from desk.log.proof import prove, unproved
from desk.log.safekeeping import verify
from tests import make

HOUSE = Path(__file__).resolve().parent.parent.parent
KILLS = 1  # a hundred in the bench


def surroundings(folder: str) -> dict[str, str]:
    kept = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}  # a dozen processes compile the code once
    return {**kept, "VAT_DATA": folder, "VAT_DEMO": "1", "DJANGO_SETTINGS_MODULE": "desk.settings"}


def manage(folder: str, *args: str) -> str:
    """What an administrator types, in a process of its own."""
    command = [sys.executable, "-W", "ignore", "manage.py", *args]
    done = subprocess.run(command, cwd=HOUSE, env=surroundings(folder), capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout + done.stderr


class Commands:
    """The same commands on a folder, one after the other in one process, so that it is started once."""

    def __init__(self, folder: str):
        command = [sys.executable, "-W", "ignore", "-m", "tests.commands"]
        self.process = subprocess.Popen(
            command, cwd=HOUSE, env=surroundings(folder), stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def __call__(self, *args: str, ok: bool = True) -> str:
        self.process.stdin.write(json.dumps(args) + "\n")
        self.process.stdin.flush()
        status, said = json.loads(self.process.stdout.readline())
        assert (status == 0) is ok, said
        return said

    def close(self) -> None:
        with self.process:
            self.process.stdin.close()


class Chain(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        anchor.anchor_now("test", make.NOW, force=True)

    def sql(self, *statements: str) -> None:
        """What somebody with the file in hand would do."""
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA defer_foreign_keys = ON")
            for name in triggers.expected():
                cursor.execute(f"DROP TRIGGER IF EXISTS {name}")
            for statement in statements:
                cursor.execute(statement)
            for sql in triggers.expected().values():
                cursor.execute(sql)

    def test_the_record_proves_itself(self):
        self.assertEqual(verify().faults, ())

    def test_every_change_beside_the_desk_shows(self):
        last = Record.objects.order_by("-id").first()
        for said, statement in (
            ("record 41 was changed", "UPDATE log_record SET value = 1 WHERE id = 41"),
            ("taken out or put in", "DELETE FROM log_record WHERE id = 41"),
            ("the last 1 records were taken out", f"DELETE FROM log_record WHERE id = {last.pk}"),
            ("the last", "DELETE FROM log_record WHERE id > 0"),
            (
                "readings of signal",
                "UPDATE instruments_reading SET value = value + 1 WHERE at_ms = (SELECT min(at_ms) FROM instruments_reading)",
            ),
            (
                "readings of signal",
                "DELETE FROM instruments_reading WHERE at_ms = (SELECT min(at_ms) FROM instruments_reading)",
            ),
            ("are not there", "DELETE FROM instruments_reading"),
            ("cook 1 was changed", "UPDATE cook_cook SET kappa = 20 WHERE id = 1"),
            ("rows were taken out", "DELETE FROM cook_cookfit"),
            ("mill version 1 was changed", "UPDATE mill_millversion SET note = 'x'"),
            ("person 1 was changed", "UPDATE people_person SET role = 'lead' WHERE id = 1"),
            ("person 4 was changed", "UPDATE people_person SET password = 'x' WHERE id = 4"),
        ):
            with self.subTest(statement=statement):
                point = transaction.savepoint()
                if "cookfit" in statement:
                    CookFit.objects.create(
                        species="larch", coefficients={}, n=3, before=1, after=1, left_out=1, accepted=False, made_at=make.NOW
                    )
                if "cook_cook SET" in statement and not Cook.objects.filter(pk=1).exists():
                    statement = statement.replace("id = 1", f"id = {Cook.objects.order_by('pk').first().pk}")
                self.sql(statement)
                found = verify()
                self.assertFalse(found.holds)
                self.assertTrue(any(said.split(" 1 ")[0] in fault for fault in found.faults), found.faults)
                transaction.savepoint_rollback(point)
        self.assertTrue(verify().holds)

    def test_a_chain_made_anew_and_a_lost_anchor_show(self):
        """Even with the key's chain rewritten from its end, the anchor outside the database knows better."""
        last = Record.objects.order_by("-id").first()
        self.sql(f"DELETE FROM log_record WHERE id = {last.pk}", "DELETE FROM sqlite_sequence WHERE name = 'log_record'")
        self.assertIn(f"records after {last.pk - 1} are missing", verify().sentence)
        anchor.anchor_path().unlink()
        self.assertIn("is not there", verify().sentence)
        anchor.anchor_path().write_text('{"count": 1, "head": "x", "mac": "0"}')
        self.assertIn("was not made with this record’s key".replace("’", "'"), verify().sentence)

    def test_dropped_triggers_and_replacing_show(self):
        record = Record.objects.order_by("id").first()
        with connection.cursor() as cursor:
            for table in ("log_record", "instruments_reading"):
                with self.subTest(table=table), self.assertRaisesMessage(DatabaseError, "append-only"), transaction.atomic():
                    cursor.execute(f"INSERT OR REPLACE INTO {table} SELECT * FROM {table} LIMIT 1")
            self.assertTrue(Record.objects.filter(pk=record.pk).exists())
            cursor.execute("DROP TRIGGER log_record_no_delete")
        self.assertIn("log_record_no_delete", verify().sentence)

    def test_a_failed_proof_stops_releases_until_an_administrator_signs(self):
        self.sql("UPDATE people_person SET role = 'lead' WHERE id = 3")
        prove(make.NOW)
        self.assertIn("person 3", unproved())
        state = make.state(0)
        held = lot("BM-26318-A01-2", state)
        with self.assertRaisesMessage(Refused, "Nothing is released"):
            decide_lot(lot_=held, action="release", by=make.person("mr"), now=make.NOW, pin=make.PIN, words="x")
        for who, status in (("mr", 403), ("admin", 302)):
            self.client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")
            answer = self.client.post("/log/audit/", {"pin": make.PIN, "words": "a role was set by hand; put back"})
            self.assertEqual(answer.status_code, status, who)
        self.assertEqual(unproved(), "")
        prove(make.NOW)  # the same fault, signed for, stops nothing
        self.assertEqual(unproved(), "")

    def test_the_audit_tells_who_did_what(self):
        self.client.post("/sign-in/", {"initials": "mr", "pin": "wrong"})
        self.client.post("/sign-in/", {"initials": "mr", "pin": make.PIN})
        self.client.post("/log/note/", {"words": "=2+2"})
        page = self.client.get("/log/audit/")
        for said in ("failed sign-in", "sign-in", "lead M.R."):
            self.assertContains(page, said)
        self.assertContains(self.client.get("/log/audit/?kind=record&who=mr"), "Note")
        self.assertNotContains(self.client.get("/log/audit/?kind=key"), "Note ")
        self.assertIn("record,", self.client.get("/log/audit/?csv=1").content.decode())
        self.client.force_login(make.person("tk"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.get("/log/audit/").status_code, 403)


class Held(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def sign_in(self, username: str) -> None:
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")

    def hold(self, name: str, target: str, **more):
        given = {"in.flow_l_min": "2000", "in.cons_pct": "4.8", "in.target_pct": target, "in.water_cons_pct": "0.4"}
        return self.client.post(
            "/cases/hold/", {"name": name, "model": "stock.dilute", "back": "/stock/dilution/?target_pct=3.2", **given, **more}
        )

    def test_hold_compare_share_send_let_go(self):
        self.sign_in("pn")
        first = self.hold("winter", "3.2")
        self.assertIn("held=", first.url)
        self.assertContains(self.client.get(first.url + "&target_pct=3.0"), "held 1\u202f143, +242")
        self.hold("summer", "3.0")
        b, a = HeldCase.objects.all()
        page = self.client.get(f"/cases/?a={a.pk}&b={b.pk}")
        self.assertContains(page, "+242")
        self.assertContains(page, "−0.20")
        for bad, said in (
            ({"name": ""}, "Name is empty"),
            ({"in.flow_l_min": "-4"}, "must be at least 0"),
            ({"model": "no.such"}, "no model"),
            ({"in.target_pct": "4.9"}, "no answer"),
            ({"in.wet": "1"}, "is no input"),
        ):
            with self.subTest(bad=bad):
                self.assertContains(self.client.get(self.hold(**{"name": "x", "target": "3.2", **bad}).url, follow=True), said)
        self.assertEqual(HeldCase.objects.count(), 2)
        self.sign_in("mr")
        self.assertContains(self.client.get(f"/cases/{a.pk}/"), "winter")
        self.assertEqual(self.client.post(f"/cases/{a.pk}/let-go/").status_code, 403)
        pk = make.issue_card(self.client)
        sent = self.client.post("/schedule/card/attach/", {"case": a.pk, "card": pk})
        self.assertContains(self.client.get(sent.url), "winter")
        newest = Record.objects.filter(kind=Kind.RUNCARD).order_by("-id").first()
        self.assertEqual((newest.data["version"], newest.about_id), (2, pk))
        self.assertEqual(Record.objects.get(pk=pk).data.get("cases"), None)
        self.assertContains(
            self.client.get(self.client.post("/schedule/card/attach/", {"case": a.pk, "card": pk}).url), "was replaced at"
        )
        self.sign_in("pn")
        self.client.post(f"/cases/{a.pk}/let-go/")
        self.assertNotContains(self.client.get("/cases/"), f'href="/cases/{a.pk}/"')


def free_port() -> int:
    """A port that nothing else will be given meanwhile: below those from which connections get theirs."""
    for port in range(21000 + os.getpid() % 5000, 31000):
        with socket.socket() as tried:
            try:
                tried.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise AssertionError("no port is free")


@tag("slow")
class Drill(SimpleTestCase):
    """On a folder of its own, by the commands that an administrator types."""

    databases = "__all__"

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.made = made.name
        kept = Path(cls.made) / "vat.sqlite3"
        shutil.copyfile(os.environ[make.KEPT_DATABASE], kept)
        shutil.copyfile(settings.DATA / "record_key", Path(cls.made) / "record_key")  # what the record is sealed with
        with closing(sqlite3.connect(kept)) as db:
            count, head = db.execute("SELECT id, hash FROM log_record ORDER BY id DESC LIMIT 1").fetchone()
        (place := Path(cls.made) / "backups" / "vat.anchor").parent.mkdir()
        with mock.patch.object(anchor, "anchor_path", lambda: place):
            anchor.advance(count, head)

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = folder.name
        shutil.copytree(self.made, self.folder, dirs_exist_ok=True)

    def test_backup_and_restore(self):
        folder = self.folder
        manage = Commands(folder)
        self.addCleanup(manage.close)
        before = re.search(r"(\d+) records", manage("verify")).group(1)
        for made in range(3):
            manage("backup", "--keep", "2")
            time.sleep(1.05 if made < 2 else 0.0)
        kept = sorted((Path(folder) / "backups").glob("vat-*.sqlite3"))
        self.assertEqual(len(kept), 2)
        with sqlite3.connect(Path(folder) / "vat.sqlite3") as db:
            db.execute("DROP TRIGGER log_record_no_update")
            db.execute("UPDATE log_record SET says = 'forged' WHERE id = 5")
        db.close()
        self.assertIn("record 5 was changed after it was written", manage("verify", ok=False))
        self.assertIn(f"{before} records", manage("restore"))
        before = str(int(before) + 1)  # the restore itself stands in the log
        self.assertIn(f"{before} records", manage("verify"))
        # a damaged file, a foreign file, a forged backup and a running server are refused, and nothing changes
        kept[0].write_bytes(kept[0].read_bytes()[:5000])
        self.assertIn("CommandError", manage("restore", str(kept[0]), ok=False))
        with sqlite3.connect(Path(folder) / "other.sqlite3") as db:
            db.execute("CREATE TABLE x (y)")
        db.close()
        self.assertIn("not one of Fox Vat", manage("restore", f"{folder}/other.sqlite3", ok=False))
        kept[1].with_suffix(".sha256").write_text("0" * 64 + "  x\n")
        self.assertIn("checksum differs", manage("restore", str(kept[1]), ok=False))
        (Path(folder) / "server.pid").write_text(str(os.getpid()))
        self.assertIn("the server runs", manage("restore", ok=False))
        self.assertIn(f"{before} records", manage("verify"))

    def kill(self, server: subprocess.Popen) -> None:
        if server.poll() is None:
            os.killpg(server.pid, signal.SIGKILL)
            server.wait()

    def serve(self, port: int) -> subprocess.Popen:
        """A server on the folder, once it answers; one that ends or does not answer in two minutes fails with its own words."""
        command = [sys.executable, "-W", "ignore", "-m", "desk.server", "--port", str(port), "--demo", "--workers", "1"]
        with open(Path(self.folder) / "server.said", "w+") as said:
            server = subprocess.Popen(
                command, cwd=HOUSE, env=surroundings(self.folder), start_new_session=True, stdout=said, stderr=said
            )
            self.addCleanup(self.kill, server)
            until = time.monotonic() + 120
            while server.poll() is None and time.monotonic() < until:
                try:
                    urllib.request.urlopen(f"http://127.0.0.1:{port}/sign-in/", timeout=5).read()
                    return server
                except OSError:
                    time.sleep(0.05)
            said.seek(0)
            raise AssertionError(f"the server did not start (status {server.poll()}): {said.read()[-1500:]}")

    def test_a_start_that_cannot_be_ends_in_a_sentence(self):
        """A file that is no database, and one that was cut off."""
        database = Path(self.folder) / "vat.sqlite3"
        whole = database.read_bytes()
        for held, why in ((b"chips and liquor\n" * 400, "not a database"), (whole[: len(whole) // 2], "malformed")):
            database.write_bytes(held)
            for beside in ("vat.sqlite3-wal", "vat.sqlite3-shm"):
                (Path(self.folder) / beside).unlink(missing_ok=True)
            with self.assertRaises(AssertionError) as ended:
                self.serve(free_port())
            said = str(ended.exception)
            self.assertIn("(status 1)", said)
            self.assertIn(f"the database in {self.folder} cannot be used", said)
            self.assertIn(why, said)
            self.assertNotIn("Traceback", said)
            self.assertEqual(database.read_bytes(), held)  # what is broken is left as it was for whoever looks at it

    def resident_mb(self, server: subprocess.Popen) -> float:
        """Memory of the web process, which bears its role's name."""
        asked = subprocess.run(["pgrep", "-P", str(server.pid), "vat web"], capture_output=True, text=True, check=True)
        (pid,) = asked.stdout.split()
        (row,) = (r for r in Path(f"/proc/{pid}/status").read_text().splitlines() if r.startswith("VmRSS"))
        return int(row.split()[1]) / 1024.0

    def test_a_server_killed_loses_nothing_it_answered(self):
        """Samples are posted while the server is killed by signal 9, again and again; each that was answered is there."""
        chance = random.Random(26318)
        port = free_port()
        base = f"http://127.0.0.1:{port}"

        class Stay(urllib.request.HTTPRedirectHandler):
            def redirect_request(self, *args, **kwargs):
                return None

        jar = http.cookiejar.CookieJar()
        browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar), Stay)

        def post(path: str, **fields) -> int:
            token = next((c.value for c in jar if c.name == "csrftoken"), "")
            body = urllib.parse.urlencode({**fields, "csrfmiddlewaretoken": token}).encode()
            try:
                return browser.open(urllib.request.Request(base + path, data=body), timeout=5).status
            except urllib.error.HTTPError as answer:
                return answer.code

        server = self.serve(port)
        browser.open(f"{base}/sign-in/", timeout=5).read()
        self.assertEqual(post("/sign-in/as/", person="jd"), 302)
        stalled = [socket.create_connection(("127.0.0.1", port)) for _ in range(24)]
        for i, held in enumerate(stalled):  # half a head, or a head and half a body
            head = "POST /lab/record/machine.chest.ph/ HTTP/1.1\r\nHost: localhost\r\n"
            held.sendall((head if i % 2 else f"{head}Content-Length: 5000\r\n\r\nmode=").encode())
        self.assertEqual(browser.open(f"{base}/", timeout=5).status, 200)
        for held in stalled:
            held.close()
        for path in ("/schedule/", "/models/", "/cook/", "/bleach/"):
            self.assertEqual(browser.open(f"{base}{path}", timeout=30).status, 200)
        # what all processes need is read before they part; with these pages it takes 215 to 221
        self.assertLess(self.resident_mb(server), 240.0)
        answered: list[str] = []
        for kill in range(KILLS):
            until = time.monotonic() + chance.uniform(0.02, 0.35)
            posted = 0
            while time.monotonic() < until or not posted:
                value = f"7.{kill:02d}{posted:03d}7"
                status = post("/lab/record/machine.chest.ph/", mode="result", value_1=value)
                self.assertEqual(status, 302)
                answered.append(value)
                posted += 1
            # one more is under way when the signal comes
            late = f"7.{kill:02d}9991"
            outcome: list[int] = []

            def under_way(late=late, outcome=outcome):
                try:
                    outcome.append(post("/lab/record/machine.chest.ph/", mode="result", value_1=late))
                except OSError:
                    outcome.append(0)

            thread = threading.Thread(target=under_way)
            thread.start()
            time.sleep(chance.uniform(0.0, 0.04))
            self.kill(server)
            thread.join()
            if outcome == [302]:
                answered.append(late)
            server = self.serve(port)
        self.kill(server)
        with sqlite3.connect(Path(self.folder) / "vat.sqlite3") as db:
            kept = [
                f"{v:.6f}"
                for (v,) in db.execute(
                    "SELECT value FROM log_record WHERE kind = 'result' AND subject = 'machine.chest.ph' AND "
                    "signed = 'operator J.D.'"
                )
            ]
        db.close()
        lost = [v for v in answered if f"{float(v):.6f}" not in kept]
        doubled = [v for v in answered if kept.count(f"{float(v):.6f}") > 1]
        self.assertEqual((lost, doubled), ([], []))
        self.assertGreaterEqual(len(answered), KILLS)
        self.assertIn("each as it was written", manage(self.folder, "verify"))
