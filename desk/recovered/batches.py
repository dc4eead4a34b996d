"""Pulper batches as records: what was loaded of which lots, what it came to, who read the bags; a later record corrects one.

A batch is a source lot too: what it makes of pulp, and the bale lots behind it, so that furnish lots lead back to bales.
"""

from dataclasses import dataclass
from datetime import timedelta

from core.calc import declared
from core.recovered.pulper import LoadedCase, LoadedFound, chest_t
from core.recovered.unit import RecoveredPlan
from core.recovered.vat import Vat
from core.recovered.yard import LotNow, batch_mix
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import stop
from desk.kit.writing import writing
from desk.log.actions import whose, write
from desk.log.models import Kind, Record
from desk.mill.shifts import shift_of
from desk.people.models import Person
from desk.people.pins import PinRefused, check_pin
from desk.people.rights import refuse
from desk.recovered.bales import BATCHES, YardRefused, fed_to, lots_of, number_of

LAST = 5
READ, DUMPED = "labels read", "dumped"
LOADS_BACK = timedelta(hours=24)


class BatchRefused(FieldRefused):
    """Why a batch cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Batch:
    """A batch as it stands: its record, who read its labels, when it was dumped."""

    record: Record
    read: Record | None
    dumped: Record | None

    @property
    def number(self) -> str:
        return self.record.data["number"]

    @property
    def waits_for_reader(self) -> bool:
        """Whether a second person has still to read its labels."""
        return bool(self.record.data.get("wants_reader")) and self.read is None


def batches(vat: str) -> list[Batch]:
    """The newest batches of a vat, those that no later record corrects."""
    rows = Record.objects.current().filter(kind=Kind.EVENT, subject=f"{BATCHES}{vat}", status="batch")
    return _batches(list(rows.order_by("-at", "-id")[:LAST]))


def _batches(records: list[Record]) -> list[Batch]:
    """Batches with what was kept about each, in one question to the record."""
    subjects = [f"{BATCHES}{r.data['number']}" for r in records]
    told: dict[tuple[str, str], Record] = {}
    for r in Record.objects.current().filter(kind=Kind.EVENT, subject__in=subjects).order_by("id"):
        told[r.subject, r.status] = r
    return [Batch(r, told.get((s, READ)), told.get((s, DUMPED))) for r, s in zip(records, subjects, strict=True)]


def batch(number: str) -> Batch | None:
    """A batch by its number, as it stands."""
    row = Record.objects.current().filter(kind=Kind.EVENT, status="batch", data__number=number).order_by("-id").first()
    return _batches([row])[0] if row else None


def _plan_of(state, vat: Vat) -> RecoveredPlan | None:
    plan = state.plans.get(vat.unit)
    return plan if isinstance(plan, RecoveredPlan) and plan.papers else None


def draw_of(state, vat: Vat) -> float:
    """What is drawn from the vat's dump chest, t/h oven-dry: what its line is fed, or what its source gives."""
    if vat.unit:
        return fed_to(state, vat.unit)
    return state.running.gives.get(vat.source, 0.0)


def chest_now(state, vat: Vat, kept: list[Batch] | None = None) -> tuple[float, str]:
    """The level of the dump chest, %, and where it comes from: as it was kept with the newest batch, what was drawn since taken
    off and what was dumped put in; half full where nothing was kept today."""
    kept = batches(vat.key) if kept is None else kept
    last = next((b for b in kept if b.record.at <= state.now), None)
    if last is None or "chest_pct" not in last.record.data or state.now - last.record.at > LOADS_BACK:
        return 50.0, "default"
    newest = last.record
    hours = (state.now - newest.at).total_seconds() / 3600.0
    full = chest_t(vat.chest_m3, vat.chest_pct, vat.temp_c)
    draw = draw_of(state, vat)
    dumped = newest.data["od_t"] if last.dumped else 0.0
    level = newest.data["chest_pct"] + 100.0 * (dumped - draw * hours) / full
    return min(100.0, max(0.0, level)), f"from batch {newest.data['number']}"


def pulp_of(state, vat: Vat, od_t: float) -> float:
    """Pulp that a batch makes, t oven-dry: by the yield of the line behind its vat; all of it where there is none."""
    found = state.line.facts(vat.unit).get("yield_pct") if vat.unit else None
    return od_t * (found if isinstance(found, float) else 100.0) / 100.0


def _lots(state, loads, before: Record | None) -> list[tuple[LotNow, float, float]]:
    """The lots that a batch takes, with bales and kg. Raises: BatchRefused for a lot that is none, is held, or holds less."""
    there = lots_of(state)
    back = {row["lot"]: row["kg"] for row in before.data.get("lots", ())} if before else {}
    told = []
    for number, bales, kg in loads:
        lot = there.get(number)
        if lot is None:
            raise BatchRefused("lot", f"Lot {number} is none of this yard.")
        if lot.held:
            raise BatchRefused("lot", f"Lot {number} is set aside; it is not used until it is free again.")
        left = lot.kg + back.get(number, 0.0)
        taken = sum(x for n, _, x in loads if n == number)
        if taken > left * 1.02 + 1.0:  # bales are weighed one by one: within 2 % of the book
            raise BatchRefused("lot", f"Lot {number} holds {left:.0f} kg; {taken:.0f} kg are loaded of it.")
        told.append((lot, bales, min(kg, left)))
    return told


@writing()
def keep(
    *,
    state,
    vat: Vat,
    case: LoadedCase,
    found: LoadedFound,
    lots: list[tuple[str, float, float]],
    bags: list[dict],
    chest_pct: float,
    wire: bool,
    corrects: str,
    by,
    now,
) -> Record:
    """Keep a batch as it was loaded; the rope and the wires want a look. `lots`: lot, bales and kg of each load that has one.

    `corrects`: the number of a batch that this one stands for. Raises: BatchRefused.
    """
    refuse(by, "record")
    if not wire:
        raise BatchRefused("wire", "Rope and wires are not looked at: the rope turns, and as many wires are out as were cut.")
    before = None
    if corrects:
        before = next((b.record for b in batches(vat.key) if b.number == corrects), None)
        if before is None:
            raise BatchRefused("corrects", f"Batch {corrects} is none of this vat’s last {LAST}, or is corrected already.")
        if why := whose(before, by, shift_start=shift_of(now, state.mill).start):
            raise BatchRefused("corrects", why)
    taken = _lots(state, lots, before)
    try:
        number = before.data["number"] if before else number_of(state, vat.source, "P", now)
    except YardRefused as refusal:
        raise BatchRefused("form", str(refusal)) from None
    plan = _plan_of(state, vat)
    data = {
        "number": number,
        "vat": vat.key,
        "bags": bags,
        "given": declared(case),
        "cons_pct": found.cons_pct,
        "od_t": found.od_t,
        "level_pct": found.level_pct,
        "wire": True,
        "chest_pct": chest_pct,
        "wants_reader": vat.second and any(bag["bags"] for bag in bags),
        "lots": [{"lot": lot.number, "kind": lot.kind.key, "bales": bales, "kg": kg} for lot, bales, kg in taken],
    }
    if plan is not None and (mix := batch_mix([(lot, kg) for lot, _, kg in taken], tuple(p.kind for p in plan.papers))):
        data |= {"unit": vat.unit, "mix": mix}
    record = write(
        kind=Kind.EVENT,
        subject=f"{BATCHES}{vat.key}",
        by=by,
        now=now,
        at=before.at if before else now,
        says=f"Batch {number}: {found.od_t:.2f} t OD at {found.cons_pct:.1f} %",
        value=found.cons_pct,
        status="batch",
        data=data,
        corrects=before,
        reason="other" if before else "",
    )
    _as_lot(state, vat, record, found, taken, by, now)
    return record


def _as_lot(state, vat: Vat, record: Record, found: LoadedFound, taken, by, now) -> None:
    """The batch as a source lot: the pulp it makes, and the bale lots behind it; a corrected batch corrects its lot."""
    number = record.data["number"]
    made = Record.objects.current().filter(kind=Kind.LOT_CLOSE, subject=number, about__isnull=True).order_by("-id").first()
    t = pulp_of(state, vat, found.od_t)
    names = dict.fromkeys(lot.kind.name.lower() for lot, _, _ in taken)
    what = f"{vat.name} batch" + (f" of {', '.join(names)}" if names else "")
    behind = [{"lot": lot.number, "od_t": kg * (1.0 - lot.tests["moisture_pct"] / 100.0) / 1000.0} for lot, _, kg in taken]
    write(
        kind=Kind.LOT_CLOSE,
        subject=number,
        by=by,
        now=now,
        at=record.at,
        says=f"Lot {number}, {what}, {t:.2f} t",
        data={"source": vat.source, "unit": vat.unit, "what": what, "tonnes": t, "from": behind},
        corrects=made,
        reason="other" if made else "",
    )


def read_labels(*, number: str, person: str, pin: str, now) -> Record:
    """Keep that a second person read every label of a batch, by that person's own PIN. Raises: BatchRefused."""
    reader = _reader(number, person)[1]
    try:
        check_pin(reader, pin)
    except PinRefused as refusal:
        raise BatchRefused("pin", str(refusal)) from None
    with writing():
        found, reader = _reader(number, person)  # as it stands now: somebody may have read them since
        return _about(found, READ, f"Batch {number}: labels read", reader, now)


def _reader(number: str, person: str) -> tuple[Batch, Person]:
    """The batch that waits for a reader, and who reads. Raises: BatchRefused."""
    found = batch(number)
    if found is None or not found.record.data.get("wants_reader"):
        raise BatchRefused("reader", f"Batch {number} waits for nobody.")
    if found.read is not None:
        raise BatchRefused("reader", f"The labels of batch {number} were read by {stop(found.read.signed)}")
    reader = Person.objects.filter(username=person, is_active=True).first()
    if reader is None or not reader.may("record"):
        raise BatchRefused("reader", "Choose who reads the labels.")
    if reader.pk == found.record.by_id:
        raise BatchRefused("reader", "That is who loaded the batch; every label is read by two people.")
    return found, reader


@writing()
def dump(*, number: str, by, now) -> Record:
    """Keep that a batch was dumped. Raises: BatchRefused while its labels wait for a second person."""
    refuse(by, "record")
    found = batch(number)
    if found is None:
        raise BatchRefused("dump", f"There is no batch {number}.")
    if found.waits_for_reader:
        raise BatchRefused("dump", f"Batch {number} waits for the second person who reads its labels.")
    if found.dumped is not None:
        raise BatchRefused("dump", f"Batch {number} was dumped already.")
    return _about(found, DUMPED, f"Batch {number} dumped", by, now)


def _about(found: Batch, status: str, says: str, by, now) -> Record:
    return write(
        kind=Kind.EVENT,
        subject=f"{BATCHES}{found.number}",
        by=by,
        now=now,
        says=says,
        status=status,
        data={"number": found.number},
        about=found.record,
    )
