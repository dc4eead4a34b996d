"""Traces of lots from the record: slices cut, a suspect found, held in one act or rehearsed, its paper."""

from datetime import timedelta

from django.test import TestCase

from core.deliver.lots import USUAL
from desk.cook import actions as cooks
from desk.cook.models import Cook
from desk.deliver import tracing
from desk.deliver.actions import close_and_go_on, lot, running_lot
from desk.deliver.tracing import RecallRefused, Trace, found_of, hold_all, suspect_of
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill import source_lots
from desk.mill.state import MillState
from desk.shift.demo import NOW, PIN
from tests import make, second_mill
from tests.desk.test_bleach import Desk

SUSPECT = "KD-26317-B02-5"


class Slices(Desk):
    def test_what_runs_without_batches_is_cut_every_four_hours_and_loses_nothing(self):
        state, by = make.state(0), make.person("mr")
        later = MillState(NOW + timedelta(hours=9))
        cut = source_lots.cut_due(later, by=by, now=later.now)
        units = {r.data["unit"] for r in cut}
        self.assertEqual(units, {"K.alder.cook", "S.cook", "M.tmp", "B.broke"})
        makers = {m.unit: m for m in source_lots.makers(state)}
        for r in cut:
            hours = (r.at - r.at.fromisoformat(r.data["since"])) / timedelta(hours=1)
            self.assertEqual(hours, 4.0)
            if r.data["unit"] != "B.broke":  # that is counted by the hours the machine runs
                self.assertAlmostEqual(r.data["tonnes"], 4.0 * makers[r.data["unit"]].t_h, delta=0.02 * r.data["tonnes"])
        self.assertEqual(source_lots.cut_due(later, by=by, now=later.now), [])  # cut once
        broke = next(r for r in cut if r.data["unit"] == "B.broke")
        self.assertAlmostEqual(sum(b["od_t"] for b in broke.data["from"]), broke.data["tonnes"])
        self.assertTrue(all(b["lot"].startswith("BM-") for b in broke.data["from"]))
        self.assertEqual(len({r.subject for r in cut}), len(cut))

    def test_a_deviation_and_another_raw_material_end_a_slice_before_its_time(self):
        by = make.person("mr")
        self.as_("jd")
        sent = {"rule": "person", "words": "knots seen", "row": "S.blow.kappa"}
        before = {m.unit: m.t_h for m in source_lots.makers(make.state(0))}
        self.assertIn(self.client.post("/deliver/deviations/", sent).status_code, (200, 302))
        opened = Record.objects.get(status="opened")
        write(
            kind=Kind.SETPOINT,
            subject="set.K.alder.chips",
            by=by,
            now=NOW + timedelta(minutes=30),
            says="more alder",
            data={"settings": make.state(0).plans["K.alder.chips"].settings()},
        )
        later = MillState(NOW + timedelta(hours=9))
        cut = source_lots.cut_due(later, by=by, now=later.now)
        straw, alder = ([r for r in cut if r.data["unit"] == unit] for unit in ("S.cook", "K.alder.cook"))
        self.assertIn("deviation opened", straw[0].data["what"])
        self.assertLess(abs(straw[0].at - opened.at), timedelta(seconds=1))
        self.assertTrue(any("another raw material" in r.data["what"] for r in alder))
        self.assertFalse(any("deviation" in r.data["what"] for r in alder))  # it is about another line
        for told in (straw, alder):  # no gap between them, and none longer than four hours
            starts = [r.at.fromisoformat(r.data["since"]) for r in told]
            self.assertEqual(starts[1:], [r.at for r in told[:-1]])
            self.assertTrue(all(r.at - s <= timedelta(hours=4) for r, s in zip(told, starts, strict=True)))
            whole = sum((r.at - s) / timedelta(hours=1) for r, s in zip(told, starts, strict=True))
            self.assertAlmostEqual(sum(r.data["tonnes"] for r in told), whole * before[told[0].data["unit"]], delta=2.0)

    def test_the_running_furnish_lot_says_when_it_is_to_be_closed_and_why(self):
        state = make.state(0)
        running = running_lot(state)
        self.assertEqual(running.to_end, (running.start + timedelta(hours=4), USUAL))
        self.as_("jd")
        self.client.post("/deliver/deviations/", {"rule": "person", "words": "foam in the furnish", "row": ""})
        end, why = running_lot(make.state(1)).to_end
        self.assertEqual((end, why), (Record.objects.get(status="opened").at, "deviation opened"))
        self.assertContains(self.client.get(f"/deliver/lots/{running.number}/"), "(deviation opened)")

    def test_a_blown_cook_is_a_lot_of_what_reaches_its_tower(self):
        cook = Cook.objects.get(number=1148)
        now = cook.started_at + timedelta(minutes=180)
        cooks.blow(cook=cook, by=make.person("mr"), now=now)
        made = Record.objects.get(kind=Kind.LOT_CLOSE, data__cook=1148)
        self.assertTrue(made.subject.startswith("KD-"))
        self.assertEqual((made.data["unit"], made.data["source"]), ("K.larch.cook", "K"))
        self.assertLess(made.data["tonnes"], 0.5 * cook.wood_t)
        self.assertGreater(made.data["tonnes"], 0.35 * cook.wood_t)

    def test_closing_a_lot_cuts_what_is_due_and_its_sources_make_it_up(self):
        state = MillState(NOW + timedelta(hours=5))
        opened = running_lot(state).opened
        close_and_go_on(opened=opened, by=make.person("jd"), now=state.now, state=state)
        closed = lot(opened.subject, state)
        self.assertAlmostEqual(sum(s["t"] for s in closed.sources), closed.tonnes, places=6)
        self.assertTrue(Record.objects.filter(kind=Kind.LOT_CLOSE, at__gt=NOW, data__unit="S.cook").exists())
        Trace(state).graph.refuse_more_than_made()


class Recall(Desk):
    def setUp(self):
        self.as_("mr")

    def found(self, key: str = SUSPECT):
        trace = Trace(make.state(0))
        return trace, found_of(trace, suspect_of(trace, key))

    def test_tonnes_of_every_kind_of_suspect_close(self):
        trace = Trace(make.state(0))
        seen = 0
        for title, told in tracing.choices(trace):
            for choice in told[:6]:
                suspect = suspect_of(trace, choice.key)
                if suspect is None:  # a meter that read well has nothing to be suspected of
                    self.assertEqual(title, "Meter or test")
                    continue
                found = found_of(trace, suspect)
                seen += 1
                self.assertAlmostEqual(found.apart_t, 0.0, places=5, msg=choice.key)
                self.assertAlmostEqual(
                    found.in_lots_t + found.in_stock_t + found.account.lost, found.made_t, delta=0.02 + found.twice_t
                )
        self.assertGreater(seen, 15)

    def test_any_contact_is_told_and_back_and_forth_agree(self):
        trace, found = self.found()
        self.assertEqual({x.node.key for x in found.lots}, {"BM-26318-A01-2", trace.state and running_lot(trace.state).number})
        for x in found.lots:
            self.assertAlmostEqual(trace.graph.back(x.node.key)[SUSPECT], x.share, places=9)
        self.assertAlmostEqual(found.made_t, 9.0)

    def test_one_act_holds_all_and_a_second_finds_them_held(self):
        state = make.state(0)
        _, found = self.found()
        running = running_lot(state).number
        self.assertEqual([x.node.key for x in found.to_hold], [running])
        told = {"found": found, "state": state, "by": make.person("wa"), "now": state.now, "words": "shives in the handful"}
        for field, wrong in (("pin", {"pin": "no"}), ("words", {"pin": PIN, "words": " "})):
            with self.assertRaises(RecallRefused) as refused:
                hold_all(**{**told, "begun_s": 41.0, "rehearsal": False, **wrong})
            self.assertEqual(refused.exception.field, field)
        kept = hold_all(**told, pin=PIN, begun_s=41.0, rehearsal=False)
        self.assertEqual((kept.status, kept.data["held"], kept.value), ("recall", [running], 41.0))
        self.assertEqual(lot(running, make.state(1)).standing, "held")
        again = hold_all(**told, pin=PIN, begun_s=60.0, rehearsal=False)
        self.assertEqual(again.data["held"], [])

    def test_a_rehearsal_holds_nothing_and_is_kept(self):
        state = make.state(0)
        before = Record.objects.filter(kind=Kind.DISPOSITION).count()
        sent = {
            "suspect": SUSPECT,
            "words": "the yearly rehearsal",
            "pin": PIN,
            "act": "rehearse",
            "begun": str(round(1000 * NOW.timestamp())),
        }
        answer = self.client.post("/deliver/trace/hold/", sent)
        kept = Record.objects.get(subject="recall")
        self.assertRedirects(answer, f"/deliver/recall/{kept.pk}/")
        self.assertEqual((kept.status, Record.objects.filter(kind=Kind.DISPOSITION).count()), ("rehearsal", before))
        paper = self.client.get(f"/deliver/recall/{kept.pk}/")
        self.assertContains(paper, "Nothing")
        self.assertContains(paper, "BM-26318-A01-2")
        self.assertContains(self.client.get("/deliver/trace/"), "Rehearsed recall")
        self.assertEqual(state.now.date(), kept.at.date())

    def test_the_page_draws_tells_and_refuses_what_it_does_not_know(self):
        page = self.client.get(f"/deliver/trace/?suspect={SUSPECT}")
        for words in ("touched", "Does the mass close?", "Hold 1 lot", "what is suspect, wherever it went"):
            self.assertContains(page, words)
        told = self.client.get(f"/deliver/trace/?suspect={SUSPECT}&json=1").json()
        self.assertAlmostEqual(sum(r["share"] for r in told["behind"] if r["kind"] == "made"), 1.0, delta=0.01)
        self.assertEqual(told["suspect"]["suspect"]["key"], SUSPECT)
        for odd in ("nothing", "pile:x:y", "tank:clo2:0", "tank::", "meter:none", "KD-99999-A01-0", "<script>"):
            answer = self.client.get("/deliver/trace/", {"suspect": odd})
            self.assertContains(answer, "is not known", msg_prefix=odd)
        self.assertEqual(self.client.post("/deliver/trace/hold/", {"suspect": "x"}).status_code, 422)
        self.as_("eb")
        self.assertEqual(self.client.post("/deliver/trace/hold/", {"suspect": SUSPECT}).status_code, 403)


class OnAnotherMill(TestCase):
    def test_a_mill_without_a_lot_says_so(self):
        second_mill.build()
        self.client.force_login(make.person("o2"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertContains(self.client.get("/deliver/trace/"), "No furnish")
        state = make.state(0)
        self.assertTrue(source_lots.makers(state))
        self.assertTrue(source_lots.cut_due(MillState(NOW + timedelta(hours=5)), by=None, now=NOW + timedelta(hours=5)))
