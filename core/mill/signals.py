"""The meters a mill has by its document."""

from dataclasses import dataclass

from core.mill.mill import Mill


@dataclass(frozen=True, slots=True, kw_only=True)
class SignalSpec:
    """A meter of the mill: what it reads, of which kind, and what it can show. Tags read what.where: level.S.tower."""

    tag: str
    label: str
    unit: str
    kind: str
    low: float
    high: float
    decimals: int
    station: str
    age_min: float
    row: str = ""  # the row of the plan that checks it


def signals(mill: Mill) -> tuple[SignalSpec, ...]:
    """The meters a mill has by its document: a level a vessel, a flow a source, a consistency meter a dilution point, a
    thermometer a digester."""
    found = [
        SignalSpec(
            tag=f"level.{k}",
            label=f"{v.name}, level",
            unit="%",
            kind="level",
            low=-1.0,
            high=105.0,
            decimals=1,
            station=v.station,
            age_min=15.0,
        )
        for k, v in mill.vessels.items()
    ]
    found += [
        SignalSpec(
            tag=f"flow.{k}",
            label=f"{s.name} to blend, flow",
            unit="L/min",
            kind="flow",
            low=-10.0,
            high=120_000.0,
            decimals=0,
            station="blend",
            age_min=5.0,
        )
        for k, s in mill.sources.items()
    ]
    found += [
        SignalSpec(
            tag=f"meter.{r.point}",
            label=f"{r.place}, consistency",
            unit="%",
            kind="consistency",
            low=0.0,
            high=12.0,
            decimals=2,
            station=r.station,
            age_min=5.0,
            row=r.id,
        )
        for r in mill.plan.values()
        if r.lever.get("kind") == "dilution"
    ]
    found += [
        SignalSpec(
            tag=f"temp.digester.{d}",
            label=f"Digester {d}, circulation",
            unit="°C",
            kind="temperature",
            low=-10.0,
            high=200.0,
            decimals=1,
            station="cook",
            age_min=10.0,
        )
        for d in mill.digesters
    ]
    return tuple(found)
