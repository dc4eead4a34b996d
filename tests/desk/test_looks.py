"""Looks, rounds, the figures of a shift and its handover: evidence that rows take up, stops that are not skipped in silence."""

from datetime import timedelta

from django.core.exceptions import PermissionDenied
from django.test import SimpleTestCase, TestCase, tag

from core.accounts.keys import KeysCase, keys
from core.errors import ImpossibleInput
from core.lab.looks import EVIDENCE, LOOKS, VERDICTS, answers, evidence_checked
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find, models
from core.safety.cards import CARDS
from desk.lab import looks
from desk.lab.board import Board
from desk.lab.look_drawings import MARKS, SHAPES, drawn
from desk.log.models import Kind, Record
from desk.log.practice import looked_at, opening
from desk.mill.state import MillState
from desk.shift import handover
from desk.shift.demo import NOW, PIN
from desk.shift.keys import keys_of, know_first
from tests import make, second_mill
from tests.desk.test_bleach import Desk

MAT = "mat.K.larch.wash"


@tag("core")
class Table(SimpleTestCase):
    def test_every_look_is_whole_and_is_drawn(self):
        cards = {c.code for c in CARDS}
        for look in LOOKS.values():
            self.assertEqual(look.codes[0].verdict, "fine", look.key)
            self.assertEqual(len({c.key for c in look.codes}), len(look.codes))
            for code in look.codes:
                with self.subTest(look=look.key, code=code.key):
                    self.assertIn(code.verdict, VERDICTS)
                    self.assertTrue(code.means)
                    self.assertIn(look.shape, SHAPES)
                    self.assertTrue(set(code.marks) <= set(MARKS))
                    self.assertIn(code.card, {"", *cards})
                    self.assertTrue(code.card or code.verdict != "danger", "danger shows its card")
                    self.assertTrue(drawn(look.shape, code.marks)["shape"].startswith("M"))

    def test_what_looks_answer_is_what_rows_ask(self):
        known = {m.name for m in models()}
        self.assertLessEqual({model for model, _ in EVIDENCE}, known)
        options = {(m, f): quantities(find(m).case_class)[f].options for m, f in EVIDENCE}
        self.assertEqual(evidence_checked(options), [])
        self.assertLessEqual({m for m, _ in EVIDENCE}, {row.model for row in ROWS.values()})
        for (_, _), told in EVIDENCE.items():
            for look, words in told.items():
                self.assertLessEqual(set(words), {c.key for c in LOOKS[look].codes})
        self.assertEqual(answers("wash.water_move", "mat", {"mat": "bands"}), ("faulty", "mat"))
        self.assertIsNone(answers("wash.water_move", "mat", {"chips": "wet"}))

    def test_more_down_than_there_was_is_refused_and_nothing_made_is_no_division(self):
        nothing = keys(KeysCase(raw_t=10.0, delivered_t=0.0, rose_t=-1.0, scheduled_h=1.0))
        self.assertEqual((nothing.made_adt, nothing.chemicals, nothing.off_pct), (0.0, 0.0, 0.0))
        for wrong in ({"down_h": 2.0}, {"in_band": 3.0, "valid": 2.0}, {"passed_first": 2.0, "closed": 1.0}):
            with self.assertRaises(ImpossibleInput):
                keys(KeysCase(raw_t=10.0, delivered_t=5.0, scheduled_h=1.0, **wrong))
        a, b = (keys(KeysCase(raw_t=10.0, delivered_t=d, rose_t=r, scheduled_h=1.0)) for d, r in ((5.0, 0.0), (6.0, -1.0)))
        self.assertEqual(a.made_adt, b.made_adt)  # draining the towers makes nothing


class Looks(Desk):
    def setUp(self):
        self.as_("tk")

    def look(self, key: str, code: str, grade: str = "clear", minutes: float = 1.0, **more) -> Record:
        state = make.state(minutes)
        told = {
            "state": state,
            "key": key,
            "code": code,
            "grade": grade,
            "words": "",
            "by": make.person("tk"),
            "now": state.now,
        }
        return looks.keep(**{**told, **more})

    def test_a_dark_band_fills_the_mat_of_its_own_washer_and_of_no_other(self):
        self.look(MAT, "bands")
        state = make.state(2)
        rows = {k: p for k, p in state.mill.moves.items() if p.row == "W1"}
        told = {p.unit: looked_at(p, "wash.water_move", state) for p in rows.values()}
        self.assertEqual(told["K.larch.wash"]["mat"][0], "faulty")
        self.assertIn("T.K.", told["K.larch.wash"]["mat"][1])
        self.assertNotEqual(told["K.alder.wash"].get("mat", ("",))[0], "faulty")
        placement = next(p for p in rows.values() if p.unit == "K.larch.wash")
        start = opening(placement, state, newest={})
        self.assertEqual(start.values["mat"], "faulty")
        self.assertIn("look ", start.came["mat"])
        self.look(MAT, "even", minutes=3.0)
        self.assertEqual(looked_at(placement, "wash.water_move", make.state(4))["mat"][0], "even")
        self.assertNotIn("mat", looked_at(placement, "wash.water_move", MillState(NOW + timedelta(hours=8))))

    def test_what_is_typed_wrong_is_refused_beside_its_field(self):
        for field, key, code, grade in (
            ("key", "mat.none", "even", ""),
            ("code", MAT, "blue", ""),
            ("grade", MAT, "bands", ""),
        ):
            with self.assertRaises(looks.Refused) as refused:
                self.look(key, code, grade)
            self.assertEqual(refused.exception.field, field)
        with self.assertRaises(PermissionDenied):
            self.look(MAT, "even", by=make.person("eb"))
        self.assertEqual(self.client.post("/lab/looks/", {"key": MAT, "code": "bands"}).status_code, 422)
        self.client.post("/lab/looks/", {"key": MAT, "code": "bands", "grade": "slight", "words": "at the drive side"})
        kept = Record.objects.get(subject="look.K.larch.wash", words="at the drive side")
        self.assertEqual((kept.data["grade"], kept.data["verdict"]), ("slight", "act"))
        self.assertContains(self.client.get("/log/?q=drive+side"), "dark bands")

    def test_danger_shows_its_card_and_stands_first_at_the_handover(self):
        page = self.client.get("/lab/looks/?key=vapour.K.bleach")
        self.assertContains(page, "Leave, alarm")
        kept = self.look("vapour.K.bleach", "yellow", "")
        self.assertEqual(kept.data["verdict"], "danger")
        state = make.state(2)
        self.assertIn("yellow-green haze", know_first(state, Board(state))[0])

    def test_a_round_is_finished_when_every_stop_is_looked_at_or_skipped_with_a_reason(self):
        by = make.person("tk")
        done = next(d for d in looks.due(make.state(0)) if d.line == "K")
        self.assertEqual((done.done, done.late), (1, False))
        begun = looks.begin(state=make.state(1), line="S", by=by, now=make.state(1).now)
        self.assertEqual(looks.begin(state=make.state(2), line="S", by=by, now=make.state(2).now), begun)  # gone on with
        stops = looks.lines_of(make.state(0))["S"]
        for stop in stops[:-2]:
            self.look(stop.key, stop.look.codes[0].key, "", minutes=3.0, round_=begun)
        state = make.state(9)
        told = {"state": state, "begun": begun, "by": by, "now": state.now}
        with self.assertRaises(looks.Refused) as refused:
            looks.finish(**told, skipped={stops[-1].key: "locked"})
        self.assertEqual(refused.exception.field, stops[-2].key)
        kept = looks.finish(**told, skipped={s.key: "locked out for repair" for s in stops})
        self.assertEqual(set(kept.data["skipped"]), {s.key for s in stops[-2:]})
        self.assertIn("2 skipped", kept.says)
        with self.assertRaisesMessage(looks.Refused, "was finished at"):
            looks.finish(**told, skipped={})
        with self.assertRaises(looks.Refused):
            looks.begin(state=state, line="Z", by=by, now=state.now)

    def test_a_round_on_the_page(self):
        self.client.post("/lab/round/", {"line": "M"})
        begun = Record.objects.get(subject="round.M", status=looks.BEGUN)
        page = self.client.get(f"/lab/looks/?round={begun.pk}")
        self.assertContains(page, "Finish the")
        stop = looks.lines_of(make.state(0))["M"][0]
        self.client.post("/lab/looks/", {"key": stop.key, "code": stop.look.codes[0].key, "round": begun.pk})
        self.assertEqual(len(looks.rounds(make.state(1), make.state(0).shift.start)[0].looks), 1)
        self.client.post(f"/lab/round/{begun.pk}/done/", {})
        self.assertFalse(Record.objects.filter(subject="round.M", status=looks.DONE).exists())
        why = {f"why.{s.key}": "not running" for s in looks.lines_of(make.state(0))["M"]}
        self.client.post(f"/lab/round/{begun.pk}/done/", why)
        self.assertTrue(Record.objects.filter(subject="round.M", status=looks.DONE).exists())


class OnAnotherMill(TestCase):
    def test_its_own_units_have_their_looks(self):
        second_mill.build()
        self.client.force_login(make.person("o0"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertTrue(looks.stops(make.state(0)))
        self.assertEqual(self.client.get("/lab/looks/").status_code, 200)
        self.assertEqual(self.client.get("/log/handover/").status_code, 200)


class Figures(Desk):
    def test_the_keys_of_the_morning_close_on_its_record(self):
        told = keys_of(make.state(0))
        case, found = told.worked.case, told.found
        self.assertEqual(case.scheduled_h, 4.0)
        self.assertAlmostEqual(found.made_adt * 0.9, case.delivered_t + case.rose_t)
        self.assertGreater(found.yield_pct, 30.0)
        self.assertLess(found.yield_pct, 70.0)
        self.assertEqual(case.closed, 1.0)  # A01 was closed at ten, and is held
        self.assertGreater(found.off_pct, 50.0)
        self.assertIsNone(keys_of(MillState(NOW.replace(hour=6, minute=20))))

    def test_a_second_draft_takes_the_place_of_the_first_until_it_is_read(self):
        state, lead = make.state(1), make.person("mr")
        told = {"by": lead, "state": state, "pin": PIN, "written": {}}
        first = handover.sign(**told, now=state.now, watch="nothing")
        with self.assertRaisesMessage(handover.Refused, "was signed at"):
            handover.sign(**told, now=state.now, watch="more")
        second = handover.sign(**told, now=make.state(2).now, watch="steam is back", again=True)
        self.assertEqual(second.corrects_id, first.pk)
        self.assertTrue(second.data["first"])
        standing = Record.objects.current().filter(kind=Kind.HANDOVER, subject=state.shift.start.isoformat())
        self.assertEqual([r.pk for r in standing], [second.pk])
        handover.read(handover=second, by=make.person("as"), now=make.state(3).now, pin=PIN, ticked=set(range(1, 13)))
        with self.assertRaisesMessage(handover.Refused, "no longer possible"):
            handover.sign(**told, now=make.state(4).now, watch="again", again=True)
        self.as_("mr")
        self.assertContains(self.client.get("/log/handover/?again=1"), "second draft")
