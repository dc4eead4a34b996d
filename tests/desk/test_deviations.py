"""Deviations from opening to how they end, and what they do to a lot: nobody releases, two sign, another card is met."""

import math
from dataclasses import replace
from datetime import timedelta

from django.core.exceptions import PermissionDenied
from django.test import SimpleTestCase, tag

from core.deliver.deviation import CONTAIN, ENDS, Stands, missing
from core.deliver.release import Action, CardTest, dispose, meets_all
from desk.deliver import actions as deliver
from desk.deliver import deviations as kept
from desk.deliver.signing import Hands, sign
from desk.lab.actions import Entry, record_sample
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.shift.demo import NOW, PIN
from tests import make
from tests.desk.test_bleach import Desk

LOT, SUSPECT = "BM-26318-A01-2", "KD-26317-B02-5"
HANDS = Hands(PIN, "pn", PIN)


def card(key: str, *results: float, low: float = -math.inf, high: float = math.inf, critical: bool = True) -> CardTest:
    return CardTest(
        key=key, low=low, high=high, critical=critical, results=results, flagged_result=False, history_sd=1.0, history_n=40
    )


@tag("core")
class Rules(SimpleTestCase):
    def test_the_table_in_its_order(self):
        good, out = card("csf", 380, 381, 379, low=365, high=395), card("csf", 401, 402, 400, low=365, high=395)
        other = {"LB": (card("csf", 401, 402, 400, low=380, high=410),), "WP": (card("csf", 401, 402, 400, low=345, high=375),)}
        minor = card("dirt", 4.0, 4.1, 3.9, high=3.0, critical=False)
        for tests, more, action in (
            ((good,), {"open_deviations": 1}, Action.HOLD),
            ((card("csf"),), {}, Action.HOLD),
            ((good, minor), {}, Action.RELEASE_WITH_NOTE),
            ((out,), {"lower": other}, Action.DOWNGRADE),
            ((out,), {"lower": {"WP": other["WP"]}}, Action.HOLD_OUT),
            ((out,), {"lower": other, "open_deviations": 1}, Action.HOLD),
            ((good,), {}, Action.RELEASE),
        ):
            with self.subTest(action=action):
                self.assertEqual(dispose(tests, **more).action, action)
        self.assertEqual(dispose((out,), lower=other).meets, ("LB",))
        self.assertFalse(meets_all(()))

    def test_nothing_is_closed_before_it_is_answered(self):
        whole = Stands("outer", frozenset(CONTAIN), "steam was short", 0, True)
        self.assertEqual(missing(whole, "as_is"), ())
        for less, end, words in (
            (replace(whole, answered=frozenset({"spread"})), "as_is", "suspect tonnes marked"),
            (replace(whole, cause=" "), "as_is", "its cause"),
            (replace(whole, good_again=False), "as_is", "a good result"),
            (whole, "", "how it ends"),
            (replace(whole, rule="contamination"), "blended", "never blended away"),
            (replace(whole, waiting=2), "none", "2 lots"),
        ):
            with self.subTest(words=words):
                self.assertIn(words, "; ".join(missing(less, end)))
        self.assertEqual(set(ENDS) & {"none", "as_is", "diverted"}, {"none", "as_is", "diverted"})


class Deviations(Desk):
    def opened(self, **more) -> kept.Deviation:
        state = make.state(0)
        told = {"rule": "contamination", "words": "black specks on the last washer", "row": "", "suspect": SUSPECT, **more}
        made = kept.open_one(state=state, by=make.person("jd"), now=state.now, **told)
        return kept.deviation(state, made.subject.removeprefix(kept.PREFIX))

    def contained(self) -> kept.Deviation:
        d, state = self.opened(), make.state(6)
        for what in CONTAIN:
            kept.contain(state=state, number=d.number, what=what, words="done", by=make.person("jd"), now=state.now)
        kept.keep_cause(state=state, number=d.number, words="scale of the blow line", by=make.person("mr"), now=state.now)
        return kept.deviation(make.state(7), d.number)

    def test_it_touches_the_lots_that_hold_it_and_nobody_releases_them(self):
        d = self.opened()
        self.assertIn(LOT, d.lots)
        found = deliver.lot(LOT, make.state(1))
        self.assertEqual([x.number for x in found.deviations], [d.number])
        proposal, _ = found.judged()
        self.assertEqual((proposal.action, proposal.may_release), (Action.HOLD, ()))
        with self.assertRaisesMessage(deliver.Refused, "deviation open"):
            deliver.decide_lot(lot_=found, action="release", by=make.person("mr"), now=NOW, pin=PIN)
        other = deliver.lot("BM-26317-A01-T", make.state(1))
        self.assertEqual(other.deviations, [])

    def test_what_is_typed_wrong_is_refused_beside_its_field(self):
        for field, wrong in (
            ("rule", {"rule": "x"}),
            ("words", {"words": "hm"}),
            ("row", {"row": "x"}),
            ("suspect", {"suspect": "x"}),
        ):
            with self.subTest(field=field), self.assertRaises(kept.Refused) as refused:
                self.opened(**wrong)
            self.assertEqual(refused.exception.field, field)
        with self.assertRaises(PermissionDenied):
            kept.open_one(
                state=make.state(0), rule="person", words="seen it", row="", suspect="", by=make.person("cv"), now=NOW
            )

    def test_from_opening_to_its_end_and_no_further(self):
        d = self.contained()
        self.assertAlmostEqual(d.contained_in_min, 6.0)
        state, lead = make.state(8), make.person("mr")
        told = {
            "state": state,
            "number": d.number,
            "words": "specks are within the customer's limit",
            "by": lead,
            "now": state.now,
        }
        for field, wrong in (
            ("words", {"words": ""}),
            ("end", {"end": "blended"}),
            ("second", {"hands": Hands(PIN, "mr", PIN)}),
            ("second", {"hands": Hands(PIN, "jd", PIN)}),
            ("pin", {"hands": Hands("x", "pn", PIN)}),
            ("second_pin", {"hands": Hands(PIN, "pn", "x")}),
        ):
            with self.subTest(field=field), self.assertRaises(kept.Refused) as refused:
                kept.close(**{"end": "as_is", "hands": HANDS, **told, **wrong})
            self.assertEqual(refused.exception.field, field)
        made = kept.close(**told, end="as_is", hands=HANDS)
        self.assertIn("P.N.", made.data["second"])
        with self.assertRaisesMessage(kept.Refused, "It was closed at"):
            kept.close(**told, end="as_is", hands=HANDS)
        with self.assertRaisesMessage(kept.Refused, "It was closed at"):
            kept.contain(state=state, number=d.number, what="told", words="x", by=lead, now=state.now)

    def test_a_lot_is_released_under_a_deviation_by_two(self):
        d, state = self.contained(), make.state(9)
        lead = make.person("mr")
        found = deliver.lot(LOT, state)
        grants = deliver.rights(found, found.judged()[0], lead)
        self.assertIn("is open", grants["concession"])
        kept.close(state=state, number=d.number, end="as_is", words="within limits", hands=HANDS, by=lead, now=state.now)
        found = deliver.lot(LOT, state)
        sent = {"lot_": found, "action": "concession", "by": lead, "now": state.now, "pin": PIN}
        with self.assertRaises(deliver.Refused) as refused:
            deliver.decide_lot(**sent, words="as agreed", hands=Hands(PIN, "", ""))
        self.assertEqual(refused.exception.field, "second")
        made = deliver.decide_lot(**sent, words="as agreed", hands=HANDS)
        self.assertEqual((made.status, made.data["deviation"]), ("under deviation", d.number))
        self.assertEqual(deliver.lot(LOT, state).standing, "released")
        self.as_("mr")
        told = self.client.get(f"/deliver/lots/{LOT}/ticket.json").json()
        self.assertEqual(told["stands"], "released")
        self.assertEqual(told["deviations"][0]["number"], d.number)
        self.assertIn("under deviation", " ".join(h["says"] for h in told["history"]))
        page = self.client.get(f"/deliver/lots/{LOT}/ticket/")
        self.assertContains(page, "<svg")
        self.assertContains(page, told["head"][:16])

    def test_a_lot_that_meets_another_card_is_downgraded_by_two(self):
        state, lead, lab = make.state(1), make.person("mr"), make.person("wa")
        running = deliver.running_lot(state)
        for minutes, rows in ((1, 3),):
            for test, value in (("freeness", 402.0), ("consistency", 3.6), ("brightness", 81.4), ("ph", 7.4), ("ash", 1.8)):
                for k in range(rows):
                    at = state.now + timedelta(minutes=minutes)
                    row = state.mill.plan[f"machine.chest.{test}"]
                    entry = Entry(results=(value + 0.01 * k,))
                    record_sample(row=row, entry=entry, at=at, by=lab, now=at, state=state, lot=running.number)
        minor = {t.key: t.row for t in running.grade.tests if not t.critical}
        for row_id in minor.values():
            entry = Entry(results=(1.0,)) if "dirt" in row_id else Entry(results=(120.0,))
            for _ in range(3):
                record_sample(
                    row=state.mill.plan[row_id],
                    entry=entry,
                    at=state.now,
                    by=lab,
                    now=state.now,
                    state=state,
                    lot=running.number,
                )
        later = make.state(3)
        deliver.close_lot(opened=running.opened, by=make.person("jd"), now=later.now, state=later)
        found = deliver.lot(running.number, later)
        proposal, _ = found.judged()
        self.assertEqual((proposal.action, proposal.meets), (Action.DOWNGRADE, ("LB80",)))
        sent = {
            "lot_": found,
            "action": "downgrade",
            "by": lead,
            "now": later.now,
            "pin": PIN,
            "words": "freeness high",
            "hands": HANDS,
        }
        with self.assertRaises(deliver.Refused) as refused:
            deliver.decide_lot(**sent, grade="EX70")
        self.assertEqual(refused.exception.field, "grade")
        made = deliver.decide_lot(**sent, grade="LB80")
        self.assertIn("Label base", made.says)
        self.assertEqual(deliver.lot(running.number, later).standing, "downgraded")

    def test_nobody_signs_both_hands(self):
        with self.assertRaises(kept.Refused):
            sign(Hands(PIN, "as", PIN), make.person("mr"), kept.Refused)  # two leads
        self.assertEqual(sign(Hands(PIN, "as", PIN), make.person("pn"), kept.Refused).username, "as")

    def test_the_rules_ask_for_what_nobody_has_opened(self):
        state = make.state(2)
        row = state.mill.plan["machine.chest.brightness"]
        for value in (75.0, 75.2):
            record_sample(
                row=row, entry=Entry(results=(value,)), at=state.now, by=make.person("wa"), now=state.now, state=state
            )
        told = [d for d in kept.due(make.state(3)) if d.row == row.id]
        self.assertEqual([d.rule for d in told], ["outer"])
        set_clock(make.state(3).now)
        self.as_("mr")
        self.assertContains(self.client.get("/deliver/deviations/"), "The rules ask for")
        answer = self.client.post("/deliver/deviations/", {"rule": "outer", "words": told[0].words, "row": row.id})
        self.assertEqual(answer.status_code, 302)
        self.assertEqual([d.row for d in kept.due(make.state(4)) if d.rule == "outer"], [])
        page = self.client.get(answer["Location"])
        self.assertContains(page, "t OD suspect")
        self.assertContains(page, "not good yet")
        self.assertEqual(self.client.post(answer["Location"], {"act": "told", "words": ""}).status_code, 422)
        self.assertTrue(Record.objects.filter(kind=Kind.EVENT, status="opened").exists())
