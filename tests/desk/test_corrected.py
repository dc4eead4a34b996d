"""What was mistyped and put right leaves the desk as if it had been typed right: each row, its judgement, its slip."""

import random
from collections.abc import Callable

from django.db import transaction

from desk.lab.actions import Entry, record_sample
from desk.lab.board import Board
from desk.log.models import Kind, Record
from desk.mill.state import MillState
from tests import make
from tests.desk.test_bleach import Desk

LOOKED_AT = 9.0  # minutes after the morning
WRONG = (0.8, 0.93, 1.08, 1.25)  # times what it was


class PutRight(Desk):
    def setUp(self):
        make.forget()

    def typed(self, row_id: str, value: float, minutes: float, **more) -> Record:
        state = make.state(minutes)
        row = state.mill.plan[row_id]
        entry = Entry(results=(value, value))
        at = more.pop("at", state.now)
        return record_sample(row=row, entry=entry, at=at, by=make.person("mr"), now=state.now, state=state, **more)

    def seen(self) -> dict[str, object]:
        """What the desk shows some minutes later, without who wrote what when."""
        state: MillState = make.state(LOOKED_AT)
        board = Board(state)
        told: dict[str, object] = {}
        for r in board.rows:
            told[r.row.id] = (r.state, r.shown, r.judgement and r.judgement.word, r.due.state.value, r.pace.value, r.position)
        standing = {}
        for move in Record.objects.current().filter(kind=Kind.MOVE, followed_by__isnull=True, at__gte=make.NOW):
            standing[move.subject] = (move.data["before"], move.data["after"], move.data.get("expected"))
        told["moves"] = standing
        told["wet"] = dict(state.moisture_pct)
        told["shares"] = state.shares
        told["towers"] = {k: round(v.content_t, 6) for k, v in state.vessels.items()}
        return told

    def in_a_world_of_its_own(self, acts: Callable[[], object]) -> dict[str, object]:
        with transaction.atomic():
            acts()
            told = self.seen()
            transaction.set_rollback(True)
        make.forget()
        return told

    def test_a_result_put_right_is_as_if_it_had_been_typed_right(self):
        chance, compared = random.Random(6), 0
        usual = {r.row.id: r.result.value for r in Board(make.state(0)).rows if r.result is not None and r.result.value}
        for row in chance.sample(sorted(usual), 20):
            right, wrong = usual[row] * chance.choice((0.97, 1.0, 1.04)), usual[row] * chance.choice(WRONG)

            def mistyped(row=row, right=right, wrong=wrong):
                first = self.typed(row, wrong, 3)
                self.typed(row, right, 5, at=first.at, corrects=first, reason="mistyped")

            with self.subTest(row=row, right=right, wrong=wrong):
                once = self.in_a_world_of_its_own(lambda row=row, right=right: self.typed(row, right, 3))
                self.assertEqual(self.in_a_world_of_its_own(mistyped), once)
                compared += 1
        self.assertEqual(compared, 20)

    def test_put_right_twice_the_last_one_counts(self):
        for row in ("machine.chest.consistency", "K.larch_blow.kappa"):
            usual = next(r.result.value for r in Board(make.state(0)).rows if r.row.id == row)

            def mistyped(row=row, usual=usual):
                first = self.typed(row, 1.2 * usual, 3)
                second = self.typed(row, 0.9 * usual, 4, at=first.at, corrects=first, reason="mistyped")
                self.typed(row, usual, 5, at=first.at, corrects=second, reason="mistyped")

            with self.subTest(row=row):
                once = self.in_a_world_of_its_own(lambda row=row, usual=usual: self.typed(row, usual, 3))
                self.assertEqual(self.in_a_world_of_its_own(mistyped), once)

    def test_what_was_wrong_stays_in_the_trail(self):
        first = self.typed("machine.chest.consistency", 3.9, 3)
        right = self.typed("machine.chest.consistency", 3.6, 5, at=first.at, corrects=first, reason="mistyped")
        self.assertEqual((right.corrects_id, right.at), (first.pk, first.at))
        self.assertTrue(Record.objects.filter(pk=first.pk).exists())
        self.assertFalse(Record.objects.current().filter(pk=first.pk).exists())
        self.assertEqual(right.reason, "mistyped")

    def test_another_rows_sample_changes_nothing_of_this_one(self):
        before = self.in_a_world_of_its_own(lambda: None)
        after = self.in_a_world_of_its_own(lambda: self.typed("R.refiner.freeness", 300.0, 3))
        same = {k for k in before if before[k] == after[k]}
        self.assertIn("K.larch_blow.kappa", same)
        self.assertNotIn("R.refiner.freeness", same)
        self.assertGreater(len(same), len(before) - 6)
