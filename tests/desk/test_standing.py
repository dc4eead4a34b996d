"""What every page reads of the log together is what the log says, at any time, after a write, a correction, one taken back."""

from datetime import timedelta

from django.db import transaction

from desk.log import tail
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill import in_force, standing
from desk.mill.standing import BACK, BATCH_KEEPS, COOK_KEEPS, HALTS_BACK, MOST_KEPT, TRUSTED
from tests import make
from tests.desk.test_bleach import Desk

FRESH = timedelta(hours=12)


class Standing(Desk):
    def setUp(self):
        make.forget()
        standing.forget()
        tail.forget()
        self.rows = sorted(make.state(0).mill.moisture_rows.values())

    def told(self, now):
        return standing.standing(now, self.rows, FRESH)

    def by_record(self, now) -> dict[str, list[int]]:
        """The same, each asked of the record by itself."""
        current = Record.objects.current().filter(at__lte=now).order_by("at", "id")
        keys = lambda records: [r.pk for r in records]  # noqa: E731
        halts = Record.objects.current().filter(kind__in=(Kind.STOP, Kind.RATE), at__gte=now - HALTS_BACK).order_by("at", "id")
        return {
            "halts": keys(halts),
            "shares": keys(current.filter(kind=Kind.SETPOINT, subject="blend.shares"))[-40:],
            "sets": sorted(r.pk for r in in_force.newest(now).values()),
            "cooks": keys(current.filter(kind=Kind.COOK, status__in=("blown", "tested"), at__gt=now - COOK_KEEPS)),
            "batches": keys(
                current.filter(kind=Kind.EVENT, subject__startswith="pulper.", status="batch", at__gt=now - BATCH_KEEPS)
            ),
            "moistures": keys(current.filter(kind=Kind.RESULT, subject__in=self.rows, status__in=TRUSTED, at__gt=now - FRESH)),
        }

    def as_told(self, now) -> dict[str, list[int]]:
        s = self.told(now)
        keys = lambda records: [r.pk for r in records]  # noqa: E731
        return {
            "halts": keys(s.halts(now)),
            "shares": keys(s.shares(now, 40)),
            "sets": sorted(r.pk for r in s.sets(now).values()),
            "cooks": keys(s.cooks(now)),
            "batches": keys(s.batches(now)),
            "moistures": keys(s.moistures(now, FRESH)),
        }

    def test_at_any_time_it_is_what_the_record_says(self):
        self.put("K.larch.cook", {"ea_pct_naoh": "18.9"})
        blown = {"species": "larch", "yield_pct": 46.0, "kappa": 31.0}
        by = make.person("mr")
        write(kind=Kind.COOK, subject="cook.9", status="blown", by=by, now=make.NOW, says="blown", data=blown)
        self.told(make.NOW)
        for hours in (0.0, 0.5, -1.0, -23.9, -24.1, -60.0, 5.0, 30.0, 24.0 * 12):
            now = make.NOW + timedelta(hours=hours)
            with self.subTest(hours=hours):
                self.assertEqual(self.as_told(now), self.by_record(now))
        told = self.as_told(make.NOW + timedelta(minutes=1))
        self.assertEqual([k for k, v in told.items() if not v], [])  # nothing is equal because there is none

    def put(self, unit: str, settings: dict[str, str]) -> None:
        self.as_("mr")
        seen = make.state(0).put_in_force.get(unit)
        sent = {"unit": unit, **settings, "why": "tried", "seen": str(seen.pk if seen else 0)}
        self.assertEqual(self.client.post("/mill/put/", sent).status_code, 302)

    def test_it_is_read_once_while_the_log_ends_as_it_did(self):
        first = self.told(make.NOW)
        with self.assertNumQueries(1):  # how the record ends
            self.assertIs(self.told(make.NOW + timedelta(hours=3)), first)
        self.assertIsNot(self.told(make.NOW - BACK - timedelta(hours=1)), first)  # longer before than it tells of
        self.assertIs(self.told(make.NOW), first)
        write(kind=Kind.REMARK, by=make.person("mr"), now=make.NOW, says="Note")
        with self.assertNumQueries(2):  # how it ends, and what was written
            self.assertIsNot(self.told(make.NOW), first)

    def test_a_write_a_correction_and_one_taken_back_are_felt_at_once(self):
        common = {"kind": Kind.STOP, "by": make.person("mr"), "now": make.NOW, "says": "stops", "at": make.NOW}
        data = {"until": (make.NOW + timedelta(hours=1)).isoformat(), "what": "trip", "planned": False, "rate_pct": 0.0}
        before = set(self.as_told(make.NOW)["halts"])
        stop = write(data=data, **common)
        self.assertEqual(set(self.as_told(make.NOW)["halts"]), before | {stop.pk})
        later = write(data=data | {"what": "felts"}, corrects=stop, reason="changed", **common)
        self.assertEqual(set(self.as_told(make.NOW)["halts"]), before | {later.pk})
        try:
            with transaction.atomic():
                write(data=data | {"what": "never"}, corrects=later, reason="changed", **common)
                self.assertNotIn(later.pk, self.as_told(make.NOW)["halts"])
                raise ZeroDivisionError
        except ZeroDivisionError:
            pass
        self.assertEqual(set(self.as_told(make.NOW)["halts"]), before | {later.pk})
        self.assertEqual(make.state(0).rate_at(make.NOW + timedelta(minutes=5)), 0.0)

    def test_it_keeps_a_few_and_another_mill_asks_for_its_own_rows(self):
        own = self.told(make.NOW)
        self.assertIsNot(standing.standing(make.NOW, [], timedelta(0)), own)
        self.assertEqual(standing.standing(make.NOW, [], timedelta(0)).moistures(make.NOW, FRESH), [])
        for k in range(2 * MOST_KEPT):
            standing.standing(make.NOW, [f"row.{k}"], FRESH)
        self.assertLessEqual(len(standing._kept), MOST_KEPT)
        self.assertEqual(self.as_told(make.NOW), self.by_record(make.NOW))
