"""What was loaded: the bale mix of the newest pulper batches leads the line's own, until somebody puts another in force."""

from collections.abc import Iterable, Mapping

from core.errors import ImpossibleInput
from core.recovered.yard import over_batches
from core.unit import Kind as Acting
from desk.log.models import Record

BALES, BATCHES = "bales.", "pulper."  # what records of lots of bales, and of batches, are kept under


def mixes(batches: Iterable[Record], plans: Mapping[str, Acting], put: Mapping[str, Record]) -> dict[str, dict[str, float]]:
    """The mix that the batches of the last hours loaded, as settings by unit; a mix put in force since then leads again."""
    by_unit: dict[str, list[tuple[float, dict]]] = {}
    for at, data in ((r.at, r.data) for r in batches):
        unit = data.get("unit")
        if unit in plans and data.get("mix") and (unit not in put or at > put[unit].at):
            by_unit.setdefault(unit, []).append((data["od_t"], data["mix"]))
    result = {}
    for unit, rows in by_unit.items():
        known = plans[unit].settings()
        mix = {k: v for k, v in over_batches(rows).items() if k in known}
        try:
            plans[unit].set_to(mix)
        except ImpossibleInput:
            continue  # the set-up has changed under it
        result[unit] = mix
    return result
