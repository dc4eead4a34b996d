"""Cleaning, recovered paper, refining, stock, blending, delivery and the laboratory: figures as their equations are printed."""

import math

from django.test import SimpleTestCase, tag

from tests.core.printed import AsPrinted, clip, iso_of, k_over_s, water_a_tonne

ONE_SIDED = ("at most", "at least")


def counts(c) -> list[tuple[float, float]]:
    """Numbers of fibres with the length of their class, mm."""
    return [(getattr(c, f"n{i}"), getattr(c, f"l{i}")) for i in range(1, 7)]


def moment(c, power: int) -> float:
    return sum(n * mm**power for n, mm in counts(c))


def solids(c, r) -> float:
    """What a dilution stage is fed with, t/h: litres a minute at so many kilograms a litre."""
    return r.stock_l_min * r.cons_in_pct / 100 * 0.06


def capacity(c) -> float:
    """Of what meets at the headbox, MJ/h K: stock 4.17, water 4.18 kJ/kg K."""
    return 4.17 * c.thick_t_h + 4.18 * (c.white_t_h + c.fresh_t_h)


def nearer(c) -> float:
    """From the mean to the limit that is judged by, or to the nearer of two."""
    up, down = c.high - c.mean, c.mean - c.low
    return {"at most": up, "at least": down}.get(c.wanted, min(up, down))


@tag("core")
class Cleaning(AsPrinted, SimpleTestCase):
    printed = {
        "cleaner.bank": {
            "kpa": lambda c, r: c.at_kpa * (c.flow_l_min / (c.cones_open * c.cone_l_min)) ** 2,
            "needed": lambda c, r: math.ceil(c.flow_l_min / c.cone_l_min),
            "pump_kw": lambda c, r: c.flow_l_min / 60000 * r.kpa / 0.65,
        },
        "cleaner.partition": {
            "e": lambda c, r: c.rf + (1 - c.rf) * (1 - math.exp(-math.log(2) * (c.size_um / c.d50_um) ** c.power)),
        },
        "cleaner.thickening": {
            "rm": lambda c, r: c.thickening * c.rv,
            "reject_pct": lambda c, r: c.thickening * c.feed_pct,
            "accept_pct": lambda c, r: c.feed_pct * (1 - c.thickening * c.rv) / (1 - c.rv),
        },
        "cleaner.high": {
            "e": lambda c, r: 1 - math.exp(-math.log(2) * (c.size_um / r.d50_um) ** 1.5),
        },
        "screen.stage": {
            "e": lambda c, r: c.rv**c.p_dirt if c.flow == "plug" else c.rv / (c.rv + c.p_dirt * (1 - c.rv)),
            "rm": lambda c, r: c.rv**c.p_pulp if c.flow == "plug" else c.rv / (c.rv + c.p_pulp * (1 - c.rv)),
            "thickening": lambda c, r: r.rm / c.rv,
            "reject_pct": lambda c, r: c.feed_pct * r.rm / c.rv,
            "accept_pct": lambda c, r: c.feed_pct * (1 - r.rm) / (1 - c.rv),
            "exponent": lambda c, r: c.p_dirt / c.p_pulp,
        },
        "screen.quotient": {"e": lambda c, r: c.rm / (1 - c.q + c.q * c.rm)},
        "screen.rejects_for": {"rm": lambda c, r: c.e * (1 - c.q) / (1 - c.e * c.q)},
        "screen.samples": {
            "rm": lambda c, r: c.rv * c.reject_pct / c.feed_pct,
            "e": lambda c, r: r.rm * c.reject / c.feed,
            "q": lambda c, r: 1 - c.accept / c.reject,
            "q_by_e": lambda c, r: (r.e - r.rm) / (r.e * (1 - r.rm)),
            "gap_pct": lambda c, r: 100 * ((r.rm * c.reject + (1 - r.rm) * c.accept) / c.feed - 1),
            "p_dirt": lambda c, r: math.log(r.e) / math.log(c.rv),
        },
        "screen.length": {"p": lambda c, r: math.exp(-((c.length_mm / c.scale_mm) ** c.power))},
        "screen.velocity": {
            "velocity_m_s": lambda c, r: c.accept_l_min / 60000 / (c.open_pct / 100 * c.area_m2),
        },
        "screen.capacity": {
            "rm": lambda c, r: c.rv**c.p_pulp,
            "reject_pct": lambda c, r: c.feed_pct * r.rm / c.rv,
            "velocity_m_s": lambda c, r: c.accept_t_h / (36 * r.open_share * c.accept_pct * c.area_m2),
            "least_rm": lambda c, r: (
                0.08 + 0.05 * max(0.0, c.feed_pct - 1) * math.sqrt(0.15 / (c.aperture_mm if c.shape == "slots" else 0.15))
            ),
        },
        "clean.recursion": {
            "forward": lambda c, r: math.prod((c.r1, c.r2, c.r3, c.r4, c.r5, c.r6)[: int(c.stages)]),
        },
        "clean.rope_move": {"left_kpa": lambda c, r: (c.cones_open / (c.cones_open - c.roping)) ** 2},
        "clean.loss_move": {"expected": lambda c, r: c.lost_pct * r.after / r.before},
    }


@tag("core")
class Recovered(AsPrinted, SimpleTestCase):
    printed = {
        "recovered.again": {
            "falls_pct": lambda c, r: 100 * (1 - r.tensile / c.tensile),
            "lost_kg_t": lambda c, r: 1000 * (1 - c.yield_pct / 100),
            "left_pct": lambda c, r: 100 * (c.yield_pct / 100) ** (c.rounds + 1),
        },
        "recovered.claim": {"total_pct": lambda c, r: r.post_pct + r.pre_pct},
        "recovered.light": {
            "iso_pct": lambda c, r: iso_of(r.k / r.s),
            "ink_part": lambda c, r: c.eric_ppm * 0.01 / r.k,
        },
        "recovered.eric": {
            "ks": lambda c, r: k_over_s(c.r950),
            "eric_ppm": lambda c, r: max(0.0, 1e6 * (c.s950 * r.ks - c.k950) / 10_000),
        },
        "recovered.peroxide": {
            "left_kg": lambda c, r: c.dose * r.residual,
            "ta": lambda c, r: c.naoh_pct + 0.115 * c.silicate_pct,
        },
        "recovered.reductive": {"kf": lambda c, r: c.kf * (1 - 0.22 * (1 - math.exp(-c.dose / 6)))},
        "recovered.thicken": {
            "water_pct": lambda c, r: 100 * (1 - c.feed_pct * (100 - c.to_pct) / (c.to_pct * (100 - c.feed_pct))),
        },
        "recovered.disperse": {
            "attached": lambda c, r: c.attached * math.exp(-c.kwh_t / 40),
            "redeposited": lambda c, r: c.redeposited * math.exp(-c.kwh_t / 40),
            "specks_pct": lambda c, r: 100 * (1 - math.exp(-c.kwh_t / 43)),
            "stickies_pct": lambda c, r: 100 * (1 - math.exp(-c.kwh_t / 57)),
            "eric_factor": lambda c, r: 1 + 0.10 * c.kwh_t / 60,
            "warmer_k": lambda c, r: 3.6 * c.kwh_t * c.cons_pct / 100 / 3.5,
        },
        "recovered.water": {"sludge_wet_kg_t": lambda c, r: r.sludge_kg_t / (c.sludge_pct / 100)},
        "flotation.second": {
            "lost_pct": lambda c, r: 100 * c.solids * (1 - c.back_solids) / (1 - c.solids * c.back_solids),
            "ink_pct": lambda c, r: 100 * c.ink * (1 - c.back_ink) / (1 - c.ink * c.back_ink),
            "z": lambda c, r: r.ink_pct / r.lost_pct,
            "alone": lambda c, r: c.ink / c.solids,
        },
        "pulper.card": {"od_t": lambda c, r: r.stock_t * c.cons_pct / 100},
        "pulper.defiber": {
            "minutes": lambda c, r: r.kwh_t * c.od_t * 60 / c.net_kw,
            "most_kwh_t": lambda c, r: 1.5 * r.kwh_t,
        },
        "pulper.through": {
            "drum_pct": lambda c, r: c.f0_pct * math.exp(-c.k * c.minutes),
            "vat_pct": lambda c, r: c.f0_pct / (1 + c.k * c.minutes),
        },
        "pulper.cycle": {
            "t_h": lambda c, r: c.od_t * 60 / (c.fill + c.load + c.pulp + c.dump + c.wait),
            "batches_h": lambda c, r: c.demand_t_h / (c.yield_share * c.od_t),
            "load_pct": lambda c, r: 100 * c.demand_t_h / (c.yield_share * r.t_h),
        },
        "pulper.next": {"rises_pct": lambda c, r: 100 * c.batch_t / r.full_t},
        "pulper.steam": {
            "steam_t": lambda c, r: c.stock_t * 4.18 * (c.to_c - c.from_c) / (c.steam_kj_kg - 4.18 * c.to_c),
        },
        "pulper.pay": {
            "pay_kg": lambda c, r: c.received_kg * (100 - c.moisture_pct) / (100 - c.basis_pct),
            "claim_kg": lambda c, r: c.received_kg - r.pay_kg,
        },
        "pulper.ink": {
            "attached": lambda c, r: c.a0 * math.exp(-c.kwh_t / (c.e_a * (1 + 0.10 * max(0.0, 9 - c.ph)))),
            "broken": lambda c, r: 0.01 * (c.kwh_t / 20) ** 2,
            "free_25": lambda c, r: 0.55 * (1 - r.attached),
            "free_150": lambda c, r: 0.20 * (1 - r.attached),
            "free_more": lambda c, r: 0.05 * (1 - r.attached),
            "free_5": lambda c, r: 0.20 * (1 - r.attached) - r.redeposited,
        },
        "yard.reorder": {
            "point_t": lambda c, r: (
                c.use_t_d * c.lead_d + c.z * math.sqrt(c.lead_d * c.use_sd**2 + c.use_t_d**2 * c.lead_sd**2)
            ),
            "cover_d": lambda c, r: c.there_t / c.use_t_d,
            "short_t": lambda c, r: max(0.0, r.point_t - c.there_t - c.comes_t),
            "in_d": lambda c, r: max(0.0, (c.there_t + c.comes_t - r.point_t) / c.use_t_d),
        },
        "yard.sorting": {
            "left_kg": lambda c, r: c.kg - r.out_kg,
            "good_kg": lambda c, r: (
                c.kg * (1 - c.unwanted_pct / 100) * (1 - (1 - c.machine_loss / 100) * (1 - c.hand_loss / 100))
            ),
            "left_pct": lambda c, r: (
                100 * c.kg * c.unwanted_pct / 100 * (1 - c.machine_pct / 100) * (1 - c.hand_pct / 100) / r.left_kg
            ),
        },
        "yard.stored": {
            "iso_pct": lambda c, r: iso_of(k_over_s(c.iso_pct) + c.pc / 100 * (1 - math.exp(-c.days / c.tau_days))),
            "lost": lambda c, r: c.iso_pct - r.iso_pct,
        },
    }


@tag("core")
class Refining(AsPrinted, SimpleTestCase):
    printed = {
        "mechanical.freeness": {
            "load_mw": lambda c, r: c.sec_kwh_t * c.rate_t_h / 1000,
        },
        "mechanical.energy": {
            "first_mw": lambda c, r: c.split_pct / 100 * r.sec_kwh_t * c.rate_t_h / 1000,
            "second_mw": lambda c, r: (1 - c.split_pct / 100) * r.sec_kwh_t * c.rate_t_h / 1000,
        },
        "mechanical.blow_line": {
            "water_out_t_t": lambda c, r: water_a_tonne(c.feed_pct) + c.dilution_t_t - r.steam_t_t,
            "cons_out_pct": lambda c, r: 100 / (1 + r.water_out_t_t),
        },
        "mechanical.harvest": {"clean_t_h": lambda c, r: r.clean_t_t * c.rate_t_h},
        "mechanical.rejects": {
            "line_kwh_t": lambda c, r: c.main_kwh_t + c.reject_pct / 100 * c.reject_kwh_t,
            "csf_ml": lambda c, r: math.exp(
                (1 - c.reject_pct / 100) * math.log(c.accept_ml) + c.reject_pct / 100 * math.log(c.refined_ml)
            ),
        },
        "mechanical.load": {"load_mw": lambda c, r: (r.after - r.before) * c.rate_t_h / 1000},
        "refine.change": {
            "hours": lambda c, r: math.sqrt(2 * c.cost / c.grows),
            "a_h": lambda c, r: c.cost / r.hours + c.grows * r.hours / 2,
        },
        "refine.freeness": {
            "falls_ml": lambda c, r: c.csf_in - r.csf_ml,
            "factor": lambda c, r: clip(1 - 0.05 * (c.ph - 7), 0.85, 1.15) * (1 + 0.004 * (c.temp_c - 40)),
        },
        "refine.load": {
            "net_kw": lambda c, r: c.gross_kw - c.no_load_kw,
            "kwh_t": lambda c, r: r.net_kw / c.od_t_h,
            "gross_kwh_t": lambda c, r: c.gross_kw / c.od_t_h,
            "sel": lambda c, r: r.net_kw / (c.cel_km * c.rpm / 60),
            "warmer_k": lambda c, r: 3.6 * r.gross_kwh_t * c.cons_pct / 100 / 4.15,
        },
        "refine.set_point": {
            "gross_kw": lambda c, r: r.net_kw + c.no_load_kw,
            "kwh_t": lambda c, r: r.net_kw / c.od_t_h,
            "sel": lambda c, r: r.net_kw / (c.cel_km * c.rpm / 60),
        },
        "refine.stretch": {
            "stretch_pct": lambda c, r: c.e0 + c.de * (1 - math.exp(-c.kwh_t / c.e_s)),
        },
        "refine.plate": {
            "plain_km": lambda c, r: r.cel_km * math.cos(math.radians(c.angle_deg)),
            "bars": lambda c, r: 2 * math.pi * c.outer_mm * math.cos(math.radians(c.angle_deg)) / (c.bar_mm + c.groove_mm),
        },
        "refine.intensity": {
            "mel": lambda c, r: c.sel * (c.bar_mm + c.groove_mm) / (2 * c.bar_mm * math.tan(math.radians(c.angle_deg))),
            "ssl": lambda c, r: c.sel / (c.bar_mm / 1000 / math.cos(math.radians(c.crossing_deg / 2))),
        },
        "refine.no_load": {
            "kw": lambda c, r: 1.3785e-6 * c.disc_m**4.249 * c.rpm**3 * c.pairs * (1 - 0.15 * c.wear),
        },
        "refine.csf_of_sr": {
            "csf_ml": lambda c, r: 1041.44 - 28.109 * c.sr + 0.28621 * c.sr**2 - 0.0011088 * c.sr**3,
        },
        "refine.sr_of_csf": {
            "sr": lambda c, r: r.sr + (1041.44 - 28.109 * r.sr + 0.28621 * r.sr**2 - 0.0011088 * r.sr**3 - c.csf_ml) / 1000,
        },
        "refine.worn_move": {"fallen_pct": lambda c, r: 100 * (1 - c.no_load_kw / c.new_kw)},
        "refine.freeness_move": {
            "step_kw": lambda c, r: min(20.0, 0.05 * c.gross_kw),
        },
    }


@tag("core")
class Stock(AsPrinted, SimpleTestCase):
    printed = {
        "stock.basis_weight": {
            "gsm": lambda c, r: (
                c.gsm
                * (c.cons_after_pct / c.cons_before_pct)
                * (1 + c.flow_change_pct / 100)
                * (1 + c.retention_change_pct / 100)
                / (1 + c.speed_change_pct / 100)
            ),
            "change_gsm": lambda c, r: r.gsm - c.gsm,
            "change_pct": lambda c, r: 100 * r.change_gsm / c.gsm,
            "flow_to_hold_pct": lambda c, r: (
                100
                * (c.cons_before_pct / c.cons_after_pct)
                * (1 + c.speed_change_pct / 100)
                / (1 + c.retention_change_pct / 100)
            ),
        },
        "deliver.variability": {
            "total_pct": lambda c, r: math.hypot(c.cons_pct, c.flow_pct, c.speed_pct, c.retention_pct),
            "cons_share_pct": lambda c, r: 100 * c.cons_pct**2 / r.total_pct**2,
        },
        "stock.density": {
            "kg_m3": lambda c, r: (
                (1 - c.air_pct / 100)
                / (
                    c.cons_pct / 100 * (1 - c.ash_pct / 100) / 1520
                    + c.cons_pct / 100 * c.ash_pct / 100 / 2700
                    + (1 - c.cons_pct / 100) / r.water_kg_m3
                )
            ),
        },
        "stock.dilute": {
            "cons_in_pct": lambda c, r: c.cons_pct,
            "stock_l_min": lambda c, r: c.flow_l_min,
            "flow_out_l_min": lambda c, r: c.flow_l_min + r.water_l_min,
            "fibre_in_t_h": lambda c, r: c.flow_l_min * c.stock_density_kg_l * c.cons_pct / 100 * 0.06,
            "cons_out_pct": lambda c, r: c.target_pct,
            "water_part_pct": lambda c, r: 100 * r.water_l_min / r.flow_out_l_min,
        },
        "stock.dilute_outflow": {
            "stock_l_min": lambda c, r: c.flow_out_l_min * (c.target_pct - c.water_cons_pct) / (c.cons_pct - c.water_cons_pct),
            "water_l_min": lambda c, r: c.flow_out_l_min - r.stock_l_min,
            "fibre_in_t_h": lambda c, r: solids(c, r),
            "fibre_out_t_h": lambda c, r: c.flow_out_l_min * c.target_pct / 100 * 0.06,
        },
        "stock.dilute_result": {
            "cons_out_pct": lambda c, r: (
                (c.flow_l_min * c.cons_pct + c.water_l_min * c.water_cons_pct) / (c.flow_l_min + c.water_l_min)
            ),
            "fibre_out_t_h": lambda c, r: r.flow_out_l_min * r.cons_out_pct / 100 * 0.06,
        },
        "stock.dilution_inlet": {
            "cons_in_pct": lambda c, r: c.cons_out_pct + (c.cons_out_pct - c.water_cons_pct) * c.water_l_min / c.flow_l_min,
            "fibre_in_t_h": lambda c, r: solids(c, r),
        },
        "stock.thicken": {
            "filtrate_l_min": lambda c, r: c.flow_l_min * (c.target_pct - c.cons_pct) / (c.target_pct - c.filtrate_pct),
            "flow_out_l_min": lambda c, r: c.flow_l_min - r.filtrate_l_min,
            "fibre_lost_t_h": lambda c, r: r.filtrate_l_min * c.filtrate_pct / 100 * 0.06,
            "fibre_out_t_h": lambda c, r: c.flow_l_min * c.cons_pct / 100 * 0.06 - r.fibre_lost_t_h,
        },
        "stock.fibre_flow": {
            "uncorrected_t_h": lambda c, r: c.flow_l_min * c.density_kg_l * c.cons_pct / 100 * 0.06,
            "fibre_t_h": lambda c, r: r.uncorrected_t_h * (1 - c.air_pct / 100),
            "fibre_t_d": lambda c, r: 24 * r.fibre_t_h,
        },
        "stock.flow": {
            "flow_l_min": lambda c, r: 1000 * c.fibre_t_h / (0.6 * c.cons_pct * c.density_kg_l),
            "flow_m3_h": lambda c, r: r.flow_l_min * 0.06,
            "flow_us_gpm": lambda c, r: r.flow_l_min / 3.785411784,
        },
        "stock.cover": {
            "content": lambda c, r: c.capacity * c.level_pct / 100,
            "net": lambda c, r: c.rate_in - c.rate_out,
            "turnover_h": lambda c, r: r.content / c.rate_out,
            "stop_ridden_h": lambda c, r: max(0.0, r.content - c.capacity * c.low_pct / 100) / c.rate_out,
        },
        "stock.cover_plan": {
            "content": lambda c, r: c.capacity * c.level_pct / 100,
            "net": lambda c, r: c.legs[0].rate_in - c.legs[0].rate_out,
            "turnover_h": lambda c, r: r.content / c.legs[0].rate_out,
            "stop_ridden_h": lambda c, r: max(0.0, r.content - c.capacity * c.low_pct / 100) / c.legs[0].rate_out,
        },
        "stock.mixing": {
            "tau_min": lambda c, r: c.active_pct / 100 * c.volume_m3 / c.flow_m3_h * 60,
            "scatter_left_pct": lambda c, r: 100 * math.sqrt(c.correlation_min / (c.correlation_min + r.tau_min)),
            "swing_left_pct": lambda c, r: (
                c.bypass_pct + (100 - c.bypass_pct) / math.sqrt(1 + (2 * math.pi * r.tau_min / c.period_min) ** 2)
            ),
        },
        "stock.washout": {"turnovers": lambda c, r: r.minutes / (c.tanks * c.tau_min)},
        "stock.moving": {
            "volume_m3": lambda c, r: c.volume_m3 + (c.in_m3_h - c.out_m3_h) * c.hours,
            "then": lambda c, r: (
                c.comes + (c.now - c.comes) * (r.volume_m3 / c.volume_m3) ** (-c.in_m3_h / (c.in_m3_h - c.out_m3_h))
            ),
            "new_pct": lambda c, r: 100 * (1 - (r.volume_m3 / c.volume_m3) ** (-c.in_m3_h / (c.in_m3_h - c.out_m3_h))),
        },
        "stock.agitation": {
            "need_kw": lambda c, r: (
                0.20 * (c.cons_pct / 3.5) ** 2 * c.volume_m3 * (0.7 if c.pulp.startswith("hardwood") else 1.0)
            ),
            "of_need_pct": lambda c, r: 100 * c.kw / r.need_kw,
        },
        "stock.age": {
            "age_h": lambda c, r: c.volume_m3 / c.flow_m3_h,
            "first_h": lambda c, r: r.age_h * (1 - c.mixed_pct / 100),
            "most_h": lambda c, r: r.first_h - math.log(0.05) * r.age_h * c.mixed_pct / 100,
        },
        "stock.loop": {
            "water_now_l_min": lambda c, r: (
                c.stock_l_min * (c.inlet_pct - c.measured_pct) / (c.measured_pct - c.water_cons_pct)
            ),
            "water_wanted_l_min": lambda c, r: c.stock_l_min * (c.inlet_pct - c.target_pct) / (c.target_pct - c.water_cons_pct),
            "change_l_min": lambda c, r: r.water_wanted_l_min - r.water_now_l_min,
            "valve_now_pct": lambda c, r: 100 * r.water_now_l_min / c.water_max_l_min,
            "valve_wanted_pct": lambda c, r: 100 * r.water_wanted_l_min / c.water_max_l_min,
            "flow_l_min": lambda c, r: c.stock_l_min + r.water_now_l_min,
            "gain_pct_per_l_min": lambda c, r: -(c.measured_pct - c.water_cons_pct) / r.flow_l_min,
            "dead_time_s": lambda c, r: math.pi / 4 * (c.pipe_mm / 1000) ** 2 * c.pipe_m * 1000 / r.flow_l_min * 60,
            "wait_s": lambda c, r: 3 * r.dead_time_s + c.filter_s,
        },
        "stock.tuning": {
            "kc": lambda c, r: c.lag_s / (c.gain * 2 * c.dead_s),
            "ti_s": lambda c, r: min(c.lag_s, 4 * 2 * c.dead_s),
        },
        "stock.averaging_level": {
            "kc": lambda c, r: 2 / math.e * c.inflow_t_h / c.strays_t,
            "ti_h": lambda c, r: 4 / r.kc,
            "peak_h": lambda c, r: 2 / r.kc,
        },
        "stock.level_spread": {
            "sd_t": lambda c, r: (
                c.rate_sd
                * math.sqrt(2 * c.forgotten_h * (c.after_h - c.forgotten_h * (1 - math.exp(-c.after_h / c.forgotten_h))))
            ),
            "band_t": lambda c, r: 1.2816 * r.sd_t,
        },
        "stock.layers_move": {
            "apart_pct": lambda c, r: 100 * abs(c.top_pct - c.bottom_pct) / ((c.top_pct + c.bottom_pct) / 2),
        },
        "stock.bottom_move": {
            "needed": lambda c, r: max(0.0, c.stock_l_min * (c.store_pct - c.target_pct) / c.target_pct),
            "expected": lambda c, r: c.stock_l_min * c.store_pct / (c.stock_l_min + r.after),
        },
    }


@tag("core")
class Blending(AsPrinted, SimpleTestCase):
    printed = {
        "blend.additive": {
            "kg_min": lambda c, r: c.dose_kg_t * c.od_t_h / 60,
            "l_min": lambda c, r: r.kg_min / (c.strength_pct / 100 * c.density),
            "days": lambda c, r: c.tank_l / (1440 * r.l_min),
        },
        "blend.dose_of": {
            "dose_kg_t": lambda c, r: 60 * c.l_min * c.strength_pct / 100 * c.density / c.od_t_h,
        },
        "blend.bags": {
            "needed_kg": lambda c, r: c.dose_kg_t * c.od_t / (c.solids_pct / 100),
            "bags": lambda c, r: math.ceil(r.needed_kg / c.bag_kg),
            "achieved_kg_t": lambda c, r: r.bags * c.bag_kg * c.solids_pct / 100 / c.od_t,
        },
        "blend.filler": {
            "in_sheet_kg_t": lambda c, r: 1000 * (c.sheet_ash_pct - c.fibre_ash_pct) / (100 - c.fibre_ash_pct),
            "added_kg_t": lambda c, r: r.in_sheet_kg_t / (c.retention_pct / 100),
        },
        "blend.charge": {
            "kg_t": lambda c, r: c.demand_ueq_l / 1000 / (c.cons_pct * 10 * c.meq_g) * 1000,
        },
        "blend.broke_move": {
            "holds_pct": lambda c, r: 100 * c.in_t_h / c.draw_t_h,
            "stored_t_h": lambda c, r: max(0.0, c.in_t_h - r.after / 100 * c.draw_t_h),
        },
        "blend.charge_move": {"over_pct": lambda c, r: 100 * (c.demand / c.usual - 1)},
        "blend.ash_move": {"expected": lambda c, r: c.ash_pct * r.after / r.before},
    }


@tag("core")
class Delivering(AsPrinted, SimpleTestCase):
    printed = {
        "deliver.draw": {
            "gross_t_h": lambda c, r: c.gsm / 1000 * c.width_m * c.speed_m_min * 60 / 1000,
            "od_t_h": lambda c, r: r.gross_t_h * (1 - c.moisture_pct / 100),
            "sale_t_h": lambda c, r: r.gross_t_h * c.efficiency_pct / 100,
            "filler_t_h": lambda c, r: (
                r.web_t_h / (c.retention_pct / 100) * (c.sheet_ash_pct - c.furnish_ash_pct) / (100 - c.furnish_ash_pct)
            ),
            "solids_t_h": lambda c, r: r.web_t_h / (c.retention_pct / 100) - r.filler_t_h,
        },
        "deliver.headbox": {
            "water_l_min": lambda c, r: c.stock_l_min * (c.stock_pct - c.headbox_pct) / (c.headbox_pct - c.tray_pct),
            "flow_l_min": lambda c, r: c.stock_l_min + r.water_l_min,
        },
        "deliver.jet": {
            "jet_m_min": lambda c, r: 60 * c.coefficient * math.sqrt(2 * 9.80665 * c.head_m),
            "ratio": lambda c, r: r.jet_m_min / c.wire_m_min,
            "difference_m_min": lambda c, r: r.jet_m_min - c.wire_m_min,
        },
        "deliver.fresh_water": {
            "m3_t": lambda c, r: c.fresh_m3_h / c.sale_t_h,
            "m3_d": lambda c, r: 24 * c.fresh_m3_h,
        },
        "lots.suspect_window": {
            "from_h": lambda c, r: c.good_h - c.transport_h,
            "to_h": lambda c, r: c.again_h - c.transport_h,
            "tonnes": lambda c, r: c.rate_t_h * (c.again_h - c.good_h),
        },
        "deliver.retention_loop": {
            "total": lambda c, r: c.retention / (c.retention + c.lost * (1 - c.retention)),
            "headbox_t_h": lambda c, r: c.thick_t_h / (c.retention + c.lost * (1 - c.retention)),
            "gain": lambda c, r: 1 / (1 - (1 - c.retention) * (1 - c.lost)),
            "settles_min": lambda c, r: c.residence_min * r.gain,
        },
        "deliver.gas": {
            "gas_pct": lambda c, r: 100 * c.lost_ml / (1 - c.from_bar / c.to_bar) / c.sample_ml,
        },
        "deliver.headbox_heat": {
            "headbox_c": lambda c, r: (
                (4.17 * c.thick_t_h * c.thick_c + 4.18 * (c.white_t_h * c.white_c + c.fresh_t_h * c.fresh_c)) / capacity(c)
            ),
            "steam_t_h": lambda c, r: capacity(c) * c.lift_k / (2750 - 4.18 * (r.headbox_c + c.lift_k)),
        },
        "deliver.source_run": {
            "t_h": lambda c, r: c.share * c.solids_t_h,
            "l_min": lambda c, r: 1000 * r.t_h / (60 * c.cons_pct / 100),
            "run_t": lambda c, r: r.t_h * c.hours,
            "raw_wet_t": lambda c, r: r.run_t * c.raw_wet_t_t,
        },
        "deliver.change": {
            "off_t": lambda c, r: r.minutes / 60 * c.after_t_h,
            "drain_min": lambda c, r: c.chest_t * (1 - c.drained_pct / 100) / c.before_t_h * 60,
            "draw_change_pct": lambda c, r: 100 * (c.after_t_h / c.before_t_h - 1),
        },
        "deliver.break": {"comes_t": lambda c, r: c.web_t_h * c.minutes / 60},
        "deliver.swing_move": {
            "share_pct": lambda c, r: min(100.0, 100 * c.cons_sd_pct**2 / c.gsm_sd_pct**2),
            "expected": lambda c, r: math.hypot(r.after, c.flow_sd_pct),
        },
        "deliver.seen_move": {"touched_t": lambda c, r: c.out_t_h * c.since_min / 60},
        "deliver.cover_move": {
            "ridden_min": lambda c, r: max(0.0, 60 * (c.content_t - c.full_t * c.low_pct / 100) / c.out_t_h),
        },
    }


@tag("core")
class Laboratory(AsPrinted, SimpleTestCase):
    printed = {
        "lab.consistency": {
            "fibre_g": lambda c, r: c.pad_g - c.paper_g,
            "cons_pct": lambda c, r: 100 * (c.pad_g - c.paper_g) / c.stock_g,
        },
        "lab.pith": {
            "pith_pct": lambda c, r: 100 * c.pith_g / c.sample_g,
            "fibre_pct": lambda c, r: 100 * c.fibre_g / c.sample_g,
            "lost_pct": lambda c, r: 100 - r.pith_pct - r.fibre_pct,
            "ratio": lambda c, r: c.fibre_g / c.pith_g,
        },
        "lab.sand": {
            "residue_pct": lambda c, r: 100 * (c.residue_g - c.crucible_g) / c.sample_g,
            "silica_pct": lambda c, r: 100 * (c.residue_g - c.after_g) / c.sample_g,
        },
        "lab.shives": {
            "shives_pct": lambda c, r: 100 * c.shives_g / (c.stock_g * c.cons_pct / 100),
            "per_g": lambda c, r: c.count / (c.stock_g * c.cons_pct / 100),
        },
        "lab.fibre_length": {
            "ln_mm": lambda c, r: moment(c, 1) / moment(c, 0),
            "lw_mm": lambda c, r: moment(c, 2) / moment(c, 1),
            "lww_mm": lambda c, r: moment(c, 3) / moment(c, 2),
            "fines_n_pct": lambda c, r: 100 * sum(n for n, mm in counts(c) if mm < 0.2) / moment(c, 0),
            "fines_l_pct": lambda c, r: 100 * sum(n * mm for n, mm in counts(c) if mm < 0.2) / moment(c, 1),
            "coarseness": lambda c, r: c.mg_od / (moment(c, 1) / 1000),
        },
        "lab.fibre_mix": {
            "coarseness": lambda c, r: 100 / (c.share_pct / c.coarse_a + (100 - c.share_pct) / c.coarse_b),
            "lw_mm": lambda c, r: (
                (c.share_pct * c.lw_a / c.coarse_a + (100 - c.share_pct) * c.lw_b / c.coarse_b)
                / (c.share_pct / c.coarse_a + (100 - c.share_pct) / c.coarse_b)
            ),
        },
        "lab.csf": {
            "csf_ml": lambda c, r: (
                c.read_ml
                + 4 * (c.read_ml / 850) * (1 - c.read_ml / 850) * (9 * (c.cons_pct - 0.30) / 0.01 - 3.5 * (c.temp_c - 20))
            ),
        },
        "lab.sr": {"raw": lambda c, r: (1000 - c.side_ml) / 10},
        "lab.post_colour": {"number": lambda c, r: 100 * (k_over_s(c.aged_pct) - k_over_s(c.fresh_pct))},
        "lab.viscosity": {
            "ratio": lambda c, r: c.constant * c.seconds,
            "x": lambda c, r: (r.ratio - 1) / 10 ** (0.13 * r.x),
            "ml_g": lambda c, r: r.x / c.g_ml,
        },
        "lab.capillary": {"mpa_s": lambda c, r: c.constant * c.seconds * 1.052},
        "lab.electrode": {
            "slope_pct": lambda c, r: (
                100 * (c.first_mv - c.second_mv) / (c.second_ph - c.first_ph) / (59.16 * (273.15 + c.temp_c) / 298.15)
            ),
        },
        "lab.conductivity": {"at_25": lambda c, r: c.ms_cm / (1 + 0.02 * (c.temp_c - 25))},
        "lab.soda_loss": {"kg_adt": lambda c, r: c.na_g_l * 3.0892 * 0.9 * water_a_tonne(c.cons_pct)},
        "lab.retention": {"pct": lambda c, r: 100 * (1 - c.tray_pct / c.headbox_pct)},
        "lab.charge": {"ueq_l": lambda c, r: c.titrant_ml * c.normality * 1e6 / c.sample_ml},
        "lab.kappa": {
            "used_ml": lambda c, r: (c.blank_ml - c.sample_ml) * c.normality / 0.1,
            "kappa": lambda c, r: r.used_ml * 10 ** (0.00093 * (r.used_ml - 50)) / c.pulp_g,
            "kappa_25": lambda c, r: r.kappa * (1 + 0.013 * (25 - c.temp_c)),
        },
        "lab.residual_alkali": {
            "naoh_g_l": lambda c, r: (c.sample_ml - c.blank_ml) * c.normality * 39.997 / c.aliquot_ml,
            "na2o_g_l": lambda c, r: (c.sample_ml - c.blank_ml) * c.normality * 30.990 / c.aliquot_ml,
        },
        "lab.chlorine_dioxide": {
            "clo2_g_l": lambda c, r: c.further_ml * c.normality * 16.863 / c.aliquot_ml,
            "active_g_l": lambda c, r: 2.628 * r.clo2_g_l + r.cl2_g_l,
        },
        "lab.residual": {
            "water_m3_adt": lambda c, r: 0.9 * water_a_tonne(c.cons_pct),
            "kg_adt": lambda c, r: c.g_l * r.water_m3_adt,
            "of_applied_pct": lambda c, r: 100 * r.kg_adt / c.applied_kg_adt,
        },
        "lab.moisture": {
            "wet_pct": lambda c, r: 100 * (c.wet_g - c.dry_g) / (c.wet_g - c.tare_g),
            "dry_pct": lambda c, r: 100 * (c.wet_g - c.dry_g) / (c.dry_g - c.tare_g),
            "dryness_pct": lambda c, r: 100 - r.wet_pct,
        },
        "lab.load": {
            "od_t": lambda c, r: c.scale_t * c.dryness_pct / 100,
            "ad_t": lambda c, r: c.scale_t * c.dryness_pct / 90,
        },
        "lab.share": {"pct": lambda c, r: 100 * c.part_g / c.whole_g},
        "lab.ash": {
            "ash_525_pct": lambda c, r: 100 * (c.at_525_g - c.crucible_g) / c.pulp_g,
        },
        "lab.dirt": {"mm2_kg": lambda c, r: r.ppm / (c.gsm / 1000)},
        "lab.stickies": {"mm2_kg": lambda c, r: c.area_mm2 * 1000 / c.pulp_g},
        "lab.fines": {
            "fines_pct": lambda c, r: 100 * (c.stock_g * c.cons_pct / 100 - c.kept_g) / (c.stock_g * c.cons_pct / 100),
        },
        "lab.handsheet": {
            "gsm": lambda c, r: c.mass_g / c.area_m2,
            "tensile_kn_m": lambda c, r: c.force_n / c.width_mm,
            "index": lambda c, r: 1000 * r.tensile_kn_m / r.gsm,
            "index_dry": lambda c, r: r.index / (c.dryness_pct / 100),
            "breaking_km": lambda c, r: r.index / 9.80665,
            "bulk": lambda c, r: c.thickness_um / r.gsm,
        },
        "lab.next_sample": {
            "late_min": lambda c, r: r.due_min + max(10, 0.25 * r.every_min),
            "missed_min": lambda c, r: r.due_min + r.every_min,
        },
        "chart.individuals": {
            "naive": lambda c, r: c.range_mean / 1.128,
            "sigma": lambda c, r: r.naive / math.sqrt(1 - c.phi) if c.phi > 0.3 else r.naive,
            "low": lambda c, r: c.mean - 3 * r.sigma,
            "high": lambda c, r: c.mean + 3 * r.sigma,
            "range_high": lambda c, r: 3.267 * c.range_mean,
        },
        "chart.capability": {
            "cp": lambda c, r: (c.high - c.low) / (6 * c.sd_short) if c.wanted not in ONE_SIDED else 0.0,
            "cpk": lambda c, r: nearer(c) / (3 * c.sd_short),
            "pp": lambda c, r: (c.high - c.low) / (6 * c.sd_whole) if c.wanted not in ONE_SIDED else 0.0,
            "ppk": lambda c, r: nearer(c) / (3 * c.sd_whole),
            "half": lambda c, r: 1.96 * math.sqrt(1 / (9 * c.n) + r.ppk**2 / (2 * (c.n - 1))),
        },
        "heat.pulp": {"steam_t_h": lambda c, r: r.direct_t_t * c.od_t_h},
        "heat.stages": {"steam_t_h": lambda c, r: r.direct_t_t * c.od_t_h},
    }
