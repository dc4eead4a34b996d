"""What the other tables leave: doses of heat, dilution, moves and what is expected of them; slopes by their own models."""

import math
import random
from dataclasses import replace

from django.test import SimpleTestCase, tag
from scipy.integrate import quad

import core.catalogue  # noqa: F401
from core.errors import ImpossibleInput
from core.register import find
from tests.core.printed import AsPrinted, clip, water_a_tonne
from tests.core.test_random_inputs import drawn

KELVIN = 273.15


def vroom(temp_c: float) -> float:
    """The rate of delignification, relative to that at 100 °C."""
    return math.exp(43.20 - 16115 / (temp_c + KELVIN))


def dose(from_c: float, to_c: float, minutes: float) -> float:
    """H on the way from one temperature to another, evenly."""
    return quad(lambda s: vroom(from_c + (to_c - from_c) * s), 0, 1, epsabs=0, epsrel=1e-10)[0] * minutes / 60


def inside(c) -> bool:
    return c.low_pct <= c.cons_pct <= c.high_pct


def mixed(flow: float, cons: float, water: float, water_cons: float) -> float:
    return (flow * cons + water * water_cons) / (flow + water)


@tag("core")
class Left(AsPrinted, SimpleTestCase):
    printed = {
        "cook.h_factor": {
            "rate": lambda c, r: vroom(c.cook_c),
            "ramp_h": lambda c, r: dose(c.start_c, c.cook_c, c.rise_min),
            "h": lambda c, r: dose(c.start_c, c.cook_c, c.rise_min) + vroom(c.cook_c) * c.hold_min / 60,
            "degree_pct": lambda c, r: 100 * 16115 / (c.cook_c + KELVIN) ** 2,
        },
        "cook.minutes_left": {
            "h_cool": lambda c, r: dose(c.hold_c, c.cool_to_c, c.cool_min),
            "minutes": lambda c, r: (c.h_target - c.h_so_far - r.h_cool) * 60 / vroom(c.hold_c),
        },
        "wash.norden": {
            "gap_pct": lambda c, r: (
                100
                * (
                    water_a_tonne(c.feed_pct) * c.x0
                    + (water_a_tonne(c.out_pct) + c.df) * c.y2
                    - water_a_tonne(c.out_pct) * c.x1
                    - (water_a_tonne(c.feed_pct) + c.df) * c.y1
                )
                / (water_a_tonne(c.feed_pct) * c.x0)
            ),
            "dr": lambda c, r: (c.x0 - c.x1) / (c.x0 - c.y2),
        },
        "wash.shower": {"shower_m3_h": lambda c, r: (water_a_tonne(c.out_pct) + r.df) * c.od_t_h},
        "wash.oxalate": {"drop_kg_d": lambda c, r: r.drop_mg_l * c.flow_m3_h * 24 / 1000},
        "wash.barite": {"drop_kg_d": lambda c, r: r.drop_mg_l * c.flow_m3_h * 24 / 1000},
        "deliver.variability": {
            "cons_allowed_pct": lambda c, r: math.sqrt(
                max(0, c.wanted_pct**2 - c.flow_pct**2 - c.speed_pct**2 - c.retention_pct**2)
            ),
        },
        "stock.dilute": {
            "fibre_out_t_h": lambda c, r: r.fibre_in_t_h + r.water_l_min * c.water_density_kg_l * 0.06 * c.water_cons_pct / 100,
            "flow_out_l_min": lambda c, r: c.flow_l_min + r.water_l_min,
        },
        "stock.dilute_outflow": {
            "flow_out_l_min": lambda c, r: r.stock_l_min + r.water_l_min,
            "cons_in_pct": lambda c, r: c.cons_pct,
            "cons_out_pct": lambda c, r: mixed(r.stock_l_min, c.cons_pct, r.water_l_min, c.water_cons_pct),
            "water_part_pct": lambda c, r: 100 * r.water_l_min / c.flow_out_l_min,
        },
        "stock.dilute_result": {
            "cons_in_pct": lambda c, r: c.cons_pct,
            "stock_l_min": lambda c, r: c.flow_l_min,
            "water_l_min": lambda c, r: c.water_l_min,
            "cons_out_pct": lambda c, r: mixed(c.flow_l_min, c.cons_pct, c.water_l_min, c.water_cons_pct),
        },
        "stock.dilution_inlet": {
            "water_l_min": lambda c, r: c.water_l_min,
            "stock_l_min": lambda c, r: c.flow_l_min,
            "flow_out_l_min": lambda c, r: c.flow_l_min + c.water_l_min,
            "cons_out_pct": lambda c, r: c.cons_out_pct,
            "cons_in_pct": lambda c, r: c.cons_out_pct + (c.cons_out_pct - c.water_cons_pct) * c.water_l_min / c.flow_l_min,
        },
        "stock.agitation": {
            "need_kw": lambda c, r: 0.20 * (c.cons_pct / 3.5) ** 2 * c.volume_m3 * (1.0 if c.pulp == "softwood" else 0.7),
        },
        "chart.groups": {"range_low": lambda c, r: 0.0},  # D3 of two to six
        "cook.rate_temperature": {
            "after": lambda c, r: (
                c.temp_c + clip(math.log(c.new_t_h / c.rate_t_h) * (c.temp_c + KELVIN) ** 2 / 16115, -3.0, 3.0)
            ),
        },
        "cook.gap_hold": {
            "gap_c": lambda c, r: abs(c.top_c - c.bottom_c),
            "h_rate": lambda c, r: vroom(min(c.top_c, c.bottom_c)),
            "h_lead": lambda c, r: vroom(max(c.top_c, c.bottom_c)) / vroom(min(c.top_c, c.bottom_c)),
            "expected": lambda c, r: r.gap_c * math.exp(-c.flow_m3_h * r.after / 60 / c.liquor_m3),
        },
        "clean.plug_move": {"expected": lambda c, r: 1.3 * c.clean_kpa},
        "mechanical.swing": {
            "wanted": lambda c, r: 0.0 if inside(c) else c.rate_t_h * (200 / (c.low_pct + c.high_pct) - 100 / c.cons_pct),
            "expected": lambda c, r: 100 * c.rate_t_h / (100 * c.rate_t_h / c.cons_pct + r.after - c.water_t_h),
        },
        "mechanical.shives": {
            "after": lambda c, r: c.reject_pct + (min(3.0, max(0.0, 45.0 - c.reject_pct)) if r.stands else 0.0),
            "kwh_t": lambda c, r: c.reject_kwh_t * (1.10 if r.stands else 1.0),
            "load_more_pct": lambda c, r: 100 * (r.after * r.kwh_t / (c.reject_pct * c.reject_kwh_t) - 1),
        },
        "deliver.break": {
            "comes_t": lambda c, r: c.web_t_h * c.minutes / 60,
        },
        "lab.next_sample": {
            "every_min": lambda c, r: c.interval_min * {"as planned": 1.0, "halved": 0.5, "doubled": 2.0}[str(c.pace)],
        },
        "refine.hunt_move": {
            "from_cons_pct": lambda c, r: min(100, 100 * (c.cons_pct / c.load_pct) ** 2),
        },
        "bleach.dithionite": {"gain": lambda c, r: r.iso_out - c.iso_pct},
        "recovered.thicken": {
            "water_pct": lambda c, r: 100 * (1 - water_a_tonne(c.to_pct) / water_a_tonne(c.feed_pct)),
        },
        "stock.layers_move": {
            "apart_pct": lambda c, r: 200 * abs(c.top_pct - c.bottom_pct) / (c.top_pct + c.bottom_pct),
            "after": lambda c, r: (
                max(c.kw, 0.20 * ((c.top_pct + c.bottom_pct) / 7) ** 2 * c.volume_m3 * (1.0 if c.pulp == "softwood" else 0.7))
                if r.stands
                else c.kw
            ),
        },
        "blend.broke_move": {
            "holds_pct": lambda c, r: 100 * c.in_t_h / c.draw_t_h,
            "expected": lambda c, r: c.in_t_h - r.after / 100 * c.draw_t_h,
            "stored_t_h": lambda c, r: max(0, c.in_t_h - r.after / 100 * c.draw_t_h),
        },
        "colour.of_kappa": {"ks": lambda c, r: 0.030 * c.kappa / (1 + (3.5 / c.kappa) ** 1.36)},
    }


@tag("core")
class Slopes(SimpleTestCase):
    """A figure that is called a slope is what the model itself gives for a little more and a little less."""

    SLOPES = {  # model: the slope, of which figure, by which input
        "mechanical.freeness": ("ml_a_kwh", "csf_ml", "sec_kwh_t"),
    }
    A_KG = {  # model: what one kg more gives, of which figure, by which input, told by a step of so much
        "bleach.dithionite": ("a_kg", "iso_out", "kg_odt", 1.0),
        "bleach.brighten": ("a_kg", "iso_out", "charge_kg", 0.5),
    }

    def slope_of(self, model, case, figure: str, by: str) -> float:
        at = getattr(case, by)
        step = 1e-4 * max(1.0, at)
        more, less = (getattr(model.function(replace(case, **{by: at + s})), figure) for s in (step, -step))
        return (more - less) / (2 * step)

    def test_it_is_the_change_for_a_little_more(self):
        for name, (slope, figure, by) in self.SLOPES.items():
            model, chance = find(name), random.Random(name)
            for _ in range(12):
                case = drawn(model, chance)
                told = getattr(model.function(case), slope)
                with self.subTest(model=name, case=case):
                    self.assertAlmostEqual(told, self.slope_of(model, case, figure, by), delta=2e-3 * abs(told) + 1e-4)

    def test_what_a_kg_more_gives_is_told_by_giving_it(self):
        for name, (told, figure, by, step) in self.A_KG.items():
            model, chance, answered = find(name), random.Random(name), 0
            while answered < 12:
                case = drawn(model, chance)
                try:
                    found = model.function(case)
                    more = model.function(replace(case, **{by: getattr(case, by) + step}))
                except ImpossibleInput:
                    continue
                answered += 1
                with self.subTest(model=name, case=case):
                    gives = (getattr(more, figure) - getattr(found, figure)) / step
                    self.assertAlmostEqual(getattr(found, told), gives, places=9)

    def test_a_kappa_less_takes_the_h_that_the_formula_says(self):
        model = find("cook.empirical")
        for kind in ("softwood", "hardwood"):
            for h, ea in ((400, 16), (900, 18), (1800, 19.5)):
                case = model.case_class(kind=kind, h=h, ea_pct_naoh=ea)
                falls = -self.slope_of(model, case, "kappa", "h")
                with self.subTest(case=case):
                    self.assertAlmostEqual(model.function(case).h_a_kappa * falls, 1.0, delta=1e-3)

    def test_what_is_worked_for_a_kappa_comes_to_it(self):
        """Solved backwards and put in forwards."""
        for wood in ("spruce", "hemlock", "aspen"):
            energy = find("mechanical.energy")
            for csf in (80.0, 150.0, 300.0):
                case = energy.case_class(wood=wood, csf_ml=csf, rpm=1800, rate_t_h=12, split_pct=55)
                found = energy.function(case)
                forwards = find("mechanical.freeness")
                back = forwards.function(
                    forwards.case_class(wood=wood, sec_kwh_t=found.sec_kwh_t, rpm=1800, rate_t_h=12, e0_factor=1, csf0_factor=1)
                )
                between = forwards.function(
                    forwards.case_class(
                        wood=wood, sec_kwh_t=0.55 * found.sec_kwh_t, rpm=1800, rate_t_h=12, e0_factor=1, csf0_factor=1
                    )
                )
                with self.subTest(wood=wood, csf=csf):
                    self.assertAlmostEqual(back.csf_ml, csf, places=6)
                    self.assertAlmostEqual(between.csf_ml, found.between_ml, places=6)
                    self.assertAlmostEqual(found.first_mw + found.second_mw, back.load_mw, places=9)
                    self.assertAlmostEqual(found.first_mw, 0.55 * back.load_mw, places=9)
