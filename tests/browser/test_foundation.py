"""Walks through what every station leans on: set-up, readings, trends, held cases, workings."""

import json
import re
import tempfile
from datetime import timedelta
from pathlib import Path

from playwright.sync_api import expect

from desk.intake import files
from desk.people import tokens
from desk.shift.demo import DOCUMENT
from tests import make
from tests.browser.desk import DeskCase


class Foundation(DeskCase):
    def test_a_broken_then_a_mended_mill_file(self):
        page = self.page
        self.sign_in("Process engineer")
        self.open("/")
        page.get_by_role("link", name="Mill setup").click()
        page.get_by_role("link", name="Bring a document in").click()
        bad = json.loads(DOCUMENT.read_text())
        bad["vessels"][0]["lead_h"] = -3
        bad["grades"][1]["shares"]["K"] = 95
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "mill.json"
            file.write_text(json.dumps(bad))
            page.get_by_label(re.compile("^Document")).set_input_files(file)
            page.get_by_label("Reason").fill("slower truck in winter")
            page.get_by_role("button", name="Check and propose").click()
            expect(page.get_by_role("alert")).to_contain_text("vessels[0].lead_h")
            expect(page.get_by_label("Reason")).to_have_value("slower truck in winter")
            bad["vessels"][0]["lead_h"] = 1.5
            bad["grades"][1]["shares"]["K"] = 60
            file.write_text(json.dumps(bad))
            page.get_by_label(re.compile("^Document")).set_input_files(file)
            page.get_by_role("button", name="Check and propose").click()
        expect(page.get_by_role("cell", name="vessels[S.tower].lead_h")).to_be_visible()
        expect(page.get_by_text("waits for a shift lead")).to_be_visible()
        self.accessible()
        here = page.url
        self.sign_out()
        self.sign_in("Shift lead, day shift")
        page.goto(here)
        page.get_by_label(re.compile("Sign, your PIN")).fill(make.PIN)
        page.get_by_role("button", name="Countersign").click()
        expect(page.get_by_role("status")).to_contain_text("Version 2 is in force")
        self.accessible()
        self.assertEqual([s for s in self.said if "422" not in s], [])

    def test_a_trend_is_panned_drawn_across_and_read(self):
        page = self.page
        self.sign_in("Operator, stock prep")
        self.open("/lab/row/S.chest.consistency/")
        page.get_by_role("link", name="Trend").click()
        self.open("/trend/meter.S.chest/")
        expect(page.get_by_role("heading", name="What it says")).to_be_visible()
        self.accessible()
        page.keyboard.press("j")
        expect(page).to_have_url(re.compile("from="))
        page.get_by_role("link", name="2 weeks").click()
        expect(page.locator("#answer")).to_contain_text("31 Oct")
        box = page.locator("[data-plot]").bounding_box()
        page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 80)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.7, box["y"] + 90, steps=4)
        page.mouse.up()
        expect(page.locator("#answer")).not_to_contain_text("31 Oct")
        self.calm()

    def test_a_case_is_held_beside_the_next(self):
        page = self.page
        self.sign_in("Process engineer")
        self.open("/stock/dilution/")
        page.get_by_label("Name of the case").fill("as today")
        page.wait_for_timeout(700)  # the answer comes anew meanwhile; what was typed stays
        expect(page.get_by_label("Name of the case")).to_have_value("as today")
        page.get_by_role("button", name="Hold this case").click()
        expect(page.get_by_role("status")).to_contain_text("Held as “as today”")
        page.get_by_label("Wanted after it").fill("3.0")
        expect(page.locator("#answer")).to_contain_text("held 1\u202f143, +242")
        page.locator("#answer").get_by_role("link", name="1\u202f385").click()
        expect(page.get_by_role("heading", name="Working")).to_be_visible()
        expect(page.locator("#answer")).to_contain_text("What moves it")
        self.accessible()
        page.get_by_role("link", name="Back to the figure").click()
        page.get_by_role("link", name="as today").click()
        expect(page.get_by_role("heading", name="as today")).to_be_visible()
        self.accessible()
        self.calm()

    def test_a_refused_reading_is_found_and_explained(self):
        page = self.page
        _, plain = tokens.issue(name="historian", scope="readings", by=make.person("pn"), now=make.NOW)
        at = (make.NOW - timedelta(minutes=1)).isoformat()
        rows = [{"tag": "meter.K.chest", "at": at, "value": 3.6}, {"tag": "meter.K.chest", "at": at, "value": 88}]
        sent = page.request.post(
            f"{self.live_server_url}/api/readings/", data={"readings": rows}, headers={"Authorization": f"Bearer {plain}"}
        )
        self.assertEqual(sent.json()["refused"], 1)
        self.sign_in("Process engineer")
        self.open("/instruments/")
        expect(page.get_by_text("1 readings were refused so far")).to_be_visible()
        self.accessible()
        page.get_by_role("link", name="historian").first.click()
        expect(page.get_by_role("cell", name="impossible value")).to_be_visible()
        self.accessible()
        # a file is taken with its progress on the page
        lines = "tag,at,value\n" + "".join(
            f"level.K.tower,{(make.NOW - timedelta(days=90, minutes=i)).isoformat()},50\n" for i in range(40)
        )
        self.open("/instruments/")
        page.get_by_label("File of readings").set_input_files(
            {"name": "old.csv", "mimeType": "text/csv", "buffer": lines.encode()}
        )
        page.get_by_label(re.compile("of the past")).check()
        page.get_by_role("button", name="Send the file").click()
        expect(page.get_by_role("progressbar")).to_be_visible()
        while files.work(make.NOW):
            pass
        expect(page.get_by_role("row", name=re.compile("old.csv"))).to_contain_text("done")
        self.calm()
