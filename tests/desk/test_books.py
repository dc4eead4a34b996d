"""The books of what is in store add up, whatever is written in them and in whatever order: bales, chemicals, piles of wood.

Each walk keeps a ledger of its own beside the desk's, and both tell the same at every step; what is refused moves neither.
"""

import random
from datetime import timedelta

from desk.chips import yard
from desk.log.models import Record
from desk.mill.chemicals import standings
from desk.mill.clock import set_clock
from desk.mill.state import MillState
from desk.recovered import bales
from tests import make
from tests.desk.test_bales import CAME
from tests.desk.test_second_press import Pressed

STEPS = 24


class Book(Pressed):
    def setUp(self):
        super().setUp()
        self.now = make.NOW

    def go_on(self, hours: float) -> MillState:
        self.now += timedelta(hours=hours)
        set_clock(self.now)
        return MillState(self.now)


class BaleYard(Book):
    def lots(self) -> dict:
        return bales.lots_of(MillState(self.now + timedelta(minutes=1)))

    def write_in(self, number: str, **asked) -> bool:
        self.press(f"/recovered/yard/{number}/keep/", **asked)
        return self.kept > 0

    def test_a_lot_counted_sorted_and_put_right_at_random(self):
        chance, ledger, entries = random.Random(1), {}, {}
        for _ in range(STEPS):
            self.go_on(chance.choice((0.1, 2.0, 11.0)))
            act = chance.random()
            if act < 0.35 or not ledger:
                kg = float(chance.randint(6_000, 24_000))
                count = round(kg / 420)
                before = set(self.lots())
                self.press("/recovered/yard/receive/", **{**CAME, "bales": str(count), "kg": f"{kg:g}"})
                self.go_on(0.01)
                (number,) = set(self.lots()) - before or {self.told}
                ledger[number] = {"came": kg, "left": kg, "sorted": 0.0, "missing": 0.0}
                entries[number] = Record.objects.get(subject=f"bales.{number}", status="received")
                continue
            number = chance.choice(sorted(ledger))
            told = ledger[number]
            if act < 0.6:
                kg = float(round(told["left"] * chance.uniform(0.85, 1.0)))
                if self.write_in(number, what="counted", bales=str(max(1, round(kg / 420))), kg=f"{kg:g}"):
                    told["missing"] += told["left"] - kg
                    told["left"] = kg
            elif act < 0.75:
                case = self.client.get(f"/recovered/yard/{number}/?what=sorted&machine_pct=50").context["sorts"]
                if case is not None and self.write_in(number, what="sorted", machine_pct="50"):
                    told["sorted"] += case.result.out_kg
                    told["left"] -= case.result.out_kg
            elif act < 0.9:
                more = told["came"] + chance.choice((-800.0, 500.0))
                fields = {k: v for k, v in CAME.items() if k != "kind"} | {"bales": str(round(more / 420)), "kg": f"{more:g}"}
                if told["sorted"] == told["missing"] == 0 and self.write_in(
                    number, what="received", entry=str(entries[number].pk), **fields
                ):
                    told["came"] = told["left"] = more
                    entries[number] = Record.objects.current().get(subject=f"bales.{number}", status="received")
            else:
                self.refused(f"/recovered/yard/{number}/keep/", what="counted", bales="5", kg="1")
            for one, kept in ledger.items():
                lot = self.lots()[one]
                with self.subTest(lot=one):
                    self.assertAlmostEqual(lot.came_kg, kept["came"], places=3)
                    self.assertAlmostEqual(lot.kg, kept["left"], places=3)
                    self.assertAlmostEqual(lot.sorted_kg, kept["sorted"], places=3)
                    self.assertAlmostEqual(lot.missing_kg, kept["missing"], places=3)
        self.assertGreater(len(ledger), 3)

    def test_one_delivery_note_twice_is_minded(self):
        self.press("/recovered/yard/receive/", **CAME)
        self.assertNotIn("one delivery", self.told)
        (first,) = (n for n, x in self.lots().items() if x.came_kg == float(CAME["kg"]) and x.age_days < 0.1)
        self.go_on(0.1)
        self.press("/recovered/yard/receive/", **{**CAME, "kg": "20000"})
        self.assertIn(f"stands with {first} too", self.told)
        self.press("/recovered/yard/receive/", **{**CAME, "document": "DN 78"})
        self.assertNotIn("one delivery", self.told)

    def test_what_a_kind_holds_is_the_sum_of_its_lots(self):
        for kg in ("9000", "21000", "15000"):
            self.press("/recovered/yard/receive/", **{**CAME, "kg": kg, "bales": str(round(float(kg) / 420))})
            state = MillState(self.now + timedelta(minutes=1))
            for s in bales.standings(state):
                own = [x for x in self.lots().values() if x.kind.key == s.kind.key]
                with self.subTest(kind=s.kind.key, kg=kg):
                    self.assertAlmostEqual(s.free_t + s.held_t, sum(x.od_t for x in own), places=6)
                    if s.oldest is not None:
                        self.assertEqual(s.oldest.age_days, max(x.age_days for x in own if x.free))


class TankBook(Book):
    def stands(self, key: str):
        return next(s for s in standings(MillState(self.now)) if s.tank.key == key)

    def write_in(self, **asked) -> bool:
        self.press("/bleach/tanks/", **asked)
        return self.kept > 0

    def test_levels_deliveries_and_use_by_the_hour(self):
        chance = random.Random(2)
        for key in [s.tank.key for s in standings(make.state(0))]:
            first = self.stands(key)
            low, high, use = first.tank.least_m3, first.tank.most_m3, first.tank.use_m3_h
            level = first.now_m3
            for _ in range(6):
                hours = chance.choice((0.5, 3.0, 9.0))
                self.go_on(hours)
                level = max(low, level - use * hours)
                with self.subTest(tank=key, level=level):
                    self.assertAlmostEqual(self.stands(key).now_m3, level, delta=2e-3 * high)
                if chance.random() < 0.5:
                    level = round(chance.uniform(low, high), 1)
                    self.assertTrue(self.write_in(what="level", where=key, value=f"{level:g}"), self.told)
                elif level + 2 < high:
                    comes = round(chance.uniform(1, high - level), 1)
                    given = {"what": "delivery", "where": key, "value": f"{comes:g}"}
                    self.assertTrue(self.write_in(**given, read_aloud="yes", second="J.D."), self.told)
                    level += comes
                self.go_on(0.01)
                level = max(low, level - use * 0.01)
            with self.subTest(tank=key):
                self.assertAlmostEqual(self.stands(key).now_m3, level, delta=2e-3 * high)

    def test_more_than_there_is_room_for_is_kept_and_minded(self):
        """What came has come; that a tank would run over by its book is said with it."""
        key = standings(make.state(0))[0].tank.key
        stands = self.stands(key)
        room = stands.room_m3
        self.assertAlmostEqual(room, stands.tank.most_m3 - stands.now_m3)
        gate = {"what": "delivery", "where": key, "read_aloud": "yes", "second": "J.D."}
        self.assertTrue(self.write_in(**gate, value=f"{room + 6:.1f}"))
        self.assertIn("over its most", self.told)
        self.go_on(0.01)
        self.assertIn("Read the level", self.told)
        self.assertAlmostEqual(self.stands(key).now_m3, stands.tank.most_m3, delta=0.5)
        self.assertAlmostEqual(self.stands(key).room_m3, 0.0, delta=0.5)
        self.write_in(what="level", where=key, value=f"{stands.tank.most_m3 - 20:g}")
        self.go_on(0.02)
        self.assertTrue(self.write_in(**gate, value="5"))
        self.assertNotIn("over its most", self.told)


class Piles(Book):
    def stands(self, key: str):
        return next(s for s in yard.stands(MillState(self.now)) if s.pile.key == key)

    def test_receipts_surveys_and_what_the_line_draws(self):
        chance = random.Random(3)
        for pile in [s.pile.key for s in yard.stands(make.state(0)) if s.now is not None]:
            wood = self.stands(pile).now.od_t
            for _ in range(6):
                hours = chance.choice((1.0, 5.0, 12.0))
                draw = self.stands(pile).draw_t_h
                self.go_on(hours)
                wood = max(0.0, wood - draw * hours)
                if chance.random() < 0.6:
                    came = float(chance.randint(20, 200))
                    self.press("/chips/note/", what="receipt", where=pile, value=f"{came:g}")
                    wood += came
                else:
                    wood = round(wood * chance.uniform(0.9, 1.0), 1)
                    self.press("/chips/note/", what="survey", where=pile, value=f"{wood:g}")
                self.assertEqual(self.kept, 1, self.told)
                self.go_on(0.001)
                found = self.stands(pile)
                with self.subTest(pile=pile, wood=wood):
                    self.assertIsNotNone(found.now, found.why)
                    self.assertAlmostEqual(found.now.od_t, wood, delta=0.02 * wood + 0.5)
