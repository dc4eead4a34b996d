"""Which way every model answers: signs of its figures, what scales with what, and inverses that give their question back."""

import math
import os
import random
from dataclasses import replace

from django.test import SimpleTestCase, tag

import core.catalogue  # noqa: F401
from core.calc import read_case
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities
from core.register import find
from tests.core.test_random_inputs import drawn

DRAWS = int(os.environ.get("VAT_LAWS", "6")) * 3
TINY = 1e-9
DENSITIES = "stock_density_kg_l water_density_kg_l"

# model, figure, the inputs that raise it, the inputs that lower it; over the range each model holds for
DIRECTIONS = (
    ("wash.stage", "x1", "x0 y2", "e10 df"),
    ("wash.series", "loss_kg_adt", "x0 y_in", "df e10 stages"),
    ("wash.shower", "df", "x0", "loss_kg_adt e10"),
    ("wash.evaporate", "steam_t_h", "ddf adt_d", "economy"),
    ("wash.closure", "factor", "recycled", ""),
    ("wash.chloride", "cl_pct", "cl_kg", "discarded_pct"),
    ("wash.effluent", "cod_kg", "cod_mg_l fresh", "vented"),
    ("wash.effluent", "loss_pct", "tss_mg_l fibre_pct", ""),
    ("wash.calcite", "si", "ca_mg_l", ""),
    ("wash.oxalate", "si", "ca_mg_l oxalate_mmol_l ph", ""),
    ("wash.barite", "si", "ba_mg_l so4_mg_l", "temp_c"),
    ("wash.bound_soda", "bound_kg_adt", "ph", ""),
    ("wash.air", "air_pct", "cup_ml", "stock_g"),
    ("oxygen.delignify", "kappa", "kappa_in cod_kg inert_more", "minutes temp_c naoh_kg bar_abs rate_factor"),
    ("oxygen.delignify", "alkali_left_kg", "naoh_kg", "cod_kg"),
    ("oxygen.delignify", "end_ph", "naoh_kg", "cod_kg"),
    ("bleach.dioxide", "kappa_out", "kappa cod_kg", "clo2_kg minutes temp_c"),
    ("bleach.dioxide", "available", "clo2_kg", "cod_kg"),
    ("bleach.kappa_factor", "clo2_kg", "kappa factor cod_kg", ""),
    ("bleach.kappa_factor", "l_min", "kappa factor adt_d", "strength_g_l"),
    ("bleach.tower", "minutes", "volume_m3 level_pct cons_pct", "od_t_h gas_pct"),
    ("bleach.alkali_ph", "ph", "naoh_kg", "active_kg cod_kg"),
    ("bleach.end_ph", "ph", "base", "acid"),
    ("bleach.reversion", "aged_pct", "iso_pct", "post_colour"),
    ("bleach.reversion", "aox_adt", "active_cl_adt cl2_adt", ""),
    ("bleach.peroxide_mechanical", "iso_out", "iso_pct gain_factor ceiling_more", ""),
    ("bleach.dithionite", "iso_out", "iso_pct kg_odt", ""),
    ("bleach.tank", "cover_h", "now_m3", "use_m3_h least_m3"),
    ("bleach.kept", "strength_now", "strength half_life_h", "hours"),
    ("bleach.reorder", "point_t", "use_d lead_d sd_use sd_lead", ""),
    ("bleach.stored", "now_pct", "iso_pct", "days"),
    ("bleach.metals", "mn_out", "mn_ppm", "chelant_kg minutes"),
    ("bleach.metals", "mg_out", "mg_ppm ph mgso4_kg", ""),
    ("bleach.transit", "plug_h", "volume_m3", ""),
    ("bleach.forecast", "half", "model_sd kappa_sd charge_sd", ""),
    ("bleach.least_factor", "cost", "kappa wanted_pct clo2_price", ""),
    ("chips.demand", "od_t", "adt_h", "screened_pct"),
    ("chips.demand", "green_t", "moisture_pct bark_pct fines_pct loss_pct", ""),
    ("chips.pile", "od_t", "base_m bulk_od repose_deg", ""),
    ("chips.pile", "days", "base_m bulk_od", "draw_t_h"),
    ("chips.trap", "hours", "capacity_kg", "wet_t_h ppm capture"),
    ("chips.bagasse", "od_t", "", "cook_pct"),
    ("chips.bagasse", "wet_t", "moisture_pct", "cook_pct"),
    ("chips.classes", "yield_factor", "", "over_thick_pct fines_pct"),
    ("chips.weather", "mean_pct", "moisture_pct rain_mm", "dry_mm_day"),
    ("chips.order", "green_t", "pulp_t moisture_pct loss_pct", "screened_pct"),
    ("chips.reconcile", "off_pct", "wood_t_h", "out_t rise_t"),
    ("chips.depith", "fibre_pct", "", "pith_pct"),
    ("cook.h_factor", "h", "rise_min cook_c hold_min start_c", ""),
    ("cook.minutes_left", "minutes", "h_target", "h_so_far hold_c"),
    ("cook.alkaline", "kappa", "", "ea_pct_naoh cook_c hold_min"),
    ("cook.alkaline", "yield_pct", "", "cook_c hold_min"),
    ("cook.alkaline", "residual_g_l", "ea_pct_naoh", "hold_min"),
    ("cook.alkaline", "h", "rise_min cook_c hold_min", ""),
    ("cook.empirical", "kappa", "", "h ea_pct_naoh"),
    ("cook.empirical_h", "h", "", "kappa ea_pct_naoh"),
    ("cook.rejects", "rejects", "kappa over_thick_pct", ""),
    ("cook.batch", "adt_day", "digesters volume_m3 packing_t_m3 screened_pct", "cycle_min"),
    ("cook.steam", "direct_t_t", "rise_c u_pct liquor_t_t loss_mj_t", ""),
    ("cook.presteam", "air_left", "", "minutes steam_c"),
    ("cook.blow", "organics_kg", "", "yield_pct"),
    ("cook.blow", "na_kg", "ea_pct_naoh", ""),
    ("cook.relief", "saturated_bar", "temp_c", ""),
    ("cook.zone", "minutes", "volume_m3 packing_t_m3", "wood_t_h"),
    ("cook.zone", "h", "volume_m3 temp_c", "wood_t_h"),
    ("cook.abc", "aa_g_l", "b_ml normality", "v_ml"),
    ("cook.effective_alkali", "ea_pct_naoh", "aa_pct", "sulphidity_pct"),
    ("cook.liquor_plan", "white_m3", "wood_t ea_pct_naoh", "ea_g_l"),
    ("cook.liquor_plan", "chip_water_m3", "wood_t moisture_pct", ""),
    ("cook.knots", "back_t_h", "wood_t_h rejects capture", ""),
    ("cook.sulphite", "s", "bar", ""),
    ("cook.bisulphite", "rate", "cook_c hso3_mol_l", ""),
    ("cook.quench", "mixed_c", "hot_c filtrate_c liquor_t", "filtrate_t"),
    ("deliver.draw", "solids_t_h", "gsm speed_m_min trim_m", "moisture_pct retention_pct"),
    ("deliver.draw", "sale_t_h", "gsm speed_m_min width_m efficiency_pct", ""),
    ("deliver.headbox", "water_l_min", "stock_l_min stock_pct", ""),
    ("deliver.headbox", "first_pass_pct", "", "tray_share"),
    ("deliver.jet", "jet_m_min", "head_m coefficient", ""),
    ("deliver.fresh_water", "m3_t", "fresh_m3_h", "sale_t_h"),
    ("deliver.source_run", "end_pct", "level_pct", "solids_t_h share"),
    ("deliver.source_run", "l_min", "solids_t_h share", "cons_pct"),
    ("deliver.variability", "total_pct", "cons_pct flow_pct speed_pct retention_pct", ""),
    ("lab.consistency", "cons_pct", "pad_g", "paper_g stock_g"),
    ("lab.pith", "pith_pct", "pith_g", "sample_g"),
    ("lab.sand", "residue_pct", "residue_g", "crucible_g sample_g"),
    ("lab.shives", "shives_pct", "shives_g", "stock_g cons_pct"),
    ("lab.fibre_length", "coarseness", "mg_od", ""),
    ("lab.fibre_mix", "lw_mm", "lw_a lw_b", ""),
    ("heat.pulp", "direct_t_t", "to_c loss_mj", "from_c reaction_mj"),
    ("heat.pulp", "steam_t_h", "od_t_h", ""),
    ("heat.stages", "direct_t_t", "", "from_c water_c"),
    ("heat.stages", "steam_t_h", "od_t_h", "water_c"),
    ("mechanical.freeness", "csf_ml", "e0_factor csf0_factor", "sec_kwh_t rpm"),
    ("mechanical.energy", "sec_kwh_t", "", "csf_ml rpm"),
    ("mechanical.blow_line", "cons_out_pct", "sec_kwh_t feed_pct", "dilution_t_t"),
    ("mechanical.blow_line", "steam_t_t", "sec_kwh_t", ""),
    ("mechanical.harvest", "clean_t_t", "steam_t_t captured", ""),
    ("mechanical.rejects", "line_kwh_t", "main_kwh_t reject_kwh_t", ""),
    ("refine.csf_of_sr", "csf_ml", "", "sr"),
    ("refine.sr_of_csf", "sr", "", "csf_ml"),
    ("stock.basis_weight", "gsm", "gsm cons_after_pct flow_change_pct", "cons_before_pct speed_change_pct"),
    ("stock.density", "kg_m3", "ash_pct", "temp_c air_pct"),
    ("stock.dilute", "water_l_min", "flow_l_min cons_pct", ""),
    ("stock.dilute_outflow", "stock_l_min", "flow_out_l_min", "cons_pct"),
    ("stock.dilute_result", "cons_out_pct", "cons_pct water_cons_pct", ""),
    ("stock.dilution_inlet", "cons_in_pct", "cons_out_pct water_l_min", "flow_l_min water_cons_pct"),
    ("stock.thicken", "filtrate_l_min", "flow_l_min target_pct", ""),
    ("stock.fibre_flow", "fibre_t_h", "flow_l_min cons_pct density_kg_l", "air_pct"),
    ("stock.flow", "flow_l_min", "fibre_t_h", "cons_pct density_kg_l"),
    ("stock.washout", "minutes", "tau_min", "rest_pct"),
    ("stock.mixing", "swing_left_pct", "bypass_pct period_min", "volume_m3 active_pct"),
    ("stock.mixing", "changed_min", "volume_m3 active_pct", "flow_m3_h washout_pct"),
    ("stock.moving", "then", "now comes", ""),
    ("colour.of_kappa", "iso_pct", "", "kappa"),
)
# model, inputs multiplied together, figures multiplied by the same, figures that stay
SCALES = (
    ("stock.dilute", "flow_l_min", "water_l_min flow_out_l_min fibre_in_t_h", "cons_out_pct water_part_pct"),
    ("stock.dilute_outflow", "flow_out_l_min", "water_l_min stock_l_min fibre_out_t_h", "water_part_pct"),
    ("stock.thicken", "flow_l_min", "filtrate_l_min flow_out_l_min fibre_out_t_h", ""),
    ("stock.flow", "fibre_t_h", "flow_l_min flow_m3_h flow_us_gpm", ""),
    ("stock.fibre_flow", "flow_l_min", "fibre_t_h fibre_t_d", ""),
    ("stock.mixing", "volume_m3 flow_m3_h", "", "tau_min swing_left_pct scatter_left_pct"),
    ("stock.moving", "volume_m3 in_m3_h out_m3_h", "volume_m3", "then new_pct"),
    ("stock.cover", "capacity rate_in rate_out", "content net", "to_low_h to_high_h"),
    ("deliver.draw", "speed_m_min", "gross_t_h od_t_h web_t_h solids_t_h filler_t_h sale_t_h", ""),
    ("deliver.draw", "gsm", "gross_t_h od_t_h web_t_h solids_t_h filler_t_h sale_t_h", ""),
    ("deliver.headbox", "stock_l_min", "water_l_min flow_l_min", "first_pass_pct"),
    ("deliver.source_run", "solids_t_h full_t made_t_h out_now_t_h", "t_h l_min run_t short_t", "end_pct low_at_h"),
    ("cook.liquor_plan", "wood_t", "white_m3 chip_water_m3 condensate_m3 black_m3", "start_g_l"),
    ("cook.knots", "wood_t_h", "feed_t_h back_t_h pulp_t_h", "net_yield_pct"),
    ("cook.quench", "fibre_t liquor_t filtrate_t", "", "mixed_c"),
    ("cook.abc", "v_ml a_ml b_ml c_ml", "", "ea_g_l aa_g_l sulphidity_pct"),
    ("chips.demand", "adt_h", "od_t green_t solid_m3 loose_m3", ""),
    ("chips.order", "pulp_t", "od_t green_t loose_m3", ""),
    ("chips.depith", "od_t_h", "od_out od_removed", "yield_pct fibre_pct"),
    ("chips.wet_wash", "od_t_h", "od_out water_m3_h pressed_m3_h", "yield_pct moisture_pct"),
    ("bleach.kappa_factor", "adt_d", "l_min", "clo2_kg"),
    ("bleach.tower", "volume_m3 od_t_h", "holds_t", "minutes"),
    ("bleach.kept", "strength", "strength_now", "more_pct"),
    ("lab.consistency", "stock_g paper_g pad_g", "fibre_g", "cons_pct"),
    ("lab.pith", "sample_g fibre_g pith_g", "", "pith_pct fibre_pct lost_pct"),
    ("lab.fibre_length", "n1 n2 n3 n4 n5 n6", "", "lw_mm ln_mm lww_mm fines_n_pct"),
    ("wash.evaporate", "adt_d", "water_t_h steam_t_h", ""),
    ("heat.pulp", "od_t_h", "steam_t_h", "q_mj_t direct_t_t"),
    ("mechanical.freeness", "rate_t_h", "load_mw", "csf_ml"),
    ("chips.reconcile", "wood_t_h out_t rise_t level_sd_t", "made_t implied_t_h", "off_pct half_pct factor"),
)
# where a direction holds: washing with water cleaner than the mat; a question that is still open; a cook past its first lignin
# with alkali left
WHERE = {
    "wash.stage": lambda c: c.df > 0.0 and c.y2 < 0.2 * c.x0,
    "wash.series": lambda c: c.df > 0.0 and c.y_in < 0.02 * c.x0,
    "cook.minutes_left": lambda c: told("cook.minutes_left", c).minutes > 5.0,
    "cook.alkaline": lambda c: (r := told("cook.alkaline", c)).residual_g_l > 1.0 and r.kappa < 120.0,
    "wash.evaporate": lambda c: c.ddf > 0.0,
    "stock.dilution_inlet": lambda c: c.water_cons_pct < c.cons_out_pct,
    "mechanical.dilution": lambda c: c.sec_kwh_t > 300.0,
}
# a question with what is fixed of it, the model that is asked back with more that is fixed, its figures as inputs there, and
# the input of the question that must come back as a figure
INVERSES = (
    (
        "stock.dilute",
        "stock_density_kg_l water_density_kg_l",
        "stock.dilute_result",
        {},
        "water_l_min",
        "target_pct cons_out_pct",
    ),
    ("stock.dilute_outflow", "", "stock.dilute_result", {}, "stock_l_min:flow_l_min water_l_min", "target_pct cons_out_pct"),
    ("stock.flow", "", "stock.fibre_flow", {"air_pct": 0.0}, "flow_l_min", "fibre_t_h fibre_t_h"),
    ("refine.csf_of_sr", "", "refine.sr_of_csf", {}, "csf_ml", "sr sr"),
    ("cook.empirical", "", "cook.empirical_h", {}, "kappa", "h h"),
    ("mechanical.energy", "", "mechanical.freeness", {}, "sec_kwh_t", "csf_ml csf_ml"),
    ("wash.stage", "", "wash.norden", {}, "x1 y1", "e10 e10"),
    ("wash.shower", "", "wash.series", {"last_pct": "out_pct"}, "df", "loss_kg_adt loss_kg_adt"),
    ("bleach.charge", "", "bleach.brighten", {}, "charge_kg", "wanted_pct iso_out"),
    ("oxygen.alkali", "", "oxygen.delignify", {}, "naoh_kg", "kappa kappa"),
    ("mechanical.dilution", "", "mechanical.blow_line", {}, "dilution_t_t", "wanted_pct cons_out_pct"),
    ("bleach.alkali_ph", "", "bleach.alkali_ph", {}, "naoh_for:naoh_kg", "wanted ph"),
)


def told(name: str, case) -> object | None:
    """The result of a case; None where the model refuses it or has no answer."""
    try:
        result = find(name).function(case)
    except ImpossibleInput:
        return None
    return None if isinstance(result, Infeasible) else result


@tag("core")
class Answers(SimpleTestCase):
    def draws(self, name: str):
        """The check's case, then random ones of the valid range."""
        model, chance = find(name), random.Random(name)
        yield read_case(model, dict(model.checks[0].given))
        for _ in range(DRAWS):
            yield drawn(model, chance)

    def test_every_figure_goes_the_way_its_inputs_push_it(self):
        for name, figure, up, down in DIRECTIONS:
            moved = dict.fromkeys((*up.split(), *down.split()), 0)
            for case in self.draws(name):
                base = told(name, case)
                if base is None or not math.isfinite(at := getattr(base, figure)) or not WHERE.get(name, lambda c: True)(case):
                    continue
                for field in moved:
                    said, value = quantities(type(case))[field], getattr(case, field)
                    more = value + 1.0 if said.whole else value + 0.02 * abs(value) + (0.0 if value else 0.01)
                    if said.problem(more) is not None or not said.valid[0] <= more <= said.valid[1]:
                        continue
                    after = told(name, replace(case, **{field: more}))
                    if after is None or not math.isfinite(now := getattr(after, figure)):
                        continue
                    change = (now - at) * (1.0 if field in up.split() else -1.0)
                    with self.subTest(model=name, figure=figure, field=field, case=case):
                        self.assertGreaterEqual(change, -1e-7 * max(1.0, abs(at)))
                    moved[field] += change > TINY * max(1.0, abs(at))
            for field, times in moved.items():
                with self.subTest(model=name, figure=figure, field=field):
                    self.assertGreater(times, 0, "never moved it")

    def test_what_is_twice_as_large_is_twice_as_large(self):
        for name, scaled, same, stays in SCALES:
            tried = 0
            for case in self.draws(name):
                fields = {f: 2.0 * getattr(case, f) for f in scaled.split()}
                if any(quantities(type(case))[f].problem(v) for f, v in fields.items()):
                    continue
                base, after = told(name, case), told(name, replace(case, **fields))
                if base is None or after is None:
                    continue
                tried += 1
                for figure, factor in (*((f, 2.0) for f in same.split()), *((f, 1.0) for f in stays.split())):
                    with self.subTest(model=name, figure=figure, case=case):
                        a, b = getattr(base, figure), getattr(after, figure)
                        if math.isfinite(a):
                            self.assertAlmostEqual(b, factor * a, delta=1e-6 * max(1.0, abs(factor * a)))
                        else:
                            self.assertEqual(a, b)
            self.assertGreater(tried, 0, name)

    def test_an_answer_put_in_gives_its_question_back(self):
        for name, fixed, other, more, put, back in INVERSES:
            tried, (wanted, figure) = 0, back.split()
            for case in self.draws(name):
                case = replace(case, **dict.fromkeys(fixed.split(), 1.0))
                result = told(name, case)
                if result is None or getattr(result, "pressed", 0.0) or not WHERE.get(name, lambda c: True)(case):
                    continue  # a mat that is pressed alone tells no E10
                model, put_in = find(other), [x.partition(":") for x in put.split()]
                answer = {to or own: getattr(result, own) for own, _, to in put_in}
                if not all(v > 0.0 for v in answer.values()):
                    continue  # nothing is asked for: the question answers itself
                shared = {f: getattr(case, f) for f in quantities(model.case_class) if f in quantities(type(case))}
                known = {k: getattr(case, v) if isinstance(v, str) else v for k, v in more.items()}
                try:
                    again = told(other, read_case(model, {**model.checks[0].given, **shared, **known, **answer}))
                except ImpossibleInput:
                    continue  # outside what the other may be asked
                if again is None:
                    continue
                tried += 1
                with self.subTest(question=name, answer=other, case=case):
                    want = getattr(case, wanted)
                    self.assertAlmostEqual(getattr(again, figure), want, delta=2e-3 * max(1.0, abs(want)))
            self.assertGreater(tried, 0, name)


# a move by a reading: its model, reading, aim, inner band, and which way its lever goes when the reading is over the aim
MOVES = (
    ("bleach.residual_move", "residual_g_l", "target_g_l", "inner", -1),
    ("bleach.ph_move", "ph", "target", "inner", -1),
    ("cook.drift", "kappa", "target", "inner", 1),
    ("cook.bagasse_kappa", "kappa", "target", "inner", 1),
    ("mechanical.load", "csf_ml", "target", "inner", 1),
    ("wash.water_move", "loss", "target", "inner", 1),
    ("oxygen.move", "kappa", "target", "inner", 1),
    ("chips.wet_feed", "moisture_pct", "set_pct", "inner", 1),
)
# a lever that follows what it meets in proportion: model, what is met, what it was set for, and the power
FOLLOWS = (
    ("bleach.kappa_move", "kappa", "set_kappa", 1.0),
    ("bleach.weak_move", "strength_g_l", "set_g_l", -1.0),
    ("cook.weak_liquor", "ea_g_l", "old_g_l", -1.0),
)


@tag("core")
class Moves(SimpleTestCase):
    """Every move by a reading: nothing inside the band, more for more, never past the aim, the same steps up and down."""

    def varied(self, name: str):
        """The check's case, then others with each number a tenth larger or smaller."""
        model, chance = find(name), random.Random(name)
        case = read_case(model, dict(model.checks[0].given))
        yield case
        said = quantities(model.case_class)
        for _ in range(DRAWS):
            moved = {f: getattr(case, f) * chance.uniform(0.9, 1.1) for f in said if not said[f].options and not said[f].whole}
            yield replace(case, **{f: v for f, v in moved.items() if said[f].problem(v) is None})

    def at(self, name: str, case, reading: str, value: float):
        return told(name, replace(case, **{reading: value}))

    def test_at_its_aim_and_inside_its_band_no_lever_moves(self):
        for name, reading, aim, inner, _ in MOVES:
            for case in self.varied(name):
                middle, band = getattr(case, aim), getattr(case, inner)
                for part in (-0.99, -0.4, 0.0, 0.4, 0.99):
                    found = self.at(name, case, reading, middle + part * band)
                    with self.subTest(model=name, part=part, case=case):
                        if found is None:
                            continue
                        self.assertFalse(found.stands)
                        if name != "chips.wet_feed":  # which tells its feed all the same
                            self.assertAlmostEqual(found.after, found.before, places=9)

    def test_a_lever_goes_its_own_way_and_no_shorter_for_more(self):
        for name, reading, aim, inner, way in MOVES:
            tried = 0
            for case in self.varied(name):
                middle, band = getattr(case, aim), getattr(case, inner)
                sizes = []
                for times in (1.05, 1.5, 2.0, 3.0, 5.0):
                    found = self.at(name, case, reading, middle + times * band)
                    if found is not None:
                        sizes.append(way * (found.after - found.before))
                with self.subTest(model=name, case=case, sizes=sizes):
                    self.assertTrue(all(size >= -TINY for size in sizes))
                    self.assertTrue(all(b >= a - 1e-6 * max(1.0, abs(a)) for a, b in zip(sizes, sizes[1:], strict=False)))
                tried += any(size > TINY for size in sizes)
            self.assertGreater(tried, DRAWS // 2, name)

    def test_what_is_expected_lies_between_the_reading_and_its_aim(self):
        for name, reading, aim, inner, _ in MOVES:
            if name == "chips.wet_feed":  # what it expects is the dry feed, not the moisture
                continue
            for case in self.varied(name):
                middle, band = getattr(case, aim), getattr(case, inner)
                for times in (-4.0, -2.0, 2.0, 4.0):
                    value = middle + times * band
                    found = self.at(name, case, reading, value)
                    if found is None or found.after == found.before:
                        continue
                    with self.subTest(model=name, times=times, case=case):
                        low, high = sorted((middle, value))
                        self.assertTrue(low - 0.02 * band <= found.expected <= high + 0.02 * band, found.expected)

    def test_a_lever_that_follows_keeps_what_it_carries(self):
        for name, met, was, power in FOLLOWS:
            tried = 0
            for case in self.varied(name):
                same = self.at(name, case, met, getattr(case, was))
                if same is not None and name != "bleach.kappa_move":
                    self.assertAlmostEqual(same.after, same.before, delta=1e-6 * same.before)
                for factor in (0.97, 1.02):
                    a, b = (self.at(name, case, met, getattr(case, was) * f) for f in (1.0, factor))
                    if a is None or b is None:
                        continue
                    tried += 1
                    with self.subTest(model=name, factor=factor, case=case):
                        self.assertAlmostEqual(b.after / a.after, factor**power, delta=2e-3)
            self.assertGreater(tried, 3, name)
