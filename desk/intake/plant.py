"""The simulated source: what the demo mill's meters show of its line through time, through the same door as any other.

The line is stepped by the minute from where it was kept, set as the mill is in force; what people do on the desk (a set
point, a furnish, a dilution moved, a meter calibrated) is done to it, and is seen where and when the fibre brings it.
"""

import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import datetime

import numpy as np

from core.errors import CoreError, ImpossibleInput, Problem
from core.instruments.simulate import KINDS, Fault, State, calibrated, fails, fresh, read
from core.mill.run import Running
from core.through.plant import Plant as LinePlant
from core.through.plant import plain
from desk.instruments.models import Signal, ms
from desk.intake.actions import Outcome, Raw, deliver
from desk.intake.calibrations import CALIBRATED
from desk.intake.models import Plant
from desk.kit.writing import writing
from desk.log.models import Kind, Record
from desk.mill.state import MillState

SEED = 26318
WANDER_MIN = 45.0  # how long a place that the line does not tell stays off its aim
KEPT_EVERY_MIN, MOST_MIN = 10, 24 * 60  # a clock that was set on by more begins the rest where it stands
FAULTY = {"meter.M.chest": (90.0, Fault.STUCK)}  # minutes after the start: the demo's meter that sticks until it is calibrated
TRUTHS: list[Callable[[datetime], dict[str, float]]] = []  # what stations add: tag to what is really there
KNOWN_BIAS = {"meter.S.chest": 0.09}

_lines: dict[tuple, LinePlant] = {}  # the newest, by what it was begun as


def _told(running: Running, halted: bool) -> dict:
    settings = {unit: dict(values) for unit, values in running.settings.items()}
    return {"gives": dict(running.gives), "filler_t_h": running.filler_t_h, "settings": settings, "halted": halted}


def _running_of(told: dict) -> Running:
    return Running(feeds={}, gives=told["gives"], filler_t_h=told["filler_t_h"], settings=told["settings"])


def _begin(row: Plant, state: MillState) -> None:
    """The line anew from the levels of now, as it is run now."""
    running = state.running_at(state.rate or 1.0)
    levels = {key: row.truths.get(f"level.{key}", v.level_pct) for key, v in state.vessels.items()}
    row.base = {"version": state.version_id, "levels": levels, "from_min": row.minutes, **_told(plain(running), False)}
    row.line_min, row.kept, row.set_as = 0, None, {}


def _restored(row: Plant, state: MillState) -> LinePlant:
    """The line as it was last kept. Raises: CoreError, also for what was kept and is broken."""
    line = LinePlant(state.mill, _running_of(row.base), row.base["levels"], seed=row.seed)
    if row.kept is not None:
        try:
            line.set_as(_running_of(row.set_as), halted=row.set_as["halted"])
            with np.load(io.BytesIO(bytes(row.kept)), allow_pickle=False) as told:
                line.restore({name: told[name] for name in told.files}, row.set_as["told"])
        except (ValueError, OSError, KeyError, zipfile.BadZipFile, EOFError) as broken:
            raise ImpossibleInput(Problem("kept", f"is broken: {broken}")) from None
    return line


def _key(row: Plant) -> tuple:
    return (row.seed, json.dumps(row.base, sort_keys=True))


def _line(row: Plant, state: MillState) -> LinePlant:
    """The line at the minute of the last scan; begun anew for another set-up, or where it cannot be restored.

    Raises: CoreError.
    """
    if row.base.get("version") != state.version_id:
        _begin(row, state)
    line = _lines.get(_key(row))
    if line is not None and line.minutes == row.line_min:
        return line
    try:
        line = _restored(row, state)
    except CoreError:
        _begin(row, state)
        line = _restored(row, state)
    _lines.clear()
    _lines[_key(row)] = line
    line.run(row.line_min - line.minutes)
    return line


def _packed(line: LinePlant) -> bytes:
    told = io.BytesIO()
    np.savez_compressed(told, **line.kept())
    return told.getvalue()


def _run_on(row: Plant, state: MillState, acts: list[Record]) -> LinePlant:
    """The line set as the mill is in force, and run to now. Raises: CoreError."""
    line = _line(row, state)
    running, halted = state.running, state.stands_still
    changed = bool(acts) or line.running != plain(running) or line.halted != halted
    if changed or line.minutes == 0:
        line.set_as(running, halted=halted)
    for record in acts:
        _thinned(line, state, record)
    whole = int(row.minutes - row.base["from_min"])
    line.run(max(0, whole - line.minutes))
    if changed or whole // KEPT_EVERY_MIN > row.line_min // KEPT_EVERY_MIN:
        row.kept, row.set_as = _packed(line), {**_told(line.running, line.halted), "told": line.told()}
    row.line_min = line.minutes
    return line


def _done(record: Record) -> float:
    """How much of a move was done now: 1 as proposed; of a corrected decision, what it changed."""
    slip = record.about.data
    whole = slip["after"] - slip["before"]
    was = record.data.get("was", slip["before"])
    now = slip["before"] if record.data["choice"] == "refuse" else record.data["after"]
    return (now - was) / whole if whole else 0.0


def _thinned(line: LinePlant, state: MillState, record: Record) -> None:
    """A dilution that was moved by hand: the consistency goes to where the move expects it."""
    slip = record.about.data if record.about is not None else {}
    row = state.mill.plan.get(slip.get("row", ""))
    if slip.get("kind") == "dilution" and row is not None:
        line.thinned(row.unit, _done(record) * (slip["expected"] - slip["reading"]))


def _meter(row: Plant, signal: Signal, rng: np.random.Generator) -> State:
    kept = row.meters.get(signal.tag)
    if kept:
        return State(**{**kept, "fault": Fault(kept["fault"])})
    meter = fresh(KINDS[signal.kind], rng)
    return replace(meter, bias=KNOWN_BIAS[signal.tag]) if signal.tag in KNOWN_BIAS else meter


def _failing(row: Plant, tag: str, before_min: float) -> Fault:
    """How a meter fails since the scan before."""
    at, how = FAULTY.get(tag, (0.0, Fault.NONE))
    if before_min < at <= row.minutes:
        return how
    return fails(row.seed, tag, before_min, row.minutes)


def _put_right(meter: State, tag: str, state: MillState, records: list[Record]) -> State:
    """A meter after what people did to it: calibrated, or a bias entered."""
    for record in records:
        if record.kind == Kind.EVENT and record.subject == tag:
            meter = calibrated(meter, float(record.data.get("left", 0.0)))
        elif record.kind == Kind.DECISION and record.about is not None and record.about.data.get("kind") == "bias":
            row = state.mill.plan.get(record.about.data["row"])
            if row is not None and row.tag == tag:
                slip = record.about.data
                meter = replace(meter, bias=meter.bias + _done(record) * (slip["after"] - slip["before"]))
    return meter


def _beside(state: MillState, told: dict[str, float], held: dict[str, float], dt_min: float, rng) -> dict[str, float]:
    """What stands where the line tells nothing: stores beside it by their rates, other rows about their aim."""
    result = {}
    for key, v in state.vessels.items():
        if (tag := f"level.{key}") not in told:
            gained = 100.0 * (v.rate_in - v.rate_out) * dt_min / 60.0 / v.vessel.full_t
            result[tag] = min(100.0, max(0.0, held.get(tag, v.level_pct) + gained))
    for row in state.mill.plan.values():
        if row.metered and row.tag not in told:
            band = state.mill.band(row, state.grade)
            width = band.high - band.low if np.isfinite(band.high - band.low) else abs(band.aim)
            share = np.exp(-dt_min / WANDER_MIN)
            sd = width * 0.12 * np.sqrt(1.0 - share**2)
            was = held.get(row.tag, band.aim)
            result[row.tag] = max(0.0, float(band.aim + share * (was - band.aim) + rng.normal(0.0, sd)))
    return result


def _heard(row: Plant, now: datetime) -> list[Record]:
    """What people did to the plant since the last scan."""
    acts = Record.objects.filter(pk__gt=row.heard, entered_at__lte=now)
    done = acts.filter(kind=Kind.DECISION) | acts.filter(kind=Kind.EVENT, status=CALIBRATED)
    return list(done.select_related("about").order_by("pk"))


@dataclass(frozen=True)
class Scan:
    """What every simulated meter shows at a time, by tag; None where its signal dropped out."""

    at: datetime
    shown: dict[str, float | None]


def scan(state: MillState, now: datetime) -> Scan | None:
    """One scan of every simulated meter, from the seed and the number of the scan; None while the clock stands, or where
    another process scanned first.

    Raises: CoreError for a mill whose line cannot be run as it is set.
    """
    row, made = Plant.objects.get_or_create(pk=1, defaults={"seed": SEED, "at": now})
    if made:  # what was done before the plant began, it was begun with
        row.heard = Record.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
    dt_min = (now - row.at).total_seconds() / 60.0
    if row.scans and dt_min <= 0.0:
        return None
    dt_min = min(max(dt_min, 0.0), float(MOST_MIN))
    rng = np.random.default_rng([row.seed, row.scans])
    before_min, row.minutes = row.minutes, row.minutes + dt_min
    acts = _heard(row, now)
    truths = _run_on(row, state, [r for r in acts if r.kind == Kind.DECISION]).truths()
    truths |= _beside(state, truths, row.truths, dt_min, rng)
    for more in TRUTHS:
        truths |= more(now)
    shown: dict[str, float | None] = {}
    meters = {}
    for signal in Signal.objects.filter(tag__in=truths):
        meter = _put_right(_meter(row, signal, rng), signal.tag, state, acts)
        if (fault := _failing(row, signal.tag, before_min)) is not Fault.NONE:
            meter = replace(meter, fault=fault)
        shown[signal.tag], meter = read(KINDS[signal.kind], meter, truths[signal.tag], dt_min, rng)
        meters[signal.tag] = asdict(meter)
    row.truths, row.meters, row.at = truths, meters, now
    row.heard = max([row.heard, *(r.pk for r in acts)])
    row.scans += 1
    with writing():
        if Plant.objects.filter(pk=row.pk, scans=row.scans).exists():
            return None
        row.save()
    return Scan(now, shown)


def step(state: MillState, now: datetime) -> Outcome | None:
    """A scan through the door of the readings; None where there was none. Raises: CoreError."""
    found = scan(state, now)
    if found is None:
        return None
    rows = [Raw(i, tag, ms(now), x) for i, (tag, x) in enumerate(found.shown.items(), start=1) if x is not None]
    return deliver(rows=rows, door="simulated", name="simulated meters", by=None, now=now, quiet=True)[1]
