"""Cooking on the schedule's clock: cooks of the batch digesters, known and coming, continuous cooking, and steam."""

from datetime import timedelta

from django.urls import reverse

from core.colour import ks_from_kappa, swatch
from core.cook import house as houses
from core.cook import kinetic
from core.cook.unit import CookPlan
from core.errors import CoreError
from core.plan.cycles import BlowTank, Stand, alkali_course, blows_of, cooks_ahead, counted_t, steam_course
from core.unit import ON
from desk.cook.models import Cook
from desk.kit.lane import Bar, Bars, Lane, Stands, Steps

COOKS = "Digesters"
BACK_H = 12.0  # a cook begun since then may still stand in its digester


def continuous(state) -> list[dict]:
    """The continuous digesters of this mill: unit, what they cook, and what comes to them."""
    line, lines = state.line, {u.id: u.line for u in state.mill.units}
    return [
        {"key": unit, "line": lines.get(unit, ""), "name": plan.species, "t_h": line.inlets[unit].solids_t_h}
        for unit, plan in line.acting.items()
        if isinstance(plan, CookPlan) and plan.vessel == "continuous"
    ]


def known_batches(state, now, hours: float) -> tuple[list[houses.Batch], dict[str, Cook], dict]:
    """Cooks of the batch digesters that were begun in the last hours, on minutes from now; the cook and what the model makes of
    it, by its number."""
    result, cooks, made_of = [], {}, {}
    kept = Cook.objects.filter(started_at__gte=now - timedelta(hours=hours), started_at__lte=now)
    batch = kept.filter(digester__in=state.mill.digesters) if state.mill.digesters else kept
    for c in batch.order_by("started_at"):
        try:
            done = kinetic.cook(c.species, c.given, c.profile, coefficients=c.fitted)
        except CoreError:
            continue
        made = houses.batch_of(
            name=str(c.number),
            digester=c.digester,
            rise_at=(c.started_at - now).total_seconds() / 60.0,
            plan=c.profile,
            lw_m3_t=c.given.lw_m3_t,
            wood_t=c.wood_t,
            yield_pct=done.yield_pct,
            done=True,
        )
        result.append(made)
        cooks[made.name], made_of[made.name] = c, done
    return result, cooks, made_of


def blow_tank(state, known: list[houses.Batch]) -> BlowTank | None:
    """The blow tank of the batch digesters: what the set-up says it holds, what washing draws of it as the line is solved, and
    what stands in it as the cooks of the last hours tell; None where no batch cook flows."""
    units = [u for u, plan in state.line.acting.items() if isinstance(plan, CookPlan) and plan.vessel == "batch"]
    draw_t_h = sum(state.solution.leaves(u, ON).solids_t_h for u in units)
    full_t = state.mill.blow_tank_t
    if draw_t_h <= 0.0 or full_t <= 0.0:
        return None
    return BlowTank(full_t, counted_t(full_t, draw_t_h, blows_of(known), 60.0 * BACK_H), draw_t_h)


def coming_cooks(state, hours: float, stands: tuple[Stands, ...]) -> tuple[list[houses.Batch], list[houses.Batch]]:
    """Known cooks of the last hours, and those that come behind them, each kept off the others, off planned stops, and under
    the brim of the blow tank."""
    known, _, _ = known_batches(state, state.now, BACK_H)
    return known, _behind(known, hours, stands, blow_tank(state, known))


def _behind(known: list[houses.Batch], hours: float, stands: tuple[Stands, ...], tank: BlowTank | None) -> list[houses.Batch]:
    newest = {b.digester: b for b in known}
    own = [Stand(s.unit, 60.0 * s.from_h, 60.0 * s.to_h) for s in stands if s.unit in newest]
    return cooks_ahead(newest, 60.0 * hours, own, running=known, tank=tank)


def numbered(known: list[houses.Batch], coming: list[houses.Batch]) -> dict[str, str]:
    """The numbers that the coming cooks will have behind those of their house, by the order in which they rise."""
    newest = max((int(b.name) for b in known), default=0)
    return {b.name: str(newest + k) for k, b in enumerate(sorted(coming, key=lambda b: b.rise_at), start=1)}


def lanes(state, hours: float, stands: tuple[Stands, ...]) -> list[Lane]:
    known, cooks, _ = known_batches(state, state.now, BACK_H)
    tank = blow_tank(state, known)
    coming = _behind(known, hours, stands, tank)
    kept = sorted(cooks.values(), key=lambda c: c.started_at)
    species = {c.digester: c.species for c in kept}
    charged = {c.digester: c.wood_t * c.given.ea_pct_naoh / 100.0 for c in kept}
    tints = {u.cooks: _tint(state.line.acts[u.id].kappa) for u in state.mill.units if u.cooks and u.id in state.line.acts}
    numbers = numbered(known, coming)
    told: list[Lane] = []
    by_digester: dict[str, list[Bar]] = {}
    next_ = next_cooks(coming)
    for b in [*(b for b in known if b.end > 0.0), *coming]:
        tint, hold = tints.get(species[b.digester], ""), b.digester if b is next_.get(b.digester) else ""
        by_digester.setdefault(b.digester, []).append(_bar(b, b.name if b.done else numbers[b.name], tint, hold))
    if by_digester:
        names = sorted(by_digester)
        labels = tuple(d.rpartition(".")[2] for d in names)
        rows = tuple(tuple(by_digester[d]) for d in names)
        told.append(Bars(COOKS, "each block a cook", rows, labels))
    fed = [f for f in continuous(state) if f["t_h"] > 0.0]
    if fed:
        href = reverse("cook:continuous")
        rows = tuple(
            (Bar(0.0, hours, f"{f['name']} {f['t_h']:.1f} t/h", _tint(state.line.acts[f["key"]].kappa), href),) for f in fed
        )
        told.append(Bars("Continuous", "t/h OD into the cook", rows))
    steady = sum(act.duties.get("steam_t_h", 0.0) for act in state.line.acts.values())
    if steady or by_digester:
        course = steam_course([*known, *coming], steady, 60.0 * hours)
        told.append(Steps("Steam", "t/h", tuple((m / 60.0, v) for m, v in course), state.mill.steam_allowed_t_h))
    if by_digester and tank is not None:
        course = tank.course(blows_of([*known, *coming]), 60.0 * hours)
        told.append(Steps("Blow tank", "t OD", tuple((m / 60.0, v) for m, v in course), tank.full_t))
    steady = sum(f["t_h"] * state.line.acting[f["key"]].charge.ea_pct_naoh / 100.0 for f in fed)
    if steady or by_digester:
        course = alkali_course([*known, *coming], charged, steady, 60.0 * hours)
        told.append(Steps("White liquor", "EA t/h NaOH", tuple((m / 60.0, v) for m, v in course)))
    return told


def next_cooks(coming: list[houses.Batch]) -> dict[str, houses.Batch]:
    """The first cook that comes in each digester."""
    told: dict[str, houses.Batch] = {}
    for b in sorted(coming, key=lambda b: b.rise_at):
        told.setdefault(b.digester, b)
    return told


def _tint(kappa: float) -> str:
    """The colour of a dry pad of pulp of a kappa."""
    return swatch(ks_from_kappa(kappa)).hex


def _bar(b: houses.Batch, number: str, tint: str, hold: str = "") -> Bar:
    """A cook: filled, rises, is held, is blown."""
    fill, rise, top, blow, end = (
        m / 60.0 for m in (b.rise_at - b.fill_min, b.rise_at, b.rise_at + b.rise_min, b.blow_at, b.end)
    )
    href = reverse("cook:one", args=[int(number)]) if b.done else "" if hold else reverse("cook:house")
    shape = ((fill, 0.0), (rise, 0.25), (top, 1.0), (blow, 1.0), (end, 0.0))
    return Bar(fill, end, number, tint, href, b.done, shape=shape, hold=hold)
