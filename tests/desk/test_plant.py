"""The demo lives on its line through time: what people do is done to the plant, meters answer when the fibre comes."""

from datetime import timedelta

from django.core.management import call_command
from django.test import TestCase

from core.instruments.simulate import Fault
from desk.instruments.models import Signal
from desk.intake import plant
from desk.intake.calibrations import CALIBRATED, newest
from desk.intake.models import Plant
from desk.log.models import Kind, Record
from desk.log.moves import decide, undo
from desk.mill.clock import mill_now
from desk.mill.models import MillVersion
from desk.mill.state import MillState
from tests import make


def at(minutes: float):
    return make.NOW + timedelta(minutes=minutes)


def scan(minutes: float) -> None:
    plant.step(MillState(at(minutes)), at(minutes))


def truths() -> dict[str, float]:
    return Plant.objects.get().truths


class Living(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        plant._lines.clear()
        scan(0)

    def test_every_level_that_the_line_has_begins_where_it_was_read(self):
        told = truths()
        for key, v in MillState(at(0)).vessels.items():
            with self.subTest(vessel=key):
                self.assertAlmostEqual(told[f"level.{key}"], v.level_pct, delta=0.2)

    def test_a_server_that_was_stopped_goes_on_as_if_never(self):
        for minute in (4, 9, 13, 26, 31):
            scan(minute)
        plant._lines.clear()  # the process is another
        scan(35)
        stopped = truths()
        Plant.objects.all().delete()
        plant._lines.clear()
        for minute in (0, 4, 9, 13, 26, 31, 35):
            scan(minute)
        self.assertEqual(stopped, truths())

    def test_a_demo_that_rested_a_night_goes_on_where_its_meters_were_last_read(self):
        scan(150)  # nobody wrote anything since
        for wrong in (150 + 10 * 60, 20):  # a night later; a clock that stands behind what was read
            make.set_clock(at(wrong))
            call_command("demo")
            with self.subTest(wrong=wrong):
                self.assertLess(at(150), mill_now())
                self.assertLess(mill_now(), at(155))
        plant.step(MillState(mill_now()), mill_now())
        self.assertEqual(Plant.objects.get().scans, 3)

    def test_what_was_kept_and_is_broken_or_of_another_set_up_begins_anew(self):
        scan(12)
        before = truths()["level.K.tower"]
        for kept in (b"", b"PK broken", b"\x00" * 400):
            plant._lines.clear()
            Plant.objects.update(kept=kept)
            scan(13)
            with self.subTest(kept=kept[:8]):
                self.assertAlmostEqual(truths()["level.K.tower"], before, delta=1.0)
            Plant.objects.update(at=at(12), truths=truths())
        version = MillVersion.objects.order_by("-id").first()
        MillVersion.objects.create(document=version.document, made_at=at(13), note="the same again")
        make.forget()
        scan(14)
        self.assertEqual(Plant.objects.get().base["version"], MillVersion.objects.order_by("-id").first().pk)
        self.assertAlmostEqual(truths()["level.K.tower"], before, delta=1.5)

    def test_a_clock_set_on_by_a_month_is_gone_on_with_from_where_it_stands(self):
        scan(60 * 24 * 30)
        self.assertLessEqual(Plant.objects.get().line_min, plant.MOST_MIN)
        self.assertTrue(all(0.0 <= v <= 100.0 for k, v in truths().items() if k.startswith("level.")))

    def test_a_furnish_that_is_set_is_what_the_meters_show(self):
        shares = {"K": 40.0, "S": 10.0, "M": 10.0, "R": 20.0, "W": 13.0, "B": 7.0}
        from desk.log.moves import set_shares

        set_shares(shares, by=make.person("jd"), now=at(1), state=MillState(at(1)))
        scan(2)
        scan(4)
        state = MillState(at(4))
        for key, source in state.mill.sources.items():
            wanted = plant_flow(state.running.gives[key], source)
            with self.subTest(source=key):
                self.assertAlmostEqual(truths()[f"flow.{key}"], wanted, delta=0.01 * wanted)

    def test_a_taken_move_is_put_in_force_and_answered_at_its_lag_and_undone(self):
        state = MillState(at(1))
        move = self._move(state, "B3", before=6.3, after=4.3)
        taken = decide(move=move, choice="take", by=make.person("tk"), now=at(1), state=state)
        put = Record.objects.get(kind=Kind.SETPOINT, about=taken)
        self.assertEqual((put.subject, put.data["settings"]["charge.3"]), ("set.K.bleach", 4.3))
        self.assertAlmostEqual(MillState(at(2)).line.acting["K.bleach"].settings()["charge.3"], 4.3)
        was = truths()["residual_clo2.K.d1"]
        for minute in (30, 90, 150):
            scan(minute)
            self.assertAlmostEqual(truths()["residual_clo2.K.d1"], was, delta=0.12 * was)  # the tower holds it
        for minute in (200, 240):
            scan(minute)
        self.assertLess(truths()["residual_clo2.K.d1"], 0.7 * was)

    def test_an_undone_move_sets_back_its_lever_alone(self):
        state = MillState(at(1))
        taken = decide(move=self._move(state, "B3", 6.3, 4.3), choice="take", by=make.person("tk"), now=at(1), state=state)
        second = MillState(at(1.2))
        other = decide(
            move=self._move(second, "B1", 10.3, 10.8), choice="take", by=make.person("tk"), now=at(1.2), state=second
        )
        undo(decided=taken, by=make.person("tk"), now=at(1.5))
        settings = MillState(at(2)).line.acting["K.bleach"].settings()
        self.assertAlmostEqual(settings["charge.3"], 6.3)
        self.assertAlmostEqual(settings["charge.1"], 10.8)
        self.assertFalse(other.is_corrected)

    def test_a_refused_move_sets_nothing(self):
        state = MillState(at(1))
        decide(
            move=self._move(state, "B3", 6.3, 4.3),
            choice="refuse",
            by=make.person("tk"),
            now=at(1),
            state=state,
            reason="the titration was late",
        )
        self.assertFalse(Record.objects.filter(kind=Kind.SETPOINT, subject="set.K.bleach").exists())

    def _move(self, state, row: str, before: float, after: float) -> Record:
        """A move of a row of the practice table, as it is proposed."""
        from core.practice.table import ROWS
        from desk.log.actions import write

        place = next(m for m in state.mill.moves.values() if m.row == row and m.unit == "K.bleach" and m.stage in (1, 3))
        by = ROWS[row].moves(place.stage, state.mill.settable["K.bleach"].settings())
        data = {
            "kind": "practice",
            "row": row,
            "title": f"{row} tried",
            "before": before,
            "after": after,
            "unit": "kg/ADt",
            "low": 0.0,
            "high": 20.0,
            "retest_min": 240.0,
            "decimals": 1,
            "lever": {"unit": "K.bleach", "by": by},
        }
        return write(kind=Kind.MOVE, subject=place.subject, by=None, now=state.now, says=data["title"], data=data)

    def test_a_dilution_taken_moves_the_consistency(self):
        state = MillState(at(1))
        from desk.log.actions import write

        data = {
            "kind": "dilution",
            "row": "S.chest.consistency",
            "title": "Open the S chest water",
            "unit": "L/min",
            "before": 200.0,
            "after": 260.0,
            "low": 100.0,
            "high": 900.0,
            "retest_min": 30.0,
            "decimals": 0,
            "reading": 3.62,
            "expected": 3.56,
        }
        move = write(kind=Kind.MOVE, subject="S.chest.consistency", by=None, now=at(1), says=data["title"], data=data)
        before = truths()["meter.S.chest"]
        decide(move=move, choice="alter", size=230.0, by=make.person("jd"), now=at(1), state=state)
        for minute in (2, 60, 240):
            scan(minute)
        self.assertAlmostEqual(truths()["meter.S.chest"] - before, -0.03, delta=0.006)


def plant_flow(t_h: float, source) -> float:
    from core.stock.flow import l_min_of

    return l_min_of(t_h, source.source.cons_pct)


class Faulty(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        plant._lines.clear()
        scan(0)

    def fault(self, tag: str = "meter.M.chest") -> str:
        return Plant.objects.get().meters[tag]["fault"]

    def test_a_meter_that_sticks_stays_stuck_until_it_is_calibrated(self):
        for minute in (60, 91, 100, 130, 200):
            scan(minute)
        self.assertEqual(self.fault(), Fault.STUCK)
        stuck = Signal.objects.get(tag="meter.M.chest").last_value
        scan(205)
        self.assertEqual(Signal.objects.get(tag="meter.M.chest").last_value, stuck)
        self.client.force_login(make.person("eb"), backend="django.contrib.auth.backends.ModelBackend")
        make.set_clock(at(206))
        answer = self.client.post(
            "/instruments/calibrated/", {"tag": "meter.M.chest", "found": "", "left": "0,01", "words": "probe cleaned"}
        )
        self.assertEqual(answer.status_code, 302)
        scan(210)
        self.assertEqual(self.fault(), Fault.NONE)
        read = []
        for minute in range(215, 275, 5):
            scan(minute)
            read.append(Signal.objects.get(tag="meter.M.chest").last_value)
        self.assertGreater(len(set(read)), 3)
        self.assertAlmostEqual(sum(read) / len(read), truths()["meter.M.chest"] + 0.01, delta=0.04)
        self.assertContains(self.client.get("/instruments/"), "calibrated")
        self.assertContains(self.client.get("/trend/meter.M.chest/?hours=8"), "probe cleaned")

    def test_a_bias_that_is_taken_is_off_the_meter(self):
        scan(1)
        before = Plant.objects.get().meters["meter.S.chest"]["bias"]
        self.assertAlmostEqual(before, 0.09)
        from desk.log.actions import write

        data = {
            "kind": "bias",
            "row": "S.chest.consistency",
            "title": "Take 0.09 % off the S chest meter",
            "unit": "%",
            "before": 0.0,
            "after": -0.09,
            "low": -0.18,
            "high": 0.0,
            "retest_min": 1440.0,
            "decimals": 2,
            "reading": 0.09,
            "expected": 0.0,
        }
        move = write(kind=Kind.MOVE, subject="S.chest.consistency", by=None, now=at(2), says=data["title"], data=data)
        decide(move=move, choice="take", by=make.person("jd"), now=at(2), state=MillState(at(2)))
        scan(3)
        self.assertAlmostEqual(Plant.objects.get().meters["meter.S.chest"]["bias"], 0.0)
        scan(4)  # heard once, done once
        self.assertAlmostEqual(Plant.objects.get().meters["meter.S.chest"]["bias"], 0.0)

    def test_a_calibration_that_cannot_be_is_refused_beside_its_field_and_nothing_typed_is_lost(self):
        self.client.force_login(make.person("pn"), backend="django.contrib.auth.backends.ModelBackend")
        for sent, said in (
            ({"tag": "meter.none", "found": "0,1", "left": "0"}, "choose one of the list"),
            ({"tag": "meter.S.chest", "found": "much", "left": "0"}, "As found is “much”"),
            ({"tag": "meter.S.chest", "found": "0,1", "left": "99"}, "As left is 99 %; it must be within"),
            ({"tag": "meter.S.chest", "found": "nan", "left": "0"}, "As found"),
        ):
            with self.subTest(sent=sent):
                answer = self.client.post("/instruments/calibrated/", sent | {"words": "probe wiped"})
                self.assertContains(answer, said, status_code=422)
                self.assertContains(answer, "probe wiped", status_code=422)
        self.assertFalse(Record.objects.filter(status=CALIBRATED).exists())
        self.assertEqual(newest(at(1)), {})
