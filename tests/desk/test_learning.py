"""Units learn from the samples of the log: who may, what is kept, chosen, used by line and pages, and let go again."""

import re
from datetime import timedelta
from html import unescape

from django.test import SimpleTestCase, TestCase

from core.errors import ImpossibleInput, Problem
from desk.kit.fit_plot import fit_plot
from desk.kit.long_work import told_while
from desk.log.models import Kind, Record
from desk.mill import learning
from desk.mill.models import UnitFit
from tests import make

FIGURE = re.compile(r'<a class="fig"\s+href="(/models/[^"]+)">(?:<b>)?([^<]+)')
PAGE = "/mill/learn/S.bleach/"


class Learning(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()
        cls.found = learning.fit_unit(make.state(0), "S.bleach")

    def as_(self, username: str):
        person = make.person(username)
        self.client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        return person

    def kept(self, **change) -> UnitFit:
        state = make.state(0)
        fit = learning.keep_fit(state=state, unit="S.bleach", found=self.found, by=make.person("pn"), now=state.now)
        if change:
            UnitFit.objects.filter(pk=fit.pk).update(**change)
        return fit

    def test_a_fit_runs_on_its_page_and_is_kept_with_who_and_when(self):
        self.as_("pn")
        told = b"".join(self.client.post("/mill/learn/M.tmp/", {"choice": "fit"}).streaming_content).decode()
        self.assertRegex(told, r"<p>\d+ evaluations</p>")
        self.assertIn("url=/mill/learn/M.tmp/", told)
        fit = UnitFit.objects.get()
        self.assertEqual((fit.unit, fit.by.username), ("M.tmp", "pn"))
        self.assertEqual(list(fit.constants), ["e0_factor"])
        record = Record.objects.get(subject="constants.M.tmp")
        self.assertEqual((record.status, record.data), ("fitted", {"fit": fit.pk}))
        page = self.client.get("/mill/learn/M.tmp/")
        self.assertContains(page, "one left out")
        self.assertContains(page, "CSF0: these samples do not tell it")
        self.assertEqual(make.state(1).constants, {})  # kept is not yet used

    def test_a_fit_that_is_used_leads_line_pages_and_workings_and_is_let_go(self):
        fit = self.kept()
        self.as_("pn")
        before = make.state(0).line.facts("S.bleach", 2)["kappa"]
        self.client.post(PAGE, {"choice": str(fit.pk)})
        state = make.state(1)
        self.assertEqual(state.constants, {"S.bleach": fit.constants})
        after = state.line.facts("S.bleach", 2)["kappa"]
        row = next(r for r in self.found.rows if r.row == "S.ep.kappa")
        self.assertLess(abs(after - row.lab[-1]), abs(before - row.lab[-1]) + 0.5)
        self.assertGreater(abs(after - before), 0.1)
        page = self.client.get("/bleach/", {"line": "S.bleach"})
        self.assertEqual(page.context["worked"].result.kappa, state.line.acts["S.bleach"].kappa)
        self.assertContains(page, "as this mill’s samples taught them")
        figures = FIGURE.findall(page.content.decode())
        self.assertGreater(len(figures), 8)
        for href, value in figures[::3]:
            self.assertEqual(self.client.get(unescape(href)).context["lead"]["value"], value)
        self.assertContains(self.client.get(PAGE), "this mill’s own, chosen")
        self.assertContains(self.client.get("/mill/learn/"), "this mill’s own")
        self.client.post(PAGE, {"choice": "default"})
        self.assertEqual(make.state(2).line.facts("S.bleach", 2)["kappa"], before)
        self.client.post(PAGE, {"choice": "default"})  # a second press changes nothing
        self.assertEqual(make.state(3).constants, {})

    def test_every_unit_that_learns_runs_with_what_it_learnt(self):
        state = make.state(0)
        for unit in learning.learners_of(state):
            found = learning.fit_unit(state, unit) if unit not in ("K.bleach", "S.bleach") else self.found
            if found.unit != unit:
                continue
            with self.subTest(unit=unit):
                fit = learning.keep_fit(state=state, unit=unit, found=found, by=make.person("pn"), now=state.now)
                UnitFit.objects.filter(pk=fit.pk).update(accepted=True)
                fit.refresh_from_db()
                learning.use(state=state, unit=unit, fit=fit, by=make.person("pn"), now=state.now)
                acting = make.state(1).line.acting[unit]
                self.assertEqual({k: getattr(acting, k) for k in fit.constants}, fit.constants)
        self.as_("mr")
        for path in ("/", "/wash/?line=S.wash", "/bleach/?line=S.bleach", "/mill/balance/", "/mill/case/"):
            self.assertEqual(self.client.get(path).status_code, 200)
        wash = self.client.get("/wash/", {"line": "S.wash"}).context["worked"]
        self.assertAlmostEqual(
            wash.result.soda_kg_adt, make.state(1).line.acts["S.wash"].worked[0].result.soda_kg_adt, places=4
        )

    def test_only_an_engineer_fits_and_chooses_and_everybody_may_look(self):
        fit = self.kept()
        for who in ("jd", "mr"):
            self.as_(who)
            self.assertContains(self.client.get(PAGE), "an engineer fits")
            for choice in ("fit", str(fit.pk), "default"):
                self.assertEqual(self.client.post(PAGE, {"choice": choice}).status_code, 403)
        self.assertFalse(Record.objects.filter(kind=Kind.SETPOINT, status="chosen").exists())

    def test_a_fit_that_is_none_is_refused_in_words_and_nothing_is_kept(self):
        self.as_("pn")
        worse = self.kept(accepted=False)
        for choice, words in (
            (str(worse.pk), "does not lower the left-out error"),
            ("999", "No such fit"),
            ("²", "No such fit"),
        ):
            page = self.client.post(PAGE, {"choice": choice}, follow=True)
            self.assertContains(page, words)
        old = self.kept(constants={"no_longer": 1.0})
        self.assertContains(self.client.post(PAGE, {"choice": str(old.pk)}, follow=True), "cannot be carried over")
        wild = self.kept(constants={"extract_factor": 50.0})
        self.assertContains(self.client.post(PAGE, {"choice": str(wild.pk)}, follow=True), "cannot be carried over")
        other = self.kept(unit="K.bleach")
        self.assertContains(self.client.post(PAGE, {"choice": str(other.pk)}, follow=True), "No such fit")
        self.assertFalse(Record.objects.filter(subject="constants.S.bleach", status="chosen").exists())

    def test_constants_that_can_no_longer_be_take_no_page_down(self):
        by, state = make.person("pn"), make.state(0)
        for constants in ({"extract_factor": 50.0}, {"no_longer": 1.0}, {}):
            learning.write(
                kind=Kind.SETPOINT,
                subject="constants.S.bleach",
                by=by,
                now=state.now,
                says="of another model",
                status="chosen",
                data={"constants": constants},
            )
            self.assertEqual(make.state(1).constants, {})
        self.as_("mr")
        self.assertEqual(self.client.get("/").status_code, 200)

    def test_a_unit_that_nothing_teaches_has_no_page_and_few_samples_are_said(self):
        self.as_("pn")
        for unit in ("K.post", "K.larch.cook", "no.such"):
            self.assertEqual(self.client.get(f"/mill/learn/{unit}/").status_code, 404)
        make.set_clock(make.NOW - timedelta(days=20, hours=20))  # the log is only some samples long
        told = b"".join(self.client.post("/mill/learn/M.tmp/", {"choice": "fit"}).streaming_content).decode()
        self.assertIn("a fit wants 8 at least", told)
        self.assertFalse(UnitFit.objects.exists())


class Plot(SimpleTestCase):
    def test_dots_stay_on_the_axes_and_a_perfect_fit_lies_on_the_line(self):
        for lab in ([30.0], [28.0, 30.5, 41.0], [5.0] * 4):
            plot = fit_plot(lab, [v + 2.0 for v in lab], lab)
            for dot in (*plot["default"], *plot["fit"]):
                self.assertTrue(40.0 <= float(dot["x"]) <= 420.0 and 20.0 <= float(dot["y"]) <= 300.0, dot)
            for dot in plot["fit"]:
                self.assertAlmostEqual((float(dot["x"]) - 40.0) / 380.0, (300.0 - float(dot["y"])) / 280.0, delta=1e-3)
            self.assertTrue(plot["xt"] and plot["yt"])


class LongWork(SimpleTestCase):
    def test_it_tells_on_the_way_and_ends_whatever_befalls_it(self):
        def goes_well(tell):
            tell(1)
            tell(2)
            return "made"

        def is_refused(tell):
            tell(1)
            raise ImpossibleInput(Problem("samples", "are too few"))

        self.assertEqual(list(told_while(goes_well)), [("told", 1), ("told", 2), ("done", "made")])
        self.assertEqual(list(told_while(is_refused)), [("told", 1), ("failed", "samples are too few")])
        with self.assertLogs("desk.kit.long_work", "ERROR"):
            (end,) = told_while(lambda tell: 1 / 0)
        self.assertEqual(end[0], "failed")
        self.assertIn("the log of the server", end[1])
