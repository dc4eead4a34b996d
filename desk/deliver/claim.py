"""Recycled content of furnish lots, from the goods-in record to the product: as a page, a CSV file and a printed sheet."""

import csv
from dataclasses import dataclass, replace
from datetime import timedelta

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.deliver.draw import Draw, draw
from core.recovered.claim import NEW, OWN, ClaimCase, Part, Row, claim, down, share_out
from core.unit import Worked
from desk.deliver.actions import lots as furnish_lots
from desk.kit.sheet import safe
from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.log.proof import anchor_words
from desk.mill.context import state_of
from desk.mill.loaded import BALES
from desk.mill.ribbon import STATIONS, draw_small

SPANS = (1, 7, 30, 90)
MADE_HERE = "made here, of wood or straw"
NO_RECORD = "no goods-in record"


@dataclass(frozen=True)
class Bales:
    """What the goods-in record says of a bale lot."""

    kind: str
    name: str
    sort: str
    document: str
    post_pct: float
    pre_pct: float


def _goods_in(state) -> dict[str, Bales]:
    """Every bale lot that came in, by number, as its newest receipt has it."""
    told = {}
    for r in Record.objects.current().filter(kind=Kind.EVENT, subject__startswith=BALES, status="received"):
        kind = state.mill.bales.get(r.data["kind"])
        told[r.subject.removeprefix(BALES)] = Bales(
            kind=r.data["kind"],
            name=kind.name if kind else r.data["kind"],
            sort=kind.sort if kind else "recovered paper",
            document=r.data["document"],
            post_pct=r.data.get("post_pct", 0.0),
            pre_pct=r.data.get("pre_pct", 0.0),
        )
    return told


def _of_bales(t: float, number: str, goods: dict[str, Bales]) -> Row:
    """A part that bales stand behind. Broke of this mill counts to nothing; broke that came with papers at its own share."""
    b = goods.get(number)
    if b is None:
        return Row(lot=number, what="bales", document=NO_RECORD, part=Part(t=t), proved=False)
    own = b.sort == "broke" and b.post_pct + b.pre_pct <= 0.0
    part = Part(t=t, post_pct=b.post_pct, pre_pct=b.pre_pct, sort=OWN if own else NEW)
    return Row(lot=number, what=b.name, document=b.document, part=part, proved=True)


def rows_of(state, lots) -> list[Row]:
    """What went into furnish lots, by bale lot where bales stand behind it, each once with its whole tonnes."""
    goods = _goods_in(state)
    from_bales = {k.source for k in state.mill.bales.values() if k.sort != "broke"}
    of_broke = {k.source for k in state.mill.bales.values() if k.sort == "broke"}
    numbers = {s["lot"] for lot in lots for s in lot.sources if s["lot"]}
    made = {r.subject: r for r in Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=True, subject__in=numbers)}
    rows: dict[tuple, Row] = {}

    def add(row: Row) -> None:
        key = (row.lot, row.what, row.document, row.part.sort)
        before = rows[key].part.t if key in rows else 0.0
        part = Part(t=before + row.part.t, post_pct=row.part.post_pct, pre_pct=row.part.pre_pct, sort=row.part.sort)
        rows[key] = Row(lot=row.lot, what=row.what, document=row.document, part=part, proved=row.proved)

    for lot in lots:
        for s in lot.sources:
            behind = made[s["lot"]].data.get("from", ()) if s["lot"] in made else ()
            if behind:
                for number, t in share_out(s["t"], [(b["lot"], b["od_t"]) for b in behind]):
                    add(_of_bales(t, number, goods))
            elif s["lot"] in goods:
                add(_of_bales(s["t"], s["lot"], goods))
            elif s["source"] in of_broke:
                add(Row(lot="", what="own broke", document="counts to nothing", part=Part(t=s["t"], sort=OWN), proved=True))
            elif s["source"] in from_bales:
                add(Row(lot=s["lot"], what=s["what"], document=NO_RECORD, part=Part(t=s["t"]), proved=False))
            else:
                name = state.mill.sources[s["source"]].name if s["source"] in state.mill.sources else s["source"]
                add(Row(lot="", what=name, document=MADE_HERE, part=Part(t=s["t"]), proved=True))
        if (t := lot.tonnes * filler_share(state, lot.grade)) > 0.0:
            add(Row(lot="", what="filler", document="new, not recycled", part=Part(t=t), proved=True))
    order = lambda r: (r.part.sort == OWN, -(r.part.post_pct + r.part.pre_pct), r.what, r.lot)  # noqa: E731
    return sorted(rows.values(), key=order)


def filler_share(state, grade) -> float:
    """Filler added to a grade, t a tonne of its furnish, by its card."""
    known = set(grade.shares) <= set(state.mill.sources)
    ash = state.mix_of(dict(grade.shares)).ash_pct if known else 0.0  # of sources that are gone nothing is known: most filler
    case = state.mill.draw_case(grade)
    found = draw(replace(case, furnish_ash_pct=min(ash, case.sheet_ash_pct)))
    return found.filler_t_h / found.solids_t_h if isinstance(found, Draw) and found.solids_t_h > 0.0 else 0.0


def worked_of(rows: list[Row]) -> Worked | None:
    """The claim of these parts; None where nothing new is among them."""
    parts = tuple(r.part for r in rows)
    if not any(p.sort == NEW and p.t > 0.0 for p in parts):
        return None
    case = ClaimCase(parts=parts)
    return Worked(model="recovered.claim", case=case, result=claim(case))


@require_safe
def claim_page(request):
    """Recycled content of the furnish lots closed in some days, or of one lot; ?csv=1 the parts as a file, ?paper=1 a sheet."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    days = whole(request.GET.get("days", ""), 1, 400) or SPANS[1]
    grade = request.GET.get("grade", "")
    closed = [x for x in furnish_lots(state, days=days) if x.closed]
    one = next((x for x in closed if x.number == request.GET.get("lot", "").upper()), None)
    lots = [one] if one else [x for x in closed if grade in ("", x.grade.key)]
    rows = rows_of(state, lots)
    worked = worked_of(rows)
    if request.GET.get("csv") == "1":
        return _csv(rows, worked)
    unproved = [r for r in rows if not r.proved]
    context = {
        "station": "deliver",
        "stations": STATIONS,
        "small": draw_small(state),
        "rows": rows,
        "worked": worked,
        "lots": lots,
        "one": one,
        "choices": closed,
        "days": days,
        "spans": SPANS,
        "grade": grade,
        "grades": state.mill.grades.values(),
        "since": state.now - timedelta(days=days),
        "unproved_t": sum(r.part.t for r in unproved),
        "claims": (
            ("Recycled content", down(worked.result.total_pct)),
            ("post-consumer", down(worked.result.post_pct)),
            ("pre-consumer", down(worked.result.pre_pct)),
        )
        if worked
        else (),
        "asked": f"days={days}&grade={grade}&lot={one.number if one else ''}",
        "anchor": anchor_words(),
    }
    return render(request, "deliver/claim_paper.html" if request.GET.get("paper") == "1" else "deliver/claim.html", context)


def _csv(rows: list[Row], worked: Worked | None) -> HttpResponse:
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="claim.csv"'
    out = csv.writer(response)
    out.writerow(["lot", "what", "document", "sort", "t_od", "post_pct", "pre_pct", "proved"])
    for r in rows:
        p = r.part
        told = [
            r.lot,
            r.what,
            r.document,
            p.sort,
            f"{p.t:.4f}",
            f"{p.post_pct:g}",
            f"{p.pre_pct:g}",
            "yes" if r.proved else "no",
        ]
        out.writerow([safe(c) for c in told])
    if worked:
        f = worked.result
        whole_of = [f"{f.new_t:.4f}", f"{down(f.post_pct):g}", f"{down(f.pre_pct):g}", ""]
        out.writerow(["", "new solids, claim", "", NEW, *whole_of])
    return response
