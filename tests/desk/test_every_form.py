"""Every form of every page, sent as the page has it but for one field that cannot be: a sentence, never a failure."""

import os
import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser
from urllib.parse import urlsplit

from django.db import transaction
from django.test import Client

from desk.mill.drafts import begin_from_version
from tests import make
from tests.desk.test_bleach import Desk

NASTY = ("", "-1", "0", "1e308", "nan", "many", "é\x00½", "9" * 40, "<b>1</b>", "25:99", "100.0001", "inf")
TRIED = int(os.environ.get("VAT_FORMS", "1"))  # of every form, so many fields with one such value each
PAGES = {  # by who sends what stands there: a shift lead, an engineer, an administrator
    "mr": (
        "/lab/row/K.larch_blow.kappa/",
        "/schedule/",
        "/schedule/card/?order=H-0413",
        "/log/handover/",
        "/instruments/",
        "/stock/",
        "/stock/?row=K.chest.consistency",
        "/deliver/lots/BM-26318-A01-2/",
        "/deliver/lots/BM-26318-A02-C/",
        "/help/",
        "/chips/",
        "/cook/",
        "/wash/",
        "/cook/continuous/",
        "/cook/records/1148/",
        "/cook/records/1147/",
        "/moves/row/K4/",
        "/moves/row/K10/",
        "/moves/row/W1-K/",
        "/moves/row/B3/",
        "/bleach/tanks/",
        "/schedule/stops/",
        "/schedule/plan/",
        "/schedule/orders/bring-in/",
        "/lab/record/machine.chest.consistency/",
        "/lab/record/K.larch_blow.kappa/",
        "/lab/record/K.larch_blow.kappa/?mode=none",
        "/lab/looks/?key=vapour.K.bleach",
        "/log/note/",
        "/moves/row/T1/?csf_ml=142",
        "/deliver/deviations/",
        "/deliver/trace/?suspect=KD-26317-B02-5",
        "/recovered/pulper/?n1=4",
        "/recovered/yard/",
        "/blend/put/?s0=48&s1=15&s2=10.2&s3=14.4&s4=5.2&s5=7.2",
        "/mill/put/?unit=K.larch.cook&ea_pct_naoh=18.9",
        "/mill/case/?s.K.larch.cook.ea_pct_naoh=18.5",
        "/mill/draft/",
        "/mill/edit/vessels/S.tower/",
        "/mill/edit/grades/EX70/",
        "/refine/plates/",
    ),
    "pn": (
        "/cook/fit/larch/",
        "/lab/chart/K.larch_blow.kappa/",
        "/cook/records/import/",
    ),
    "admin": ("/people/",),
}
KEPT_AS_THEY_ARE = ("csrfmiddlewaretoken", "once", "next", "back")
ENDS_SESSION = ("/sign-out/", "/sign-in/", "/pin/")


@dataclass
class Form:
    """A form as it stands on its page: where it is sent, what is sent with it."""

    action: str
    fields: dict[str, str] = field(default_factory=dict)
    presses: list[tuple[str, str]] = field(default_factory=list)  # the buttons that send it, by name and value


class Forms(HTMLParser):
    """The forms of a page that write, with what their fields open with."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[Form] = []
        self.now: Form | None = None
        self.choosing = self.writing = ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs) -> None:
        told = dict(attrs)
        if tag == "form":
            self.now = Form(told.get("action") or "") if told.get("method", "").lower() == "post" else None
        if self.now is None:
            return
        name = told.get("name") or ""
        if tag == "input" and name:
            self._input(name, told)
        elif tag == "button" and name:
            self.now.presses.append((name, told.get("value") or ""))
        elif tag == "select":
            self.choosing = name
        elif tag == "option" and self.choosing and (self.choosing not in self.now.fields or "selected" in told):
            self.now.fields[self.choosing] = told.get("value") or ""
        elif tag == "textarea":
            self.writing, self.now.fields[name] = name, ""

    def _input(self, name: str, told: dict) -> None:
        assert self.now is not None
        kind = told.get("type", "text")
        if kind == "file" or (kind in ("radio", "checkbox") and "checked" not in told):
            return
        self.now.fields[name] = told.get("value") or ""

    def handle_data(self, data: str) -> None:
        if self.writing and self.now is not None:
            self.now.fields[self.writing] += data

    def handle_endtag(self, tag: str) -> None:
        if tag == "select":
            self.choosing = ""
        elif tag == "textarea":
            self.writing = ""
        elif tag == "form":
            if self.now is not None:
                self.found.append(self.now)
            self.now = None


class EveryForm(Desk):
    """By a shift lead, an engineer and an administrator, who between them may send what there is to send."""

    def setUp(self):
        make.forget()
        begin_from_version(by=make.person("pn"), now=make.NOW)

    def forms(self, client: Client, pages: tuple[str, ...]) -> Iterator[tuple[str, Form]]:
        """Each form once, by where it goes and what it asks for."""
        seen = set()
        for path in pages:
            answer = client.get(path)
            self.assertEqual(answer.status_code, 200, path)
            for form in Forms(answer.content.decode()).found:
                action = urlsplit(form.action or path).path
                key = action, frozenset(form.fields)
                if key not in seen and not action.endswith(ENDS_SESSION):
                    seen.add(key)
                    yield path, Form(action, form.fields, form.presses)

    def sent(self, client: Client, action: str, given: dict[str, str]) -> int:
        with transaction.atomic():
            answer = client.post(action, given)
            transaction.set_rollback(True)
        return answer.status_code

    def test_as_it_stands_and_with_one_field_that_cannot_be_it_is_kept_or_refused_in_words(self):
        chance, sent = random.Random(11), 0
        for who, pages in PAGES.items():
            client = Client(raise_request_exception=False)
            client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")
            for path, form in list(self.forms(client, pages)):
                tries = [dict([press]) | form.fields for press in form.presses[:2]] or [form.fields]
                names = [n for n in form.fields if n not in KEPT_AS_THEY_ARE]
                for name in chance.sample(names, min(TRIED, len(names))):
                    pressed = dict([chance.choice(form.presses)]) if form.presses else {}
                    tries.append(pressed | form.fields | {name: chance.choice(NASTY)})
                for given in tries:
                    sent += 1
                    with self.subTest(page=path, action=form.action, by=who, given=given):
                        self.assertLess(self.sent(client, form.action, given), 500)
        self.assertGreater(sent, 50 + 30 * TRIED)
