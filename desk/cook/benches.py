"""The single-question benches of Cook."""

from desk.cases.benches import Bench

LIQUOR_MIND = "White liquor and black liquor burn at once: face shield, gloves, shower near; site procedure first."
SO2_MIND = "SO₂: leave upwind at the first smell, alarm, only with breathing apparatus and a watch; site procedure first."
BLOW_MIND = "Hot blow: two pressures at zero before anything is opened; H₂S at the blow tank; the site’s own gate decides."
BENCHES = {
    b.key: b
    for b in (
        Bench("alkaline", "Start, rise and hold", "Kappa, yield and residual of a simple kraft, soda or soda-AQ cook.", "cook.alkaline", "", {"species": "larch", "ea_pct_naoh": 18, "sulphidity_pct": 28, "lw_m3_t": 4.1, "rise_min": 95, "cook_c": 170, "hold_min": 94}, "alkaline"),
        Bench("empirical", "Kappa by H and charge", "The straight line beside the kinetic model.", "cook.empirical", "", {"kind": "softwood", "h": 1640, "ea_pct_naoh": 18}, "alkaline"),
        Bench("h-factor", "H-factor of a profile", "What time and temperature add up to.", "cook.h_factor", "", {"rise_min": 95, "cook_c": 170, "hold_min": 94}, "alkaline"),
        Bench("minutes", "Minutes to an H-factor", "So much H is wanted: how long still?", "cook.minutes_left", "", {"h_target": 1640, "h_so_far": 418, "hold_c": 170, "cool_min": 12, "cool_to_c": 120}, "alkaline"),
        Bench("rejects", "Knots and rejects", "What kappa and thick chips cost.", "cook.rejects", "", {"kind": "softwood", "kappa": 30, "over_thick_pct": 9.5}, "alkaline"),
        Bench("knots", "Knots back to the digester", "Load, alkali and yield of returned knots.", "cook.knots", "", {"wood_t_h": 9.9, "screened_pct": 44, "rejects": 2.4, "ea_pct_naoh": 18}, "alkaline"),
        Bench("presteam", "Presteaming", "Does the liquor get into the chip?", "cook.presteam", "", {"minutes": 6}, "alkaline", "Steam under pressure: presteaming vessels are opened by procedure only."),
        Bench("abc", "White liquor by titration", "A, B and C on the burette.", "cook.abc", "", {"v_ml": 2, "normality": 0.5, "a_ml": 10.4, "b_ml": 12.1, "c_ml": 14.2}, "liquor", LIQUOR_MIND),
        Bench("plan", "Liquor of a charge", "White liquor, chip water and make-up.", "cook.liquor_plan", "", {"wood_t": 22.4, "moisture_pct": 46.8, "ea_pct_naoh": 18, "ea_g_l": 104, "lw_m3_t": 4.1}, "liquor", LIQUOR_MIND),
        Bench("alkali", "Active to effective", "AA and sulphidity to EA.", "cook.effective_alkali", "", {"aa_pct": 20.9, "sulphidity_pct": 28}, "liquor"),
        Bench("batch", "Batch digesters", "Pulp a day from cycle times.", "cook.batch", "", {"digesters": 2, "volume_m3": 120, "packing_t_m3": 0.187, "screened_pct": 45, "cycle_min": 282}, "house"),
        Bench("zone", "A continuous zone", "Minutes, H, and the temperature for another rate.", "cook.zone", "", {"volume_m3": 42, "packing_t_m3": 0.185, "wood_t_h": 4.6, "temp_c": 162, "new_t_h": 5.2}, "house"),
        Bench("quench", "Stopping a cook", "Does the filtrate stop it?", "cook.quench", "", {"fibre_t": 11, "liquor_t": 60, "hot_c": 168, "filtrate_t": 70, "filtrate_c": 75}, "house", BLOW_MIND),
        Bench("steam", "Heat and steam", "What the rise takes.", "cook.steam", "", {"rise_c": 90, "u_pct": 88, "liquor_t_t": 3.2, "loss_mj_t": 60}, "house", BLOW_MIND),
        Bench("acid", "Cooking acid by titration", "Total, free and combined SO₂.", "cook.sulphite_acid", "", {"v_ml": 1, "iodate_ml": 18.9, "naoh_ml": 14.7}, "sulphite", SO2_MIND),
        Bench("sulphite", "Acid sulphite cook", "S-factor, kappa and yield.", "cook.sulphite", "", {"rise_min": 180, "cook_c": 140, "hold_min": 240, "bar": 7}, "sulphite", SO2_MIND),
        Bench("sulphite-time", "Hours left of it", "So much kappa is wanted: how long still?", "cook.sulphite_time", "", {"kappa": 20, "s_so_far": 100, "cook_c": 140, "bar": 7}, "sulphite", SO2_MIND),
        Bench("bisulphite", "Bisulphite cook", "Kappa and yield at one temperature.", "cook.bisulphite", "", {"minutes": 180, "cook_c": 160, "hso3_mol_l": 0.75, "ph": 4.0}, "sulphite", SO2_MIND),
        Bench("tmp", "Energy to freeness", "Two stages share one line on energy.", "mechanical.freeness", "", {"wood": "hemlock", "sec_kwh_t": 2100, "rate_t_h": 2.2}, "mechanical"),
        Bench("energy", "Freeness to energy", "Split over two stages.", "mechanical.energy", "", {"wood": "hemlock", "csf_ml": 125, "rate_t_h": 2.2}, "mechanical", "Motor and gap limits come first; touching plates are destroyed and can start a fire."),
        Bench("blow-line", "Steam and blow line", "The refiner's heat balance.", "mechanical.blow_line", "", {"sec_kwh_t": 1050, "feed_pct": 32, "feed_c": 90, "dilution_t_t": 0.5, "dilution_c": 70, "casing_bar_abs": 3.0}, "mechanical", "Blow lines are hot and under pressure; over 65 % fibre burns."),
        Bench("pair", "Two refiners in series", "Blow lines and steam of both.", "mechanical.pair", "", {"first_kwh_t": 1050, "second_kwh_t": 1050, "feed_pct": 32, "feed_c": 90, "water_1": 0.5, "water_2": 1.2}, "mechanical", "Blow lines are hot and under pressure; over 65 % fibre burns."),
        Bench("harvest", "Steam harvested", "Clean steam from the reboiler.", "mechanical.harvest", "", {"steam_t_t": 1.45, "casing_bar_abs": 3.0, "clean_bar_abs": 2.0, "rate_t_h": 2.2}, "mechanical", "Steam blowing back through a feeder burns: clear the platform."),
        Bench("rejects-refined", "Reject refining", "Energy of the line, freeness together.", "mechanical.rejects", "", {"main_kwh_t": 2100, "reject_pct": 18, "reject_kwh_t": 900, "accept_ml": 122, "refined_ml": 190}, "mechanical"),
        Bench("water", "Dilution of a stage", "Water for a blow-line consistency.", "mechanical.dilution", "", {"wanted_pct": 45, "sec_kwh_t": 1050, "feed_pct": 32, "feed_c": 90, "dilution_c": 70, "casing_bar_abs": 3.0}, "mechanical", "Never move plates and water together."),
    )
}  # fmt: skip
GROUPS = (
    ("alkaline", "Alkaline"),
    ("liquor", "Liquor"),
    ("house", "House"),
    ("sulphite", "Sulphite"),
    ("mechanical", "Mechanical"),
)
