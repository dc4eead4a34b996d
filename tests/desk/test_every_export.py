"""Every paper that can be taken away as data: it is whole, other programs read it, and it holds what the page holds."""

import csv
import io
import json
import zipfile
from datetime import timedelta

from desk.cook.models import Cook
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from tests import make
from tests.desk.test_bleach import Desk

TABLES = (
    "/log/?csv=1",
    "/log/?csv=1&kind=result",
    "/log/audit/?csv=1",
    "/mill/accounts/?as=csv",
    "/mill/balance/?as=csv",
    "/lab/chart/K.larch_blow.kappa/?csv=1",
    "/lab/chart/machine.chest.freeness/?csv=1",
    "/schedule/plan/?csv=1",
    "/schedule/plan/?orders=B&csv=1",
    "/schedule/stops/?csv=1",
    "/deliver/claim/?csv=1",
    "/cook/records/?as=csv",
    "/trend/K.larch_blow.kappa/?csv=1",
)
TOLD = (
    "/mill/accounts/?as=json",
    "/mill/case/json/?s.K.larch.cook.ea_pct_naoh=17&f.K=54&f.S=10",
    "/mill/case/json/",
    "/lab/cause/K.larch_blow.kappa/?json=1",
    "/schedule/plan/?json=1",
    "/schedule/plan/?orders=B&rates=2&json=1",
    "/schedule/ahead/json/",
    "/schedule/ahead/json/?break=30",
    "/deliver/trace/?suspect=KD-26317-B02-5&json=1",
    "/deliver/lots/BM-26318-A01-2/ticket.json",
    "/cook/records/?as=json",
)
MINUTES = (0, 60 * 30)  # the morning, and the next day with nothing new


def no_number(name: str):
    raise AssertionError(f"{name} is no JSON")


class EveryExport(Desk):
    def setUp(self):
        make.forget()
        self.as_("pn")

    def read(self, path: str):
        answer = self.client.get(path)
        self.assertEqual(answer.status_code, 200, path)
        return answer

    def rows(self, path: str) -> list[list[str]]:
        answer = self.read(path)
        self.assertTrue(answer["Content-Type"].startswith("text/csv"), answer["Content-Type"])
        self.assertRegex(answer["Content-Disposition"], r'^attachment; filename="[\w .-]+\.csv"$')
        return list(csv.reader(io.StringIO(answer.content.decode("utf-8-sig"))))

    def test_every_table_is_square_and_holds_no_formula(self):
        for minutes in MINUTES:
            set_clock(make.NOW + timedelta(minutes=minutes))
            for path in TABLES:
                with self.subTest(path=path, minutes=minutes):
                    head, *rows = self.rows(path)
                    self.assertTrue(all(head), head)
                    self.assertEqual(len(set(head)), len(head), "a column's name stands twice")
                    for row in rows:
                        self.assertEqual(len(row), len(head), row)
                        for cell in row:
                            self.assertNotRegex(cell, r"^[=@\t\r]|^[+-](?![\d.])")
                            self.assertNotIn(cell.lower(), ("nan", "inf", "-inf", "none"))

    def test_every_answer_is_json_to_the_letter(self):
        """No NaN and no Infinity, which other programs refuse."""
        for minutes in MINUTES:
            set_clock(make.NOW + timedelta(minutes=minutes))
            for path in TOLD:
                with self.subTest(path=path, minutes=minutes):
                    answer = self.read(path)
                    self.assertTrue(answer["Content-Type"].startswith("application/json"))
                    told = json.loads(answer.content, parse_constant=no_number)
                    self.assertTrue(told)

    def test_the_log_goes_out_as_it_is_kept(self):
        head, *rows = self.rows("/log/?csv=1&kind=result")
        kept = {str(r.pk): r for r in Record.objects.filter(kind=Kind.RESULT)}
        self.assertGreater(len(rows), 20)
        for row in rows:
            told = dict(zip(head, row, strict=True))
            with self.subTest(record=told["id"]):
                record = kept[told["id"]]
                self.assertEqual(told["subject"], record.subject)
                self.assertEqual(float(told["value"]), record.value)

    def test_cooks_are_the_same_in_every_form(self):
        head, *rows = self.rows("/cook/records/?as=csv")
        told = json.loads(self.read("/cook/records/?as=json").content)["cooks"]
        self.assertEqual(len(rows), Cook.objects.count())
        self.assertEqual(len(told), len(rows))
        numbers = [row[head.index("number")] for row in rows]
        self.assertEqual([str(cook["number"]) for cook in told], numbers)
        book = zipfile.ZipFile(io.BytesIO(self.read("/cook/records/?as=xlsx").content))
        sheet = book.read("xl/worksheets/sheet1.xml").decode()
        self.assertEqual(sheet.count("<row "), len(rows) + 1)

    def test_a_plan_is_the_same_as_data_and_as_a_table(self):
        told = json.loads(self.read("/schedule/plan/?json=1").content)
        _, *rows = self.rows("/schedule/plan/?csv=1")
        named = {row[0] for row in rows} | {cell for row in rows for cell in row}
        orders = [o["number"] if "number" in o else o.get("order") for o in told.get("orders", told.get("runs", []))]
        self.assertTrue(orders)
        self.assertTrue(set(filter(None, orders)) <= named, (orders, named))

    def test_a_case_carries_the_settings_that_were_asked_for(self):
        path = "/mill/case/json/?s.K.larch.cook.ea_pct_naoh=17&f.K=54&f.S=10"
        text = self.read(path).content.decode()
        self.assertIn("17", text)
        plain = json.loads(self.read("/mill/case/json/").content)
        self.assertNotEqual(json.loads(text), plain)

    def test_who_may_not_read_the_trail_takes_none_away(self):
        self.as_("tk")
        self.assertEqual(self.client.get("/log/audit/?csv=1").status_code, 403)
        self.client.logout()
        for path in (*TABLES, *TOLD):
            with self.subTest(path=path):
                answer = self.client.get(path)
                self.assertEqual(answer.status_code, 302)
                self.assertIn("sign-in", answer.url)
