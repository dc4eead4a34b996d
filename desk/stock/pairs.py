"""Pairs of a consistency meter and the laboratory, from the record."""

from desk.instruments.store import matched
from desk.log.models import Kind, Record

PAIRS_SHOWN = 8


def pairs_of(row, state) -> list[dict]:
    """The newest accepted laboratory results that have a meter reading at the same minute, oldest first."""
    newest = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, at__lte=state.now, status="accepted")
    results = list(newest.only("at", "value").order_by("-at")[: 2 * PAIRS_SHOWN])
    result = []
    for r, meter in zip(results, matched(f"meter.{row.point}", [r.at for r in results]), strict=True):
        if meter and len(result) < PAIRS_SHOWN:
            result.append(
                {"at": r.at, "time": f"{r.at:%H:%M}", "meter": meter.value, "lab": r.value, "apart": meter.value - r.value}
            )
    return result[::-1]
