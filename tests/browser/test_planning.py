"""Planning in the browser: an order moved by keyboard, by mouse and by finger, a plan made anew after a trip, a
14-hour stop that does not fit and what relieves it, rates and furnish that are looked for."""

import re

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
        expect(page.locator("#answer")).to_contain_text("A better order was found")
        page.get_by_role("link", name="A", exact=True).focus()  # of shades and dues, as it is found
        page.keyboard.press("Enter")
        expect(page.locator("#answer")).to_contain_text("H-0413, H-0414")
        expect(rows.nth(0)).to_contain_text("H-0413")
        page.get_by_role("link", name="H-0413 later").focus()
        page.keyboard.press("Enter")
        expect(rows.nth(0)).to_contain_text("H-0414")
        page.get_by_role("button", name="Issue as plan 2").focus()
        page.keyboard.press("Enter")
        expect(page.locator("body")).to_contain_text("Plan 2 is issued.")
        self.open("/schedule/")
        expect(page.locator("tbody tr[data-row]").nth(0)).to_contain_text("H-0414")

    def dragged(self, page, number: str, behind: str, by) -> None:
        """Drag an order's bar so that its middle lies behind another's; `by` moves, presses and lets go."""
        bar = page.locator(f'g[data-order="{number}"] > rect')
        bar.scroll_into_view_if_needed()
        one, other = bar.bounding_box(), page.locator(f'g[data-order="{behind}"] > rect').bounding_box()
        y = one["y"] + one["height"] / 2
        begin, end = one["x"] + one["width"] / 2, other["x"] + other["width"] / 2 + 12
        by(begin, end, y)

    def test_an_order_is_dragged_by_mouse_and_by_finger(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/plan/?h=24")

        def by_mouse(begin: float, end: float, y: float) -> None:
            page.mouse.move(begin, y)
            page.mouse.down()
            page.mouse.move((begin + end) / 2, y, steps=4)
            page.mouse.move(end, y, steps=4)
            page.mouse.up()

        self.dragged(page, "H-0413", "H-0414", by_mouse)
        expect(page.locator("#answer")).to_contain_text("as you moved it")
        rows = page.locator("tbody tr[data-row] th")
        expect(rows.nth(0)).to_contain_text("H-0414")
        expect(rows.nth(1)).to_contain_text("H-0413")
        self.assertIn("h=24", page.url)
        page.go_back()
        expect(page.locator("#answer")).to_contain_text("as it is queued")
        stop = page.locator("g[data-stop]").first.bounding_box()
        y = stop["y"] + stop["height"] / 2
        by_mouse(stop["x"] + 5.0, stop["x"] + 125.0, y)
        expect(page.locator("#answer")).to_contain_text("As it would be with")
        page.get_by_role("link", name="an hour later").first.focus()
        page.keyboard.press("Enter")
        expect(page.locator("#answer table th", has_text="stop moved")).to_be_visible()
        page.get_by_role("link", name="Enter it so").click()
        expect(page.get_by_role("heading", name="Change it")).to_be_visible()
        self.open("/schedule/plan/?h=24")
        cook = page.locator("g[data-hold]").first
        cook.scroll_into_view_if_needed()
        cook = cook.bounding_box()
        by_mouse(cook["x"] + 8.0, cook["x"] + 98.0, cook["y"] + cook["height"] / 2)
        expect(page.locator("#answer")).to_contain_text("held back from")
        page.get_by_role("link", name="Put it back").click()
        expect(page.locator("#answer")).not_to_contain_text("held back")
        self.calm()
        tablet = self.window(820, 1180, has_touch=True)
        self.sign_in("Shift lead, day shift", tablet)
        self.open("/schedule/plan/?h=24", tablet)
        touch = tablet.context.new_cdp_session(tablet)

        def by_finger(begin: float, end: float, y: float) -> None:
            for kind, x in (("touchStart", begin), ("touchMove", (begin + end) / 2), ("touchMove", end), ("touchEnd", None)):
                points = [] if x is None else [{"x": x, "y": y}]
                touch.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        self.dragged(tablet, "H-0413", "H-0414", by_finger)
        expect(tablet.locator("#answer")).to_contain_text("as you moved it")
        self.assertEqual(tablet.evaluate("document.documentElement.scrollWidth"), 820)

    def test_rates_and_furnish_are_looked_for_given_up_and_found(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/plan/")
        page.route("**/schedule/plan/?*rates=2*", lambda route: self.slow.append(route))
        self.slow: list = []
        page.get_by_role("link", name="Find rates and furnish").press("Enter")
        expect(page.locator("#finding")).to_contain_text("s of at most")
        expect(page.locator("#finding [data-seconds]")).to_have_text("1")
        page.get_by_role("button", name="Stop", exact=True).click()
        expect(page.locator("#finding")).to_be_hidden()
        expect(page.locator("#answer")).not_to_contain_text("Cannot be done")
        self.assertNotIn("rates=2", page.url)
        page.unroute_all(behavior="ignoreErrors")
        page.get_by_role("link", name="Find rates and furnish").press("Enter")
        expect(page.locator("#answer")).to_contain_text("Cannot be done")
        expect(page.locator("#answer")).to_contain_text("with these")
        page.get_by_role("link", name="Its card").first.click()
        expect(page.get_by_role("heading", name="Run card")).to_be_visible()

    def test_after_a_trip_the_plan_is_made_anew_by_keyboard(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/stops/")
        page.fill("#to", "13:30")
        page.fill("#what", "drive tripped")
        page.get_by_role("button", name="Keep it").focus()
        page.keyboard.press("Enter")
        expect(page.locator("body")).to_contain_text("Kept:")
        self.open("/schedule/plan/")
        expect(page.locator("#answer")).to_contain_text("moved from plan 1")
        expect(page.locator("#answer")).to_contain_text("drive tripped")
        page.locator("#why").focus()
        page.keyboard.type("drive tripped")
        page.keyboard.press("Enter")
        expect(page.locator("body")).to_contain_text("Plan 2 is issued.")
        expect(page.locator("#answer")).to_contain_text("As plan 2 has it.")
        page.get_by_role("link", name="plan 2").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Plan 2 against what happened")).to_be_visible()
        expect(page.locator("main")).to_contain_text("drive tripped")
        self.accessible()
        self.calm()

    def test_a_stop_that_does_not_fit_and_its_relief(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/schedule/plan/")
        page.get_by_role("link", name="Does a stop fit?").click()
        page.get_by_role("link", name="M tower").click()
        page.fill("#stop_for", "14")
        page.press("#stop_for", "Enter")
        answer = page.locator("#answer")
        expect(answer).to_contain_text("instead of 14 h")
        expect(answer).to_contain_text("It cannot be done")
        expect(answer).to_contain_text("These cannot hold together: the least level, the stop of its feed, the draw")
        relief = re.search(r"stop for (\d+) h instead of 14 h", answer.inner_text())
        page.fill("#stop_for", relief.group(1))
        page.press("#stop_for", "Enter")
        expect(answer).to_contain_text("It fits")
        self.calm()
