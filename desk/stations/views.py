"""A station's part of the solved line: what enters and leaves each of its units, and how the whole closes."""

from django.http import Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_safe

from core.stream import COMPONENTS, NAMES
from desk.kit.station import by_key
from desk.kit.templatetags.vat import tph
from desk.lab.board import Board
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, colour_of, draw_small


@require_safe
def station(request, key: str):
    """The station's own page, or its part of the solved line while it has none."""
    built = by_key().get(key)
    return redirect(built.home) if built else line(request, key)


@require_safe
def line(request, key: str):
    """The working of the ribbon's figures at a station: what enters and leaves each unit, and how the whole closes."""
    if key not in {k for k, _, _ in STATIONS}:
        raise Http404
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    rows = []
    for u in state.mill.units:
        if u.station != key or u.supply or not u.outlets:
            continue
        into = state.solution.enters(u.id)
        for o in u.outlets:
            if u.stores:  # what stays is a change, and below nothing while the level falls: what is drawn is shown
                out, stays = state.solution.drawn_from(u.id), state.solution.stored_t_h(u.id)
                to = f"drawn from it; its content {'rises' if stays >= 0.0 else 'falls'} by {tph(abs(stays))} t/h"
            else:
                out = state.solution.leaves(u.id, o.name)
                to = state.solution.network.unit(o.to).title or o.to
            hex_colour, iso = colour_of(out)
            rows.append(
                {
                    "unit": u,
                    "way": o.name,
                    "to": to,
                    "into": into,
                    "out": out,
                    "hex": hex_colour,
                    "iso": iso,
                    "first": o is u.outlets[0],
                }
            )
    board = Board(state)
    readings = [r for r in board.rows if r.row.station == key]
    name = next(n for k, _, n in STATIONS if k == key)
    context = {
        "station": key,
        "stations": STATIONS,
        "small": draw_small(state),
        "name": name,
        "rows": rows,
        "readings": readings,
        "passes": state.solution.passes,
        "closure": state.solution.worst_closure,
        "components": [(c, NAMES[c]) for c in COMPONENTS],
    }
    return render(request, "stations/station.html", context)


@require_safe
def practice(request):
    return render(request, "stations/practice.html")
