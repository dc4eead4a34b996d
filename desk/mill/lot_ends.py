"""Where lots of what runs without batches end before their four hours, by the record.

A deviation ends the lots it touches when it is opened and when it is closed, another raw material or chemical source once it is
mixed. The rule is core/deliver/lots.py's.
"""

from datetime import UTC, datetime, timedelta

from core.deliver.lots import End, first_end
from core.mill.causes import Ways
from desk.log.models import Kind, Record
from desk.log.tail import hold, tail
from desk.mill.in_force import PREFIX as SET

DEVIATION = "deviation."
BEGINS_OR_ENDS = ("opened", "closed")
SPELLED = {"opened": "deviation opened", "closed": "deviation closed"}

hold(Kind.EVENT, prefix=DEVIATION, back=timedelta(days=12))


def _h(when: datetime) -> float:
    return when.timestamp() / 3600.0


def _deviations(since: datetime, until: datetime) -> list[Record]:
    told = tail().told(Kind.EVENT, prefix=DEVIATION, since=since, until=until, status=BEGINS_OR_ENDS)
    return [r for r in told if r.at > since]


def _touches(r: Record, line: str) -> bool:
    """Whether a deviation is about a line: about what is sampled there, what is suspect there, or about the mill."""
    told = (r.about if r.status == "closed" and r.about is not None else r).data
    about = told.get("row") or told.get("suspect") or ""
    kind, _, rest = about.partition(":")
    if rest and kind not in ("pile", "meter"):
        return True  # a chemical comes to every line
    return not about or (rest or about)[:1] == line


def furnish_end(state, since: datetime) -> tuple[datetime, str]:
    """When the furnish lot opened then is to be closed, and why: any deviation about the mill or the furnish ends it."""
    line = state.mill.machine.line_letter
    ends = [End(_h(r.at), SPELLED[r.status]) for r in _deviations(since, state.now) if _touches(r, line) or _furnish(r)]
    ends += [End(_h(s.start), s.what) for s in state.stops[:1] if s.rate_pct == 0.0 and s.start > since]
    found = first_end(_h(since), ends)
    return datetime.fromtimestamp(found.at_h * 3600.0, UTC), found.why


def _furnish(r: Record) -> bool:
    told = (r.about if r.status == "closed" and r.about is not None else r).data
    return bool(told.get("lots"))


class Ends:
    """The ends of slices since a time, by the unit they are cut of."""

    def __init__(self, state, since: datetime):
        self.state = state
        self.deviations = _deviations(since, state.now)
        put = Record.objects.current().filter(kind=Kind.SETPOINT, subject__startswith=SET, at__gt=since, at__lte=state.now)
        self.put = [r for r in put.order_by("at", "id") if r.subject.removeprefix(SET) in self._feeds]
        self.ways: dict[str, dict] = {}

    @property
    def _feeds(self) -> set[str]:
        """Units whose settings say which raw material comes: those that are fed from outside."""
        return {u.id for u in self.state.mill.units if u.feed.any() and not u.supply}

    def of(self, unit: str, line: str) -> list[End]:
        """Where slices of a unit end."""
        told = [End(_h(r.at), SPELLED[r.status]) for r in self.deviations if _touches(r, line)]
        for r in self.put:
            if unit not in self.ways:
                self.ways[unit] = Ways(self.state.mill, self.state.line, {}).to(unit)
            way = self.ways[unit].get(r.subject.removeprefix(SET))
            if way is not None:
                felt = r.at + timedelta(hours=way.delay_h + 2.0 * way.tau_h)
                told.append(End(_h(felt), "another raw material"))
        return told
