"""Chemicals in store as they stand by their book: level, strength, use by the line as it runs, cover and order."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from core.bleach.store import TankCase, TankFound, never_with, tank
from core.errors import ImpossibleInput, Infeasible
from core.stock.book import stands
from core.unit import AIR_DRY
from desk.log.models import Kind, Record
from desk.log.tail import hold, tail

BOOK_DAYS = 60
APART = 0.15  # of the solved use: more is said
TANK = "tank."  # of a record of its book, then the tank

hold(Kind.EVENT, prefix=TANK, back=timedelta(days=BOOK_DAYS + 1))


@dataclass(frozen=True)
class Standing:
    """A tank as it stands by its book."""

    tank: object
    now_m3: float
    read_at: datetime | None
    strength: float
    strength_at: datetime | None
    found: TankFound | None
    why: str
    never: tuple
    kg_adt: float
    last: tuple
    use_from: str
    typed_m3_h: float
    case: TankCase | None  # what its cover was worked out from
    apart: bool  # use of the set-up and of the charges are more than 15 % apart

    @property
    def room_m3(self) -> float:
        """What it still takes by its book, m³."""
        return max(0.0, self.tank.most_m3 - self.now_m3)


def bleached_adt_h(state) -> float:
    """Pulp that is bleached now, t/h air-dry."""
    return sum(state.line.inlets[k].solids_t_h for k in state.mill.bleach_plans) / AIR_DRY


def standings(state) -> list[Standing]:
    """Every tank: its newest level less what was used since plus what came, its strength, its cover."""
    if not state.mill.tanks:
        return []
    adt_h = bleached_adt_h(state)
    book: dict[str, list[Record]] = {f"{TANK}{k}": [] for k in state.mill.tanks}
    since = state.now - timedelta(days=BOOK_DAYS)
    for r in tail().told(Kind.EVENT, prefix=TANK, since=since, until=state.now):
        if r.subject in book:
            book[r.subject].append(r)
    return [_standing(state, t, book[f"{TANK}{k}"], adt_h) for k, t in state.mill.tanks.items()]


def use_of(state, chemical: str, strength_g_l: float) -> float:
    """What the line takes of a chemical as it is run now, m³/h at a strength; 0 where no unit takes it."""
    return state.line.duty(f"{chemical}_kg_h") / strength_g_l if strength_g_l > 0.0 else 0.0


def _standing(state, t, book: list[Record], adt_h: float) -> Standing:
    level = next((r for r in reversed(book) if r.status == "level"), None)
    test = next((r for r in reversed(book) if r.status == "strength"), None)
    strength = test.value if test else t.strength_g_l
    typed, solved = t.use_m3_h, use_of(state, t.chemical, strength)
    if solved > 0.0:
        t = replace(t, use_m3_h=solved)
    common = {
        "use_from": "solved from the charges" if solved > 0.0 else "set-up",
        "typed_m3_h": typed,
        "apart": bool(solved > 0.0 and typed > 0.0 and abs(typed / solved - 1.0) > APART),
        "tank": t,
        "strength": strength,
        "strength_at": test.at if test else None,
        "never": never_with(t.chemical),
        "last": tuple(reversed(book))[:4],
        "kg_adt": t.kg_adt(strength, adt_h),
    }
    if level is None:
        return Standing(now_m3=0.0, read_at=None, found=None, why="No level is kept yet.", case=None, **common)
    hours = lambda at: (at - level.at) / timedelta(hours=1)  # noqa: E731
    came = [(hours(r.at), r.value) for r in book if r.status == "delivery" and r.at > level.at]
    now = stands(level.value, hours(state.now), t.use_m3_h, came, least=t.least_m3, most=t.most_m3)
    case = TankCase(now_m3=now, least_m3=t.least_m3, most_m3=t.most_m3, use_m3_h=t.use_m3_h, lead_h=t.lead_h, load_m3=t.load_m3)
    common |= {"now_m3": now, "read_at": level.at}
    try:
        result = tank(case)
    except ImpossibleInput as refusal:
        why = "; ".join(f"{p.field} {p.text}" for p in refusal.problems)
        return Standing(found=None, why=why, case=None, **common)
    if isinstance(result, Infeasible):
        return Standing(found=None, why=result.reason, case=None, **common)
    return Standing(found=result, why="", case=case, **common)


def strength_of(state, chemical: str) -> Standing | None:
    """The first tank of a chemical, for its strength."""
    return next((s for s in standings(state) if s.tank.chemical == chemical), None)
