"""Chips, cooking, washing, bleaching, recovery and the accounts: figures as their equations are printed."""

import math

from django.test import SimpleTestCase, tag

from tests.core.printed import AsPrinted, clip, iso_of, k_over_s, water_a_tonne

KELVIN = 273.15


def vroom(temp_c: float) -> float:
    return math.exp(43.20 - 16115 / (temp_c + KELVIN))


def knotter(c) -> float:
    """What goes round again, a share of the feed."""
    return c.rejects / 100 * c.capture * c.returned


def liquid(r) -> float:
    """All that is poured in; a make-up under nothing says over-wet."""
    return r.white_m3 + r.chip_water_m3 + r.condensate_m3 + max(0.0, r.black_m3)


@tag("core")
class Wood(AsPrinted, SimpleTestCase):
    printed = {
        "chips.moisture": {
            "solids_pct": lambda c, r: 100 - r.wet_pct,
            "dry_pct": lambda c, r: 100 * r.wet_pct / (100 - r.wet_pct),
            "full_pct": lambda c, r: 100 * (1000 / c.rho_b - 1 / 1.53),
            "green_kg_m3": lambda c, r: c.rho_b * (1 + r.dry_pct / 100),
        },
        "chips.demand": {
            "od_t": lambda c, r: 0.9 * c.adt_h / (c.screened_pct / 100) / (1 - c.loss_pct / 100),
            "supplied_t": lambda c, r: r.od_t / ((1 - c.bark_pct / 100) * (1 - c.fines_pct / 100)),
            "green_t": lambda c, r: r.supplied_t / (1 - c.moisture_pct / 100),
            "solid_m3": lambda c, r: 1000 * r.supplied_t / c.rho_b,
            "loose_m3": lambda c, r: r.solid_m3 / c.phi,
        },
        "chips.feed": {
            "bulk_od": lambda c, r: c.rho_b * c.phi,
            "wet_t_h": lambda c, r: r.od_t_h / (1 - c.moisture_pct / 100),
            "loose_m3_h": lambda c, r: 1000 * r.od_t_h / r.bulk_od,
        },
        "chips.pile": {
            "height_m": lambda c, r: c.base_m / 2 * math.tan(math.radians(c.repose_deg)),
            "volume_m3": lambda c, r: math.pi * (c.base_m / 2) ** 3 * math.tan(math.radians(c.repose_deg)) / 3,
            "od_t": lambda c, r: r.volume_m3 * c.bulk_od / 1000,
            "days": lambda c, r: r.od_t / (24 * c.draw_t_h),
        },
        "chips.classes": {
            "scale": lambda c, r: 100 / (c.oversize_pct + c.over_thick_pct + c.accept_pct + c.pin_pct + c.fines_pct),
            "yield_factor": lambda c, r: (
                r.scale
                * (0.96 * c.oversize_pct + 0.985 * c.over_thick_pct + c.accept_pct + 0.97 * c.pin_pct + 0.80 * c.fines_pct)
                / 100
            ),
            "ea_plus": lambda c, r: 0.3 * c.bark_pct,
            "over_thick_state": lambda c, r: 100 * c.over_thick_pct / 12,
        },
        "chips.trap": {
            "hours": lambda c, r: c.capacity_kg / (c.wet_t_h * 1000 * c.ppm * 1e-6 * c.capture),
            "kg_day": lambda c, r: 24 * c.wet_t_h * 1000 * c.ppm * 1e-6 * c.capture,
        },
        "chips.order": {
            "od_t": lambda c, r: (
                c.pulp_t / (c.screened_pct / 100 * (1 - c.loss_pct / 100) * (1 - c.bark_pct / 100) * (1 - c.fines_pct / 100))
            ),
            "green_t": lambda c, r: r.od_t / (1 - c.moisture_pct / 100),
            "loose_m3": lambda c, r: 1000 * r.od_t / (c.rho_b * 0.37),
            "hours": lambda c, r: r.od_t / c.feed_t_h,
            "lacks_t": lambda c, r: max(0.0, r.od_t - c.yard_t),
        },
        "chips.weather": {
            "skin_t": lambda c, r: min(c.od_t, c.area_m2 * c.skin_m * c.bulk_od / 1000),
            "feed_more_pct": lambda c, r: 100 * ((100 - c.moisture_pct) / (100 - r.skin_pct) - 1),
        },
        "chips.reconcile": {
            "made_t": lambda c, r: c.out_t + c.rise_t,
            "factor": lambda c, r: r.implied_t_h / c.wood_t_h,
            "off_pct": lambda c, r: 100 * (c.wood_t_h / r.implied_t_h - 1),
        },
        "chips.bagasse": {
            "od_t": lambda c, r: (
                0.9 / (c.cook_pct / 100 * (1 - c.shrink_pct / 100) * c.depith_pct / 100 * (1 - c.storage_pct / 100))
            ),
            "wet_t": lambda c, r: r.od_t / (1 - c.moisture_pct / 100),
        },
        "chips.depith": {
            "od_removed": lambda c, r: c.od_t_h - r.od_out,
            "yield_pct": lambda c, r: 100 * r.od_out / c.od_t_h,
            "pith_left_pct": lambda c, r: 100 * c.od_t_h * c.pith_pct / 100 * (1 - c.out_pith_pct / 100) / r.od_out,
            "ash_left_pct": lambda c, r: 100 * c.od_t_h * c.ash_pct / 100 * (1 - c.out_ash_pct / 100) / r.od_out,
            "fibre_to_pith": lambda c, r: r.fibre_pct / r.pith_left_pct,
            "ea_plus": lambda c, r: 0.03 * max(0.0, r.pith_left_pct - 10),
        },
        "chips.wet_wash": {
            "yield_pct": lambda c, r: 100 * r.od_out / c.od_t_h,
            "lost_t_h": lambda c, r: c.od_t_h - r.od_out,
            "water_m3_h": lambda c, r: c.od_t_h * water_a_tonne(c.feed_pct),
            "pressed_m3_h": lambda c, r: r.water_m3_h - r.od_out * water_a_tonne(c.out_pct),
            "moisture_pct": lambda c, r: 100 - c.out_pct,
            "ash_kg_h": lambda c, r: 1000 * c.od_t_h * c.ash_pct / 100 * c.out_ash_pct / 100,
            "ea_plus": lambda c, r: 0.03 * max(0.0, r.pith_left_pct - 10),
        },
        "chips.wet_feed": {
            "water_before": lambda c, r: c.set_pct / (100 - c.set_pct),
            "water_after": lambda c, r: c.moisture_pct / (100 - c.moisture_pct),
        },
    }


@tag("core")
class Cooking(AsPrinted, SimpleTestCase):
    printed = {
        "cook.h_factor": {
            "rate": lambda c, r: vroom(c.cook_c),
            "degree_pct": lambda c, r: 100 * 16115 / (c.cook_c + KELVIN) ** 2,
        },
        "cook.minutes_left": {
            "minutes": lambda c, r: 60 * (c.h_target - c.h_so_far - r.h_cool) / vroom(c.hold_c),
        },
        "cook.alkaline": {"screened_pct": lambda c, r: r.yield_pct - r.rejects},
        "cook.batch": {
            "wood_t": lambda c, r: c.volume_m3 * c.packing_t_m3,
            "adt_cook": lambda c, r: r.wood_t * c.screened_pct / 100 / 0.9,
            "adt_day": lambda c, r: c.digesters * r.adt_cook * 1440 / c.cycle_min,
            "apart_min": lambda c, r: c.cycle_min / c.digesters,
        },
        "cook.quench": {"rate_left_pct": lambda c, r: 100 * vroom(r.mixed_c) / vroom(c.hot_c)},
        "cook.steam": {
            "q_mj_t": lambda c, r: (1.40 + 4.18 * c.u_pct / 100 + 3.90 * c.liquor_t_t) * c.rise_c + c.loss_mj_t,
        },
        "cook.blow": {
            "feed_pct": lambda c, r: 100 / (1 + r.liquor_t),
            "liquor_t": lambda c, r: (c.lw_m3_t + 1 - c.yield_pct / 100) / (c.yield_pct / 100),
            "organics_kg": lambda c, r: 1000 * (1 - c.yield_pct / 100) / (c.yield_pct / 100),
            "free_ea_kg": lambda c, r: c.residual_g_l * c.lw_m3_t / (c.yield_pct / 100),
            "cod_kg": lambda c, r: 1.30 * r.organics_kg,
            "x0": lambda c, r: r.solids_kg / r.liquor_t,
            "na2so4_share": lambda c, r: 3.0892 * r.na_kg / r.solids_kg,
            "cod_share": lambda c, r: r.cod_kg / r.solids_kg,
        },
        "cook.relief": {"over_bar": lambda c, r: c.bar_gauge - r.saturated_bar},
        "cook.divert": {
            "low": lambda c, r: c.target * (1 - c.share_pct / 100),
            "high": lambda c, r: c.target * (1 + c.share_pct / 100),
        },
        "cook.zone": {
            "minutes": lambda c, r: 60 * c.volume_m3 * c.packing_t_m3 / c.wood_t_h,
            "h": lambda c, r: vroom(c.temp_c) * r.minutes / 60,
            "new_minutes": lambda c, r: 60 * c.volume_m3 * c.packing_t_m3 / c.new_t_h,
            "new_c": lambda c, r: 16115 / (43.20 - math.log(60 * r.h / r.new_minutes)) - KELVIN,
        },
        "cook.abc": {
            "ea_g_l": lambda c, r: c.a_ml * c.normality * 39.997 / c.v_ml,
            "aa_g_l": lambda c, r: c.b_ml * c.normality * 39.997 / c.v_ml,
            "tta_g_l": lambda c, r: c.c_ml * c.normality * 39.997 / c.v_ml,
            "naoh_g_l": lambda c, r: 2 * r.ea_g_l - r.aa_g_l,
            "na2s_g_l": lambda c, r: 2 * (r.aa_g_l - r.ea_g_l),
            "na2co3_g_l": lambda c, r: r.tta_g_l - r.aa_g_l,
            "sulphidity_pct": lambda c, r: 100 * r.na2s_g_l / r.aa_g_l,
            "sulphidity_tta_pct": lambda c, r: 100 * r.na2s_g_l / r.tta_g_l,
            "causticizing_pct": lambda c, r: 100 * r.naoh_g_l / (r.naoh_g_l + r.na2co3_g_l),
            "activity_pct": lambda c, r: 100 * r.aa_g_l / r.tta_g_l,
        },
        "cook.liquor_plan": {
            "white_m3": lambda c, r: c.wood_t * 10 * c.ea_pct_naoh / c.ea_g_l,
            "chip_water_m3": lambda c, r: c.wood_t * c.moisture_pct / (100 - c.moisture_pct),
            "condensate_m3": lambda c, r: c.wood_t * c.condensate_t_t,
            "black_m3": lambda c, r: c.lw_m3_t * c.wood_t - r.white_m3 - r.chip_water_m3 - r.condensate_m3,
            "real_lw_m3_t": lambda c, r: liquid(r) / c.wood_t,
            "start_g_l": lambda c, r: (r.white_m3 * c.ea_g_l + max(0.0, r.black_m3) * c.black_ea_g_l) / liquid(r),
        },
        "cook.effective_alkali": {"ea_pct_naoh": lambda c, r: c.aa_pct * (1 - c.sulphidity_pct / 200)},
        "cook.knots": {
            "feed_t_h": lambda c, r: c.wood_t_h / (1 - knotter(c)),
            "back_t_h": lambda c, r: r.feed_t_h - c.wood_t_h,
            "pulp_t_h": lambda c, r: r.feed_t_h * c.screened_pct / 100,
            "net_yield_pct": lambda c, r: c.screened_pct / (1 - knotter(c)),
            "used_pct": lambda c, r: 100 * knotter(c),
            "purge_t_h": lambda c, r: r.feed_t_h * c.rejects / 100 * c.capture * (1 - c.returned),
            "screens_t_h": lambda c, r: r.feed_t_h * c.rejects / 100 * (1 - c.capture),
            "alkali_t_h": lambda c, r: c.ea_pct_naoh / 100 * (c.wood_t_h + 0.6 * r.back_t_h),
        },
        "cook.sulphite_acid": {
            "total_pct": lambda c, r: c.iodate_ml * c.iodate_n * 32.03 / (10 * c.v_ml),
            "free_pct": lambda c, r: c.naoh_ml * c.naoh_n * 32.03 / (10 * c.v_ml),
            "combined_pct": lambda c, r: r.total_pct - r.free_pct,
            "true_free_pct": lambda c, r: r.total_pct - 2 * r.combined_pct,
            "mgo_pct": lambda c, r: 0.6291 * r.combined_pct,
            "cao_pct": lambda c, r: 0.8753 * r.combined_pct,
            "na2o_pct": lambda c, r: 0.9675 * r.combined_pct,
        },
        "cook.weak_liquor": {
            "before": lambda c, r: c.ea_kg / c.old_g_l,
            "after": lambda c, r: c.ea_kg / c.old_g_l * (1 + clip(c.old_g_l / c.ea_g_l - 1, -0.12, 0.12)),
            "makeup_m3": lambda c, r: max(0.0, c.makeup_m3 - r.after + r.before),
            "expected": lambda c, r: r.after * c.ea_g_l,
        },
        "cook.gap_hold": {"gap_c": lambda c, r: abs(c.top_c - c.bottom_c)},
    }


@tag("core")
class Washing(AsPrinted, SimpleTestCase):
    printed = {
        "wash.line": {
            "cod_kg_adt": lambda c, r: r.loss_kg_adt * c.cod_share,
            "evaporators_t_h": lambda c, r: r.to_evaporators * c.od_t_h,
            "steam_t_h": lambda c, r: c.df * c.od_t_h / c.economy,
        },
        "wash.stage": {
            "v1": lambda c, r: water_a_tonne(c.feed_pct) + c.df,
            "dr": lambda c, r: (c.x0 - r.x1) / (c.x0 - c.y2),
            "eff_pct": lambda c, r: 100 * (1 - water_a_tonne(c.out_pct) * r.x1 / (water_a_tonne(c.feed_pct) * c.x0)),
        },
        "wash.evaporate": {
            "water_t_h": lambda c, r: 0.9 * c.ddf * c.adt_d / 24,
            "steam_t_h": lambda c, r: r.water_t_h / c.economy,
            "salt_kg_adt": lambda c, r: 3.0892 * c.na_kg_adt,
        },
        "wash.filtrate_share": {
            "share": lambda c, r: clip((c.limit_kg_adt - r.loss_0) / (r.slope * c.filtrate_kg_t), 0, 1),
        },
        "wash.closure": {
            "factor": lambda c, r: 1 / (1 - c.recycled * (1 - c.leaves)),
            "reused_pct": lambda c, r: 100 * (c.use_m3 - c.fresh_m3) / c.use_m3,
        },
        "wash.effluent": {
            "effluent": lambda c, r: c.fresh + c.wood + c.chemicals - c.vented - c.product,
            "cod_kg": lambda c, r: r.effluent * c.cod_mg_l / 1000,
            "tss_kg": lambda c, r: r.effluent * c.tss_mg_l / 1000,
            "fibre_kg": lambda c, r: r.tss_kg * c.fibre_pct / 100,
            "loss_pct": lambda c, r: r.fibre_kg / 9,
        },
        "wash.air": {"e10_share": lambda c, r: 100 * math.exp(-0.04 * r.air_pct)},
        "wash.bound_soda": {"washable_kg_adt": lambda c, r: max(0.0, c.total_kg_adt - r.bound_kg_adt)},
        "wash.carry_over": {
            "before": lambda c, r: c.active_kg,
            "after": lambda c, r: c.active_kg + clip(0.4 * (c.cod_kg - c.limit_kg), 0, 5),
            "clo2_kg": lambda c, r: (r.after - r.before) / 2.628,
        },
        "oxygen.delignify": {"removed_pct": lambda c, r: 100 * (1 - r.kappa / c.kappa_in)},
    }


@tag("core")
class Bleaching(AsPrinted, SimpleTestCase):
    printed = {
        "bleach.least_factor": {
            "d0_kg": lambda c, r: 10 * r.factor * c.kappa / 2.628,
            "naoh_kg": lambda c, r: 0.45 * 10 * r.factor * c.kappa + 3,
            "cost": lambda c, r: c.clo2_price * (r.d0_kg + r.d1_kg) + c.naoh_price * r.naoh_kg,
        },
        "bleach.band": {
            "p_prior": lambda c, r: (c.q + math.sqrt(c.q**2 + 4 * c.q * c.r)) / 2,
            "share": lambda c, r: r.p_prior / (r.p_prior + c.r),
            "p_post": lambda c, r: r.p_prior * c.r / (r.p_prior + c.r),
            "half": lambda c, r: 1.96 * math.sqrt(r.p_post + c.q * c.since + c.meter_sd**2),
        },
        "bleach.forecast": {
            "sd": lambda c, r: math.sqrt(c.model_sd**2 + (c.by_kappa * c.kappa_sd) ** 2 + (c.by_charge * c.charge_sd) ** 2),
            "half": lambda c, r: 1.96 * r.sd,
        },
        "bleach.peroxide_mechanical": {
            "gain": lambda c, r: r.iso_out - c.iso_pct,
            "alkali_pct": lambda c, r: c.naoh_pct + 0.115 * c.silicate_pct,
            "best_pct": lambda c, r: 0.7 + 0.45 * c.peroxide_pct,
        },
        "bleach.dithionite": {"gain": lambda c, r: r.iso_out - c.iso_pct},
        "bleach.two_stage": {
            "p1": lambda c, r: c.first_kg + c.back * c.left_2 * r.p2,
            "p2": lambda c, r: (
                (c.second_kg + c.carried * c.left_1 * c.first_kg) / (1 - c.back * c.carried * c.left_1 * c.left_2)
            ),
            "used": lambda c, r: (1 - c.left_1) * r.p1 + (1 - c.left_2) * r.p2,
            "lost": lambda c, r: c.first_kg + c.second_kg - r.used,
        },
        "bleach.dioxide": {
            "available": lambda c, r: max(0.0, 2.628 * c.clo2_kg - 0.4 * c.cod_kg),
            "factor": lambda c, r: 2.628 * c.clo2_kg / 10 / c.kappa,
            "caustic_kg": lambda c, r: 0.45 * 2.628 * c.clo2_kg + 3,
        },
        "bleach.charge": {"charge_adt": lambda c, r: 0.9 * r.charge_kg},
        "bleach.kappa_factor": {
            "active_kg": lambda c, r: 10 * c.factor * c.kappa + 0.4 * c.cod_kg,
            "clo2_kg": lambda c, r: r.active_kg / 2.628,
            "clo2_adt": lambda c, r: 0.9 * r.clo2_kg,
            "l_min": lambda c, r: c.adt_d * r.clo2_adt * 1000 / (c.strength_g_l * 1440),
            "caustic_kg": lambda c, r: 0.45 * r.active_kg + 3,
        },
        "bleach.tower": {"minutes": lambda c, r: 60 * r.holds_t / c.od_t_h},
        "bleach.reversion": {
            "aged_pct": lambda c, r: iso_of(k_over_s(c.iso_pct) + c.post_colour / 100),
            "aox_adt": lambda c, r: 0.12 * (c.cl2_adt + c.active_cl_adt / 5),
        },
        "colour.of_kappa": {"iso_pct": lambda c, r: iso_of(r.ks)},
        "colour.mix": {
            "ks": lambda c, r: (
                (c.share_pct * c.s_a * k_over_s(c.iso_a) + (100 - c.share_pct) * c.s_b * k_over_s(c.iso_b))
                / (c.share_pct * c.s_a + (100 - c.share_pct) * c.s_b)
            ),
            "iso_pct": lambda c, r: iso_of(r.ks),
            "straight_pct": lambda c, r: (c.share_pct * c.iso_a + (100 - c.share_pct) * c.iso_b) / 100,
        },
        "bleach.tank": {
            "cover_h": lambda c, r: (c.now_m3 - c.least_m3) / c.use_m3_h,
            "order_in_h": lambda c, r: r.cover_h - c.lead_h - c.margin_h,
            "room_m3": lambda c, r: c.most_m3 - max(c.least_m3, c.now_m3 - c.use_m3_h * c.lead_h),
            "fits": lambda c, r: r.room_m3 - c.load_m3,
            "earliest_h": lambda c, r: max(0.0, (c.load_m3 - (c.most_m3 - c.now_m3)) / c.use_m3_h - c.lead_h),
        },
        "bleach.kept": {
            "strength_now": lambda c, r: c.strength * 2 ** (-c.hours / c.half_life_h),
            "more_pct": lambda c, r: 100 * (c.strength / r.strength_now - 1),
        },
        "bleach.reorder": {
            "safety_t": lambda c, r: 1.645 * math.sqrt(c.lead_d * c.sd_use**2 + c.use_d**2 * c.sd_lead**2),
            "point_t": lambda c, r: c.use_d * c.lead_d + r.safety_t,
        },
        "bleach.stored": {
            "now_pct": lambda c, r: iso_of(k_over_s(c.iso_pct) + c.plateau / 100 * (1 - math.exp(-c.days / c.tau_d))),
            "lost": lambda c, r: c.iso_pct - r.now_pct,
        },
        "bleach.kappa_move": {
            "factor": lambda c, r: r.after / 0.9 * 2.628 / 10 / c.kappa,
            "l_min": lambda c, r: r.after * c.adt_h * 1000 / (c.strength_g_l * 60),
        },
        "bleach.weak_move": {
            "after": lambda c, r: min(c.pump_m3_h, c.flow_m3_h * c.set_g_l / c.strength_g_l),
            "expected": lambda c, r: r.after * c.strength_g_l,
        },
        "bleach.residual_move": {"liquor": lambda c, r: 0.9 * water_a_tonne(c.cons_pct)},
    }


@tag("core")
class Recovery(AsPrinted, SimpleTestCase):
    printed = {
        "energy.pump": {"kw": lambda c, r: c.density * 9.80665 * c.flow_m3_h * c.head_m / (3.6e6 * c.efficiency)},
        "energy.turbine": {"kw": lambda c, r: c.steam_t_h * 1000 / 3600 * c.drop_kj_kg * c.efficiency},
        "energy.header": {"start_min": lambda c, r: 15 * r.start_slot},
        "energy.accumulator": {"minutes": lambda c, r: r.steam_t / c.short_t_h * 60},
        "recovery.solids": {
            "wood_t": lambda c, r: 0.9 / (c.yield_pct / 100),
            "solids_kg": lambda c, r: r.organics_kg + r.inorganics_kg,
            "to_recovery_kg": lambda c, r: r.solids_kg * c.washed,
        },
        "recovery.steam": {
            "heat_mj_kg": lambda c, r: (
                0.915 * c.hhv_mj_kg - 2.443 * (9 * 0.036 + (100 - c.solids_pct) / c.solids_pct) - 12.9 * 0.08 - 1.35 * 0.40
            ),
            "steam_kg_kg": lambda c, r: 1000 * r.heat_mj_kg / (c.steam_kj - c.feed_kj),
            "efficiency_pct": lambda c, r: 100 * r.heat_mj_kg / c.hhv_mj_kg,
        },
        "recovery.bark": {
            "net_mj_kg": lambda c, r: c.dry_mj * (1 - c.moisture_pct / 100) - 2.443 * c.moisture_pct / 100,
            "steam_t_h": lambda c, r: c.wet_t_h * 1000 * r.net_mj_kg * c.efficiency / c.steam_kj,
        },
        "recovery.lime": {
            "cao_kg": lambda c, r: c.liquor_m3 * (c.white_g_l - c.green_g_l) * 56.077 / 79.994,
            "lime_kg": lambda c, r: r.cao_kg / (c.available_pct / 100),
            "mud_kg": lambda c, r: 1.78479 * r.cao_kg,
            "most_ce_pct": lambda c, r: 98 - 0.065 * c.tta_g_l - 0.10 * max(0.0, c.sulphidity_pct - 20),
        },
        "recovery.make_up": {
            "saltcake_kg": lambda c, r: max(0.0, c.s_kg - c.s_in_kg) * 142.042 / 32.06,
            "naoh_kg": lambda c, r: max(0.0, c.na_kg - 0.32371 * r.saltcake_kg) / 0.57479,
            "recovered_pct": lambda c, r: 100 * (1 - c.na_kg / c.circulated_kg),
        },
        "recovery.carries": {
            "m3_adt": lambda c, r: 10 * 0.9 / (c.yield_pct / 100) * c.ea_pct / c.ea_g_l,
            "adt_h": lambda c, r: c.liquor_m3_h / r.m3_adt,
        },
    }


@tag("core")
class Accounts(AsPrinted, SimpleTestCase):
    printed = {
        "shift.keys": {
            "made_adt": lambda c, r: (c.delivered_t + c.rose_t) / 0.9,
            "yield_pct": lambda c, r: 100 * (c.delivered_t + c.rose_t) / c.raw_t,
            "chemicals": lambda c, r: c.chemicals_kg / r.made_adt,
            "energy": lambda c, r: (c.kwh + c.steam_t * c.steam_kwh_t) / r.made_adt,
            "water": lambda c, r: c.fresh_m3 / r.made_adt,
            "effluent": lambda c, r: c.effluent_m3 / r.made_adt,
            "fibre_loss_pct": lambda c, r: 100 * c.fibre_lost_t / (0.9 * r.made_adt),
            "uptime_pct": lambda c, r: 100 * (c.scheduled_h - c.down_h) / c.scheduled_h,
            "rate_loss_pct": lambda c, r: 100 * (1 - r.made_adt / (c.most_adt_h * (c.scheduled_h - c.down_h))),
            "in_band_pct": lambda c, r: 100 * c.in_band / c.valid,
            "off_pct": lambda c, r: 100 * c.off_adt / r.made_adt,
            "first_pass_pct": lambda c, r: 100 * c.passed_first / c.closed,
        },
        "accounts.titration": {
            "sd": lambda c, r: math.hypot(c.sd0, c.slope * c.ea_pct * c.off_pct / 100),
            "times": lambda c, r: r.sd / c.sd0,
        },
    }
