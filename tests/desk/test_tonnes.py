"""No tonne is in two lots, and none in no lot: whatever is closed, stopped, slowed or ended in whatever order."""

import random
from datetime import datetime, timedelta

from django.utils import timezone

from desk.deliver.actions import LEAST_T, close_and_go_on, lots, running_lot, running_tonnes, source_lot
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.mill.state import MillState
from tests import make
from tests.desk.test_second_press import Pressed

HALT = {"unit": "", "what": "felt", "planned": "yes", "why": "", "number": "", "does": "stop", "rate_pct": ""}
WALKS, STEPS = 3, 14
NEAR = 1e-6


def written(when: datetime) -> str:
    return f"{timezone.localtime(when):%H:%M}"


class Tonnes(Pressed):
    def setUp(self):
        super().setUp()
        self.now = make.NOW

    def go_on(self, minutes: float) -> MillState:
        self.now += timedelta(minutes=minutes)
        set_clock(self.now)
        return MillState(self.now)

    def closed(self, since: datetime) -> list[Record]:
        rows = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=False, at__gt=since)
        return list(rows.select_related("about").order_by("at", "id"))

    def stop(self, begins: datetime, ends: datetime, **more: str) -> bool:
        self.press("/schedule/stops/", **{**HALT, "from": written(begins), "to": written(ends), **more})
        return self.kept > 0

    def delivered(self, since: datetime, state: MillState) -> float:
        """What was delivered since a time, added up minute by minute from how the machine ran."""
        minutes = round((state.now - since).total_seconds() / 60)
        rates = (state.rate_at(since + timedelta(minutes=i + 0.5)) for i in range(minutes))
        return sum(rates) / 60 * state.draw.solids_t_h

    def test_lots_share_out_what_was_delivered(self):
        for walk in range(WALKS):
            chance = random.Random(walk)
            begun = self.now
            state = self.go_on(0)
            with self.subTest(walk=walk):
                close_and_go_on(opened=running_lot(state).opened, by=make.person("mr"), now=self.now, state=state)
                kept = 0
                for _ in range(STEPS):
                    state = self.go_on(chance.choice((4.0, 11.0, 27.0)))
                    act = chance.random()
                    if act < 0.35:
                        close_and_go_on(opened=running_lot(state).opened, by=make.person("mr"), now=self.now, state=state)
                    elif act < 0.6:
                        begins = self.now + timedelta(minutes=chance.choice((2, 9)))
                        kept += self.stop(begins, begins + timedelta(minutes=chance.choice((5, 20))))
                    elif act < 0.75:
                        begins = self.now + timedelta(minutes=3)
                        more = {"does": "rate", "rate_pct": "80"}
                        kept += self.stop(begins, begins + timedelta(minutes=30), **more)
                    elif halt := Record.objects.current().filter(kind=Kind.STOP, at__lte=self.now).order_by("-at").first():
                        self.press(f"/schedule/stops/{halt.pk}/end/")
                state = self.go_on(60)
                rows = self.closed(begun)
                for before, after in zip(rows, rows[1:], strict=False):
                    self.assertEqual(after.about.at, before.at)  # the next begins with the second at which one ends
                running = running_lot(state)
                self.assertEqual(running.opened.at, rows[-1].at if rows else begun)
                told = sum(r.data["tonnes"] for r in rows) + running_tonnes(running.opened, state)
                self.assertGreater(told, 1.0)
                self.assertAlmostEqual(told, self.delivered(begun, state), delta=0.02 * told)
                self.assertEqual(sum(x.number == running.number for x in lots(state)), 1)

    def test_every_lot_is_made_of_what_its_sources_gave(self):
        chance = random.Random(9)
        for _ in range(8):
            state = self.go_on(chance.choice((20.0, 45.0, 70.0)))
            close_and_go_on(opened=running_lot(state).opened, by=make.person("mr"), now=self.now, state=state)
        rows = self.closed(make.NOW)
        self.assertEqual(len(rows), 8)
        shares = make.state().shares
        for row in rows:
            with self.subTest(lot=row.subject):
                given = row.data["sources"]
                whole = sum(x["t"] for x in given)
                self.assertAlmostEqual(whole, row.data["tonnes"], delta=LEAST_T * (len(given) + 1))
                self.assertTrue(all(x["t"] >= 0 for x in given))
                for source, share in shares.items():
                    part = sum(x["t"] for x in given if x["source"] == source)
                    self.assertAlmostEqual(part, share * row.data["tonnes"], delta=LEAST_T * (len(given) + 1))

    def test_no_source_lot_gives_more_than_it_holds_however_often_lots_are_closed(self):
        chance = random.Random(10)
        for _ in range(10):
            state = self.go_on(chance.choice((8.0, 31.0, 95.0)))
            close_and_go_on(opened=running_lot(state).opened, by=make.person("mr"), now=self.now, state=state)
        numbers = {x["lot"] for row in self.closed(make.NOW) for x in row.data["sources"]} - {""}
        self.assertGreater(len(numbers), 4)
        for number in sorted(numbers):
            found = source_lot(number)
            with self.subTest(source=number):
                self.assertIsNotNone(found)
                self.assertLessEqual(found.given, found.tonnes + NEAR)
                self.assertAlmostEqual(found.left, found.tonnes - found.given, delta=NEAR)

    def test_a_stop_is_not_counted_and_a_slow_hour_in_part(self):
        state = self.go_on(0)
        close_and_go_on(opened=running_lot(state).opened, by=make.person("mr"), now=self.now, state=state)
        opened = running_lot(state).opened
        begins = self.now + timedelta(minutes=10)
        self.assertTrue(self.stop(begins, begins + timedelta(minutes=30)), self.told)
        whole = self.go_on(60)
        a_minute = whole.draw.solids_t_h / 60
        self.assertAlmostEqual(running_tonnes(opened, whole), 30 * a_minute, delta=1.1 * a_minute)
        self.assertAlmostEqual(running_tonnes(opened, self.go_on(30)), 60 * a_minute, delta=1.1 * a_minute)

    def test_a_stop_that_is_over_or_taken_back_is_not_ended_again(self):
        """From a page that stood open meanwhile: it would grow by all the time since, and take the tonnes of it."""
        state = self.go_on(0)
        begins = self.now + timedelta(minutes=4)
        self.assertTrue(self.stop(begins, begins + timedelta(minutes=10)), self.told)
        planned = Record.objects.filter(kind=Kind.STOP).order_by("-pk").first()
        later = begins + timedelta(hours=2)
        self.assertTrue(self.stop(later, later + timedelta(minutes=10)), self.told)
        withdrawn = Record.objects.filter(kind=Kind.STOP).order_by("-pk").first()
        self.press(f"/schedule/stops/{withdrawn.pk}/end/")
        self.assertGreater(self.kept, 0)
        taken_back = Record.objects.filter(kind=Kind.STOP).order_by("-pk").first()
        self.refused(f"/schedule/stops/{taken_back.pk}/end/", "taken back already")
        state = self.go_on(8)
        self.press(f"/schedule/stops/{planned.pk}/end/")
        ended = Record.objects.filter(kind=Kind.STOP).order_by("-pk").first()
        self.assertLess(abs(datetime.fromisoformat(ended.data["until"]) - self.now), timedelta(seconds=5))
        state = self.go_on(25)
        before = state.running_h(make.NOW, self.now)
        self.refused(f"/schedule/stops/{ended.pk}/end/", f"ended at {written(self.now - timedelta(minutes=25))} already")
        self.assertEqual(self.go_on(0).running_h(make.NOW, self.now), before)
        old = Record.objects.current().filter(kind=Kind.STOP, at__lt=make.NOW).order_by("at").first()
        self.refused(f"/schedule/stops/{old.pk}/end/", "already; change it if it lasted longer")

    def test_a_lot_closed_twice_at_once_is_closed_once(self):
        state = self.go_on(30)
        opened = running_lot(state).opened
        close_and_go_on(opened=opened, by=make.person("mr"), now=self.now, state=state)
        before = Record.objects.count()
        with self.assertRaisesMessage(Exception, "was closed at"):
            close_and_go_on(opened=opened, by=make.person("mr"), now=self.now, state=state)
        self.assertEqual(Record.objects.count(), before)
        self.assertNotEqual(running_lot(state).opened.pk, opened.pk)
