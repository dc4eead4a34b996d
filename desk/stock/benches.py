"""The single-question benches of Stock: which models, in which groups, opened with which figures."""

from desk.cases.benches import Bench

BENCHES = {
    b.key: b
    for b in (
        Bench("dilution", "Water for a stock flow", "Stock on, consistency wanted: how much water?", "stock.dilute", "dilution",
              {"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2, "water_cons_pct": 0.4}, "dilution"),
        Bench("outflow", "Stock and water for a flow", "So much is wanted after it: how much of each?", "stock.dilute_outflow", "dilution",
              {"flow_out_l_min": 3600, "cons_pct": 4.8, "target_pct": 3.2, "water_cons_pct": 0}, "dilution"),
        Bench("result", "What two flows make", "Both flows are known: what consistency comes out?", "stock.dilute_result", "dilution",
              {"flow_l_min": 2000, "cons_pct": 4.8, "water_l_min": 1000, "water_cons_pct": 0.4}, "dilution"),
        Bench("inlet", "What the chest gives", "Flows and the end are known: what came in?", "stock.dilution_inlet", "dilution",
              {"flow_l_min": 588, "water_l_min": 257, "cons_out_pct": 3.46, "water_cons_pct": 0.4}, "dilution"),
        Bench("thicken", "Water to take out", "Thickener or press: how much filtrate leaves?", "stock.thicken", "thicken",
              {"flow_l_min": 9000, "cons_pct": 1.1, "target_pct": 10, "filtrate_pct": 0.05}, "dilution"),
        Bench("weighing", "Consistency by weighing", "One pad, in grams.", "lab.consistency", "pads",
              {"stock_g": 1105.8, "paper_g": 1.22, "pad_g": 43.86}, "laboratory"),
        Bench("pith", "Pith by wet screening", "Bagasse: fibre, pith, and what was not found again.", "lab.pith", "", {"sample_g": 41.8, "fibre_g": 33.1, "pith_g": 6.2}, "laboratory"),
        Bench("sand", "Sand and silica", "Acid-insoluble residue, and what of it is silica.", "lab.sand", "", {"crucible_g": 21.4030, "residue_g": 21.5272, "after_g": 21.4218, "sample_g": 10.05}, "laboratory",
              "Hydrofluoric acid eats through skin without pain at first: hood, its own card, calcium gluconate at hand, never alone."),
        Bench("shives", "Shives by slot", "What stays on the slot plate.", "lab.shives", "", {"shives_g": 0.84, "stock_g": 6250, "cons_pct": 0.8, "count": 62}, "laboratory"),
        Bench("fibre-length", "Fibre length", "Counts by class: the three averages, fines, coarseness.", "lab.fibre_length", "", {"n1": 820, "n2": 1450, "n3": 960, "n4": 410, "n5": 120, "n6": 30, "mg_od": 0.42}, "laboratory"),
        Bench("fibre-mix", "Two pulps mixed", "Length and coarseness of the mix.", "lab.fibre_mix", "", {"share_pct": 60, "coarse_a": 0.21, "lw_a": 2.3, "coarse_b": 0.1, "lw_b": 0.75}, "laboratory"),
        Bench("density", "Density of stock", "Customary 1.000, or computed from temperature, ash and air.", "stock.density", "density",
              {"cons_pct": 4, "temp_c": 45, "ash_pct": 15, "air_pct": 0}, "flow"),
        Bench("fibre", "Flow to fibre", "Metered flow and consistency: how much oven-dry?", "stock.fibre_flow", "pipe",
              {"flow_l_min": 3000, "cons_pct": 3.6, "density_kg_l": 1.004, "air_pct": 4}, "flow"),
        Bench("flow", "Fibre to flow", "So much oven-dry: what flow?", "stock.flow", "pipe",
              {"fibre_t_h": 8.333, "cons_pct": 3.5, "density_kg_l": 1}, "flow"),
        Bench("basis-weight", "Into basis weight", "What a change of consistency does on the reel.", "stock.basis_weight", "sheets",
              {"gsm": 70, "cons_before_pct": 3.60, "cons_after_pct": 3.64}, "machine"),
        Bench("variability", "Variability budget", "How much may consistency vary?", "deliver.variability", "budget",
              {"cons_pct": 0.5, "flow_pct": 0.3, "speed_pct": 0.05, "retention_pct": 0.4, "wanted_pct": 0.8}, "machine"),
        Bench("headbox", "Fan pump and headbox", "White water, headbox flow, first-pass retention.", "deliver.headbox", "dilution",
              {"stock_l_min": 9800, "stock_pct": 3.2, "headbox_pct": 0.7, "tray_pct": 0.2, "tray_share": 0.985}, "machine"),
        Bench("cover", "Hours of a chest", "Level and rates: when is it empty or full?", "stock.cover", "vessel",
              {"capacity": 250, "level_pct": 60, "rate_in": 120, "rate_out": 150, "low_pct": 10, "high_pct": 95, "lead_h": 0.5}, "chests"),
        Bench("cover-stop", "Hours of a chest through a stop", "A stop or a slow run is ahead, then another order: how far does it reach?", "stock.cover_stop", "vessel",
              {"capacity": 250, "level_pct": 60, "rate_in": 120, "rate_out": 150, "starts_h": 2, "lasts_h": 1.5, "in_then": 120, "out_then": 0, "next_h": 1000, "next_in": 0, "next_out": 0, "low_pct": 10, "high_pct": 95, "lead_h": 0.5}, "chests"),
        Bench("mixing", "What a chest smooths", "Swings, scatter and grade changes through a mixed chest.", "stock.mixing", "mixing",
              {"volume_m3": 100, "flow_m3_h": 200, "active_pct": 85, "bypass_pct": 0, "period_min": 10, "correlation_min": 5, "washout_pct": 2}, "chests"),
    )
}  # fmt: skip
GROUPS = (
    ("dilution", "Dilution"),
    ("laboratory", "Laboratory"),
    ("flow", "Flow and density"),
    ("machine", "Into the machine"),
    ("chests", "Chests"),
)
