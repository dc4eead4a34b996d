"""Every page for every role: opens, is refused in words, carries its headers, stays within its queries."""

import re
from pathlib import Path
from urllib.parse import quote

from django.test import SimpleTestCase, TestCase, override_settings
from django.urls import reverse
from django.utils.html import escape

import desk
from core.catalogue import models
from core.practice.table import ROWS
from desk.kit.station import INSTALLED, installed, move_groups
from desk.log.models import Kind, Record
from desk.mill.ribbon import STATIONS
from desk.people.models import MAY, Person
from desk.stock.benches import BENCHES
from tests import make
from tests.desk.reading import assert_reads_well

PAGES = [
    "/",
    "/lab/",
    "/lab/?show=drift",
    "/lab/row/K.larch_blow.kappa/",
    "/schedule/",
    "/schedule/card/?order=H-0413",
    "/log/",
    "/log/handover/",
    "/mill/",
    "/instruments/",
    "/trend/meter.S.chest/",
    "/cases/",
    "/models/",
    "/log/audit/",
    "/stock/",
    "/stock/?row=K.chest.consistency",
    "/stock/chests/",
    "/deliver/lots/",
    "/deliver/lots/BM-26318-A01-2/",
    "/deliver/lots/BM-26318-A01-2/ticket/",
    "/deliver/lots/BM-26318-A02-C/",
    "/practice/",
    "/help/",
    *(f"/station/{k}/" for k in ("chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "blend")),
    *(reverse(s.home) for s in installed()),
    *(reverse(s.bench, args=[b]) for s in installed() for b in s.benches),
    "/cook/",
    "/cook/?wood=alder",
    "/cook/?solve=time",
    "/cook/house/",
    "/cook/continuous/",
    "/cook/records/",
    "/cook/records/1148/",
    "/cook/records/1147/",
    "/cook/records/?a=1146&b=1147",
    "/cook/fit/larch/",
    "/chips/",
    *(f"/line/{k}/" for k in ("chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend", "deliver")),
    "/moves/",
    "/moves/?group=mechanical",
    "/moves/row/K4/",
    "/moves/row/K10/",
    "/moves/?group=wash",
    "/moves/?group=bleach",
    "/moves/row/W1-K/",
    "/moves/row/B3/",
    "/wash/",
    "/wash/?line=K.alder.wash",
    "/wash/?line=S.wash",
    "/wash/?m0=50&m1=26&m2=5",
    "/bleach/",
    "/bleach/?solve=1&front=30",
    "/bleach/?ready=bagasse%20soda",
    "/bleach/?seq=D-%28E",
    "/bleach/compare/",
    "/bleach/tanks/",
]
RIGHTS = {"/lab/record/machine.chest.consistency/": "record", "/log/note/": "note"}
QUERIES = {"/": 60, "/stock/": 60, "/schedule/card/?order=H-0413": 40, "/lab/": 45, "/stock/dilution/": 40}


class Stations(SimpleTestCase):
    """A station is its two packages and its name in one list: everything else reads what it declares."""

    def test_what_a_station_declares_is_there_and_shown(self):
        self.assertEqual([s.key for s in installed()], list(INSTALLED))
        columns = [key for key, _, _ in STATIONS]
        self.assertEqual([k for k in columns if k in INSTALLED], list(INSTALLED))  # in the way of the fibre
        for s in installed():
            with self.subTest(station=s.key):
                self.assertTrue(reverse(s.home).startswith(f"/{s.key}/"))
                self.assertEqual(bool(s.benches), bool(s.bench))
                for key, bench in s.benches.items():
                    self.assertIsNotNone(bench.model, key)

    def test_every_row_of_the_practice_table_is_in_one_group(self):
        groups = move_groups()
        for practice in ROWS.values():
            with self.subTest(row=practice.id):
                self.assertEqual(sum(practice.station in g.rows for g in groups), 1)
        for group in groups:
            self.assertIn(group.station, {key for key, _, _ in STATIONS})

    def test_no_other_place_of_the_desk_lists_the_stations_by_hand(self):
        """Only what draws the ribbon knows its columns; who else needs the stations asks for those installed."""
        house = Path(desk.__file__).parent
        allowed = {"mill/ribbon.py", "mill/draft_drawing.py", "handbook/views.py", "kit/station.py", "stations/views.py"}
        allowed.add("mill/draft_views.py")  # what kinds of units are called: some bear a station’s name
        for path in house.rglob("*.py"):
            name = path.relative_to(house).as_posix()
            text = path.read_text()
            listed = sum(f'"{key}"' in text for key in INSTALLED)
            with self.subTest(file=name):
                self.assertTrue(listed < 5 or name in allowed or "migrations" in name, listed)


class Pages(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def sign_in(self, username: str = "mr") -> Person:
        person = make.person(username)
        self.client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        return person

    def test_no_page_shows_a_raw_number(self):
        self.sign_in()
        for url in PAGES:
            if "?" not in url:  # as it opens, every address is read with every role
                continue
            with self.subTest(url=url):
                assert_reads_well(self, self.client.get(url, follow=True).content.decode())

    def test_rights_are_refused_in_words(self):
        for url, act in RIGHTS.items():
            for username in ("tk", "wa", "mr", "pn", "eb", "new", "cv", "admin"):
                person = self.sign_in(username)
                with self.subTest(url=url, role=person.role):
                    response = self.client.get(url)
                    self.assertEqual(response.status_code, 200 if person.role in MAY[act] else 403)
                    if response.status_code == 403:
                        self.assertContains(response, person.signed, status_code=403)

    def test_nothing_opens_without_a_sign_in(self):
        for url in PAGES:
            with self.subTest(url=url):
                response = self.client.get(url)
                self.assertRedirects(response, f"/sign-in/?next={quote(url)}", fetch_redirect_response=False)

    def test_headers(self):
        self.sign_in()
        response = self.client.get("/")
        csp = response["Content-Security-Policy"]
        self.assertIn("default-src 'self'", csp)
        self.assertNotIn("unsafe", csp)
        self.assertEqual(response["X-Frame-Options"], "DENY")
        self.assertEqual(response["X-Content-Type-Options"], "nosniff")

    def test_query_budgets(self):
        self.sign_in()
        for url, most in QUERIES.items():
            self.client.get(url)
            with self.subTest(url=url), self.assertNumQueriesAtMost(most):
                self.client.get(url)

    def assertNumQueriesAtMost(self, most: int):
        from django.db import connection
        from django.test.utils import CaptureQueriesContext

        case = self

        class AtMost(CaptureQueriesContext):
            def __exit__(self, *args):
                super().__exit__(*args)
                case.assertLessEqual(len(self), most)

        return AtMost(connection)

    def test_live_part_is_silent_until_something_changes(self):
        self.sign_in()
        page = self.client.get("/").content.decode()
        stamp = re.search(r"stamp=([\d-]+)", page).group(1)
        self.assertEqual(self.client.get(f"/shift/live/?stamp={stamp}").status_code, 204)
        self.client.post("/log/note/", {"words": "a change"})
        changed = self.client.get(f"/shift/live/?stamp={stamp}")
        self.assertContains(changed, 'id="live"')
        self.assertNotContains(changed, "<html")

    def test_old_and_unknown_addresses(self):
        self.sign_in()
        for url in (
            "/nowhere/",
            "/station/moon/",
            "/lab/row/no.such/",
            "/deliver/lots/BM-00000-A01-0/",
            "/log/99999999/",
            "/stock/nothing/",
            "/lab/record/machine.chest.ph/?corrects=1",
        ):
            with self.subTest(url=url):
                self.assertContains(self.client.get(url), "Back to Shift", status_code=404)

    def test_an_empty_database_says_what_to_do(self):
        from desk.mill.models import MillVersion

        self.sign_in()
        MillVersion.objects.all().delete()
        for url in ("/", "/stock/", "/schedule/", "/lab/", "/mill/", "/deliver/"):
            with self.subTest(url=url):
                self.assertContains(self.client.get(url), "No line is set up")

    def test_export_of_the_log_is_safe_for_spreadsheets(self):
        self.sign_in()
        self.client.post("/log/note/", {"words": "=HYPERLINK(1)"})
        body = self.client.get("/log/?csv=1&kind=remark").content.decode()
        self.assertIn("'=HYPERLINK(1)", body)
        self.assertTrue(body.startswith("id,at,entered_at"))


class Benches(TestCase):
    """One suite over every bench: opens solved, answers htmx with its part alone, refuses on the field, keeps what was
    typed."""

    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.client.force_login(make.person("pn"), backend="django.contrib.auth.backends.ModelBackend")

    def test_all(self):
        htmx = {"HX-Request": "true", "HX-Target": "answer"}
        for key, bench in BENCHES.items():
            url = f"/stock/{key}/"
            with self.subTest(bench=key):
                whole = self.client.get(url)
                self.assertContains(whole, escape(bench.model.equation))
                self.assertContains(whole, "<svg")
                part = self.client.get(url, headers=htmx)
                self.assertNotContains(part, "<html")
                self.assertContains(part, 'id="answer"')
                back = self.client.get(url, headers={**htmx, "HX-History-Restore-Request": "true"})
                self.assertContains(back, "<html")
                self.assertIn("HX-Request", whole["Vary"])
                first = next(iter(bench.form_class({}).base_fields))
                bad = self.client.get(url, {first: "much"}, headers=htmx)
                self.assertContains(bad, "“much”; it must be a number")
                self.assertContains(bad, f'id="{first}_e" hx-swap-oob="true"')
                kept = self.client.get(url, {first: "-7"})
                self.assertContains(kept, 'value="-7"')
                self.assertContains(kept, "-7")
        # asked where samples are entered
        methods = ("core.lab.measured", "core.lab.titrated", "core.lab.weighed", "core.judge.due")
        asked_here = {m.name for m in models() if m.station in ("stock", "lab") and m.function.__module__ not in methods}
        asked_here -= {p.model for p in ROWS.values()}
        self.assertEqual(asked_here - {b.model_name for b in BENCHES.values()}, {"stock.loop"})

    def test_comma_and_thin_space_are_read(self):
        page = self.client.get(
            "/stock/dilution/", {"flow_l_min": "2 000", "cons_pct": "4,8", "target_pct": "3,2", "water_cons_pct": "0"}
        )
        self.assertContains(page, "<b>1\u202f000</b>")

    def test_the_meter_names_impossible_fields(self):
        page = self.client.get("/stock/", {"row": "S.chest.consistency", "inlet_pct": "-1", "stock_l_min": "lots"})
        self.assertContains(page, "Stock on is “lots”")
        self.assertContains(page, 'value="lots"')
        page = self.client.get("/stock/", {"row": "S.chest.consistency", "inlet_pct": "2"})
        self.assertContains(page, "is above the chest outlet")


class Meter(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def test_a_bias_is_proposed_decided_and_then_waits_for_its_pairs(self):
        url = "/stock/meter/S.chest.consistency/bias/"
        for username, status in (("pn", 403), ("jd", 302)):
            self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")
            response = self.client.post(url)
            self.assertEqual(response.status_code, status)
        slip = self.client.get(response.url)
        self.assertContains(slip, "Take 0.09 % off the S chest meter")
        wrong = self.client.post(response.url, {"choice": "alter", "size": "0.3"})
        self.assertContains(wrong, "Size is 0.3 %; it must be −0.18 to 0.00 %", status_code=422)
        self.client.post(response.url, {"choice": "alter", "size": "-0.08"})
        page = self.client.get("/stock/?row=S.chest.consistency")
        self.assertContains(page, "set to −0.08 %")
        self.assertEqual(self.client.post(url).status_code, 404)
        self.assertEqual(self.client.post("/stock/meter/K.larch_blow.kappa/bias/").status_code, 404)


class SignIn(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def test_one_press_in_the_demo_only(self):
        with override_settings(DEMO=True):
            self.client.post("/sign-in/as/", {"person": "mr"})
            self.assertContains(self.client.get("/"), "lead M.R.")
        self.client.post("/sign-out/")
        with override_settings(DEMO=False):
            self.assertEqual(self.client.post("/sign-in/as/", {"person": "mr"}).status_code, 404)
            self.assertNotContains(self.client.get("/sign-in/"), "one press")

    def test_initials_and_pin_and_the_way_back(self):
        response = self.client.post("/sign-in/", {"initials": "M.R.", "pin": make.PIN, "next": "/stock/"})
        self.assertRedirects(response, "/stock/", fetch_redirect_response=False)
        self.client.post("/sign-out/")
        away = self.client.post("/sign-in/", {"initials": "mr", "pin": make.PIN, "next": "https://elsewhere.example/"})
        self.assertRedirects(away, "/", fetch_redirect_response=False)

    def test_wrong_pins_are_paused(self):
        for _ in range(4):
            self.assertContains(
                self.client.post("/sign-in/", {"initials": "mr", "pin": "wrong"}), "do not belong together", status_code=422
            )
        self.assertEqual(self.client.post("/sign-in/", {"initials": "mr", "pin": "wrong"}).status_code, 429)
        self.assertContains(self.client.post("/sign-in/", {"initials": "mr", "pin": make.PIN}), "paused", status_code=429)

    def test_theme_and_keys_are_kept_and_never_lead_away(self):
        response = self.client.get("/theme/?to=night&next=//elsewhere.example/")
        self.assertRedirects(response, "/", fetch_redirect_response=False)
        self.assertContains(self.client.get("/sign-in/"), 'data-theme="night"')
        self.assertEqual(Record.objects.filter(kind=Kind.REMARK).count(), 3)
