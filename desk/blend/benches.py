"""The single questions of Blend: which models, in which groups, opened with which figures."""

from desk.cases.benches import Bench

_PULPS = [
    {"share_pct": f, "price": c, "k457": k, "s457": s, "csf_ml": csf, "ash_pct": a, "tensile": t, "high_pct": high}
    for f, c, k, s, csf, a, t, high in (
        (40, 720, 0.229, 28, 455, 0.3, 75, 100),
        (40, 600, 0.310, 38, 420, 0.4, 45, 100),
        (10, 380, 4.80, 55, 330, 9, 38, 100),
        (10, 250, 0.95, 45, 350, 18, 42, 20),
    )
]
_LIMITS = {"iso_least": 80, "ash_most": 6, "tensile_least": 46, "pulps": _PULPS}
_STREAMS = [{"share_pct": f, "cons_pct": c} for f, c in ((40, 3.8), (40, 4.0), (20, 3.2))]
_DARK = {"iso_least": 80, "rest_k": 0.3, "rest_s": 36, "k": 3.0, "s": 45}
ADDED = "Each by its own paper: goggles and gloves, no acid to carbonate or to bleach, the nearest shower known."
DYES = (
    "Dye that is fixed cannot be taken out, only outrun. Dust and concentrates stain and irritate: gloves, goggles, own paper."
)
_SHEET = dict(
    zip((f"r{nm}" for nm in (420, 460, 500, 540, 580, 620, 660)), (0.58, 0.66, 0.72, 0.76, 0.79, 0.81, 0.82), strict=True)
)
BENCHES = {
    key: Bench(key, title, line, model, "shade" if key in ("dyed", "dye-recipe") else "", given, group, mind)
    for key, title, line, model, given, group, mind in (
        ("flows", "Flows of a recipe", "And the ratio check.", "blend.flows", {"od_t_h": 10, "streams": _STREAMS}, "mix", ""),
        ("mix", "What a recipe becomes", "Light, freeness, strength.", "blend.forecast", _LIMITS, "mix", ""),
        ("least", "Furnish of least cost", "Within its limits.", "blend.least", _LIMITS, "mix", ""),
        ("relief", "What must give", "Where nothing fits.", "blend.relief", {**_LIMITS, "iso_least": 92}, "mix", ""),
        (
            "use-up",
            "Broke used up",
            "Kept apart by shade, or thrown together.",
            "blend.use_up",
            {
                "draw_t_h": 16.4,
                "hours": 24,
                "iso_least": 78.5,
                "rest_k": 0.95,
                "rest_s": 38,
                "stores": [
                    {"t": 19, "full_t": 24, "made_t_h": 2.15, "k457": 0.9, "s457": 42},
                    {"t": 3, "full_t": 12, "made_t_h": 0.0, "k457": 6, "s457": 42, "suits": "other grades"},
                ],
            },
            "mix",
            "",
        ),
        ("shade", "How much of a darker pulp", "For a brightness.", "blend.shade_cap", _DARK, "mix", ""),
        ("sheet", "Shade of a sheet", "Seven bands.", "blend.shade", _SHEET, "shade", ""),
        (
            "dyed",
            "What dyes make of a pulp",
            "And what its broke does.",
            "blend.dyed",
            {"k457": 0.95, "s": 38, "blue": 0.8, "red": 0.3},
            "shade",
            DYES,
        ),
        (
            "dye-recipe",
            "Least dye for a shade",
            "Within a tolerance.",
            "blend.recipe",
            {"k457": 0.95, "s": 38, "l_star": 67.7, "a_star": 1.75, "b_star": -16.7, "within": 0.8},
            "shade",
            DYES,
        ),
        (
            "additive",
            "Flow of an additive",
            "Dose to litres a minute.",
            "blend.additive",
            {"od_t_h": 16.4, "dose_kg_t": 1.2, "strength_pct": 15, "tank_l": 4000},
            "added",
            ADDED,
        ),
        (
            "dose",
            "Dose from a flow",
            "The pump measured.",
            "blend.dose_of",
            {"od_t_h": 16.4, "l_min": 2.2, "strength_pct": 15},
            "added",
            ADDED,
        ),
        (
            "bags",
            "Bags for a batch",
            "Up to whole bags.",
            "blend.bags",
            {"od_t": 4.35, "dose_kg_t": 8, "solids_pct": 88},
            "added",
            "Starch dust burns and explodes: no open flame, dust swept wet. Bags lifted by two or by the hoist.",
        ),
        (
            "filler",
            "Filler for an ash",
            "What the furnish brings is counted.",
            "blend.filler",
            {"sheet_ash_pct": 14, "fibre_ash_pct": 2, "retention_pct": 70},
            "added",
            "",
        ),
        (
            "charge",
            "Charge balance",
            "How far to neutral.",
            "blend.charge",
            {"demand_ueq_l": 45, "cons_pct": 1, "meq_g": 6},
            "added",
            "",
        ),
    )
}
