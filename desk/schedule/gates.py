"""The gates before a grade, from the record: titrations, the balance of the last 24 hours, the meters of the blend."""

from dataclasses import dataclass
from urllib.parse import urlencode

from django.urls import reverse

from core.accounts.gates import Balanced, Gate, Transmitter, gates, wider
from core.accounts.reconcile import TitrationCase, TitrationFound, titration
from core.errors import Infeasible
from core.stock.transmitter import Pair, TransmitterCase, check_transmitter
from desk.cook.liquor import ea_pct, titrated
from desk.intake.trust import stuck_tags
from desk.mill import accounts as kept
from desk.stock.pairs import pairs_of


@dataclass(frozen=True)
class Gates:
    """The gates as they stand, and what a forecast of kappa carries until those of the liquor hold."""

    told: tuple[Gate, ...]
    case: TitrationCase | None
    found: TitrationFound | None
    missing_h: int  # of the day, not worked out yet

    @property
    def not_yet(self) -> tuple[Gate, ...]:
        return tuple(gate for gate in self.told if not gate.holds)

    @property
    def rows(self) -> list[tuple[Gate, str]]:
        """Each gate with the address of what it stands on."""
        return [(gate, _stands_on(gate)) for gate in self.told]

    def as_kept(self) -> list[dict]:
        """For the record of the start."""
        return [{"asks": g.asks, "found": g.found, "holds": g.holds} for g in self.told]


def _stands_on(gate: Gate) -> str:
    if gate.key in ("alkali", "pair"):
        return reverse("lab:row", args=[gate.of])
    if gate.key in ("meter", "stuck"):
        return f"{reverse('stock:meter')}?{urlencode({'row': gate.of})}"
    return f"{reverse('mill:accounts')}?of=day&account=fibre"


def gates_of(state) -> Gates:
    """Every gate of the mill now."""
    balance, missing = _balance(state)
    told = gates(titrated(state), _meters(state), balance)
    case = wider(tuple(g for g in told if not g.holds), ea_pct(state))
    return Gates(told, case, titration(case) if case is not None else None, missing)


def _meters(state) -> tuple[Transmitter, ...]:
    rows = [r for r in state.mill.plan.values() if r.test == "consistency" and r.lever.get("kind") == "dilution"]
    still = stuck_tags(state.now)
    told = []
    for row in rows:
        pairs = tuple(Pair(p["meter"], p["lab"]) for p in pairs_of(row, state))
        check = check_transmitter(TransmitterCase(pairs=pairs))
        off, action = (None, 0.0) if isinstance(check, Infeasible) else (check.bias_pct, check.action_pct)
        told.append(Transmitter(name=row.place, row=row.id, off_pct=off, action_pct=action, stuck=row.tag in still))
    return tuple(told)


def _balance(state) -> tuple[Balanced | None, int]:
    """The last 24 hours made to agree, and how many are still to be worked out; None while an hour, a level or a flow is
    wanting."""
    period = kept.period_of(state, "day")
    hours, missing = kept.kept_hours(period)
    if missing or not hours:
        return None, missing
    whole = kept.sum_of(hours)
    agreed = kept.agreed_of(state, period, whole, hours)
    if agreed is None:
        return None, 0
    came = sum(t.made_t for t in agreed.case.towers) + agreed.case.bought_t
    return Balanced(
        chi=agreed.found.chi,
        chi_allowed=agreed.found.chi_allowed,
        worst=agreed.found.worst,
        worst_allowed=agreed.found.worst_allowed,
        unaccounted_t=sum(rose.unexplained for rose in kept.towers_of(state, period, whole)),
        came_t=came,
        suspects=tuple(agreed.suspects),
    ), 0
