"""The practice table as a board: every row with the place it is used at, whether its signal stands, and its size."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.urls import reverse

from core.practice.table import ROWS, Practice, Proposal
from desk.cook.actions import decided_on_next, move_on_next
from desk.cook.models import Cook
from desk.cook.views import band_of
from desk.kit.station import MoveGroup, move_groups
from desk.kit.templatetags.vat import figure
from desk.log.models import Kind, Record
from desk.log.practice import newest_results, opening, proposed
from desk.mill.ribbon import STATIONS

BLOW_COUNTS = timedelta(hours=24)
ORDER = {"stands": 0, "unread": 1, "calm": 2}


@dataclass(frozen=True)
class Line:
    """One row at one place. `state`: stands, calm (no signal) or unread."""

    practice: Practice
    key: str
    place: str
    state: str
    says: str
    why: str
    url: str = ""
    decided: Record | None = None


def group_of(key: str) -> MoveGroup:
    """The group that an address names; the first where it names none."""
    groups = move_groups()
    return next((g for g in groups if g.key == key), groups[0])


def group_with(practice: Practice) -> MoveGroup:
    """The group that shows a row."""
    return next(g for g in move_groups() if practice.station in g.rows)


def station_of(practice: Practice) -> str:
    """The column of the ribbon that a row belongs to."""
    columns = {k for k, _, _ in STATIONS}
    return practice.station if practice.station in columns else group_with(practice).station


@dataclass(frozen=True)
class Read:
    """What places of moves are read from: the newest result of each plan row, the newest decision by the key of its place."""

    newest: dict[str, Record]
    decisions: dict[str, Record]

    @classmethod
    def of(cls, placements) -> "Read":
        told = list(placements)
        return cls(newest_results({r for s in told for r in s.readings.values()}), decided([s.subject for s in told]))


def lines(state, group, read: Read | None = None) -> list[Line]:
    """The rows of a group, those that stand first. `read`: what the mill's places are read from, where it has been already."""
    wanted = {k: p for k, p in ROWS.items() if p.station in group.rows}
    placements = [s for s in state.mill.moves.values() if s.row in wanted]
    told = read or Read.of(placements)
    result = [_line(state, wanted[s.row], s, told.newest, told.decisions) for s in placements]
    if any(p.station == "cook" for p in wanted.values()):
        result += _blows(state, wanted)
    order = list(wanted)
    return sorted(result, key=lambda x: (ORDER[x.state], order.index(x.practice.id)))


def decided(subjects) -> dict[str, Record]:
    """The newest decision by the key of its placement."""
    kept: dict[str, Record] = {}
    rows = Record.objects.current().filter(kind=Kind.DECISION, subject__in=subjects).select_related("about")
    for d in rows.order_by("at", "id"):
        if d.about is not None and (placement := d.about.data.get("spot")):
            kept[placement] = d
    return kept


def _line(state, practice: Practice, placement, newest, decisions) -> Line:
    start = opening(placement, state, newest=newest)
    result = None if start.missing else proposed(placement, start.values)
    common: dict[str, Any] = {
        "practice": practice,
        "key": placement.key,
        "place": placement.place,
        "decided": decisions.get(placement.key),
    }
    if result is None:
        return Line(
            state="unread", says="", why="Nothing is read yet." if start.missing else "The readings do not fit.", **common
        )
    return Line(
        state="stands" if result.stands else "calm",
        says=size_of(practice, result) if result.stands else "",
        why=result.why,
        **common,
    )


def size_of(practice: Practice, found: Proposal) -> str:
    before, after = (figure(getattr(found, k), practice.decimals) for k in ("before", "after"))
    return practice.says.format(before=before, after=after)


def _blows(state, wanted) -> list[Line]:
    """K1, K2, K3 and K8: decided where the blow is recorded; here by the newest tested cook of each wood."""
    result, seen = [], set()
    newest: dict[str, Cook] = {}
    tested = Cook.objects.filter(
        kappa__isnull=False, started_at__gte=state.now - BLOW_COUNTS, started_at__lte=state.now
    ).filter(digester__in=state.mill.digesters)
    for cook in tested.order_by("started_at", "number"):
        newest[cook.species] = cook
    for species, cook in sorted(newest.items()):
        move = move_on_next(cook, band_of(state, species, cook.target))
        if move is None:
            continue
        seen.add(move.row)
        unit = "H" if move.lever == "h" else "% EA"
        done = decided_on_next(cook)
        result.append(
            Line(
                practice=wanted[move.row],
                key=move.row,
                place=f"Cook {cook.number}, {species}",
                state="calm" if done else "stands",
                says=""
                if done
                else f"Next cook {'+' if move.size > 0 else ''}{figure(move.size, 0 if unit == 'H' else 2)} {unit}",
                why=f"Kappa {cook.kappa:.1f} for {cook.target:.0f}.",
                url=reverse("cook:one", args=[cook.number]),
                decided=done,
            )
        )
    for key in ("K1", "K2", "K3", "K8"):
        if key not in seen:
            result.append(
                Line(
                    practice=wanted[key],
                    key=key,
                    place="Tested batch blows",
                    state="calm",
                    says="",
                    why="No blow of the last day asks for it.",
                )
            )
    return result
