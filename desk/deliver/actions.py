"""Lots: opened, closed with their sources, held, released. Rights and signatures are checked here, not in views."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property

from django.db.models import Q

from core.deliver.lots import Parcel, lot_number
from core.deliver.passing import through_vessel
from core.deliver.release import Action, CardTest, Disposition, dispose, history
from desk.deliver.signing import Hands, sign
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, stop
from desk.kit.writing import writing
from desk.lab.board import STANDS
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.proof import unproved
from desk.log.tail import hold, tail
from desk.mill.lot_ends import furnish_end
from desk.mill.shifts import shift_of
from desk.mill.source_lots import cut_due
from desk.people.pins import PinRefused, check_pin
from desk.people.rights import refuse

HISTORY_READ = 60
TRACED_DAYS = 10
DECISIONS = {
    "hold": ("hold", "held"),
    "release": ("release", "released"),
    "concession": ("dispose", "released under deviation"),
    "downgrade": ("dispose", "downgraded"),
    "divert": ("divert", "diverted to broke"),
}
STANDS_AS = {
    "hold": "held",
    "release": "released",
    "concession": "released",
    "downgrade": "downgraded",
    "divert": "diverted",
}
STATUS = {"concession": "under deviation"}  # where what was done is too long for one
ENDED = ("released", "diverted", "downgraded")
TWO_HANDS = ("concession", "downgrade", "divert")
LOT_LASTS = timedelta(days=3)  # at most, until it is closed: of an older one the record is asked
DEVIATIONS: list[Callable] = []  # (state, number, start, end) -> deviations that touch a lot, by those who keep them

hold(Kind.LOT_OPEN, Kind.LOT_CLOSE, back=LOT_LASTS)


class Refused(FieldRefused):
    """Why a lot's decision cannot be kept: `field` is where to show it."""


class Lot:
    """A lot read from its records: opened, closed (or running), its card, tests and decisions."""

    def __init__(self, opened: Record, state, told: Sequence[Record] | None = None):
        """`told`: the records of its end and of what was decided on it, oldest first, where they have been read already."""
        self.opened, self.state, self.number = opened, state, opened.subject
        if told is None:
            told = _told_of([opened]).get(opened.pk, ())
        self.closed = next((r for r in told if r.kind == Kind.LOT_CLOSE), None)
        self.decisions = [r for r in told if r.kind == Kind.DISPOSITION]
        self.grade = state.grade_of(opened.data["grade"], opened.at)

    @property
    def start(self) -> datetime:
        return self.opened.at

    @property
    def end(self) -> datetime:
        return self.closed.at if self.closed else self.state.now

    @cached_property
    def to_end(self) -> tuple[datetime, str]:
        """When a running lot is to be closed, and why."""
        return furnish_end(self.state, self.start)

    @property
    def standing(self) -> str:
        """running, waiting (closed, undecided), held, released, downgraded or diverted."""
        if self.decisions:
            return STANDS_AS[self.decisions[-1].data["action"]]
        return "waiting" if self.closed else "running"

    @property
    def judge_again(self) -> Record | None:
        """The mark that its last decision rests on a corrected test; None where it does not."""
        if not self.decisions:
            return None
        return Record.objects.filter(kind=Kind.CORRECTION, status="re-judge", about=self.decisions[-1]).order_by("-id").first()

    @property
    def tonnes(self) -> float:
        """Oven-dry tonnes delivered in the lot (so far)."""
        return self.closed.data["tonnes"] if self.closed else running_tonnes(self.opened, self.state)

    @property
    def sources(self) -> list[dict]:
        return self.closed.data["sources"] if self.closed else []

    def results(self, test) -> list[Record]:
        """The results that speak for this lot: sampled while it ran (not at the second the next one opened), and its
        retests."""
        return [*self._results.get(test.row, ())]

    @cached_property
    def _results(self) -> dict[str, list[Record]]:
        """The results that speak for it, oldest first, by the row of their test; of the tests of every card."""
        rows = {t.row for g in (self.grade, *self.state.mill.grades.values()) for t in g.tests}
        own = {f"{self.number}/{row}": row for row in rows}
        ran = Q(at__lt=self.end) if self.closed else Q(at__lte=self.end)
        asked = Q(subject__in=rows, at__gte=self.start) & ran | Q(subject__in=own)
        result: dict[str, list[Record]] = {}
        for r in Record.objects.current().filter(asked, kind=Kind.RESULT).order_by("at", "id"):
            result.setdefault(own.get(r.subject, r.subject), []).append(r)
        return result

    @cached_property
    def deviations(self) -> list:
        """Deviations that touch it, open ones and those that are closed."""
        return [d for told in DEVIATIONS for d in told(self.state, self.number, self.start, self.end)]

    @property
    def conceded(self):
        """A closed deviation that lets it be used as it is; None where there is none."""
        return next((d for d in self.deviations if not d.is_open and d.closed.data.get("end") == "as_is"), None)

    def judged(self) -> tuple[Disposition, dict[str, list[Record]]]:
        """The rule table's proposal, and the results behind each test."""
        result = {t.key: self.results(t) for t in self.grade.tests}
        tests = tuple(self._card_test(t, result[t.key]) for t in self.grade.tests)
        still_open = sum(d.is_open for d in self.deviations)
        proposal = dispose(tests, open_deviations=still_open)
        if proposal.action is Action.HOLD_OUT:
            proposal = dispose(tests, open_deviations=still_open, lower=self._other_cards())
        return proposal, result

    def _card_test(self, t, results: list[Record]) -> CardTest:
        earlier = Record.objects.current().filter(kind=Kind.RESULT, subject=t.row, at__lt=self.start, status__in=STANDS)
        sd, n = history(tuple(earlier.order_by("-at").values_list("value", flat=True)[:HISTORY_READ]))
        return CardTest(
            key=t.key,
            low=t.band.low,
            high=t.band.high,
            critical=t.critical,
            results=tuple(r.value for r in results if r.status in STANDS),
            flagged_result=any(r.status not in STANDS for r in results),
            history_sd=sd,
            history_n=n,
        )

    def _other_cards(self) -> dict[str, tuple[CardTest, ...]]:
        """The tests of every other card of the mill as this lot's results meet them, by grade."""
        others = (g for g in self.state.mill.grades.values() if g.key != self.grade.key)
        return {g.key: tuple(self._card_test(t, self.results(t)) for t in g.tests) for g in others}


def lots(state, *, days: int = TRACED_DAYS):
    """Furnish lots of the last days, newest first."""
    since = state.now - timedelta(days=days)
    asked = Record.objects.current().filter(kind=Kind.LOT_OPEN, at__gte=since, at__lte=state.now).order_by("-at", "-id")
    opened = list(asked)
    told = _told_of(opened)
    return [Lot(r, state, told.get(r.pk, ())) for r in opened]


def _told_of(opened: Iterable[Record]) -> dict[int, list[Record]]:
    """Of each opened lot, the records of its end and of what was decided on it, oldest first."""
    result: dict[int, list[Record]] = {}
    asked = Record.objects.current().filter(kind__in=(Kind.LOT_CLOSE, Kind.DISPOSITION), about__in=opened)
    for r in asked.order_by("at", "id"):
        result.setdefault(r.about_id, []).append(r)
    return result


def lot(number: str, state) -> Lot | None:
    opened = Record.objects.current().filter(kind=Kind.LOT_OPEN, subject=number).first()
    return Lot(opened, state) if opened else None


def running_lot(state) -> Lot | None:
    held = tail()
    result = held.newest(Kind.LOT_OPEN, until=state.now)
    if result is None:
        return None
    told = [r for r in held.told(Kind.LOT_CLOSE, Kind.DISPOSITION, since=result.at) if r.about_id == result.pk]
    newest = Lot(result, state, told)
    return newest if newest.closed is None else None


def running_tonnes(opened: Record, state) -> float:
    """What has been delivered since a lot opened: stops left out, slow hours counted at their rate."""
    return state.running_h(opened.at, state.now) * state.draw.solids_t_h


@writing()
def open_lot(*, order: str, grade: str, by, now, state) -> Record:
    """Open the next furnish lot of the shift, its number unused and checked."""
    shift = shift_of(now, state.mill)
    day = shift.start.timetuple()
    prefix = f"{state.mill.machine.line_letter}M-{day.tm_year % 100:02d}{day.tm_yday:03d}-{shift.letter}"
    serial = Record.objects.filter(kind=Kind.LOT_OPEN, subject__startswith=prefix).count() + 1
    number = lot_number(
        line=state.mill.machine.line_letter, kind="M", year=day.tm_year, day=day.tm_yday, shift=shift.letter, serial=serial
    )
    return write(
        kind=Kind.LOT_OPEN,
        subject=number,
        by=by,
        now=now,
        says=f"Lot {number} opened, order {order}",
        data={"order": order, "grade": grade},
    )


def given_away(until: datetime) -> dict[str, float]:
    """Tonnes that each source lot has given to furnish lots, by the lots closed until then."""
    given: dict[str, float] = {}
    closed = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=False, at__lte=until)
    for data in closed.filter(at__gte=until - 2 * timedelta(days=TRACED_DAYS)).values_list("data", flat=True):
        for row in data["sources"]:
            if row["lot"]:
                given[row["lot"]] = given.get(row["lot"], 0.0) + row["t"]
    return given


@dataclass(frozen=True)
class SourceLot:
    """A cook, slice, bale group or reel: what it is, what it held, and the furnish lots that it went into."""

    made: Record
    into: tuple[tuple[Record, float], ...]

    @property
    def tonnes(self) -> float:
        return self.made.data["tonnes"]

    @property
    def given(self) -> float:
        return sum(t for _, t in self.into)

    @property
    def left(self) -> float:
        return max(0.0, self.tonnes - self.given)


def source_lot(number: str) -> SourceLot | None:
    """A source lot by its number, and where it went: forwards as far as the record reaches."""
    made = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=True, subject=number).first()
    if made is None:
        return None
    closed = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=False, at__gte=made.at).order_by("at", "id")
    into = []
    for r in closed:
        t = sum(row["t"] for row in r.data["sources"] if row["lot"] == number)
        if t > 0.0:
            into.append((r, t))
    return SourceLot(made, tuple(into))


def rejudge(*, wrong: Record, right: Record, by, now, state) -> None:
    """A corrected test of a lot that was decided on it: the lot is marked to be judged again, with what the rules say now."""
    for opened in Record.objects.current().filter(kind=Kind.LOT_OPEN, at__gte=wrong.at - timedelta(days=TRACED_DAYS)):
        result = Lot(opened, state)
        if not result.decisions or not any(_speaks(result, t, wrong, right) for t in result.grade.tests):
            continue
        proposal, _ = result.judged()
        last = result.decisions[-1]
        says = (
            f"Lot {result.number}, {last.data['meaning']} {clock(last.at)}, rests on a corrected test: by the "
            f"rules now {proposal.action.value}"
        )
        data = {"proposed": proposal.action.value, "why": list(proposal.why), "result": right.pk}
        write(kind=Kind.CORRECTION, subject=result.number, by=by, now=now, says=says, status="re-judge", data=data, about=last)


def _speaks(found: Lot, test, wrong: Record, right: Record) -> bool:
    """Whether a result, as it was or as it is, is one of the lot's own tests."""
    if wrong.subject == f"{found.number}/{test.row}":
        return True
    ended = found.closed is None or wrong.at < found.end
    return wrong.subject == test.row and found.start <= wrong.at and ended


LEAST_T = 0.005  # of a lot, for a row of it


def sources_of(opened: Record, tonnes: float, state, end: datetime) -> list[dict]:
    """Source lots behind a furnish lot: each tower as its vessel passes them on, a plug over its mixed bottom zone, from what
    stood in it when the lot opened.

    What a source lot has given to others is gone: it never gives more than it holds.
    """
    given = given_away(end)
    since = opened.at - timedelta(days=TRACED_DAYS)
    made = (
        Record.objects.current()
        .filter(kind=Kind.LOT_CLOSE, about__isnull=True, at__gte=since, at__lte=end)
        .order_by("at", "id")
    )
    by_source: dict[str, list[Record]] = {}
    for r in made:
        by_source.setdefault(r.data["source"], []).append(r)
    rows = []
    for key, share in state.shares.items():
        out = share * tonnes
        if out <= 0.0:
            continue
        vessel = state.vessels.get(state.mill.sources[key].vessel)
        transit = timedelta(hours=state.mill.sources[key].transit_h)
        records = {r.subject: r for r in by_source.get(key, []) if r.at + transit <= end}
        left = _given_of(list(records.values()), given, vessel, out, opened.at - transit)
        rows += [
            {"lot": lot, "source": key, "what": records[lot].data["what"], "made": records[lot].at.isoformat(), "t": t}
            for lot, t in sorted(left.items(), key=lambda row: records[row[0]].at)
        ]
        rest = out - sum(left.values())
        if rest > LEAST_T:
            name = state.mill.sources[key].name
            rows.append(
                {"lot": "", "source": key, "what": f"{name}, not yet cut into lots", "made": opened.at.isoformat(), "t": rest}
            )
    return rows


def _given_of(records: list[Record], given: dict[str, float], vessel, out: float, stood_by: datetime) -> dict[str, float]:
    """What a source's tower gave of each of its lots, t. `vessel` as it stands at the end, or None; lots made until `stood_by`
    stood in it at first."""
    parcels = [Parcel(r.subject, max(0.0, r.data["tonnes"] - given.get(r.subject, 0.0))) for r in records]
    content = vessel.content_t if vessel else 0.0
    left = content + out  # that was in it and came to it: the newest of what was made, older heels left out
    held: list[Parcel] = []
    for p in reversed(parcels):
        taken = min(left, p.tonnes)
        if taken > 0.0:
            held.insert(0, Parcel(p.lot, taken))
        left -= taken
    first = {r.subject for r in records if r.at <= stood_by}
    standing, fed = ([p for p in held if (p.lot in first) == stood] for stood in (True, False))
    mixed_share = vessel.vessel.mixed_pct / 100.0 if vessel else 0.0
    return through_vessel(standing, fed, mixed_share, out)


def close_lot(*, opened: Record, by, now, state, tonnes: float | None = None, sources: list[dict] | None = None) -> Record:
    """Close a running lot: its tonnes and the source lots behind it are kept with it. Raises: Refused where it is closed
    already."""
    t = running_tonnes(opened, state) if tonnes is None else tonnes
    with writing():
        earlier = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about=opened).first()
        if earlier is not None:
            raise Refused("close", f"Lot {opened.subject} was closed at {clock(earlier.entered_at)} by {stop(earlier.signed)}")
        if sources is None:
            cut_due(state, by=by, now=now)
        rows = sources_of(opened, t, state, now) if sources is None else sources
        data = {"tonnes": t, "sources": rows, "moves_since": opened.at.isoformat()}
        says = f"Lot {opened.subject} closed at {t:.1f} t"
        return write(kind=Kind.LOT_CLOSE, subject=opened.subject, by=by, now=now, says=says, data=data, about=opened)


def close_and_go_on(*, opened: Record, by, now, state) -> Record:
    """Close the running lot and open the next at the same second: both, or neither."""
    with writing():
        close_lot(opened=opened, by=by, now=now, state=state)
        return open_lot(order=opened.data["order"], grade=opened.data["grade"], by=by, now=now, state=state)


WHO = {
    "hold": "operator, lab, lead, safety may",
    "release": "the shift lead may",
    "divert": "lead and engineer together may",
    "concession": "lead and engineer together may",
    "downgrade": "lead and engineer together may",
}


def rights(lot_: Lot, proposal: Disposition, person) -> dict[str, str]:
    """For each decision: an empty string when this person may take it now, else why not."""
    again = lot_.judge_again is not None
    open_ = again or lot_.standing not in ENDED
    result = {}
    for act, (right, _) in DECISIONS.items():
        if lot_.standing in ENDED and not again:
            result[act] = f"the lot is {lot_.standing}"
        elif act == "hold" and lot_.standing == "held":
            result[act] = "it is held already"
        elif act != "hold" and lot_.standing == "running":
            result[act] = "close the lot first"
        elif not person.may(right):
            result[act] = WHO[act]
        elif act == "release" and not proposal.may_release:
            result[act] = "nobody may: " + proposal.why[0]
        elif act == "downgrade" and not proposal.meets:
            result[act] = "it meets no other card" if proposal.action is Action.HOLD_OUT else "no critical test is out"
        elif act == "concession":
            result[act] = _why_no_concession(lot_, proposal)
        else:
            result[act] = ""
    assert open_ or all(result.values())
    return result


def _why_no_concession(lot_: Lot, proposal: Disposition) -> str:
    """Why a lot may not be released under a deviation, or an empty string."""
    if proposal.may_release:
        return "it needs none: it may be released"
    if still := [d.number for d in lot_.deviations if d.is_open]:
        return f"deviation {still[0]} is open"
    return "" if lot_.conceded is not None else "no deviation lets it be used as it is"


def decide_lot(
    *, lot_: Lot, action: str, by, now, pin: str, words: str = "", hands: Hands | None = None, grade: str = ""
) -> Record:
    """Hold, release, divert, downgrade or release under a deviation, signed by the person's PIN; the last three by a lead
    and an engineer together. Release follows the rule table; holding wants a reason. `grade`: the card it is downgraded to.

    Raises: Refused, also where somebody else decided the lot meanwhile; PermissionDenied for a role that may not.
    """
    if action not in DECISIONS:
        raise Refused("action", "is none of hold, release, release under deviation, downgrade, divert")
    act, done = DECISIONS[action]
    refuse(by, act)
    proposal = _must_stand(lot_, action, by)
    if action == "downgrade" and grade not in proposal.meets:
        raise Refused("grade", "Card is empty; choose one that the lot meets.")
    if action in TWO_HANDS and not words.strip():
        raise Refused("words", "Reason is empty; this decision needs one.")
    second = None
    if action in TWO_HANDS:
        second = sign(hands or Hands(pin, "", ""), by, Refused)
    else:
        try:
            check_pin(by, pin)
        except PinRefused as refusal:
            raise Refused("pin", str(refusal)) from None
    with writing():
        lot_ = Lot(lot_.opened, lot_.state)  # as it stands now: somebody may have decided it since the page was read
        proposal = _must_stand(lot_, action, by)
        if action == "release" and proposal.action is Action.RELEASE_WITH_NOTE and not words.strip():
            raise Refused("words", "Reason is empty; this decision needs one.")
        why = "; ".join(proposal.why)
        data = {"action": action, "proposed": proposal.action.value, "why": list(proposal.why), "meaning": done}
        says = f"Lot {lot_.number} {done}"
        if action == "downgrade":
            data["grade"] = grade
            says += f" to {lot_.state.mill.grades[grade].name}"
        if action == "concession":
            data["deviation"] = lot_.conceded.number
            says += f" {lot_.conceded.number}"
        if second is not None:
            data["second"] = second.signed
            why += f"; signed by {by.signed} and {second.signed}"
        return write(
            kind=Kind.DISPOSITION,
            subject=lot_.number,
            by=by,
            now=now,
            says=f"{says}: {why}"[:380],
            words=words.strip(),
            status=STATUS.get(action, done),
            data=data,
            about=lot_.opened,
        )


def _must_stand(lot_: Lot, action: str, by) -> Disposition:
    """The rule table's proposal, once the lot may be decided so by this person now. Raises: Refused, with who and when."""
    _, done = DECISIONS[action]
    if STANDS_AS.get(action) in ("released", "downgraded") and (why := unproved()):
        raise Refused("action", f"Nothing is released: {why}")
    proposal, _ = lot_.judged()
    if why := rights(lot_, proposal, by)[action]:
        last = lot_.decisions[-1] if lot_.decisions else None
        when = f" ({last.signed}, {clock(last.entered_at)})" if last and lot_.standing != "waiting" else ""
        raise Refused("action", f"{done.capitalize()} cannot be signed: {why}{when}.")
    return proposal
