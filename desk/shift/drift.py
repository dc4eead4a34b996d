"""Drift: every standing move with its size in one list, worst first: vessels, readings, rows of the practice table."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from django.urls import reverse

from core.judge.band import Band
from desk.instruments.models import Signal, at
from desk.instruments.store import series
from desk.kit.station import move_groups
from desk.lab.board import Board, RowNow
from desk.lab.drawings import last_results
from desk.log.models import Kind, Record
from desk.log.moves import UNDO_S, may_undo, share_slip
from desk.mill.effects import Effect, effects
from desk.mill.state import VesselNow
from desk.moves.board import Line, Read, lines

DECIDED_FOR = timedelta(hours=2)
PAST_SHOWN = 8
LEVELS_FOR = timedelta(hours=6)


@dataclass(frozen=True)
class Drift:
    """One thing that drifts: a vessel, a reading of the plan or a standing row of the practice table, with its slip if any."""

    key: str
    gravity: int
    words: str
    vessel: VesselNow | None = None
    row: RowNow | None = None
    line: Line | None = None
    slip: dict | None = None
    url: str = ""
    picture: dict | None = None
    effects: tuple[Effect, ...] = field(default=())


@dataclass(frozen=True)
class InForce:
    """A move that was taken within the last minute: it can still be undone."""

    decision: Record
    left_s: float

    @property
    def until(self):
        return self.decision.entered_at + timedelta(seconds=UNDO_S)


def vessels_that_drift(state, board: Board) -> list[Drift]:
    """Vessels that stop the line soon, each with the share move it asks for, but those whose move was taken in the last two
    hours and not undone."""
    result = []
    for v in state.vessels.values():
        if not v.stops_the_line:
            continue
        decision = board.decided(f"cover.{v.vessel.key}", state.now - DECIDED_FOR)
        if decision is not None and decision.data["choice"] != "refuse":
            continue
        url = reverse("shift:decide_cover", args=[v.vessel.key])
        words = f"{v.vessel.name} {v.cover.way} soon"
        result.append(Drift(f"cover.{v.vessel.key}", 4, words, vessel=v, slip=share_slip(state, v), url=url))
    return result


def rows_that_drift(board: Board) -> list[Drift]:
    """Readings out of their band or near its edge, worst first, each with its open slip."""
    result = []
    for r in board.drifting:
        open_move = r.move if r.move is not None and r.decision is None else None
        url = reverse("shift:decide", args=[open_move.pk]) if open_move else ""
        slip = open_move.data if open_move else None
        result.append(Drift(f"row.{r.row.id}", r.gravity, f"{r.short_place} {r.judgement.word}", row=r, slip=slip, url=url))
    return result


def standing_rows(state, board: Board) -> list[Drift]:
    """Rows of the practice table that stand at the readings now and whose slip is not open above already."""
    open_placements = {d.move.data.get("spot") for d in board.rows if d.move is not None and d.decision is None}
    result, seen, read = [], set(), Read.of(state.mill.moves.values())
    for group in move_groups():
        for line in lines(state, group, read):
            if line.state != "stands" or line.key in open_placements or line.key in seen:
                continue
            seen.add(line.key)
            url = line.url or reverse("moves:row", args=[line.key])
            result.append(Drift(f"practice.{line.key}", 1, f"{line.practice.id} stands", line=line, url=url))
    return result


def standing_known(state, board: Board) -> list[Drift]:
    """The same, worked out at most once a minute a process: Shift asks every few seconds."""
    minute = int(state.now.timestamp() // 60)
    if _standing.get("key") != (state.version_id, minute):
        _standing.update(key=(state.version_id, minute), found=standing_rows(state, board))
    return _standing["found"]


_standing: dict[str, Any] = {}


def forget() -> None:
    """Drop what is kept (tests change the mill under their own feet)."""
    _standing.clear()


def in_force(now, board: Board) -> list[InForce]:
    """Moves taken within the last minute, the newest first."""
    since = now - timedelta(seconds=UNDO_S)
    if not any(since < d.entered_at <= now for d in board.decided_on.values()):
        return []
    rows = Record.objects.current().filter(kind=Kind.DECISION, entered_at__gt=since, entered_at__lte=now, about__isnull=False)
    result = [(d, may_undo(d, now)) for d in rows.select_related("about").order_by("-id")]
    return [InForce(d, left) for d, left in result if left > 0.0]


def everything(state, board: Board) -> list[Drift]:
    """The whole list with pictures and side effects."""
    result = [*vessels_that_drift(state, board), *rows_that_drift(board), *standing_rows(state, board)]
    return [_whole(d, state) for d in sorted(result, key=lambda d: -d.gravity)]


def _whole(d: Drift, state) -> Drift:
    more: dict[str, Any] = {}
    if d.vessel is not None:
        past = _levels(d.vessel.vessel.key, state.now)
        more["picture"] = last_results(past, d.vessel.level_pct, (), Band(), 0) | {"last": state.now} if past else None
    if d.row is not None:
        past = list(d.row.results[:PAST_SHOWN])
        if past:
            shown = last_results(past[1:], past[0].value, (), d.row.band, d.row.test.decimals)
            more["picture"] = shown | {"last": past[0].at}
    if d.slip is not None:
        more["effects"] = effects(d.slip, state)
    return Drift(**{**{name: getattr(d, name) for name in Drift.__dataclass_fields__}, **more})


@dataclass(frozen=True)
class Level:
    """A level as it stood, %."""

    at: datetime
    value: float


def _levels(vessel: str, now: datetime) -> list[Level]:
    """How a vessel's level went over the last shift's length, newest first; empty where nothing reads it."""
    signal = Signal.objects.filter(tag=f"level.{vessel}").first()
    result = series(signal, now - LEVELS_FOR, now, PAST_SHOWN) if signal else []
    return [Level(at(b.at_ms), b.mean) for b in reversed(result)][:PAST_SHOWN]


def hidden_words(found: list[Drift], shown: int, most: int = 3) -> str:
    """What the list leaves out, in words: R stickies near top, M refiner high, and 2 more."""
    rest = found[shown:]
    words = ", ".join(d.words for d in rest[:most])
    return f"{words} and {len(rest) - most} more" if len(rest) > most else words
