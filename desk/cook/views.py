"""Cook: design one, follow it, read those that were, learn from them."""

import csv
import io
import math
from dataclasses import replace
from datetime import timedelta
from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.html import escape
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.catalogue import find
from core.cook import fit as fits
from core.cook import follow, kinetic, trust
from core.cook.blowing import DivertCase, ReliefCase, blow_decision, decision_case, divert, relief
from core.cook.design import STEAM_BAR, charge_of, designed, liquor_of, logged, solve_for
from core.cook.kinetic import SPLIT
from core.cook.profile import h_factor, temp_at
from core.cook.running import as_run, as_run_case, running, running_case
from core.cook.species import DEFAULT, NAMES
from core.errors import CoreError, ImpossibleInput, Infeasible
from core.judge.band import Band, judge
from core.judge.next_cook import next_plan
from core.quantity import quantities
from core.unit import Worked
from desk.cases.benches import case_held, held_case
from desk.cook import actions, thermometer
from desk.cook.actions import CookRefused, coefficients_in_use, kappa_row, log_of, measured_of, minute_of
from desk.cook.drawings import cook_picture
from desk.cook.forms import BARE, DesignForm, Opening, Profile, openings
from desk.cook.liquor import less_sure
from desk.cook.models import Cook, CookFit
from desk.cook.running import running_cooks
from desk.kit.bench import render_bench, typed_number
from desk.kit.fit_plot import fit_plot
from desk.kit.long_work import told_while
from desk.kit.sheet import safe
from desk.kit.templatetags.vat import clock, signed, stop
from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.mill.beside import beside
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may, refuse

TOLD_AT = 30.0  # the kappa that a band is told at
KEPT = {"temperature": "°C", "residual": "g/L", "pressure": "bar gauge"}  # of a running cook, by its key
LEVERS = (
    *(("time", "time"), ("temperature", "temperature"), ("charge", "charge"), ("residual", "least residual")),
    *(("sulphidity", "sulphidity"), ("anthraquinone", "AQ")),
)
PAGE = 40
FRESH_MIN, OLD_MIN = 30.0, 5.0  # a pressure may be so much older than the last temperature, or so much younger


def station(request, state, **more) -> dict:
    live = running_cooks(state.now)
    return {"station": "cook", "stations": STATIONS, "small": draw_small(state), "live_cooks": live, **more}


def band_of(state, species: str, target: float) -> Band:
    row = state.mill.plan.get(kappa_row(state, species))
    band = row.band if row else None
    if band and band.low <= target <= band.high:
        return band
    return Band(low=target - 2.0, high=target + 2.0, outer_low=target - 5.0, outer_high=target + 5.0, target=target)


def cards_waiting() -> list[Record]:
    """The newest version of each order's run card that no run has begun."""
    begun = Record.objects.current().filter(kind=Kind.START).values_list("subject", flat=True)
    cards = Record.objects.current().filter(kind=Kind.RUNCARD).exclude(subject__in=begun).order_by("id")
    return list({c.subject: c for c in cards}.values())


@require_safe
def design_page(request):
    """Charge, liquor and profile on the bench; the cook through time; kappa against its band; the three ways to the target."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    own = openings(state)
    asked = request.GET.get("wood", request.GET.get("species", next(iter(own), "")))
    opening = own.get(asked)
    wells, points = (opening.wells, opening.points) if opening else BARE
    form = DesignForm(DesignForm.opened(request.GET, wells, request.schools), schools=request.schools)
    profile = Profile(request.GET, points)
    fitted_choice = request.GET.get("coefficients", "")
    context = station(
        request,
        state,
        form=form,
        profile=profile,
        levers=LEVERS,
        split=SPLIT,
        is_split=any(form.data.get(name) not in (None, "", "0", "0.0") for name in ("second_pct", "third_pct")),
        openings=own,
        sources=_sources(form, opening, request.schools),
        lever=request.GET.get("solve", ""),
        species=form.data["species"],
        may_cook=request.user.may("cook"),
        cards=cards_waiting() if request.user.may("plan") else (),
    )
    if form.is_valid() and not profile.bad:
        case = form.case
        use, fit = coefficients_in_use(case.species) if fitted_choice != "default" else (DEFAULT, None)
        try:
            logged_case = logged(case, profile.points, use)
            worked = Worked(model="cook.design", case=logged_case, result=designed(logged_case))
            result = worked.result.design
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                form.add_error(p.field if p.field in form.fields else None, p.text)
        else:
            band = band_of(state, case.species, case.target)
            solved = None
            if context["lever"] in dict(LEVERS):
                solved = solve_for(case, profile.points, context["lever"], coefficients=use)
            got = solved if solved is not None and not isinstance(solved, Infeasible) else None
            held = held_case(request.GET.get("held", ""), find("cook.design"))
            other = case_held(held, find("cook.design"))
            context |= {
                "d": result,
                "worked": worked,
                "case": case,
                "put_in_force": _to_put(request, case, opening),
                "beside": beside(state, opening.unit) if opening and case.species == opening.wells["species"] else [],
                "met": _met(case, profile.points, use, opening),
                "mark": f"m-{judge(result.cooked.kappa, band, confirmed=True).state.value}",
                "sure_words": trust.told(
                    result.cooked.kappa,
                    fit and fit.trust,
                    less_sure(state, opening.unit, form.cleaned_data["ea_pct_naoh"]) if opening else 0.0,
                ),
                "band": band,
                "fit": fit,
                "solved": got,
                "beyond": solved if isinstance(solved, Infeasible) else None,
                "rejects": result.rejects,
                "steam_words": f"{case.heated}, {STEAM_BAR:.0f} bar, from {profile.points[0][1]:.0f} °C on",
                "p": cook_picture(
                    result.cooked,
                    profile.points,
                    band=(band.low, band.high),
                    end=profile.points[-1][0],
                    after=got.cooked if got else None,
                    after_points=got.points if got else (),
                    held=designed(other).design.cooked if other is not None else None,
                ),
                "put": _put(got) if got else "",
                "hold": form.given,
                "held": held,
                "hold_name": f"{case.species} {clock(state.now)}",
            }
    return render_bench(request, "cook/design", context)


def _sources(form, opening: Opening | None, schools) -> dict[str, str]:
    """Where each well of the design comes from: as it opened, or typed."""
    if opening is None:
        return dict.fromkeys(form.fields, "default")
    opened = DesignForm.opened({}, opening.wells, schools)
    return {k: opening.sources.get(k, "") if form.data[k] == opened[k] else "typed" for k in form.fields}


def _met(case, points, coefficients, opening: Opening | None) -> Worked | None:
    """The cook as its liquor meets the wood that comes now, where nobody has changed the charge for it; None where it is the
    same."""
    if opening is None or opening.met is None or case.species != opening.wells["species"]:
        return None
    met = opening.met
    as_met = replace(case, ea_pct_naoh=met.ea_pct_naoh, lw_m3_t=met.lw_m3_t)
    logged_case = logged(as_met, points, coefficients)
    return Worked(model="cook.design", case=logged_case, result=designed(logged_case))


def _to_put(request, case, opening: Opening | None) -> str:
    """Where the charge of this design is put in force; empty where it is in force already, or this person may not."""
    if opening is None or case.species != opening.wells["species"] or not request.user.may("move"):
        return ""
    names = ("ea_pct_naoh", "sulphidity_pct", "lw_m3_t", "aq_pct", *SPLIT)
    moved = {k: f"{getattr(case, k):.6g}" for k in names if abs(getattr(case, k) - opening.wells[k]) > 1e-4}
    return put_address(opening.unit, moved, request) if moved else ""


def _put(solved) -> str:
    pairs = [f"m{i}={m:.4g};t{i}={t:.4g}" for i, (m, t) in enumerate(solved.points)]
    blank = [f"m{i}=;t{i}=" for i in range(len(solved.points), 7)]
    return ";".join([*pairs, *blank, *(f"id_{name}={value:.3g}" for name, value in solved.sets.items())])


@require_POST
@may("cook")
def start(request):
    """Charge the designed cook now."""
    form = DesignForm(request.POST, schools=request.schools)
    profile = Profile(request.POST, ((0, 80), (90, 170)))
    back = f"{reverse('cook:design')}?{request.POST.urlencode()}"
    if not form.is_valid() or profile.bad:
        messages.error(request, "Not charged: a well is not right.")
        return redirect(back[:4000])
    case = form.case
    try:
        charge = charge_of(case, liquor_of(case))
    except ImpossibleInput as refusal:
        said = quantities(type(case))
        told = (f"{said[p.field].label if p.field in said else p.field} {p.text}" for p in refusal.problems)
        messages.error(request, f"Not charged. {stop('; '.join(told))}")
        return redirect(back[:4000])
    try:
        cook = actions.start(
            species=case.species,
            digester=request.POST.get("digester", ""),
            wood_t=case.wood_t,
            charge=charge,
            plan=profile.points,
            target=case.target,
            by=request.user,
            now=request.now,
        )
    except CookRefused as refusal:
        messages.error(request, f"Not charged. {refusal}")
        return redirect(back[:4000])
    messages.success(request, f"Cook {cook.number} is charged. The desk follows it; people set the valves.")
    return redirect("cook:one", cook.number)


def _blow(cook: Cook, case) -> dict:
    """The window of a running cook's blow, and its digester's pressure where a person kept one lately."""
    decision = decision_case(case)
    worked = Worked(model="cook.blow_decision", case=decision, result=blow_decision(decision))
    at = lambda m: clock(cook.started_at + timedelta(minutes=m)) if math.isfinite(m) else ""  # noqa: E731
    result = {
        "blow": worked,
        "blow_words": f"at {case.log[-1][0]:.0f} min, its last temperature",
        "opens_at": at(worked.result.opens_min),
        "closes_at": at(worked.result.closes_min),
    }
    point = actions.pressure_of(cook)
    if point is not None and -OLD_MIN <= case.log[-1][0] - point.minute <= FRESH_MIN and point.minute >= case.log[0][0]:
        read = ReliefCase(temp_c=temp_at(case.log, min(point.minute, case.log[-1][0])), bar_gauge=point.value)
        result |= {
            "relief": Worked(model="cook.relief", case=read, result=relief(read)),
            "relief_words": f"{point.value:.1f} bar at {at(point.minute)}, {read.temp_c:.0f} °C",
        }
    return result


def _diverted(cook: Cook, yield_pct: float) -> Worked:
    """Where a tested blow may go, blended with the last tested blow of its wood before it."""
    before = Cook.objects.filter(species=cook.species, kappa__isnull=False, number__lt=cook.number).first()
    case = DivertCase(
        kappa=cook.kappa,
        target=cook.target,
        wood_t=cook.wood_t,
        yield_pct=yield_pct,
        other_kappa=before.kappa if before else cook.target,
    )
    return Worked(model="cook.divert", case=case, result=divert(case))


def _followed(cook: Cook, now) -> dict:
    """A running cook as the page shows it."""
    minute = minute_of(cook, now)
    log = log_of(cook, now)
    use, measured = cook.fitted, measured_of(cook)
    fit = coefficients_in_use(cook.species)[1]
    half = trust.band_of(cook.target, fit and fit.trust)
    case = running_case(
        cook.species,
        cook.given,
        log=log,
        plan=cook.profile,
        target=cook.target,
        coefficients=use,
        band=half,
        measured=measured,
    )
    worked = Worked(model="cook.running", case=case, result=running(case))
    seen, shown = worked.result.followed, case.log
    move = follow.hold_move(
        seen, cook.species, cook.given, cook.profile, shown, cook.target, coefficients=use, measured=measured
    )
    whole = follow.joined(shown, cook.profile)
    lost, makes_up = follow.steam_loss(cook.profile, min(minute, cook.profile[-1][0] - 1), 10.0, 12.0)
    after = after_points = None
    if move:
        end = whole[-1][0] + move.minutes
        after_points = (*(p for p in whole if p[0] < end), (end, max(t for _, t in cook.profile)))
        after = kinetic.cook(cook.species, cook.given, after_points, coefficients=use, corrections=measured)
    at = lambda m: cook.started_at + timedelta(minutes=m)  # noqa: E731
    return {
        **_blow(cook, case),
        "f": seen,
        "worked": worked,
        "so_far_words": f"at the last temperature, {seen.minute:.0f} min",
        "planned_words": f"{clock(at(seen.planned_stop))}, {trust.told(cook.target, fit and fit.trust)}",
        "move": move,
        "minute": minute,
        "old_min": minute - log[-1][0],
        "whole": whole,
        "lost10": lost,
        "makes_up": makes_up,
        "log": log,
        "measured": measured,
        "metered": bool(thermometer.read(cook, now)),
        "stop_at": at(seen.stop) if seen.stop is not None else None,
        "stop_low": at(seen.stop_low) if seen.stop_low is not None else None,
        "stop_high": at(seen.stop_high) if seen.stop_high is not None else None,
        "planned_at": at(seen.planned_stop),
        "beyond": seen.to_target if isinstance(seen.to_target, Infeasible) else None,
        "p": cook_picture(
            seen.planned,
            whole,
            band=(cook.target - 2, cook.target + 2),
            end=max(whole[-1][0], minute),
            now=minute,
            log=log,
            after=after,
            after_points=after_points or (),
            measured=measured,
        ),
    }


def _asked_next(state, cook: Cook, points) -> dict:
    """What this blow asks of the next cook, what was decided, what came of it, and the design that has it in it."""
    band = band_of(state, cook.species, cook.target)
    worked = actions.worked_next(cook, band)
    move = worked.result.move
    decided = actions.decided_on_next(cook)
    result = {"next": move, "next_worked": worked, "decided": decided, "band": band}
    if move is None:
        return result
    taken = replace(move, size=decided.data["after"] - decided.data["before"]) if decided else move
    charge, plan = next_plan(cook.given, cook.profile, taken)
    asked = {
        "wood": cook.species,
        "species": cook.species,
        "ea_pct_naoh": f"{charge.ea_pct_naoh:.2f}",
        "sulphidity_pct": f"{charge.sulphidity_pct:g}",
        "lw_m3_t": f"{charge.lw_m3_t:g}",
        "wood_t": f"{cook.wood_t:g}",
        "target": f"{cook.target:g}",
    }
    for i, (m, t) in enumerate(plan[:7]):
        asked |= {f"m{i}": f"{m:.4g}", f"t{i}": f"{t:.4g}"}
    result["design"] = f"{reverse('cook:design')}?{urlencode(asked)}"
    if decided:
        result["came"] = Cook.objects.filter(
            species=cook.species, started_at__gte=decided.entered_at, kappa__isnull=False
        ).last()
    return result


@require_http_methods(["GET", "HEAD", "POST"])
def one(request, number: int):
    """A cook: followed while it runs, kept as it was afterwards. POST: temperature, residual, the move, the blow, the kappa."""
    state = state_of(request)
    cook = get_object_or_404(Cook.objects.prefetch_related("points"), number=number)
    problem, field = "", ""
    if request.method == "POST":
        try:
            _act(request, cook, state)
            return redirect("cook:one", number)
        except (CookRefused, ValueError) as refusal:
            problem, field = str(refusal), getattr(refusal, "field", "value")
            cook = Cook.objects.prefetch_related("points").get(pk=cook.pk)
    context = station(
        request,
        state,
        cook=cook,
        problem=problem,
        field=field,
        typed=request.POST,
        may_cook=request.user.may("cook"),
        may_record=request.user.may("record"),
        may_move=request.user.may("move"),
    )
    try:
        if cook.blown_at is None:
            context |= _followed(cook, request.now)
        else:
            points = actions.as_run(cook)
            case = as_run_case(cook.species, cook.given, points, cook.fitted)
            worked = Worked(model="cook.as_run", case=case, result=as_run(case))
            done, points = worked.result.cooked, case.log
            context |= {
                "done": done,
                "worked": worked,
                "log_words": f"{len(case.points)} points of the log" if len(case.points) > 3 else "by its plan",
                "residual_words": f"laboratory {cook.residual_g_l:.1f}" if cook.residual_g_l is not None else "",
                "p": cook_picture(
                    done, points, band=(cook.target - 2, cook.target + 2), end=points[-1][0], measured=measured_of(cook)
                ),
                "points": points,
                "others": Cook.objects.filter(species=cook.species).exclude(pk=cook.pk)[:8],
            }
            if cook.kappa is not None:
                diverted = _diverted(cook, done.yield_pct)
                context |= {
                    "divert": diverted,
                    "divert_words": f"with pulp of kappa {diverted.case.other_kappa:.1f}, the blow before",
                }
                context |= {"doubt": actions.doubt_of(cook), **_asked_next(state, cook, points)}
                context |= {"cause_row": actions.kappa_row(state, cook.species), "cause_at": _sampled_ms(cook, state)}
    except CoreError as failure:
        context["trouble"] = str(failure)
    return render(request, "cook/one.html", context, status=422 if problem else 200)


SAMPLED_AFTER = timedelta(minutes=120)  # a blow's kappa is in the plan's row by then


def _sampled_ms(cook: Cook, state) -> int:
    """Up to when the row of a cook's kappa is looked at: two hours after its blow, or now."""
    return round(1000.0 * min(state.now, cook.blown_at + SAMPLED_AFTER).timestamp())


def _number(request, name: str) -> float:
    text = request.POST.get(name, "")
    try:
        return typed_number(text)
    except ValueError:
        raise CookRefused(name, f"{name.capitalize()} is “{text}”; it must be a number.") from None


def _act(request, cook: Cook, state) -> None:
    act, by, now = request.POST.get("act", ""), request.user, request.now
    if act in KEPT:
        minute = _number(request, "minute") if request.POST.get("minute", "").strip() else round(minute_of(cook, now), 1)
        kept = actions.add_point(cook=cook, minute=minute, value=_number(request, "value"), by=by, now=now, kind=act[0])
        messages.success(request, f"Kept: {kept.minute:.0f} min, {kept.value:g} {KEPT[act]}.")
    elif act in ("take", "alter", "refuse"):
        proposed = _number(request, "proposed") if request.POST.get("proposed", "").strip() else None
        by_hand = act == "alter" or (act == "take" and proposed is None)
        actions.hold_on(
            cook=cook,
            minutes=_number(request, "minutes") if by_hand else proposed or 0.0,
            choice=act,
            by=by,
            now=now,
            why=request.POST.get("reason", ""),
            seen_end=_number(request, "end") if request.POST.get("end", "").strip() else None,
        )
        messages.success(
            request,
            "Kept. You set it at the digester; the desk keeps the record." if act != "refuse" else "Refused; kept in the log.",
        )
    elif act == "blow":
        actions.blow(cook=cook, by=by, now=now)
        messages.success(request, "Blown. Its kappa is wanted next.")
    elif act == "lab":
        residual = _number(request, "residual") if request.POST.get("residual", "").strip() else None
        actions.lab(cook=cook, kappa=_number(request, "kappa"), residual=residual, by=by, now=now, state=state)
        messages.success(request, f"Kappa kept: {signed(cook.error, 1)} from the model. The next fit learns from it.")
        if doubted := actions.doubt_of(cook):
            messages.warning(request, f"{doubted[0].upper()}{doubted[1:]}.")
    elif act in ("next.take", "next.alter", "next.refuse"):
        actions.decide_next(
            cook=cook,
            band=band_of(state, cook.species, cook.target),
            choice=act.partition(".")[2],
            size=_number(request, "size") if act == "next.alter" else 0.0,
            why=request.POST.get("reason", ""),
            by=by,
            now=now,
        )
        messages.success(request, "Kept in the log. The next design has it in it.")
    else:
        raise CookRefused("act", "Nothing of this name can be done to a cook.")


def _asked(request):
    result = Cook.objects.all()
    if request.GET.get("species") in NAMES:
        result = result.filter(species=request.GET["species"])
    if request.GET.get("digester"):
        result = result.filter(digester=request.GET["digester"][:20])
    if request.GET.get("state") == "cooking":
        result = result.filter(blown_at=None)
    elif request.GET.get("state") == "tested":
        result = result.filter(kappa__isnull=False)
    return result


def _row(c: Cook) -> dict:
    plan = c.profile
    top = max(t for _, t in plan)
    first = next(m for m, t in plan if t >= top - 0.5)
    return {
        "number": c.number,
        "digester": c.digester,
        "species": c.species,
        "started_at": c.started_at.isoformat(),
        "wood_t": c.wood_t,
        **c.charge,
        "start_c": plan[0][1],
        "rise_min": first,
        "cook_c": top,
        "hold_min": plan[-1][0] - first,
        "h": round(h_factor(plan), 1),
        "target": c.target,
        "predicted": round(c.predicted, 2),
        "kappa": c.kappa,
        "residual_g_l": c.residual_g_l,
        "by": c.started_by.signed if c.started_by else "",
    }


@require_safe
def records(request):
    """Every cook kept: filter, compare two, take away as CSV, JSON or XLSX."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    result = _asked(request)
    form = request.GET.get("as", "")
    if form in ("csv", "json", "xlsx"):
        return _export([_row(c) for c in result.select_related("started_by")[:5000]], form)
    pair = [Cook.objects.filter(number=whole(request.GET.get(k, ""))).first() for k in "ab"]
    context = station(
        request,
        state,
        cooks=result[:PAGE],
        total=result.count(),
        species=sorted(set(Cook.objects.values_list("species", flat=True))),
        asked=request.GET,
        fits=CookFit.objects.all()[:8],
        may_fit=request.user.may("fit"),
    )
    if all(pair):
        a, b = (_row(c) for c in pair)
        context["pair"] = [(k.replace("_", " "), a.get(k), b.get(k)) for k in a if k != "by"]
        context["a"], context["b"] = pair
    return render(request, "cook/records.html", context)


def _export(rows: list[dict], form: str) -> HttpResponse:
    names = list(rows[0]) if rows else ["number"]
    if form == "json":
        response = JsonResponse({"cooks": rows}, json_dumps_params={"ensure_ascii": False})
    elif form == "csv":
        out = io.StringIO()
        sheet = csv.writer(out)
        sheet.writerow(names)
        sheet.writerows([[safe(v) if v is not None else "" for v in r.values()] for r in rows])
        response = HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8")
    else:
        from openpyxl import Workbook

        book = Workbook(write_only=True)
        sheet = book.create_sheet("cooks")
        sheet.append(names)
        for r in rows:
            sheet.append([safe(v) for v in r.values()])
        out = io.BytesIO()
        book.save(out)
        response = HttpResponse(
            out.getvalue(), content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
        )
    response["Content-Disposition"] = f'attachment; filename="cooks.{form}"'
    return response


@require_http_methods(["GET", "POST"])
@may("fit")
def bring_in(request):
    """Past cooks from a CSV: choose the file, say which of its columns is which, read the errors by row."""
    state = state_of(request)
    context = station(request, state, columns=actions.COLUMNS, needed=actions.NEEDED)
    if request.method == "GET":
        return render(request, "cook/bring_in.html", context)
    text, upload = request.POST.get("text", ""), request.FILES.get("file")
    if upload is not None:
        if upload.size > 2_000_000:
            return render(
                request,
                "cook/bring_in.html",
                context | {"problem": f"File is {upload.size} bytes; it must be at most 2000000."},
                status=422,
            )
        text = upload.read().decode("utf-8-sig", "replace")
    try:
        header, rows = actions.read_csv(text)
    except CookRefused as refusal:
        return render(request, "cook/bring_in.html", context | {"problem": str(refusal)}, status=422)
    mapping = {c: request.POST.get(f"map.{c}", c if c in header else "") for c in actions.COLUMNS}
    context |= {
        "header": header,
        "text": text,
        "mapping": mapping,
        "first": rows[:3],
        "pairs": [(c, mapping[c], c in actions.NEEDED) for c in actions.COLUMNS],
    }
    missing = [c for c in actions.NEEDED if not mapping[c]]
    if request.POST.get("go") != "1" or missing:
        return render(
            request,
            "cook/bring_in.html",
            context
            | {"problem": f"Say which column is {', '.join(missing)}." if missing and request.POST.get("go") == "1" else ""},
            status=422 if missing and request.POST.get("go") == "1" else 200,
        )
    kept, bad = actions.bring_in(rows=rows, mapping=mapping, by=request.user, now=request.now)
    return render(request, "cook/bring_in.html", context | {"kept": kept, "bad": bad[:200], "bad_total": len(bad)})


def _fitting(request, state, species: str):
    """The page of a fit while it runs, line by line: the fit in a thread of its own, each evaluation told as it is done."""
    page = render_to_string("cook/fitting.html", station(request, state, species=species), request)
    start, end = page.split("<!--told-->")
    blows = actions.blows(species)
    yield start
    end_is, found = "", None
    for end_is, found in told_while(lambda tell: fits.fit(species, blows, heard=tell)):
        if end_is == "told":
            yield f"<p>{found} of at most {fits.MOST_EVALUATIONS} evaluations of {len(blows)} cooks</p>\n"
    back = reverse("cook:fit", args=[species])
    if end_is == "failed":
        yield f'<p class="msg">It failed: {escape(found)}. <a class="lk" href="{back}">Back</a></p>'
    else:
        made = actions.keep_fit(species=species, by=request.user, now=request.now, found=found)
        if isinstance(made, Infeasible):
            yield f'<p class="msg">The tested cooks {escape(made.reason)}. <a class="lk" href="{back}">Back</a></p>'
        else:
            yield f'<p>Kept. <a class="lk" href="{back}">See it</a></p><meta http-equiv="refresh" content="0;url={back}">'
    yield end


@require_http_methods(["GET", "POST"])
def fit_page(request, species: str):
    """The kinetic coefficients fitted to this mill's blows: error before and after, every blow, and which are in use."""
    state = state_of(request)
    if species not in NAMES:
        raise Http404
    if request.method == "POST":
        refuse(request.user, "fit")
        choice = request.POST.get("choice", "")
        try:
            if choice == "bias":
                actions.take_out_bias(species=species, by=request.user, now=request.now)
                messages.success(request, "Taken out. Cooks are foreseen without it from now on.")
                return redirect("cook:fit", species)
            if choice == "fit":
                told = StreamingHttpResponse(_fitting(request, state, species))
                told["Content-Encoding"] = "identity"  # line by line, not held back to be packed
                return told
            chosen = CookFit.objects.filter(species=species, pk=whole(choice)).first()
            actions.use_fit(species=species, fit=chosen, by=request.user, now=request.now)
            messages.success(request, "Chosen.")
        except CookRefused as refusal:
            messages.error(request, str(refusal))
        return redirect("cook:fit", species)
    result = CookFit.objects.filter(species=species)
    newest = next((f for f in result if not f.only_bias and f.holds), None)
    use, in_use = coefficients_in_use(species)
    context = station(
        request,
        state,
        species=species,
        fits=result[:10],
        newest=newest,
        in_use=in_use,
        use=use,
        coefficients=fits.told(newest.fitted, tuple(newest.dots.get("signs", ()))) if newest else (),
        bias=actions.bias_seen(species),
        half=newest.trust.band(TOLD_AT) if newest else trust.default_band(TOLD_AT),
        default_half=trust.default_band(TOLD_AT),
        told_at=TOLD_AT,
        enough=bool(newest and newest.trust.enough),
        outdated=result.exclude(pk__in=[f.pk for f in result if f.holds]).exists(),
        blows=Cook.objects.filter(species=species, kappa__isnull=False).count(),
        may_fit=request.user.may("fit"),
        plot=fit_plot(*(newest.dots[k] for k in ("lab", "default", "fit"))) if newest and "lab" in newest.dots else None,
    )
    return render(request, "cook/fit.html", context)
