"""Walks of the working loop in a real browser."""

import re

from playwright.sync_api import expect

from desk.log.models import Kind, Record
from tests import make
from tests.browser.desk import DeskCase


class Journeys(DeskCase):
    def test_one_order_walked_from_plan_to_hand_over(self):
        page = self.page
        self.press_in("Shift lead, day shift")
        # plan: the order as written runs a tower dry; a relief is put in; the card is issued
        page.get_by_role("link", name="Schedule").click()
        page.get_by_role("link", name="Work out the card").first.click()
        expect(page.get_by_text("K white tower empty")).to_be_visible()
        expect(page.get_by_role("button", name="Issue the card")).to_be_disabled()
        page.get_by_label("To sell").fill("50")
        expect(page.get_by_text("Every tower holds to the end")).to_be_visible()
        page.get_by_role("button", name="Issue the card").click()
        expect(page.get_by_role("heading", name=re.compile("Run card RC-26318-01"))).to_be_visible()
        page.get_by_role("link", name="Print").click()
        expect(page.get_by_text("The desk advises; people set the valves.")).to_be_visible()
        page.go_back()
        # set: the machine takes it, its shares and first lot follow
        page.get_by_label("reason to go on").fill("the S meter is checked at noon")
        page.get_by_role("button", name="The Heron takes it now").click()
        expect(page.locator(".ticket")).to_contain_text("Label base")
        self.sign_out()

        # sample, by touch at tablet width, with the keypad
        tablet = self.window(820, 1180, has_touch=True)
        self.sign_in("Operator, stock prep", tablet)
        self.open("/lab/record/machine.chest.consistency/", tablet)
        for name, digits in (("a.stock_g", "502.4"), ("a.paper_g", ".842"), ("a.pad_g", "19.61")):
            tablet.locator(f'[name="{name}"]').tap()
            for digit in digits:
                tablet.locator(f'[data-pad-key="{digit}"]').tap()
        for name, value in (("b.stock_g", "498.7"), ("b.paper_g", "0.838"), ("b.pad_g", "19.45")):
            tablet.locator(f'[name="{name}"]').fill(value)
        expect(tablet.locator(".big")).to_have_text("3.73")
        expect(tablet.get_by_text("On Record the desk proposes")).to_be_visible()
        tablet.get_by_role("button", name="Record").tap()
        # judge and correct: one move, taken
        expect(tablet.get_by_role("heading", name=re.compile("Open the machine chest water")).first).to_be_visible()
        tablet.get_by_role("button", name="Take as it is").tap()
        expect(tablet.get_by_text("Put in force:")).to_be_visible()
        tablet.get_by_role("button", name="Yes, in force").tap()
        expect(tablet.get_by_role("status")).to_contain_text("Taken: Open the machine chest water")
        # the retest lands on Due and judges the move
        self.clock(25)
        self.open("/lab/", tablet)
        expect(tablet.get_by_text("consistency, again")).to_be_visible()
        self.open("/lab/record/machine.chest.consistency/?mode=result", tablet)
        tablet.locator('[name="value_1"]').fill("3.61")
        tablet.locator('[name="value_2"]').fill("3.62")
        tablet.get_by_role("button", name="Record").tap()
        expect(tablet.get_by_role("status")).to_contain_text("Recorded: Consistency 3.62 %")
        self.assertEqual(Record.objects.filter(kind=Kind.EFFECT).order_by("-id").first().status, "worked")
        # record: a slip of the finger is corrected by a later record
        self.open("/lab/row/machine.chest.consistency/", tablet)
        tablet.get_by_role("link", name="Correct").first.click()
        tablet.locator('[name="value_1"]').fill("3.60")
        tablet.get_by_label("Reason of the correction").select_option("mistyped")
        tablet.get_by_role("button", name="Record").tap()
        expect(tablet.get_by_text("corrects 3.6")).to_be_visible()
        self.calm()
        tablet.context.close()

        # deliver: close the lot, hold it, read its ticket
        page = self.page = self.window()
        self.sign_in("Shift lead, day shift")
        self.open("/")
        page.keyboard.press("0")
        expect(page.get_by_role("heading", name=re.compile("Lot BM-26318"))).to_be_visible()
        running = Record.objects.filter(kind=Kind.LOT_OPEN).order_by("-id").first().subject
        self.open(f"/deliver/lots/{running}/")
        page.get_by_role("button", name="Close the lot here").click()
        expect(page.get_by_text("is closed;")).to_be_visible()
        page.get_by_label(re.compile("Sign, your PIN")).fill(make.PIN)
        page.get_by_role("button", name="Hold", exact=True).click()
        expect(page.get_by_role("status")).to_contain_text("held")
        page.get_by_role("link", name="Ticket", exact=True).click()
        expect(page.get_by_role("heading", name=f"Batch ticket {running}")).to_be_visible()
        expect(page.get_by_text("held, not released")).to_be_visible()

        # hand over: drafted, noted, signed by the leaving, read by the arriving lead
        self.open("/")
        page.keyboard.press("n")
        page.get_by_label("Note").fill("K tower low until the label order is through.")
        page.get_by_role("button", name="Keep the note").click()
        self.open("/log/handover/")
        expect(page.get_by_text("K tower low until the label order is through.")).to_be_visible()
        page.get_by_role("textbox", name="To watch").fill("S tower; the depither sings when it loads up.")
        page.get_by_label("PIN, lead M.R.").fill(make.PIN)
        page.get_by_role("button", name="Sign the handover").click()
        expect(page.get_by_text("so its words are frozen")).to_be_visible()
        signed = page.url
        self.sign_out()
        self.sign_in("Shift lead, night shift")
        page.goto(signed)
        for box in page.get_by_role("checkbox").all():
            box.check()
        page.get_by_label("PIN, lead A.S.").fill(make.PIN)
        page.get_by_role("button", name="Sign as read").click()
        expect(page.get_by_role("status")).to_contain_text("Signed as read")
        self.calm()

    def test_the_keyboard_alone(self):
        page = self.page
        self.open("/sign-in/")
        page.get_by_role("button", name="Operator, stock prep").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Due")).to_be_visible()
        page.keyboard.press("?")
        expect(page.get_by_role("heading", name="Keys and marks")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("heading", name="Keys and marks")).to_be_hidden()
        for key, heading in (("d", "Due"), ("f", "Drift"), ("c", "Cover")):
            page.keyboard.press(key)
            expect(page.locator(":focus")).to_have_text(heading)
        page.keyboard.press("ArrowRight")
        expect(page.locator(":focus")).to_contain_text("Chips")
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Design a cook")).to_be_visible()
        page.keyboard.press("8")
        expect(page.get_by_role("heading", name="S chest, consistency")).to_be_visible()
        well = page.get_by_label("White water", exact=True)
        well.focus()
        page.keyboard.press("ArrowUp")
        expect(well).to_have_value("0.5")
        page.keyboard.press("8")  # a figure, not a station, while a well has the focus
        expect(page).to_have_url(re.compile("/stock/"))
        page.keyboard.press("Escape")
        expect(well).to_have_value("0.4")
        page.keyboard.press("Shift+S")
        expect(page.get_by_role("heading", name="Drift")).to_be_visible()
        page.keyboard.press("t")  # no slip has the focus: the first gets it, visibly, and nothing is taken
        expect(page.locator(":focus")).to_have_text("Take")
        page.keyboard.press("t")  # the slip turns into its question
        expect(page.get_by_text("Put in force: Blend: bagasse 18 to 11 %")).to_be_visible()
        self.assertFalse(Record.objects.filter(kind=Kind.DECISION, subject="cover.S.tower").exists())
        page.keyboard.press("b")
        expect(page.get_by_text("Put in force:")).to_be_hidden()
        expect(page.locator(":focus")).to_have_text("Take")
        page.keyboard.press("t")
        expect(page.get_by_role("button", name="Yes, in force")).to_be_focused()
        page.keyboard.press("y")
        expect(page.get_by_role("status")).to_contain_text("Taken: Blend: bagasse 18 to 11 %")
        page.keyboard.press("e")
        expect(page.get_by_role("button", name="Record")).to_be_visible()
        self.calm()

    def test_the_answer_follows_the_typing_and_the_address_keeps_the_case(self):
        page = self.page
        self.sign_in("Process engineer")
        self.open("/stock/dilution/")
        page.get_by_label("Wanted after it").fill("3.0")
        expect(page.locator("#answer")).to_contain_text("1\u202f385")
        expect(page).to_have_url(re.compile("target_pct=3.0"))
        page.get_by_label("Stock flow").fill("-4")
        expect(page.locator("#flow_l_min_e")).to_contain_text("Stock flow is -4 L/min; it must be at least 0 L/min")
        expect(page.get_by_label("Stock flow")).to_have_value("-4")
        expect(page.get_by_label("Stock flow")).to_have_attribute("aria-invalid", "true")
        page.get_by_label("Stock flow").fill("2000")
        expect(page.locator("#flow_l_min_e")).to_be_empty()
        page.reload()
        expect(page.locator("#answer")).to_contain_text("1\u202f385")
        self.calm()

    def test_typing_is_not_lost_while_shift_stays_fresh(self):
        page = self.page
        self.sign_in("Operator, fibre line")
        self.open("/")
        page.get_by_role("link", name="Record Larch").or_(page.get_by_role("link", name="Record S blow line")).first.focus()
        href = page.evaluate("document.activeElement.getAttribute('href')")
        self.clock(3)
        page.evaluate(
            "htmx.trigger('#live', 'every'); htmx.ajax('GET', '/shift/live/?stamp=0', {target: '#live', swap: 'outerHTML'})"
        )
        expect(page.locator(".clock b")).to_have_text("10:45")
        self.assertEqual(page.evaluate("document.activeElement.getAttribute('href')"), href)
        self.calm()

    def test_shift_fits_one_screen(self):
        self.sign_in("Shift lead, day shift")
        self.open("/")
        expect(self.page.get_by_text("Not shown here:")).to_be_visible()
        for keys in ("", "tt"):  # as it opens, and with a slip turned into its question
            for key in keys:
                self.page.keyboard.press(key)
            if keys:
                expect(self.page.get_by_role("button", name="Yes, in force")).to_be_visible()
            size = self.page.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
            self.assertLessEqual(size[0], 1280)
            self.assertLessEqual(size[1], 800)

    def test_a_sample_takes_few_keys_and_enter_never_writes(self):
        page, pressed, before = self.page, [], Record.objects.count()
        self.sign_in("Operator, stock prep")
        self.open("/lab/record/machine.chest.consistency/")

        def press(key: str) -> None:
            pressed.append(key)
            page.keyboard.press(key)

        expect(page.locator('[name="a.stock_g"]')).to_be_focused()
        for figure in ("502.4", "498.7", "0.842", "0.838", "19.61", "19.45"):
            page.keyboard.type(figure)
            press("Enter")
        self.assertEqual(Record.objects.count(), before)
        expect(page.get_by_text("they agree")).to_be_visible()
        press("Control+Enter")
        expect(page.get_by_role("status")).to_contain_text("Recorded: Consistency 3.73 %")
        self.assertLessEqual(len(pressed), 12)
        self.calm()

    def test_without_script(self):
        page = self.window(java_script_enabled=False)
        self.open("/sign-in/", page)
        page.get_by_role("button", name="Shift lead, day shift").click()
        self.open("/schedule/card/?order=H-0413", page)
        page.get_by_label("To sell").fill("50")
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_text("Every tower holds to the end")).to_be_visible()
        page.get_by_role("button", name="Issue the card").click()
        expect(page.get_by_role("heading", name=re.compile("Run card RC-"))).to_be_visible()
        self.open("/", page)
        page.get_by_role("link", name="Alter").first.click()
        page.get_by_label(re.compile("^To")).fill("12")
        page.get_by_role("button", name="Alter").click()
        expect(page.get_by_role("rowheader", name="Wet lap used")).to_be_visible()
        page.get_by_role("button", name="Yes, in force").click()
        expect(page.get_by_role("status")).to_contain_text("set to 12 %")

    def test_wetter_chips_are_seen_from_the_digester_to_the_tower(self):
        """One reading of moisture: the charge, the kappa, the washing, the bleaching cost, the steam and the cover answer."""
        page = self.page
        self.sign_in("Operator, stock prep")

        def figure(path: str, label: str) -> float:
            self.open(path)
            row = page.locator(".f.c", has_text=label).first
            return float(row.locator("b.num").inner_text().replace("\u2212", "-").replace("\u2009", ""))

        def seen() -> dict[str, float]:
            return {
                "water of the chips": figure("/cook/", "Water of the chips"),
                "feed of the washers": float(self.value("/wash/", "x0")),
                "carry-over": figure("/wash/", "Carry-over, solids"),
                "steam": figure("/wash/", "Steam for the dilution"),
                "brightness at these charges": figure("/bleach/", "Brightness"),
                "bleaching cost for the brightness wanted": self.least_cost(),
            }

        before, cover = seen(), self.cover("K white tower")
        self.open("/lab/record/K.chips.moisture/?mode=result")
        page.locator('[name="value_1"]').fill("52")
        page.get_by_role("button", name="Record").click()
        if page.get_by_text("I read it twice").count():
            page.get_by_text("I read it twice").click()
            page.get_by_role("button", name="Record").click()
        after = seen()
        for name, value in before.items():
            with self.subTest(figure=name):
                self.assertNotEqual(after[name], value)
        self.open("/cook/")
        expect(page.locator(".f.c", has_text="Kappa, charge not changed")).to_be_visible()
        self.assertNotEqual(self.cover("K white tower"), cover)
        # the charge is put right: carried down the line first, then in force
        self.open("/mill/put/?unit=K.larch.wash&df=2.4&back=/wash/")
        expect(page.get_by_role("heading", name="Down the line")).to_be_visible()
        page.get_by_label("Why").fill("more water behind wet chips")
        page.get_by_role("button", name="Put in force", exact=True).click()
        expect(page.get_by_role("status")).to_contain_text("In force, larch washing")
        expect(page.locator(".f", has_text="Hot water").first).to_contain_text("in force since")
        self.calm()

    def least_cost(self) -> float:
        self.open("/bleach/?line=K.bleach&solve=1&target=87")
        heading = self.page.get_by_role("heading", name=re.compile("Least cost")).inner_text()
        return float(re.search(r"Least cost ([0-9.]+)", heading)[1])

    def value(self, path: str, name: str) -> str:
        self.open(path)
        return self.page.locator(f'[name="{name}"]').first.input_value()

    def cover(self, vessel: str) -> str:
        self.open("/stock/chests/")
        return self.page.get_by_role("row", name=re.compile(vessel)).inner_text()
