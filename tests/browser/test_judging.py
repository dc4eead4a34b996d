"""Walks of judgement: a drift to its cause, a deviation to its end, a recall rehearsed, a look that answers a row."""

import re

from playwright.sync_api import expect

from desk.log.models import Kind, Record
from desk.shift.demo import PIN
from tests.browser.desk import DeskCase

LOT, COOK = "BM-26318-A01-2", "KD-26317-B02-5"


class Judging(DeskCase):
    def test_a_drift_to_its_cause_to_its_move_to_its_retest(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/drift/")
        page.get_by_role("link", name="What changed before it").first.click()
        expect(page.get_by_role("heading", name="What changed before this")).to_be_visible()
        if "Larch blow" not in page.locator(".st-head").inner_text():
            self.open("/lab/cause/K.larch_blow.kappa/")
        expect(page.get_by_role("heading", name="Mostly H-factor run, as cooked")).to_be_visible()
        expect(page.get_by_text("acts on the first cause itself")).to_be_visible()
        page.get_by_role("link", name="by the clock").click()
        expect(page.get_by_text("each strip as it stood at that minute")).to_be_visible()
        page.get_by_label("in your words").fill("digester 2 ran short")
        page.get_by_role("button", name="Write to the log").click()
        expect(page.get_by_role("status")).to_contain_text("What changed before Larch blow")
        page.get_by_role("link", name="Decide").click()
        page.get_by_role("button", name="Take as it is").first.click()
        page.get_by_role("button", name="Yes, in force").click()
        expect(page.get_by_role("status")).to_contain_text("Taken: Raise the larch cook")
        self.clock(150)
        self.open("/lab/record/K.larch_blow.kappa/?mode=result")
        page.locator('[name="value_1"]').fill("31.2")
        page.get_by_role("button", name="Record").click()
        expect(page.get_by_role("status").first).to_be_visible()
        effect = Record.objects.filter(kind=Kind.EFFECT, subject="K.larch_blow.kappa").latest("id")
        self.assertEqual(effect.status, "worked")

    def test_a_deviation_from_reading_to_disposition_and_a_rehearsed_recall(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        # a recall is rehearsed: what is suspected, what it touched, nothing held
        self.open("/deliver/trace/")
        page.get_by_label("Number of a lot that is suspected").fill(COOK)
        page.get_by_role("button", name="Find").click()
        expect(page.get_by_text("touched")).to_be_visible()
        expect(page.get_by_role("heading", name="Hold 1 lot in one act")).to_be_visible()
        page.get_by_label("what is suspected, and why").fill("the yearly rehearsal")
        page.get_by_label("Sign, your PIN").fill(PIN)
        page.get_by_role("button", name="It was a rehearsal").click()
        expect(page.get_by_role("heading", name=re.compile("Rehearsal: KD-"))).to_be_visible()
        expect(page.get_by_role("heading", name="A rehearsal", exact=True)).to_be_visible()
        # a deviation is opened, contained, explained and closed by two
        self.open("/deliver/deviations/")
        page.get_by_label("Why").select_option("contamination")
        page.get_by_label("what was seen, in a sentence").fill("black specks on the last washer")
        page.get_by_label("Suspect").fill(COOK)
        page.get_by_role("button", name="Open the deviation").click()
        expect(page.get_by_role("heading", name=re.compile("Deviation DV"))).to_be_visible()
        number = page.locator("h1").inner_text().split()[-1]
        for key in ("spread", "marked", "told"):
            page.locator(f"#w_{key}").fill("done, by the larch washer")
            page.locator(f'button[value="{key}"]').click()
        page.locator("#w_cause").fill("scale of the blow line")
        page.locator('button[value="cause"]').click()
        self.open(f"/deliver/lots/{LOT}/")
        expect(page.get_by_role("button", name="Release", exact=True)).to_be_disabled()
        page.get_by_role("link", name=number).click()
        page.get_by_label("It ends so").select_option("as_is")
        page.locator("#words").fill("specks are within the limit of the card")
        page.get_by_label("Sign, your PIN").fill(PIN)
        page.get_by_role("button", name="Close it, both sign").click()
        expect(page.get_by_text("a process engineer signs with you")).to_be_visible()
        page.get_by_label("Signs second").select_option("pn")
        page.get_by_label("Sign, your PIN").fill(PIN)
        page.get_by_label("Their PIN").fill(PIN)
        page.get_by_role("button", name="Close it, both sign").click()
        expect(page.get_by_text(re.compile(r"Signed by lead M.R.\s+and\s+engineer P.N.")).first).to_be_visible()
        # the lot is released under it, by two
        self.open(f"/deliver/lots/{LOT}/")
        page.get_by_label("reason, needed for all but a plain release").fill("as the deviation says")
        page.get_by_label("Sign, your PIN").fill(PIN)
        page.get_by_label("Signs second").select_option("pn")
        page.get_by_label("Their PIN").fill(PIN)
        page.get_by_role("button", name="Release so").click()
        expect(page.get_by_text("Released", exact=False).first).to_be_visible()
        page.get_by_role("link", name="Ticket").click()
        expect(page.get_by_role("img", name="This ticket’s own address as a square code")).to_be_visible()
        expect(page.get_by_text(f"released under deviation {number}").first).to_be_visible()

    def test_a_round_under_one_finger_and_the_handover_that_tells_it(self):
        tablet = self.window(820, 1180, has_touch=True)
        self.sign_in("Shift lead, day shift", tablet)
        self.open("/lab/looks/", tablet)
        tablet.get_by_role("button", name="Begin").last.tap()
        tablet.get_by_text("Rolling", exact=True).tap()
        tablet.get_by_role("button", name="Keep the look").tap()
        expect(tablet.get_by_text("1 looked at, 1 left")).to_be_visible()
        tablet.get_by_text("Specks", exact=False).first.tap()
        tablet.get_by_role("button", name="Keep the look").tap()
        expect(tablet.get_by_text("choose how strong")).to_be_visible()
        tablet.get_by_label("clear").tap()
        tablet.get_by_role("button", name="Keep the look").tap()
        tablet.get_by_role("button", name="Finish the round").tap()
        expect(tablet.get_by_role("status")).to_contain_text("1 findings")
        self.open("/log/handover/", tablet)
        expect(tablet.get_by_role("heading", name="Know first")).to_be_visible()
        expect(tablet.get_by_text("Contamination, machine chest: specks (clear)").first).to_be_visible()
        tablet.get_by_role("textbox", name="To watch").fill("specks at the machine chest")
        tablet.get_by_label(re.compile("PIN")).fill(PIN)
        tablet.get_by_role("button", name="Sign the handover").tap()
        expect(tablet.get_by_role("status")).to_contain_text("Signed")
