"""The chemical tank book: levels, deliveries and strength tests as records; cover, orders and what never meets."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from core.bleach.ceilings import mind_strength
from core.bleach.store import TankCase, TankFound, drawn, never_with, tank
from core.errors import ImpossibleInput, Infeasible
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.practice import from_result
from desk.people.rights import refuse

BOOK_DAYS = 60
APART = 0.15  # of the solved use: more is said
WHAT = ("level", "delivery", "strength")


class BookRefused(Exception):
    """Why an entry cannot be kept: `field` is where to show it."""

    def __init__(self, field: str, text: str):
        super().__init__(text)
        self.field = field


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
    apart: bool  # use of the set-up and of the charges are more than 15 % apart


def standings(state, adt_h: float) -> list[Standing]:
    """Every tank: its newest level less what was used since plus what came, its strength, its cover."""
    subjects = [f"tank.{k}" for k in state.mill.tanks]
    book: dict[str, list[Record]] = {s: [] for s in subjects}
    since = state.now - timedelta(days=BOOK_DAYS)
    for r in (
        Record.objects.current()
        .filter(kind=Kind.EVENT, subject__in=subjects, at__gte=since, at__lte=state.now)
        .order_by("at", "id")
    ):
        book[r.subject].append(r)
    return [_standing(state, t, book[f"tank.{k}"], adt_h) for k, t in state.mill.tanks.items()]


def use_of(state, chemical: str, strength_g_l: float) -> float:
    """What the line takes of a chemical as it is run now, m³/h at a strength; 0 where no unit takes it."""
    kg_h = sum(acts.duties.get(f"{chemical}_kg_h", 0.0) for acts in state.line.acts.values())
    return kg_h / strength_g_l if strength_g_l > 0.0 else 0.0


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
        return Standing(now_m3=0.0, read_at=None, found=None, why="No level is kept yet.", **common)
    came = sum(r.value for r in book if r.status == "delivery" and r.at > level.at)
    hours = (state.now - level.at) / timedelta(hours=1)
    now = min(t.most_m3, drawn(level.value, came, t.use_m3_h, hours, t.least_m3))
    try:
        found = tank(
            TankCase(
                now_m3=now, least_m3=t.least_m3, most_m3=t.most_m3, use_m3_h=t.use_m3_h, lead_h=t.lead_h, load_m3=t.load_m3
            )
        )
    except ImpossibleInput as refusal:
        return Standing(
            now_m3=now, read_at=level.at, found=None, why="; ".join(f"{p.field} {p.text}" for p in refusal.problems), **common
        )
    if isinstance(found, Infeasible):
        return Standing(now_m3=now, read_at=level.at, found=None, why=found.reason, **common)
    return Standing(now_m3=now, read_at=level.at, found=found, why="", **common)


@writing()
def keep(*, state, what: str, where: str, value: float | None, second: str, read_aloud: bool, words: str, by, now) -> Record:
    """Keep a level (m³), a delivery (m³; wants the second person and the gate answered) or a strength test (g/L). Raises:
    BookRefused."""
    refuse(by, "record")
    t = state.mill.tanks.get(where)
    if t is None:
        raise BookRefused("where", "Tank is none of this mill.")
    if what not in WHAT:
        raise BookRefused("what", "Choose level, delivery or strength.")
    low, high, unit = {
        "level": (t.least_m3, t.most_m3, "m³"),
        "delivery": (0.1, t.most_m3 - t.least_m3, "m³"),
        "strength": (0.1, 2000.0, "g/L"),
    }[what]
    if value is None or not low <= value <= high:
        shown = "empty" if value is None else f"{value:g} {unit}"
        raise BookRefused("value", f"{what.capitalize()} is {shown}; it must be {low:g} to {high:g} {unit}.")
    data = {}
    if what == "delivery":
        if not read_aloud:
            raise BookRefused(
                "read_aloud",
                "The gate is not answered: product read aloud from hose label, tank and batch, and the "
                "never-together list read.",
            )
        if not 2 <= len(second.strip()) <= 40 or second.strip().lower() == by.username.lower():
            raise BookRefused("second", "Second person is empty or yourself; a delivery is read by two people.")
        data = {"gate": "G2", "second": second.strip()}
    says = f"{t.name}: {what} {value:g} {unit}"
    if what == "strength" and t.chemical.lower() in ("clo2", "chlorine dioxide"):
        data["cautions"] = [c.text for c in mind_strength(value, "value")]
    kept = write(
        kind=Kind.EVENT, subject=f"tank.{where}", by=by, now=now, says=says, value=value, status=what, words=words, data=data
    )
    if what == "strength":  # feed-forward: one accepted test is enough
        from_result(f"tank.{where}", kept, state=state, now=now)
    return kept
