"""The hours ahead and the accounts in a browser: a break and what follows it, by chance; an account from its picture to its
records."""

import re

from playwright.sync_api import expect

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
