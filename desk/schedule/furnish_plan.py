"""The furnish of the running and the waiting orders, found within its bands together with what every line gives."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from urllib.parse import urlencode

from django.urls import reverse

from core.blend.furnish import BlendCase, rounded
from core.blend.within import limits_within
from core.errors import CoreError
from core.plan import shares as planned
from core.plan.orders import Ordered
from core.plan.shares import (
    LimitRow,
    PulpRow,
    RunRow,
    ShareRow,
    SharesCase,
    SharesFound,
    StopRow,
    limit_row,
    plan_furnish,
)
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from core.unit import Worked
from desk.blend.broke import broke_source
from desk.blend.pulps import chest_results, forecast_errors, limits_of, pulps_now
from desk.kit.templatetags.vat import figure
from desk.mill.planned import RUNNING
from desk.mill.planned_sets import TOLD_PCT
from desk.schedule.order_plan import BLOCK_H, SETTABLE

BROKE_KEPT = 0.3  # of its tower, at most, at the end: room for breaks, default
REACH_H = 1.0  # of what a vessel can give: not asked here


@dataclass(frozen=True)
class Furnishes:
    """The furnish found for each run: the question and the answer, and the shares (fractions) of each run by its order's
    number; that of the running order is under RUNNING."""

    case: SharesCase
    found: SharesFound
    shares: Mapping[str, Mapping[str, float]]

    @property
    def told_pct(self) -> dict[str, dict[str, float]]:
        """The shares of each run to a tenth of a percent, by its order's number."""
        return {n: dict(zip(own, rounded([100.0 * v for v in own.values()]), strict=True)) for n, own in self.shares.items()}

    @property
    def worked(self) -> Worked:
        return Worked(model="schedule.furnish", case=self.case, result=self.found)


def find_furnish(plan, judged) -> Furnishes | None:
    """The furnish of every run of a plan; None where nothing runs or draws."""
    case = _case(plan, judged.found, judged.courses[next(iter(judged.courses))].points[-1][0]) if judged.courses else None
    found = plan_furnish(case) if case is not None else None
    if case is None or not isinstance(found, SharesFound):
        return None
    keys, told = list(plan.state.mill.sources), {}
    for row, pct in zip(case.shares, found.shares_pct, strict=True):
        told.setdefault(case.runs[int(row.run) - 1].name, {})[keys[int(row.pulp) - 1]] = pct / 100.0
    return Furnishes(case, found, told)


def _case(plan, ordered: Ordered, hours: float) -> SharesCase | None:
    """The question: every source with its tower, every run with the shares of its grade and their bands, what stops take out,
    and the limits of each grade's card."""
    state = plan.state
    runs: list[tuple[RunRow, Mapping[str, float], str]] = []
    if plan.running:
        begins, ends = plan.running[0][0], plan.running[-1][1]
        drawn = sum((b - a) * rate for a, b, rate in plan.running) * state.draw.solids_t_h / max(1e-9, ends - begins)
        row = RunRow(name=RUNNING, begins_h=round(begins, 4), ends_h=round(ends, 4), draw_t_h=round(drawn, 4))
        runs.append((row, state.shares, state.run["grade"]))
    for r in ordered.runs:
        w, draw = plan.waiting[r.order], plan.draws[r.order]
        if draw > 0.0:
            row = RunRow(name=w.number, begins_h=round(r.begins_h, 4), ends_h=round(r.ends_h, 4), draw_t_h=round(draw, 4))
            runs.append((row, state.mill.grades[w.grade].shares, w.grade))
    if not runs:
        return None
    now = pulps_now(state, REACH_H)
    rows, cards, limits = [], {}, []
    for n, (row, shares, grade) in enumerate(runs, start=1):
        whole = sum(shares.get(k, 0.0) for k in now) or 1.0
        usual = {k: 100.0 * shares.get(k, 0.0) / whole for k in now}
        for p, (key, source) in enumerate(state.mill.sources.items(), start=1):
            low, high = min(source.low_pct, usual[key]), max(source.high_pct, usual[key])
            if n == 1 and plan.running:  # one move of what runs
                step = source.step_pct or 100.0
                low, high = max(low, usual[key] - step), min(high, usual[key] + step)
            rows.append(ShareRow(run=n, pulp=p, usual_pct=usual[key], low_pct=low, high_pct=high))
        card = grade, row.name == RUNNING  # what runs may be off the recipe of its grade
        if card not in cards:
            cards[card] = len(cards) + 1
            limits += _limits(state, cards[card], grade, usual, now)
        runs[n - 1] = (replace(row, card=cards[card]), shares, grade)
    return SharesCase(
        block_h=BLOCK_H,
        hours=max(BLOCK_H, round(hours, 4)),
        pulps=tuple(_pulp(state, key) for key in state.mill.sources),
        runs=tuple(row for row, _, _ in runs),
        shares=tuple(rows),
        stops=tuple(_stops(plan, hours)),
        limits=tuple(limits),
    )


def _limits(state, card: int, grade: str, usual: Mapping[str, float], now) -> list[LimitRow]:
    """What each pulp does to the limits of a grade's card; none where they cannot be worked out."""
    sds, _ = forecast_errors(chest_results(state))
    pulps = tuple(replace(now[k].pulp, share_pct=usual[k], supply_pct=100.0) for k in state.mill.sources)
    try:
        told = limits_within(BlendCase(**limits_of(state.mill.grades[grade]), **sds, pulps=pulps))
    except CoreError:
        return []
    return [limit_row(card, [round(float(v), 6) for v in over.row]) for over in told]


def _pulp(state, key: str) -> PulpRow:
    """A source with its tower; one that is bought comes as it is asked for, and broke as the machine makes it."""
    source = state.mill.sources[key]
    v = state.vessels.get(source.vessel)
    name = source.name[:60]
    if v is None or source.spare:
        return PulpRow(name=name, bought=float(source.spare))
    full = v.vessel.full_t
    usual = state.full_rates[source.vessel][0] if source.vessel in state.full_rates else v.rate_in
    sets = source.raw_wet_t_t > 0.0
    return PulpRow(
        name=name,
        now_t=round(min(full, max(0.0, v.content_t)), 3),
        full_t=full,
        low_t=USABLE_LOW_PCT / 100.0 * full,
        high_t=USABLE_HIGH_PCT / 100.0 * full,
        usual_t_h=round(usual, 4),
        least_t_h=0.0 if sets else round(usual, 4),
        most_t_h=round(max(SETTABLE) * usual if sets else usual, 4),
        keep_t=round(BROKE_KEPT * full, 3) if key == broke_source(state) else 1e5,
    )


def _stops(plan, hours: float) -> list[StopRow]:
    told = []
    for p, source in enumerate(plan.state.mill.sources.values(), start=1):
        for cut in plan.cuts.get(source.vessel, ()):
            if cut.from_h < hours and cut.t_h > 0.0:
                told.append(StopRow(pulp=p, from_h=round(cut.from_h, 4), to_h=round(cut.to_h, 4), less_t_h=round(cut.t_h, 4)))
    return told[:40]


def told_of(plan, f: Furnishes, *, may_plan: bool) -> list[dict]:
    """What moves in each run's furnish, in words, with where its card (or, of what runs, its set point) is opened with it."""
    keys, told = list(plan.state.mill.sources), []
    for n, run in enumerate(f.case.runs, start=1):
        own = {
            keys[int(x.pulp) - 1]: (x.usual_pct, v)
            for x, v in zip(f.case.shares, f.found.shares_pct, strict=True)
            if x.run == n
        }
        moved = {k: pair for k, pair in own.items() if abs(pair[1] - pair[0]) > TOLD_PCT}
        words = ", ".join(f"{k} {figure(was, 1)} to {figure(then, 1)} %" for k, (was, then) in moved.items())
        told.append({"name": run.name, "words": words, "href": _card(run.name, own, keys) if moved and may_plan else ""})
    return told


def _card(name: str, own: Mapping[str, tuple[float, float]], keys: list[str]) -> str:
    """Where a furnish is looked at and put in: the order's card, or the set point of what runs."""
    then = dict(zip(own, rounded([v for _, v in own.values()]), strict=True))
    if name == RUNNING:
        shares = {f"s{i}": f"{then.get(k, 0.0):g}" for i, k in enumerate(keys)}
        return f"{reverse('blend:put')}?{urlencode({**shares, 'back': reverse('schedule:plan')})}"
    return f"{reverse('schedule:bench')}?{urlencode({'order': name, **{f'share_{k}': f'{then[k]:g}' for k in own}})}"


WORDS = {
    planned.FULL: "the room of {}",
    planned.FURNISH: "the bands of the furnish of {}",
    planned.DRAW: "what {} draws",
    planned.STOP: "the stop that takes {} out",
}
WAYS = {
    planned.FULL: lambda v: f"{v:.0f} t more room",
    planned.FURNISH: lambda v: f"{100.0 * v:.1f} % of it outside its bands",
    planned.DRAW: lambda v: f"{100.0 * v:.1f} % less of it",
    planned.STOP: lambda v: f"{v:.1f} h shorter",
}


def _named(case: SharesCase, kind: str, row: int) -> str:
    """What a rule is of, in the words of the page."""
    if kind == planned.FULL:
        return [p.name for p in case.pulps if p.full_t > 0.0][row]
    if kind == planned.STOP:
        return case.pulps[int(case.stops[row].pulp) - 1].name
    name = case.runs[row].name
    return "the running order" if name == RUNNING else name


def cannot(f: Furnishes) -> dict | None:
    """Which rules of the plan cannot hold together, what each alone would have to give way by, and the least that gives way
    where all may; None where the plan holds."""
    if f.found.short_t + f.found.over_t <= planned.ENOUGH_T:
        return None
    rules = planned.cannot_hold(f.case)
    if not rules:
        return None

    def told(ways) -> list[str]:
        return [f"{WORDS[w.kind].format(_named(f.case, w.kind, w.row))}: {WAYS[w.kind](w.value)}" for w in ways]

    return {
        "rules": [WORDS[kind].format(_named(f.case, kind, row)) for kind, row in rules],
        "alone": told(planned.alone(f.case, rules)),
        "together": told(planned.together(f.case)),
    }
