"""Bad input at the pages: named beside its field with what is allowed, nothing typed lost, nothing invalid stored."""

from django.test import Client, TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from desk.log.models import Kind, Record
from tests import make
from tests.profile import examples

CHEST = "/lab/record/machine.chest.consistency/"
PADS = {
    "mode": "weighings",
    "a.stock_g": "502.4",
    "a.paper_g": "0.842",
    "a.pad_g": "19.05",
    "b.stock_g": "498.7",
    "b.paper_g": "0.838",
    "b.pad_g": "18.85",
    "at": "10:40",
}


class SamplePage(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.client.force_login(make.person("jd"), backend="django.contrib.auth.backends.ModelBackend")
        self.before = Record.objects.count()

    def post(self, **change):
        return self.client.post(CHEST, {**PADS, **change})

    def test_two_pads_are_kept_with_their_weighings(self):
        self.assertRedirects(self.post(), "/", fetch_redirect_response=False)
        kept = Record.objects.filter(kind=Kind.RESULT).order_by("-id").first()
        self.assertAlmostEqual(kept.value, 100 * ((19.05 - 0.842) / 502.4 + (18.85 - 0.838) / 498.7) / 2, places=9)
        self.assertEqual(kept.data["weighings"][1]["pad_g"], 18.85)
        self.assertEqual((kept.status, kept.signed), ("accepted", "operator J.D."))

    def test_each_impossible_field_is_named_and_kept(self):
        for change, said, typed in (
            ({"a.stock_g": "-5"}, "Stock poured, A is -5 g; it must be above 0 g", 'value="-5"'),
            ({"b.pad_g": "0.5"}, "must be heavier than the paper", 'value="0.5"'),
            ({"b.pad_g": "many"}, "“many”; it must be a number of g", 'value="many"'),
            ({"a.paper_g": ""}, "Filter paper, dry, A is empty", 'value="502.4"'),
            ({"at": "25:99"}, "it must be a time such as 10:50", 'value="25:99"'),
            ({"a.pad_g": "9999999"}, "it must be at most", 'value="9999999"'),
        ):
            with self.subTest(change=change):
                response = self.post(**change)
                self.assertContains(response, said, status_code=422)
                self.assertContains(response, typed, status_code=422)
                self.assertEqual(Record.objects.count(), self.before)

    def test_an_unusual_result_wants_a_second_look(self):
        heavy = {"a.pad_g": "250", "b.pad_g": "248"}
        self.assertContains(self.post(**heavy), "read it twice", status_code=422)
        self.assertEqual(Record.objects.count(), self.before)
        self.post(**heavy, sure="1")
        self.assertGreater(Record.objects.count(), self.before)

    def test_pads_apart_ask_for_a_third(self):
        part = self.client.get(CHEST, {**PADS, "b.pad_g": "20.9"}, headers={"HX-Request": "true", "HX-Target": "answer"})
        self.assertContains(part, "weigh a third")
        self.assertNotContains(part, "<html")
        page = self.client.get(CHEST, {**PADS, "b.pad_g": "20.9", "third": "1"})
        self.assertContains(page, 'name="c.pad_g"')
        self.assertContains(page, 'value="20.9"')

    def test_could_not_sample_keeps_the_reason(self):
        self.assertContains(self.client.post(CHEST, {"mode": "none", "words": ""}), "Reason is empty", status_code=422)
        self.client.post(CHEST, {"mode": "none", "words": "tap is frozen"})
        self.assertEqual(Record.objects.get(kind=Kind.NO_SAMPLE).words, "tap is frozen")

    def test_a_correction_from_the_page(self):
        self.post()
        wrong = Record.objects.filter(kind=Kind.RESULT).order_by("-id").first()
        page = self.client.get(CHEST, {"corrects": wrong.pk})
        self.assertContains(page, 'value="19.05"')
        refused = self.post(corrects=wrong.pk, **{"a.pad_g": "18.95"})
        self.assertContains(refused, "choose one", status_code=422)
        self.post(corrects=wrong.pk, reason="mistyped", **{"a.pad_g": "18.95"})
        self.assertEqual(Record.objects.order_by("-id").filter(kind=Kind.RESULT).first().corrects_id, wrong.pk)
        self.client.force_login(make.person("tk"), backend="django.contrib.auth.backends.ModelBackend")
        newest = Record.objects.current().filter(kind=Kind.RESULT).order_by("-id").first()
        self.assertEqual(self.client.get(CHEST, {"corrects": newest.pk}).status_code, 403)


class OrderPages(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")

    def test_bad_orders_are_named_beside_their_fields(self):
        base = {
            "order": "H-0413",
            "grade": "LB80",
            "gsm": "80",
            "sale_t": "80",
            "speed_m_min": "880",
            "start": "15:30",
            "share_K": "60",
            "share_S": "6",
            "share_M": "6",
            "share_R": "13",
            "share_W": "5",
            "share_B": "10",
        }
        for change, said in (
            ({"gsm": "thick"}, "Basis weight is “thick”"),
            ({"sale_t": "-4"}, "To sell is -4 t; it must be above 0"),
            ({"speed_m_min": "1200"}, "this machine runs 780 to 900"),
            ({"start": "soon"}, "it must be a time such as 15:30"),
            ({"start": "14:30"}, "before the machine is free"),
            ({"share_K": "70"}, "they must make 100 %"),
            ({"share_S": "-6", "share_K": "72"}, "it must be 0 to 100 %"),
        ):
            with self.subTest(change=change):
                page = self.client.get("/schedule/card/", {**base, **change})
                self.assertContains(page, said)
                for value in change.values():
                    self.assertContains(page, f'value="{value}"')
                self.client.post("/schedule/card/", {**base, **change})
        self.assertFalse(Record.objects.filter(kind=Kind.RUNCARD).exists())

    def test_a_new_order_wants_its_own_number(self):
        order = {"order": "H-0413", "grade": "EX70", "sale_t": "50", "start": "22:00"}
        self.assertContains(self.client.post("/schedule/order/", order), "in the queue already", status_code=422)
        self.assertRedirects(
            self.client.post("/schedule/order/", {**order, "order": "H-0420"}),
            "/schedule/card/?order=H-0420",
            fetch_redirect_response=False,
        )


class AnyInput(HypothesisTestCase):
    """Whatever is typed anywhere, the server answers and stores nothing invalid."""

    words = st.text(max_size=12) | st.sampled_from(
        ["", "nan", "inf", "-0", "1e308", "١٢", "0x1", "1,5,0", "=1+1", "<b>", "a\x00b"]
    )

    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.client = Client()
        self.client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")

    @settings(max_examples=examples(14))
    @given(a=words, b=words, c=words)
    def test_no_server_error(self, a, b, c):
        before = Record.objects.filter(kind__in=[Kind.RUNCARD, Kind.ORDER, Kind.DISPOSITION, Kind.HANDOVER]).count()
        for url, data in (
            ("/stock/dilution/", {"flow_l_min": a, "cons_pct": b, "target_pct": c}),
            ("/stock/cover/", {"capacity": a, "level_pct": b, "low_pct": c}),
            ("/stock/mixing/", {"volume_m3": a, "period_min": b, "washout_pct": c}),
            ("/stock/", {"inlet_pct": a, "target_pct": b, "row": c}),
            ("/schedule/card/", {"gsm": a, "start": b, "share_K": c}),
            (CHEST, {**PADS, "a.pad_g": a, "at": b, "mode": c}),
            ("/log/", {"q": a, "kind": b, "page": c}),
        ):
            self.assertEqual(self.client.get(url, data).status_code, 200, url)
        for url, data in (
            ("/schedule/card/", {"order": a, "gsm": b, "start": c}),
            ("/schedule/order/", {"order": "", "sale_t": b, "start": c}),
            (CHEST, {**PADS, "a.pad_g": a, "b.pad_g": b, "at": "x"}),
            ("/deliver/lots/BM-26318-A01-2/", {"action": a, "pin": b, "words": c}),
            ("/log/handover/", {"watch": a, "pin": b}),
            ("/sign-in/", {"initials": a, "pin": ""}),
        ):
            self.assertLess(self.client.post(url, data).status_code, 500, url)
        self.assertEqual(
            Record.objects.filter(kind__in=[Kind.RUNCARD, Kind.ORDER, Kind.DISPOSITION, Kind.HANDOVER]).count(), before
        )
