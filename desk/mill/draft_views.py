"""The guided set-up: the draft of a mill, step by step from an empty line to a proposal."""

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.errors import ImpossibleInput, Problem
from core.lab.methods import TESTS
from core.mill import draft as drafting
from core.mill.document import Machine
from core.mill.kinds import KINDS
from core.mill.presets import PRESETS, RECIPES
from core.mill.reading import SECTIONS
from core.mill.trial import balance_of
from core.mill.usual import usual_moves
from core.quantity import quantities
from desk.kit.bench import typed_number
from desk.mill import drafts
from desk.mill import setup as setups
from desk.mill.draft_drawing import balance_picture, draft_picture
from desk.mill.models import MillVersion, Proposal
from desk.mill.ribbon import STATIONS, colour_of
from desk.people.rights import may

TABS = {
    "line": ("units", "lines", "draws"),
    "vessels": ("vessels", "sources", "tanks", "piles", "bales", "vats"),
    "grades": ("grades",),
    "plan": ("plan", "moves"),
    "mill": ("mill", "machine", "roles", "schools"),
}
ONE = ("mill", "machine", "roles", "schools")  # sections that are one part, without a key
NAMED = {
    "units": "Units",
    "lines": "Lines",
    "draws": "Draws",
    "vessels": "Vessels",
    "sources": "Sources",
    "tanks": "Chemicals in store",
    "piles": "Piles",
    "bales": "Bales",
    "vats": "Pulper vats",
    "grades": "Grades",
    "plan": "Sampling plan",
    "moves": "Moves, where a row is used",
    "mill": "Mill",
    "machine": "Machine",
    "roles": "Roles",
    "schools": "Units on screen",
}
KIND_NAMES = {
    "cook": "cooks",
    "sulphite": "cooks with sulphite",
    "refine": "refines chips",
    "washers": "washes",
    "oxygen": "delignifies with oxygen",
    "bleach": "bleaches",
    "cascade": "screens or cleans, in stages",
    "refiner": "refines at low consistency",
    "recovered": "makes recovered paper into stock, step by step",
}


NO_PULP = "#F4EFE6"
BESIDE = ("line", "grade")  # steps whose own form says what cannot be
BESIDE_FIELDS = {"key", "name", "feed_t_h", "gsm", "speed_m_min"}


def _tab_of(section: str) -> str:
    return next((tab for tab, sections in TABS.items() if section in sections), "line")


def _titles(document, section: str) -> list[dict]:
    """The parts of a section for its list: key and what it is called."""
    if section in ONE:
        return [{"key": "", "title": NAMED[section]}]
    name = SECTIONS[section]
    return [
        {
            "key": p[name],
            "title": p.get("title") or p.get("name") or p.get("place") or p[name],
            "test": TESTS[p["test"]].name if p.get("test") in TESTS else p.get("row", ""),
        }
        for p in document.get(section) or ()
    ]


def _opened(request, document) -> tuple[str, str]:
    """The part that the address opens, else the first unit of the first line."""
    section, _, key = request.GET.get("part", "").partition(":")
    if section in ONE:
        return section, ""
    if section in SECTIONS and any(p["key"] == key for p in _titles(document, section)):
        return section, key
    tab = request.GET.get("tab", "line")
    for wanted in TABS.get(tab, TABS["line"]):
        if wanted in ONE:
            return wanted, ""
        known = {part["key"] for part in document["lines"]}
        lines = [u["id"] for u in document["units"] if u.get("line") in known and u.get("station")]
        parts = lines if wanted == "units" and lines else [p["key"] for p in _titles(document, wanted)]
        if parts:
            return wanted, parts[0]
    return ("units", "blend") if tab == "line" else (TABS.get(tab, TABS["line"])[0], "")


def _address(section: str, key: str = "") -> str:
    return f"{reverse('mill:draft')}?{urlencode({'part': f'{section}:{key}'})}"


def _page(request, *, typed=None, problems: tuple[Problem, ...] = (), status: int = 200):
    draft = drafts.current()
    errors = {p.field: p.text for p in problems}
    if draft is None:
        return _begin(request, typed or {}, errors, status)
    document, trial = draft.document, draft.trial
    section, key = _opened(request, document)
    tab = _tab_of(section)
    faulty = {s.part for s in draft.steps if not s.done and s.section == "units"}
    context = {
        "draft": draft,
        "document": document,
        "version": draft.step.base,
        "tab": tab,
        "tabs": [(name, _address(TABS[name][0]) if name in ONE else f"{reverse('mill:draft')}?tab={name}") for name in TABS],
        "section": section,
        "section_name": NAMED[section],
        "key": key,
        "steps": draft.steps,
        "next": next((s for s in draft.steps if not s.done), None),
        "done": sum(s.done for s in draft.steps),
        "typed": typed or {},
        "errors": errors,
        "loose": list(problems),
        "columns": STATIONS,
        "presets": PRESETS.values(),
        "recipes": RECIPES.values(),
        "lists": [
            {"section": s, "name": NAMED[s], "parts": _titles(document, s), "adds": s in drafting.FIRST} for s in TABS[tab]
        ],
        "rows_lacking": len(drafting.proposed_rows(document)) if tab == "plan" else 0,
        "moves_lacking": len(usual_moves(document)) if tab == "plan" else 0,
    }
    if tab == "line":
        context["picture"] = draft_picture(document, trial, faulty, key if section == "units" else "")
    there = section in ONE or bool(key)
    if there:
        beside = (typed or {}).get("do") in BESIDE
        told = ({}, {}) if beside else (typed or {}, errors)
        context["groups"] = drafts.groups_of(document, section, key, *told)
        placed = BESIDE_FIELDS if beside else {w.name for g in context["groups"] for w in g.wells}
        context["loose"] = [p for p in problems if p.field not in placed]
        context["tables"] = drafting.tables_of(document, section, key) if section in (*SECTIONS, "mill") else []
    context["title"] = next((p["title"] for p in _titles(document, section) if p["key"] == key), NAMED[section])
    if section == "units" and there:
        context |= _unit(document, trial, key)
    return render(request, "mill/draft.html", context, status=status)


def _unit(document, trial, key: str) -> dict:
    """What the page tells of an open unit: how it acts, what flows through it, what may come behind it."""
    unit = drafting.part_of(document, "units", key)
    acts = (unit.get("acts") or {}).get("kind", "")
    context = {
        "kinds": [("", "fixed shares"), *((k, KIND_NAMES.get(k, k)) for k in KINDS)],
        "acts": acts,
        "alike": [u["id"] for u in document["units"] if u["id"] != key and (u.get("acts") or {}).get("kind") == acts and acts],
        "lined": unit.get("line", ""),
    }
    if trial.line is not None and key in trial.line.solution.network.index:
        balance = balance_of(trial.line, key)
        context |= {
            "balance": balance,
            "bands": balance_picture(trial, balance, _hex(trial.line.solution, key)),
            "worked": _worked(trial.line, key),
            "supply": unit.get("supply", False),
        }
    return context


def _hex(solution, key: str) -> str:
    """The colour of the pulp in a unit; what stays in a vessel whose level falls has none of its own."""
    unit = solution.network.unit(key)
    if unit.supply or solution.into[solution.network.index[key]].min() < 0.0:
        return NO_PULP
    return colour_of(solution.enters(key))[0]


def _worked(line, key: str) -> list[dict]:
    """The figures of the model that an open unit ran, as the models' own pages print them."""
    acts = line.acts.get(key)
    rows = []
    for worked in acts.worked if acts else ():
        for name, said in quantities(type(worked.result)).items():
            value = getattr(worked.result, name)
            if isinstance(value, int | float) and len(rows) < 6:
                rows.append({"label": said.label, "value": value, "decimals": said.decimals, "unit": said.unit})
    return rows


def _begin(request, typed, errors, status: int):
    wanted = ("width_m", "speed_low", "speed_high")
    said = quantities(Machine)
    wells = [
        {"name": f"machine.{k}", "label": said[k].label, "unit": said[k].unit, "value": typed.get(f"machine.{k}", "")}
        for k in wanted
    ]
    for well in wells:
        well["error"] = errors.get(well["name"], "") or errors.get(well["name"].removeprefix("machine."), "")
    context = {"wells": wells, "typed": typed, "errors": errors, "version": MillVersion.objects.first()}
    return render(request, "mill/begin.html", context, status=status)


@require_safe
@may("propose_setup")
def draft(request):
    """The draft as it stands: its line, one part of it open, what is missing to run."""
    return _page(request)


@require_safe
@may("propose_setup")
def against(request):
    """What the draft would change of the version in force."""
    made = drafts.current()
    if made is None:
        return redirect("mill:draft")
    base = MillVersion.objects.first()
    changes = setups.differences(base.document if base else {}, made.document)
    return render(request, "mill/against.html", {"draft": made, "base": base, "changes": changes})


def _number(request, name: str) -> float:
    text = request.POST.get(name, "")
    try:
        return typed_number(text)
    except ValueError:
        raise ImpossibleInput(Problem(name, f"is “{text}”; it must be a number")) from None


def _begin_step(request, document, section, key):
    if request.POST.get("from") == "version":
        drafts.begin_from_version(by=request.user, now=request.now)
    else:
        drafts.begin(request.POST.dict(), by=request.user, now=request.now)
    return


def _add_line(request, document, section, key):
    new = drafting.add_line(
        document,
        recipe=request.POST.get("recipe", ""),
        key=request.POST.get("key", "").strip(),
        name=request.POST.get("name", ""),
        feed_t_h=_number(request, "feed_t_h"),
    )
    line = request.POST["key"].strip()
    first = next((u["id"] for u in new["units"] if u.get("line") == line and u.get("station")), "blend")
    return new, f"line {line} added", _address("units", first)


def _add_unit(request, document, section, key):
    line = drafting.part_of(document, "units", key).get("line", "")
    new, made = drafting.add_unit(document, preset=request.POST.get("preset", ""), line=line, after=key)
    return new, f"{made} added", _address("units", made)


def _add_grade(request, document, section, key):
    name = request.POST.get("name", "").strip()
    if not 1 <= len(name) <= 80:
        raise ImpossibleInput(Problem("name", "is empty; it must be 1 to 80 characters"))
    grade = request.POST.get("key", "").strip()
    new = drafting.add_grade(
        document, key=grade, name=name, gsm=_number(request, "gsm"), speed_m_min=_number(request, "speed_m_min")
    )
    return new, f"grade {grade} added", _address("grades", grade)


def _add_part(request, document, section, key):
    wanted, named = request.POST.get("section", ""), request.POST.get("key", "").strip()
    return drafting.add_part(document, wanted, named), f"{named} added", _address(wanted, named)


def _take(request, document, section, key):
    before = drafting.feeders_of(document, key) if section == "units" else []
    to = _address("units", before[0]) if before else f"{reverse('mill:draft')}?tab={_tab_of(section)}"
    return drafting.take_part(document, section, key), f"{key} taken out", to


def _typed_in(request, document, section, key):
    flags = {w.name: "off" for g in drafts.groups_of(document, section, key, {}, {}) for w in g.wells if w.kind == "flag"}
    values = {k: v for k, v in request.POST.items() if k not in ("csrfmiddlewaretoken", "once", "do", "part")}
    new = drafting.typed(document, section, key, flags | values)
    return (new, f"{key or section} typed", _address(section, key)) if new != document else None


def _rows(request, document, section, key):
    return drafting.add_rows(document), "rows of the plan added", f"{reverse('mill:draft')}?tab=plan"


def _moves(request, document, section, key):
    return drafting.add_moves(document), "moves added", f"{reverse('mill:draft')}?tab=plan"


def _row(change):
    def step(request, document, section, key):
        place = request.POST.get("place", "")
        return change(document, section, key, place), f"{key} {place}", _address(section, key)

    return step


def _share(request, document, section, key):
    place, name = request.POST.get("place", ""), request.POST.get("name", "").strip()
    new = drafting.set_share(document, section, key, place, name, _number(request, "value"))
    return new, f"{key} {place} {name}", _address(section, key)


def _act(request, document, section, key):
    kind = request.POST.get("kind", "")
    return drafting.act_as(document, key, kind), f"{key} {KIND_NAMES.get(kind, 'fixed shares')}", _address(section, key)


def _copy(request, document, section, key):
    to = request.POST.get("to", "")
    return drafting.copied_settings(document, key, to), f"{key} copied to {to}", _address("units", to)


STEPS = {
    "begin": _begin_step,
    "line": _add_line,
    "unit": _add_unit,
    "grade": _add_grade,
    "part": _add_part,
    "take": _take,
    "type": _typed_in,
    "rows": _rows,
    "moves": _moves,
    "row": _row(drafting.add_row),
    "less": _row(drafting.take_row),
    "share": _share,
    "act": _act,
    "copy": _copy,
}


OF_A_PART = ("unit", "take", "type", "row", "less", "share", "act", "copy")  # steps that change the part they name


@require_POST
@may("propose_setup")
def step(request):
    """One step of the draft. What cannot be is said beside its field, with all that was typed; the draft stays as it was."""
    do = request.POST.get("do", "")
    if do not in STEPS:
        raise Http404
    made = drafts.current()
    if (made is None) != (do == "begin"):
        return redirect("mill:draft")
    document = made.document if made else {}
    request.GET = request.GET.copy()
    request.GET["part"] = request.POST.get("part", "")
    section, key = _opened(request, document) if made else ("", "")
    if do in OF_A_PART and f"{section}:{key}" != request.POST.get("part", ""):  # taken out meanwhile, by this hand or another
        gone = Problem("part", f"{request.POST.get('part', '')!r} is not in the draft any more; nothing was changed")
        return _page(request, problems=(gone,), status=422)
    try:
        done = STEPS[do](request, document, section, key)
    except ImpossibleInput as refusal:
        return _page(request, typed=request.POST.dict(), problems=refusal.problems, status=422)
    if done is None:
        return redirect(_address(section, key) if made else reverse("mill:draft"))
    new, says, to = done
    drafts.changed(new, says=says, by=request.user, now=request.now)
    return redirect(to)


@require_POST
@may("propose_setup")
def back(request):
    """The newest step taken away."""
    try:
        messages.success(request, f"Stepped back: {drafts.step_back(request.user)}.")
    except ImpossibleInput as refusal:
        messages.error(request, str(refusal))
    return redirect("mill:draft")


@require_POST
@may("propose_setup")
def throw_away(request):
    """The draft thrown away, whole."""
    drafts.throw_away(request.user)
    messages.success(request, "The draft is thrown away; what is in force stays.")
    return redirect("mill:setup")


@require_http_methods(["GET", "POST"])
@may("propose_setup")
def propose(request):
    """The draft proposed as a change of the set-up; it stays until its countersignature puts it in force."""
    made = drafts.current()
    if made is None:
        return redirect("mill:draft")
    for waiting in Proposal.objects.filter(decided_at=None):
        if waiting.document == made.document:  # a second press
            return redirect("mill:change", waiting.pk)
    context = {"draft": made, "note": request.POST.get("note", "")}
    if request.method == "GET":
        return render(request, "mill/propose.html", context)
    try:
        kept = setups.propose(document=made.document, note=context["note"], by=request.user, now=request.now)
    except setups.SetupRefused as refusal:
        context |= {"refusal": str(refusal), "faults": refusal.problems}
        return render(request, "mill/propose.html", context, status=422)
    messages.success(request, "Proposed. It comes into force when a shift lead countersigns it; the draft stays until then.")
    return redirect("mill:change", kept.pk)
