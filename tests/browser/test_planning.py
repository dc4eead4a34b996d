"""Planning in the browser: an order moved by keyboard and put in the plan, a stop that does not fit and what relieves it."""

from playwright.sync_api import expect

from tests.browser.desk import DeskCase


class Planning(DeskCase):
    def test_an_order_is_moved_by_keyboard_and_put_in_the_plan(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/")
        page.get_by_role("link", name="Plan, 72 hours").click()
        page.wait_for_url("**/schedule/plan/")
        expect(page.locator("#answer")).to_contain_text("as it is queued")
        page.get_by_role("link", name="H-0413 later").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#answer")).to_contain_text("as you moved it")
        rows = page.locator("tbody tr[data-row] th")
        expect(rows.nth(0)).to_contain_text("H-0414")
        expect(page.locator("#answer")).to_contain_text("H-0413 is")  # late there
        page.get_by_role("button", name="Put in the plan").focus()
        page.keyboard.press("Enter")
        expect(page.locator("body")).to_contain_text("moved.")
        self.open("/schedule/")
        expect(page.locator("tbody tr[data-row]").nth(0)).to_contain_text("H-0414")

    def test_a_stop_that_does_not_fit_and_its_relief(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/plan/")
        page.get_by_role("link", name="Does a stop fit?").click()
        page.get_by_role("link", name="R tower").click()
        page.fill("#most", "2.6")
        page.fill("#stop_for", "20")
        page.press("#stop_for", "Enter")
        expect(page.locator("#answer")).to_contain_text("It cannot be done")
        expect(page.locator("#answer")).to_contain_text("Any one of")
        page.fill("#stop_for", "1")
        page.press("#stop_for", "Enter")
        expect(page.locator("#answer")).to_contain_text("The longest stop that fits")
