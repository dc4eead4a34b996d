"""The wells of a cook: its case, and the points of its profile."""

from types import SimpleNamespace

from core.cook.design import DesignCase
from desk.kit.bench import BenchForm, typed_number

MOST_POINTS = 7
DesignForm = BenchForm.of(SimpleNamespace(case_class=DesignCase, function=None, name="cook.design"))
OPENINGS = {
    "larch": ({"species": "larch", "wood_t": 22.4, "moisture_pct": 46.8, "over_thick_pct": 9.5, "ea_g_l": 104, "sulphidity_pct": 28.4, "ea_pct_naoh": 18.0, "lw_m3_t": 4.1, "target": 30},
              ((0, 80), (35, 116), (50, 116), (95, 170), (189, 170))),
    "alder": ({"species": "alder", "wood_t": 20, "moisture_pct": 45, "over_thick_pct": 5, "ea_g_l": 104, "sulphidity_pct": 28.4, "ea_pct_naoh": 17.5, "lw_m3_t": 4.0, "target": 18},
              ((0, 80), (90, 165), (137, 165))),
    "bagasse": ({"species": "bagasse", "wood_t": 4, "moisture_pct": 68, "over_thick_pct": 0, "ea_g_l": 110, "sulphidity_pct": 0, "ea_pct_naoh": 13.0, "lw_m3_t": 5.0, "target": 14.3},
                ((0, 80), (20, 165), (52, 165))),
}  # fmt: skip
ROWS = {"larch": "K.larch_blow.kappa", "alder": "K.alder_blow.kappa", "bagasse": "S.blow.kappa"}


class Profile:
    """Points as typed: rows of minute and °C; an empty row is left out, a bad one is named and nothing typed is lost."""

    def __init__(self, data, opening):
        whole = "m0" in data  # the form was sent whole; an address may name single points of the opening
        self.rows = []
        for i in range(MOST_POINTS):
            start = (f"{opening[i][0]:g}", f"{opening[i][1]:g}") if i < len(opening) and not whole else ("", "")
            m, t = data.get(f"m{i}", start[0]), data.get(f"t{i}", start[1])
            self.rows.append({"i": i, "m": m.strip(), "t": t.strip(), "error": ""})
        self.points = self._read()

    def _read(self):
        points = []
        for r in self.rows:
            if not r["m"] and not r["t"]:
                continue
            try:
                points.append((typed_number(r["m"]), typed_number(r["t"])))
            except ValueError:
                r["error"] = f"Row {r['i'] + 1} is “{r['m']}” min, “{r['t']}” °C; both must be numbers"
                continue
            minute, temp = points[-1]
            if not -10 <= temp <= 200:
                r["error"] = f"Row {r['i'] + 1} is {temp:g} °C; it must be −10 to 200 °C"
            elif len(points) > 1 and minute <= points[-2][0]:
                r["error"] = f"Row {r['i'] + 1} is at {minute:g} min; it must be after {points[-2][0]:g} min"
        if len(points) < 2 and not self.bad:
            self.rows[0]["error"] = "A profile wants two rows at least"
        return tuple(points)

    @property
    def bad(self) -> bool:
        return any(r["error"] for r in self.rows)
