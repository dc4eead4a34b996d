"""What pages ask the record together says the same as asked one by one, and takes no more questions for more rows."""

from datetime import timedelta

from django.db import connection, transaction
from django.db.models import Window
from django.db.models.functions import RowNumber

from desk.deliver.actions import Lot, lots
from desk.kit.station import move_groups
from desk.lab.board import KEPT, LOOK_BACK_H
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.practice import STANDS, newest_results
from desk.mill.accounts import kept_hours, period_of
from desk.mill.models import HourAccount
from desk.moves.board import Read, lines
from tests import make
from tests.desk.test_bleach import Desk


class FewQuestions(Desk):
    def setUp(self):
        make.forget()
        self.state = make.state(0)
        self.by = make.person("mr")

    def result(self, value: float, *, at=None, status: str = "single", corrects: Record | None = None, row: str = "") -> Record:
        told = {"value": value, "status": status, "corrects": corrects, "at": at, "says": "read by the tests"}
        return write(kind=Kind.RESULT, subject=row or self.row, by=self.by, now=make.NOW, **told)

    @property
    def row(self) -> str:
        return next(iter(self.state.mill.plan))

    def newest_by_one(self, row: str) -> Record | None:
        kind, status = (Kind.EVENT, ("strength",)) if row.startswith("tank.") else (Kind.RESULT, STANDS)
        return Record.objects.current().filter(kind=kind, subject=row, status__in=status).order_by("-at", "-id").first()

    def assertNewest(self, rows) -> None:
        told = newest_results(rows)
        for row in rows:
            one = self.newest_by_one(row)
            self.assertEqual(told.get(row), one, row)
            if one is not None:
                self.assertEqual((told[row].value, told[row].at, told[row].data), (one.value, one.at, one.data))

    def test_the_newest_results_are_those_of_each_row(self):
        rows = {*self.state.mill.plan, *(f"tank.{k}" for k in self.state.mill.tanks), "no.such.row"}
        self.assertNewest(rows)
        wrong = self.result(9.9)
        self.assertNewest(rows)
        self.assertEqual(newest_results([self.row])[self.row].pk, wrong.pk)
        right = self.result(1.1, corrects=wrong, at=wrong.at)  # a corrected one no longer counts, its correction does
        self.result(5.5, status="third_needed")  # nor one that does not stand
        self.result(7.7, at=make.NOW - timedelta(hours=3))  # nor one that is older, though it was written later
        self.assertNewest(rows)
        self.assertEqual(newest_results([self.row])[self.row].pk, right.pk)

    def test_many_rows_are_as_few_questions_as_one(self):
        rows = sorted(self.state.mill.plan)
        with self.assertNumQueries(1):
            newest_results(rows[:1])
        with self.assertNumQueries(1):
            newest_results(rows)
        with self.assertNumQueries(2):
            newest_results([*rows, *(f"tank.{k}" for k in self.state.mill.tanks)])
        self.assertEqual(newest_results([]), {})

    def recent_by_window(self, since, until, most: int, subject: str = "") -> list[tuple]:
        place = Window(RowNumber(), partition_by="subject", order_by=["-at", "-id"])
        asked = Record.objects.current().filter(kind=Kind.RESULT, at__gte=since, at__lte=until)
        asked = asked.filter(subject=subject) if subject else asked
        kept = asked.annotate(place=place).filter(place__lte=most).order_by("-at", "-id")
        return list(kept.values_list("pk", "subject", "at", "value", "status"))

    def test_the_recent_results_are_the_newest_of_each_row_with_their_own_times(self):
        wrong = self.result(9.9)
        self.result(1.1, corrects=wrong, at=wrong.at - timedelta(microseconds=250))
        until = make.NOW
        for since, most, subject in (
            (until - timedelta(hours=LOOK_BACK_H), KEPT, ""),
            (until - timedelta(hours=LOOK_BACK_H), 1, ""),
            (until - timedelta(hours=3), 4, ""),
            (until - timedelta(days=9), 30, self.row),
            (until, 2, "no.such.row"),
        ):
            with self.subTest(since=since, most=most, subject=subject):
                told = list(Record.objects.recent_results(since, until, most, subject))
                self.assertEqual(told, self.recent_by_window(since, until, most, subject))
                self.assertTrue(all(at.utcoffset() == timedelta(0) for _, _, at, _, _ in told))
        self.assertNotIn(wrong.pk, [pk for pk, *_ in Record.objects.recent_results(until - timedelta(hours=1), until, 9)])

    def test_lots_read_together_stand_as_each_does_alone(self):
        together = lots(self.state)
        self.assertGreater(len(together), 5)
        for lot in together:
            alone = Lot(lot.opened, self.state)
            self.assertEqual((lot.closed, lot.decisions), (alone.closed, alone.decisions), lot.number)
            self.assertEqual(lot.standing, alone.standing)
        with self.assertNumQueries(2):
            lots(self.state, days=2)
        with self.assertNumQueries(2):
            lots(self.state)

    def test_a_decision_is_read_of_the_lot_it_is_about_only(self):
        first, second = lots(self.state)[1:3]
        told = {"data": {"action": "hold"}, "about": first.opened, "says": "held by the tests"}
        write(kind=Kind.DISPOSITION, subject=first.number, by=self.by, now=make.NOW, **told)
        now = {lot.number: lot for lot in lots(self.state)}
        self.assertEqual(now[first.number].standing, "held")
        self.assertEqual(now[second.number].standing, second.standing)

    def test_the_results_of_a_lot_are_those_sampled_while_it_ran_and_its_retests(self):
        lot = next(x for x in lots(self.state) if x.closed is not None)
        test = lot.grade.tests[0]
        middle = lot.start + (lot.end - lot.start) / 2
        inside = self.result(3.3, row=test.row, at=middle)
        last = self.result(3.4, row=test.row, at=lot.end)  # at the second the next one opened: of that one
        own = self.result(3.5, row=f"{lot.number}/{test.row}", at=make.NOW)
        other = self.result(3.6, row=f"{lot.number}x/{test.row}", at=make.NOW)
        told = Lot(lot.opened, self.state).results(test)
        self.assertEqual([r.pk for r in told], [r.pk for r in sorted(told, key=lambda r: (r.at, r.pk))])
        self.assertTrue({inside.pk, own.pk} <= {r.pk for r in told})
        self.assertFalse({last.pk, other.pk} & {r.pk for r in told})
        with self.assertNumQueries(2):  # of its end and decisions, and of the results of every test
            anew = Lot(lot.opened, self.state)
            for t in anew.grade.tests:
                anew.results(t)

    def test_the_practice_table_reads_its_places_together_or_by_group_alike(self):
        read = Read.of(self.state.mill.moves.values())
        for group in move_groups():
            with self.subTest(group=group.key):
                self.assertEqual(lines(self.state, group, read), lines(self.state, group))

    def test_whether_hours_are_still_so_is_one_question(self):
        period = period_of(self.state, "day")
        hours, missing = kept_hours(period)
        self.assertEqual((len(hours), missing), (24, 0))
        with self.assertNumQueries(2):
            kept_hours(period)
        late = hours[20]
        told = {"data": {"until": (late.start + timedelta(minutes=30)).isoformat(), "what": "felt"}, "says": "stood"}
        with transaction.atomic():
            write(kind=Kind.STOP, subject="machine", by=self.by, now=make.NOW, at=late.start, **told)
            make.forget()
            again, _ = kept_hours(period)
            moved = [a.start for a, b in zip(again, hours, strict=True) if a.pk != b.pk]
            self.assertEqual(moved, [h.start for h in hours[20:]])  # that hour, and those after it
            self.assertEqual(HourAccount.objects.filter(start__gte=period.start, start__lt=period.end).count(), 24)
            transaction.set_rollback(True)

    def test_pages_ask_no_more_than_they_need(self):
        """A page that asks one question a row shows here before it shows at a mill; of a page that was opened before."""
        self.as_("mr")
        for path, most in (
            ("/", 8),
            ("/lab/", 10),
            ("/schedule/", 16),
            ("/drift/", 30),
            ("/moves/", 14),
            ("/deliver/lots/", 8),
            ("/deliver/lots/BM-26318-A01-2/", 24),
            ("/log/handover/", 72),  # of them two a tower: its level when the shift began, and now
            ("/mill/accounts/", 48),  # five a tower: levels, its flow
            ("/wash/", 8),
            ("/bleach/", 14),
        ):
            with self.subTest(page=path):
                self.client.get(path)
                with Questions() as asked:
                    self.assertEqual(self.client.get(path).status_code, 200)
                self.assertLessEqual(len(asked), most, "\n".join(asked))


class Questions:
    """The questions put to the database within it, however the request clears its own list of them."""

    def __enter__(self) -> list[str]:
        self.asked: list[str] = []
        self.wrapped = connection.execute_wrapper(self.note)
        self.wrapped.__enter__()
        return self.asked

    def note(self, execute, sql, params, many, context):
        if sql.startswith("SELECT"):
            self.asked.append(sql[:160])
        return execute(sql, params, many, context)

    def __exit__(self, *error) -> None:
        self.wrapped.__exit__(*error)
