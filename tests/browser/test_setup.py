"""A mill set up from nothing, step by step, to a running Shift."""

import re

from django.db import transaction
from playwright.sync_api import Page, expect

from desk.people.models import Person, Role
from tests.browser.desk import DeskCase

MOST_ACTIONS = 60


class Hand:
    """A hand on the page that counts what it does."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def press(self, name: str, role: str = "button") -> None:
        self.actions += 1
        self.page.get_by_role(role, name=name, exact=True).first.click()
        self.page.wait_for_load_state()

    def fill(self, label: str, value: str) -> None:
        self.actions += 1
        self.page.get_by_label(re.compile(rf"^{label}\b")).first.fill(value)

    def choose(self, label: str, option: str) -> None:
        self.actions += 1
        self.page.get_by_label(re.compile(rf"^{label}\b")).first.select_option(label=option)


class SetUpFromNothing(DeskCase):
    def setUp(self):
        """No mill at all: only those who may set one up."""
        from tests import make

        with transaction.atomic():
            make.nothing()
        for name, role in (("ada", Role.ENGINEER), ("ben", Role.LEAD), ("cyd", Role.OPERATOR)):
            Person.objects.create_user(name, password="otter-test-1", role=role, own_pin=True, initials=name[:2].upper())
        self.page = self.window()

    def enter(self, name: str) -> None:
        self.open("/sign-in/")
        self.page.get_by_label("Initials").fill(name)
        self.page.get_by_label("PIN").fill("otter-test-1")
        self.page.get_by_role("button", name="Sign in").click()
        self.page.wait_for_load_state()

    def test_a_recovered_line_to_a_running_shift(self):
        page, hand = self.page, Hand(self.page)
        self.enter("ada")
        hand.press("Set the mill up, step by step", "link")
        hand.press("Begin")
        expect(page.get_by_text("Mill is empty")).to_be_visible()
        for label, value in (
            ("Mill", "Otter Race"),
            ("Machine", "the Otter"),
            ("Width", "3.2"),
            ("Slowest", "300"),
            ("Fastest", "700"),
            ("Emergency number", "Site 2222, muster at the gate"),
        ):
            hand.fill(label, value)
        hand.press("Begin")
        expect(page.get_by_text("no line gives pulp yet")).to_be_visible()
        hand.fill("Its letter", "D")
        hand.fill("Its name", "Deinked")
        hand.fill("Fed with", "six")
        hand.press("Add the line")
        expect(page.get_by_text("Feed is “six”; it must be a number")).to_be_visible()
        expect(page.get_by_label("Its name")).to_have_value("Deinked")
        hand.fill("Fed with", "6")
        hand.press("Add the line")
        expect(page.get_by_role("heading", name="Bales")).to_be_visible()
        self.accessible()
        hand.choose("What it makes pulp of", "Broke")
        hand.fill("Its letter", "B")
        hand.fill("Fed with", "0.6")
        hand.press("Add the line")
        hand.press("flotation, D.float", "link")
        hand.fill("Name", "flotation cells")
        hand.press("Keep")
        expect(page.get_by_role("heading", name="Flotation cells")).to_be_visible()
        hand.press("grades", "link")
        hand.fill("Key", "L90")
        hand.fill("Name", "Liner")
        hand.fill("Basis weight", "90")
        hand.fill("Speed", "450")
        hand.press("Add the grade")
        hand.fill("D", "92")
        hand.fill("B", "9")
        hand.press("Keep")
        expect(page.get_by_text("sum to 101 %")).to_be_visible()
        hand.fill("B", "8")
        hand.press("Keep")
        hand.press("plan", "link")
        hand.press(re.compile(r"Add the \d\d usual rows"))
        expect(page.get_by_text("9 of 9 steps")).to_be_visible()
        self.accessible()
        hand.press("Propose it", "link")
        hand.fill("Reason", "the mill as built")
        hand.press("Propose the set-up")
        self.sign_out()
        self.enter("ben")
        hand.press("the mill as built", "link")
        hand.fill("Sign, your PIN", "otter-test-1")
        hand.press("Countersign")
        self.sign_out()
        self.enter("cyd")
        expect(page.get_by_role("heading", name="Due")).to_be_visible()
        expect(page.get_by_text("Liner").first).to_be_visible()
        self.assertLess(hand.actions, MOST_ACTIONS)
        self.said = [text for text in self.said if "status of 422" not in text]  # what was refused above
        self.calm()
