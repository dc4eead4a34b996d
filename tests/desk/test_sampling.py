"""When samples are due beside their interval: what was changed, what stands, what was read, what a lead decides."""

from datetime import timedelta

from core.judge.due import DueState, Pace
from desk.lab.actions import Entry, record_sample
from desk.lab.board import Board
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.mill.state import MillState
from tests import make
from tests.desk.test_bleach import Desk

FREE = "K.refiner.freeness"
DIRT = "K.chest.consistency"
STOPS = "/schedule/stops/"


class Sampling(Desk):
    def row(self, row: str, minutes: float = 0.0):
        return Board(make.state(minutes)).by_id[row]

    def sample(self, row: str, value: float, minutes: float) -> Record:
        state = make.state(minutes)
        return record_sample(
            row=state.mill.plan[row],
            entry=Entry(results=(value,)),
            at=state.now,
            by=make.person("jd"),
            now=state.now,
            state=state,
        )

    def test_two_outside_halve_it_and_three_inside_bring_it_back(self):
        band = self.row(FREE).band
        planned = self.row(FREE).row.interval_min
        for i, (value, wanted) in enumerate(
            (
                (band.high + 5.0, Pace.PLANNED),
                (band.high + 6.0, Pace.HALVED),
                (band.aim, Pace.HALVED),
                (band.aim, Pace.HALVED),
                (band.aim, Pace.PLANNED),
            )
        ):
            self.sample(FREE, value, 1.0 + i)
            now = self.row(FREE, 1.0 + i)
            with self.subTest(i):
                self.assertIs(now.pace, wanted)
                every = planned / (2.0 if wanted is Pace.HALVED else 1.0)
                self.assertEqual(now.every_min, every)
                if not now.retest:
                    self.assertAlmostEqual((now.due_at - now.result.at).total_seconds() / 60.0, every)
        self.as_("jd")
        self.assertContains(self.client.get(f"/lab/row/{FREE}/"), "Due by the plan, in")

    def test_a_wood_of_batches_is_sampled_each_batch(self):
        self.assertIs(self.row("K.larch_blow.kappa").pace, Pace.PLANNED)  # two in a row read high this morning
        self.assertEqual(self.row("K.larch_blow.kappa").outside[-2:], (True, True))

    def test_a_set_point_asks_for_an_extra_sample_once_it_is_felt_and_one_taken_before_tells_nothing(self):
        self.assertIsNone(self.row("K.post.kappa").extra)
        self.as_("tk")
        sent = {"unit": "K.post", "why": "to see", "seen": 0, "back": "/"}
        was = make.state(0).line.acting["K.post"].settings()
        name = next(iter(was))
        self.assertEqual(self.client.post("/mill/put/", {**sent, name: repr(was[name] * 1.02)}).status_code, 302)
        told = self.row("K.post.kappa", 1.0)
        self.assertIn("put in force", told.extra.what)
        self.assertLess(told.due.in_min, 30.0)
        self.assertContains(self.client.get("/lab/"), "extra: set point of")
        taken = told.due_at + timedelta(minutes=1)
        minutes = (taken - make.NOW).total_seconds() / 60.0
        self.sample("K.post.kappa", told.band.aim, minutes)
        self.assertIsNone(self.row("K.post.kappa", minutes + 1.0).extra)
        self.assertIsNone(self.row("S.refiner.freeness", 1.0).extra)  # another line

    def test_a_unit_that_stood_is_sampled_again_when_it_runs(self):
        self.as_("tk")
        base = {
            "unit": "K.refine",
            "from": "10:00",
            "to": "11:10",
            "what": "plates",
            "why": "M",
            "number": "4",
            "planned": "yes",
        }
        self.assertEqual(self.client.post(STOPS, base).status_code, 302)
        self.sample(FREE, self.row(FREE).band.aim, 0.0)
        due_min = self.row(FREE).row.interval_min
        stands = self.row(FREE, 10.0)
        self.assertIs(stands.due.state, DueState.NOT_DUE)  # its next falls behind the stop
        now = self.row(FREE, 40.0)
        self.assertIn("runs again", now.extra.what)
        self.assertLess(now.due.in_min, due_min - 40.0)

    def test_a_planned_stop_of_the_machine_excuses_its_samples_and_is_named(self):
        self.as_("tk")
        sent = {"from": "10:45", "to": "13:00", "what": "felts", "planned": "yes", "does": "stop", "why": "P", "number": "1"}
        answer = self.client.post(STOPS, sent)
        self.assertEqual(answer.status_code, 302, answer.content[-600:])
        stop = Record.objects.filter(kind=Kind.STOP).order_by("-id").first()
        within = self.row("machine.chest.consistency", 40.0)
        self.assertIs(within.due.state, DueState.EXCUSED)
        self.assertEqual(within.stop.record, stop.pk)
        self.assertIs(self.row(FREE, 40.0).stop, None)  # the lines go on
        self.assertNotIn("machine.chest.consistency", [r.row.id for r in Board(make.state(40)).drifting if r.state == "old"])
        after = self.row("machine.chest.consistency", 140.0)
        self.assertIs(after.due.state, DueState.NOT_DUE)
        self.assertGreater(after.due_at, stop.at + timedelta(hours=2))

    def test_a_planned_change_of_grade_asks_beforehand_and_a_later_plan_asks_later(self):
        run = make.state(0).next_run
        self.assertEqual(run.told_by, "plan 1")
        begins = (run.start - make.NOW).total_seconds() / 60.0
        self.assertIsNone(self.row("machine.chest.ash").extra)  # its interval is over long before
        self.sample("machine.chest.ash", self.row("machine.chest.ash").band.aim, begins - 20.0)
        told = self.row("machine.chest.ash", begins - 19.0)
        self.assertIn(f"{run.order} is to run from", told.extra.what)
        self.assertIn("plan 1", told.extra.what)
        self.assertGreater(told.due_at, run.start)
        self.assertLess(told.due.in_min, told.every_min - 1.0)
        self.assertIsNone(self.row("S.refiner.freeness", begins - 19.0).extra)  # above the blend
        set_clock(make.NOW + timedelta(minutes=begins - 19.0))
        self.addCleanup(set_clock, make.NOW)
        self.as_("mr")
        self.assertContains(self.client.get("/lab/row/machine.chest.ash/"), "is to run from")
        page = self.client.get("/schedule/plan/").context
        later = ",".join(reversed(page["orders"].split(",")))
        self.client.post("/schedule/plan/put/", {"orders": later, "seen": "1", "why": "another first"})
        other = make.state(begins - 18.0).next_run
        self.assertNotEqual((other.order, other.start), (run.order, run.start))
        told = self.row("machine.chest.ash", begins - 18.0)
        self.assertTrue(told.extra is None or other.order in told.extra.what)

    def test_another_grade_and_a_delivery_ask_too(self):
        state = make.state(0)
        told = dict(state.run)
        told.pop("since", None)
        write(kind=Kind.START, subject="X-1", by=make.person("mr"), now=state.now, says="X-1 starts", data=told)
        make.forget()
        self.sample("machine.chest.ash", self.row("machine.chest.ash").band.aim, 0.5)
        now = self.row("machine.chest.ash", 1.0)
        self.assertIn("runs since", now.extra.what)
        tank = next(t for t in state.mill.tanks.values() if t.chemical == "ClO2")
        write(
            kind=Kind.EVENT,
            subject=f"tank.{tank.key}",
            status="delivery",
            by=make.person("jd"),
            now=state.now,
            says="came",
            value=10.0,
        )
        rows = [r for r in Board(make.state(1)).rows if r.changes and "delivered" in r.changes[-1].what]
        self.assertTrue(rows)
        self.assertTrue(all(r.row.unit in ("K.bleach", "S.bleach") for r in rows))


class Doubled(Desk):
    URL = f"/lab/pace/{DIRT}/"

    def row(self, minutes: float = 0.0, row: str = DIRT):
        return Board(make.state(minutes)).by_id[row]

    def calm(self) -> str:
        """A row whose last ten lie inside."""
        return next(r.row.id for r in Board(make.state(0)).rows if r.may_ease)

    def post(self, row: str, doubles: str = "yes"):
        return self.client.post(f"/lab/pace/{row}/", {"doubles": doubles}, follow=True)

    def test_a_lead_doubles_it_and_the_first_outside_ends_it(self):
        row = self.calm()
        self.as_("jd")
        self.assertEqual(self.post(row).status_code, 403)
        self.as_("mr")
        self.assertContains(self.client.get(f"/lab/row/{row}/"), "Double the interval")
        self.assertContains(self.post(row), "sampled every")
        now = self.row(1.0, row)
        self.assertIs(now.pace, Pace.DOUBLED)
        self.assertEqual((now.every_min, now.doubled.signed[:4]), (2.0 * now.row.interval_min, "lead"))
        self.assertContains(self.post(row), "so already")
        self.assertContains(self.client.get("/lab/"), "doubled")
        state = make.state(2)
        record_sample(
            row=state.mill.plan[row],
            entry=Entry(results=(now.band.high + 0.01 * max(1.0, abs(now.band.high)),)),
            at=state.now,
            by=make.person("jd"),
            now=state.now,
            state=state,
        )
        self.assertIsNot(self.row(3.0, row).pace, Pace.DOUBLED)
        self.assertIsNone(Board(MillState(make.NOW - timedelta(hours=1))).by_id[row].doubled)  # not before it was

    def test_it_is_set_back_and_what_may_not_be_doubled_says_why(self):
        row = self.calm()
        self.as_("mr")
        self.post(row)
        self.assertContains(self.post(row, "no"), "again, as planned")
        self.assertIs(self.row(1.0, row).pace, Pace.PLANNED)
        for other, why in (("machine.chest.ph", "critical"), ("K.larch_blow.kappa", "Its interval stays")):
            with self.subTest(other):
                self.assertContains(self.post(other), why)
                self.assertIs(self.row(1.0, other).pace, Pace.PLANNED)
        self.assertEqual(Record.objects.filter(subject__startswith="plan.").count(), 2)
