"""The bale yard: a lot's book adds up whatever is kept of it, which lot goes first, orders, the mix, and claims."""

import math
import random
from dataclasses import replace

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput, Infeasible
from core.recovered.claim import OWN, ClaimCase, Part, claim, down, share_out
from core.recovered.line import Step
from core.recovered.pulper import NextCase, chest_t, next_batch
from core.recovered.unit import MixPart, RecoveredPlan
from core.recovered.yard import (
    BaleKind,
    Entry,
    FirstInCase,
    ReorderCase,
    SortCase,
    StoredCase,
    Waits,
    batch_mix,
    best,
    first_in,
    lot_now,
    oldest,
    over_batches,
    reorder,
    sorting,
    stored,
)
from core.stream import INDEX, SUSPENDED, stream

LEDGER = BaleKind(
    key="ledger",
    name="Ledger",
    sort="recovered paper",
    source="R",
    bale_kg=420,
    moisture_pct=8,
    ash_pct=17,
    unwanted_pct=2,
    eric_ppm=900,
    stickies=4000,
)
TRIM = replace(LEDGER, key="trim", name="Trim", bale_kg=260, moisture_pct=7, ash_pct=13, unwanted_pct=1, eric_ppm=400)


def came(kg: float, days: float = 9.0, bales: float = 10.0) -> Entry:
    return Entry(what="received", days=days, bales=bales, kg=kg)


@tag("core")
class Book(SimpleTestCase):
    def test_it_adds_up_whatever_is_kept(self):
        for seed in range(60):
            chance = random.Random(seed)
            entries, left, day = [came(chance.uniform(500, 30_000), 40.0)], 0.0, 39.0
            left = entries[0].kg
            for _ in range(chance.randint(0, 12)):
                what = chance.choice(("used", "sorted", "counted", "tested", "held", "freed", "received"))
                kg = chance.uniform(0.0, left) if what in ("used", "sorted", "counted") else chance.uniform(100, 900)
                if what == "received":
                    left += kg
                elif what in ("used", "sorted"):
                    left -= kg
                elif what == "counted":
                    left = kg
                entries.append(Entry(what=what, days=day, kg=kg, bales=3, tests={"ash_pct": 15.0} if what == "tested" else {}))
                day -= 1.0
            lot = lot_now("X", LEDGER, entries)
            self.assertAlmostEqual(lot.came_kg, lot.kg + lot.used_kg + lot.sorted_kg + lot.missing_kg, places=6)
            self.assertAlmostEqual(lot.kg, left, places=5)
            self.assertAlmostEqual(lot.od_t, left * 0.92 / 1000.0, places=8)
            self.assertEqual(lot.age_days, 40.0)
            self.assertGreaterEqual(lot.bales, 0.0)
            self.assertEqual(sum(kg for _, kg in lot.into), lot.used_kg)

    def test_more_than_is_there_is_refused_by_the_lot_s_name(self):
        with self.assertRaisesMessage(ImpossibleInput, "RB-1 gives 1200 kg where 1000 kg are left"):
            lot_now("RB-1", LEDGER, (came(1000), Entry(what="used", days=1, kg=1200)))

    def test_a_test_stands_in_place_of_the_kind_s_and_the_newest_wins(self):
        entries = (came(1000), Entry(what="tested", days=2, tests={"stickies": 16000.0, "ash_pct": 20.0}))
        lot = lot_now("X", LEDGER, entries)
        self.assertEqual((lot.tests["stickies"], lot.tests["eric_ppm"], lot.tested), (16000.0, 900, True))
        self.assertAlmostEqual(lot.harm, (1.0 + 4.0 + 1.0) / 3)
        again = lot_now("X", LEDGER, (*entries, Entry(what="tested", days=1, tests={"stickies": 4000.0})))
        self.assertEqual((again.tests["stickies"], again.tests["ash_pct"], again.harm), (4000.0, 20.0, 1.0))

    def test_which_lot_goes_next(self):
        old = lot_now("OLD", LEDGER, (came(500, 80.0), Entry(what="tested", days=1, tests={"stickies": 9000.0})))
        new, held = lot_now("NEW", LEDGER, (came(500, 2.0),)), lot_now("H", LEDGER, (came(1, 99.0), Entry(what="held", days=1)))
        gone = lot_now("GONE", LEDGER, (came(10, 95.0), Entry(what="used", days=1, kg=10)))
        lots = (new, gone, held, old)
        self.assertEqual((oldest(lots), best(lots)), (old, new))
        self.assertEqual((oldest(()), best((held,))), (None, None))
        self.assertEqual([x.age for x in (new, old, replace(old, age_days=91.0))], ["in", "watch", "act"])
        freed = lot_now("H", LEDGER, (came(1, 99.0), Entry(what="held", days=2), Entry(what="freed", days=1)))
        self.assertTrue(freed.free)


@tag("core")
class Sums(SimpleTestCase):
    def test_first_in_first_out_takes_what_is_wanted_and_no_more(self):
        for seed in range(40):
            chance = random.Random(seed)
            lots = tuple(Waits(t=chance.uniform(0, 50)) for _ in range(chance.randint(1, 12)))
            there = sum(x.t for x in lots)
            take = chance.uniform(0, 1.2 * there)
            found = first_in(FirstInCase(take_t=take, lots=lots))
            if take > there:
                self.assertIsInstance(found, Infeasible)
                self.assertAlmostEqual(found.nearest, there)
                continue
            self.assertAlmostEqual(sum(found.takes), take)
            self.assertTrue(all(t <= x.t + 1e-12 for t, x in zip(found.takes, lots, strict=True)))
            part = next((i for i, (t, x) in enumerate(zip(found.takes, lots, strict=True)) if t < x.t - 1e-12), len(lots))
            self.assertEqual(sum(found.takes[part + 1 :]), 0.0)  # no younger lot is opened before an older is used up

    def test_orders(self):
        case = ReorderCase(use_t_d=38, use_sd=6, lead_d=9, lead_sd=2, there_t=500)
        self.assertAlmostEqual(reorder(case).in_d, (500 - reorder(case).point_t) / 38)
        self.assertEqual(reorder(replace(case, there_t=100)).in_d, 0.0)
        idle = reorder(replace(case, use_t_d=0, use_sd=0))
        self.assertEqual((idle.point_t, idle.cover_d), (0.0, math.inf))
        for name in ("use_sd", "lead_sd", "lead_d", "use_t_d"):
            more = replace(case, **{name: 1.5 * getattr(case, name)})
            self.assertGreater(reorder(more).point_t, reorder(case).point_t)

    def test_sorting_keeps_the_mass(self):
        found = sorting(SortCase(kg=2000, unwanted_pct=4))
        self.assertAlmostEqual(found.left_kg + found.out_kg, 2000)
        self.assertLess(found.left_pct, 4)
        nothing = sorting(SortCase(kg=2000, unwanted_pct=4, machine_pct=0, machine_loss=0, hand_pct=0, hand_loss=0))
        self.assertEqual((nothing.out_kg, nothing.left_pct), (0.0, 4.0))

    def test_brightness_falls_in_store_towards_its_plateau(self):
        now = [stored(StoredCase(iso_pct=84, days=d, pc=0.9)).iso_pct for d in (0, 10, 60, 400, 2000)]
        self.assertAlmostEqual(now[0], 84)
        self.assertEqual(now, sorted(now, reverse=True))
        self.assertAlmostEqual(now[3], now[4], delta=0.01)

    def test_the_next_batch_lands_between_the_limits(self):
        case = NextCase(chest_m3=120, level_pct=80, draw_t_h=2.15, batch_t=2.4, minutes=30)
        full, found = chest_t(120, 4.5, 45), next_batch(case)
        for start, ends in ((found.earliest_min, 90.0), (found.latest_min, None)):
            level = case.level_pct - 100 * case.draw_t_h * (start + case.minutes) / 60 / full
            self.assertAlmostEqual(level + (found.rises_pct if ends else 0.0), ends or 20.0)
        late = next_batch(replace(case, level_pct=25, minutes=60))
        self.assertEqual((late.latest_min, late.earliest_min), (0.0, 0.0))
        self.assertIn("after the chest is at its least", late.cautions[0].text)
        self.assertIsInstance(next_batch(replace(case, batch_t=5)), Infeasible)
        self.assertIsInstance(next_batch(replace(case, draw_t_h=0)), Infeasible)
        self.assertEqual(next_batch(replace(case, draw_t_h=0, level_pct=30)).latest_min, math.inf)
        with self.assertRaisesMessage(ImpossibleInput, "it must be under the most"):
            next_batch(replace(case, low_pct=95))


@tag("core")
class Claims(SimpleTestCase):
    def test_own_broke_changes_nothing_and_nothing_is_rounded_up(self):
        parts = (Part(t=40), Part(t=10, post_pct=100), Part(t=5, pre_pct=100))
        plain = claim(ClaimCase(parts=parts))
        broke = claim(ClaimCase(parts=(*parts, Part(t=500, post_pct=18, sort=OWN))))
        self.assertEqual((plain.post_pct, plain.pre_pct), (broke.post_pct, broke.pre_pct))
        self.assertAlmostEqual(plain.total_pct, 100 * 15 / 55)
        self.assertEqual((down(27.27), down(27.3), down(29.99999)), (27.2, 27.3, 29.9))
        bought = claim(ClaimCase(parts=(*parts, Part(t=10, post_pct=30))))  # broke of another product, at its own share
        self.assertAlmostEqual(bought.post_pct, 100 * 13 / 65)
        with self.assertRaisesMessage(ImpossibleInput, "there is no product"):
            claim(ClaimCase(parts=(Part(t=4, sort=OWN),)))
        with self.assertRaisesMessage(ImpossibleInput, "over 100 % together"):
            claim(ClaimCase(parts=(Part(t=4, post_pct=60, pre_pct=60),)))

    def test_tonnes_are_shared_over_the_lots_behind(self):
        rows = share_out(6.0, (("A", 2.0), ("B", 1.0), ("C", 0.0)))
        self.assertEqual(rows, [("A", 4.0), ("B", 2.0)])
        self.assertEqual(share_out(6.0, ()), [("", 6.0)])


@tag("core")
class Mix(SimpleTestCase):
    def test_a_batch_tells_of_the_mix_it_loads(self):
        dirty = lot_now("A", LEDGER, (came(9000), Entry(what="tested", days=1, tests={"stickies": 16000.0})))
        clean, trim = lot_now("B", LEDGER, (came(9000),)), lot_now("C", TRIM, (came(9000),))
        mix = batch_mix(((dirty, 840.0), (clean, 840.0), (trim, 720.0)), ("ledger", "trim"))
        self.assertAlmostEqual(mix["share.ledger"], 70.0)
        self.assertAlmostEqual(mix["stickies.ledger"], 10_000)
        self.assertEqual(mix["stickies.trim"], 4000)
        self.assertEqual(batch_mix(((dirty, 5.0),), ("trim",)), {})
        self.assertNotIn("stickies.trim", batch_mix(((dirty, 5.0),), ("ledger", "trim")))
        both = over_batches(((2.0, mix), (6.0, {"share.ledger": 50.0, "share.trim": 50.0})))
        self.assertAlmostEqual(both["share.ledger"], 55.0)
        self.assertEqual(both["stickies.trim"], 4000)

    def test_the_feed_of_bales_follows_the_mix_and_keeps_its_mass(self):
        papers = (
            MixPart(kind="ledger", share=70, moisture_pct=8, ash_pct=17, unwanted_pct=2, eric_ppm=900, stickies=4000),
            MixPart(kind="trim", share=30, moisture_pct=7, ash_pct=13, unwanted_pct=2, eric_ppm=400, stickies=4000),
        )
        plan = RecoveredPlan(name="r", steps=(Step(name="takes"),), stickies=4000, unwanted_pct=2.0, papers=papers)
        feed = stream(LF=0.7, SF=0.7, FN=0.3, FL=0.3, INK=0.001, STK=0.004, SND=0.006, PLS=0.03, SHV=0.004, W=0.2).flows.copy()
        new = plan.loads(feed)
        self.assertAlmostEqual(float(new @ SUSPENDED), float(feed @ SUSPENDED), places=12)
        self.assertEqual(new[INDEX["W"]] / feed[INDEX["W"]], 1.0)
        self.assertAlmostEqual(new[INDEX["LF"]] / new[INDEX["FN"]], 0.7 / 0.3)
        self.assertAlmostEqual(new[INDEX["INK"]] / float(new @ SUSPENDED), 1e-6 * plan.mix.eric_ppm)
        worse = plan.set_to({"stickies.ledger": 16_000, "unwanted_pct.ledger": 8, "share.ledger": 100, "share.trim": 0})
        dirty = worse.loads(feed)
        for name in ("STK", "PLS", "SND"):
            self.assertAlmostEqual(dirty[INDEX[name]] / new[INDEX[name]], 4.0, places=9)
        self.assertLess(dirty[INDEX["LF"]], new[INDEX["LF"]])
        self.assertIs(replace(plan, papers=()).loads(feed), feed)
        with self.assertRaisesMessage(ImpossibleInput, "there is no mix"):
            plan.set_to({"share.ledger": 0, "share.trim": 0})
        with self.assertRaisesMessage(ImpossibleInput, "leaves no fibre"):
            plan.set_to({"unwanted_pct.ledger": 50, "unwanted_pct.trim": 50, "ash_pct.ledger": 60, "ash_pct.trim": 60}).loads(
                feed
            )
        with self.assertRaisesMessage(ImpossibleInput, "name bales twice"):
            replace(plan, papers=(papers[0], papers[0])).tried()
