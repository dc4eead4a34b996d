"""Readings into figures: nothing is lost on the way, what is not proved stays, trends and pairs read on across it, and the
record still proves."""

import math
from datetime import timedelta
from unittest.mock import patch

from django.db import IntegrityError, OperationalError, connection, transaction
from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.instruments.thin import HOUR_S, MINUTE_S, Figure, summed, why_not
from desk.instruments import store, thin
from desk.instruments.models import Day, Reading, Signal, ms
from desk.intake.actions import Raw, deliver
from desk.log import anchor
from desk.log.anchor import verify
from tests import make

DAY = store.DAY_MS


def faults() -> list[str]:
    """What the proof finds, but for the anchor that a test's database has none of."""
    return [fault for fault in verify().faults if "anchor" not in fault]


@tag("core")
class Summing(SimpleTestCase):
    readings = st.lists(
        st.tuples(st.integers(0, 86_399_999), st.floats(-1e6, 1e6), st.integers(0, 3)), max_size=200, unique_by=lambda r: r[0]
    ).map(sorted)

    @given(readings, st.sampled_from((MINUTE_S, HOUR_S)))
    def test_figures_stand_for_their_readings(self, readings, width):
        figures = summed(readings, width)
        self.assertEqual(why_not(readings, figures), "")
        self.assertEqual(sum(f.n for f in figures), len(readings))
        self.assertEqual([f.at_s for f in figures], sorted({at // 1000 // width * width for at, *_ in readings}))
        for f in figures:
            own = [(v, flag) for at, v, flag in readings if f.at_s * 1000 <= at < (f.at_s + width) * 1000]
            self.assertEqual((f.n, f.low, f.high), (len(own), min(v for v, _ in own), max(v for v, _ in own)))
            self.assertAlmostEqual(f.mean, math.fsum(v for v, _ in own) / len(own))
            self.assertEqual(f.flag, max(flag for _, flag in own))

    @given(readings.filter(lambda rows: len(rows) > 2), st.data())
    def test_figures_that_do_not_are_found(self, readings, data):
        figures = summed(readings, HOUR_S)
        k = data.draw(st.integers(0, len(figures) - 1))
        f = figures[k]
        change = data.draw(st.sampled_from(("n", "mean", "low", "gone")))
        if change == "gone":
            wrong = figures[:k] + figures[k + 1 :]
        else:
            moved = {"n": f.n + 1, "mean": f.mean + 1.0 + abs(f.mean), "low": f.low - 1.0}[change]
            own = {name: getattr(f, name) for name in Figure.__dataclass_fields__}
            wrong = [*figures[:k], Figure(**{**own, change: moved}), *figures[k + 1 :]]
        told = why_not(readings, wrong)
        self.assertTrue(told or (change == "low" and min(g.low for g in figures) < f.low - 1.0), (change, told))


@tag("slow")
class Days(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()
        cls.signal = Signal.objects.get(tag="level.K.tower")
        cls.today = ms(make.NOW) // DAY

    def values(self, hours: float = 24 * 20, buckets: int = 60):
        return store.series(self.signal, make.NOW - timedelta(hours=hours), make.NOW, buckets)

    def brought(self, at: int):
        """A reading of the past, by file."""
        rows = [Raw(1, self.signal.tag, at, 44.0)]
        return deliver(rows=rows, door="file", name="x", by=None, now=make.NOW, history=True)[1]

    def all_done(self, raw_days: int):
        return thin.work(make.NOW, lambda: True, raw_days=raw_days)

    def test_whole_days_are_summed_once_and_again_where_readings_come_later(self):
        before = Reading.objects.count()
        done = self.all_done(60)
        self.assertEqual((done.left, done.thinned), ([], 0))
        self.assertGreater(done.summed, 100)
        self.assertEqual(self.all_done(60).summed, 0)  # a second press
        self.assertEqual(Reading.objects.count(), before)
        late = make.NOW - timedelta(days=2, minutes=3, seconds=7)
        _, out = deliver(
            rows=[Raw(1, self.signal.tag, ms(late), 44.0)], door="file", name="x", by=None, now=make.NOW, history=True
        )
        self.assertEqual(out.kept, 1)
        self.assertEqual(self.all_done(60).summed, 1)
        self.assertEqual(faults(), [])

    def test_a_trend_reads_the_same_from_readings_and_from_figures_and_across_what_is_gone(self):
        long = self.values()
        self.all_done(60)
        in_figures = self.values()
        self.assertEqual(sum(b.n for b in in_figures), sum(b.n for b in long))
        for b in in_figures:
            near = min(long, key=lambda o: abs(o.at_ms - b.at_ms))
            self.assertAlmostEqual(b.mean, near.mean, delta=1.0)
        self.assertEqual(
            (min(b.low for b in in_figures), max(b.high for b in in_figures)),
            (min(b.low for b in long), max(b.high for b in long)),
        )
        done = self.all_done(2)
        self.assertGreater(done.thinned, 50)
        self.assertFalse(Reading.objects.filter(at_ms__lt=(self.today - 2) * DAY).exists())
        gone = self.values()
        self.assertEqual([(b.n, round(b.mean, 9)) for b in gone], [(b.n, round(b.mean, 9)) for b in in_figures])
        short = store.series(self.signal, make.NOW - timedelta(days=4), make.NOW - timedelta(days=4) + timedelta(hours=6), 300)
        self.assertGreater(len(short), 30)  # by minutes where the readings are gone
        self.assertEqual(faults(), [])

    def test_a_pair_of_laboratory_and_meter_is_found_in_the_minutes_of_long_ago(self):
        when = make.NOW - timedelta(days=4, minutes=12)
        meter = Signal.objects.get(tag="meter.S.chest")
        before = store.matched(meter.tag, [when])[0]
        self.all_done(2)
        after = store.matched(meter.tag, [when])[0]
        self.assertAlmostEqual(after.value, before.value)
        self.assertLess(abs((after.at - before.at).total_seconds()), 60.1)
        self.assertAlmostEqual(store.at_minute(meter.tag, when).value, before.value)

    def test_nothing_more_is_taken_into_a_day_that_is_closed(self):
        self.all_done(2)
        at = ms(make.NOW - timedelta(days=4))
        out = self.brought(at)
        self.assertEqual(out.reasons, {"of a day that stands in figures alone": 1})

    def test_readings_go_by_this_way_alone(self):
        with connection.cursor() as cursor:
            for sql in (
                "DELETE FROM instruments_reading",
                "UPDATE instruments_reading SET value = 1",
                "DELETE FROM instruments_reading WHERE at_ms < 99999999999999",
            ):
                with self.subTest(sql=sql), self.assertRaises((IntegrityError, OperationalError)):
                    from django.db import transaction

                    with transaction.atomic():
                        cursor.execute(sql)

    def test_what_is_not_proved_stays_and_is_told(self):
        self.all_done(60)
        day = self.today - 3
        with connection.cursor() as cursor:
            cursor.execute(
                "UPDATE instruments_figure SET mean = mean + 1 WHERE signal_id = %s AND width_s = 60 AND at_s / 86400 = %s",
                (self.signal.pk, day),
            )
        done = self.all_done(2)
        self.assertEqual(len(done.left), 1)
        self.assertIn("do not come to the sum", done.left[0])
        self.assertTrue(Day.objects.get(signal=self.signal, day=day).raw)
        self.assertTrue(Reading.objects.filter(signal=self.signal, at_ms__gte=day * DAY, at_ms__lt=(day + 1) * DAY).exists())

    def test_a_figure_changed_beside_the_desk_shows_in_the_proof(self):
        self.all_done(2)
        self.assertEqual(faults(), [])
        with connection.cursor() as cursor:
            cursor.execute(
                "UPDATE instruments_figure SET high = high + 5 WHERE signal_id = %s AND width_s = 3600", [self.signal.pk]
            )
        self.assertTrue(any("figures of signal" in fault for fault in faults()))

    def test_of_old_days_each_has_its_night_and_the_newest_have_every_night(self):
        self.all_done(2)
        old, new = self.today - 3, self.today
        for day, statement in (
            (old, "UPDATE instruments_figure SET high = high + 5 WHERE signal_id = %s AND at_s / 86400 = %s"),
            (new, "UPDATE instruments_readingseal SET n = n + 1 WHERE signal_id = %s AND day = %s"),
        ):
            with self.subTest(day=day), transaction.atomic(), patch.object(anchor, "NEW_DAYS", 2):
                with connection.cursor() as cursor:
                    cursor.execute(statement, (self.signal.pk, day))
                found = [bool(self.of_signals(night)) for night in (old + 28, old + 29)]
                self.assertEqual(found, [True, day == new])
                self.assertTrue(faults())
                transaction.set_rollback(True)
        self.assertFalse(self.of_signals(old))

    def of_signals(self, night: int) -> list[str]:
        """What a night's turn of the proof finds of the readings."""
        return [f for f in verify(anchored=False, turn=night).faults if "signal" in f]

    def test_it_stops_when_it_is_told_and_goes_on_where_it_stopped(self):
        asked = iter([True] * 7 + [False] * 10_000)
        first = thin.work(make.NOW, lambda: next(asked), raw_days=60)
        self.assertEqual(first.summed, 7)
        rest = self.all_done(60)
        self.assertEqual(Day.objects.count(), 7 + rest.summed)
