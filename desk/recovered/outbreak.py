"""A sticky outbreak or an ink upset: what the tests say, which lots were loaded, where their pulp is, what to do first."""

from dataclasses import dataclass
from datetime import timedelta

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.judge.band import judge
from core.recovered.unit import RecoveredPlan
from core.recovered.yard import LotNow
from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.loaded import BATCHES
from desk.recovered.bales import lots_of
from desk.recovered.views import station

SPANS = (8, 24, 72)
KINDS = {
    "stickies": ("Sticky outbreak", ("stickies", "ph"), "stickies"),
    "ink": ("Ink upset", ("gain", "ink", "brightness"), "eric_ppm"),
}
SUSPECT = 1.5  # times what is ordinary of its kind
TRUSTED = ("single", "accepted", "median_flagged")
LOOK = {
    "stickies": (
        "The bale lots of the last hours: a lot with labels, tape or spines, or one that nobody tested.",
        "The pulper: too long or too hot grinds stickies so small that no slot keeps them back.",
        "The fine screens: five degrees warmer, a worn slot, or a basket that leaks pass them.",
        "The loop: a jump of pH or a filler that met acid lets what was dispersed come out.",
        "The disperger: less energy leaves them large.",
    ),
    "ink": (
        "The bale lots: more newsprint or old, cured ink than the card.",
        "Flotation: air lost, the froth white or flat, soap or hardness off.",
        "The pulper: too little energy leaves ink on the fibre, too much drives the finest back into it.",
        "The washer: thinner feed or thicker mat keeps fine ink.",
        "Peroxide: alkali off its best darkens, and no bleach takes ink away.",
    ),
}
FIRST = {
    "stickies": "Stop the spread: set the lot aside, load another. Hold what was made of it and tell the machine.",
    "ink": "Load the cleanest lots while you look. Grey stock goes where a grey grade takes it.",
}


@dataclass(frozen=True)
class Loaded:
    """A bale lot of the last hours: what was loaded of it, its share of the load, and how it stands beside its kind."""

    lot: LotNow
    kg: float
    share_pct: float
    value: float
    usual: float
    since: object

    @property
    def suspect(self) -> bool:
        return self.value > SUSPECT * self.usual if self.usual > 0.0 else self.value > 0.0

    @property
    def mark(self) -> str:
        return "m-act" if self.suspect else "" if self.lot.tested else "m-watch"


def loaded_lots(state, hours: int, name: str) -> list[Loaded]:
    """The bale lots that batches took in the last hours, those that are worst first."""
    since = state.now - timedelta(hours=hours)
    kept = Record.objects.current().filter(
        kind=Kind.EVENT, subject__startswith=BATCHES, status="batch", at__gt=since, at__lte=state.now
    )
    taken: dict[str, tuple[float, object]] = {}
    for at, data in kept.order_by("at").values_list("at", "data"):
        for row in data.get("lots", ()):
            kg, first = taken.get(row["lot"], (0.0, at))
            taken[row["lot"]] = (kg + row["kg"], first)
    there = lots_of(state)
    total = sum(kg for kg, _ in taken.values())
    told = [
        Loaded(there[n], kg, 100.0 * kg / total, there[n].tests[name], getattr(there[n].kind, name), first)
        for n, (kg, first) in taken.items()
        if n in there
    ]
    return sorted(told, key=lambda x: (not x.suspect, x.lot.tested, -x.kg))


def where_it_went(state, number: str) -> tuple[float, float, list[tuple[Record, float]]]:
    """Of a bale lot: the pulp that its batches made in all, t OD; what of that is its own; and the furnish lots with it, each
    with its own tonnes."""
    own: dict[str, float] = {}
    made = mine = 0.0
    since = state.now - timedelta(days=10)
    sources = Record.objects.current().filter(kind=Kind.LOT_CLOSE, at__gte=since, at__lte=state.now)
    for r in sources.filter(about__isnull=True):
        behind = r.data.get("from", ())
        whole_t = sum(b["od_t"] for b in behind)
        part = sum(b["od_t"] for b in behind if b["lot"] == number)
        if part > 0.0:
            own[r.subject] = part / whole_t
            made += r.data["tonnes"]
            mine += r.data["tonnes"] * own[r.subject]
    reached = []
    for r in sources.filter(about__isnull=False).order_by("at"):
        t = sum(s["t"] * own.get(s["lot"], 0.0) for s in r.data["sources"])
        if t > 0.0:
            reached.append((r, t))
    return made, mine, reached


@require_safe
def outbreak(request):
    """What tests say, the lots that were loaded, where the pulp of one of them is, and what to do first."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    kind = request.GET.get("kind", "stickies")
    kind = kind if kind in KINDS else "stickies"
    title, tests, name = KINDS[kind]
    hours = whole(request.GET.get("hours", ""), 1, 240) or SPANS[1]
    loads = loaded_lots(state, hours, name)
    chosen = next((x for x in loads if x.lot.number == request.GET.get("lot", "").upper()), loads[0] if loads else None)
    rows = []
    for row in state.mill.plan.values():
        if row.station == "recovered" and row.test in tests:
            newest = (
                Record.objects.current()
                .filter(kind=Kind.RESULT, subject=row.id, status__in=TRUSTED, at__lte=state.now)
                .order_by("-at", "-id")[:2]
            )
            if newest:
                mark = judge(newest[0].value, row.band, confirmed=True).state.value
                rows.append(
                    {"row": row, "now": newest[0], "before": newest[1] if len(newest) > 1 else None, "mark": f"m-{mark}"}
                )
    made, mine, reached = where_it_went(state, chosen.lot.number) if chosen else (0.0, 0.0, [])
    units = [(k, p) for k, p in state.line.acting.items() if isinstance(p, RecoveredPlan)]
    along = [(p.name, state.line.acts[k].worked[0].result.after) for k, p in units]
    moves = [m for m in state.mill.moves.values() if m.row in (("R5", "R6") if kind == "stickies" else ("R3",))]
    context = station(
        request,
        state,
        title=title,
        kind=kind,
        kinds=[(k, t) for k, (t, _, _) in KINDS.items()],
        hours=hours,
        spans=SPANS,
        loads=loads,
        chosen=chosen,
        made=made,
        mine=mine,
        reached=reached,
        rows=rows,
        along=along,
        look=LOOK[kind],
        first=FIRST[kind],
        alarm=any(r["mark"] == "m-act" for r in rows) or any(x.suspect for x in loads),
        moves=moves,
        outbreaking=True,
    )
    return render(request, "recovered/outbreak.html", context)
