"""The audit: who did what and when, in the log and beside it: sign-ins and failed tries, set-up, keys, deliveries, cases."""

import csv

from axes.models import AccessFailureLog, AccessLog
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods

from desk.cases.models import HeldCase
from desk.instruments.models import Delivery
from desk.kit.sheet import safe
from desk.log.models import Record
from desk.log.proof import anchor_words, newest_proof, sign_for, unproved
from desk.log.safekeeping import newest_backup, verify
from desk.people.models import Person, Token
from desk.people.pins import PinRefused
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
        add(r.entered_at, r.signed, "record", f"{r.says}: {r.words}" if r.words else r.says)
    for log, word in ((AccessLog, "sign-in"), (AccessFailureLog, "failed sign-in")):
        found = log.objects.filter(username=who) if person else log.objects.all()
        for a in found.order_by("-attempt_time")[:MOST]:
            signing = a.path_info and not a.path_info.startswith("/sign-in")
            text = f"PIN at a signature, {a.path_info}" if signing else f"from {a.ip_address}"
            add(a.attempt_time, names.get(a.username, a.username or "unknown"), word, text)
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


def _csv(rows: list[dict]) -> HttpResponse:
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="audit.csv"'
    out = csv.writer(response)
    out.writerow(["at", "who", "kind", "what"])
    for r in rows:
        out.writerow([timezone.localtime(r["at"]).isoformat(), safe(r["who"]), r["kind"], safe(r["text"])])
    return response


@require_http_methods(["GET", "HEAD", "POST"])
@sensitive_post_parameters("pin")
@may("audit")
def audit(request):
    """Who did what, how the record proves itself, the newest copy; an administrator signs for a proof that failed (POST)."""
    problem, typed = "", request.POST.get("words", "")
    if request.method == "POST":
        try:
            sign_for(by=request.user, now=request.now, pin=request.POST.get("pin", ""), words=typed)
        except (PinRefused, ValueError) as refusal:
            problem = str(refusal)
        else:
            messages.success(request, "Signed for. Lots can be released again.")
            return redirect("shift:audit")
    who, kind = request.GET.get("who", ""), request.GET.get("kind", "")
    rows = _rows(who, kind)
    if request.GET.get("csv") == "1":
        return _csv(rows)
    copy = newest_backup()
    context = {
        "rows": rows,
        "people": Person.objects.all(),
        "who": who,
        "kind": kind,
        "kinds": KINDS,
        "chain": verify() if request.GET.get("verify") == "1" else None,
        "proof": newest_proof(),
        "unproved": unproved(),
        "anchor": anchor_words(),
        "copy": copy,
        "copy_age_h": copy.age_h(timezone.now()) if copy else None,
        "problem": problem,
        "typed": typed,
    }
    return render(request, "shift/audit.html", context, status=422 if problem else 200)
