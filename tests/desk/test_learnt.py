"""How moves have worked here: tallies of the record, the gain they tell, offered only where it differs."""

import numpy as np
from django.test import SimpleTestCase, TestCase, tag

from core.calc import defaults
from core.errors import ImpossibleInput
from core.judge.learnt import LearntCase, Taken, learnt
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.moves.learnt import tallies
from tests import make, second_mill
from tests.desk.test_bleach import Desk


@tag("core")
class Gains(SimpleTestCase):
    def moves(self, gives: float, n: int, seed: int = 1, noise: float = 0.1) -> LearntCase:
        rng = np.random.default_rng(seed)
        steps = rng.uniform(40.0, 120.0, n) * rng.choice((-1.0, 1.0), n)
        told = tuple(
            Taken(step=float(s), foreseen=-0.02 * float(s), came=float(-0.02 * gives * s + rng.normal(0.0, noise)))
            for s in steps
        )
        return LearntCase(moves=told)

    def test_a_gain_is_found_again_and_offered_only_where_it_differs(self):
        for gives, offered in ((0.7, 1.0), (1.4, 1.0)):
            found = learnt(self.moves(gives, 20))
            self.assertAlmostEqual(found.share, gives, delta=3.0 * found.share_sd)
            self.assertAlmostEqual(found.gain, -0.02 * gives, delta=3.0 * found.gain_sd)
            self.assertEqual(found.offered, offered)
        false = sum(learnt(self.moves(1.0, 12, seed)).offered for seed in range(200))
        self.assertLess(false, 200 * 0.12)  # two of its own errors: about one in fourteen by chance
        self.assertEqual(learnt(self.moves(0.5, 5)).offered, 0.0)

    def test_moves_that_moved_nothing_teach_nothing(self):
        still = Taken(step=0.0, foreseen=0.0, came=0.1)
        with self.assertRaises(ImpossibleInput):
            learnt(LearntCase(moves=(still, still)))


class Tallied(Desk):
    def test_the_record_is_counted_as_it_was_decided(self):
        told = {t.row: t for t in tallies(make.state(0))}
        kappa = told["K.larch_blow.kappa"]
        decided = Record.objects.current().filter(kind=Kind.DECISION, subject="K.larch_blow.kappa").count()
        self.assertEqual(sum(kappa.choices.values()), decided)
        self.assertEqual(kappa.judged, Record.objects.filter(kind=Kind.EFFECT, subject="K.larch_blow.kappa").count())
        self.assertEqual(len(kappa.taken), kappa.judged)
        self.assertFalse(kappa.offered)  # five days hold too few
        self.assertEqual([t.row for t in tallies(make.state(0), "h_factor.K.larch_blow.kappa")], ["K.larch_blow.kappa"])

    def test_the_page_and_the_rows_tell_it(self):
        self.as_("pn")
        page = self.client.get("/moves/learnt/")
        self.assertContains(page, "Larch blow")
        self.assertContains(page, "back in band")
        self.assertRegex(page.content.decode(), r"−0\.01\d+ ± 0\.00\d+")  # to the digits of its error, no powers of ten
        row = self.client.get("/moves/row/C1-S.1/")  # straw's own water, read where the kappa of its blow line has drifted
        self.assertContains(row, "nothing that is measured upstream tells why")
        self.assertContains(row, "/lab/cause/")


class OfATableRow(Desk):
    """A row of the table whose moves here do less than was foreseen: its constant, so much less, is offered to an engineer."""

    def test_its_constant_is_offered_by_what_came_of_what_was_foreseen(self):
        state = make.state(0)
        spot, placement = next(
            (k, p) for k, p in state.mill.moves.items() if find(ROWS[p.row].model).calibrated_by and p.row in ("B6", "B7")
        )
        by = make.person("jd")
        for k in range(8):
            data = {
                "spot": spot,
                "row": placement.row,
                "title": "x",
                "before": 2.0,
                "after": 3.0,
                "reading": 4.4,
                "expected": 4.0,
            }
            move = write(kind=Kind.MOVE, subject=placement.subject, by=by, now=state.now, says="x", data=data)
            decided = write(
                kind=Kind.DECISION,
                subject=placement.subject,
                by=by,
                now=state.now,
                says="taken",
                data={"choice": "take", "before": 2.0, "after": 3.0, "retest_at": state.now.isoformat()},
                about=move,
            )
            told = {"after": 4.4 - 0.4 * (0.5 + 0.01 * (k % 3))}
            write(
                kind=Kind.EFFECT,
                subject=placement.subject,
                by=by,
                now=state.now,
                says="x",
                status="partly",
                data=told,
                about=decided,
            )
        (tally,) = tallies(state, spot)
        self.assertTrue(tally.offered)
        label, stands, then = tally.then
        model = find(ROWS[placement.row].model)
        self.assertEqual(label, quantities(model.case_class)[model.calibrated_by[0]].label)
        self.assertEqual(stands, placement.opens.get(model.calibrated_by[0], defaults(model)[model.calibrated_by[0]]))
        self.assertAlmostEqual(then / stands, tally.worked.result.share)
        self.assertAlmostEqual(then / stands, 0.51, delta=0.02)
        self.as_("pn")
        page = self.client.get("/moves/learnt/")
        self.assertContains(page, f"?part=moves%3A{spot}")
        self.assertEqual(self.client.get(f"/mill/draft/?part=moves:{spot}").status_code, 200)
        self.as_("jd")
        self.assertContains(self.client.get("/moves/learnt/"), "an engineer decides")


class OnAnotherMill(TestCase):
    def test_a_mill_without_a_move_says_so(self):
        second_mill.build()
        self.client.force_login(make.person("o2"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertContains(self.client.get("/moves/learnt/"), "No move was decided here yet")
