"""The demo mill: people, orders, weeks of record and a morning with something to do, from a fixed seed.

Everything that a person would do goes through the same actions as the pages use. The tests build their mill here too.
"""

import json
import math
import zlib
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from django.contrib.auth.hashers import make_password
from django.db import transaction

import core
from core.deliver.lots import lot_number
from core.downtime import code
from core.instruments.simulate import KINDS, innovation_sd, phi
from core.judge.move import outcome
from core.lab.methods import TESTS
from core.lab.replicate import combine
from core.mill.document import METERED
from core.mill.reading import read_mill
from core.sketch import Stroke
from desk.bleach.demo import build_tanks
from desk.chips.demo import build_yard
from desk.cook.demo import build_cooks
from desk.deliver.actions import close_lot, open_lot
from desk.instruments import store
from desk.instruments.models import Signal, ms
from desk.intake.actions import ensure_signals
from desk.lab import looks
from desk.lab.actions import Entry, record_sample
from desk.log.actions import write, write_note
from desk.log.models import Kind, Record
from desk.log.moves import decide, set_shares
from desk.mill.accounts import kept_hours, period_of
from desk.mill.clock import set_clock
from desk.mill.models import MillVersion
from desk.mill.shifts import shift_of
from desk.mill.state import MillState
from desk.opc.models import STANDIN, STANDIN_URL, Link, map_to_standin
from desk.people.models import Person
from desk.recovered.demo import build_bales, came, counted
from desk.refine.demo import build_plates
from desk.schedule.actions import add_order
from desk.schedule.halts import Halt
from desk.schedule.halts import data_of as halt_data
from desk.schedule.halts import says as halt_says
from desk.schedule.order_plan import Plan
from desk.schedule.order_plan_views import cook_spans
from desk.schedule.plan_lanes import all_lanes
from desk.schedule.versions import issue
from desk.shift.past import Past, lived

DOCUMENT = Path(__file__).resolve().parent.parent / "mill" / "data" / "vixen_weir.json"
NOW = datetime(2026, 11, 14, 10, 42, tzinfo=UTC)
SEED = 26318
PIN = "heron-demo"
DAYS = 30
FLOW_NOISE = 0.01  # of a reading
R_TO_SD = 2.77  # repeatability is so many times the spread of a method (95 %)
EVERY_MS = 600_000
WORKED = {"worked": "worked", "partly": "worked in part", "not": "did not work"}

PEOPLE = (
    ("tk", "T.K.", "operator", "fibre line", "reads, records, takes moves on chips to bleach"),
    ("jd", "J.D.", "operator", "stock prep", "reads, records, takes moves on recovered to deliver"),
    ("wa", "W.A.", "lab", "", "enters results, voids own, may hold a lot"),
    ("mr", "M.R.", "lead", "day shift", "takes and hands over, plans, holds, releases"),
    ("as", "A.S.", "lead", "night shift", "the lead of the other shift"),
    ("pn", "P.N.", "engineer", "", "designs, sets bands; plans and diverts with a lead"),
    ("eb", "E.B.", "maintenance", "", "adds notes to equipment, reads the rest"),
    ("lo", "L.O.", "safety", "", "countersigns safety limits, may hold a lot"),
    ("new", "new", "trainee", "", "a simulated shift in Practice, later with faults and a score"),
    ("cv", "C.V.", "auditor", "", "reads everything, changes nothing"),
    ("admin", "admin", "admin", "", "users, set-up, restore; signs no production record"),
)
LEVELS = {
    "S.tower": 14.6,
    "B.tower": 79,
    "larch.silo": 48,
    "R.tower": 66,
    "K.tower": 41,
    "M.tower": 58,
    "machine.chest": 58,
    "S.chest": 62,
    "alder.silo": 63,
    "bagasse.pile": 71,
    "W.store": 62,
}
# the newest result of a row: (minutes before NOW, value); None keeps what the noise made
LAST = {
    "K.chips.moisture": (52, 46.8),
    "K.alder_blow.kappa": (42, 18.2),
    "K.last_mat.soda_loss": (67, 8.4),
    "K.alder_mat.soda_loss": (58, 8.1),
    "K.last_washer.brightness": (72, 86.4),
    "K.last_washer.dirt": (62, 1.8),
    "K.refiner.freeness": (47, 455),
    "K.white_liquor.white_liquor": (128, 103.6),
    "K.post.kappa": (58, 14.4),
    "K.d0.residual_clo2": (76, 0.021),
    "K.d0.ph": (74, 2.5),
    "K.eop.kappa": (95, 2.9),
    "K.eop.ph": (71, 10.7),
    "K.d1.residual_clo2": (33, 0.031),
    "K.d1.ph": (30, 3.7),
    "S.d0.residual_clo2": (49, 0.018),
    "S.d0.ph": (137, 2.5),
    "S.ep.kappa": (112, 3.5),
    "S.ep.ph": (134, 10.7),
    "S.p.residual_peroxide": (27, 0.78),
    "S.depith.pith": (95, 11.2),
    "S.blow.kappa": (31, 14.3),
    "S.blow.residual_alkali": (78, 5.2),
    "S.last_mat.soda_loss": (55, 8.9),
    "S.last_washer.brightness": (40, 83.0),
    "S.cleaner.sand": (110, 0.31),
    "K.clean.1.drop": (212, 146),
    "S.clean.1.drop": (228, 127),
    "R.clean.1.drop": (236, 130),
    "S.refiner.freeness": (35, 420),
    "M.chips.moisture": (88, 50.4),
    "M.blow.freeness": (44, 124),
    "M.press.consistency": (120, 28.1),
    "M.bleach.brightness": (58, 70.2),
    "M.screen.shives": (75, 0.42),
    "M.refiner.freeness": (277, 121),
    "R.bales.unusable": (102, 2.4),
    "R.float.gain": (87, 9.6),
    "R.loop.ph": (96, 8.2),
    "R.line_end.stickies": (182, 236),
    "R.refiner.freeness": (38, 345),
    "M.chest.consistency": (130, 3.70),
    "R.chest.consistency": (100, 3.65),
}
TODAY_CHEST = {  # (hour, minute): value, at the machine chest during lot A01
    "machine.chest.freeness": ((6, 30, 360), (7, 30, 365), (8, 30, 385), (9, 30, 395), (9, 50, 375)),
    "machine.chest.consistency": ((6, 30, 3.59), (7, 30, 3.62), (8, 30, 3.60), (9, 30, 3.61), (9, 50, 3.60)),
    "machine.chest.ph": ((6, 30, 7.4), (7, 30, 7.5), (8, 30, 7.4), (9, 30, 7.3), (10, 20, 7.4)),
    "machine.chest.brightness": ((6, 40, 79.4), (8, 40, 79.8), (9, 40, 79.5)),
    "machine.chest.ash": ((6, 40, 2.1), (8, 40, 2.3), (9, 40, 2.0)),
}
# eight pairs of the S chest: hours before NOW, laboratory, meter
S_PAIRS = (
    (29.4, 3.42, 3.50),
    (25.6, 3.55, 3.66),
    (21.5, 3.31, 3.38),
    (17.4, 3.60, 3.69),
    (13.3, 3.48, 3.59),
    (9.2, 3.70, 3.80),
    (5.1, 3.25, 3.30),
    (1.1, 3.52, 3.62),
)
WHO = {"lab": "wa", "operator": "tk"}
LOT_KINDS = {
    "larch": ("K", "D"),
    "alder": ("K", "D"),
    "bagasse": ("S", "D"),
    "hemlock": ("M", "T"),
    "wet lap": ("W", "B"),
    "broke": ("B", "R"),
}


def _people() -> dict[str, Person]:
    hashed = make_password(PIN)  # one PIN for the demo, hashed once
    for i, (username, initials, role, post, works) in enumerate(PEOPLE, start=1):
        Person.objects.create(id=i, username=username, initials=initials, role=role, post=post, works=works, password=hashed)
    return {p.username: p for p in Person.objects.all()}


def _around_aim(row, rng, count: int) -> np.ndarray:
    """Deviations of a row that the line does not tell, from its aim."""
    aim, band = _aim(row), row.band
    width = (band.high - band.low) if math.isfinite(band.high - band.low) else abs(aim) * 0.5
    return _walk(rng, count, width * 0.12, 0.55)


def _aim(row) -> float:
    """What a row reads on most days."""
    band = row.band
    return band.aim if band.target is not None else (band.high * 0.72 if math.isfinite(band.high) else band.low * 1.25)


def _found(row, past: Past, rng, times: list[datetime]) -> np.ndarray:
    """What the laboratory found at those times: what stood in the line then, about what this mill finds on most days, with the
    spread of the method; of a row that the line does not tell, about its aim."""
    aim, test = _aim(row), TESTS[row.test]
    if row.id not in past.rows:
        return aim + _around_aim(row, rng, len(times))
    stood = past.row_at(row.id, np.array([ms(t) for t in times]))
    singles = 2.0 if row.test == "consistency" else 1.0
    method = max(test.r_abs, test.r_rel_pct / 100.0 * abs(aim)) / R_TO_SD / math.sqrt(singles)
    return aim + stood - float(np.mean(past.rows[row.id])) + rng.normal(0.0, method, len(times))


def _break_code(begun: datetime, ended: datetime) -> str:
    """A break of the web is of the process; one under five minutes is not coded."""
    return code("deliver", "P", 1) if ended - begun >= timedelta(minutes=5) else ""


def _units_down(mill, people, now: datetime) -> None:
    """What stood still beside the machine: two of the last days, and one this morning that nobody has said a cause of yet."""
    morning = now.replace(hour=0, minute=0)
    stood = (
        ("K.refine", -40.0, 1.4, "RFM04", "seal of the refiner leaks", "as", True),
        ("R.pulper", -29.5, 0.8, "RCR02", "wire in the bales", "jd", False),
        ("R.float", -27.0, 1.1, "", "froth over the edge", "jd", False),
        ("M.tmp", 8.2, 0.6, "", "plates touched, cleared", "tk", False),
    )
    for unit, hour, hours, coded, what, by, planned in stood:
        start = morning + timedelta(hours=hour)
        halt = Halt(start, start + timedelta(hours=hours), what, 0.0, planned, unit, coded)
        title = next(u.title for u in mill.units if u.id == unit)
        told = {"by": people[by], "now": halt.end + timedelta(minutes=6), "at": start, "data": halt_data(halt)}
        write(kind=Kind.DOWN, subject=unit, says=halt_says(halt, title), **told)


def _stopped(halt: Halt, by: Person, machine: str, last: str) -> Record:
    """A stop as the shift wrote it once the machine ran again, behind the record with the hash `last`."""
    record = Record(
        kind=Kind.STOP,
        at=halt.start,
        entered_at=halt.end + timedelta(minutes=4),
        by=by,
        signed=by.signed,
        says=halt_says(halt, machine),
        core_version=core.__version__,
        previous_hash=last,
        data=halt_data(halt),
    )
    record.hash = record.chained(last)
    return record


def _history(mill, people, now: datetime, days: int, past: Past) -> None:
    """Results of the past days for every row of the plan, written in one go with their chain of hashes."""
    told: list[tuple[datetime, dict]] = []
    for row in mill.plan.values():
        test = TESTS[row.test]
        end = now - timedelta(minutes=LAST.get(row.id, (row.interval_min,))[0] + row.interval_min)
        if row.id in TODAY_CHEST:
            end = now.replace(hour=6, minute=0) - timedelta(minutes=row.interval_min / 2)
        if row.id == "S.chest.consistency":
            end = now - timedelta(hours=31)
        count = int(days * 1440 / row.interval_min)
        rng = np.random.default_rng([SEED, zlib.crc32(row.id.encode())])  # a row's own, so that another row changes none
        by = people["jd"] if row.station in ("stock", "deliver", "refine") and row.who == "operator" else people[WHO[row.who]]
        times = [end - timedelta(minutes=row.interval_min * i) for i in range(count - 1, -1, -1)]
        for at, value in zip(times, _found(row, past, rng, times).tolist(), strict=True):
            told.append(
                (
                    at,
                    {
                        "row": row,
                        "test": test,
                        "value": max(0.01, value),
                        "by": by,
                        "spread": min(0.95, abs(rng.normal(0, 0.4))) * test.r_abs,
                    },
                )
            )
        if row.id in LAST:
            minutes, value = LAST[row.id]
            told.append(
                (
                    now - timedelta(minutes=minutes),
                    {"row": row, "test": test, "value": float(value), "by": by, "spread": 0.3 * test.r_abs},
                )
            )
        for hour, minute, value in TODAY_CHEST.get(row.id, ()):
            at = now.replace(hour=hour, minute=minute)
            told.append((at, {"row": row, "test": test, "value": float(value), "by": by, "spread": 0.2 * test.r_abs}))
    for hours, lab, _ in S_PAIRS:
        row = mill.plan["S.chest.consistency"]
        told.append(
            (
                now - timedelta(hours=hours),
                {"row": row, "test": TESTS[row.test], "value": lab, "by": people["jd"], "spread": 0.03},
            )
        )
    for begin, end in past.breaks:
        begun, ended = (datetime.fromtimestamp(x / 1000.0, now.tzinfo) for x in (begin, end))
        told.append(
            (begun, {"halt": Halt(begun, ended, "web break", 0.0, False, "", _break_code(begun, ended)), "by": people["mr"]})
        )
    told.sort(key=lambda t: t[0])
    records, last = [], ""
    for at, t in told:
        if "halt" in t:
            record = _stopped(t["halt"], t["by"], mill.machine.name, last)
            last = record.hash
            records.append(record)
            continue
        row, test, value = t["row"], t["test"], t["value"]
        unit = f" {test.unit}" if test.unit else ""
        shown = f"{test.shown(value):.{test.decimals}f}"
        pads = row.test == "consistency"
        singles = [value - t["spread"] / 2, value + t["spread"] / 2] if pads else [value]
        agreed = combine(tuple(singles), r_abs=test.r_abs, r_rel_pct=test.r_rel_pct)
        record = Record(
            kind=Kind.RESULT,
            subject=row.id,
            at=at,
            entered_at=at + timedelta(minutes=9),
            by=t["by"],
            signed=t["by"].signed,
            value=value,
            status=agreed.status.value,
            says=f"{test.name} {shown}{unit}, {row.place}",
            core_version=core.__version__,
            previous_hash=last,
            data={
                "test": row.test,
                "place": row.place,
                "singles": singles,
                "weighings": [],
                "spread": agreed.spread,
                "limit": agreed.limit,
                "cautions": [],
            },
        )
        record.hash = last = record.chained(last)
        records.append(record)
    Record.objects.bulk_create(records, batch_size=500)


def _walk(rng, n: int, sd: float, share: float) -> np.ndarray:
    """Noise whose neighbours are alike, of a stationary sd."""
    new, level, result = rng.normal(0.0, innovation_sd(sd, share), n), 0.0, np.empty(n)
    for i in range(n):
        level = share * level + new[i]
        result[i] = level
    return result


def _meters(mill, rng, now: datetime, days: int) -> None:
    """What the consistency meters showed every ten minutes: the pulp between its samples, their bias and their noise."""
    signal = dict(Signal.objects.values_list("tag", "pk"))
    rows: dict[tuple[int, int], float] = {}
    start, end = ms(now - timedelta(days=days)), ms(now) - 1
    grid = np.arange(start, end, EVERY_MS)
    for row in mill.plan.values():
        if not row.metered:
            continue
        kind, places = KINDS[METERED[row.test]], TESTS[row.test].decimals
        kept = Record.objects.filter(kind=Kind.RESULT, subject=row.id, at__lte=now).order_by("at").values_list("at", "value")
        times, values = [ms(t) for t, _ in kept], [v for _, v in kept]
        plain = kind.noise * (float(np.mean(values)) if kind.noise_rel else 1.0)
        bias = 0.09 if row.point == "S.chest" else 0.4 * plain
        noise = _walk(rng, len(grid), plain * 0.8, phi(EVERY_MS / 60_000.0, 30.0))
        shown = np.maximum(0.0, np.interp(grid, times, values) + bias + noise)
        rows |= {(signal[row.tag], int(t)): round(float(v), places) for t, v in zip(grid, shown, strict=True)}
        if row.point != "S.chest":
            rows |= {
                (signal[row.tag], t): max(0.0, round(v + float(rng.normal(0.4 * plain, 0.93 * plain)), places))
                for t, v in zip(times, values, strict=True)
                if start <= t <= end
            }
    for hours, _, meter in S_PAIRS:
        rows[signal["meter.S.chest"], ms(now - timedelta(hours=hours))] = meter
    store.keep([(s, t, v, 0) for (s, t), v in sorted(rows.items())])


def _levels(rng, now: datetime, days: int, past: Past) -> None:
    """Levels and the flows out of the towers as their meters read them; of a store beside the line, at the rates of now."""
    state = MillState(now)
    signal = dict(Signal.objects.values_list("tag", "pk"))
    kind, rows = KINDS["level"], []
    for key, v in LEVELS.items():
        grid, level = past.grid, past.levels.get(key)
        if level is None:
            into, out = state.rates[key]
            level = v - 100.0 * (into - out) * (ms(now) - grid) / 3_600_000.0 / state.mill.vessels[key].full_t
        read = np.clip(level + rng.normal(0.0, kind.noise / 2, len(grid)), 5.0, 100.0)
        rows += [(signal[f"level.{key}"], int(t), round(float(x), 1), 0) for t, x in zip(grid[:-1], read[:-1], strict=True)]
        rows.append((signal[f"level.{key}"], ms(now), float(v), 0))
    for key, flow in past.flows.items():
        read = np.maximum(0.0, flow * (1.0 + rng.normal(0.0, FLOW_NOISE, len(flow))))
        rows += [(signal[f"flow.{key}"], int(t), round(float(x), 0), 0) for t, x in zip(past.grid[:-1], read[:-1], strict=True)]
    store.keep(sorted(rows))


def _source_lots(mill, people, now: datetime) -> None:
    """Cooks, slices, bale groups and reels of the last days, as lots that the towers were filled with."""
    plans = (
        ("larch kraft, batch cook", "larch", "K", 2.05, 9.0, 1, "K.larch.cook"),
        ("alder kraft, 4 h slice", "alder", "K", 4.0, 9.2, 51, "K.alder.cook"),
        ("soda bagasse, 4 h slice", "bagasse", "S", 4.0, 7.6, 1, "S.cook"),
        ("thermomechanical hemlock, 8 h slice", "hemlock", "M", 8.0, 16.4, 3, "M.tmp"),
        ("bought wet lap", "wet lap", "W", 60.0, 60.0, 1, "wetlap"),
        ("broke, with its own history", "broke", "B", 6.0, 12.9, 1, "B.broke"),
    )
    made = []
    for i, (what, word, source, every, t, first, unit) in enumerate(plans):
        line, kind = LOT_KINDS[word]
        for k in range(int(72 / every) + 1):
            at = now - timedelta(hours=every * k + (170.0 if source == "W" else 0.9 + 0.37 * i))
            made.append((at, what, source, line, kind, t, first, unit, every))
    made.sort(key=lambda m: m[0])
    serials: dict[str, int] = {}
    wet_lap: list[str] = []
    for at, what, source, line, kind, t, first, unit, every in made:
        shift = shift_of(at, mill)
        day = shift.start.timetuple()
        key = f"{line}{kind}{day.tm_yday}{shift.letter}{first}"
        serials[key] = serials.get(key, first - 1) + 1
        number = lot_number(line=line, kind=kind, year=day.tm_year, day=day.tm_yday, shift=shift.letter, serial=serials[key])
        since = at - timedelta(hours=every)
        data = {"source": source, "unit": unit, "what": what, "tonnes": t, "since": since.isoformat()}
        write(kind=Kind.LOT_CLOSE, subject=number, by=people["tk"], now=at, says=f"Lot {number}, {what}, {t:.1f} t", data=data)
        if source == "W":
            came(mill, people, "wetlap", number, at, 500, 125_000.0, f"DN {3900 + len(wet_lap)}")
            wet_lap.append(number)
    for number, bales in zip(wet_lap, (0, 160), strict=True):
        counted(mill, people, number, now.replace(hour=6, minute=35), bales, 250.0 * bales)


def _round(people, now: datetime) -> None:
    """The first round of the K line this morning, with one finding."""
    at = now.replace(hour=6, minute=38)
    state, by = MillState(now), people["tk"]
    begun = looks.begin(state=MillState(at), line="K", by=by, now=at)
    for k, stop in enumerate(looks.lines_of(state)["K"]):
        found = ("rope", "slight", "one tip of bank 2 drips") if stop.look.key == "tips" else (stop.look.codes[0].key, "", "")
        told = {"key": stop.key, "code": found[0], "grade": found[1], "words": found[2]}
        looks.keep(state=state, by=by, now=at + timedelta(minutes=2 * k), round_=begun, **told)
    looks.finish(state=state, begun=begun, skipped={}, by=by, now=at + timedelta(minutes=29))


def _moves_past(mill, people, now: datetime, days: int, rng) -> None:
    """Moves of the weeks before, each decided and judged at its retest: what the K chest and the larch cook really answered."""
    plans = (  # row, lever now, its unit, gain as foreseen, what the plant gave of it, largest step, retest, hours apart
        ("K.larch_blow.kappa", 1640.0, "H", -0.020, 0.78, 110.0, 130, 31.0),
        ("K.chest.consistency", 1150.0, "L/min", -0.0008, 1.02, 190.0, 25, 26.0),
        ("machine.chest.consistency", 2010.0, "L/min", -0.0003, 0.97, 330.0, 25, 43.0),
    )
    people_by = (people["tk"], people["jd"], people["mr"], people["as"])
    made = []
    for row_id, lever, unit, gain, gives, most, retest, every in plans:
        row = mill.plan[row_id]
        band = mill.band(row, next(iter(mill.grades.values())))
        for k in range(1, int((24.0 * days - 30.0) / every) + 1):
            made.append((now - timedelta(hours=30.0 + every * k), row, band, lever, unit, gain, gives, most, retest, k))
    for at, row, band, lever, unit, gain, gives, most, retest, k in sorted(made, key=lambda m: m[0]):
        error = float(rng.choice((-1.0, 1.0)) * (1.0 + 0.5 * rng.random()) * (band.high - band.aim))
        step = max(-most, min(most, -0.7 * error / gain))
        reading, test = band.aim + error, TESTS[row.test]
        choice = "refuse" if k % 9 == 4 else "alter" if k % 6 == 5 else "take"
        taken = step * (0.6 if choice == "alter" else 1.0)
        after = reading + gives * gain * taken + float(rng.normal(0.0, test.r_abs / R_TO_SD))
        kind = "h_factor" if unit == "H" else "dilution"
        title = (
            f"{'H-factor' if unit == 'H' else 'Water'} of {row.place.lower()} {lever:.0f} to {lever + step:.0f} {unit}".strip()
        )
        slip = {"kind": kind, "row": row.id, "title": title, "before": lever, "after": lever + step, "unit": unit}
        slip |= {"reading": reading, "expected": reading + gain * step, "low": lever - most, "high": lever + most}
        slip |= {"expect": "", "why": "outside its band", "caution": "", "school": "", "dead_min": 5.0, "retest_min": retest}
        by = people_by[k % len(people_by)]
        move = write(kind=Kind.MOVE, subject=row.id, by=None, now=at, says=title, data=slip | {"bound_by": ""})
        data = {"choice": choice, "before": lever, "after": lever + taken, "unit": unit}
        done = {"take": "Taken", "alter": "Altered", "refuse": "Refused"}[choice]
        words = "the pads were not agreed" if choice == "refuse" else ""
        told = {"subject": row.id, "by": by, "now": at + timedelta(minutes=4), "words": words, "data": data}
        decided = write(kind=Kind.DECISION, says=f"{done}: {title}", about=move, **told)
        if choice == "refuse":
            continue
        found = outcome(before=reading, expected=reading + gain * taken, after=after, band=band)
        says = f"{title}: {WORKED[found]}"
        data = {"after": after, "expected": reading + gain * taken}
        told = {"subject": row.id, "by": None, "now": at + timedelta(minutes=4 + retest), "status": found, "data": data}
        write(kind=Kind.EFFECT, says=says, about=decided, **told)


def _earlier_lots(people, now: datetime, state_at) -> None:
    """Furnish lots before this shift, each released."""
    first = now.replace(hour=6, minute=0) - timedelta(hours=24)
    for k in range(6):
        start, end = first + timedelta(hours=4 * k), first + timedelta(hours=4 * k + 4)
        state = state_at(end)
        opened = open_lot(order="H-0411", grade="EX70", by=people["jd"], now=start, state=state)
        tonnes = 4.0 * state.draw.solids_t_h
        close_lot(opened=opened, by=people["jd"], now=end, state=state, tonnes=tonnes)
        write(
            kind=Kind.DISPOSITION,
            subject=opened.subject,
            by=people["mr" if k < 3 else "as"],
            now=end + timedelta(minutes=12),
            status="released",
            says=f"Lot {opened.subject} released: every test of the card is inside",
            data={
                "action": "release",
                "proposed": "release",
                "why": ["every test of the card is inside"],
                "meaning": "released",
            },
            about=opened,
        )


def _night_handover(people, now: datetime) -> None:
    start = now.replace(hour=18, minute=0) - timedelta(days=1)
    watch = "Depither screen 2 is blanked. Bagasse comes wet from the press: watch the S washer."
    titles = (
        "People, permits, overrides",
        "The Heron",
        "Off their card, by station",
        "Levels and cover",
        "Deviations, lots on hold",
        "Moves waiting for their retest",
        "Samples late or missed",
        "Equipment",
        "Changed on purpose",
        "Chemicals and bales",
        "To watch",
        "The shift in figures",
    )
    lines = {
        1: "No injuries. Permit open to 20:00: hot work, S depither platform.",
        2: "Exercise white 70, H-0412, since 06:00 to come.",
        8: "Depither screen 2: blanked, part due on Monday.",
        11: watch,
    }
    sections = [
        {"n": i, "title": t, "lines": [lines.get(i, "None.")], "key": "", "by_hand": i in (8, 11)}
        for i, t in enumerate(titles, start=1)
    ]
    data = {
        "shift": "night shift B",
        "start": start.isoformat(),
        "end": now.replace(hour=6, minute=0).isoformat(),
        "sections": sections,
        "notes": [],
        "meaning": "made",
    }
    signed = write(
        kind=Kind.HANDOVER,
        subject=start.isoformat(),
        by=people["as"],
        now=now.replace(hour=5, minute=52),
        says="Handover of night shift B signed",
        words=watch,
        data=data,
    )
    write(
        kind=Kind.HANDOVER_READ,
        subject=start.isoformat(),
        by=people["mr"],
        now=now.replace(hour=6, minute=4),
        says="Handover of night shift B read",
        data={"meaning": "read"},
        about=signed,
    )


def _this_morning(mill, people, now: datetime, state_at) -> None:
    """The day shift so far, in order of time, through the desk's own actions."""
    six = now.replace(hour=6, minute=0)

    def at(hour: int, minute: int) -> datetime:
        return now.replace(hour=hour, minute=minute)

    first = open_lot(order="H-0412", grade="EX70", by=people["mr"], now=six, state=state_at(six))
    row = mill.plan["K.chest.consistency"]
    record_sample(
        row=row, entry=Entry(results=(3.83, 3.85)), at=at(6, 38), by=people["jd"], now=at(6, 49), state=state_at(at(6, 49))
    )
    move = Record.objects.filter(kind=Kind.MOVE, subject=row.id).order_by("-id").first()
    decide(move=move, choice="take", by=people["jd"], now=at(6, 51), state=state_at(at(6, 51)))
    record_sample(
        row=row, entry=Entry(results=(3.71, 3.73)), at=at(7, 2), by=people["jd"], now=at(7, 12), state=state_at(at(7, 12))
    )
    words = "Larch digester 1 circulation pump limps, 4 A over its usual. Leave it on A. The knock is at the drive end."
    write_note(by=people["eb"], now=at(7, 40), words=words, drawing=_pump())
    larch = mill.plan["K.larch_blow.kappa"]
    record_sample(
        row=larch, entry=Entry(results=(32.6,)), at=at(8, 10), by=people["tk"], now=at(8, 31), state=state_at(at(8, 31))
    )
    write(
        kind=Kind.REMARK,
        by=people["tk"],
        now=at(8, 55),
        says="Note",
        words="Bagasse trucks late from the press, next at 12:30.",
    )
    state = state_at(at(10, 0))
    close_lot(opened=first, by=people["jd"], now=at(10, 0), state=state)
    open_lot(order="H-0412", grade="EX70", by=people["jd"], now=at(10, 0), state=state)
    write(
        kind=Kind.DISPOSITION,
        subject=first.subject,
        by=people["mr"],
        now=at(10, 6),
        status="held",
        says=f"Lot {first.subject} held: freeness: inside, but not proven",
        data={"action": "hold", "proposed": "hold", "why": ["freeness: inside, but not proven"], "meaning": "held"},
        about=first,
    )
    record_sample(
        row=larch, entry=Entry(results=(33.1,)), at=at(10, 14), by=people["tk"], now=at(10, 33), state=state_at(at(10, 33))
    )
    write(
        kind=Kind.REMARK,
        by=people["jd"],
        now=at(10, 35),
        says="Note",
        words="Bales changed on R at 07:15; stickies go up since.",
    )


def _pump() -> tuple[Stroke, ...]:
    """A pump and its motor as somebody draws them, with an arrow at the drive end."""
    turn = np.linspace(0.0, 2.0 * math.pi, 40)
    casing = tuple((int(250 + 90 * math.cos(a)), int(270 + 84 * math.sin(a))) for a in turn)
    eye = tuple((int(250 + 26 * math.cos(a)), int(270 + 25 * math.sin(a))) for a in turn[::3])
    motor = ((470, 212), (680, 208), (684, 330), (472, 334), (469, 211))
    shaft, delivery = ((340, 268), (468, 270)), ((196, 204), (192, 90), (330, 84))
    feet = ((160, 392), (700, 390))
    arrow, head = ((430, 120), (412, 246)), ((392, 218), (411, 248), (436, 224))
    return (casing, eye, motor, shaft, delivery, feet, arrow, head)


def _plan_issued(people, at: datetime) -> None:
    """The day's plan, as the lead issued it at the beginning of the shift."""
    plan = Plan(MillState(at))
    judged = plan.queued
    cooks = cook_spans(all_lanes(plan, judged))
    issue(plan=plan, judged=judged, cooks=cooks, by=people["mr"], now=at, words="as the queue stands")


def _plant_link(people, now: datetime) -> None:
    """The stand-in plant's server, every meter mapped; where it listens it tells itself once it runs."""
    link = Link.objects.create(name=STANDIN, url=STANDIN_URL, every_ms=1000, on=True, made_at=now, by=people["pn"])
    map_to_standin(link, Signal.objects.all())


@transaction.atomic
def build(*, now: datetime = NOW, days: int = DAYS) -> None:
    """Load the demo mill into an empty database and let its clock show `now`."""
    document = json.loads(DOCUMENT.read_text())
    mill = read_mill(document)
    people = _people()
    MillVersion.objects.create(
        document=document, made_at=now - timedelta(days=days), by=people["pn"], note="the demo mill as delivered"
    )
    past = lived(now, days, LEVELS, morning=now.replace(hour=6, minute=0), seed=SEED)
    _history(mill, people, now, days, past)
    yesterday = now.replace(hour=6, minute=0) - timedelta(hours=24)
    lead = people["mr"]
    for number, grade, sale, start in (
        ("H-0411", "EX70", 400, yesterday),
        ("H-0412", "EX70", 130, now.replace(hour=6, minute=0)),
        ("H-0413", "LB80", 80, now.replace(hour=15, minute=30)),
        ("H-0414", "EX70", 60, now.replace(hour=20, minute=45)),
        ("H-0415", "WP110", 70, now + timedelta(hours=14)),
        ("H-0416", "EX70", 90, now + timedelta(hours=18)),
    ):
        g = mill.grades[grade]
        add_order(
            by=lead,
            now=yesterday - timedelta(hours=2),
            number=number,
            grade=grade,
            gsm=g.gsm,
            sale_t=sale,
            speed_m_min=g.speed_m_min,
            start=start,
            state=MillState(now),
        )
    for number, at in (("H-0411", yesterday), ("H-0412", now.replace(hour=6, minute=0))):
        write(
            kind=Kind.START,
            subject=number,
            by=lead,
            now=at,
            says=f"The Heron takes Exercise white 70, order {number}",
            data={"order": number, "grade": "EX70", "gsm": 70.0, "speed_m_min": 850.0},
        )
    stop = {"until": now.replace(hour=15, minute=30).isoformat(), "what": "felts", "code": "DEN02"}
    write(
        kind=Kind.STOP,
        by=lead,
        now=yesterday,
        at=now.replace(hour=14, minute=0),
        says="The Heron stops 14:00 to 15:30: felts",
        data=stop,
    )
    shares = {k: 100.0 * v for k, v in mill.grades["EX70"].shares.items()}
    set_shares(dict(past.shares_pct), by=lead, now=yesterday, state=MillState(yesterday))
    set_shares(shares, by=lead, now=now.replace(hour=6, minute=0), state=MillState(now))
    ensure_signals(mill)
    _levels(np.random.default_rng([SEED, 2]), now, days, past)
    _source_lots(mill, people, now)
    build_bales(mill, people, now)
    build_plates(people, now)
    _moves_past(mill, people, now, days, np.random.default_rng([SEED, 11]))
    _units_down(mill, people, now)
    _earlier_lots(people, now, MillState)
    _round(people, now)
    build_yard(people, mill, now)
    build_tanks(people, mill, now)
    _night_handover(people, now)
    _this_morning(mill, people, now, MillState)
    _meters(mill, np.random.default_rng([SEED, 3]), now, days)
    build_cooks(people, now)
    _plan_issued(people, now.replace(hour=6, minute=10))
    _plant_link(people, now)
    kept_hours(period_of(MillState(now), "day"), at_once=24)
    set_clock(now)
