"""Bleaching on the schedule's clock: what each plant bleaches to, as its line is run."""

from django.urls import reverse

from core.colour import pad_hex
from desk.kit.lane import Bar, Bars, Lane, Stands


def lanes(state, hours: float, stands: tuple[Stands, ...]) -> list[Lane]:
    lines = {u.id: u.line for u in state.mill.units}
    rows = []
    for key in state.mill.bleach_plans:
        act = state.line.acts.get(key)
        if act is None or not getattr(act, "iso_pct", 0.0):
            continue
        name = lines.get(key) or key
        href = f"{reverse('bleach:sequence')}?line={key}"
        tint = pad_hex(act.iso_pct)
        rows.append((Bar(0.0, hours, f"{name} to {act.iso_pct:.1f} % ISO", tint, href),))
    return [Bars("Bleach", "campaigns", tuple(rows))] if rows else []
