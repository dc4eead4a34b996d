"""The demo mill's bale yard and its pulper batches of the last days, so that the line, the claim and the trace have lots."""

from datetime import timedelta

from core.calc import declared
from core.deliver.lots import lot_number
from core.recovered.pulper import Load, LoadedCase, loaded
from core.recovered.yard import Entry, batch_mix, lot_now
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.shifts import shift_of

BACK_H = 72.0
YIELD = 0.798  # of the demo’s recovered line
EVERY_H = 1.1  # between two batches: what the line is fed
LOADED = (("ledger", 4), ("trim", 3))
STOCK = {"ledger": (15, 13.0, 23_520.0, 56), "trim": (9, 24.0, 17_940.0, 69), "slush": (2, 160.0, 23_920.0, 104)}
BROKE = {"broke-white": (2, 40.0, 2_280.0, 6), "broke-tint": (1, 90.0, 1_900.0, 5)}


def _number(mill, letter: str, kind: str, at, used: set[str]) -> str:
    shift = shift_of(at, mill)
    day = shift.start.timetuple()
    for serial in range(1, 100):
        told = lot_number(line=letter, kind=kind, year=day.tm_year, day=day.tm_yday, shift=shift.letter, serial=serial)
        if told not in used:
            used.add(told)
            return told
    raise AssertionError("more lots in a shift than numbers")


def came(mill, people, kind: str, number: str, at, bales: float, kg: float, note: str) -> None:
    """A lot of bales that came in, with its note."""
    k = mill.bales[kind]
    data = {"kind": kind, "bales": bales, "kg": kg, "document": note, "post_pct": k.post_pct, "pre_pct": k.pre_pct}
    data["tests"] = {"moisture_pct": k.moisture_pct}
    says = f"Bales {number}: {k.name}, {bales:g} bales, {kg / 1000.0:.2f} t came in, note {note}"
    write(
        kind=Kind.EVENT, subject=f"bales.{number}", by=people["tk"], now=at, says=says, value=kg, status="received", data=data
    )


def counted(mill, people, number: str, at, bales: float, kg: float) -> None:
    """A count of a lot of wet lap."""
    data = {"kind": "wetlap", "bales": bales, "kg": kg}
    says = f"Bales {number}: {bales:g} there, {kg / 1000.0:.2f} t"
    told = {"kind": Kind.EVENT, "by": people["tk"], "now": at}
    write(subject=f"bales.{number}", says=says, value=kg, status="counted", data=data, **told)


def build_bales(mill, people, now) -> None:
    """Lots that came, the oldest first; batches of the last three days, loaded of the oldest lots of ledger and trim."""
    used = set(Record.objects.filter(kind=Kind.LOT_CLOSE).values_list("subject", flat=True))
    lots: dict[str, list[tuple[str, float]]] = {}
    told = []
    for i, (kind, (count, every, kg, bales)) in enumerate((STOCK | BROKE).items()):
        for k in range(count):
            at = now - timedelta(hours=BACK_H + 3.0 + 5.0 * i + every * (count - 1 - k))
            told.append((at, kind, kg, bales))
    for k in range(5):
        told.append((now - timedelta(hours=60.0 - 14.0 * k), "ledger", 23_520.0, 56))
    for k in range(3):
        told.append((now - timedelta(hours=55.0 - 24.0 * k), "trim", 17_940.0, 69))
    for j, (at, kind, kg, bales) in enumerate(sorted(told)):
        number = _number(mill, mill.bales[kind].source, "B", at, used)
        came(mill, people, kind, number, at, bales, kg, f"DN {4100 + j}")
        lots.setdefault(kind, []).append((number, kg))
    held = lots["trim"][-1][0]
    data = {"kind": "trim"}
    says = f"Bales {held} set aside: glued spines seen on the belt, stickies asked of the laboratory"
    words = "glued spines seen on the belt, stickies asked of the laboratory"
    write(
        kind=Kind.EVENT,
        subject=f"bales.{held}",
        by=people["tk"],
        now=now - timedelta(hours=5),
        says=says,
        status="held",
        data=data,
        words=words,
    )
    _batches(mill, people, now, lots, used)


def _batches(mill, people, now, lots: dict[str, list[tuple[str, float]]], used: set[str]) -> None:
    vat = mill.vats["R"]
    left = {kind: [[n, kg] for n, kg in rows] for kind, rows in lots.items()}
    whole = tuple(p.kind for p in mill.plans[vat.unit].papers)
    for i in range(int(BACK_H / EVERY_H)):
        at = now - timedelta(hours=BACK_H - EVERY_H * i - 0.3)
        rows, behind, taken, loads = [], [], [], []
        for kind, bales in LOADED:
            k = mill.bales[kind]
            kg = bales * k.bale_kg
            lot = next(x for x in left[kind] if x[1] >= kg)
            lot[1] -= kg
            rows.append({"lot": lot[0], "kind": kind, "bales": bales, "kg": kg})
            behind.append({"lot": lot[0], "od_t": kg * (1.0 - k.moisture_pct / 100.0) / 1000.0})
            taken.append((lot_now(lot[0], k, (Entry(what="received", days=1.0, bales=bales, kg=kg),)), kg))
            loads.append(Load(bales=bales, bale_kg=k.bale_kg, moisture_pct=k.moisture_pct))
        case = LoadedCase(
            vat_m3=vat.vat_m3, cons_pct=vat.cons_pct, water_m3=13.2, heel_m3=0.6, heel_pct=13.9, loads=tuple(loads)
        )
        _loaded(mill, people, vat, case, rows, behind, batch_mix(taken, whole), at, used)


def _loaded(mill, people, vat, case: LoadedCase, rows, behind, mix, at, used: set[str]) -> None:
    """A batch as it was kept, and the lot of pulp that it made."""
    found = loaded(case)
    number = _number(mill, vat.source, "P", at, used)
    data = {
        "number": number,
        "vat": vat.key,
        "bags": [],
        "given": declared(case),
        "cons_pct": found.cons_pct,
        "od_t": found.od_t,
        "level_pct": found.level_pct,
        "wire": True,
        "wants_reader": False,
        "chest_pct": 52.0,
        "lots": rows,
        "unit": vat.unit,
        "mix": mix,
    }
    says = f"Batch {number}: {found.od_t:.2f} t OD at {found.cons_pct:.1f} %"
    told = {"kind": Kind.EVENT, "by": people["tk"], "now": at}
    record = write(subject=f"pulper.{vat.key}", says=says, value=found.cons_pct, status="batch", data=data, **told)
    dumped = {"number": number}
    told["now"] = at + timedelta(minutes=35)
    write(subject=f"pulper.{number}", says=f"Batch {number} dumped", status="dumped", data=dumped, about=record, **told)
    t = found.od_t * YIELD
    what = "recovered ledger and book trim, pulper batch"
    told["kind"] = Kind.LOT_CLOSE
    lot = {"source": vat.source, "unit": vat.unit, "what": what, "tonnes": t, "from": behind}
    write(subject=number, says=f"Lot {number}, {what}, {t:.2f} t", data=lot, **told)
