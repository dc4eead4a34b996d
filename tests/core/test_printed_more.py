"""Figures that follow from others of the same answer: limits and covers, charges and sums, what a case comes to."""

import math

from django.test import SimpleTestCase, tag

from tests.core.printed import AsPrinted, water_a_tonne

BEFORE = {  # a move begins at what is set: the well it is read from
    "bleach.kappa_move": "clo2_kg",
    "bleach.weak_move": "flow_m3_h",
    "bleach.brightness_move": "clo2_kg",
    "bleach.residual_move": "clo2_kg",
    "bleach.ph_move": "kg_adt",
    "bleach.dithionite_move": "kg_odt",
    "clean.drop_move": "cones_open",
    "clean.dirt_move": "rv_pct",
    "clean.loss_move": "rv_pct",
    "clean.plug_move": "feed_pct",
    "clean.rope_move": "feed_pct",
    "cook.drift": "temp_c",
    "cook.rate_temperature": "temp_c",
    "cook.bagasse_kappa": "ea_pct_naoh",
    "cook.browning": "top_c",
    "cook.hanging": "rate_t_h",
    "chips.wet_feed": "feed_t_h",
    "blend.broke_move": "share_pct",
    "blend.shade_move": "now",
    "blend.ph_move": "now",
    "blend.retention_move": "now",
    "blend.ash_move": "filler",
    "blend.sizing_move": "dose_kg_t",
    "blend.strength_move": "long_pct",
    "deliver.swing_move": "cons_sd_pct",
    "deliver.cover_move": "out_t_h",
    "deliver.warmth_move": "temp_c",
    "deliver.seen_move": "out_t_h",
    "mechanical.load": "sec_kwh_t",
    "mechanical.swing": "water_t_h",
    "mechanical.gap_alarm": "feed_t_h",
    "mechanical.blow_back": "rate_t_h",
    "mechanical.shives": "reject_pct",
    "pulper.flakes_move": "minutes",
    "pulper.thick_move": "water_m3",
    "pulper.rope_stop": "feed_t_h",
    "recovered.gain_move": "water_pct",
    "recovered.ash_move": "water_pct",
    "recovered.sticky_move": "temp_c",
    "recovered.loop_move": "ph",
    "refine.freeness_move": "gross_kw",
    "refine.worn_move": "no_load_kw",
    "refine.feed_move": "gross_kw",
    "refine.hunt_move": "ti_s",
    "stock.falls_move": "in_t_h",
    "stock.rises_move": "in_t_h",
    "stock.layers_move": "kw",
    "stock.bottom_move": "water_l_min",
    "wash.water_move": "shower_m3_adt",
    "wash.carry_over": "active_kg",
    "oxygen.move": "naoh_kg",
}


def low_of(c) -> float:
    return c.capacity * c.low_pct / 100


def first_of(r) -> float:
    return min(r.to_low_h, r.to_high_h)


@tag("core")
class Begins(AsPrinted, SimpleTestCase):
    printed = {name: {"before": lambda c, r, well=well: getattr(c, well)} for name, well in BEFORE.items()}


@tag("core")
class Follows(AsPrinted, SimpleTestCase):
    printed = {
        "heat.pulp": {
            "q_mj_t": lambda c, r: max(
                0.0, (1.40 + 4.18 * water_a_tonne(c.cons_pct)) * (c.to_c - c.from_c) + c.loss_mj - c.reaction_mj
            ),
        },
        "stock.cover": {"act_by_h": lambda c, r: max(0.0, first_of(r) - c.lead_h)},
        "stock.cover_stop": {
            "content": lambda c, r: c.capacity * c.level_pct / 100,
            "net": lambda c, r: c.rate_in - c.rate_out,
            "act_by_h": lambda c, r: max(0.0, first_of(r) - c.lead_h),
            "stop_ridden_h": lambda c, r: max(0.0, r.content - low_of(c)) / c.rate_out,
            "turnover_h": lambda c, r: r.content / c.rate_out,
        },
        "stock.cover_plan": {"act_by_h": lambda c, r: max(0.0, first_of(r) - c.lead_h)},
        "wash.norden": {
            "dr": lambda c, r: (c.x0 - c.x1) / (c.x0 - c.y2),
        },
        "oxygen.delignify": {
            "selectivity": lambda c, r: r.viscosity_change / (c.kappa_in - r.kappa) if r.kappa < c.kappa_in else 0.0
        },
        "bleach.metals": {"works_pct": lambda c, r: 100 / (1 + r.mn_out / 30)},
        "bleach.tower": {
            "holds_t": lambda c, r: c.plug * c.volume_m3 * c.level_pct / 100 * (1 - c.gas_pct / 100) * tonne_m3(c)
        },
        "cleaner.bank": {
            "shut_kpa": lambda c, r: r.kpa * (c.cones_open / (c.cones_open - 1)) ** 2 if c.cones_open > 1 else r.shut_kpa,
        },
        "screen.capacity": {"area_for_m2": lambda c, r: c.accept_t_h / (0.9 * r.capacity)},
        "clean.cascade": {
            "removed_pct": lambda c, r: 100 * (1 - r.dirt_out_ppm * r.on_t_h / (r.dirt_in_ppm * came(c))),
            "dirt_in_ppm": lambda c, r: 1e6 * (c.shv + c.snd + c.stk + c.pls) / came(c),
            "lost_kg_h": lambda c, r: 1000 * r.loss_pct / 100 * came(c),
        },
        "mechanical.harvest": {"driving_c": lambda c, r: boils(c.casing_bar_abs) - boils(c.clean_bar_abs)},
        "mechanical.blow_line": {"steam_c": lambda c, r: boils(c.casing_bar_abs)},
        "pulper.defiber": {"kwh_t": lambda c, r: r.e_f * math.log((c.f0_pct - c.rest_pct) / (c.to_pct - c.rest_pct))},
        "refine.strength": {"scatter": lambda c, r: math.exp(-sum(p.kwh_t for p in c.passes) / 500)},
        "stock.age": {"limit_h": lambda c, r: 8.0 if c.bleached != "stable" and c.temp_c > 50 else 24.0},
        "stock.rises_move": {
            "hours": lambda c, r: (
                min(1000.0, max(0.0, c.full_t * c.high_pct / 100 - c.content_t) / (c.in_t_h - c.out_t_h))
                if c.in_t_h > c.out_t_h
                else 1000.0
            ),
        },
        "yard.sorting": {
            "out_kg": lambda c, r: (
                c.kg * c.unwanted_pct / 100 * (1 - (1 - c.machine_pct / 100) * (1 - c.hand_pct / 100)) + r.good_kg
            ),
        },
        "blend.charge": {"left_kg_t": lambda c, r: r.kg_t * (1 - r.neutral_pct / 100)},
        "chips.wet_wash": {
            "pith_left_pct": lambda c, r: 100 * c.od_t_h * c.pith_pct / 100 * (1 - c.out_pith_pct / 100) / r.od_out,
            "ash_left_pct": lambda c, r: 100 * c.od_t_h * c.ash_pct / 100 * (1 - c.out_ash_pct / 100) / r.od_out,
        },
        "cook.design": {
            "screened_pct": lambda c, r: r.yield_pct - r.rejects_pct,
            "pulp_t": lambda c, r: c.wood_t * r.screened_pct / 100,
            "white_m3": lambda c, r: 10 * c.wood_t * c.ea_pct_naoh / c.ea_g_l,
            "chip_water_m3": lambda c, r: c.wood_t * c.moisture_pct / (100 - c.moisture_pct),
            "black_m3": lambda c, r: c.wood_t * c.lw_m3_t - r.white_m3 - r.chip_water_m3 - r.condensate_m3,
        },
        "deliver.lot_bound": {
            "spare": lambda c, r: min(r.lower - c.low, c.high - r.upper),
        },
        "recovered.line": {"sludge_kg": lambda c, r: 1000 * (100 / r.yield_pct - 1)},
        "recovered.water": {
            "carried_kg_t": lambda c, r: r.second_mg_l / 1000 * water_a_tonne(c.made_pct),
            "effluent_kg_t": lambda c, r: r.first_mg_l / 1000 * r.effluent_m3_t,
        },
        "accounts.day": {"factor": lambda c, r: r.wood_t / c.wood_t},
        "schedule.orders": {"cost": lambda c, r: r.washout_h + c.late_price * r.late_h},
        "schedule.silo": {"cost": lambda c, r: 1000 * r.short_t + r.moves + 0.01 * r.away},
        "lab.viscosity": {
            "dp": lambda c, r: r.ml_g / 0.42 if r.ml_g <= 399 else (r.ml_g / 2.28) ** (1 / 0.76),
        },
    }


def came(c) -> float:
    return c.lf + c.sf + c.fn + c.fl + c.shv + c.snd + c.stk + c.pls + c.ink


def brought(c) -> float:
    """What came in over the stretches: what the level rose by and what was drawn; a level that fell faster was drawn so."""
    content, told = c.capacity * c.level_pct / 100, 0.0
    for step in c.steps:
        then = c.capacity * step.level_pct / 100
        told += then - content + max(step.rate_out * step.hours, content - then)
        content = then
    return told


def tonne_m3(c) -> float:
    """Fibre in a cubic metre of stock, t: fibre of 1.52 in water."""
    x = c.cons_pct / 100
    return x / (x / 1.52 + 1 - x)


def boils(bar_abs: float) -> float:
    """Steam's temperature by Antoine's equation, in the two ranges that tables give."""
    mmhg = bar_abs * 750.062
    return 1730.63 / (8.07131 - math.log10(mmhg)) - 233.426 if mmhg < 760 else 1810.94 / (8.14019 - math.log10(mmhg)) - 244.485
