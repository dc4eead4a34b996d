"""Shift's board is kept while nothing has changed, and never longer: what is written, read, begun or decided shows at once."""

import re
from datetime import timedelta

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from desk.cook.actions import add_point
from desk.cook.models import Cook
from desk.instruments.models import ms
from desk.intake.actions import Raw, deliver
from desk.lab.actions import Entry, record_sample
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.shift import kept_board
from tests import make


class KeptBoard(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.as_("jd")

    def as_(self, who: str) -> None:
        self.client.force_login(make.person(who), backend="django.contrib.auth.backends.ModelBackend")

    def board(self) -> str:
        """Shift's own part, without what every page carries."""
        return self.client.get("/").content.decode().partition('id="live"')[2].partition("<footer")[0]

    def test_nothing_changed_is_rendered_once_and_asks_little(self):
        first = self.board()
        with CaptureQueriesContext(connection) as asked:
            self.client.get("/")
        self.assertLessEqual(len(asked), 9)  # the clock asks once a second
        self.assertEqual(self.board(), first)
        self.assertEqual(len(kept_board._boards), 1)

    def test_a_sample_shows_at_once(self):
        self.assertIn("8.4", self.words())
        state = make.state(0)
        row = state.mill.plan["K.last_mat.soda_loss"]
        record_sample(row=row, entry=Entry(results=(9.3,)), at=state.now, by=make.person("jd"), now=state.now, state=state)
        self.assertIn("9.3", self.words())

    def words(self) -> list[str]:
        """What the board says, word by word, without its drawings' own figures."""
        return re.sub(r"<[^>]+>", " ", self.board()).split()

    def test_a_reading_shows_at_once(self):
        before = self.board()
        at = make.NOW
        raw = [Raw(1, "level.B.tower", ms(at + timedelta(seconds=1)), 91.0)]
        deliver(rows=raw, door="typed", name="by hand", by=make.person("jd"), now=at + timedelta(seconds=2))
        set_clock(at + timedelta(seconds=3))
        self.addCleanup(set_clock, make.NOW)
        self.assertNotEqual(self.board(), before)

    def test_a_point_of_a_running_cook_and_a_new_minute_make_it_anew(self):
        self.board()
        keys = set(kept_board._boards)
        cook = Cook.objects.get(number=1148)
        add_point(cook=cook, minute=117.0, value=169.0, by=make.person("tk"), now=make.NOW)
        self.board()
        self.assertGreater(len(set(kept_board._boards) - keys), 0)
        keys = set(kept_board._boards)
        set_clock(make.NOW + timedelta(minutes=1))
        self.addCleanup(set_clock, make.NOW)
        self.assertIn("10:43", self.board())
        self.assertGreater(len(set(kept_board._boards) - keys), 0)

    def test_a_decision_is_never_kept_with_its_form(self):
        move = Record.objects.filter(kind=Kind.MOVE, subject="K.larch_blow.kappa").latest("id")
        self.client.post(f"/moves/{move.pk}/", {"choice": "take"})
        kept_board.forget()
        first, second = self.board(), self.board()
        self.assertIn('name="once"', first)  # it can be undone, by a form whose key is good once
        key = first.partition('name="once" value="')[2].partition('"')[0]
        self.assertNotIn(key, second)
        self.assertEqual(len(kept_board._boards), 0)

    def test_each_sees_their_own(self):
        self.board()
        self.as_("cv")  # an auditor takes no moves
        auditor = self.board()
        self.as_("jd")
        self.assertNotEqual(self.board(), auditor)
        self.client.post("/help/units/", {"system": "us"})
        self.assertNotEqual(self.board(), auditor)
        self.assertGreaterEqual(len(kept_board._boards), 3)

    def test_it_keeps_a_few(self):
        self.addCleanup(set_clock, make.NOW)
        for minute in range(kept_board.KEPT + 4):
            set_clock(make.NOW + timedelta(minutes=minute))
            self.board()
        self.assertEqual(len(kept_board._boards), kept_board.KEPT)
