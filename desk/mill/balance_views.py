"""The balance of the line as it is solved now: pulp, sodium, alkali, COD, warmth and steam at every unit that acts."""

import csv
from dataclasses import dataclass

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.errors import CoreError
from core.unit import SOLUTES, Worked
from desk.mill.context import state_of

COLUMNS = (
    ("pulp_t_h", "Pulp", "t/h OD", 2),
    ("kappa", "Kappa", "", 1),
    ("comes_c", "comes at", "°C", 0),
    ("leaves_c", "goes on at", "°C", 0),
    ("others_c", "filtrate at", "°C", 0),
    ("SOD", "Sodium in the liquor", "kg/h", 0),
    ("SODB", "on the fibre", "kg/h", 1),
    ("ALK", "Free alkali", "kg NaOH/h", 0),
    ("COD", "COD", "kg/h", 0),
    ("SUL", "Sulphur", "kg/h", 0),
    ("CL", "Chloride", "kg/h", 0),
    ("OXA", "Active chlorine left", "kg/h", 1),
    ("OXP", "Peroxide left", "kg/h", 1),
)


@dataclass(frozen=True)
class Row:
    """A unit: what comes to it, in the order of COLUMNS, and the steam that keeps it warm, where one does."""

    key: str
    title: str
    line: str
    values: tuple[float | None, ...]
    steam: Worked | None

    @property
    def cells(self) -> list[tuple[float | None, str, int]]:
        return [(v, unit, places) for v, (_, _, unit, places) in zip(self.values, COLUMNS, strict=True)]


def rows_of(state) -> list[Row]:
    """Every acting unit in the order of the line. Raises: CoreError where a unit's steam is too cold for it."""
    line, heat = state.line, state.line.heat
    told = []
    for u in state.mill.units:
        inlet = line.inlets.get(u.id)
        if inlet is None:
            continue
        flows = inlet.solids_t_h > 1e-9
        warm = (heat.pulp[u.id], heat.on[u.id], heat.others[u.id]) if flows else (None, None, None)
        values = (inlet.solids_t_h, inlet.kappa, *warm, *(inlet.kg_h(k) for k, *_ in COLUMNS if k in SOLUTES))
        told.append(Row(u.id, u.title, u.line, values, heat.worked.get(u.id)))
    return told


@require_safe
def balance(request):
    """One balance of the line: the same tonne, kilogram and degree at every desk; as a page or as CSV."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    context = {"state": state, "columns": COLUMNS}
    try:
        rows = rows_of(state)
    except CoreError as failure:
        return render(request, "mill/balance.html", context | {"problem": str(failure), "rows": []})
    if request.GET.get("as") == "csv":
        return _csv(rows, state.now)
    line = state.line
    network = line.solution.network
    added = {k: sum(a.adds.get(k, 0.0) for a in line.acts.values()) for k in SOLUTES}
    left = {k: sum(float(line.solutes[network.index[e], i]) for e in network.exits) for i, k in enumerate(SOLUTES)}
    sodium = added["SOD"] + added["SODB"]
    out = left["SOD"] + left["SODB"]
    context |= {
        "rows": rows,
        "steam_t_h": sum(r.steam.result.steam_t_h for r in rows if r.steam),
        "sodium": sodium,
        "gap": abs(sodium - out) / sodium if sodium else 0.0,
        "passes": line.passes,
    }
    return render(request, "mill/balance.html", context)


def _csv(rows: list[Row], now) -> HttpResponse:
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="balance-{now:%Y%m%d-%H%M}.csv"'
    out = csv.writer(response)
    out.writerow(["unit", "line", *(f"{label}, {unit}" if unit else label for _, label, unit, _ in COLUMNS), "Steam, t/h"])
    for r in rows:
        steam = f"{r.steam.result.steam_t_h:.4g}" if r.steam else ""
        out.writerow([r.title, r.line, *("" if v is None else f"{v:.6g}" for v in r.values), steam])
    return response
