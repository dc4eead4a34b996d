"""A shift in which anybody presses anything in any order while the clock goes on: what is refused changes nothing,
what is kept is sealed, and every page opens afterwards.

A run presses a few dozen times; VAT_PRESSES=3000 presses as often as it says, VAT_SHIFT=n begins another shift.
"""

import os
import random
import re
from collections import Counter
from datetime import timedelta
from urllib.parse import urlsplit

from django.db import transaction
from django.test import Client

from desk.log.anchor import verify
from desk.log.models import Record
from desk.mill.clock import set_clock
from desk.mill.drafts import begin_from_version
from tests import make
from tests.desk.reading import assert_reads_well
from tests.desk.test_bleach import Desk
from tests.desk.test_every_form import ENDS_SESSION, KEPT_AS_THEY_ARE, PAGES, Form, Forms

PRESSES = int(os.environ.get("VAT_PRESSES", "20"))
SHIFT = os.environ.get("VAT_SHIFT", "a")
WHO = ("mr", "mr", "mr", "pn", "admin")  # who presses, the lead as often as all others
MINUTES = (1, 3, 7, 20, 61)
TYPED = ("seen at the place, told by hand", "12", "1.5", "")
NUMBER = re.compile(r"-?\d+(\.\d+)?")
AFTERWARDS = (
    "/",
    "/lab/",
    "/log/",
    "/log/handover/",
    "/schedule/",
    "/schedule/stops/",
    "/schedule/ahead/",
    "/mill/",
    "/mill/accounts/",
    "/cook/",
    "/wash/",
    "/bleach/",
    "/moves/",
    "/deliver/lots/",
    "/cases/",
    "/instruments/",
)


A_KIND = 40  # places of a kind that are remembered


def kind(place: str) -> str:
    """Of what kind an address is: its path, whatever it is about."""
    return re.sub(r"\d+", "9", urlsplit(place).path)


class AtRandom(Desk):
    def setUp(self):
        make.forget()
        begin_from_version(by=make.person("pn"), now=make.NOW)
        self.chance = random.Random(SHIFT)
        self.desks = {who: self.at_desk(who) for who in set(WHO)}
        self.pages: dict[str, list[str]] = {}
        self.opened: Counter[str] = Counter()
        self.pressed: Counter[str] = Counter()
        for page in sorted({page for pages in PAGES.values() for page in pages} | set(AFTERWARDS)):
            self.pages.setdefault(kind(page), []).append(page)

    def at_desk(self, who: str) -> Client:
        client = Client()
        client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")
        return client

    def follow(self, html: str) -> None:
        """What a page leads to may be opened later."""
        for place in re.findall(r'href="(/[^"#]*)"', html):
            if not place.startswith(("/static", "/sign-")) and len(known := self.pages.setdefault(kind(place), [])) < A_KIND:
                known.append(place.replace("&amp;", "&"))

    def a_page(self) -> str:
        """Any page, the sooner the seldomer one of its kind was opened."""
        names = list(self.pages)
        name = self.chance.choices(names, [1 / (1 + self.opened[n]) for n in names])[0]
        self.opened[name] += 1
        return self.chance.choice(self.pages[name])

    def typed(self, form: Form) -> dict[str, str]:
        """As it stands, some numbers a little off, what is empty said or left so."""
        given = dict(form.fields)
        for name, value in form.fields.items():
            if name in KEPT_AS_THEY_ARE:
                continue
            if NUMBER.fullmatch(value) and self.chance.random() < 0.35:
                given[name] = f"{float(value) * self.chance.uniform(0.9, 1.1):.3g}"
            elif not value:
                given[name] = self.chance.choice(TYPED)
        if form.presses:
            given |= dict([self.chance.choice(form.presses)])
        return given | {"pin": make.PIN}

    def press(self, who: str, page: str) -> int:
        """A form of the page, sent; 0 where it has none. What is refused has written nothing."""
        answer = self.desks[who].get(page)
        if answer.status_code != 200 or "html" not in answer["Content-Type"]:
            self.assertIn(answer.status_code, (200, 302, 403, 404, 422))
            return 0
        html = answer.content.decode()
        self.follow(html)
        forms = [f for f in Forms(html).found if not urlsplit(f.action or page).path.endswith(ENDS_SESSION)]
        if not forms:
            return 0
        form = self.chance.choices(forms, [1 / (1 + self.pressed[kind(f.action or page)]) ** 2 for f in forms])[0]
        self.pressed[kind(form.action or page)] += 1
        before = Record.objects.count()
        with transaction.atomic():
            answer = self.desks[who].post(urlsplit(form.action or page).path, given := self.typed(form))
        self.assertIn(answer.status_code, (200, 204, 302, 403, 404, 409, 422), (page, given))
        if answer.status_code in (403, 404, 422):
            self.assertEqual(Record.objects.count(), before, (page, form.action, given))
        return answer.status_code

    def test_anything_in_any_order(self):
        minutes, told = 0.0, []
        while sum(map(bool, told)) < PRESSES:
            if self.chance.random() < 0.5:
                minutes += self.chance.choice(MINUTES)
                set_clock(make.NOW + timedelta(minutes=minutes))
            who, page = self.chance.choice(WHO), self.a_page()
            with self.subTest(press=len(told), who=who, page=page, minutes=minutes):
                told.append(0)
                told[-1] = self.press(who, page)
        kept = sum(code in (200, 204, 302) for code in told)
        self.assertGreater(kept, PRESSES / 4)
        self.assertEqual(verify(anchored=False).faults, ())
        for page in AFTERWARDS:
            with self.subTest(afterwards=page):
                answer = self.desks["mr"].get(page, follow=True)  # a handover that was signed leads to itself
                self.assertEqual(answer.status_code, 200)
                assert_reads_well(self, answer.content.decode())
