"""Decision support on the desk: the chip meter's page, settings that are new, a card as issued, what a trend hears."""

import re
from datetime import timedelta
from html import unescape

from django.test import TestCase

from core.bleach.unit import HELD
from core.calc import flat
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from desk.mill.line_case import LineCase, carry
from tests import make

FIGURE = re.compile(r'<a class="fig"\s+href="(/models/[^"]+)">(?:<b>)?([^<]+)')


class Desk(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.as_("mr")

    def as_(self, username: str):
        person = make.person(username)
        self.client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        return person

    def opens_its_case(self, page) -> int:
        """Every figure of a page opens the case that made it and reads the same there; how many there are."""
        found = FIGURE.findall(page.content.decode())
        for href, value in found:
            self.assertEqual(self.client.get(unescape(href)).context["lead"]["value"], value)
        return len(found)


class ChipMeter(Desk):
    def test_every_wood_line_is_held_against_its_tower_and_its_figures_open_their_case(self):
        page = self.client.get("/chips/meter/")
        held = {h.key: h for h in page.context["held"]}
        self.assertEqual(list(held), ["K", "S", "M"])
        self.assertEqual(held["K"].wood, ("larch chips", "alder chips"))
        for h in held.values():
            self.assertLess(abs(h.worked.result.off_pct), h.worked.result.half_pct)
        self.assertEqual(self.opens_its_case(page), 15)
        day = self.client.get("/chips/meter/", {"hours": "24"}).context["held"]
        for a, b in zip(held.values(), day, strict=True):  # levels count for less over a longer stretch
            self.assertLess(b.worked.result.half_pct, a.worked.result.half_pct + 0.3)

    def test_a_meter_that_tells_too_much_is_marked_with_what_to_look_at(self):
        state = make.state(0)
        feed = "K.larch.chips"
        put = {"unit": feed, "why": "more wood by its meter", "seen": 0, "back": "/", "feed_t_h": 1.6 * state.feed_rates[feed]}
        self.client.post("/mill/put/", put)
        page = self.client.get("/chips/meter/")
        told = {h.key: h for h in page.context["held"]}["K"]
        self.assertEqual(told.worked.case.wood_t_h > 1.3 * sum(state.feed_rates[u] for u in (feed, "K.alder.chips")), True)
        self.assertContains(page, "check its zero, bulk density and moisture")

    def test_hours_that_cannot_be_and_meters_that_were_not_read_take_no_page_down(self):
        for hours in ("0", "-4", "²", "1e400", "999999", "x"):
            self.assertEqual(self.client.get("/chips/meter/", {"hours": hours}).status_code, 200)
        set_clock(make.NOW + timedelta(hours=30))  # nothing was read since
        self.assertTrue(all(h.worked is None for h in self.client.get("/chips/meter/").context["held"]))
        page = self.client.get("/chips/meter/")
        self.assertContains(page, "its flow to the blend and its tower’s level was not read through the last 8 h")


class NewSettings(Desk):
    def put(self, unit: str, **values):
        seen = make.state(0).put_in_force.get(unit)
        data = {"unit": unit, "why": "a trial", "seen": seen.pk if seen else 0, "back": "/", **values}
        return self.client.post("/mill/put/", data)

    def test_air_on_washers_goes_into_force_from_the_page_and_costs_down_the_line(self):
        before = make.state(0).line
        page = self.client.get("/wash/", {"air_pct": "6"})
        self.assertContains(page, "% of every E10")
        self.assertIn("air_pct=6.0000", unescape(page.context["put"]))
        self.put("K.larch.wash", air_pct="6")
        after = make.state(1).line
        self.assertGreater(after.inlets["K.bleach"].kg_odt("COD"), before.inlets["K.bleach"].kg_odt("COD"))
        again = self.client.get("/wash/")
        self.assertEqual(again.context["worked"].case.air_pct, 6.0)
        self.assertEqual(again.context["wells"][5]["source"][:14], "in force since")

    def test_a_split_charge_is_designed_and_goes_into_force(self):
        page = self.client.get("/cook/", {"second_pct": "30", "second_min": "95"})
        self.assertContains(page, "Kappa, all at the start")
        self.assertIn("second_pct=30", page.context["put_in_force"])
        result = page.context["worked"].result
        self.assertGreater(result.yield_pct, result.at_once_yield)
        self.put("K.larch.cook", second_pct="30", second_min="95")
        acting = make.state(1).line.acting["K.larch.cook"]
        self.assertEqual(acting.charge.additions, ((95.0, 0.3),))
        self.assertNotContains(self.client.get("/cook/", {"second_pct": "0"}), "Kappa, all at the start")
        wrong = self.client.get("/cook/", {"second_pct": "60", "third_pct": "60"})
        self.assertContains(wrong, "it must be at most 80 %")

    def test_a_set_point_of_before_there_were_more_settings_still_counts(self):
        state = make.state(0)
        for unit, old in (("K.larch.wash", {"df": 1.4, "stopped": 0.0}), ("K.larch.cook", {"ea_pct_naoh": 20.5})):
            settings = {k: v for k, v in state.line.acting[unit].settings().items() if k not in ("air_pct", HELD)}
            settings = {k: v for k, v in settings.items() if not k.startswith(("second", "third"))} | old
            data = {"unit": unit, "settings": settings, "before": settings}
            by = make.person("mr")
            write(kind=Kind.SETPOINT, subject=f"set.{unit}", by=by, now=state.now, says="of an earlier version", data=data)
        line = make.state(1).line
        self.assertEqual(line.acting["K.larch.wash"].df, 1.4)
        self.assertEqual(line.acting["K.larch.cook"].charge.ea_pct_naoh, 20.5)
        for path in ("/", "/wash/", "/cook/", "/mill/in-force/"):
            self.assertEqual(self.client.get(path).status_code, 200)
        self.put("K.larch.wash", air_pct="2")  # the next one is whole, and keeps what was set
        self.assertEqual(make.state(2).line.acting["K.larch.wash"].df, 1.4)
        self.assertIn("air_pct", Record.objects.filter(subject="set.K.larch.wash").latest("id").data["settings"])

    def test_a_tower_overdue_is_an_upset_that_is_carried_down_the_line(self):
        state = make.state(0)
        upset = next(u for u in state.line.acting["K.bleach"].upsets() if HELD in u.settings)
        carried = carry(state, LineCase({"K.bleach": upset.settings}), None)
        self.assertLess(*(x.line.acts["K.bleach"].worked[0].result.left_kg for x in (carried.other, carried.today)))
        page = self.client.get("/mill/case/", {f"s.K.bleach.{HELD}": "240"})
        self.assertEqual(page.status_code, 200)
        self.assertContains(page, "Longer in the last tower")
        bad = self.client.get("/mill/case/", {f"s.K.bleach.{HELD}": "9999"})
        self.assertContains(bad, "600", status_code=422)


class IssuedCard(Desk):
    def test_a_card_as_issued_opens_the_case_it_was_issued_on(self):
        pk = make.issue_card(self.client)
        page = self.client.get(f"/schedule/card/{pk}/")
        self.assertGreater(self.opens_its_case(page), 15)
        record = Record.objects.get(pk=pk)
        self.assertIn("supplies.1.share", flat(record.data["case"]))
        for changed in ({k: v for k, v in record.data.items() if k != "case"}, record.data | {"hours": 1.0}):
            later = write(
                kind=Kind.RUNCARD,
                subject=record.subject,
                by=make.person("mr"),
                now=make.NOW + timedelta(minutes=1),
                says="a card of an earlier version",
                data=changed,
            )
            page = self.client.get(f"/schedule/card/{later.pk}/")
            self.assertEqual((page.status_code, page.context["card"]), (200, None))  # told as it was kept, without a working

    def test_a_share_that_cannot_be_is_refused_beside_its_own_well(self):
        page = self.client.get("/schedule/card/", {"order": "H-0413", "gsm": "80", "share_K": "160", "share_S": "-60"})
        self.assertEqual(set(page.context["form"].errors) & {"share_K", "share_S"}, {"share_K", "share_S"})
        self.assertContains(page, "it must be 0 to 100 %")
        self.assertContains(page, 'value="160"')


class Trends(Desk):
    def test_a_mean_that_has_moved_is_told_with_since_when(self):
        usual = Record.objects.filter(kind=Kind.RESULT, subject="machine.chest.freeness").order_by("-at")
        for i, before in enumerate(usual[:9]):  # the last nine lower by ten
            moved = {"kind": Kind.RESULT, "subject": before.subject, "status": "single", "says": "Freeness"}
            at = make.NOW - timedelta(minutes=9 - i)
            write(by=None, now=at, at=at, value=before.value - 10.0, data=before.data, **moved)
        page = self.client.get("/trend/machine.chest.freeness/", {"hours": "336"})
        self.assertContains(page, "The mean has moved down since")
        self.assertContains(page, "Look for a cause")
        quiet = self.client.get("/trend/M.blow.freeness/", {"hours": "48"})
        self.assertNotContains(quiet, "The mean has moved")
