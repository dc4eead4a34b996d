"""Accounts on the desk: a shift's hours from the record, its bars, exports, what was written later, the log of an hour."""

import copy
import csv
import io
from datetime import timedelta
from unittest.mock import patch

from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill import accounts
from desk.mill.models import HourAccount, MillVersion
from tests import make
from tests.desk.test_bleach import Desk


class AccountsPage(Desk):
    def setUp(self):
        self.as_("mr")

    def test_a_shift_is_summed_from_its_whole_hours_and_closes(self):
        page = self.client.get("/mill/accounts/")
        hours = page.context["hours"]
        self.assertEqual(len(hours), 4)  # the shift began at 06:00
        self.assertAlmostEqual(page.context["reel"], sum(h.reel_t for h in hours))
        a = page.context["a"]
        self.assertAlmostEqual(a.unexplained, 0.0, places=6)
        self.assertContains(page, "larch cook, dissolved")
        self.assertContains(page, "unexplained")
        self.assertTrue(page.context["towers"])
        for rose in page.context["towers"]:
            self.assertLess(abs(rose.unexplained), 1.5, rose.name)
        agreed = page.context["agreed"]
        self.assertEqual(set(agreed.names), {rose.name for rose in page.context["towers"]})
        self.assertLess(agreed.found.chi, agreed.found.chi_allowed)
        self.assertContains(page, "All of it agrees")
        again = self.client.get("/mill/accounts/", {"account": "water"})
        self.assertEqual(again.context["hours"], hours)  # kept, not worked out again

    def test_a_flow_meter_that_is_off_is_named(self):
        true = accounts._flowed

        def off(state, source, period):
            return true(state, source, period) + (9.0 if source == "K" else 0.0)

        with patch.object(accounts, "_flowed", off):
            page = self.client.get("/mill/accounts/")
        self.assertContains(page, "K white tower, its flow meter")
        self.assertAlmostEqual(page.context["agreed"].found.off_t, 9.0, delta=1.5)
        with patch.object(accounts, "_flowed", lambda *_: None):  # a meter that was not read
            self.assertIsNone(self.client.get("/mill/accounts/").context["agreed"])

    def test_every_account_and_period_opens(self):
        for period in accounts.PERIODS:
            for key in ("fibre", "steam", "chemicals", "sodium", "money", "no such"):
                page = self.client.get("/mill/accounts/", {"of": period, "account": key})
                self.assertEqual(page.status_code, 200, (period, key))
        long = self.client.get("/mill/accounts/", {"of": "day"})
        self.assertEqual(long.context["missing"], 0)

    def test_a_long_period_is_worked_out_in_parts(self):
        HourAccount.objects.all().delete()
        with patch("desk.mill.accounts.AT_ONCE", 2), patch.object(accounts.kept_hours, "__kwdefaults__", {"at_once": 2}):
            page = self.client.get("/mill/accounts/", {"of": "day"})
            self.assertContains(page, "are still worked out from the record")
            self.assertContains(page, 'http-equiv="refresh"')
            self.assertEqual(page.context["missing"], 22)
        self.assertEqual(HourAccount.objects.count(), 2)

    def test_what_is_written_later_makes_its_hour_anew(self):
        self.client.get("/mill/accounts/")
        state = make.state(0)
        kept = HourAccount.objects.order_by("start").last()
        newest = Record.objects.latest("pk")
        self.assertEqual(kept.newest, newest.pk)
        write(
            kind=Kind.STOP,
            subject="machine",
            by=make.person("mr"),
            now=state.now,
            at=kept.start,
            says="stood half an hour",
            data={"until": (kept.start + timedelta(minutes=30)).isoformat(), "what": "felt", "rate_pct": 0.0, "planned": False},
        )
        page = self.client.get("/mill/accounts/")
        newest = page.context["hours"][0]
        self.assertAlmostEqual(newest.ran, 0.5)
        self.assertAlmostEqual(newest.reel_t, 0.5 * kept.reel_t, delta=0.6)

    def test_an_hour_goes_by_the_set_up_that_was_in_force_then(self):
        HourAccount.objects.all().delete()
        state = make.state(0)
        old = MillVersion.objects.get(pk=state.version_id)
        document = copy.deepcopy(old.document)
        document["grades"][0]["name"] = "Another name"
        new = MillVersion.objects.create(document=document, made_at=state.now - timedelta(hours=2), by=None, note="a name")
        self.assertEqual(accounts.version_at(state.now), new.pk)
        self.assertEqual(accounts.version_at(state.now - timedelta(hours=3)), old.pk)
        hours = self.client.get("/mill/accounts/").context["hours"]
        self.assertEqual({h.version_id for h in hours}, {old.pk, new.pk})

    def test_it_leaves_as_csv_and_json_and_an_hour_opens_its_log(self):
        told = self.client.get("/mill/accounts/", {"as": "json"}).json()
        self.assertAlmostEqual(told["accounts"]["fibre"]["unexplained"], 0.0, places=6)
        rows = list(csv.reader(io.StringIO(self.client.get("/mill/accounts/", {"as": "csv"}).content.decode())))
        came = sum(float(r[4]) for r in rows[1:] if r[0] == "Water" and r[2] == "came")
        self.assertAlmostEqual(came, sum(told["accounts"]["water"]["came"].values()), delta=0.01 * came)
        page = self.client.get("/mill/accounts/")
        hour = page.context["rows"][0]
        log = self.client.get("/log/", {"from": hour["at"].isoformat(), "to": hour["end"].isoformat()})
        self.assertTrue(log.context["page"].paginator.count)
        self.assertTrue(all(hour["at"] <= r.at < hour["end"] for r in log.context["page"]))
        self.assertContains(log, "all times")
        self.assertEqual(self.client.get("/log/", {"from": "yesterday"}).status_code, 200)
