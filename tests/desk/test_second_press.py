"""What is pressed twice, too late, out of turn or not as the page has it is told in words, and kept once or not at all."""

import csv
import io
import json
from datetime import timedelta
from html import unescape

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction

from core.quantity import quantities
from core.register import find, models
from desk.cook.forms import openings
from desk.cook.models import Cook, CookPoint
from desk.lab import charts
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import share_slip
from desk.mill.clock import set_clock
from desk.people.tokens import issue, revoke
from tests import make
from tests.desk.test_bleach import Desk

LOT, RUNNING_ORDER = "BM-26318-A01-2", "H-0412"


class Pressed(Desk):
    def setUp(self):
        make.forget()
        self.as_("mr")

    def press(self, path: str, by: str = "", **sent):
        """What a press answers with, its messages as read by a person; the record's length before and after."""
        if by:
            self.as_(by)
        before = Record.objects.count()
        answer = self.client.post(path, sent, follow=True)
        self.kept = Record.objects.count() - before
        self.told = (
            " ".join(str(m) for m in answer.context["messages"]) if answer.context and "messages" in answer.context else ""
        )
        return answer

    def refused(self, path: str, *words: str, by: str = "", **sent):
        answer = self.press(path, by, **sent)
        self.assertEqual(self.kept, 0, "something was kept")
        for word in words:
            self.assertIn(word, self.told + unescape(answer.content.decode()))
        return answer


class Moves(Pressed):
    def share_move(self) -> str:
        """A vessel that asks for a share move now."""
        return next(v.vessel.key for v in make.state(0).vessels.values() if v.stops_the_line)

    def test_a_share_move_that_the_levels_no_longer_ask_for_is_not_taken(self):
        state = make.state(0)
        calm = next(key for key, v in state.vessels.items() if share_slip(state, v) is None)
        self.refused(f"/moves/cover/{calm}/", "the levels ask for no such move any more", choice="take", size="1")
        self.assertEqual(self.client.get(f"/moves/cover/{calm}/").status_code, 404)
        self.assertEqual(self.client.get("/moves/cover/no.such.tower/").status_code, 404)
        self.refused("/moves/cover/no.such.tower/", "Not taken", choice="take")

    def test_every_share_move_may_be_taken_to_its_ends_and_the_furnish_is_whole(self):
        state = make.state(0)
        slips = {key: slip for key, v in state.vessels.items() if (slip := share_slip(state, v)) is not None}
        self.assertGreater(len(slips), 1)
        self.assertTrue(any(slip["bound_by"] for slip in slips.values()))  # one uses up the spare source
        for key, slip in slips.items():
            for size in (None, slip["low"], slip["high"]):
                with self.subTest(vessel=key, size=size), transaction.atomic():
                    sent = {"choice": "take"} if size is None else {"choice": "alter", "size": repr(size), "reason": "tried"}
                    self.press(f"/moves/cover/{key}/", **sent)
                    self.assertGreater(self.kept, 0, self.told)
                    shares = make.state(0).setpoints[-1].data["shares_pct"]
                    self.assertAlmostEqual(sum(shares.values()), 100.0, places=9)
                    self.assertGreaterEqual(min(shares.values()), 0.0)
                    transaction.set_rollback(True)

    def test_a_share_move_that_used_up_the_spare_source_is_not_asked_for_again(self):
        state = make.state(0)
        slips = {key: slip for key, v in state.vessels.items() if (slip := share_slip(state, v)) is not None}
        vessel = next(key for key, slip in slips.items() if slip["bound_by"])
        self.press(f"/moves/cover/{vessel}/", choice="take")
        self.assertGreater(self.kept, 0)
        self.refused(f"/moves/cover/{vessel}/", "the levels ask for no such move any more", choice="take")

    def test_a_size_that_is_no_number_or_out_of_reach_stays_typed_beside_its_reason(self):
        vessel = self.share_move()
        for size, word in (("much", ""), ("1e9", "must be")):
            answer = self.refused(f"/moves/cover/{vessel}/", word, choice="alter", size=size, reason="tried")
            self.assertEqual(answer.status_code, 422)
        answer = self.refused(f"/moves/cover/{vessel}/", "eason", choice="refuse", reason="")
        self.assertEqual(answer.status_code, 422)

    def test_a_decision_is_taken_back_within_its_minute_and_no_later(self):
        vessel = self.share_move()
        self.press(f"/moves/cover/{vessel}/", choice="take", reason="")
        decided = Record.objects.filter(kind=Kind.DECISION).order_by("-pk").first()
        self.press(f"/moves/undo/{decided.pk}/")
        self.assertIn("Set it back at the plant too", self.told)
        self.refused(f"/moves/undo/{decided.pk}/", "Not undone")
        self.assertEqual(self.client.post("/moves/undo/999999/").status_code, 404)

    def test_after_its_minute_it_stands(self):
        vessel = self.share_move()
        self.press(f"/moves/cover/{vessel}/", choice="take", reason="")
        decided = Record.objects.filter(kind=Kind.DECISION).order_by("-pk").first()
        set_clock(make.NOW + timedelta(minutes=3))
        self.addCleanup(set_clock, make.NOW)
        self.refused(f"/moves/undo/{decided.pk}/", "Not undone")
        self.assertTrue(Record.objects.current().filter(pk=decided.pk).exists())

    def test_who_may_not_move_changes_nothing(self):
        vessel = self.share_move()
        self.as_("cv")
        before = Record.objects.count()
        self.assertEqual(self.client.post(f"/moves/cover/{vessel}/", {"choice": "take"}).status_code, 403)
        self.assertEqual(Record.objects.count(), before)


class Lots(Pressed):
    def test_a_lot_is_closed_once_and_the_next_goes_on_from_that_second(self):
        lot = Record.objects.filter(kind=Kind.LOT_OPEN).order_by("-at", "-pk").first().subject
        self.press(f"/deliver/lots/{lot}/close/")
        self.assertIn("goes on from this second", self.told)
        closed = Record.objects.filter(kind=Kind.LOT_CLOSE, subject=lot).get()
        opened = Record.objects.filter(kind=Kind.LOT_OPEN).order_by("-pk").first()
        self.assertEqual(opened.at, closed.at)
        self.refused(f"/deliver/lots/{lot}/close/", "")
        self.assertEqual(Record.objects.filter(kind=Kind.LOT_CLOSE, subject=lot).count(), 1)

    def test_lots_that_are_not_there_are_not_found(self):
        for path in (
            "/deliver/lots/BM-00000-X/",
            "/deliver/source/KD-0-X/",
            "/deliver/lots/BM-0/ticket/",
            "/deliver/lots/BM-0/ticket.json",
        ):
            self.assertEqual(self.client.get(path).status_code, 404, path)
        self.assertEqual(self.client.post("/deliver/lots/BM-00000-X/close/").status_code, 404)

    def test_a_disposition_that_is_none_is_refused_beside_its_field(self):
        for sent in (
            {"action": "burn"},
            {"action": ""},
            {"action": "release", "pin": "000000"},
            {"action": "hold", "words": ""},
        ):
            answer = self.refused(f"/deliver/lots/{LOT}/", **sent)
            self.assertEqual(answer.status_code, 422, sent)
        self.assertFalse(Record.objects.filter(kind=Kind.DISPOSITION, subject=LOT, entered_at__gt=make.NOW).exists())

    def test_its_ticket_as_data_tells_its_whole_history(self):
        told = json.loads(self.client.get(f"/deliver/lots/{LOT}/ticket.json").content)
        text = json.dumps(told)
        self.assertIn(LOT, text)
        own = Record.objects.filter(subject=LOT).count()
        self.assertGreater(own, 1)
        self.assertGreaterEqual(len(told["history"]), own)


class Deviations(Pressed):
    def newest(self) -> str:
        told = Record.objects.filter(kind=Kind.EVENT, subject__startswith="deviation.").order_by("-pk").first()
        return told.subject.partition(".")[2]

    def opened(self) -> str:
        self.press("/deliver/deviations/", rule="person", words="foam on the deck")
        self.assertEqual(self.kept, 1, self.told)
        return (
            Record.objects.filter(kind=Kind.EVENT, subject__startswith="deviation.")
            .order_by("-pk")
            .first()
            .subject.partition(".")[2]
        )

    def test_one_without_words_or_of_no_rule_is_refused_and_stays_typed(self):
        for sent in ({"rule": "person", "words": " "}, {"rule": "moon", "words": "full"}, {}):
            answer = self.refused("/deliver/deviations/", **sent)
            self.assertEqual(answer.status_code, 422, sent)
        answer = self.refused("/deliver/deviations/", rule="person", words="seen", suspect="no such lot")
        self.assertEqual(answer.status_code, 422)
        self.assertContains(answer, "seen", status_code=422)

    def test_what_can_be_done_with_one_is_said_and_nothing_else_is(self):
        number = self.opened()
        page = f"/deliver/deviations/{number}/"
        self.assertContains(self.client.get(page), "foam on the deck")
        answer = self.refused(page, "is none of contain, cause, close", act="erase")
        self.assertEqual(answer.status_code, 422)
        for sent in (
            {"act": "cause", "words": " "},
            {"act": "close", "end": "", "words": "x"},
            {"act": "close", "end": "as_is", "words": ""},
        ):
            self.assertEqual(self.refused(page, **sent).status_code, 422, sent)
        told = json.loads(self.client.get(page + "?json=1").content)
        self.assertEqual(told["number"], number)
        self.assertEqual(self.client.get("/deliver/deviations/D-0-0/").status_code, 404)
        self.assertEqual(self.client.post("/deliver/deviations/D-0-0/", {"act": "cause"}).status_code, 404)

    def test_words_are_kept_as_words(self):
        self.press("/deliver/deviations/", rule="person", words="<script>alert(1)</script> =1+1")
        number = (
            Record.objects.filter(kind=Kind.EVENT, subject__startswith="deviation.")
            .order_by("-pk")
            .first()
            .subject.partition(".")[2]
        )
        page = self.client.get(f"/deliver/deviations/{number}/")
        self.assertNotContains(page, "<script>alert(1)")
        self.assertContains(page, "alert(1)")


class Stops(Pressed):
    STOP = {
        "unit": "",
        "from": "10:50",
        "to": "12:00",
        "what": "felt",
        "does": "stop",
        "planned": "yes",
        "why": "",
        "number": "",
    }

    def test_one_is_ended_once(self):
        self.press("/schedule/stops/", **self.STOP)
        stop = Record.objects.filter(kind=Kind.STOP).order_by("-pk").first()
        self.assertEqual(stop.data["what"], "felt")
        self.press(f"/schedule/stops/{stop.pk}/end/")
        self.assertGreater(self.kept, 0)
        self.refused(f"/schedule/stops/{stop.pk}/end/", "Not kept")
        self.assertEqual(self.client.post("/schedule/stops/999999/end/").status_code, 404)

    def test_what_cannot_be_is_refused_beside_its_well_and_stays_typed(self):
        for sent in ({"to": "soon"}, {"from": "25:00"}, {"what": ""}, {"unit": "no.unit"}, {"does": "dance"}):
            answer = self.refused("/schedule/stops/", **{**self.STOP, **sent})
            self.assertEqual(answer.status_code, 422, sent)
            self.assertTrue(answer.context["bad"], sent)
        answer = self.refused("/schedule/stops/", **{**self.STOP, "to": "soon"})
        self.assertContains(answer, "soon", status_code=422)

    def test_a_second_one_at_the_same_time_is_refused(self):
        self.press("/schedule/stops/", **self.STOP)
        self.assertEqual(self.kept, 1)
        self.assertEqual(self.refused("/schedule/stops/", **self.STOP).status_code, 422)

    def test_their_list_goes_out_as_csv(self):
        self.press("/schedule/stops/", **{**self.STOP, "what": "=1+1"})
        text = self.client.get("/schedule/stops/?csv=1").content.decode("utf-8-sig")
        self.assertIn("1+1", text)
        self.assertNotRegex(text, r"(^|,)=1\+1")


class Cooks(Pressed):
    def design(self) -> dict:
        """What the page of a design opens with, for a digester that stands empty."""
        wells = {
            k: str(v)
            for k, v in next(o.wells for o in openings(make.state(0)).values() if o.wells["species"] == "larch").items()
        }
        log = {"m0": "0", "t0": "80", "m1": "90", "t1": "170", "m2": "150", "t2": "170"}
        heated = quantities(find("cook.design").case_class)["heated"].options[0]
        return wells | log | {"digester": "9", "target": "30", "heated": heated}

    def test_a_cook_is_charged_once_in_its_digester(self):
        self.press("/cook/start/", **self.design())
        self.assertIn("is charged", self.told)
        cook = Cook.objects.get(digester="9", blown_at=None)
        self.refused("/cook/start/", f"has cook {cook.number}, not blown yet", **self.design())
        self.assertTrue(self.told.endswith("by lead M.R."), self.told)
        self.assertEqual(Cook.objects.filter(digester=cook.digester, blown_at=None).count(), 1)

    def test_a_design_that_is_not_right_charges_nothing(self):
        for sent in ({"wood_t": "much"}, {"ea_pct_naoh": "-1"}, {"t1": "900"}, {"digester": ""}):
            before = Cook.objects.count()
            self.refused("/cook/start/", "Not charged", **{**self.design(), **sent})
            self.assertEqual(Cook.objects.count(), before, sent)

    def cook(self) -> Cook:
        return Cook.objects.filter(blown_at=None).order_by("number").first()

    def test_what_is_done_to_a_cook_out_of_turn_is_refused_in_words(self):
        cook = self.cook()
        page = f"/cook/records/{cook.number}/"
        for sent, word in (
            ({"act": "sing"}, "Nothing of this name"),
            ({"act": "lab", "kappa": "30"}, "not blown yet"),
            ({"act": "lab", "kappa": "900"}, "must be 1 to 200"),
            ({"act": "lab", "kappa": "many"}, "umber"),
            ({"act": "temperature", "value": "hot"}, "umber"),
            ({"act": "temperature", "value": "900"}, "must be"),
            ({"act": "refuse", "reason": ""}, "eason"),
            ({"act": "next.take", "size": "1"}, "no kappa yet"),
        ):
            points = CookPoint.objects.count()
            answer = self.refused(page, word, **sent)
            self.assertEqual(answer.status_code, 422, sent)
            self.assertEqual(CookPoint.objects.count(), points, sent)

    def test_a_cook_is_blown_once_and_has_one_kappa(self):
        cook = self.cook()
        page = f"/cook/records/{cook.number}/"
        self.press(page, act="blow")
        self.assertIn("Blown", self.told)
        self.refused(page, "already", act="blow")
        self.press(page, act="lab", kappa="31.5")
        self.assertIn("Kappa kept", self.told)
        self.refused(page, "has its kappa", act="lab", kappa="33")
        cook.refresh_from_db()
        self.assertEqual(cook.kappa, 31.5)
        self.refused(page, "closed", act="temperature", value="120")

    def test_records_are_filtered_compared_and_taken_away(self):
        tested = list(Cook.objects.filter(kappa__isnull=False)[:2])
        page = self.client.get("/cook/records/", {"a": tested[0].number, "b": tested[1].number})
        self.assertContains(page, str(tested[0].number))
        self.assertTrue(page.context["pair"])
        for asked in (
            {"state": "cooking"},
            {"state": "tested"},
            {"species": "larch"},
            {"digester": tested[0].digester},
            {"a": "x"},
        ):
            self.assertEqual(self.client.get("/cook/records/", asked).status_code, 200, asked)
        cooking = self.client.get("/cook/records/", {"state": "cooking", "as": "json"})
        self.assertEqual(len(json.loads(cooking.content)), Cook.objects.filter(blown_at=None).count())
        larch = self.client.get("/cook/records/", {"species": "larch", "as": "csv"}).content.decode("utf-8-sig")
        self.assertEqual(len(larch.strip().splitlines()) - 1, Cook.objects.filter(species="larch").count())
        xlsx = self.client.get("/cook/records/", {"as": "xlsx"}).content
        self.assertEqual(xlsx[:2], b"PK")


class BroughtIn(Pressed):
    PATH = "/cook/records/import/"

    def file(self, text: str | bytes) -> SimpleUploadedFile:
        return SimpleUploadedFile("cooks.csv", text if isinstance(text, bytes) else text.encode())

    def setUp(self):
        super().setUp()
        self.as_("pn")

    def brought(self, **sent):
        before = Cook.objects.count()
        answer = self.client.post(self.PATH, sent)
        self.cooks = Cook.objects.count() - before
        return answer

    def test_a_file_that_is_too_large_empty_or_no_csv_is_refused_in_a_sentence(self):
        for text, word in (
            (b"x" * 2_000_001, "must be at most 2000000"),
            (b"", "no rows"),
            (b"species,kappa\n", "no rows"),
            (b"\x00\x01\x02", ""),
        ):
            answer = self.brought(file=self.file(text))
            self.assertEqual(answer.status_code, 422, text[:20])
            self.assertContains(answer, word, status_code=422)
            self.assertEqual(self.cooks, 0)


class Answers(Pressed):
    """The models, asked by another program with a key of its own."""

    GIVEN = {"flow_l_min": 1000, "cons_pct": 4, "target_pct": 3, "water_cons_pct": 0}

    def setUp(self):
        super().setUp()
        self.token, plain = issue(name="tests", scope="calc", by=make.person("admin"), now=make.NOW)
        self.key = {"Authorization": f"Bearer {plain}"}
        self.client.logout()

    def ask(self, name: str, body, **headers):
        raw = body if isinstance(body, bytes) else json.dumps(body).encode()
        path = f"/api/calc/{name}/"
        return self.client.post(path, raw, content_type="application/json", headers=headers or self.key)

    def test_every_model_is_listed_with_what_it_is_and_where_it_is_from(self):
        told = self.client.get("/api/calc/", headers=self.key).json()["models"]
        self.assertEqual([m["name"] for m in told], [m.name for m in models()])
        self.assertTrue(all(m["title"] and m["source"] and m["equation"] for m in told))
        one = self.client.get("/api/calc/stock.dilute/", headers=self.key).json()
        self.assertEqual(one["name"], "stock.dilute")
        self.assertIn("flow_l_min", one["schema"]["properties"])

    def test_it_answers_as_the_model_does_and_says_every_field_that_is_wrong(self):
        told = self.ask("stock.dilute", self.GIVEN)
        self.assertEqual(told.status_code, 200)
        self.assertAlmostEqual(told.json()["result"]["water_l_min"], 1000 * (4 - 3) / 3, places=6)
        bad = self.ask("stock.dilute", {**self.GIVEN, "cons_pct": -1, "flow_l_min": "many"})
        self.assertEqual(bad.status_code, 422)
        text = bad.content.decode()
        self.assertTrue("cons_pct" in text or "flow_l_min" in text)
        unknown = self.ask("stock.dilute", {**self.GIVEN, "colour": "red"})
        self.assertEqual(unknown.status_code, 422)
        self.assertIn("colour", unknown.content.decode())

    def test_what_is_no_question_is_told_why(self):
        self.assertEqual(self.ask("stock.dilute", b"{").status_code, 400)
        self.assertEqual(self.ask("stock.dilute", b"[" * 60_000).status_code, 400)
        self.assertEqual(self.ask("stock.dilute", b" " * 100_000).status_code, 413)
        self.assertEqual(self.ask("no.such.model", self.GIVEN).status_code, 404)
        self.assertEqual(self.ask("stock.dilute", [1, 2]).status_code, 422)

    def test_a_key_works_until_it_is_revoked_and_no_other_does(self):
        self.assertEqual(self.ask("stock.dilute", self.GIVEN, Authorization="Bearer none").status_code, 401)
        self.assertEqual(self.client.get("/api/calc/").status_code, 401)
        self.assertEqual(self.client.get("/api/calc/stock.dilute/").status_code, 401)
        revoke(self.token, now=make.NOW)
        self.assertEqual(self.ask("stock.dilute", self.GIVEN).status_code, 401)


class SetBack(Pressed):
    def test_a_furnish_is_set_back_once(self):
        seen = make.state(0).setpoints[-1] if make.state(0).setpoints else None
        self.press(
            "/blend/put/", s0="50", s1="15", s2="10", s3="13", s4="5", s5="7", why="tried", seen=str(seen.pk if seen else 0)
        )
        newest = Record.objects.current().filter(kind=Kind.SETPOINT, subject="blend.shares").order_by("-at", "-pk").first()
        self.assertGreaterEqual(newest.entered_at, make.NOW)
        self.press(f"/blend/back/{newest.pk}/")
        self.assertEqual(self.kept, 1, self.told)
        self.refused(f"/blend/back/{newest.pk}/", "Not set back")
        self.assertEqual(self.client.post("/blend/back/999999/").status_code, 404)


class Audit(Pressed):
    def rows(self, **asked) -> list[list[str]]:
        text = self.client.get("/log/audit/", {"csv": "1", **asked}).content.decode()
        return list(csv.reader(io.StringIO(text)))[1:]

    def test_who_did_what_is_filtered_and_goes_out_with_formulas_as_words(self):
        write(kind=Kind.REMARK, by=make.person("mr"), now=make.NOW, says="Note", words="seen")
        write(kind=Kind.REMARK, by=make.person("tk"), now=make.NOW, says="=cmd()", words="")
        token, _ = issue(name="=gauge", scope="readings", by=make.person("admin"), now=make.NOW)
        revoke(token, now=make.NOW + timedelta(minutes=1))
        self.as_("cv")
        self.assertContains(self.client.get("/log/audit/"), "=cmd()")
        everything = self.rows()
        self.assertTrue(all(len(row) == 4 for row in everything))
        self.assertTrue(all(row[3][:1] not in "=+-@" for row in everything if row[3]))
        self.assertEqual([row[0] for row in everything], sorted((row[0] for row in everything), reverse=True))
        keys = self.rows(kind="key")
        self.assertEqual({row[2] for row in keys}, {"key"})
        self.assertEqual(sum("gauge" in row[3] for row in keys), 2)  # made, and revoked
        own = self.rows(who="tk")
        self.assertTrue(own)
        self.assertEqual({row[1] for row in own}, {make.person("tk").signed})
        self.assertEqual(self.rows(who="nobody"), everything)

    def test_who_may_not_read_it_does_not(self):
        self.as_("tk")
        self.assertEqual(self.client.get("/log/audit/").status_code, 403)


class Charts(Pressed):
    PATH = "/lab/chart/K.larch_blow.kappa/alarms/"

    def test_alarms_that_are_so_already_are_not_written_again(self):
        """The usual ones are so whatever was chosen before: an older choice does not come back."""
        self.as_("pn")
        self.press(self.PATH, on="smooth", side="both")
        self.assertEqual(self.kept, 1, self.told)
        self.refused(self.PATH, "They are these already", on="smooth", side="both")
        self.press(self.PATH, on="sums", side="both")
        self.assertEqual(self.kept, 1)
        self.press(self.PATH, usual="1")
        self.assertEqual(self.kept, 1)
        self.refused(self.PATH, "usual ones already", usual="1")
        row, state = make.state(1).mill.plan["K.larch_blow.kappa"], make.state(1)
        band = state.mill.band(row, state.grade)
        told, chosen = charts.usual_of(row, band, state.now, charts.EACH)
        self.assertIsNone(chosen)
        self.assertEqual(told, charts.usual(row.test, band.low, band.high, metered=row.metered, of=charts.EACH))
        self.press(self.PATH, on="smooth", side="both")
        self.assertEqual(self.kept, 1)

    def test_a_bias_is_put_to_the_shift_once_as_long_as_its_pairs_say_the_same(self):
        path = "/stock/meter/S.chest.consistency/bias/"
        first = self.client.post(path)
        before = Record.objects.count()
        self.assertEqual(self.client.post(path).url, first.url)
        self.assertEqual(Record.objects.count(), before)
