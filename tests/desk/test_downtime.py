"""Stops of units beside the machine's: coded, corrected however old, never two at once, and told to the next shift."""

from datetime import timedelta

from django.urls import reverse

from desk.log.models import Kind, Record
from desk.schedule import halts
from tests import make
from tests.desk.test_bleach import Desk

STOPS = "/schedule/stops/"


class UnitsDown(Desk):
    def enter(self, **typed):
        base = {"unit": "K.refine", "from": "09:00", "to": "10:30", "what": "plates", "why": "M", "number": "4"}
        return self.client.post(STOPS, {**base, **typed})

    def newest(self) -> Record:
        return Record.objects.filter(kind=Kind.DOWN).order_by("-id").first()

    def test_a_unit_keeps_its_own_and_the_machine_runs_on(self):
        self.as_("tk")
        self.assertEqual(self.enter().status_code, 302)
        kept = self.newest()
        self.assertEqual((kept.subject, kept.data["code"]), ("K.refine", "RFM04"))
        self.assertFalse(make.state(0).stands_still)
        self.assertContains(self.enter(**{"from": "10:00", "to": "11:00"}), "It overlaps another", status_code=422)
        self.assertEqual(self.enter(unit="S.refine").status_code, 302)  # a parallel unit keeps its own
        changed = halts.as_typed(next(t for t in halts.told(make.state(1)) if t.record.pk == kept.pk).halt, kept.pk)
        self.assertContains(self.client.get(f"{STOPS}?{changed}"), 'value="4"')
        self.assertEqual(self.enter(corrects=kept.pk, number="5").status_code, 302)
        self.assertEqual((self.newest().corrects_id, self.newest().data["code"]), (kept.pk, "RFM05"))
        self.assertContains(self.enter(corrects=kept.pk), "It was changed at", status_code=422)

    def test_bad_ones_are_named_beside_their_fields(self):
        self.as_("tk")
        before = Record.objects.count()
        for typed, says in (
            ({"unit": "K.moon"}, "choose a unit of this mill"),
            ({"why": "X"}, "Cause is “X”"),
            ({"number": ""}, "Number is empty; it must be 1 to 99"),
            ({"number": "100"}, "Number is “100”"),
            ({"does": "rate", "rate_pct": "60"}, "Only the machine is entered as running slower"),
        ):
            with self.subTest(says):
                self.assertContains(self.enter(**typed), says, status_code=422)
        self.assertEqual(Record.objects.count(), before)

    def test_a_micro_stop_is_counted_and_not_coded(self):
        self.as_("tk")
        self.enter(to="09:04")
        self.assertNotIn("code", self.newest().data)
        self.assertContains(self.client.get(STOPS), "micro-stop")

    def test_a_cause_that_nobody_said_in_a_day_is_asked_for_until_somebody_does(self):
        state = make.state(0)
        old = next(t for t in halts.told(state) if t.late)
        self.assertGreater(state.now - old.halt.start, timedelta(hours=24))
        self.as_("mr")
        self.assertContains(self.client.get(reverse("shift:handover")), "without a cause after a day")
        page = self.client.get(f"{STOPS}?{old.typed}")
        self.assertContains(page, "say why")
        typed = dict(pair.split("=", 1) for pair in old.typed.split("&"))
        sent = {k: v.replace("+", " ").replace("%3A", ":") for k, v in typed.items()} | {"why": "P", "number": "2"}
        self.assertEqual(self.client.post(STOPS, sent).status_code, 302)
        now = next(t for t in halts.told(make.state(1)) if t.record.corrects_id == old.record.pk)
        self.assertEqual((now.halt.start, now.halt.end, now.late), (old.halt.start, old.halt.end, False))
        self.assertNotContains(self.client.get(reverse("shift:handover")), "without a cause after a day")

    def test_as_a_file(self):
        self.as_("cv")
        lines = self.client.get(f"{STOPS}?csv=1").content.decode().splitlines()
        self.assertEqual(len(lines) - 1, len(halts.told(make.state(0), timedelta(days=366))))
        self.assertTrue(any("K.refine" in line and "RFM04" in line for line in lines))
