"""Readings through every door; what is refused says why; files stop, go on and survive; trends over a year stay quick."""

import json
from datetime import timedelta
from pathlib import Path

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.errors import Infeasible
from core.instruments import simulate
from core.instruments.intake import Reason, Span, Verdict, is_stuck, judge
from core.judge.chart import cusum, ewma, individuals, moved, run_rules, sigma_true
from desk.instruments import store
from desk.instruments.models import Delivery, Reading, Signal, ms
from desk.intake import files
from desk.intake.actions import Raw, deliver
from desk.intake.plant import step
from desk.people import tokens
from tests import make

TAG = "meter.K.chest"


@tag("core")
class Simulation(SimpleTestCase):
    def test_check_values(self):  # models, section 11
        phi = simulate.phi(1.0, 5.0)
        self.assertAlmostEqual(phi, 0.81873, places=5)
        self.assertAlmostEqual(simulate.innovation_sd(0.030, phi), 0.017225, places=6)
        self.assertAlmostEqual(simulate.offset(0.02, 0.010, 14), 0.160)
        self.assertEqual([simulate.quantised(v, 0.5) for v in (612.3, 611.7)], [612.5, 611.5])

    def test_noise_keeps_its_sd_and_the_seed_its_readings(self):
        kind = simulate.KINDS["consistency"]

        def run(seed: int) -> list[float]:
            rng, state, found = np.random.default_rng(seed), simulate.State(bias=0.0), []
            for _ in range(4000):
                value, state = simulate.read(kind, state, 3.6, 1.0, rng)
                found.append(value)
            return found

        first = run(7)
        self.assertEqual(first, run(7))
        self.assertNotEqual(first, run(8))
        drift = kind.drift_day * 4000 / 1440
        self.assertAlmostEqual(float(np.std(np.array(first) - np.linspace(0, drift, 4000))), 0.03, delta=0.006)

    def test_faults(self):
        kind, rng = simulate.KINDS["consistency"], np.random.default_rng(1)
        stuck = simulate.State(bias=0.0, last=3.21, fault=simulate.Fault.STUCK)
        self.assertEqual(simulate.read(kind, stuck, 5.0, 1.0, rng)[0], 3.21)
        self.assertIsNone(simulate.read(kind, simulate.State(bias=0.0, fault=simulate.Fault.DROPOUT), 3.6, 1.0, rng)[0])
        stepped = simulate.read(kind, simulate.State(bias=0.0, fault=simulate.Fault.STEP), 3.6, 1.0, rng)[0]
        self.assertGreater(stepped, 3.7)
        self.assertLessEqual(simulate.read(kind, simulate.State(bias=0.0), 99.0, 1.0, rng)[0], kind.high)


@tag("core")
class Rules(SimpleTestCase):
    @given(st.floats(), st.integers(0, 10**13), st.none() | st.integers(0, 10**13), st.booleans())
    def test_every_reading_gets_one_verdict_and_reason(self, value, at, last, history):
        verdict, reason = judge(value, at, span=Span(0, 12), now_ms=10**12, last_ms=last, history=history)
        self.assertEqual(verdict is Verdict.KEPT, reason is Reason.GOOD)
        if verdict is not Verdict.REFUSED:
            self.assertTrue(0 <= value <= 12 and at <= 10**12 + 120_000)

    def test_stuck(self):
        still = [(i * 60_000, 3.6) for i in range(30)]
        self.assertTrue(is_stuck(still))
        self.assertFalse(is_stuck([*still[:-1], (29 * 60_000, 3.61)]))
        self.assertFalse(is_stuck(still[:10]))

    def test_charts(self):  # shift practice, section 3.4
        one = individuals([3.52, 3.47, 3.55, 3.50, 3.44, 3.49, 3.58, 3.53, 3.46, 3.51])
        for found, wanted in (
            (one.mean, 3.505),
            (one.range_mean, 0.06111),
            (one.sigma, 0.05418),
            (one.low, 3.3424),
            (one.high, 3.6676),
            (one.range_high, 0.19965),
        ):
            self.assertAlmostEqual(found, wanted, delta=1.1e-4)
        freeness = [441, 455, 452, 466, 449, 461, 470, 458, 467, 472]
        smooth = ewma(freeness, 450, 10)
        self.assertAlmostEqual(smooth[-1][0], 461.877, places=3)
        self.assertAlmostEqual(smooth[-1][1], 9.478, places=3)
        self.assertEqual([i for i, (z, w) in enumerate(smooth, 1) if abs(z - 450) > w], [10])
        self.assertAlmostEqual(cusum(freeness, 450, 10)[-1][0], 5.8)
        since, total = moved(freeness, 450, 10)
        self.assertEqual((since, round(total, 6)), (3, 5.8))
        self.assertEqual(moved([900 - v for v in freeness], 450, 10), (3, -total))
        self.assertIsNone(moved(freeness[:-1], 450, 10))
        z = [0.2, -0.5, 2.3, 0.4, 2.4, 1.2, 1.4, 0.9, 1.6, 1.1, 0.3, 0.2, -3.4]
        fired = {rule: [s.at + 1 for s in run_rules(z, 0, 1) if s.rule == rule] for rule in ("WE1", "WE2", "WE4")}
        self.assertEqual(fired, {"WE1": [13], "WE2": [5], "WE4": [10, 11, 12]})
        self.assertAlmostEqual(sigma_true(0.041, 0.55), 0.05418, places=5)
        self.assertIsInstance(individuals([1.0] * 20), Infeasible)
        self.assertIsInstance(individuals([1.0, 2.0]), Infeasible)


class Door(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        for p in files.folder().glob("**/*.csv"):
            p.unlink()

    def sign_in(self, username: str) -> None:
        self.client.force_login(make.person(username), backend="django.contrib.auth.backends.ModelBackend")

    def rows(self, *pairs) -> list[Raw]:
        return [Raw(i, *pair) for i, pair in enumerate(pairs, 1)]

    def test_a_mixed_delivery_keeps_the_good_and_says_why_of_the_rest(self):
        now = make.NOW
        t = lambda minutes: (now + timedelta(minutes=minutes)).isoformat()  # noqa: E731
        before = Reading.objects.count()
        _, out = deliver(
            rows=self.rows(
                (TAG, t(-0.5), "3.61"),
                (TAG, t(-1), 3.60),
                ("meter.moon", t(-1), 3),
                (TAG, t(-2), "wet"),
                (TAG, "noon", 3),
                (TAG, t(-3), 99),
                (TAG, t(10), 3),
                (TAG, t(-0.5), 3.61),
                (TAG, t(-0.5), 3.65),
                (TAG, t(-300.2), 3.4),
                (TAG, t(-4), True),
                (TAG, t(-5), None),
            ),
            door="http",
            name="test",
            by=None,
            now=now,
        )
        self.assertEqual((out.kept, out.flagged, out.refused), (1, 2, 9))
        self.assertEqual(
            out.reasons,
            {
                "out of order": 1,
                "late": 1,
                "unknown signal": 1,
                "no number": 3,
                "no time": 1,
                "impossible value": 1,
                "time ahead of the clock": 1,
                "doubled": 1,
                "contradicts an earlier reading": 1,
            },
        )
        self.assertEqual(Reading.objects.count(), before + 3)
        self.assertEqual(Signal.objects.get(tag=TAG).last_value, 3.61)

    def test_over_http_with_a_key(self):
        url, at = "/api/readings/", make.NOW.isoformat()
        body = {"readings": [{"tag": TAG, "at": at, "value": 3.6}, {"tag": TAG, "at": at, "value": -4}, {"tag": "x"}]}
        self.assertEqual(self.client.post(url, body, content_type="application/json").status_code, 401)
        self.sign_in("mr")  # a cookie does not open this door
        self.assertEqual(self.client.post(url, body, content_type="application/json").status_code, 401)
        _, plain = tokens.issue(name="historian", scope="readings", by=make.person("pn"), now=make.NOW)
        key = {"Authorization": f"Bearer {plain}"}
        answer = self.client.post(url, body, content_type="application/json", headers=key).json()
        self.assertEqual((answer["kept"], answer["refused"]), (1, 2))
        self.assertEqual([x["reason"] for x in answer["told"]], ["impossible value", "unknown signal"])
        for bad, status in (("{", 400), ('{"readings": 3}', 422), ("[]", 422), ('{"readings": [3]}', 422)):
            self.assertEqual(self.client.post(url, bad, content_type="application/json", headers=key).status_code, status)
        page = self.client.get(f"/instruments/deliveries/{answer['delivery']}/")
        self.assertContains(page, "impossible value")
        self.assertContains(page, "meter.K.chest")

    def test_by_hand(self):
        self.sign_in("cv")
        self.assertEqual(self.client.post("/instruments/type/", {"tag": TAG, "value": "3.6"}).status_code, 403)
        self.sign_in("jd")
        for typed, said in (
            ({"value": "wet"}, "“wet”"),
            ({"value": "40"}, "impossible value"),
            ({"value": "3.6", "at": "late"}, "“late”"),
            ({"value": "3.6", "tag": "no"}, "“no”"),
        ):
            with self.subTest(typed=typed):
                page = self.client.post("/instruments/type/", {"tag": TAG, **typed})
                self.assertContains(page, said, status_code=422)
                self.assertContains(page, f'value="{typed["value"]}"', status_code=422)
        self.client.post("/instruments/type/", {"tag": TAG, "value": "3,62", "at": "10:41"})
        self.assertEqual(store.at_minute(TAG, make.NOW).value, 3.62)

    def _file(self, n: int) -> bytes:
        start = make.NOW - timedelta(days=100)
        lines = ["tag,at,value"] + [
            f"{TAG},{(start + timedelta(minutes=i)).isoformat()},{3.5 + (i % 20) / 100:.2f}" for i in range(n)
        ]
        lines[7] = "broken line"
        lines[9] = lines[8]
        return "\n".join(lines).encode()

    def test_a_file_is_stopped_gone_on_with_and_counted(self):
        self.sign_in("pn")
        self.client.post("/instruments/file/", {"file": SimpleUploadedFile("past.csv", self._file(12_000)), "history": "on"})
        d = Delivery.objects.first()
        files.work(make.NOW)
        d.refresh_from_db()
        self.assertEqual((d.status, d.line), ("running", 5000))
        self.assertTrue(0.3 < d.share < 0.5)
        self.client.post(f"/instruments/deliveries/{d.pk}/turn/", {"to": "stop"})
        files.work(make.NOW)
        self.assertFalse(files.work(make.NOW))
        d.refresh_from_db()
        self.assertEqual((d.status, d.line), ("stopped", 5000))
        self.assertContains(self.client.get("/instruments/"), "Go on")
        self.client.post(f"/instruments/deliveries/{d.pk}/turn/", {"to": "go"})
        while files.work(make.NOW):
            pass
        d.refresh_from_db()
        self.assertEqual((d.status, d.kept, d.flagged, d.refused), ("done", 11_998, 0, 2))
        self.assertEqual(d.reasons, {"malformed row": 1, "doubled": 1})
        self.assertEqual(list(d.refusals.values_list("line", "reason")), [(8, "malformed row"), (10, "doubled")])
        for upload, said in ((None, "File is missing"), (SimpleUploadedFile("x.exe", b"MZ"), "must be a .csv")):
            self.assertContains(
                self.client.post("/instruments/file/", {"file": upload} if upload else {}), said, status_code=422
            )

    def test_the_drop_folder_and_the_worker(self):
        (files.folder() / "history.csv").write_bytes(self._file(50))
        files.dropped(make.NOW, clock=0.0)
        self.assertFalse(Delivery.objects.filter(door="file").exists())  # it may still be growing
        files.dropped(make.NOW, clock=files.SETTLED_S + 1)
        call_command("run_instruments", "--once", "--simulate")
        d = Delivery.objects.get(door="file")
        self.assertEqual((d.name, d.history, d.status), ("history.csv", True, "done"))
        self.assertFalse((Path(settings.DATA) / "drop" / "history.csv").exists())

    def test_the_simulated_plant_lives_and_is_the_same_from_its_seed(self):
        now = make.NOW + timedelta(minutes=1)
        with self.subTest("reads every signal"):
            out = step(make.state(1), now)
            self.assertEqual(out.kept, Signal.objects.count())
        first = {s.tag: s.last_value for s in Signal.objects.all()}
        self.assertTrue(14.0 < first["level.S.tower"] < 15.6)
        self.assertIsNone(step(make.state(1), now))
        for minute in range(2, 40):
            step(make.state(minute), make.NOW + timedelta(minutes=minute))
        self.assertLess(Signal.objects.get(tag="level.S.tower").last_value, 12.5)

    def test_keys_are_made_shown_once_and_revoked(self):
        self.sign_in("tk")
        self.assertEqual(self.client.post("/instruments/keys/", {"name": "x", "scope": "calc"}).status_code, 403)
        self.sign_in("pn")
        self.assertContains(
            self.client.post("/instruments/keys/", {"name": "", "scope": "calc"}), "Name is empty", status_code=422
        )
        page = self.client.post("/instruments/keys/", {"name": "historian", "scope": "readings"})
        self.assertContains(page, "vat_")
        self.assertNotContains(self.client.get("/instruments/"), "vat_")
        from desk.people.models import Token

        self.client.post(f"/instruments/keys/{Token.objects.get().pk}/revoke/")
        self.assertIsNotNone(Token.objects.get().revoked_at)


class Trends(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.client.force_login(make.person("pn"), backend="django.contrib.auth.backends.ModelBackend")

    def test_every_signal_and_row_has_its_trend(self):
        for name in [*Signal.objects.values_list("tag", flat=True), "K.larch_blow.kappa", "R.line_end.stickies"]:
            with self.subTest(tag=name):
                self.assertContains(self.client.get(f"/trend/{name}/"), "What it says")
        self.assertEqual(self.client.get("/trend/level.moon/").status_code, 404)

    def test_panning_zooming_and_odd_windows(self):
        now = ms(make.NOW)
        for query in (
            "hours=8",
            "hours=2160",
            "hours=-3",
            "hours=x",
            f"from={now}&to={now - 9}",
            "from=0&to=10",
            "from=x&to=y",
            f"from=-{10**30}&to={10**30}",
        ):
            with self.subTest(query=query):
                self.assertEqual(self.client.get(f"/trend/meter.S.chest/?{query}").status_code, 200)
        part = self.client.get("/trend/meter.S.chest/?hours=8", headers={"HX-Request": "true", "HX-Target": "answer"})
        self.assertNotContains(part, "<html")
        body = self.client.get("/trend/meter.S.chest/?hours=48&csv=1").content.decode()
        self.assertIn("laboratory", body)
        self.assertGreater(body.count("\n"), 200)

    def test_thinning_keeps_the_extremes(self):
        signal = Signal.objects.get(tag="meter.S.chest")
        start, end = make.NOW - timedelta(days=3), make.NOW
        whole = store.series(signal, start, end, 100_000)
        thin = store.series(signal, start, end, 50)
        self.assertLessEqual(len(thin), 51)
        self.assertEqual(
            (min(b.low for b in thin), max(b.high for b in thin), sum(b.n for b in thin)),
            (min(b.low for b in whole), max(b.high for b in whole), sum(b.n for b in whole)),
        )

    def test_json_is_never_nan(self):
        self.assertNotIn(
            "NaN",
            json.dumps([b.mean for b in store.series(Signal.objects.first(), make.NOW - timedelta(days=1), make.NOW, 10)]),
        )
