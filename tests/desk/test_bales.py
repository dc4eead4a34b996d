"""The bale yard and the claim on the desk: lots that come, are counted, tested, sorted, held and put right; shares proved."""

import csv
import io

from desk.deliver.actions import lots as furnish_lots
from desk.log.models import Record
from desk.recovered import bales
from tests import make
from tests.desk.test_bleach import Desk

CAME = {
    "kind": "ledger",
    "bales": "50",
    "kg": "21000",
    "moisture_pct": "9",
    "post_pct": "100",
    "pre_pct": "0",
    "document": "DN 77",
}


class Yard(Desk):
    def setUp(self):
        self.as_("tk")

    def keep(self, number: str, **asked):
        return self.client.post(f"/recovered/yard/{number}/keep/", asked, follow=True)

    def lot(self, number: str):
        return bales.lots_of(make.state(5))[number]

    def came(self, **more) -> str:
        answer = self.client.post("/recovered/yard/receive/", {**CAME, **more})
        self.assertEqual(answer.status_code, 302)
        return answer.url.strip("/").rpartition("/")[2]

    def test_the_demo_s_yard_adds_up(self):
        state = make.state(5)
        lots = bales.lots_of(state)
        for x in lots.values():
            self.assertAlmostEqual(x.came_kg, x.kg + x.used_kg + x.sorted_kg + x.missing_kg, places=6)
        page = self.client.get("/recovered/yard/")
        for s in page.context["standing"]:
            self.assertAlmostEqual(s.free_t, sum(x.od_t for x in lots.values() if x.kind.key == s.kind.key and x.free))
        ledger, trim = page.context["standing"][:2]
        self.assertAlmostEqual((ledger.use_t_d + trim.use_t_d) / 24.0, bales.fed_to(state, "R.float"))
        self.assertAlmostEqual(ledger.worked.result.cover_d, ledger.free_t / ledger.use_t_d)
        self.assertContains(page, "order under this")

    def test_a_lot_from_its_receipt_to_its_end(self):
        number = self.came()
        self.assertRegex(number, r"^RB-\d{5}-[AB]\d\d-[0-9A-Y]$")
        self.assertAlmostEqual(self.lot(number).od_t, 21.0 * 0.91)
        self.assertContains(self.keep(number, what="counted", bales="49", kg="20500"), "49 there")
        self.assertAlmostEqual(self.lot(number).missing_kg, 500)
        self.assertContains(self.keep(number, what="tested", ash_pct="21", stickies="9000"), "ash 21 %")
        self.assertEqual((self.lot(number).tests["ash_pct"], self.lot(number).tests["eric_ppm"]), (21, 930))
        belt = self.client.get(f"/recovered/yard/{number}/?what=sorted&machine_pct=60").context["sorts"]
        self.assertContains(self.keep(number, what="sorted", machine_pct="60"), "kg sorted out")
        self.assertAlmostEqual(self.lot(number).sorted_kg, belt.result.out_kg)
        self.assertAlmostEqual(self.lot(number).tests["unwanted_pct"], belt.result.left_pct)
        self.assertContains(self.keep(number, what="held"), "Reason is empty")
        self.assertContains(self.keep(number, what="held", words="labels seen"), "set aside: labels seen")
        self.assertFalse(self.lot(number).free)
        self.assertContains(self.keep(number, what="held", words="again"), "is set aside already")
        self.as_("mr")
        self.assertContains(self.keep(number, what="freed"), "free again")
        self.assertTrue(self.lot(number).free)
        page = self.client.get(f"/recovered/yard/{number}/")
        self.assertEqual(len(page.context["entries"]), 6)

    def test_an_entry_is_put_right_by_a_later_one_and_never_over_what_is_used(self):
        number = self.came(kg="12000")
        entry = Record.objects.get(subject=f"bales.{number}")
        page = self.client.get(f"/recovered/yard/{number}/?entry={entry.pk}")
        self.assertContains(page, 'value="12000"')
        self.assertContains(page, 'value="DN 77"')
        again = {k: v for k, v in CAME.items() if k != "kind"} | {"what": "received", "entry": entry.pk}
        self.keep(number, **again)
        self.assertEqual((self.lot(number).came_kg, self.lot(number).number), (21000, number))
        self.assertContains(self.keep(number, **again), "That entry is corrected already")
        used = next(x for x in bales.lots_of(make.state(5)).values() if x.used_kg > 5000 and x.kg > 0)
        first = Record.objects.get(subject=f"bales.{used.number}", status="received")
        self.as_("mr")
        less = {**again, "kg": "900", "bales": "2", "entry": first.pk}
        self.assertContains(self.keep(used.number, **less), f"Lot {used.number} gives")
        self.assertEqual(self.lot(used.number).came_kg, used.came_kg)

    def test_what_cannot_be_is_said_and_kept_as_it_was_typed(self):
        wrong = (
            ({"bales": ""}, "Bales is empty; it must be 1 to 2000"),
            ({"bales": "3.5"}, "Bales are 3.5; they are counted"),
            ({"kg": "x"}, "Kg is “x”; it must be a number"),
            ({"kg": "900000"}, "A bale would weigh 18000.0 kg"),
            ({"moisture_pct": "120"}, "Moisture is 120 % wet; it must be 0 to 95"),
            ({"document": " "}, "Delivery note is empty; a claim stands on it"),
            ({"pre_pct": "40"}, "together; at most 100 %"),
            ({"kind": "rags"}, "Bales are none of this mill’s kinds"),
        )
        count = len(bales.lots_of(make.state(5)))
        for more, told in wrong:
            page = self.client.post("/recovered/yard/receive/", {**CAME, **more}, follow=True)
            self.assertContains(page, told)
            if "kind" not in more:
                self.assertContains(page, 'value="{}"'.format(CAME["kg"] if "kg" not in more else more["kg"]))
        self.assertEqual(len(bales.lots_of(make.state(5))), count)
        self.assertEqual(self.client.get("/recovered/yard/RB-1/").status_code, 404)
        self.assertContains(self.keep(self.came(), what="counted", bales="3"), "Weight is empty")


class ClaimPage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_it_stands_on_the_record_of_lots_and_of_goods_in(self):
        page = self.client.get("/deliver/claim/")
        rows, found = page.context["rows"], page.context["worked"].result
        closed = [x for x in furnish_lots(make.state(5), days=7) if x.closed]
        solids = sum(r.part.t for r in rows if r.what != "filler")
        self.assertAlmostEqual(solids, sum(s["t"] for x in closed for s in x.sources), places=6)
        post = sum(r.part.t * r.part.post_pct / 100 for r in rows if r.part.sort == "new")
        self.assertAlmostEqual(found.post_pct, 100 * post / found.new_t)
        self.assertGreater(found.pre_pct, 1.0)
        self.assertTrue(all(r.document for r in rows))
        self.assertEqual({r.part.sort for r in rows if r.what == "own broke"}, {"own broke"})
        one = closed[0].number
        alone = self.client.get(f"/deliver/claim/?lot={one}")
        self.assertEqual([x.number for x in alone.context["lots"]], [one])
        self.assertAlmostEqual(sum(r.part.t for r in alone.context["rows"] if r.what != "filler"), closed[0].tonnes, places=6)

    def test_what_has_no_record_counts_as_not_recycled_and_is_said(self):
        was = self.client.get("/deliver/claim/").context["worked"].result.post_pct
        lot = next(r.lot for r in self.client.get("/deliver/claim/").context["rows"] if r.what == "Office ledger")
        entry = Record.objects.get(subject=f"bales.{lot}", status="received")
        again = {k: v for k, v in CAME.items() if k != "kind"} | {"what": "received", "entry": entry.pk, "post_pct": "0"}
        self.client.post(f"/recovered/yard/{lot}/keep/", again | {"kg": "23520", "bales": "56"})
        now = self.client.get("/deliver/claim/")
        self.assertLess(now.context["worked"].result.post_pct, was)
        self.assertEqual(now.context["unproved_t"], 0)

    def test_as_a_file_and_on_paper_it_is_the_same(self):
        page = self.client.get("/deliver/claim/")
        table = list(csv.reader(io.StringIO(self.client.get("/deliver/claim/?csv=1").content.decode())))
        self.assertEqual(len(table), len(page.context["rows"]) + 2)
        self.assertAlmostEqual(float(table[-1][4]), page.context["worked"].result.new_t, places=3)
        paper = self.client.get("/deliver/claim/?paper=1")
        self.assertContains(paper, f"{page.context['claims'][0][1]:.1f} %")
        self.assertContains(paper, "ISO 14021")
        empty = self.client.get("/deliver/claim/?grade=none")
        self.assertContains(empty, "nothing can be claimed")
