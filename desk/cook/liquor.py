"""The white liquors of a mill as they were titrated last, and what that makes a forecast of kappa less sure by."""

from datetime import timedelta

from core.accounts.gates import Titrated, added_sd, apart_pct
from core.accounts.reconcile import USUAL_EA_PCT
from core.cook.unit import CookPlan
from desk.log.practice import newest_results


def titrated(state, line: str | None = None) -> tuple[Titrated, ...]:
    """Every white liquor of the plan, or those of one line: how old its newest titration is, and how far its two readings are
    apart."""
    rows = [r for r in state.mill.plan.values() if r.test == "white_liquor" and line in (None, r.line)]
    newest = newest_results({r.id for r in rows}) if rows else {}
    told = []
    for row in rows:
        read = newest.get(row.id)
        singles = read.data.get("singles", []) if read is not None else []
        age = (state.now - read.at) / timedelta(hours=1) if read is not None else None
        told.append(Titrated(name=row.place, row=row.id, age_h=age, pair_pct=apart_pct(singles)))
    return tuple(told)


def ea_pct(state) -> float:
    """The most effective alkali that a cook of the line is set to, % on wood."""
    told = [p.charge.ea_pct_naoh for p in state.line.acting.values() if isinstance(p, CookPlan)]
    return max(told, default=USUAL_EA_PCT)


def less_sure(state, unit: str, ea: float) -> float:
    """What the titrations of a unit's liquor add to the spread (sd) of a kappa that is foreseen; 0 where they are in time and
    agree, and for a line that no plan titrates."""
    line = next((u.line for u in state.mill.units if u.id == unit), "")
    return added_sd(titrated(state, line), ea)
