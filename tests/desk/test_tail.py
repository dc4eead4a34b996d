"""What a process holds of the record's end answers as the record does: after any write, late entry, correction or roll-back."""

import random
from datetime import timedelta

from django.db import transaction
from django.test import TestCase

from desk.deliver.actions import LOT_LASTS
from desk.log import tail
from desk.log.actions import write
from desk.log.models import Kind, Record
from tests import make

KINDS = (Kind.RESULT, Kind.EVENT, Kind.MOVE, Kind.DECISION, Kind.LOT_OPEN, Kind.DOWN, Kind.SETPOINT, Kind.ORDER)
SUBJECTS = ("tank.oak", "plan.row", "set.unit", "other", "tank.ash")
STATES = ("", "single", "accepted", "level")
HELD_ALL = [(Kind.ORDER, ""), (Kind.SETPOINT, "set."), (Kind.EVENT, "plan.")]  # how far ever back


class TakenBack(Exception):
    pass


class AsTheRecordSays(TestCase):
    def setUp(self):
        tail.forget()
        self.by = make.person("mr")

    def put(self, rng: random.Random) -> Record:
        """One record of any kind, written now or late, about another or in place of it."""
        before = make.NOW - timedelta(minutes=rng.choice((0, 1, 30, 700, 4000, 30_000)) * rng.random())
        current = list(Record.objects.current().order_by("-pk")[:30])
        corrects = rng.choice(current) if rng.random() < 0.3 else None
        told = {"subject": rng.choice(SUBJECTS), "status": rng.choice(STATES), "at": before, "value": rng.random()}
        if corrects is not None:
            told |= {"subject": corrects.subject, "at": corrects.at, "corrects": corrects, "reason": "other"}
        kind = corrects.kind if corrects is not None else rng.choice(KINDS)
        return write(kind=kind, by=self.by, now=make.NOW, says="written by the tests", **told)

    def assertAsTheRecord(self, rng: random.Random) -> None:
        held = tail.tail()
        for _ in range(6):
            kinds = rng.sample(KINDS[1:], rng.randint(1, 3))
            since = make.NOW - timedelta(hours=rng.choice((1, 20, 200, 400, 1000)))
            until = make.NOW - timedelta(hours=rng.choice((-2, 0, 5, 300)))
            prefix, status = rng.choice(("", "tank.", "plan.", "set.")), rng.choice(((), STATES[1:3], STATES[3:]))
            asked = Record.objects.current().filter(kind__in=kinds, subject__startswith=prefix, at__gte=since, at__lte=until)
            asked = (asked.filter(status__in=status) if status else asked).order_by("at", "id")
            told = held.told(*kinds, since=since, until=until, prefix=prefix, status=status)
            self.assertEqual([r.pk for r in told], [r.pk for r in asked], (kinds, since, until, prefix, status))
            kind, subject = rng.choice(KINDS[1:]), rng.choice(("", *SUBJECTS))
            asked = Record.objects.current().filter(kind=kind, at__lte=until)
            asked = (asked.filter(subject=subject) if subject else asked).order_by("-at", "-id")
            self.assertEqual(held.newest(kind, until=until, subject=subject), asked.first(), (kind, until, subject))
            most = rng.randint(1, 5)
            results = list(Record.objects.recent_results(since, until, most))
            told = held.recent_results(since, until, most)
            self.assertEqual(sorted(t for own in told.values() for t in own), sorted(results))
            asked = Record.objects.current().filter(
                kind=Kind.RESULT, subject__in=SUBJECTS[:3], at__gte=since, status__in=STATES[1:]
            )
            told = held.results_of(SUBJECTS[:3], since, STATES[1:])
            self.assertEqual([r.pk for r in told], [r.pk for r in asked.order_by("at", "id")])
        for kind, prefix in HELD_ALL:
            asked = Record.objects.current().filter(kind=kind, subject__startswith=prefix).order_by("at", "id")
            self.assertEqual([r.pk for r in held.told(kind, prefix=prefix)], [r.pk for r in asked])

    def test_after_writes_late_entries_corrections_and_roll_backs_in_any_order(self):
        rng = random.Random(7)
        for k in range(12):
            with self.subTest(step=k):
                for _ in range(rng.randint(0, 4)):
                    self.put(rng)
                    if rng.random() < 0.3:
                        tail.tail()
                if rng.random() < 0.4:
                    try:
                        with transaction.atomic():
                            self.put(rng)
                            self.assertAsTheRecord(rng)
                            raise TakenBack
                    except TakenBack:
                        pass
                self.assertAsTheRecord(rng)

    def test_only_what_is_new_is_read(self):
        held = tail.tail()
        with self.assertNumQueries(1):
            self.assertIs(tail.tail(), held)
        self.put(random.Random(1))
        with self.assertNumQueries(2):
            grown = tail.tail()
        self.assertIs(tail.tail(), grown)

    def test_what_is_read_by_one_request_does_not_grow_under_it(self):
        before = tail.tail()
        events = list(before.records[Kind.EVENT])
        write(kind=Kind.EVENT, subject="tank.oak", by=self.by, now=make.NOW, says="written by the tests")
        self.assertEqual(len(tail.tail().records[Kind.EVENT]), len(events) + 1)
        self.assertEqual(before.records[Kind.EVENT], events)

    def test_after_a_day_of_entries_the_oldest_are_let_go(self):
        told = {"subject": "a lot", "by": self.by, "now": make.NOW, "says": "written by the tests"}
        old = write(kind=Kind.LOT_CLOSE, at=make.NOW - LOT_LASTS + timedelta(minutes=30), **told)
        before = tail.tail()
        later = make.NOW + tail.ANEW + timedelta(hours=1)
        write(kind=Kind.EVENT, subject="other", by=self.by, now=later, says="written by the tests")
        after = tail.tail()
        self.assertIsNone(after.base)
        self.assertEqual(after.begun, later)
        self.assertIn(old, before.records[Kind.LOT_CLOSE])
        self.assertNotIn(old, after.records[Kind.LOT_CLOSE])
        self.assertIn(old, after.told(Kind.LOT_CLOSE, since=old.at))  # what is no longer held is asked of the record

    def test_an_empty_record_says_nothing(self):
        self.assertEqual(tail._read((0, "")).told(Kind.EVENT, since=make.NOW), [])
