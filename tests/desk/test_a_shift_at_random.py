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

PRESSES = int(os.environ.get("VAT_PRESSES", "45"))
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


class AtRandom(Desk):
    def setUp(self):
        make.forget()
        begin_from_version(by=make.person("pn"), now=make.NOW)
        self.chance = random.Random(SHIFT)
        self.desks = {who: self.at_desk(who) for who in set(WHO)}
        self.pages = sorted({page for pages in PAGES.values() for page in pages} | set(AFTERWARDS))
        self.known: set[str] = set()
        self.pressed: Counter[str] = Counter()

    def at_desk(self, who: str) -> Client:
        client = Client()
        client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")
        return client

    def follow(self, html: str) -> None:
        """What a page leads to may be opened later, one of a kind."""
        for place in re.findall(r'href="(/[^"#]*)"', html):
            kind = re.sub(r"\d+", "9", place.partition("?")[0])
            if kind not in self.known and not place.startswith(("/static", "/sign-")):
                self.known.add(kind)
                self.pages.append(place.replace("&amp;", "&"))

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

    def kind(self, form: Form, page: str) -> str:
        """Where it is sent, whatever it is about: what was seldom pressed is pressed the sooner."""
        return re.sub(r"\d+", "9", urlsplit(form.action or page).path)

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
        form = self.chance.choices(forms, [1 / (1 + self.pressed[self.kind(f, page)]) ** 2 for f in forms])[0]
        self.pressed[self.kind(form, page)] += 1
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
            who, page = self.chance.choice(WHO), self.chance.choice(self.pages)
            with self.subTest(press=len(told), who=who, page=page, minutes=minutes):
                told.append(0)
                told[-1] = self.press(who, page)
        kept = sum(code in (200, 204, 302) for code in told)
        self.assertGreater(kept, PRESSES / 4)
        self.assertEqual(verify(anchored=False).faults, ())
        for page in AFTERWARDS:
            with self.subTest(afterwards=page):
                answer = self.desks["mr"].get(page)
                self.assertEqual(answer.status_code, 200)
                assert_reads_well(self, answer.content.decode())
