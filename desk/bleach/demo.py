"""The demo mill's chemical tanks: a level, a test and a delivery each."""

from datetime import timedelta

from desk.log.actions import write
from desk.log.models import Kind

LEVELS = {"clo2": 290.0, "peroxide": 31.0, "caustic": 52.0, "acid": 11.5, "dithionite": 6.2}


def build_tanks(people, mill, now) -> None:
    for i, (key, t) in enumerate(mill.tanks.items()):
        at = now - timedelta(hours=30 + 7 * i)
        write(
            kind=Kind.EVENT,
            subject=f"tank.{key}",
            by=people["tk"],
            now=at,
            says=f"{t.name}: delivery {t.load_m3:g} m³",
            value=t.load_m3,
            status="delivery",
            data={"gate": "G2", "second": "J.D."},
        )
    for key, t in mill.tanks.items():
        at = now.replace(hour=6, minute=20)
        write(
            kind=Kind.EVENT,
            subject=f"tank.{key}",
            by=people["tk"],
            now=at,
            says=f"{t.name}: level {LEVELS[key]:g} m³",
            value=LEVELS[key],
            status="level",
        )
        write(
            kind=Kind.EVENT,
            subject=f"tank.{key}",
            by=people["wa"],
            now=at + timedelta(minutes=25),
            says=f"{t.name}: strength {t.strength_g_l:g} g/L",
            value=t.strength_g_l,
            status="strength",
        )
