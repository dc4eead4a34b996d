"""Instruments: every signal with its newest reading and whether it may be believed; deliveries and what was refused of them."""

from tempfile import NamedTemporaryFile

from django.contrib import messages
from django.db.models import Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput
from desk.instruments.models import Delivery, Signal, Worker, ms
from desk.intake import calibrations, files
from desk.intake.actions import Raw, deliver
from desk.intake.trust import stuck_tags
from desk.kit.bench import time_of, typed_number
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.people import tokens
from desk.people.models import Token
from desk.people.rights import may

SHOWN = 15


def _signals(now) -> list[dict]:
    """Every signal, its age and its trust: good, old, stuck, none."""
    still = stuck_tags(now)
    rows, calibrated = [], calibrations.newest(now)
    for s in Signal.objects.all():
        age = (ms(now) - s.last_ms) / 60_000.0 if s.last_ms is not None else None
        trust = "none" if age is None else "old" if age > s.age_min else "stuck" if s.tag in still else "good"
        told = {"s": s, "age_h": None if age is None else max(0.0, age) / 60.0, "trust": trust}
        rows.append(told | {"calibrated": calibrated.get(s.tag)})
    return rows


def _page(request, status: int = 200, **more):
    rows = _signals(request.now)
    counts = {t: sum(r["trust"] == t for r in rows) for t in ("good", "old", "stuck", "none")}
    context = {
        "rows": rows,
        "counts": counts,
        "deliveries": Delivery.objects.select_related("by")[:SHOWN],
        "alive": _alive(),
        "worker": Worker.objects.first(),
        "worker_s": _silence_s(),
        "waiting": files.waiting(),
        "failed": Delivery.objects.filter(status="failed").count(),
        "taken": Delivery.objects.filter(door="file", taken_at__isnull=False).order_by("-taken_at").first(),
        "totals": Delivery.objects.aggregate(refused=Sum("refused"), flagged=Sum("flagged")),
        "drop": str(files.folder()),
        "keys": Token.objects.select_related("made_by") if request.user.may("tokens") else None,
        "may_type": request.user.may("readings"),
        "may_calibrate": request.user.may("calibrate"),
        **more,
    }
    return render(request, "intake/instruments.html", context, status=status)


def _silence_s() -> float | None:
    """Seconds since the instrument process was heard; None where it never was."""
    seen = Worker.objects.values_list("seen_at", flat=True).first()
    return None if seen is None else max(0.0, (timezone.now() - seen).total_seconds())


def _alive() -> bool:
    return Delivery.objects.filter(status__in=("waiting", "running")).exists()


@require_safe
def instruments(request):
    return _page(request)


@require_safe
def live(request):
    """The deliveries alone, while one is being taken."""
    return render(
        request, "intake/_deliveries.html", {"deliveries": Delivery.objects.select_related("by")[:SHOWN], "alive": _alive()}
    )


@require_POST
@may("readings")
def type_in(request):
    """One reading by hand: judged like any other; what was typed stays when it is refused."""
    tag, text, when = (request.POST.get(k, "").strip() for k in ("tag", "value", "at"))
    bad = {}
    if not Signal.objects.filter(tag=tag).exists():
        bad["tag"] = f"Signal is “{tag}”; choose one of the list."
    try:
        value = typed_number(text)
    except ValueError:
        bad["value"] = f"Value is “{text}”; it must be a number in the signal’s unit."
    at = time_of(when, request.now) if when else request.now
    if at is None:
        bad["at"] = f"Time is “{when}”; it must be a time such as 10:50."
    if not bad:
        _, out = deliver(
            rows=[Raw(1, tag, ms(at), value)],
            door="typed",
            name=f"typed by {request.user.signed}",
            by=request.user,
            now=request.now,
        )
        if out.refused:
            limits = Signal.objects.get(tag=tag)
            bad["value"] = (
                f"Value {text} is refused: {out.told[0][1].value}. The signal shows {limits.low:g} to "
                f"{limits.high:g} {limits.unit}."
            )
        else:
            flag = f"; flagged {out.told[0][1].value}" if out.flagged else ""
            messages.success(request, f"Kept: {tag} {text} at {at:%H:%M}{flag}.")
            return redirect("intake:instruments")
    return _page(request, status=422, typed={"tag": tag, "value": text, "at": when}, bad=bad)


@require_POST
@may("calibrate")
def calibrate(request):
    """A calibration as it was done at the meter; what was typed stays when it is refused."""
    typed = {k: request.POST.get(k, "").strip() for k in ("tag", "found", "left", "words")}
    signal = Signal.objects.filter(tag=typed["tag"]).first()
    bad, given = {}, {}
    if signal is None:
        bad["c_tag"] = f"Meter is “{typed['tag']}”; choose one of the list."
    for name, label, empty in (("found", "As found", None), ("left", "As left", 0.0)):
        try:
            given[name] = typed_number(typed[name]) if typed[name] else empty
        except ValueError:
            bad[f"c_{name}"] = f"{label} is “{typed[name]}”; it must be a number in the meter’s unit, or empty."
    if not bad:
        try:
            kept = calibrations.keep(signal=signal, words=plain(typed["words"]), by=request.user, now=request.now, **given)
            messages.success(request, f"Kept: {kept.says}.")
            return redirect("intake:instruments")
        except ImpossibleInput as refusal:
            labels = {"found": "As found", "left": "As left"}
            bad = {f"c_{p.field}": f"{labels[p.field]} {p.text}." for p in refusal.problems}
    return _page(request, status=422, calibrating=typed, bad=bad)


@require_POST
@may("readings")
def send_file(request):
    """A CSV of readings for the worker to take, with its progress on this page."""
    upload = request.FILES.get("file")
    problem = ""
    if upload is None:
        problem = "File is missing; choose a CSV with tag, at, value."
    elif upload.size > files.MOST_BYTES:
        problem = f"File is {upload.size} bytes; it must be at most {files.MOST_BYTES}."
    elif not upload.name.lower().endswith(".csv"):
        problem = f"File is {upload.name}; it must be a .csv."
    if problem:
        return _page(request, status=422, bad={"file": problem})
    with NamedTemporaryFile(dir=files.folder("coming"), delete=False) as kept:
        for chunk in upload.chunks():
            kept.write(chunk)
    files.open_delivery(
        path=files.folder("coming") / kept.name,
        name=plain(upload.name),
        by=request.user,
        now=request.now,
        history=request.POST.get("history") == "on",
    )
    messages.success(request, f"{upload.name} is taken piece by piece; you may go on working.")
    return redirect("intake:instruments")


@require_safe
def delivery(request, pk: int):
    """One delivery: what was refused or flagged of it, line by line, and why."""
    result = get_object_or_404(Delivery.objects.select_related("by"), pk=pk)
    asked = request.GET.get("reason", "")
    lines = result.refusals.filter(reason=asked) if asked else result.refusals.all()
    return render(request, "intake/delivery.html", {"d": result, "lines": lines[:200], "reason": asked})


@require_POST
@may("readings")
def turn(request, pk: int):
    """Stop a delivery that is being taken, or let it go on where it stopped."""
    result = get_object_or_404(Delivery, pk=pk, door="file")
    stop = request.POST.get("to") == "stop"
    if stop and result.alive:
        with writing():
            Delivery.objects.filter(pk=pk).update(wanted="stop")
    elif not stop and result.status in ("stopped", "failed"):
        with writing():
            Delivery.objects.filter(pk=pk).update(wanted="go", status="waiting")
    return redirect("intake:instruments")


@require_POST
@may("tokens")
def make_key(request):
    """A key for a program, shown this once."""
    name, scope = plain(request.POST.get("name", "")), request.POST.get("scope", "")
    if not name or len(name) > 60 or scope not in dict(Token.SCOPES):
        return _page(
            request,
            status=422,
            bad={
                "key": "Name is empty or too long (60 letters at most)."
                if scope in dict(Token.SCOPES)
                else "Choose what the key is for."
            },
        )
    _, key = tokens.issue(name=name, scope=scope, by=request.user, now=request.now)
    return _page(request, plain=key)


@require_POST
@may("tokens")
def revoke_key(request, pk: int):
    tokens.revoke(get_object_or_404(Token, pk=pk), now=request.now)
    messages.success(request, "The key works no longer.")
    return redirect("intake:instruments")
