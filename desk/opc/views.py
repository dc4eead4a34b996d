"""The plant interface on screen: servers, how their connections stand, their nodes browsed and tried, which is which meter."""

import asyncio
import csv
import re

from django.contrib import messages
from django.http import FileResponse, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput
from desk.instruments.models import Signal, at
from desk.kit.bench import typed_number
from desk.kit.sheet import safe
from desk.kit.text import plain
from desk.opc import actions
from desk.opc.models import POLICIES, Link, Point
from desk.people.rights import may

LABELS = {
    "name": "Name",
    "url": "Address",
    "policy": "Security",
    "every_ms": "Read every",
    "trusted": "Certificate",
    "node": "Node",
    "tag": "Meter",
    "factor": "Factor",
    "offset": "Offset",
    "dead": "Dead band",
}
ROOT = "i=85"


def _bad(refusal: ImpossibleInput) -> dict[str, str]:
    return {p.field: f"{LABELS.get(p.field, p.field)} {p.text}." for p in refusal.problems}


def _number(text: str, empty: float | None = None) -> float | None:
    try:
        return typed_number(text) if text.strip() else empty
    except ValueError:
        return None


def _points(link: Link) -> list[dict]:
    told = link.points.select_related("signal")
    return [{"p": p, "at": at(p.read_ms) if p.read_ms is not None else None} for p in told]


@require_safe
def links(request):
    """Every server, how it stands, how many meters it gives."""
    rows = [
        {"l": link, "points": link.points.count(), "bad": link.points.filter(quality="bad").count()}
        for link in Link.objects.all()
    ]
    context = {
        "rows": rows,
        "may_link": request.user.may("link"),
        "policies": POLICIES,
        "typed": {"policy": "none", "every_ms": "1000"},
    }
    return render(request, "opc/links.html", context | {"unread": Signal.objects.filter(point__isnull=True).count()})


@require_POST
@may("link")
def new(request):
    return _kept(request, None)


@require_POST
@may("link")
def keep(request, pk: int):
    return _kept(request, get_object_or_404(Link, pk=pk))


def _kept(request, link: Link | None):
    """A server as it was typed; what is refused stays typed, but for the password."""
    typed = {k: request.POST.get(k, "") for k in ("name", "url", "policy", "user", "every_ms")}
    password = request.POST.get("password", "")
    leaves = link is not None and not password and not request.POST.get("no_password")
    try:
        kept = actions.keep_link(
            link,
            name=typed["name"],
            url=typed["url"],
            policy=typed["policy"],
            user=typed["user"],
            password=None if leaves else password[:200],
            every_ms=_number(typed["every_ms"]),
            by=request.user,
            now=request.now,
        )
    except ImpossibleInput as refusal:
        context = {"typed": typed, "bad": _bad(refusal), "policies": POLICIES, "may_link": True}
        if link is None:
            rows = [{"l": x, "points": x.points.count(), "bad": 0} for x in Link.objects.all()]
            return render(request, "opc/links.html", context | {"rows": rows, "open": True}, status=422)
        return render(request, "opc/link.html", _of(request, link) | context, status=422)
    messages.success(request, f"Kept: {kept.name}. It is {'read' if kept.on else 'not read yet'}.")
    return redirect("opc:link", kept.pk)


def _of(request, link: Link) -> dict:
    typed = {"name": link.name, "url": link.url, "policy": link.policy, "user": link.user, "every_ms": str(link.every_ms)}
    return {
        "l": link,
        "points": _points(link),
        "policies": POLICIES,
        "typed": typed,
        "mapping": {"factor": "1", "offset": "0", "dead": "0"},
        "may_link": request.user.may("link"),
        "signals": Signal.objects.order_by("label"),
    }


@require_safe
def link(request, pk: int):
    """One server: its connection, its points, how it is set."""
    return render(request, "opc/link.html", _of(request, get_object_or_404(Link, pk=pk)))


@require_POST
@may("link")
def turn(request, pk: int):
    found = get_object_or_404(Link, pk=pk)
    try:
        actions.turn(found, request.POST.get("to") == "on", by=request.user, now=request.now)
    except ImpossibleInput as refusal:
        return render(request, "opc/link.html", _of(request, found) | {"bad": _bad(refusal)}, status=422)
    messages.success(request, f"{found.name} is {'read from now on' if found.on else 'left alone'}.")
    return redirect("opc:link", pk)


def _ask(link: Link, asking):
    """Ask a server something while the page waits; what it says, or why it cannot be reached."""
    from desk.opc.reader import NotReached, Reader
    from desk.opc.work import where_of

    where = where_of(link)

    async def asked():
        async with Reader(where) as reader:
            return await asking(reader)

    try:
        return asyncio.run(asked()), ""
    except NotReached as failure:
        return None, str(failure)


@may("link")
def trust(request, pk: int):
    """The server's certificate, looked at (GET) and trusted by its fingerprint (POST)."""
    found = get_object_or_404(Link, pk=pk)
    if request.method == "POST":
        try:
            actions.trust(found, request.POST.get("print", ""), by=request.user, now=request.now)
        except ImpossibleInput as refusal:
            return render(request, "opc/link.html", _of(request, found) | {"bad": _bad(refusal)}, status=422)
        messages.success(request, "The certificate is trusted.")
        return redirect("opc:link", pk)
    from desk.opc.keys import fingerprint
    from desk.opc.reader import NotReached, server_certificate

    try:
        told = {"print": fingerprint(asyncio.run(server_certificate(found.url)))}
    except NotReached as failure:
        told = {"failure": str(failure)}
    return render(request, "opc/trust.html", {"l": found, **told})


@require_safe
@may("link")
def browse(request, pk: int):
    """What stands under a node of the server, asked of it now; a variable is tried, and mapped from here."""
    found = get_object_or_404(Link, pk=pk)
    node = request.GET.get("node", ROOT)[:200]
    tried = request.GET.get("try", "")[:200]

    async def asking(reader):
        seen = await reader.tried(tried) if tried else None
        return await reader.name(node), await reader.children(node), seen, await reader.name(tried) if tried else ""

    answer, failure = _ask(found, asking)
    context = {"l": found, "node": node, "root": ROOT, "failure": failure, "tried": tried}
    if answer is not None:
        name, children, seen, tried_name = answer
        mapped = {p.node: p.signal.label for p in found.points.select_related("signal")}
        context |= {
            "name": name,
            "children": [{"c": c, "is": mapped.get(c.node, "")} for c in children],
            "seen": seen,
            "seen_at": at(seen.at_ms) if seen else None,
            "tried_name": tried_name,
            "signals": Signal.objects.order_by("label"),
            "typed": {"node": tried, "factor": "1", "offset": "0", "dead": "0", "tag": _likely(tried)},
        }
    return render(request, "opc/browse.html", context)


def _likely(node: str) -> str:
    """The meter whose tag is the node's own name, where there is one."""
    found = re.fullmatch(r"(?:ns=\d+;)?s=(.+)", node)
    name = found[1] if found else ""
    return name if Signal.objects.filter(tag=name).exists() else ""


@require_POST
@may("link")
def map_node(request, pk: int):
    found = get_object_or_404(Link, pk=pk)
    typed = {k: request.POST.get(k, "") for k in ("node", "tag", "factor", "offset", "dead")}
    try:
        point = actions.map_point(
            found,
            node=typed["node"],
            tag=typed["tag"],
            factor=_number(typed["factor"], 1.0),
            offset=_number(typed["offset"], 0.0),
            dead=_number(typed["dead"], 0.0),
            by=request.user,
            now=request.now,
        )
    except ImpossibleInput as refusal:
        context = _of(request, found) | {"mapping": typed, "bad": _bad(refusal)}
        return render(request, "opc/link.html", context, status=422)
    messages.success(request, f"{point.signal.label} is read at {plain(point.node)[:80]} from now on.")
    return redirect("opc:link", pk)


@require_POST
@may("link")
def unmap(request, pk: int):
    point = get_object_or_404(Point.objects.select_related("signal", "link"), pk=pk)
    actions.unmap(point, by=request.user, now=request.now)
    messages.success(request, f"{point.signal.label} is no longer read there; its readings stay.")
    return redirect("opc:link", point.link_id)


@require_safe
@may("link")
def certificate(request):
    """The desk's own certificate, for the people who let it into their server."""
    from desk.opc.keys import own_certificate

    path, _ = own_certificate()
    return FileResponse(path.open("rb"), as_attachment=True, filename="fox-vat.der", content_type="application/x-x509-ca-cert")


@require_safe
def as_csv(request, pk: int):
    """The points of a server as a file."""
    found = get_object_or_404(Link, pk=pk)
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="points.csv"'
    out = csv.writer(response)
    out.writerow(["tag", "label", "unit", "node", "factor", "offset", "dead band", "quality", "value"])
    for row in _points(found):
        p = row["p"]
        own = [p.factor, p.offset, p.dead, p.quality, "" if p.value is None else repr(p.value)]
        out.writerow([safe(p.signal.tag), safe(p.signal.label), safe(p.signal.unit), safe(p.node), *own])
    return response
