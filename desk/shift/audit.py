"""The audit: who did what and when, in the log and beside it: sign-ins and failed tries, set-up, keys, deliveries, cases."""

import csv

from axes.models import AccessFailureLog, AccessLog
from django.http import HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_safe

from desk.cases.models import HeldCase
from desk.instruments.models import Delivery
from desk.kit.sheet import safe
from desk.log.models import Record
from desk.log.safekeeping import verify
from desk.people.models import Person, Token
from desk.people.rights import may

MOST = 300
KINDS = ("record", "sign-in", "failed sign-in", "sign-out", "key", "delivery", "case")


def _rows(who: str, kind: str) -> list[dict]:
    """The newest acts of everybody, or of one person, newest first. Sign-ins bear the computer's clock."""
    names = {p.username: p.signed for p in Person.objects.all()}
    person = Person.objects.filter(username=who).first()
    rows: list[dict] = []

    def add(at, signed, what, text):
        rows.append({"at": at, "who": signed, "kind": what, "text": text})

    def mine(found, field):
        return found.filter(**{field: person}) if person else found

    for r in mine(Record.objects.filter(by__isnull=False), "by").order_by("-id")[:MOST]:
        add(r.entered_at, r.signed, "record", f"{r.get_kind_display()} {r.subject}: {r.says}")
    for log, word in ((AccessLog, "sign-in"), (AccessFailureLog, "failed sign-in")):
        found = log.objects.filter(username=who) if person else log.objects.all()
        for a in found.order_by("-attempt_time")[:MOST]:
            add(a.attempt_time, names.get(a.username, a.username or "unknown"), word, f"from {a.ip_address}")
            if getattr(a, "logout_time", None):
                add(a.logout_time, names.get(a.username, a.username), "sign-out", f"from {a.ip_address}")
    for t in mine(Token.objects.select_related("made_by"), "made_by")[:MOST]:
        signed = t.made_by.signed if t.made_by else "the console"
        add(t.made_at, signed, "key", f"made: {t.name}, {t.get_scope_display()}")
        if t.revoked_at:
            add(t.revoked_at, signed, "key", f"revoked: {t.name}")
    for d in mine(Delivery.objects.select_related("by").exclude(by=None), "by")[:MOST]:
        add(d.made_at, d.by.signed, "delivery", str(d))
    for c in mine(HeldCase.objects.select_related("by"), "by")[:MOST]:
        add(c.made_at, c.by.signed, "case", f"held: {c}")
    if kind in KINDS:
        rows = [r for r in rows if r["kind"] == kind]
    return sorted(rows, key=lambda r: r["at"], reverse=True)[:MOST]


@require_safe
@may("audit")
def audit(request):
    who, kind = request.GET.get("who", ""), request.GET.get("kind", "")
    rows = _rows(who, kind)
    if request.GET.get("csv") == "1":
        response = HttpResponse(content_type="text/csv; charset=utf-8")
        response["Content-Disposition"] = 'attachment; filename="audit.csv"'
        out = csv.writer(response)
        out.writerow(["at", "who", "kind", "what"])
        for r in rows:
            out.writerow([timezone.localtime(r["at"]).isoformat(), safe(r["who"]), r["kind"], safe(r["text"])])
        return response
    chain = verify() if request.GET.get("verify") == "1" else None
    return render(
        request,
        "shift/audit.html",
        {"rows": rows, "people": Person.objects.all(), "who": who, "kind": kind, "kinds": KINDS, "chain": chain},
    )
