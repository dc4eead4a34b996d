"""From refiner to reel in a browser: a set point for a freeness, a furnish that fits nothing, a break, a card put in force."""

import re

from playwright.sync_api import expect

from tests.browser.desk import DeskCase


class Furnish(DeskCase):
    def test_a_refiner_s_set_point_a_furnish_that_fits_nothing_and_a_break(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        self.open("/refine/?line=K.refine")
        page.get_by_label(re.compile("Freeness wanted")).fill("430")
        expect(page.get_by_role("heading", name=re.compile("K1 to 2.. kW"))).to_be_visible()
        page.get_by_role("link", name="Put these in force").click()
        page.get_by_label("Why", exact=True).fill("wetter for the card")
        page.get_by_role("button", name="Put in force").click()
        expect(page.get_by_text("in force since").first).to_be_visible()
        expect(page.get_by_label(re.compile("K1, gross power"))).to_have_value(re.compile("^2"))
        # the furnish: nothing fits, the limit is eased by hand, then the first step is seen and put in force
        self.open("/blend/")
        page.get_by_label(re.compile("Freeness, at least")).fill("388")
        page.get_by_role("button", name="Find least cost").click()
        expect(page.get_by_text("These cannot hold together")).to_be_visible()
        expect(page.get_by_text("Least give, one")).to_be_visible()
        page.get_by_label(re.compile("Freeness, at least")).fill("350")
        page.get_by_role("button", name="Find least cost").click()
        expect(page.get_by_text("What holds it")).to_be_visible()
        page.get_by_role("link", name="See it, put in force").click()
        expect(page.get_by_role("heading", name="Shares and towers")).to_be_visible()
        page.get_by_role("button", name="Put in force").click()
        expect(page.get_by_text("say why the furnish is changed")).to_be_visible()
        page.get_by_label("Why", exact=True).fill("bagasse runs short")
        page.get_by_role("button", name="Put in force").click()
        expect(page.get_by_text("Furnish set: K").first).to_be_visible()
        # a break, and where its broke goes
        self.open("/deliver/machine/")
        page.get_by_label(re.compile("A break of")).fill("60")
        expect(page.get_by_text("more than the tower holds")).to_be_visible()
        page.get_by_label(re.compile("A break of")).fill("4")
        expect(page.get_by_text("more than the tower holds")).to_have_count(0)
        self.said = [text for text in self.said if "status of 422" not in text]  # the reason that was not given
        self.calm()

    def test_a_card_from_an_order_to_set_points_in_force(self):
        page = self.page
        self.sign_in("Shift lead, day shift")
        shares = "share_K=54&share_S=16&share_M=12&share_R=10&share_W=3&share_B=5"
        self.open(f"/schedule/card/?order=H-0413&grade=LB80&gsm=80&sale_t=20&speed_m_min=880&start=16:45&{shares}")
        expect(page.get_by_text("Set at its start")).to_be_visible()
        page.get_by_role("button", name="Find least cost").click()
        expect(page.get_by_text("At least cost")).to_be_visible()
        page.get_by_role("listitem").filter(has_text="a tonne, saves").get_by_role("button", name="Put in").click()
        expect(page.get_by_label(re.compile("K kraft"))).not_to_have_value("54")
        self.open(f"/schedule/card/?order=H-0413&grade=LB80&gsm=80&sale_t=20&speed_m_min=880&start=16:45&{shares}")
        page.get_by_role("button", name="Issue the card").click()
        expect(page.get_by_text("Added, and set at its start")).to_be_visible()
        page.get_by_label("reason to go on").fill("due")
        page.get_by_role("button", name=re.compile("takes it now")).click()
        self.open("/refine/?line=K.refine")
        expect(page.get_by_text("in force since").first).to_be_visible()
        self.calm()
