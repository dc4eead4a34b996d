"""A handover drafted from the record (shift practice, section 5.1), signed by the leaving and read by the arriving lead."""

from collections import Counter
from datetime import datetime, timedelta

from desk.cook.actions import awaited
from desk.deliver.actions import lots, running_tonnes
from desk.deliver.deviations import deviations
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, figure, hm, midline, stop, tph
from desk.kit.writing import writing
from desk.lab.board import Board
from desk.lab.looks import MACHINE, rounds
from desk.lab.looks import due as rounds_due
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import CHOICES
from desk.log.proof import anchor_words
from desk.mill.shifts import shift_of
from desk.people.pins import PinRefused, check_pin
from desk.people.rights import refuse
from desk.shift.keys import keys_of, know_first, lines

TITLES = (
    "People, permits, overrides",
    "The machine",
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
NONE = ["None."]
WRITTEN = {1: "people", 8: "equipment", 10: "chemicals"}  # sections that only a person can fill


class Refused(FieldRefused):
    """Why a handover cannot be signed: `field` is where to show it."""


def draft(state) -> dict:
    """The twelve sections of the running shift, as lines of words. Figures come from the record and are not edited."""
    now, shift = state.now, shift_of(state.now, state.mill)
    board = Board(state)
    during = Record.objects.current().filter(at__gte=shift.start, at__lte=now)
    made = {n: [] for n in range(1, 13)}

    run = state.run
    made[2].append(
        f"{state.grade.name} {run['gsm']:g}{', ' + run['order'] if run['order'] else ''}, since "
        f"{clock(run['since'])}, takes {tph(state.draw.solids_t_h)} t/h."
    )
    for s in state.stops:
        made[2].append(
            f"{state.mill.machine.name[0].upper()}{state.mill.machine.name[1:]} stops {clock(s.start)} to "
            f"{clock(s.end)}: {s.what}."
        )
    queue = orders_waiting(now)[:3]
    if queue:
        made[2].append(
            "Then "
            + ", ".join(f"{state.grade_of(o.data['grade'], o.at).name} {o.data['gsm']:g} ({o.subject})" for o in queue)
            + "."
        )

    for r in board.drifting:
        if r.state in ("act", "contain"):
            made[3].append(
                f"{r.row.station.capitalize()}: {r.row.place} {midline(r.test.name)} "
                f"{r.shown}{' ' + r.short_unit if r.short_unit else ''}, {r.judgement.word}, {clock(r.result.at)}."
            )
    watch = sum(r.state == "watch" for r in board.rows)
    read = sum(r.result is not None for r in board.rows)
    if not read:
        made[3].append("No reading yet.")
    else:
        unread = f"; {len(board.rows) - read} are not read yet" if read < len(board.rows) else ""
        near = f"{watch} near a limit; the" if watch else "The"
        made[3].append(f"{near} others are on their card{unread}.")

    for v in state.vessels.values():
        ends = "steady" if v.cover.way == "steady" else f"{v.cover.way} in {hm(v.cover.hours)}"
        made[4].append(f"{v.vessel.name} {v.level_pct:.0f} %, {ends}.")
    first = next((v for v in state.vessels.values() if v.cover.way == "empty"), None)
    if first:
        made[4].append(f"First to run out: {first.vessel.name} at {clock(now + timedelta(hours=first.cover.hours))}.")

    made[5] += [f"Deviation {d.number} open: {d.opened.words}." for d in deviations(state, only_open=True)]
    held = [x for x in lots(state, days=4) if x.standing == "held"]
    made[5] += [
        f"Lot {x.number} held {clock(x.decisions[-1].at)}: {'; '.join(x.decisions[-1].data['why'])}." for x in held
    ] or ["Lots on hold: none."]

    judged = set(Record.objects.filter(kind=Kind.EFFECT, about__isnull=False).values_list("about_id", flat=True))
    waiting = [d for d in during.filter(kind=Kind.DECISION) if d.data["choice"] != "refuse" and d.pk not in judged]
    made[6] += [told for d in waiting if (told := _looked_at(d))]

    made[7] += [
        f"{r.row.place}, {midline(r.test.name)}, due {clock(r.due_at)}: {r.due.state.value}."
        for r in board.due_rows
        if r.due.state.value in ("late", "missed")
    ]
    late = [d for d in rounds_due(state) if d.late]
    if late:
        made[7].append(f"Rounds late: {', '.join(d.line if d.line != MACHINE else 'blend and machine' for d in late)}.")
    made[3] += [f"{r.says}, {clock(r.at)}." for d in rounds(state, shift.start) for r in d.findings]

    made[9] += [
        f"{clock(d.at)} {d.says.split(': ', 1)[-1]}: {CHOICES[d.data['choice']]}."
        for d in during.filter(kind=Kind.DECISION).order_by("at")
    ]
    made[9] += [f"{clock(r.at)} {r.says}." for r in during.filter(kind__in=[Kind.START, Kind.RUNCARD]).order_by("at")]

    made[12] = _figures(state, board, during, shift, now)
    notes = list(during.filter(kind=Kind.REMARK).order_by("at"))
    sections = [
        {"n": i, "title": t, "lines": made[i] or list(NONE), "key": WRITTEN.get(i, "")} for i, t in enumerate(TITLES, start=1)
    ]
    sections[1]["title"] = state.mill.machine.name[0].upper() + state.mill.machine.name[1:]
    return {"shift": shift, "sections": sections, "notes": notes, "at": now, "first": know_first(state, board)}


def _looked_at(decided: Record) -> str:
    """When a move is looked at again; of one without a slip, decided on a cook's own page, what is still to be seen."""
    if decided.about is None:
        return awaited(decided)
    return f"{decided.about.data['title']}: look at {clock_of(decided.data['retest_at'])}."


def _figures(state, board: Board, during, shift, now: datetime) -> list[str]:
    """The shift in figures: its keys by their formulas, or what was delivered before its first whole hour; people's acts."""
    told = keys_of(state)
    if told is not None:
        made = lines(told)
    else:
        delivered = sum(_overlap_t(x, shift, now, state) for x in lots(state, days=1))
        made = [f"delivered {figure(delivered, 1)} t OD ({figure(delivered / 0.9, 1)} ADt), the lots’ time in this shift"]
    choices = [d.data["choice"] for d in during.filter(kind=Kind.DECISION)]
    called = {"take": "taken", "alter": "altered", "refuse": "refused"}
    by = ", ".join(f"{n} {called[c]}" for c, n in Counter(choices).items())
    made.append(f"moves decided {len(choices)}{f': {by}' if by else ''}")
    missed = sum(r.state == "old" for r in board.rows)
    entered = during.filter(kind=Kind.RESULT).count()
    made.append(f"samples entered {entered}, rows missed now {missed}; notes {during.filter(kind=Kind.REMARK).count()}")
    return made


def clock_of(text: str) -> str:
    return clock(datetime.fromisoformat(text))


def _overlap_t(lot, shift, now, state) -> float:
    """Tonnes of a lot that fall into the shift, by time."""
    whole = (lot.end - lot.start).total_seconds()
    part = (min(lot.end, shift.end, now) - max(lot.start, shift.start)).total_seconds()
    t = lot.tonnes if lot.closed else running_tonnes(lot.opened, state)
    return t * part / whole if whole > 0 and part > 0 else 0.0


def orders_waiting(now):
    """Orders of the queue that have not started, by their planned start."""
    started = set(Record.objects.current().filter(kind=Kind.START).values_list("subject", flat=True))
    orders = Record.objects.current().filter(kind=Kind.ORDER).order_by("at", "id")
    return [o for o in orders if o.subject not in started]


def _signed_already(start: datetime) -> Record | None:
    return Record.objects.current().filter(kind=Kind.HANDOVER, subject=start.isoformat()).first()


def _check_pin(by, pin: str) -> None:
    try:
        check_pin(by, pin)
    except PinRefused as refusal:
        raise Refused("pin", str(refusal)) from None


def sign(*, by, now, state, pin: str, watch: str, written: dict[str, str], again: bool = False) -> Record:
    """The leaving lead signs the draft; its text is frozen in the record. `again`: a second draft in one shift, in place of
    the first, until the arriving lead has read it."""
    refuse(by, "handover")
    if not watch.strip():
        raise Refused("watch", "To watch is empty; write “nothing” if that is so.")
    _check_pin(by, pin)
    made = draft(state)
    shift = made["shift"]
    for s in made["sections"]:
        if s["key"] and written.get(s["key"], "").strip():
            s["lines"] = [written[s["key"]].strip()]
            s["by_hand"] = True
    made["sections"][10]["lines"] = [watch.strip()]
    made["sections"][10]["by_hand"] = True
    with writing():
        already = _signed_already(shift.start)
        if already is not None and not again:
            raise Refused("pin", f"This shift was signed at {clock(already.at)} by {stop(already.signed)}")
        if already is not None and Record.objects.filter(kind=Kind.HANDOVER_READ, about=already).exists():
            raise Refused("pin", "It was read and signed by the arriving lead: a second draft is no longer possible.")
        data = {
            "first": made["first"],
            "shift": shift.name,
            "start": shift.start.isoformat(),
            "end": shift.end.isoformat(),
            "sections": made["sections"],
            "notes": [
                {"words": n.words, "signed": n.signed, "at": n.at.isoformat()}
                | ({"record": n.pk, "more": n.says.lower()} if n.data else {})
                for n in made["notes"]
            ],
            "meaning": "made",
            "anchor": anchor_words(),
        }
        says = f"Handover of {shift.name} signed{' anew' if already is not None else ''}"
        return write(
            kind=Kind.HANDOVER,
            subject=shift.start.isoformat(),
            by=by,
            now=now,
            says=says,
            words=watch.strip(),
            data=data,
            corrects=already,
            reason="other" if already is not None else "",
        )


def read(*, handover: Record, by, now, pin: str, ticked: set[int]) -> Record:
    """The arriving lead has read every section; nobody signs both hands."""
    refuse(by, "handover")
    if handover.by_id == by.pk:
        raise Refused("pin", "The leaving lead cannot sign as the arriving one.")
    missing = [str(n) for n in range(1, len(TITLES) + 1) if n not in ticked]
    if missing:
        raise Refused("ticks", f"Sections {', '.join(missing)} are not ticked as read.")
    _check_pin(by, pin)
    with writing():
        if (earlier := Record.objects.filter(kind=Kind.HANDOVER_READ, about=handover).first()) is not None:
            raise Refused("pin", f"It was signed as read at {clock(earlier.at)} by {stop(earlier.signed)}")
        says = f"Handover of {handover.data['shift']} read"
        data = {"meaning": "read"}
        return write(kind=Kind.HANDOVER_READ, subject=handover.subject, by=by, now=now, says=says, data=data, about=handover)


@writing()
def ask(*, handover: Record, by, now, words: str) -> Record:
    """A question or an answer under a handover."""
    refuse(by, "note")
    if not words.strip():
        raise Refused("words", "The line is empty; write what you ask.")
    return write(kind=Kind.QUESTION, by=by, now=now, says="Asked back on the handover", words=words.strip(), about=handover)
