"""The chemical tank book: levels, deliveries and strength tests as records; cover, orders and what never meets."""

from core.bleach.ceilings import mind_strength
from desk.kit.refused import FieldRefused
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.practice import from_result
from desk.mill.chemicals import standings
from desk.people.rights import refuse

WHAT = ("level", "delivery", "strength")


class BookRefused(FieldRefused):
    """Why an entry cannot be kept: `field` is where to show it."""


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
    data: dict = {}
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
        stands = next(s for s in standings(state) if s.tank.key == where)
        if stands.read_at is not None and value > stands.room_m3:
            over = value - stands.room_m3
            data["cautions"] = [
                f"by its book {t.name} had room for {stands.room_m3:.1f} m³; this is {over:.1f} m³ over its most"
            ]
            data["cautions"] += ["read the level; a tank that runs over is a spill"]
    says = f"{t.name}: {what} {value:g} {unit}"
    if what == "strength" and t.chemical.lower() in ("clo2", "chlorine dioxide"):
        data["cautions"] = [c.text for c in mind_strength(value, "value")]
    kept = write(
        kind=Kind.EVENT, subject=f"tank.{where}", by=by, now=now, says=says, value=value, status=what, words=words, data=data
    )
    if what == "strength":  # feed-forward: one accepted test is enough
        from_result(f"tank.{where}", kept, state=state, now=now)
    return kept
