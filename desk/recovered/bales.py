"""The bale yard by its record: lots received, counted, tested, sorted, held, and what pulper batches took of them."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

from django.db.models import Q

from core.deliver.lots import SIGNS, lot_number
from core.errors import ImpossibleInput
from core.quantity import quantities
from core.recovered.unit import RecoveredPlan
from core.recovered.yard import (
    TESTED,
    BaleKind,
    Entry,
    LotNow,
    ReorderCase,
    SortCase,
    best,
    lot_now,
    oldest,
    reorder,
    sort_case_of,
    sorting,
)
from core.unit import Worked
from desk.kit.refused import FieldRefused
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.actions import whose, write
from desk.log.models import Kind, Record
from desk.mill.loaded import BALES, BATCHES
from desk.mill.shifts import shift_of
from desk.people.rights import refuse

BOOK_DAYS = 500
USE_SPREAD, LEAD_SPREAD = 0.10, 0.15  # of use and of lead, defaults
MOST_BALES, LEAST_KG, MOST_KG = 2000, 1.0, 3000.0
WHAT = {
    "received": "received",
    "counted": "counted",
    "tested": "tested",
    "sorted": "sorted",
    "held": "set aside",
    "freed": "free again",
}


class YardRefused(FieldRefused):
    """Why an entry cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Standing:
    """A kind of bales as it stands: its lots the oldest first, what is used of it, when to order."""

    kind: BaleKind
    lots: tuple[LotNow, ...]
    use_t_d: float
    worked: Worked

    @property
    def free_t(self) -> float:
        """Free to use, t oven-dry."""
        return sum(x.od_t for x in self.lots if x.free)

    @property
    def held_t(self) -> float:
        """Set aside, t oven-dry."""
        return sum(x.od_t for x in self.lots if x.held)

    @property
    def oldest(self) -> LotNow | None:
        return oldest(self.lots)

    @property
    def best(self) -> LotNow | None:
        """The lot that tests say is gentlest, where that is not the oldest."""
        result = best(self.lots)
        return result if result is not self.oldest else None


def _days(state, at) -> float:
    return (state.now - at).total_seconds() / 86400.0


class Kept(NamedTuple):
    """A record of a lot or a batch, as far as the book reads it."""

    at: datetime
    pk: int
    status: str
    data: dict


def _book(state) -> tuple[dict[str, list[Kept]], dict[str, list[tuple[Kept, dict]]]]:
    """Entries by lot, and what batches took by lot, both in the order of time."""
    since = state.now - timedelta(days=BOOK_DAYS)
    kept = Record.objects.current().filter(kind=Kind.EVENT, at__gte=since, at__lte=state.now)
    entries: dict[str, list[Kept]] = {}
    named = ("subject", "at", "pk", "status", "data")
    for subject, *row in kept.filter(subject__startswith=BALES).order_by("at", "id").values_list(*named):
        entries.setdefault(subject.removeprefix(BALES), []).append(Kept(*row))
    taken: dict[str, list[tuple[Kept, dict]]] = {}
    for _, *row in kept.filter(subject__startswith=BATCHES, status="batch").order_by("at", "id").values_list(*named):
        batch = Kept(*row)
        for load in batch.data.get("lots", ()):
            taken.setdefault(load["lot"], []).append((batch, load))
    return entries, taken


def _entries(state, kept: Iterable[Kept], taken: Iterable[tuple[Kept, dict]]) -> list[Entry]:
    told = [
        (
            r.at,
            r.pk,
            Entry(
                what=r.status,
                days=_days(state, r.at),
                bales=r.data.get("bales", 0.0),
                kg=r.data.get("kg", 0.0),
                tests=r.data.get("tests", {}),
            ),
        )
        for r in kept
    ]
    for r, row in taken:
        e = Entry(what="used", days=_days(state, r.at), bales=row["bales"], kg=row["kg"], into=r.data["number"])
        told.append((r.at, r.pk, e))
    return [e for _, _, e in sorted(told, key=lambda x: x[:2])]


def _lot(state, number: str, kept: list[Kept], taken: list[tuple[Kept, dict]]) -> LotNow | None:
    """A lot as it stands; None where its kind is none of the set-up's, or no receipt stands behind it."""
    kind = state.mill.bales.get(kept[0].data.get("kind", "")) if kept else None
    if kind is None or not any(r.status == "received" for r in kept):
        return None
    return lot_now(number, kind, _entries(state, kept, taken))


def lots_of(state) -> dict[str, LotNow]:
    """Every lot of the yard by number, the oldest first; those that are used up among them."""
    entries, taken = _book(state)
    found = {}
    for number, kept in entries.items():
        try:
            lot = _lot(state, number, kept, taken.get(number, []))
        except ImpossibleInput:
            continue  # an older record gives more than there was; the lot's own page says so
        if lot is not None:
            found[number] = lot
    return dict(sorted(found.items(), key=lambda kv: -kv[1].age_days))


def use_of(state, kind: BaleKind) -> float:
    """What the line takes of a kind of bales as it is run, t/h oven-dry."""
    for key, plan in state.line.acting.items():
        if isinstance(plan, RecoveredPlan) and any(p.kind == kind.key for p in plan.papers):
            dry = {p.kind: p.share * (1.0 - p.moisture_pct / 100.0) for p in plan.papers}
            return fed_to(state, key) * dry[kind.key] / sum(dry.values())
    own = [k for k in state.mill.bales.values() if k.source == kind.source]
    whole = sum(k.share_pct for k in own)
    return state.running.gives.get(kind.source, 0.0) * kind.share_pct / whole if whole > 0.0 else 0.0


def fed_to(state, unit: str) -> float:
    """Bales that are fed to the line of a unit, t/h oven-dry: the feeds of its own line."""
    line = state.solution.network.unit(unit).line
    return sum(t for key, t in state.feed_rates.items() if state.solution.network.unit(key).line == line)


def standings(state, lots: dict[str, LotNow] | None = None) -> list[Standing]:
    """Every kind of the set-up with its lots that hold something, and its cover at the line's use."""
    lots = lots_of(state) if lots is None else lots
    told = []
    for kind in state.mill.bales.values():
        own = tuple(x for x in lots.values() if x.kind.key == kind.key and x.kg > 0.0)
        use = 24.0 * use_of(state, kind)
        case = ReorderCase(
            use_t_d=use,
            use_sd=USE_SPREAD * use,
            lead_d=kind.lead_days,
            lead_sd=LEAD_SPREAD * kind.lead_days,
            there_t=sum(x.od_t for x in own if x.free),
        )
        told.append(Standing(kind, own, use, Worked(model="yard.reorder", case=case, result=reorder(case))))
    return told


def line_letter(state, source: str) -> str:
    """The letter of a source's lots: its own where it is a sign that lot numbers have, else the machine's."""
    letter = source[:1].upper()
    return letter if letter and letter in SIGNS else state.mill.machine.line_letter


def number_of(state, source: str, kind: str, now) -> str:
    """The next number of a source's bale lots (B) or batches (P) in this shift; never one that was used.

    Raises: YardRefused.
    """
    shift, letter = shift_of(now, state.mill), line_letter(state, source)
    day = shift.start.timetuple()
    begin = f"{letter}{kind}-{day.tm_year % 100:02d}{day.tm_yday:03d}-{shift.letter}"
    of_both = Q(subject__startswith=f"{BALES}{begin}") | Q(subject__startswith=begin)
    used = {s.removeprefix(BALES) for s in Record.objects.filter(of_both).values_list("subject", flat=True)}
    for serial in range(1, 100):
        number = lot_number(line=letter, kind=kind, year=day.tm_year, day=day.tm_yday, shift=shift.letter, serial=serial)
        if number not in used:
            return number
    raise YardRefused("kind", "This shift has 99 such lots; no more numbers are left.")


def _number(value: float | None, name: str, low: float, high: float, unit: str, field: str) -> float:
    if value is None or not low <= value <= high:
        shown = "empty" if value is None else f"{value:g} {unit}".strip()
        raise YardRefused(field, f"{name} is {shown}; it must be {low:g} to {high:g} {unit}.".replace(" .", "."))
    return value


def _tests(values: dict[str, float | None]) -> dict[str, float]:
    """The tests that were typed, each within what can be. Raises: YardRefused."""
    said = quantities(BaleKind)
    told = {}
    for name in TESTED:
        if (v := values.get(name)) is not None:
            low, high = said[name].possible
            told[name] = _number(v, said[name].label, low, high, said[name].unit, name)
    return told


def _counted(values: dict[str, float | None], least: float) -> tuple[float, float]:
    bales = _number(values.get("bales"), "Bales", least, MOST_BALES, "", "bales")
    if bales != int(bales):
        raise YardRefused("bales", f"Bales are {bales:g}; they are counted, so a whole number.")
    kg = _number(values.get("kg"), "Weight", least, MOST_BALES * MOST_KG, "kg", "kg")
    if bales > 0 and not LEAST_KG <= kg / bales <= MOST_KG:
        raise YardRefused("kg", f"A bale would weigh {kg / bales:.1f} kg; it must be {LEAST_KG:g} to {MOST_KG:g} kg.")
    if (bales == 0) != (kg == 0):
        raise YardRefused("kg", f"{bales:g} bales and {kg:g} kg do not belong together.")
    return bales, kg


@writing()
def receive(
    *, state, kind: str, values: dict[str, float | None], document: str, by, now, corrects: Record | None = None
) -> Record:
    """Keep a lot that came: bales and kg by the scale, moisture and what its papers say. Raises: YardRefused."""
    refuse(by, "record")
    k = state.mill.bales.get(kind)
    if k is None:
        raise YardRefused("kind", "Bales are none of this mill’s kinds.")
    bales, kg = _counted(values, 1)
    document = plain(document)[:60]
    if not document:
        raise YardRefused("document", "Delivery note is empty; a claim stands on it.")
    shares = {n: _number(values.get(n), "Recycled content", 0.0, 100.0, "%", n) for n in ("post_pct", "pre_pct")}
    if sum(shares.values()) > 100.0:
        raise YardRefused("post_pct", f"Post- and pre-consumer are {sum(shares.values()):g} % together; at most 100 %.")
    number = corrects.subject.removeprefix(BALES) if corrects else number_of(state, k.source, "B", now)
    data = {"kind": kind, "bales": bales, "kg": kg, "document": document, "tests": _tests(values), **shares}
    says = f"Bales {number}: {k.name}, {bales:g} bales, {kg / 1000.0:.2f} t came in, note {document}"
    return _kept(state, number, "received", says, data, by, now, corrects)


def of_one_note(state, received: Record) -> list[str]:
    """Other lots of the same kind that came with the same delivery note."""
    told = received.data
    own = received.subject.removeprefix(BALES)
    return sorted(
        number
        for number, kept in _book(state)[0].items()
        if number != own
        and any(r.status == "received" and all(r.data.get(k) == told[k] for k in ("kind", "document")) for r in kept)
    )


def _kept(state, number: str, what: str, says: str, data: dict, by, now, corrects: Record | None, words: str = "") -> Record:
    """An entry of a lot, once its book adds up with it. Raises: YardRefused where more would be gone than came."""
    entries, taken = _book(state)
    kept = [r for r in entries.get(number, []) if corrects is None or r.pk != corrects.pk]
    at = corrects.at if corrects else now
    trial = Kept(at, corrects.pk if corrects else 2**62, what, data)
    try:
        _lot(state, number, sorted([*kept, trial], key=lambda r: (r.at, r.pk)), taken.get(number, []))
    except ImpossibleInput as refusal:
        raise YardRefused("kg", f"Lot {refusal}.") from None
    return write(
        kind=Kind.EVENT,
        subject=f"{BALES}{number}",
        by=by,
        now=now,
        at=at,
        says=says,
        value=data.get("kg"),
        status=what,
        words=words,
        data=data,
        corrects=corrects,
        reason="mistyped" if corrects else "",
    )


@writing()
def keep(
    *,
    state,
    number: str,
    what: str,
    values: dict[str, float | None],
    words: str,
    by,
    now,
    corrects: Record | None = None,
) -> Record:
    """Keep a count, tests, a sorting, a hold or its end of a lot. Raises: YardRefused."""
    refuse(by, "record")
    lot = lots_of(state).get(number)
    if lot is None:
        raise YardRefused("lot", f"Lot {number} is none of this yard.")
    words = plain(words)[:300]
    data: dict = {"kind": lot.kind.key}
    if what == "counted":
        data["bales"], data["kg"] = _counted(values, 0)
        says = f"Bales {number}: {data['bales']:g} there, {data['kg'] / 1000.0:.2f} t"
    elif what == "tested":
        data["tests"] = _tests(values)
        if not data["tests"]:
            raise YardRefused("moisture_pct", "No test is typed; at least one is wanted.")
        said = quantities(BaleKind)
        told = (f"{said[k].label.lower()} {v:g} {said[k].unit}" for k, v in data["tests"].items())
        says = f"Bales {number}: {', '.join(told)}"
    elif what == "sorted":
        case = sort_case(lot, values)
        found = sorting(case)
        data |= {"kg": found.out_kg, "tests": {"unwanted_pct": found.left_pct}}
        says = f"Bales {number}: {found.out_kg:.0f} kg sorted out, unwanted {case.unwanted_pct:.1f} to {found.left_pct:.1f} %"
    elif what == "held":
        if lot.held:
            raise YardRefused("words", f"Lot {number} is set aside already.")
        if not words:
            raise YardRefused("words", "Reason is empty; a lot is set aside for one.")
        says = f"Bales {number} set aside: {words}"
    elif what == "freed":
        refuse(by, "move")
        if not lot.held:
            raise YardRefused("words", f"Lot {number} is free already.")
        says = f"Bales {number} free again"
    else:
        raise YardRefused("what", f"Choose one of {', '.join(WHAT.values())}.")
    return _kept(state, number, what, says, data, by, now, corrects, words)


def sort_case(lot: LotNow, values: dict[str, float | None]) -> SortCase:
    """What is left of a lot on the belt, as it was sorted. Raises: YardRefused."""
    if lot.kg <= 0.0:
        raise YardRefused("machine_pct", f"Nothing is left of lot {lot.number}.")
    said = quantities(SortCase)
    how = {}
    for name in ("machine_pct", "machine_loss", "hand_pct", "hand_loss"):
        if (v := values.get(name)) is not None:
            low, high = said[name].possible
            how[name] = _number(v, said[name].label.capitalize(), low, high, said[name].unit, name)
    return sort_case_of(lot, **how)


def entry_to_correct(state, number: str, pk: int | None, person) -> tuple[Record | None, str]:
    """The entry of a lot that this person may put right, or why not."""
    if pk is None:
        return None, ""
    result = Record.objects.current().filter(pk=pk, subject=f"{BALES}{number}").first()
    if result is None:
        return None, "That entry is corrected already, or none of this lot."
    if result.status not in ("received", "counted", "tested"):
        return None, "Count the lot: what is there now stands in place of what the book has."
    why = whose(result, person, shift_start=shift_of(state.now, state.mill).start)
    return (None, why) if why else (result, "")
