"""How figures, times, units and words are written and read: as a table, and back again."""

import math
import random
from datetime import UTC, datetime, timedelta
from itertools import product
from zoneinfo import ZoneInfo

from django.test import RequestFactory, SimpleTestCase, override_settings

from core.quantity import quantities
from core.register import models
from desk.kit import units
from desk.kit.sheet import safe
from desk.kit.templatetags import vat
from desk.kit.text import has_control, plain, whole
from desk.kit.units import CHOICES, Schools
from desk.kit.ways import own_path
from desk.kit.words import limits

T, M, N = vat.THIN, vat.MINUS, math.nan
EVERY_SCHOOL = [
    Schools(**dict(zip(CHOICES, picked, strict=True)), offset=1.7 if picked[-1] == "dir" else 0.0)
    for picked in product(*([name for name, _ in options] for _, options in CHOICES.values()))
]


class Figures(SimpleTestCase):
    def table(self, write, *rows) -> None:
        for *given, wanted in rows:
            with self.subTest(write=write.__name__, given=given):
                self.assertEqual(write(*given), wanted)

    def test_numbers(self):
        self.table(
            vat.figure,
            (None, 1, "none"),
            (N, 1, "none"),
            (math.inf, 1, "never"),
            (-math.inf, 1, f"{M}never"),
            (0.0, 0, "0"),
            (-0.0, 2, "0.00"),
            (0.5, 0, "1"),
            (1.5, 0, "2"),
            (2.5, 0, "3"),
            (-2.5, 0, f"{M}3"),
            (-0.004, 2, "0.00"),
            (-0.005, 2, f"{M}0.01"),
            (1.005, 2, "1.01"),
            (999.95, 1, f"1{T}000.0"),
            (1234567.891, 2, f"1{T}234{T}567.89"),
            (12, 3, "12.000"),
        )
        self.table(vat.signed, (1.25, 1, "+1.3"), (-1.25, 1, f"{M}1.3"), (0.0, 0, "+0"), (None, 1, "+none"))
        self.table(vat.tph, (2.994, "2.99"), (3.0, "3.0"), (-2.5, f"{M}2.50"), (16.44, "16.4"), (None, "none"))
        self.table(vat.pct, (0.1234, 1, "12.3"), (-0.5, 0, f"{M}50"))
        self.table(vat.of, (1.0, 8.0, "12.5"), (1.0, 0.0, "0.0"))
        self.table(vat.three, (1234.5, "1.23e+03"), (0.012345, "0.0123"), (-2.0, f"{M}2"))
        self.table(vat.delta, (0.5, "+0.5"), (-0.01234, f"{M}0.0123"))
        self.table(vat.sci, (4.2e-16, f"4e{M}16"), (3.0, "3e+00"))
        self.table(vat.within, (12.3456, 0.234, "12.35 ± 0.23"), (12.3, 23.4, "12 ± 23"), (1.0, 0.0, "1.00 ± 0.00"))
        self.table(vat.bare, ("pine", "pine"), (1.5, "1.5"), (-2.0, f"{M}2"), ([{"a": 1.0, "b": 2.5}, {"a": 3.0}], "1 2.5; 3"))
        self.table(vat.plainnum, ("pine", '"pine"'), (0.1, "0.1"))
        self.table(vat.plainround, (2.4, "2"), (2.6, "3"))
        self.table(vat.short, (1.23456789, "1.23457"), ("x" * 60, "x" * 40), (3, "3"))

    def test_a_change_is_the_difference_of_what_is_printed(self):
        self.table(
            vat.changed,
            (1.0, 1.0, 1, ""),
            (1.01, 1.04, 1, ""),
            (1.04, 1.06, 1, "+0.1"),
            (0.5, 1.5, 0, "+1"),
            (1.5, 0.5, 0, f"{M}1"),
            (2.5, 4.5, 0, "+2"),
            (None, 1.0, 1, ""),
            (1.0, None, 1, ""),
        )
        chance = random.Random(2)
        for _ in range(300):
            before, after = (round(chance.uniform(-20, 20), chance.choice((1, 2, 3))) for _ in range(2))
            told = vat.changed(before, after, 1)
            shown = [float(vat.figure(v, 1).replace(M, "-")) for v in (before, after)]
            with self.subTest(before=before, after=after):
                self.assertAlmostEqual(float(told.replace(M, "-") or 0), shown[1] - shown[0], places=9)

    def test_hours_and_minutes(self):
        self.table(
            vat.hm,
            (None, "never"),
            (math.inf, "never"),
            (N, "never"),
            (0.0, "0 min"),
            (0.991, "59 min"),
            (0.9999, "1 h 00"),
            (1.8334, "1 h 50"),
            (47.99, "47 h 59"),
            (48.0, "2 d 0 h"),
            (98.1, "4 d 2 h"),
        )
        self.table(vat.seconds_hm, (90, "2 min"), (7200, "2 h 00"))
        self.table(vat.minutes_hm, (0.5, "30 s"), (1.4, "84 s"), (5, "5 min"), (110, "1 h 50"), (0, "0 min"))
        self.table(vat.until, (None, "steady"), (math.inf, "steady"), (0.57, "34 min"), (1.8334, "1 h 50"), (60.0, "60 h 00"))
        self.assertEqual(vat.hmu(math.inf), "steady")
        self.assertEqual(vat.hmu(0.5), '30<span class="u">min</span>')
        self.assertEqual(vat.hmu(1.5), '1<span class="u">h</span> 30')

    @override_settings(TIME_ZONE="Asia/Tokyo")
    def test_times_are_the_mills_own(self):
        when = datetime(2026, 11, 14, 15, 5, 30, tzinfo=UTC).astimezone(ZoneInfo("America/New_York"))
        self.assertEqual(
            [vat.clock(when), vat.clocks(when), vat.day(when), vat.dayclock(when)],
            ["00:05", "00:05:30", "15 November 2026", "15 Nov 00:05"],
        )
        for write in (vat.clock, vat.clocks, vat.day, vat.dayclock):
            self.assertEqual(write(None), "none")
        self.assertEqual(vat.iso(when.isoformat()), when)
        self.assertEqual(vat.ms(when + timedelta(milliseconds=7)), round(1000 * when.timestamp()) + 7)
        self.assertEqual(vat.told("2026-11-14T15:05:30+00:00"), "15 Nov 00:05")
        self.assertEqual(vat.told("2026-99-14T15:05"), "2026-99-14T15:05")

    def test_words(self):
        self.table(
            vat.midline, ("Kappa", "kappa"), ("H-factor", "H-factor"), ("EA on wood", "EA on wood"), ("Soda loss", "soda loss")
        )
        self.table(vat.stop, ("by lead M.R.", "by lead M.R."), ("Kept", "Kept."), ("Why?", "Why?"), ("“so”", "“so”"))
        self.table(vat.upfirst, ("pH stands", "pH stands"), ("kappa", "Kappa"), ("", ""))
        self.table(vat.formula, ("ClO2", "ClO₂"), ("H2O2", "H₂O₂"), ("soda", "soda"))
        self.table(vat.spoken, ("retest_at", "retest at"), ("level_pct", "level, %"), ("solids_t_h", "solids, t/h"))
        self.table(
            vat.told,
            (None, "none"),
            ("", "none"),
            ([], "none"),
            (True, "yes"),
            (False, "no"),
            (1234567.0, "1.23457e+06"),
            (-1.5, f"{M}1.5"),
            ({"retest_at": 3, "ok": True}, "retest at 3, ok yes"),
            ([1, "two", None], "1; two; none"),
        )

    def test_a_band_in_words_also_where_the_readers_scale_runs_the_other_way(self):
        from core.judge.band import Band

        whole_, low, high = Band(low=3.54, high=3.66), Band(low=7, high=math.inf), Band(low=-math.inf, high=250)
        self.assertEqual([limits(b, 2) for b in (whole_, low, high)], ["3.54 to 3.66", "at least 7.00", "under 250.00"])
        turned = limits(Band(low=300, high=400), 0, "mL CSF", Schools(freeness="sr"))
        first, last = (float(x) for x in turned.split(" to "))
        self.assertLess(first, last)


class Measures(SimpleTestCase):
    def test_every_unit_of_every_school_is_read_back_as_it_was_shown(self):
        chance, told = random.Random(3), set()
        for schools in EVERY_SCHOOL:
            for unit in schools.ways:
                for _ in range(3):
                    value = chance.uniform(120, 600) if unit == "mL CSF" else chance.uniform(1, 60)
                    number, name, _ = units.shown(value, unit, schools)
                    told.add((unit, name))
                    with self.subTest(unit=unit, schools=schools):
                        self.assertNotEqual(name, unit)
                        self.assertAlmostEqual(units.typed(number, unit, schools), value, delta=1e-6 * value)
        self.assertGreater(len(told), 25)

    def test_what_is_exact_is_exact(self):
        us, air = Schools(system="us"), Schools(dryness="ad")
        for value, unit, schools, shown in (
            (100.0, "°C", us, 212.0),
            (-40.0, "°C", us, -40.0),
            (3.785411784, "L/min", us, 1.0),
            (0.90718474, "t", us, 1.0),
            (10.0, "kg/t", us, 20.0),
            (0.3048, "m", us, 1.0),
            (25.4, "mm", us, 1.0),
            (9.0, "t OD", air, 10.0),
            (50.0, "% wet", Schools(moisture="dry"), 100.0),
            (80.0, "g/L NaOH", Schools(alkali="na2o"), 61.98),
            (85.0, "% ISO", Schools(brightness="dir", offset=0.4), 85.4),
        ):
            with self.subTest(unit=unit):
                self.assertAlmostEqual(units.shown(value, unit, schools)[0], shown, delta=5e-3)
        both = units.shown(9.0, "t/h OD", Schools(system="us", dryness="ad"))
        self.assertEqual(both[1], "short t/h AD")
        self.assertAlmostEqual(both[0], 10.0 / 0.90718474, places=9)

    def test_what_a_scale_does_not_hold_stays_in_the_cores_unit(self):
        sr = Schools(freeness="sr")
        for value in (math.inf, N):
            self.assertEqual(units.shown(value, "mL CSF", sr)[1], "mL CSF")
        self.assertEqual(units.shown(None, "mL CSF", sr)[:2], (None, "°SR"))
        self.assertEqual(units.shown(5.0, "kappa", sr), (5.0, "kappa", 0))
        self.assertEqual(units.shown(5.0, "t", None), (5.0, "t", 0))
        self.assertEqual(units.shown(100.0, "% wet", Schools(moisture="dry"))[0], math.inf)

    def test_an_address_keeps_the_school_it_was_written_in(self):
        for schools in EVERY_SCHOOL:
            with self.subTest(schools=schools):
                self.assertEqual(units.from_key(units.key(schools), None), schools)
        reader = Schools(system="us")
        self.assertEqual(units.from_key("", reader), Schools())
        for broken in ("us", "us.sr.naoh.wet.od.iso", "us.sr.naoh.wet.od.iso.many", "x"):
            self.assertEqual(units.from_key(broken, reader), reader, broken)
        self.assertEqual(units.schools_from({"system": "no such", "alkali": "na2o"}, {"alkali": 7}), Schools(alkali="na2o"))

    def test_every_unit_that_is_turned_is_one_that_the_models_use(self):
        used = {q.unit for m in models() for q in (*quantities(m.case_class).values(), *quantities(m.result_class).values())}
        for schools in (Schools(system="us"), Schools(freeness="sr"), Schools(moisture="dry"), Schools(brightness="dir")):
            self.assertTrue(set(schools.ways) & used, schools)


class Typed(SimpleTestCase):
    def test_whole_numbers_in_plain_digits_alone(self):
        for text, number in (
            ("7", 7),
            (" 12 ", 12),
            ("0", 0),
            ("-1", None),
            ("1.0", None),
            ("²", None),
            ("١", None),
            ("", None),
        ):
            self.assertEqual(whole(text), number, text)
        self.assertIsNone(whole(7))
        self.assertIsNone(whole("9" * 19))
        self.assertEqual([whole("5", 6), whole("5", 1, 4), whole("5", 5, 5)], [None, None, 5])

    def test_words_lose_what_cannot_be_kept(self):
        self.assertEqual(plain("  so\x00\x07 it \ud800is\n"), "so it is")
        typed = ("a\r\nb\tc", "a\x00", "\ud800", "µ²κ “ü”")
        self.assertEqual([has_control(t) for t in typed], [False, True, True, False])

    def test_a_way_back_stays_on_this_desk(self):
        request = RequestFactory().get("/", headers={"host": "mill.example"})
        with override_settings(ALLOWED_HOSTS=["*"]):
            for wanted, ours in (
                ("/cook/?a=1", True),
                ("//evil.example/", False),
                ("https://evil.example/", False),
                ("/\\evil.example", False),
                ("javascript:alert(1)", False),
                ("cook/", False),
                ("/cook/\n", False),
                ("", False),
            ):
                self.assertEqual(own_path(request, wanted, "/home/"), wanted if ours else "/home/", wanted)

    def test_cells_that_a_spreadsheet_would_run_are_words(self):
        for cell, written in (
            ("=1+1", "'=1+1"),
            ("@a", "'@a"),
            ("-5.2", "-5.2"),
            ("+7", "+7"),
            ("-kappa", "'-kappa"),
            ("\tx", "'\tx"),
            ("kappa", "kappa"),
            (3.5, 3.5),
            (None, None),
        ):
            self.assertEqual(safe(cell), written, cell)
