"""What people do: recorded once, corrected by a later record, decided by those who may, never erased."""

import json
from datetime import timedelta

from django.core.exceptions import PermissionDenied
from django.db import DatabaseError, connection, transaction
from django.test import TestCase

from core.deliver.runcard import reliefs
from core.errors import ImpossibleInput
from desk.deliver import actions as deliver
from desk.lab.actions import Entry, could_not_sample, record_sample
from desk.lab.board import Board
from desk.log.models import Kind, Record
from desk.log.moves import DecisionRefused, decide, share_slip
from desk.people.models import MAY
from desk.schedule import actions as schedule
from desk.schedule.planning import Wish, plan
from desk.shift import handover
from tests import make
from tests.make import NOW

CHEST = "machine.chest.consistency"


class Loop(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def sample(self, row_id: str, *values: float, minutes: float = 5, by: str = "jd", **more) -> Record:
        state = make.state(minutes)
        return record_sample(
            row=state.mill.plan[row_id],
            entry=Entry(results=values),
            at=state.now,
            by=make.person(by),
            now=state.now,
            state=state,
            **more,
        )

    # sample, judge, correct
    def test_an_accepted_duplicate_outside_brings_one_move(self):
        result = self.sample(CHEST, 3.74, 3.75)
        move = Record.objects.get(kind=Kind.MOVE, about=result)
        self.assertIn("Open the machine chest water", move.says)
        self.assertGreater(move.data["after"], move.data["before"])
        for word in ("title", "expect", "why", "caution"):
            self.assertTrue(move.data[word])
        row = Board(make.state(6)).by_id[CHEST]
        self.assertEqual((row.state, row.move.pk), ("contain", move.pk))  # outside 3.72, the outer band

    def test_in_band_and_not_agreeing_bring_none(self):
        self.assertFalse(Record.objects.filter(about=self.sample(CHEST, 3.61, 3.60)).exists())
        third = self.sample(CHEST, 3.40, 3.75, minutes=9)
        self.assertEqual(third.status, "third_needed")
        self.assertFalse(Record.objects.filter(kind=Kind.MOVE, about=third).exists())
        row = Board(make.state(10)).by_id[CHEST]
        self.assertEqual((row.retest, round(row.result.value, 3)), (True, 3.605))  # the charts keep the one before

    def test_two_samples_confirm_where_the_mill_wants_two(self):
        first = self.sample("S.blow.kappa", 15.9)
        self.assertFalse(Record.objects.filter(kind=Kind.MOVE, about=first).exists())
        self.assertEqual(Board(make.state(6)).by_id["S.blow.kappa"].judgement.word, "high, once")
        self.sample("S.blow.kappa", 16.1, minutes=20)
        self.assertEqual(Board(make.state(21)).by_id["S.blow.kappa"].state, "act")

    def test_a_taken_move_comes_due_and_is_judged(self):
        move = Record.objects.get(kind=Kind.MOVE, about=self.sample(CHEST, 3.70, 3.71))
        state = make.state(7)
        kept = decide(move=move, choice="take", by=make.person("jd"), now=state.now, state=state)
        row = Board(make.state(8)).by_id[CHEST]
        self.assertTrue(row.retest)
        self.assertEqual(row.due_at.isoformat(), kept.data["retest_at"])
        self.sample(CHEST, 3.61, 3.62, minutes=25)
        effect = Record.objects.get(kind=Kind.EFFECT, about=kept)
        self.assertEqual(effect.status, "worked")

    def test_altering_and_refusing_want_their_words(self):
        move = Record.objects.get(kind=Kind.MOVE, about=self.sample(CHEST, 3.70, 3.71))
        state, by = make.state(7), make.person("jd")
        for choice, size, reason, field in (
            ("alter", None, "", "size"),
            ("alter", 1e6, "", "size"),
            ("refuse", None, " ", "reason"),
            ("dance", None, "", "choice"),
        ):
            with self.subTest(choice=choice), self.assertRaises(DecisionRefused) as refused:
                decide(move=move, choice=choice, by=by, now=state.now, state=state, size=size, reason=reason)
            self.assertEqual(refused.exception.field, field)
        decide(move=move, choice="refuse", by=by, now=state.now, state=state, reason="valve is stuck")
        with self.assertRaises(DecisionRefused):  # two shifts at once: the second is told
            decide(move=move, choice="take", by=make.person("mr"), now=state.now, state=state)

    def test_a_share_move_changes_the_line_it_is_judged_by(self):
        state = make.state(1)
        slip = share_slip(state, state.vessels["S.tower"])
        self.assertEqual((slip["before"], slip["after"], slip["other_after"]), (18, 11, 12))
        from desk.log.actions import write

        move = write(kind=Kind.MOVE, subject="cover.S.tower", by=None, now=state.now, says=slip["title"], data=slip)
        decide(move=move, choice="take", by=make.person("mr"), now=state.now, state=state)
        after = make.state(2)
        self.assertAlmostEqual(after.shares["S"], 0.11)
        self.assertAlmostEqual(sum(after.shares.values()), 1.0)
        self.assertEqual(after.vessels["S.tower"].cover.way, "full")
        self.assertAlmostEqual(after.solution.leaves("blend", "on").solids_t_h, after.draw.solids_t_h, places=6)

    def test_sample_times_and_reasons(self):
        state = make.state(0)
        row = state.mill.plan[CHEST]
        for at in (state.now + timedelta(minutes=30), state.now - timedelta(hours=30)):
            with self.subTest(at=at), self.assertRaises(ImpossibleInput) as refused:
                record_sample(row=row, entry=Entry(results=(3.6,)), at=at, by=make.person("jd"), now=state.now, state=state)
            self.assertEqual(refused.exception.problems[0].field, "at")
        with self.assertRaises(ImpossibleInput):
            could_not_sample(row=row, by=make.person("jd"), now=state.now, words="  ")
        late = record_sample(
            row=row,
            entry=Entry(results=(3.71, 3.72)),
            at=state.now - timedelta(hours=3),
            by=make.person("jd"),
            now=state.now,
            state=state,
        )
        self.assertFalse(Record.objects.filter(kind=Kind.MOVE, about=late).exists())  # never as if it were now

    # records
    def test_a_correction_points_back_and_the_first_stays(self):
        wrong = self.sample(CHEST, 3.16, 3.16)
        right = self.sample(CHEST, 3.61, 3.61, corrects=wrong, reason="mistyped")
        self.assertEqual(right.corrects_id, wrong.pk)
        self.assertAlmostEqual(right.data["was"], 3.16)
        current = Record.objects.current().filter(subject=CHEST)
        self.assertIn(right, current)
        self.assertNotIn(wrong, current)
        self.assertTrue(Record.objects.filter(pk=wrong.pk).exists())

    def test_the_database_refuses_to_change_or_erase(self):
        record = Record.objects.first()
        for refused in (lambda: Record.objects.update(says="x"), lambda: Record.objects.all().delete()):
            with self.assertRaises(TypeError):
                refused()
        for sql in (
            "UPDATE log_record SET says = 'x' WHERE id = %s",
            "DELETE FROM log_record WHERE id = %s",
            "UPDATE instruments_reading SET value = 1 WHERE at_ms > %s",
            "DELETE FROM instruments_reading WHERE at_ms > %s",
        ):
            pk = 0 if "reading" in sql else record.pk
            with (
                self.subTest(sql=sql),
                self.assertRaises(DatabaseError) as refused,
                transaction.atomic(),
                connection.cursor() as cursor,
            ):
                cursor.execute(sql, [pk])
            self.assertIn("append-only", str(refused.exception))

    def test_records_are_chained(self):
        previous = ""
        for r in Record.objects.order_by("id"):
            self.assertEqual(r.previous_hash, previous)
            self.assertEqual(r.chained(previous), r.hash, r.pk)
            previous = r.hash

    # lots
    def test_a_flagged_lot_cannot_be_released_until_it_is_proven(self):
        state, lead = make.state(1), make.person("mr")
        held = deliver.lot("BM-26318-A01-2", state)
        self.assertEqual(held.standing, "held")
        with self.assertRaises(deliver.Refused):
            deliver.decide_lot(lot_=held, action="release", by=lead, now=state.now, pin=make.PIN)
        row = state.mill.plan["machine.chest.freeness"]
        for value in (385.0, 380.0, 378.0):
            record_sample(
                row=row,
                entry=Entry(results=(value,)),
                at=state.now,
                by=make.person("wa"),
                now=state.now,
                state=state,
                lot=held.number,
            )
        self.assertEqual(
            Board(state).by_id["machine.chest.freeness"].result.value, 375
        )  # a retest is no new reading of the chest
        held = deliver.lot(held.number, state)
        proposal, _ = held.judged()
        self.assertEqual(proposal.action.value, "release with note")  # stickies, minor, inside but not proven
        for pin, words, field in (("wrong", "seen", "pin"), (make.PIN, "", "words")):
            with self.assertRaises(deliver.Refused) as refused:
                deliver.decide_lot(lot_=held, action="release", by=lead, now=state.now, pin=pin, words=words)
            self.assertEqual(refused.exception.field, field)
        deliver.decide_lot(
            lot_=held, action="release", by=lead, now=state.now, pin=make.PIN, words="stickies seen, bales set aside"
        )
        self.assertEqual(deliver.lot(held.number, state).standing, "released")

    def test_who_may_decide_a_lot(self):
        state = make.state(1)
        running = deliver.running_lot(state)
        deliver.close_lot(opened=running.opened, by=make.person("jd"), now=state.now, state=state)
        for action, act in (("hold", "hold"), ("release", "release"), ("divert", "divert")):
            for username in ("jd", "wa", "mr", "pn", "eb", "new", "cv", "admin"):
                person = make.person(username)
                if person.role in MAY[act]:
                    continue
                with self.subTest(action=action, role=person.role), self.assertRaises(PermissionDenied):
                    deliver.decide_lot(
                        lot_=deliver.lot(running.number, state), action=action, by=person, now=state.now, pin=make.PIN
                    )

    def test_sources_add_up_to_the_lot(self):
        found = deliver.lot("BM-26318-A01-2", make.state(0))
        self.assertAlmostEqual(sum(s["t"] for s in found.sources), found.tonnes, places=6)
        self.assertTrue({"K", "S", "M", "R", "W", "B"} == {s["source"] for s in found.sources})

    # run cards
    def wish(self, state, **change) -> Wish:
        shares = {k: 100 * v for k, v in state.mill.grades["LB80"].shares.items()}
        base = {
            "order": "H-0413",
            "grade": "LB80",
            "gsm": 80,
            "sale_t": 80,
            "speed_m_min": 880,
            "start": NOW.replace(hour=15, minute=30),
            "shares_pct": shares,
        }
        return Wish(**{**base, **change})

    def test_an_impossible_run_says_which_when_and_by_how_much(self):
        state = make.state(0)
        card = plan(self.wish(state), state)
        short = card.first_short
        self.assertEqual(short.supply.key, "K")
        self.assertAlmostEqual(short.run.short_t, 6.4, delta=0.3)
        self.assertAlmostEqual(short.run.low_at_h, 7.7, delta=0.1)
        with self.assertRaises(schedule.Refused):
            schedule.issue_card(by=make.person("mr"), now=state.now, wish=self.wish(state), card=card, state=state)

    def test_each_relief_alone_is_enough(self):
        state = make.state(0)
        wish = self.wish(state)
        card = plan(wish, state)
        tried = 0
        for relief in reliefs(card.case).listed:
            if not relief.enough:
                continue
            change = {
                "start": lambda r: {"start": state.now + timedelta(hours=r.value + 0.02)},
                "share": lambda r: {"shares_pct": {**wish.shares_pct, "K": 100 * r.value - 0.1, r.supply: 100 * r.other + 0.1}},
                "tonnes": lambda r: {"sale_t": r.value - 0.1},
                "speed": lambda r: {"speed_m_min": r.value - 1},
            }[relief.kind](relief)
            tried += 1
            with self.subTest(relief=relief.kind):
                self.assertTrue(plan(self.wish(state, **change), state).feasible)
        self.assertGreaterEqual(tried, 2)

    def test_cards_are_issued_in_versions_and_the_newest_is_started(self):
        state, lead = make.state(0), make.person("mr")
        kept = []
        for sale in (50, 48):
            wish = self.wish(state, sale_t=sale)
            kept.append(schedule.issue_card(by=lead, now=state.now, wish=wish, card=plan(wish, state), state=state))
        self.assertEqual([k.data["version"] for k in kept], [1, 2])
        self.assertEqual(kept[1].about, kept[0])
        json.dumps(kept[0].data)
        with self.assertRaises(schedule.Refused):
            schedule.start_run(by=lead, now=state.now, card=kept[0], state=state)
        before = deliver.running_lot(state)
        schedule.start_run(by=lead, now=state.now, card=kept[1], state=state, reason="due")
        after = make.state(1)
        self.assertEqual((after.run["order"], after.grade.key), ("H-0413", "LB80"))
        self.assertAlmostEqual(after.shares["K"], 0.60)
        self.assertEqual(deliver.lot(before.number, after).standing, "waiting")
        self.assertEqual(deliver.running_lot(after).opened.data["order"], "H-0413")

    # handover
    def test_a_handover_wants_two_leads(self):
        state, leaving, arriving = make.state(400), make.person("mr"), make.person("as")
        with self.assertRaises(handover.Refused):
            handover.sign(by=leaving, now=state.now, state=state, pin=make.PIN, watch=" ", written={})
        with self.assertRaises(handover.Refused):
            handover.sign(by=leaving, now=state.now, state=state, pin="no", watch="nothing", written={})
        with self.assertRaises(PermissionDenied):
            handover.sign(by=make.person("jd"), now=state.now, state=state, pin=make.PIN, watch="x", written={})
        signed = handover.sign(
            by=leaving, now=state.now, state=state, pin=make.PIN, watch="the S washer", written={"equipment": "pump B hunts"}
        )
        self.assertEqual(len(signed.data["sections"]), 12)
        self.assertEqual(signed.data["sections"][7]["lines"], ["pump B hunts"])
        self.assertTrue(all(s["lines"] for s in signed.data["sections"]))
        every = set(range(1, 13))
        for by, ticks, pin in ((leaving, every, make.PIN), (arriving, every - {4}, make.PIN), (arriving, every, "no")):
            with self.assertRaises(handover.Refused):
                handover.read(handover=signed, by=by, now=state.now, pin=pin, ticked=ticks)
        handover.read(handover=signed, by=arriving, now=state.now, pin=make.PIN, ticked=every)
        with self.assertRaises(handover.Refused):
            handover.sign(by=leaving, now=state.now, state=state, pin=make.PIN, watch="again", written={})

    def test_the_clock_of_levels_goes_on(self):
        now, later = make.state(0), make.state(30)
        gone = now.vessels["S.tower"].level_pct - later.vessels["S.tower"].level_pct
        rate = (now.vessels["S.tower"].rate_out - now.vessels["S.tower"].rate_in) * 0.5 / 18 * 100
        self.assertAlmostEqual(gone, rate, places=6)
        self.assertAlmostEqual(now.vessels["S.tower"].cover.hours - later.vessels["S.tower"].cover.hours, 0.5, places=6)
