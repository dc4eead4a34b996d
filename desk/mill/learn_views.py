"""What this mill's samples teach of its units: which can learn, a fit as it runs, before and after, and which is in use."""

from django.contrib import messages
from django.http import Http404, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.html import escape
from django.views.decorators.http import require_http_methods, require_safe

from core.errors import ImpossibleInput, Infeasible
from core.lab.methods import TESTS
from core.mill.learning import untaught
from desk.kit.fit_plot import fit_plot
from desk.kit.long_work import told_while
from desk.kit.text import whole
from desk.mill import learning
from desk.mill.context import state_of
from desk.mill.models import UnitFit
from desk.people.rights import refuse

TOLD_EVERY = 5  # evaluations, so that a fast fit does not flood its page


@require_safe
def listing(request):
    """Every unit whose constants samples can teach, in the order of the line."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    units = learning.learners_of(state)
    counts = learning.counted([r for rows in units.values() for r in rows])
    newest: dict[str, UnitFit] = {}
    for fit in UnitFit.objects.filter(unit__in=units):
        newest.setdefault(fit.unit, fit)
    rows = [
        {
            "unit": unit,
            "title": learning.title_of(state, unit),
            "rows": [(r.place, TESTS[r.test], counts.get(r.id, 0)) for r in taught],
            "constants": learning.constants_of(state, unit),
            "newest": newest.get(unit),
            "in_use": state.constants.get(unit),
        }
        for unit, taught in units.items()
    ]
    rest = [(learning.title_of(state, unit), why) for unit, why in untaught(state.mill, state.line).items()]
    return render(request, "mill/learn_list.html", {"rows": rows, "untaught": rest})


def _fitting(request, state, unit: str):
    """The page of a fit while it runs, line by line: the fit in a thread of its own."""
    title = learning.title_of(state, unit)
    start, end = render_to_string("mill/learning.html", {"title": title}, request).split("<!--told-->")
    samples, in_force = learning.samples_of(state, learning.learners_of(state)[unit]), learning.in_force_of(state)
    yield start
    end_is, found = "", None
    told = told_while(lambda tell: learning.learn(state.mill, state.line, unit, samples, in_force, heard=lambda: tell(None)))
    for count, said in enumerate(told, start=1):
        end_is, found = said
        if end_is == "told" and count % TOLD_EVERY == 0:
            yield f"<p>{count} evaluations</p>\n"
    back = reverse("mill:learn_unit", args=[unit])
    link = f'<a class="lk" href="{back}">Back</a>'
    if end_is == "failed":
        yield f'<p class="msg">It failed: {escape(found)}. {link}</p>'
    elif isinstance(found, Infeasible):
        yield f'<p class="msg">Not fitted: its {found.field} {escape(found.reason)}. {link}</p>'
    else:
        learning.keep_fit(state=state, unit=unit, found=found, by=request.user, now=request.now)
        yield f'<p>Kept. {link}</p><meta http-equiv="refresh" content="0;url={back}">'
    yield end


@require_http_methods(["GET", "HEAD", "POST"])
def unit_page(request, unit: str):
    """One unit: its newest fit, row by row, and which constants are in use; fit, choose, or back to the default (POST)."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    units = learning.learners_of(state)
    if unit not in units:
        raise Http404
    if request.method == "POST":
        refuse(request.user, "fit")
        choice = request.POST.get("choice", "")
        if choice == "fit":
            told = StreamingHttpResponse(_fitting(request, state, unit))
            told["Content-Encoding"] = "identity"  # line by line, not held back to be packed
            return told
        fit = None if choice == "default" else UnitFit.objects.filter(unit=unit, pk=whole(choice)).first()
        if fit is None and choice != "default":
            messages.error(request, "No such fit of this unit.")
            return redirect("mill:learn_unit", unit)
        try:
            kept = learning.use(state=state, unit=unit, fit=fit, by=request.user, now=request.now)
            messages.success(request, f"{kept.says}. The line and its pages follow.")
        except ImpossibleInput as refusal:
            messages.error(request, f"The fit {refusal.problems[0].text}.")
        return redirect("mill:learn_unit", unit)
    fits = UnitFit.objects.filter(unit=unit).select_related("by")
    newest = fits.first()
    use = state.constants.get(unit, {})
    constants = [
        {
            "said": c,
            "fitted": newest.constants.get(c.field) if newest else None,
            "use": use.get(c.field, c.default),
        }
        for c in learning.constants_of(state, unit)
    ]
    by_id = {r.id: r for r in units[unit]}
    told = [
        {**r, "row": by_id[r["row"]], "test": TESTS[by_id[r["row"]].test], "n": len(r["lab"])}
        for r in (newest.told["rows"] if newest else ())
        if r["row"] in by_id
    ]
    for r in told:
        r["plot"] = fit_plot(r["lab"], r["by_default"], r["by_fit"])
    counts = learning.counted(units[unit])
    context = {
        "unit": unit,
        "title": learning.title_of(state, unit),
        "constants": constants,
        "told": told,
        "newest": newest,
        "older": fits[1:9],
        "in_use": learning.in_use(state, unit) if use else None,
        "taught": [(r.place, TESTS[r.test], counts.get(r.id, 0)) for r in units[unit]],
        "may_fit": request.user.may("fit"),
    }
    return render(request, "mill/learn_unit.html", context)
