"""Traces from the record: raw lots, source lots and furnish lots in one graph; what is suspect and where, held in one act."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property

from django.utils import timezone

from core.deliver.lots import Edge
from core.deliver.trace import Account, Graph
from core.mill.causes import Ways, place_of
from desk.deliver.actions import DECISIONS, TRACED_DAYS, Lot, lots, sources_of
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import dayclock, figure
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.pins import PinRefused, check_pin
from desk.people.rights import refuse

RAW, MADE, FURNISH = "raw", "made", "furnish"
PILE, TANK, METER = "pile:", "tank:", "meter:"
NUMBER = re.compile(r"^[A-Z0-9]{2}-\d{5}-[A-Z]\d{2,3}-[A-Z0-9]$")
LEAST_SHOWN = 0.01  # of a lot
RECALL, REHEARSAL = "recall", "rehearsal"
AIM_S = 240
CHECKS = 2


class RecallRefused(FieldRefused):
    """Why a recall cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Node:
    """One lot of the trace: what it is called, how much was made of it, when, and how it stands."""

    key: str
    kind: str
    title: str
    what: str
    t: float
    at: datetime
    source: str = ""
    standing: str = ""

    @property
    def open(self) -> bool:
        """Whether it may still be held: it runs, waits or is held."""
        return self.standing in ("running", "waiting", "held")


class Trace:
    """Every lot of the last days and what went into what, as the record has it; the running lot as far as it has come."""

    def __init__(self, state, days: int = TRACED_DAYS) -> None:
        self.state = state
        since = state.now - timedelta(days=days)
        self.nodes: dict[str, Node] = {}
        self.edges: list[Edge] = []
        self.furnish = {x.number: x for x in lots(state, days=days)}
        made = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=True, at__gte=since, at__lte=state.now)
        self.made = {r.subject: r for r in made.order_by("at", "id")}
        for number, r in self.made.items():
            self._made(number, r)
        for number, x in self.furnish.items():
            self._furnish(number, x)

    def _made(self, number: str, r: Record) -> None:
        t = float(r.data["tonnes"])
        self.nodes[number] = Node(number, MADE, number, r.data["what"], t, r.at, r.data["source"])
        behind = r.data.get("from") or ()
        for b in behind:
            self.edges.append(Edge(number, b["lot"], float(b["od_t"])))
            if b["lot"] not in self.nodes:
                self.nodes[b["lot"]] = Node(b["lot"], RAW, b["lot"], "bales", 0.0, r.at, r.data["source"])
        if not behind and (pile := self._pile(r)) is not None:
            self.nodes.setdefault(pile.key, pile)
            self.edges.append(Edge(number, pile.key, t))

    @cached_property
    def _fed_by(self) -> dict[str, str]:
        """The feed that comes to every unit by outlets alone, where one does."""
        told: dict[str, str] = {}
        for u in self.state.mill.units:
            if u.feed.any() and not u.supply and u.outlets:
                ahead = [u.id]
                while ahead:
                    at = ahead.pop()
                    told.setdefault(at, u.id)
                    outlets = next((x.outlets for x in self.state.mill.units if x.id == at), ())
                    ahead += [o.to for o in outlets[:1] if o.to not in told]
        return told

    def _pile(self, r: Record) -> Node | None:
        """What was fed on the day that a source lot was made; None of a unit whose feed is its own, or that has none."""
        unit = r.data.get("unit", "")
        feed = self._fed_by.get(unit, "")
        if not feed or feed == unit:
            return None
        day = timezone.localtime(r.at).date()
        title = next((u.title or u.id for u in self.state.mill.units if u.id == feed), feed)
        return Node(
            f"{PILE}{feed}:{day:%Y-%m-%d}", RAW, f"{title}, {day:%-d %b}", "as fed that day", 0.0, r.at, r.data["source"]
        )

    def _furnish(self, number: str, x: Lot) -> None:
        t = x.tonnes
        self.nodes[number] = Node(number, FURNISH, number, x.grade.name, t, x.end, "", x.standing)
        rows = x.sources if x.closed else sources_of(x.opened, t, self.state, self.state.now)
        for row in rows:
            key = row["lot"] or f"uncut:{row['source']}"
            if key not in self.nodes:
                self.nodes[key] = Node(key, MADE, row["lot"] or "not yet cut", row["what"], row["t"], x.start, row["source"])
            self.edges.append(Edge(number, key, float(row["t"])))

    @cached_property
    def graph(self) -> Graph:
        """Raises: ImpossibleInput for transfers that lead back in time."""
        made = {k: n.t for k, n in self.nodes.items() if n.kind != RAW and not k.startswith("uncut:")}
        return Graph(self.edges, made)


@dataclass(frozen=True)
class Suspect:
    """What is suspected: its words, and of every lot the share that is suspect itself."""

    key: str
    title: str
    why: str
    shares: Mapping[str, float]


def suspect_of(trace: Trace, text: str) -> Suspect | None:
    """A suspect by what was typed or chosen: a lot's number, a day of a pile, a delivery of a chemical, a meter or test; None
    for what the record does not know."""
    text = text.strip()
    if text.startswith(PILE) and text in trace.nodes:
        return Suspect(text, trace.nodes[text].title, "what was fed that day", {text: 1.0})
    if text.startswith(TANK):
        return _of_delivery(trace, text)
    if text.startswith(METER):
        return _of_meter(trace, text)
    number = text.upper()
    if number in trace.nodes and NUMBER.match(number):
        n = trace.nodes[number]
        told = {RAW: "a lot of the yard", MADE: n.what, FURNISH: f"{n.what}, {n.standing}"}[n.kind]
        return Suspect(number, n.title, told, {number: 1.0})
    return None


def _of_delivery(trace: Trace, text: str) -> Suspect | None:
    """Pulp that met a delivery of a chemical: from when it was unloaded until the next, at the units that use it."""
    _, key, pk = (*text.split(":"), "", "")[:3]
    tank = trace.state.mill.tanks.get(key)
    if tank is None or not pk.isdigit():
        return None
    told = Record.objects.current().filter(kind=Kind.EVENT, subject=f"tank.{key}", status="delivery", at__lte=trace.state.now)
    first = told.filter(pk=int(pk)).first()
    if first is None:
        return None
    after = told.filter(at__gt=first.at).order_by("at").first()
    until = after.at if after is not None else trace.state.now
    name = f"{tank.chemical}_kg_h".lower()
    users = [
        k for k, acts in trace.state.line.acts.items() if any(d.lower() == name and v > 0.0 for d, v in acts.duties.items())
    ]
    shares = _met_at(trace, users, first.at, until)
    why = f"used from {dayclock(first.at)} to {dayclock(until)}"
    return Suspect(text, f"{tank.name}, delivery {dayclock(first.at)}", why, shares)


def _of_meter(trace: Trace, text: str) -> Suspect | None:
    """Pulp that passed a point since its last good result, until the first good one after the newest that was not."""
    state = trace.state
    row = state.mill.plan.get(text.removeprefix(METER))
    if row is None:
        return None
    band = state.mill.band(row, state.grade)
    asked = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, at__lte=state.now)
    newest = list(asked.order_by("-at", "-id").values_list("at", "value")[:200])
    bad = next((i for i, (_, v) in enumerate(newest) if not band.low <= v <= band.high), None)
    if bad is None:
        return None
    good_after = newest[bad - 1][0] if bad > 0 else state.now
    before = next((at for at, v in newest[bad:] if band.low <= v <= band.high), newest[-1][0])
    unit = place_of(state.mill, row)
    if row.id.startswith(f"{state.mill.roles.point}."):
        shares = _ran_in(trace, before, good_after)
    else:
        shares = _met_at(trace, [unit] if unit else [], before, good_after)
    why = f"last good {dayclock(before)}, {'good again' if bad > 0 else 'not good yet'} {dayclock(good_after)}"
    return Suspect(text, f"{row.place}, {row.test.replace('_', ' ')}", why, shares)


def _ran_in(trace: Trace, since: datetime, until: datetime) -> dict[str, float]:
    """The part of every furnish lot that ran in a time."""
    told = {}
    for number, x in trace.furnish.items():
        whole = (x.end - x.start) / timedelta(hours=1)
        part = (min(x.end, until) - max(x.start, since)) / timedelta(hours=1)
        if part > 0.0 and whole > 0.0:
            told[number] = min(1.0, part / whole)
    return told


def _met_at(trace: Trace, units: Iterable[str], since: datetime, until: datetime) -> dict[str, float]:
    """The part of every source lot whose pulp was at one of the units in a time, by the way it takes from where it is made."""
    state = trace.state
    levels = {k: v.level_pct for k, v in state.vessels.items()}
    ways: dict[str, float] = {}
    for unit in units:
        for maker, way in Ways(state.mill, state.line, levels).to(unit).items():
            ways[maker] = min(way.hours, ways.get(maker, way.hours))
    told = {}
    for number, r in trace.made.items():
        if (hours := ways.get(r.data.get("unit", ""))) is None:
            continue
        begun = datetime.fromisoformat(r.data["since"]) if r.data.get("since") else r.at - timedelta(hours=4)
        if r.data.get("cook") or "batch" in r.data["what"]:
            begun = r.at - timedelta(minutes=10)  # a batch leaves at once
        lag = timedelta(hours=hours)
        whole = (r.at - begun) / timedelta(hours=1)
        part = (min(r.at + lag, until) - max(begun + lag, since)) / timedelta(hours=1)
        if part > 0.0 and whole > 0.0:
            told[number] = min(1.0, part / whole)
    return told


@dataclass(frozen=True)
class Touched:
    """A lot that holds some of what is suspect: its tonnes, what of these is suspect, the share, and where it stands now."""

    node: Node
    of_it: float
    share: float
    where: str

    @property
    def t(self) -> float:
        return self.node.t


@dataclass(frozen=True)
class Found:
    """A suspect traced: lots that hold it, what of it still stands in towers, and whether the tonnes close."""

    suspect: Suspect
    lots: tuple[Touched, ...]
    stock: tuple[Touched, ...]
    account: Account
    made_t: float
    shares: Mapping[str, float]

    @property
    def touched_t(self) -> float:
        """Whole tonnes of the furnish lots that hold any of it."""
        return sum(x.t for x in self.lots)

    @property
    def of_it_t(self) -> float:
        return sum(x.of_it for x in self.lots)

    @property
    def in_stock_t(self) -> float:
        return sum(x.of_it for x in self.stock)

    @property
    def in_lots_t(self) -> float:
        """What of it is in furnish lots, each tonne where it is now."""
        held = {x.node.key for x in self.lots}
        return sum(t for told in (self.account.ends, self.account.stock) for key, t in told.items() if key in held)

    @property
    def twice_t(self) -> float:
        """What came to a furnish lot a second time, as broke."""
        return max(0.0, self.of_it_t - self.in_lots_t)

    @property
    def apart_t(self) -> float:
        return self.account.whole - self.made_t

    @property
    def to_hold(self) -> list[Touched]:
        return [x for x in self.lots if x.node.standing in ("running", "waiting")]

    @property
    def gone(self) -> list[Touched]:
        """Those that were released or diverted already: no act of this desk calls them back."""
        return [x for x in self.lots if not x.node.open]


def found_of(trace: Trace, suspect: Suspect) -> Found:
    """Where a suspect is. Raises: ImpossibleInput for a record whose lots gave more than they were made of."""
    graph = trace.graph
    shares = graph.forward(suspect.shares)
    account = graph.account(suspect.shares)
    furnish, stock = [], []
    for key, share in shares.items():
        n = trace.nodes[key]
        if n.kind == FURNISH:
            furnish.append(Touched(n, share * n.t, share, n.standing))
    for key, t in account.stock.items():
        n = trace.nodes[key]
        if n.kind == MADE and t > 1e-6:
            stock.append(Touched(n, t, shares[key], _tower(trace, n)))
    for key, t in account.ends.items():
        n = trace.nodes[key]
        if n.kind == MADE and t > 1e-6:
            stock.append(Touched(n, t, shares[key], _tower(trace, n)))
    made = sum(share * graph.made.get(key, 0.0) for key, share in suspect.shares.items())
    return Found(
        suspect,
        tuple(sorted(furnish, key=lambda x: -x.of_it)),
        tuple(sorted(stock, key=lambda x: -x.of_it)),
        account,
        made,
        shares,
    )


def _tower(trace: Trace, n: Node) -> str:
    """Where a source lot stands that is not used up: its tower, or on its way there."""
    source = trace.state.mill.sources.get(n.source)
    if source is None:
        return "in stock"
    if n.at + timedelta(hours=source.transit_h) > trace.state.now:
        return "on its way to its tower"
    vessel = trace.state.mill.vessels.get(source.vessel)
    return vessel.name if vessel is not None else source.name


@dataclass(frozen=True)
class Choice:
    """A thing that may be suspected, offered: its key and its words."""

    key: str
    words: str


def choices(trace: Trace) -> list[tuple[str, list[Choice]]]:
    """What may be suspected, newest first, by kind."""

    def newest(kind: str) -> list[Node]:
        return sorted((n for n in trace.nodes.values() if n.kind == kind), key=lambda n: n.at, reverse=True)

    made = [Choice(n.key, f"{n.key}, {n.what}, {dayclock(n.at)}") for n in newest(MADE) if not n.key.startswith("uncut:")]
    raw = newest(RAW)
    piles = [Choice(n.key, n.title) for n in raw if n.key.startswith(PILE)]
    bales = [Choice(n.key, n.key) for n in raw if not n.key.startswith(PILE)]
    tanks = trace.state.mill.tanks
    told = Record.objects.current().filter(kind=Kind.EVENT, status="delivery", subject__startswith="tank.")
    since = trace.state.now - timedelta(days=TRACED_DAYS)
    brought = [
        Choice(f"{TANK}{r.subject.removeprefix('tank.')}:{r.pk}", f"{tanks[k].name}, {dayclock(r.at)}")
        for r in told.filter(at__gte=since, at__lte=trace.state.now).order_by("-at")
        if (k := r.subject.removeprefix("tank.")) in tanks
    ]
    meters = [Choice(f"{METER}{r.id}", f"{r.place}, {r.test.replace('_', ' ')}") for r in trace.state.mill.plan.values()]
    groups = [("Cook, slice or batch", made), ("Bales", bales), ("Pile, by day", piles), ("Chemical delivery", brought)]
    return [(title, told_) for title, told_ in (*groups, ("Meter or test", meters)) if told_]


def hold_all(*, found: Found, state, by, now: datetime, pin: str, words: str, begun_s: float, rehearsal: bool) -> Record:
    """Hold every furnish lot that holds what is suspect and is not released, in one act; or keep that it was rehearsed.

    `begun_s`: seconds from when the suspect was named until now. All lots are held and the recall is kept, or nothing is.
    Raises: RecallRefused; PermissionDenied for a role that may not hold.
    """
    refuse(by, "hold")
    if len(words.strip()) < CHECKS:
        raise RecallRefused("words", "Reason is empty; say what is suspected and why.")
    try:
        check_pin(by, pin)
    except PinRefused as refusal:
        raise RecallRefused("pin", str(refusal)) from None
    held: list[str] = []
    with writing():
        trace = Trace(state)  # as it stands now: a lot may have been decided since the page was read
        again = found_of(trace, found.suspect)
        done = DECISIONS["hold"][1]
        for x in again.to_hold if not rehearsal else ():
            lot = trace.furnish[x.node.key]
            write(
                kind=Kind.DISPOSITION,
                subject=lot.number,
                by=by,
                now=now,
                says=f"Lot {lot.number} {done}: recall of {again.suspect.title}",
                words=words.strip(),
                status=done,
                data={"action": "hold", "proposed": "hold", "why": [f"recall of {again.suspect.title}"], "meaning": done},
                about=lot.opened,
            )
            held.append(lot.number)
        kind = REHEARSAL if rehearsal else RECALL
        told = f"{'Rehearsed recall' if rehearsal else 'Recall'} of {again.suspect.title}: {figure(again.touched_t, 1)} t in "
        told += f"{len(again.lots)} lots touched, {figure(again.of_it_t, 2)} t of it"
        told += f"; {len(held)} held" if not rehearsal else ""
        return write(
            kind=Kind.EVENT,
            subject="recall",
            by=by,
            now=now,
            says=f"{told}, found in {round(begun_s)} s",
            words=words.strip(),
            status=kind,
            value=round(begun_s),
            data=paper_of(again, held, begun_s),
        )


def paper_of(found: Found, held: list[str], begun_s: float) -> dict:
    """A recall as it is kept: what was suspected, every lot touched and where it stood then, and how the tonnes closed."""
    return {
        "suspect": {"key": found.suspect.key, "title": found.suspect.title, "why": found.suspect.why},
        "lots": [
            {"lot": x.node.key, "what": x.node.what, "of_it": x.of_it, "t": x.t, "share": x.share, "stands": x.where}
            for x in found.lots
        ],
        "stock": [{"lot": x.node.key, "what": x.node.what, "of_it": x.of_it, "where": x.where} for x in found.stock],
        "made_t": found.made_t,
        "lost_t": found.account.lost,
        "apart_t": found.apart_t,
        "held": held,
        "seconds": begun_s,
    }


def recalls(state, *, most: int = 20) -> list[Record]:
    """Recalls and rehearsals, newest first."""
    told = Record.objects.current().filter(kind=Kind.EVENT, subject="recall", at__lte=state.now)
    return list(told.order_by("-at", "-id")[:most])


def rows_behind(trace: Trace, number: str) -> list[tuple[Node, float, float]]:
    """Every lot behind one with its share and its tonnes in it, largest first. Raises: CoreError."""
    t = trace.nodes[number].t
    shares = trace.graph.back(number)
    told = [(trace.nodes[k], s, s * t) for k, s in shares.items() if k != number]
    return sorted(told, key=lambda row: -row[2])
