"""Pulper batches as records: what was loaded, what it came to, who read the bags with whom; a later record corrects one."""

from core.calc import declared
from core.recovered.pulper import LoadedCase, LoadedFound
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.rights import refuse

SUBJECT, LAST = "pulper.", 5


class BatchRefused(Exception):
    """Why a batch cannot be kept: `field` is where to show it."""

    def __init__(self, field: str, text: str):
        super().__init__(text)
        self.field = field


def batches(line: str) -> list[Record]:
    """The newest batches of a line, those that no later record corrects."""
    return list(Record.objects.current().filter(kind=Kind.EVENT, subject=f"{SUBJECT}{line}").order_by("-at", "-id")[:LAST])


def number_of(line: str, now) -> str:
    """The next batch's number: the line, the day, how many there were that day and one."""
    day = f"{now:%y%j}"
    made = Record.objects.filter(kind=Kind.EVENT, subject=f"{SUBJECT}{line}", data__day=day, corrects__isnull=True).count()
    return f"{line}-{day}-{made + 1}"


@writing()
def keep(
    *,
    line: str,
    case: LoadedCase,
    found: LoadedFound,
    bags: list[dict],
    second: str,
    wire: bool,
    corrects: str,
    by,
    now,
) -> Record:
    """Keep a batch as it was loaded. Bags want a second person who read each label; the rope and the wires want a look.

    `corrects`: the number of a batch that this one stands for. Raises: BatchRefused.
    """
    refuse(by, "record")
    if not wire:
        raise BatchRefused("wire", "Rope and wires are not looked at: the rope turns, and as many wires are out as were cut.")
    second = second.strip()
    if any(bag["bags"] for bag in bags) and (not 2 <= len(second) <= 40 or second.lower() == by.username.lower()):
        raise BatchRefused("second", "Second person is empty or yourself; every label is read by two people.")
    before = None
    if corrects:
        before = next((r for r in batches(line) if r.data.get("number") == corrects), None)
        if before is None:
            raise BatchRefused("corrects", f"Batch {corrects} is none of this line’s last {LAST}, or is corrected already.")
    number = before.data["number"] if before else number_of(line, now)
    data = {"number": number, "day": f"{now:%y%j}", "second": second, "bags": bags, "given": declared(case)}
    data |= {"cons_pct": found.cons_pct, "od_t": found.od_t, "level_pct": found.level_pct, "wire": True}
    return write(
        kind=Kind.EVENT,
        subject=f"{SUBJECT}{line}",
        by=by,
        now=now,
        says=f"Batch {number}: {found.od_t:.2f} t OD at {found.cons_pct:.1f} %",
        value=found.cons_pct,
        status="batch",
        data=data,
        corrects=before,
        reason="loaded otherwise" if before else "",
    )
