"""The wells of a cook: its case, and the points of its profile."""

from dataclasses import dataclass
from types import SimpleNamespace

from core.cook.design import DesignCase
from core.cook.kinetic import Charge
from core.cook.profile import Points
from core.cook.species import SPECIES
from core.cook.unit import CookPlan
from core.quantity import quantities
from desk.kit.bench import BenchForm, typed_number
from desk.kit.templatetags.vat import clock
from desk.log.practice import newest_results
from desk.mill.beside import read_words

MOST_POINTS = 7
MET_FROM = 0.01  # of the charge: less is not told
DesignForm = BenchForm.of(SimpleNamespace(case_class=DesignCase, function=None, name="cook.design"))
# what the set-up does not hold of a cook: wood a charge, over-thick chips, white liquor; by kind of wood
CHARGES = {
    "softwood": {"wood_t": 22.4, "over_thick_pct": 9.5, "ea_g_l": 104, "target": 30},
    "hardwood": {"wood_t": 20, "over_thick_pct": 5, "ea_g_l": 104, "target": 18},
    "bagasse": {"wood_t": 4, "over_thick_pct": 0, "ea_g_l": 110, "target": 14.3},
}
BARE = (
    {
        "species": "softwood",
        "moisture_pct": 50,
        "sulphidity_pct": 30,
        "ea_pct_naoh": 18.5,
        "lw_m3_t": 4.0,
        **CHARGES["softwood"],
    },
    ((0, 80), (90, 170), (180, 170)),
)  # where the mill plans no cook


@dataclass(frozen=True)
class Opening:
    """What the design of a unit's cook opens with: wells, points, and where each well comes from."""

    unit: str
    title: str
    wells: dict
    points: Points
    sources: dict[str, str]
    met: Charge | None = None  # the charge as the wood that comes meets it, where that is another


def _liquor_read(state, unit: str):
    """The newest titration of the white liquor of a unit's line while it counts; None without one."""
    line = next((u.line for u in state.mill.units if u.id == unit), "")
    row = next((r for r in state.mill.plan.values() if r.test == "white_liquor" and r.line == line), None)
    read = newest_results({row.id}).get(row.id) if row else None
    return read if read is not None and state.leads(read) > 0.0 else None


def openings(state) -> dict[str, Opening]:
    """The cooks of this mill as they are run now, by wood or plant: charge as in force, moisture as the chips come, the plan's
    log."""
    titles, result = {u.id: u.title for u in state.mill.units}, {}
    for unit, plan in state.line.acting.items():
        if not isinstance(plan, CookPlan):
            continue
        inlet, row, record = state.line.inlets[unit], state.mill.plan.get(plan.kappa_row), state.put_in_force.get(unit)
        wet = inlet.solids_t_h + inlet.water_t_h
        usual = CHARGES.get(SPECIES[plan.species].kind, CHARGES["softwood"])
        charge = {name: getattr(plan.charge, name) for name in quantities(Charge)}
        wells = {**usual, **charge, "species": plan.species}
        sources = dict.fromkeys(usual, "default") | dict.fromkeys(
            charge, f"in force since {clock(record.at)}" if record else "set-up"
        )
        if wet > 0.0:
            wells["moisture_pct"] = round(100.0 * inlet.water_t_h / wet, 2)
            read = next((state.moistures[u] for u in state.moistures if state.feeds(u, unit)), None)
            sources["moisture_pct"] = read_words(state, read) if read else "set-up"
        else:
            wells["moisture_pct"] = BARE[0]["moisture_pct"]
        if (liquor := _liquor_read(state, unit)) is not None:
            wells["ea_g_l"], sources["ea_g_l"] = liquor.value, read_words(state, liquor)
        if row is not None and row.band.target is not None:
            wells["target"], sources["target"] = row.band.target, "set-up"
        met = plan.met(inlet)
        other = abs(met.ea_pct_naoh / plan.charge.ea_pct_naoh - 1.0) > MET_FROM
        points = plan.way(inlet.solids_t_h)
        result[plan.species] = Opening(unit, titles[unit], wells, points, sources, met if other else None)
    return result


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
