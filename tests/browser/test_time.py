"""The hours ahead and the accounts in a browser: a break and what follows it, by chance; an account from its picture to its
records."""

import re
from datetime import timedelta

from playwright.sync_api import expect

from desk.intake import plant
from desk.intake.models import Plant
from tests import make
from tests.browser.desk import DeskCase


class Time(DeskCase):
    def test_a_break_and_what_the_hours_ahead_say_of_it(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/")
        page.get_by_role("link", name="12 h", exact=True).click()
        expect(page.get_by_role("heading", name="The next 12 hours")).to_be_visible()
        row = page.locator(".verdict .f", has=page.get_by_role("link", name="Broke tower"))
        expect(row).to_contain_text("full")
        page.get_by_label("A break begins in").fill("30")
        page.get_by_label("and lasts", exact=True).fill("45")
        expect(row).to_contain_text("without it")
        expect(page.get_by_text("dashed: without what is tried")).to_be_visible()
        page.get_by_label("and lasts", exact=True).fill("-5")
        expect(page.locator("#break_e")).to_contain_text("and lasts")
        page.get_by_label("and lasts", exact=True).fill("20")
        expect(row).to_contain_text("without it")
        page.get_by_role("link", name="K white tower").click()  # what leaves it now, and since when
        expect(page.get_by_text("What leaves now came in")).to_be_visible()
        self.said = [text for text in self.said if "status of 422" not in text]  # the minutes that cannot be
        self.calm()

    def test_an_account_from_its_picture_to_its_records(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/")
        page.get_by_role("link", name="Accounts").click()
        expect(page.get_by_role("heading", name="Accounts")).to_be_visible()
        expect(page.get_by_text("larch cook, dissolved")).to_be_visible()
        page.get_by_role("link", name="Steam", exact=True).click()
        expect(page.get_by_role("heading", name="Steam")).to_be_visible()
        page.get_by_role("link", name="24 hours").click()
        expect(page.get_by_text("are still worked out")).to_have_count(0, timeout=60_000)
        page.locator("table").get_by_role("link", name=re.compile("09:00")).first.click()
        expect(page.get_by_text("all times")).to_be_visible()
        expect(page.locator("tbody tr").first).to_contain_text(re.compile("09:"))
        self.open("/mill/accounts/?account=fibre")
        page.locator("svg a", has_text="larch cook, dissolved").click()
        expect(page).to_have_url(re.compile("/cook/"))
        self.calm()

    def test_a_move_taken_is_seen_on_its_meter_when_the_fibre_comes_and_not_before(self):
        page = self.page
        plant._lines.clear()
        self.scanned(0)
        before = self.read()
        self.sign_in("Operator, fibre line")
        self.open("/moves/row/B3/")
        page.locator("[name=iso_pct]").fill("84.6")
        page.locator("[name=residual_g_l]").fill("0.004")
        page.get_by_role("button", name="Put it to the shift").click()
        expect(page.get_by_role("heading", name=re.compile("ClO₂ to D1"))).to_have_count(2)
        expect(page.get_by_text("Taken, it is the set point")).to_be_visible()
        page.get_by_label("G1: monitors read").check()
        page.get_by_role("button", name="Take").click()
        page.get_by_role("button", name="Yes, in force").click()
        expect(page.get_by_text("You set it at the plant").first).to_be_visible()
        self.open("/bleach/?line=K.bleach")  # what is in force is what the page opens with
        expect(page.get_by_text(re.compile("in force since")).first).to_be_visible()
        for minutes in (60, 150):
            self.scanned(minutes)
            self.assertAlmostEqual(self.read(), before, delta=0.15 * before)  # the tower still holds the old
        for minutes in (205, 260):
            self.scanned(minutes)
        self.assertGreater(self.read(), 1.15 * before)
        self.open("/trend/residual_clo2.K.d1/?hours=8")
        expect(page.get_by_text("K D1 exit, ClO₂ left").first).to_be_visible()
        expect(page.locator(".headfig")).to_have_text(re.compile(r"0\.0"))
        self.calm()

    def test_a_chart_from_its_signal_to_a_phase_and_back_and_a_year_drawn_across(self):
        page = self.page
        self.sign_in("Process engineer")
        self.open("/lab/row/K.larch_blow.kappa/")
        page.get_by_role("link", name="Chart", exact=True).click()
        expect(page.get_by_role("heading", name="Look for the cause, then move")).to_be_visible()
        expect(page.get_by_text("By chance once in")).to_be_visible()
        page.get_by_label("what, or why").fill("cook card 12")
        page.locator("#at").fill("2026-11-12 04:00")
        page.get_by_role("button", name="Begin a phase").click()
        expect(page.locator("svg text", has_text="phase 2: cook card 12")).to_be_visible()
        page.get_by_role("link", name="means of 3").click()
        expect(page.get_by_text("Range of each group")).to_be_visible()
        page.get_by_role("link", name="each result").click()
        expect(page.get_by_text("from one to the next, not across a phase")).to_be_visible()
        page.locator("[data-plot]").scroll_into_view_if_needed()
        box = page.locator("[data-plot]").bounding_box()
        page.mouse.move(box["x"] + box["width"] * 0.86, box["y"] + 40)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.898, box["y"] + 40, steps=4)
        page.mouse.up()
        expect(page).to_have_url(re.compile(r"from=\d+&to=\d+"))
        page.get_by_role("link", name="Newest").click()
        page.get_by_role("button", name="Take back phase").click()
        expect(page.locator("svg text", has_text="phase 2")).to_have_count(0)
        self.calm()

    def scanned(self, minutes: float) -> None:
        """The mill's clock goes on, and its meters are read."""
        self.clock(minutes)
        plant.step(make.state(minutes), make.NOW + timedelta(minutes=minutes))

    def read(self) -> float:
        return Plant.objects.get().truths["residual_clo2.K.d1"]
