"""Journeys through the stations: Bleach from text to a live correction, Cook from design to fit."""

import re

from playwright.sync_api import expect

from tests.browser.desk import DeskCase


class Stations(DeskCase):
    def test_bleaching_from_text_to_a_live_correction(self):
        page = self.page
        self.sign_in("Operator, fibre line")
        # a sequence is typed with a fault, mended, and read
        self.open("/bleach/")
        page.get_by_label("Sequence").fill("O-D0-(EOP-D1")
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_text("inside brackets")).to_be_visible()
        page.get_by_label("Sequence").fill("O-D0-EOP-D1")
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_text("4 stages, ECF")).to_be_visible()
        # a target is hit by solving, and put in
        page.get_by_label("Brightness wanted").fill("87")
        page.get_by_role("button", name="Solve for least cost").click()
        expect(page.get_by_role("heading", name=re.compile("Least cost"))).to_be_visible()
        page.get_by_role("link", name="Put them in").click()
        expect(page.locator(".verdict .num").first).to_have_text("87.0")
        self.calm()
        # two schools beside each other
        page.get_by_role("link", name="Two schools").click()
        expect(page.get_by_role("cell", name=re.compile("AOX"))).to_be_visible()
        page.get_by_label("The other").fill("O-Q-P-P")
        expect(page.get_by_text("dashed: O-Q-P-P")).to_be_visible()
        # a new kappa enters: the row is filled, put to the shift, and taken with its gate answered
        self.open("/moves/row/B1/")
        page.locator("#id_kappa").fill("15.2")
        page.get_by_role("button", name="Put it to the shift").click()
        page.get_by_role("button", name="Take").click()
        page.get_by_role("button", name="Yes, in force").click()
        expect(page.get_by_text("The gate is not answered")).to_be_visible()
        self.assertIn("422", self.said.pop())
        page.get_by_label("G1: monitors read").check()
        page.get_by_role("button", name="Take").click()
        page.get_by_role("button", name="Yes, in force").click()
        expect(page.get_by_text("You set it at the plant").first).to_be_visible()
        self.calm()

    def test_cleaners_shut_are_opened_by_the_move(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        # a stage more is built at the bench; then two cleaners are shut and the drop says so
        self.open("/clean/")
        expect(page.get_by_role("heading", name="K cleaners")).to_be_visible()
        page.get_by_role("button", name="5", exact=True).click()
        expect(page.get_by_text("Stage 5", exact=True)).to_be_visible()
        self.open("/clean/?line=K.clean")
        page.get_by_label("Stage 2, cleaners open").fill("5")
        expect(page.get_by_role("heading", name=re.compile("Open cleaners of stage"))).to_be_visible()
        page.get_by_role("link", name="Put this in force").click()
        page.get_by_label(re.compile("Why|Reason", re.I)).first.fill("two tips plugged")
        page.get_by_role("button", name=re.compile("Put .*in force")).click()
        expect(page.get_by_text("in force since").first).to_be_visible()
        # the row of the practice table sizes the move from what the line solves, and it is taken
        self.open("/moves/row/C1-K.2/")
        page.get_by_role("button", name="Put it to the shift").click()
        page.get_by_role("button", name="Take").click()
        page.get_by_role("button", name="Yes, in force").click()
        expect(page.get_by_text("You set it at the plant").first).to_be_visible()
        self.calm()

    def test_a_batch_with_a_bale_too_many_and_a_line_made_white_at_least_cost(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        # a bale more is loaded: the card recomputes, the water that mends it goes in, and the batch is kept with two people
        self.open("/recovered/pulper/")
        page.locator("#n1").fill("4")
        expect(page.get_by_role("heading", name="Add 1.64 m³ of white water")).to_be_visible()
        page.locator("#water_m3").fill("15.59")
        expect(page.get_by_role("heading", name="Leave it")).to_be_visible()
        page.locator("#b0").fill("1")
        page.get_by_label("Second person who read each label").fill("W.A.")
        page.get_by_role("button", name="Keep batch").click()
        expect(page.get_by_text("Rope and wires are not looked at")).to_be_visible()
        expect(page.get_by_label("Second person who read each label")).to_have_value("W.A.")  # nothing typed is lost
        expect(page.locator("#n1")).to_have_value("4")
        page.get_by_label(re.compile("Rope turns")).check()
        page.get_by_role("button", name="Keep batch").click()
        expect(page.get_by_text(re.compile("Kept. Batch R-")).first).to_be_visible()
        # the line: grey beside white, white solved for least cost, and put in force
        self.open("/recovered/")
        page.get_by_role("button", name=re.compile("grey, to step")).click()
        expect(page.get_by_role("heading", name=re.compile("White: 7"))).to_be_visible()
        page.get_by_role("button", name=re.compile("white, all")).click()
        page.get_by_label(re.compile("Brightness wanted")).fill("73")
        page.get_by_role("button", name="Solve for least cost").click()
        expect(page.get_by_role("heading", name=re.compile("Least cost at 73"))).to_be_visible()
        page.get_by_role("link", name="Put these in force").click()
        page.get_by_label(re.compile("Why|Reason", re.I)).first.fill("least cost at 73")
        page.get_by_role("button", name=re.compile("Put .*in force")).click()
        expect(page.get_by_text("in force since").first).to_be_visible()
        self.calm()

    def test_a_cook_from_design_to_fit(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        shares = "share_K=60&share_S=6&share_M=6&share_R=13&share_W=5&share_B=10"
        self.open(f"/schedule/card/?order=H-0413&grade=LB80&gsm=80&sale_t=50&speed_m_min=880&start=16:45&{shares}")
        page.get_by_role("button", name="Issue the card").click()
        self.open("/cook/?target=29")
        # design: a handle of the profile is dragged, its row follows; then it is solved for the target
        handle = page.locator("[data-handle]").nth(3)
        before = page.locator("#t3").input_value()
        box = handle.bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + 8, steps=4)
        page.mouse.up()
        expect(page.locator("#t3")).not_to_have_value(before)
        page.locator("#t3").fill(before)
        page.get_by_role("button", name="Send to the run card").click()
        expect(page.get_by_text("kappa foreseen")).to_be_visible()
        page.get_by_role("link", name=re.compile("larch cook")).first.click()
        expect(page.locator("#t3")).to_have_value(before)
        page.get_by_role("textbox", name="Digester").fill("4")
        page.get_by_role("button", name="Charge it now").click()
        expect(page.get_by_role("heading", name=re.compile("Cook 1149"))).to_be_visible()
        # follow 1148, which has been running; a reading that cannot be is said, a good one is kept, the move is taken
        self.open("/cook/records/1148/")
        page.get_by_label("Circulation, mean").fill("1700")
        page.get_by_role("button", name="Keep temperature").click()
        expect(page.get_by_text("it must be -10 to 200.0 °C").first).to_be_visible()
        self.assertIn("422", self.said.pop())  # the browser names the refusal in its console
        page.get_by_label("Circulation, mean").fill("168.2")
        page.get_by_role("button", name="Keep temperature").click()
        expect(page.get_by_text("168 °C").first).to_be_visible()
        page.locator("summary", has_text="Take").click()
        page.get_by_role("button", name="Yes, in force").first.click()
        expect(page.get_by_text("the desk keeps the record")).to_be_visible()
        self.calm()
        # blow, its kappa, what it asks of the next cook, the fit
        page.get_by_role("button", name="It is blown").click()
        page.get_by_label("Kappa", exact=True).fill("41.2")
        page.get_by_role("button", name="Keep the kappa").click()
        expect(page.get_by_role("heading", name=re.compile("Next cook"))).to_be_visible()
        self.calm()
        self.sign_out()
        self.sign_in("Process engineer")
        self.open("/cook/fit/larch/")
        page.get_by_role("button", name=re.compile("^Fit")).click()
        expect(page.get_by_text("one left out").first).to_be_visible()
        self.calm()
