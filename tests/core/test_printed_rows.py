"""Figures that are summed over rows, and moves: as their equations are printed."""

import math

from django.test import SimpleTestCase, tag

from tests.core.printed import AsPrinted, clip


def mean(rows, weight: str, value: str) -> float:
    return sum(getattr(x, weight) * getattr(x, value) for x in rows) / sum(getattr(x, weight) for x in rows)


def shared(c, name: str) -> float:
    """A sum over the pulps of a furnish by their shares."""
    return sum(p.share_pct * getattr(p, name) for p in c.pulps) / 100


def dry(p) -> float:
    """Dry mass that a paper brings, a share of what is received."""
    return p.share * (1 - p.moisture_pct / 100)


def by_dry(c, name: str) -> float:
    return sum(dry(p) * getattr(p, name) for p in c.papers) / sum(map(dry, c.papers))


def new_parts(c) -> list:
    return [p for p in c.parts if p.sort != "own broke"]


def chest_t(c) -> float:
    return c.full_t * c.low_pct / 100


def regression(c) -> tuple[float, float, float]:
    """Slope, intercept and scatter of a line through readings."""
    n = len(c.readings)
    h, y = sum(r.h for r in c.readings) / n, sum(r.y for r in c.readings) / n
    b = sum((r.h - h) * (r.y - y) for r in c.readings) / sum((r.h - h) ** 2 for r in c.readings)
    a = y - b * h
    return b, a, math.sqrt(sum((r.y - a - b * r.h) ** 2 for r in c.readings) / (n - 2))


def speed(unit) -> float:
    """Cutting edge a second, km/s."""
    return unit.cel_km * unit.rpm / 60


@tag("core")
class Rows(AsPrinted, SimpleTestCase):
    printed = {
        "blend.forecast": {
            "csf_ml": lambda c, r: math.exp(sum(p.share_pct * math.log(p.csf_ml) for p in c.pulps) / 100),
            "k457": lambda c, r: shared(c, "k457"),
            "s457": lambda c, r: shared(c, "s457"),
            "ks": lambda c, r: r.k457 / r.s457,
            "iso_pct": lambda c, r: 100 * (1 + r.ks - math.sqrt(r.ks**2 + 2 * r.ks)),
            "cost": lambda c, r: shared(c, "price"),
        }
        | {
            name: lambda c, r, name=name: shared(c, name)
            for name in ("ash_pct", "tensile", "tear", "stickies", "dirt", "recycled_pct")
        },
        "blend.flows": {
            "cons_pct": lambda c, r: sum(s.share_pct for s in c.streams) / sum(s.share_pct / s.cons_pct for s in c.streams),
            "first_l_min": lambda c, r: 1000 * c.streams[0].share_pct * c.od_t_h / (60 * c.streams[0].cons_pct * c.density),
            "last_l_min": lambda c, r: 1000 * c.streams[-1].share_pct * c.od_t_h / (60 * c.streams[-1].cons_pct * c.density),
        },
        "blend.charge": {
            "neutral_pct": lambda c, r: 100 * sum(a.dose_kg_t * a.meq_g for a in c.added) / (r.kg_t * c.meq_g),
        },
        "pulper.mix": {
            "first_share": lambda c, r: dry(c.papers[0]) / sum(map(dry, c.papers)),
            "moisture_pct": lambda c, r: mean(c.papers, "share", "moisture_pct"),
            "ash_pct": lambda c, r: by_dry(c, "ash_pct"),
            "unwanted_pct": lambda c, r: by_dry(c, "unwanted_pct"),
            "eric_ppm": lambda c, r: by_dry(c, "eric_ppm"),
            "stickies": lambda c, r: by_dry(c, "stickies"),
        },
        "recovered.claim": {
            "new_t": lambda c, r: sum(p.t for p in new_parts(c)),
            "own_t": lambda c, r: sum(p.t for p in c.parts) - r.new_t,
            "post_pct": lambda c, r: sum(p.t * p.post_pct for p in new_parts(c)) / r.new_t,
            "pre_pct": lambda c, r: sum(p.t * p.pre_pct for p in new_parts(c)) / r.new_t,
        },
        "refine.life": {
            "slope": lambda c, r: regression(c)[0],
            "intercept": lambda c, r: regression(c)[1],
            "s": lambda c, r: regression(c)[2],
            "hours": lambda c, r: (c.limit - r.intercept) / r.slope,
        },
        "refine.share": {
            "sel": lambda c, r: c.net_kw / sum(map(speed, c.units)),
            "first_kw": lambda c, r: r.sel * speed(c.units[0]),
            "last_kw": lambda c, r: r.sel * speed(c.units[-1]),
            "gross_kw": lambda c, r: c.net_kw + sum(u.no_load_kw for u in c.units),
        },
        "refine.zones": {
            "cel_km": lambda c, r: sum(z.rotor * z.stator * z.mm / math.cos(math.radians(z.angle_deg)) for z in c.zones) / 1e6,
        },
        "lab.brightness": {"iso_pct": lambda c, r: sum(x.iso_pct for x in c.readings) / len(c.readings)},
        "deliver.lot_bound": {"mean": lambda c, r: sum(x.value for x in c.results) / len(c.results)},
        "deliver.run_card": {
            "hours": lambda c, r: c.sale_t / (c.gsm * c.width_m * c.speed_m_min * 60 / 1e6 * c.efficiency_pct / 100),
            "end_h": lambda c, r: c.start_h + r.hours,
            "cons_pct": lambda c, r: 1 / sum(s.share / s.cons_pct for s in c.supplies),
            "csf_ml": lambda c, r: math.exp(sum(s.share * math.log(s.csf_ml) for s in c.supplies)),
            "ash_pct": lambda c, r: sum(s.share * s.ash_pct for s in c.supplies),
            "sum_l_min": lambda c, r: sum(1000 * s.share * r.solids_t_h / (0.6 * s.cons_pct) for s in c.supplies),
            "headbox_m3_min": lambda c, r: (r.solids_t_h + r.filler_kg_min * 0.06) / (60 * c.headbox_cons_pct / 100),
        },
        "moves.learnt": {
            "share": lambda c, r: sum(m.foreseen * m.came for m in c.moves) / sum(m.foreseen**2 for m in c.moves),
            "gain": lambda c, r: sum(m.step * m.came for m in c.moves) / sum(m.step**2 for m in c.moves),
        },
        "cause.split": {
            "forecast": lambda c, r: sum(x.gain * x.moved for x in c.causes),
        },
        "schedule.forecast": {
            "bias": lambda c, r: sum(p.error for p in c.pairs) / len(c.pairs),
            "mean_off": lambda c, r: sum(abs(p.error) for p in c.pairs) / len(c.pairs),
            "inside_pct": lambda c, r: 100 * sum(abs(p.error) <= 1.645 * p.sd for p in c.pairs) / len(c.pairs),
            "factor": lambda c, r: clip(math.sqrt(sum((p.error / p.sd) ** 2 for p in c.pairs) / len(c.pairs)), 0.5, 3),
        },
        "cook.house": {"apart_h": lambda c, r: r.cycle_h / c.digesters},
        "stock.layers": {"content_t": lambda c, r: c.capacity * c.steps[-1].level_pct / 100},
    }


def change(r) -> float:
    return r.after - r.before


@tag("core")
class Moves(AsPrinted, SimpleTestCase):
    """What a move would come to, by its own figures; how far one may go is bounded, so that `after` is taken as found."""

    printed = {
        "wash.water_move": {
            "flow_m3_h": lambda c, r: r.after * c.adt_h,
            "expected": lambda c, r: c.loss + r.gain * change(r),
        },
        "cook.drift": {
            "expected": lambda c, r: c.kappa + c.gain * r.delta_h,
            "after": lambda c, r: c.temp_c + clip(math.log(1 + r.delta_h / c.h) * (c.temp_c + 273.15) ** 2 / 16115, -1.5, 1.5),
        },
        "cook.rate_temperature": {
            "after": lambda c, r: (
                c.temp_c + clip(math.log(c.new_t_h / c.rate_t_h) * (c.temp_c + 273.15) ** 2 / 16115, -3.0, 3.0)
            ),
        },
        "blend.shade_move": {"expected": lambda c, r: c.value + c.gain * change(r)},
        "blend.ph_move": {"expected": lambda c, r: c.value + c.gain * change(r)},
        "blend.retention_move": {"expected": lambda c, r: c.value + c.gain * change(r)},
        "bleach.brightness_move": {"expected": lambda c, r: c.iso_pct + r.gain * change(r)},
        "bleach.ph_move": {"expected": lambda c, r: c.ph + c.slope * change(r)},
        "bleach.residual_move": {"expected": lambda c, r: c.residual_g_l + change(r) / r.liquor},
        "cook.bagasse_kappa": {"expected": lambda c, r: c.kappa + r.gain * change(r)},
        "oxygen.move": {"expected": lambda c, r: c.kappa + r.gain * change(r)},
        "mechanical.load": {"expected": lambda c, r: c.csf_ml + r.gain * change(r)},
        "clean.drop_move": {"expected": lambda c, r: c.kpa * (r.before / r.after) ** 2},
        "clean.dirt_move": {"expected": lambda c, r: c.dirt * (1 - c.a_point / 100) ** change(r)},
        "recovered.gain_move": {
            "expected": lambda c, r: c.gain + c.a_point * change(r),
            "lost_t_h": lambda c, r: c.lost_a_point * change(r),
        },
        "recovered.ash_move": {
            "expected": lambda c, r: c.ash_pct - c.a_point * change(r),
            "lost_t_h": lambda c, r: c.lost_a_point * change(r),
        },
        "recovered.loop_move": {"hours": lambda c, r: abs(c.ph - c.usual) / 0.3 if r.stands else 0.0},
        "pulper.flakes_move": {"expected": lambda c, r: c.flakes_pct * math.exp(-c.k * change(r))},
        "pulper.thick_move": {
            "expected": lambda c, r: (c.cons_pct * c.stock_t + c.white_pct * change(r)) / (c.stock_t + change(r)),
        },
        "refine.hunt_move": {"from_cons_pct": lambda c, r: min(100.0, 100 * (c.cons_pct / c.load_pct) ** 2)},
        "refine.freeness_move": {"expected": lambda c, r: c.csf_ml + c.a_kwh_t * change(r) / c.od_t_h},
        "stock.falls_move": {
            "hours": lambda c, r: (
                min(1000.0, max(0.0, c.content_t - chest_t(c)) / (c.out_t_h - c.in_t_h)) if c.out_t_h > c.in_t_h else 1000.0
            ),
        },
        "chips.wet_feed": {
            "makeup_t_h": lambda c, r: -c.feed_t_h * (1 - c.set_pct / 100) * (r.water_after - r.water_before),
            "expected": lambda c, r: r.after * (1 - c.moisture_pct / 100),
        },
        "bleach.kappa_move": {"expected": lambda c, r: c.kappa},
        "clean.loss_move": {"thinner_pct": lambda c, r: max(0.05, c.feed_pct - 0.05) if r.stands else c.feed_pct},
        "mechanical.shives": {"kwh_t": lambda c, r: (1.1 if r.stands else 1.0) * c.reject_kwh_t},
        "blend.charge_move": {"before": lambda c, r: c.dose_kg_t},
    }
