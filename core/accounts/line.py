"""What a solved line takes and gives in an hour: fibre, water, steam, power, chemicals, load, salts, money and carbon.

Fibre, water, sodium and sulphur close: what came is what went, by place. Prices and carbon figures are defaults until the mill
gives its own. Source: accounts and gaps, sections 4 to 6; the line's own balance.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Final

from core.bleach.line import PRICES
from core.errors import CoreError
from core.line.acting import Line
from core.stream import SUSPENDED, Vector, W
from core.unit import AIR_DRY, ON

LEAST: Final = 1e-6
RECOVERY, REEL, STAYS = "recovery", "reel", "stays."  # keys of exits: back to recovery, sold, left in a tower (then its exit)
EVAPORATED: Final = "evaporators_t_h"  # the duty of a unit whose filtrate goes to recovery
CHEMICALS: Final = {
    "NaOH": "caustic",
    "ClO2": "chlorine dioxide",
    "H2O2": "peroxide",
    "O2": "oxygen",
    "O3": "ozone",
    "NaOCl": "hypochlorite",
    "H2SO4": "sulphuric acid",
    "dithionite": "dithionite",
    "soap": "soap",
    "alkali": "alkali of the cooks, as NaOH",
}
POWER_MWH: Final = 60.0  # a MWh, default
OF_THE_CYCLE: Final = ("alkali",)  # made again in the mill: it has no price here


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """A line of an account: its place (a unit) or name, and how much an hour."""

    key: str
    name: str
    value: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Account:
    """What came and what went of something, in `unit` an hour. One that only counts what is used has nothing that went."""

    key: str
    name: str
    unit: str
    came: tuple[Entry, ...]
    went: tuple[Entry, ...] = ()

    @property
    def total(self) -> float:
        """All that came."""
        return math.fsum(e.value for e in self.came)

    @property
    def gone(self) -> float:
        """All that went."""
        return math.fsum(e.value for e in self.went)

    @property
    def closes(self) -> bool:
        """Whether it has two sides."""
        return bool(self.went)

    @property
    def unexplained(self) -> float:
        """What came and did not go; 0 of an account with one side."""
        return self.total - self.gone if self.closes else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Terms:
    """Prices and carbon: chemicals a kg by name, steam a t, power a MWh; kg CO2 a t of steam and a MWh. Defaults."""

    chemicals: Mapping[str, float] = field(default_factory=lambda: PRICES)
    steam_t: float = 22.0
    power_mwh: float = POWER_MWH
    steam_co2: float = 60.0
    power_co2: float = 350.0


@dataclass(frozen=True, kw_only=True, eq=False)
class Accounts:
    """All accounts of an hour, and the oven-dry tonnes on the reel that they are told a tonne of."""

    reel_t: float
    of: Mapping[str, Account]

    def a_tonne(self, amount: float) -> float | None:
        """An amount a tonne, oven-dry, on the reel; none where nothing was made."""
        return amount / self.reel_t if self.reel_t > 0.0 else None

    @property
    def fibre_lost_pct(self) -> float | None:
        """What of the fibre that came neither went to the reel nor stays in towers, %; none where none came."""
        fibre = self.of.get("fibre")
        if fibre is None or fibre.total <= 0.0:
            return None
        return 100.0 * (1.0 - sum(e.value for e in fibre.went if e.key == REEL or e.key.startswith(STAYS)) / fibre.total)


def _entries(told: Iterable[tuple[str, str, float]]) -> tuple[Entry, ...]:
    """Those that are anything, largest first."""
    kept = [Entry(key=k, name=name, value=float(v)) for k, name, v in told if abs(v) > LEAST]
    return tuple(sorted(kept, key=lambda e: -abs(e.value)))


def _title(line: Line, unit: str) -> str:
    return line.solution.network.unit(unit).title or unit


def _bought(line: Line) -> dict[str, Vector]:
    """What every supply gives, by component, t/h."""
    s = line.solution
    told: dict[str, Vector] = {}
    for d, q, w in zip(s.network.draws, s.drawn, s.composition, strict=True):
        if s.network.unit(d.tank).supply:
            told[d.tank] = told.get(d.tank, 0.0 * w) + q * w
    return told


def exit_keys(line: Line, reel: str) -> dict[str, str]:
    """The key of every exit in an account: what is sold, what goes back to recovery, what stays in towers; the others by their
    own id."""
    network = line.solution.network
    stays = {o.to for u in network.units if u.stores for o in u.outlets}
    back = {o.to for k, a in line.acts.items() if a.duties.get(EVAPORATED) for o in network.unit(k).outlets if o.name != ON}
    told = {e: STAYS + e if e in stays else RECOVERY if e in back else e for e in network.exits}
    return told | ({reel: REEL} if reel in told else {})


def _material(line: Line, keys: Mapping[str, str], by: Vector) -> tuple[tuple[Entry, ...], tuple[Entry, ...]]:
    """What came and went of some components: fed, bought, turned into others at units, left by exits, stayed in towers."""
    s = line.solution
    network = s.network
    came = [(u.id, _title(line, u.id), float(u.feed @ by)) for u in network.units if not u.supply and u.feed.any()]
    came += [(tank, _title(line, tank), float(flows @ by)) for tank, flows in _bought(line).items()]
    made = (s.after - s.into) @ by
    went = [(u.id, f"{_title(line, u.id)}, dissolved", -float(made[i])) for i, u in enumerate(network.units)]
    went += [(keys[e], _title(line, e), float(s.after[network.index[e]] @ by)) for e in network.exits]
    return _entries(came), _entries(went)


def _solute(line: Line, keys: Mapping[str, str], names: tuple[str, ...]) -> tuple[tuple[Entry, ...], tuple[Entry, ...]]:
    """What came of solutes by the units that add them, and went by the exits and by units that use them up, kg/h."""
    network = line.solution.network
    added = [(k, _title(line, k), sum(a.adds.get(n, 0.0) for n in names)) for k, a in line.acts.items()]
    left = [(keys[e], _title(line, e), sum(line.solute_kg_h(e, n) for n in names)) for e in network.exits]
    used = [(k, f"{title}, used up", -v) for k, title, v in added if v < 0.0]
    return _entries((k, t, v) for k, t, v in added if v > 0.0), _entries([*left, *used])


def _duty(line: Line, name: str) -> list[tuple[str, str, float]]:
    return [(k, _title(line, k), a.duties[name]) for k, a in line.acts.items() if a.duties.get(name)]


def _steam(line: Line) -> list[tuple[str, str, float]]:
    """Steam by unit, t/h: what keeps units warm, and the evaporators for what washers send them."""
    try:
        warm = [(k, _title(line, k), float(w.result.steam_t_h)) for k, w in line.heat.worked.items()]
    except CoreError:  # a unit's steam is too cold for it: the balance page says which
        warm = []
    return [*warm, *((k, f"evaporators, for {title}", v) for k, title, v in _duty(line, "steam_t_h"))]


def accounts_of(line: Line, reel: str, added_kg_h: Mapping[str, float], terms: Terms) -> Accounts:
    """The accounts of an hour of a line. `reel`: the exit that is sold; `added_kg_h`: additives at the machine, by name."""
    s = line.solution
    reel_t = float(s.after[s.network.index[reel]] @ SUSPENDED) if reel in s.network.index else 0.0
    keys = exit_keys(line, reel)
    fibre, water = _material(line, keys, SUSPENDED), _material(line, keys, _only(W))
    steam, power = _entries(_steam(line)), _entries(_duty(line, "power_mw"))
    kg: dict[str, float] = {}
    for acts in line.acts.values():
        for name, v in acts.duties.items():
            if name.endswith("_kg_h"):
                kg[name.removesuffix("_kg_h")] = kg.get(name.removesuffix("_kg_h"), 0.0) + v
    chemicals = _entries([(k, CHEMICALS.get(k, k), v) for k, v in kg.items()] + [(k, k, v) for k, v in added_kg_h.items()])
    paid = [(k, CHEMICALS.get(k, k), v * terms.chemicals.get(k, 0.0)) for k, v in kg.items() if k not in OF_THE_CYCLE]
    steam_t, mwh = sum(e.value for e in steam), sum(e.value for e in power)
    money = _entries([*paid, ("steam", "steam", steam_t * terms.steam_t), ("power", "power", mwh * terms.power_mwh)])
    carbon = _entries([("steam", "steam", steam_t * terms.steam_co2), ("power", "power", mwh * terms.power_co2)])
    lost = [e for e in s.network.exits if keys[e] not in (REEL, RECOVERY) and not keys[e].startswith(STAYS)]
    cod = _entries((e, _title(line, e), line.solute_kg_h(e, "COD")) for e in lost)
    sludge = _entries((e, _title(line, e), 1000.0 * float(s.after[s.network.index[e]] @ SUSPENDED)) for e in lost)
    told = (
        Account(key="fibre", name="Fibre and filler", unit="t OD", came=fibre[0], went=fibre[1]),
        Account(key="water", name="Water", unit="m³", came=water[0], went=water[1]),
        Account(key="steam", name="Steam", unit="t", came=steam),
        Account(key="power", name="Power", unit="MWh", came=power),
        Account(key="chemicals", name="Chemicals", unit="kg", came=chemicals),
        Account(key="cod", name="COD that leaves", unit="kg", came=cod),
        Account(key="sludge", name="Solids that leave", unit="kg", came=sludge),
        _two_sided("sodium", "Sodium", _solute(line, keys, ("SOD", "SODB"))),
        _two_sided("sulphur", "Sulphur", _solute(line, keys, ("SUL",))),
        Account(key="money", name="Money, without wood and paper", unit="", came=money),
        Account(key="carbon", name="Carbon of steam and power", unit="kg CO₂", came=carbon),
    )
    return Accounts(reel_t=reel_t, of={a.key: a for a in told})


def _two_sided(key: str, name: str, sides: tuple[tuple[Entry, ...], tuple[Entry, ...]]) -> Account:
    return Account(key=key, name=name, unit="kg", came=sides[0], went=sides[1])


def _only(component: int) -> Vector:
    by = 0.0 * SUSPENDED
    by[component] = 1.0
    return by


def make_up_kg_h(accounts: Accounts, key: str) -> float:
    """Sodium or sulphur that leaves by another way than recovery, kg/h: what the cycle must be given back."""
    return math.fsum(e.value for e in accounts.of[key].went if e.key != RECOVERY)


def summed(hours: Iterable[tuple[float, Accounts]]) -> Accounts:
    """Accounts of many hours together, each so many times."""
    reel, names, units = 0.0, {}, {}
    came: dict[str, dict[str, tuple[str, float]]] = {}
    went: dict[str, dict[str, tuple[str, float]]] = {}
    for times, accounts in hours:
        reel += times * accounts.reel_t
        for key, a in accounts.of.items():
            names[key], units[key] = a.name, a.unit
            for side, of in ((came, a.came), (went, a.went)):
                there = side.setdefault(key, {})
                for e in of:
                    there[e.name] = (e.key, there.get(e.name, ("", 0.0))[1] + times * e.value)
    told = {
        key: Account(
            key=key,
            name=name,
            unit=units[key],
            came=_entries((k, n, v) for n, (k, v) in came[key].items()),
            went=_entries((k, n, v) for n, (k, v) in went[key].items()),
        )
        for key, name in names.items()
    }
    return Accounts(reel_t=reel, of=told)


def adt(reel_t: float) -> float:
    """Air-dry tonnes of oven-dry ones."""
    return reel_t / AIR_DRY
