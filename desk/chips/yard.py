"""The yard by its record: wood that came, surveys, stones and metal, and what the loading looked like."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from core.chips.piles import PileNow, Receipt, what_is_left
from core.errors import ImpossibleInput
from core.stock import book
from desk.kit.refused import FieldRefused
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.rights import refuse

LEDGER_DAYS = 400
TRAPS = {"stone": "stones in the trap", "metal": "metal detector trip", "bark": "bark over its limit"}
LOOKS = {
    "even": ("An even mat fills the washer or feeder", "Loaded as it should be.", "in"),
    "starved": (
        "Gaps, the feeder chatters",
        "Starved: H and liquor run ahead of the wood. Look at the bin and the screw, then at the level below.",
        "act",
    ),
    "flooded": ("Heaped, spilling back", "Flooded: uneven steam and dry cores. Cut the feed before anything else.", "act"),
    "stones": (
        "Rattle, sparks, bright marks",
        "Stone or metal: stop by procedure, empty the trap locked out; look at the detector’s log.",
        "act",
    ),
    "ice": ("Lumps, frost on the chips", "Frozen: steam longer, expect a cold core and slow penetration.", "watch"),
    "rot": (
        "Grey, smoking, sour smell",
        "Old wood from the core of the pile: mix it in thin, expect dark pulp and alkali taken.",
        "watch",
    ),
}


def feeds_of(state) -> dict[str, str]:
    """The feeds of chips and bagasse of this mill, by unit, as people call them."""
    feeds = state.mill.feed_plans
    return {u.id: u.title[:1].upper() + u.title[1:] for u in state.mill.units if u.station == "chips" and u.id in feeds}


class YardRefused(FieldRefused):
    """Why an entry cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Stand:
    """A pile as it stands: from its ledger, or why nothing is known of it."""

    pile: object
    now: PileNow | None
    draw_t_h: float
    surveyed_at: datetime | None
    why: str = ""


def stands(state) -> list[Stand]:
    """Every pile of the mill by its receipts and its newest survey."""
    feeds = state.feed_rates
    subjects = [f"pile.{k}" for k in state.mill.piles]
    ledger: dict[str, list[Record]] = {s: [] for s in subjects}
    since = state.now - timedelta(days=LEDGER_DAYS)
    for r in (
        Record.objects.current()
        .filter(kind=Kind.EVENT, subject__in=subjects, at__gte=since, at__lte=state.now)
        .order_by("at", "id")
    ):
        ledger[r.subject].append(r)
    return [
        _stand(state, pile, feeds.get(pile.unit, 0.0) * pile.share, ledger[f"pile.{k}"]) for k, pile in state.mill.piles.items()
    ]


def _stand(state, pile, draw: float, ledger: list[Record]) -> Stand:
    days = lambda r: (state.now - r.at).total_seconds() / 86400.0  # noqa: E731
    receipts = [r for r in ledger if r.status == "receipt"]
    survey = next((r for r in reversed(ledger) if r.status == "survey"), None)
    if survey is None or not receipts:
        return Stand(pile, None, draw, None, "No survey or no receipt is kept yet.")
    came = [(24.0 * (days(survey) - days(r)), r.value) for r in receipts if r.at > survey.at]
    stands_now = book.stands(survey.value, 24.0 * days(survey), draw, came)
    try:
        now = what_is_left(
            tuple(Receipt(days_ago=days(r), od_t=r.value) for r in receipts),
            stands_now,
            draw,
            first_in_first_out=pile.kind == "plane",
        )
    except ImpossibleInput as refusal:
        return Stand(pile, None, draw, survey.at, "; ".join(f"{p.field} {p.text}" for p in refusal.problems))
    return Stand(pile, now, draw, survey.at)


@writing()
def keep(*, state, what: str, where: str, value: float | None, words: str, by, now) -> Record:
    """Keep a receipt or a survey of a pile (t OD), a trap event, or a look at a feed. Raises: YardRefused."""
    refuse(by, "record")
    if what in ("receipt", "survey"):
        if where not in state.mill.piles:
            raise YardRefused("where", "Pile is none of this yard.")
        low = 0.0 if what == "survey" else 0.1
        if value is None or not low <= value <= 100_000.0:
            shown = "empty" if value is None else f"{value:g} t"
            raise YardRefused("value", f"Wood is {shown}; it must be {low:g} to 100 000 t oven-dry.")
        name = state.mill.piles[where].name
        says = f"{name}: {value:g} t OD {'came in' if what == 'receipt' else 'by survey'}"
        return write(kind=Kind.EVENT, subject=f"pile.{where}", by=by, now=now, says=says, value=value, status=what, words=words)
    feeds = feeds_of(state)
    if where not in feeds:
        raise YardRefused("where", f"Feed is none of {', '.join(feeds.values())}.")
    if what in TRAPS:
        return write(
            kind=Kind.EVENT,
            subject=f"feed.{where}",
            by=by,
            now=now,
            says=f"{feeds[where]}: {TRAPS[what]}",
            status=what,
            words=words,
        )
    if what in LOOKS:
        title, does, _ = LOOKS[what]
        return write(
            kind=Kind.EVENT,
            subject=f"feed.{where}",
            by=by,
            now=now,
            says=f"{feeds[where]}: {title.lower()}",
            status=f"look.{what}",
            words=words,
            data={"does": does},
        )
    raise YardRefused("what", "Choose what was seen.")


@dataclass(frozen=True)
class Count:
    """Events of one kind at the feeds: today and on each of the days before, the oldest first."""

    what: str
    name: str
    today: int
    days: tuple[int, ...]


def counts(state, days: int = 7) -> list[Count]:
    """Stones, metal and bark a day, from the day's start of this mill."""
    local = state.now.replace(hour=int(state.mill.day_starts_h), minute=0, second=0, microsecond=0)
    start = local if local <= state.now else local - timedelta(days=1)
    first = start - timedelta(days=days - 1)
    rows = Record.objects.current().filter(kind=Kind.EVENT, status__in=list(TRAPS), at__gte=first, at__lte=state.now)
    by: dict[str, list[int]] = {k: [0] * days for k in TRAPS}
    for status, at in rows.values_list("status", "at"):
        by[status][min(days - 1, max(0, (at - first).days))] += 1
    return [Count(k, TRAPS[k], n[-1], tuple(n)) for k, n in by.items()]


def looked(state) -> dict[str, Record]:
    """The newest look at each feed."""
    result = {}
    for r in (
        Record.objects.current()
        .filter(kind=Kind.EVENT, subject__startswith="feed.", status__startswith="look.", at__lte=state.now)
        .order_by("at", "id")
    ):
        result[r.subject.removeprefix("feed.")] = r
    return result
