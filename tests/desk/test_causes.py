"""What changed before a reading, from the record: the page, its windows, its way into the log."""

from datetime import timedelta

from django.test import TestCase

from core.mill.causes import SETTING
from desk.lab import causes
from desk.lab.actions import Entry, record_sample
from desk.log.models import Kind, Record
from desk.mill import in_force
from desk.mill.clock import set_clock
from desk.mill.state import MillState
from desk.shift.demo import NOW
from tests import make, second_mill
from tests.desk.test_bleach import Desk

ROW, AT = "K.larch_blow.kappa", "/lab/cause/K.larch_blow.kappa/"
BRIGHT = "K.last_washer.brightness"


class Cause(Desk):
    def setUp(self):
        self.as_("mr")

    def told(self, row: str = ROW, **more) -> causes.Told:
        state = make.state(0)
        return causes.told_of(state, state.mill.plan[row], state.now, **more)

    def test_the_cook_that_was_held_too_short_stands_first(self):
        told = self.told()
        self.assertTrue(told.drift.seen)
        self.assertEqual(told.shares[0].thing.name, "h")
        self.assertEqual(told.shares[0].seen, "likely")
        self.assertLess(told.shares[0].met.moved, 0.0)  # less H-factor, more kappa
        self.assertGreater(told.shares[0].part, 0.5 * told.drift.d)
        self.assertAlmostEqual(told.worked.result.sums_to, told.drift.d, places=9)
        self.assertFalse(told.mostly_unexplained)
        self.assertIn("acts on the first cause", causes.answered(told))
        one, six = self.told(now=1), self.told(now=6)
        self.assertEqual((one.drift.now, six.drift.now), (1, 6))
        self.assertGreater(one.drift.sd, six.drift.sd)

    def test_a_setting_put_in_force_is_met_after_its_way_and_called_by_who_set_it(self):
        state, by = make.state(0), make.person("mr")
        plan = state.line.acting["K.bleach"]
        change = in_force.weigh(state, "K.bleach", {"charge.1": plan.settings()["charge.1"] - 1.5})
        in_force.put(change=change, why="chlorine dioxide short", by=by, now=NOW, seen=0)
        row, way = state.mill.plan[BRIGHT], timedelta(hours=5)
        told = causes.told_of(state, row, state.now)
        self.assertNotIn("set:K.bleach.charge.1", [s.thing.key for s in told.shares])  # its pulp is still on the way
        before = told.points[-1].value
        for k in range(3):
            now = NOW + way + timedelta(hours=k)
            set_clock(now)
            at = MillState(now)
            record_sample(
                row=row, entry=Entry(results=(before - 1.4 - 0.1 * k,)), at=now, by=make.person("wa"), now=now, state=at
            )
        told = causes.told_of(MillState(now), row, now, now=3)
        first = told.shares[0]
        self.assertEqual((first.thing.key, first.thing.kind, first.seen), ("set:K.bleach.charge.1", SETTING, "likely"))
        self.assertIn("M.R.", first.note)
        self.assertAlmostEqual(first.met.moved, -1.5)
        self.assertLess(first.part, 0.5 * told.drift.d)
        self.assertEqual(causes.settles(told).row, BRIGHT)  # a setting is known: the reading itself is looked at again

    def test_a_corrected_reading_is_counted_as_it_was_corrected(self):
        before = self.told()
        newest = Record.objects.current().filter(kind=Kind.RESULT, subject=ROW).order_by("-at").first()
        state = make.state(1)
        record_sample(
            row=state.mill.plan[ROW],
            entry=Entry(results=(31.0,)),
            at=newest.at,
            by=make.person("mr"),
            now=state.now,
            state=state,
            corrects=newest,
            reason="mistyped",
        )
        after = self.told(now=before.now)
        self.assertLess(after.drift.d, before.drift.d)

    def test_the_page_its_paper_and_its_note(self):
        page = self.client.get(AT)
        self.assertContains(page, "Mostly H-factor run")
        self.assertContains(page, "Take the next result first")
        self.assertContains(self.client.get(f"{AT}?by=clock"), "stood at that minute")
        told = self.client.get(f"{AT}?json=1&n=3").json()
        parts = sum(s["part"] for s in told["shares"])
        self.assertAlmostEqual(parts + told["rest"], told["drift"]["d"], delta=2.0 * told["drift"]["sd"])
        for odd in ("n=0", "n=999", "n=x", "at=x", "at=-5", "at=99999999999999999", "at=1"):
            with self.subTest(asked=odd):
                self.assertEqual(self.client.get(f"{AT}?{odd}").status_code, 200)
        self.client.post(f"{AT}keep/", {"n": "3", "words": "digester 1 ran short of steam"})
        kept = Record.objects.filter(kind=Kind.REMARK, subject=ROW).latest("id")
        self.assertIn("H-factor run", kept.says)
        self.assertEqual((kept.words, kept.data["cause"]["drift"]["now"]), ("digester 1 ran short of steam", 3))

    def test_every_row_of_the_plan_has_its_page_and_says_what_it_cannot_tell(self):
        rows = list(make.state(0).mill.plan)
        for row in rows[:: max(1, len(rows) // 14)]:
            with self.subTest(row=row):
                self.assertEqual(self.client.get(f"/lab/cause/{row}/").status_code, 200)
        self.assertContains(self.client.get("/lab/cause/machine.chest.ph/"), "names no unit of the line")
        self.assertEqual(self.client.get("/lab/cause/none.such/").status_code, 404)


class OnAnotherMill(TestCase):
    def test_a_mill_without_results_says_so(self):
        second_mill.build()
        self.client.force_login(make.person("o3"), backend="django.contrib.auth.backends.ModelBackend")
        state = make.state(0)
        row = next(iter(state.mill.plan))
        self.assertEqual(self.client.get(f"/lab/cause/{row}/").status_code, 200)
