"""What a batch cook's own record tells of its kappa: alkali, sulphidity, liquor and H-factor as each cook was run."""

from datetime import datetime, timedelta

from core.cook.kinetic import Charge, cook
from core.cook.profile import h_factor
from core.errors import CoreError
from core.mill.causes import SETTING, Upstream, Way
from core.quantity import quantities
from desk.cook.models import Cook
from desk.lab.causes import Series, hours

COOKS_BACK = timedelta(hours=60)
STEPS = {"ea_pct_naoh": 0.1, "sulphidity_pct": 1.0, "lw_m3_t": 0.05}
LONGER_MIN = 2.0


def own(state, row, first: datetime) -> list[Series]:
    """The charge and the H-factor of every cook of a row's wood that was blown; nothing of a row that no batch cook feeds."""
    unit = next((u for u in state.mill.units if u.id == row.unit and u.cooks), None)
    if unit is None or row.test != "kappa" or getattr(state.line.acting.get(unit.id), "vessel", "") != "batch":
        return []
    asked = Cook.objects.filter(species=unit.cooks, blown_at__gte=first - COOKS_BACK, blown_at__lte=state.now)
    cooks = list(asked.order_by("blown_at"))
    if len(cooks) < 4:
        return []
    try:
        gains = _gains(cooks[-1])
    except CoreError:
        return []
    order = state.solution.network.index[unit.id]
    said = quantities(Charge)
    told = {name: (said[name].label, said[name].unit, said[name].decimals) for name in STEPS} | {"h": ("H-factor run", "", 0)}
    values = {name: [float(c.charge[name]) for c in cooks] for name in STEPS} | {"h": [h_factor(c.profile) for c in cooks]}
    return [
        Series(
            thing=Upstream(
                key=f"cook:{unit.id}.{name}",
                kind=SETTING,
                place=label,
                what="as cooked",
                measure=measure,
                decimals=decimals,
                station="cook",
                way=Way(),
                order=order,
                unit=unit.id,
                name=name,
            ),
            held=tuple((hours(c.blown_at) - 0.2, v) for c, v in zip(cooks, values[name], strict=True)),
            gain=gains[name],
        )
        for name, (label, measure, decimals) in told.items()
    ]


def _gains(newest: Cook) -> dict[str, float]:
    """Kappa a unit of each, by the kinetic model at the newest cook. Raises: CoreError."""
    charge, run, fitted = newest.given, newest.profile, newest.fitted

    def kappa(given: Charge, points) -> float:
        return cook(newest.species, given, points, coefficients=fitted).kappa

    told = {}
    for name, step in STEPS.items():
        up, down = (Charge(**{**newest.charge, name: getattr(charge, name) + side * step}) for side in (1.0, -1.0))
        told[name] = (kappa(up, run) - kappa(down, run)) / (2.0 * step)
    longer, shorter = ((*run[:-1], (run[-1][0] + side * LONGER_MIN, run[-1][1])) for side in (1.0, -1.0))
    told["h"] = (kappa(charge, longer) - kappa(charge, shorter)) / (h_factor(longer) - h_factor(shorter))
    return told
