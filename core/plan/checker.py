"""A plan looked at once more, by rules written anew: nothing of the search is used to say whether what it found holds."""

from collections.abc import Sequence

from core.cook.house import Batch
from core.plan.cycles import BlowTank, Stand
from core.plan.digesters import HousePlanCase, HousePlanFound
from core.plan.feeds import FeedsCase, FeedsFound
from core.plan.orders import Machine, Ordered
from core.plan.shares import SharesCase, SharesFound
from core.plan.silo import SiloCase, SiloFound

TINY = 1e-6
SHARE_OFF = 1e-5  # %, that a share may be off by


def of_orders(found: Ordered, machine: Machine) -> list[str]:
    """What an order of orders breaks, in words; nothing where it holds."""
    bad: list[str] = []
    if sorted(found.orders) != list(range(len(machine.orders))):
        bad.append("not every order is run once")
    free, shade = machine.free_h, machine.shade
    for run in found.runs:
        o = machine.orders[run.order]
        washed = 0.0 if shade == int(o.shade) else machine.washes.get((shade, int(o.shade)), 0.0)
        if run.begins_h < free + washed - TINY:
            bad.append(f"order {run.order} begins before it is washed for")
        if run.begins_h < o.release_h - TINY:
            bad.append(f"order {run.order} begins before its release")
        if abs(run.ends_h - run.begins_h - o.hours) > TINY:
            bad.append(f"order {run.order} does not run its hours")
        bad += [
            f"order {run.order} runs through a stop"
            for a, b in machine.stands
            if run.begins_h < b - TINY and run.ends_h > a + TINY
        ]
        if abs(run.late_h - max(0.0, run.ends_h - o.due_h)) > TINY:
            bad.append(f"order {run.order} is late by another time")
        free, shade = run.ends_h, int(o.shade)
    return bad


def of_digesters(found: HousePlanFound, case: HousePlanCase) -> list[str]:
    """What starts of cooks break, in words."""
    bad: list[str] = []
    starts = found.starts
    spans = {"filled": (0, int(case.fill)), "heated": (int(case.fill), int(case.heat))}
    for what, (after, lasts) in spans.items():
        told = sorted(s + after for s in starts)
        if any(b < a + lasts for a, b in zip(told, told[1:], strict=False)):
            bad.append(f"two digesters are {what} at once")
    for d in range(int(case.digesters)):
        own = sorted(starts[d :: int(case.digesters)])
        if any(b < a + case.cycle for a, b in zip(own, own[1:], strict=False)):
            bad.append(f"digester {d + 1} cooks two batches at once")
    blows = sorted(s + int(case.fill + case.heat + case.hold) for s in starts)
    level, short = case.now_t, 0.0
    for slot in range(blows[-1] + 1):
        drawn = min(case.draw_t, level)
        short += case.draw_t - drawn
        level += case.cook_t * blows.count(slot) - drawn
        if level > case.tank_t + TINY:
            bad.append(f"the blow tank runs over in slot {slot}")
    if short > found.short_t + TINY:
        bad.append(f"{short:g} t are short, not {found.short_t:g}")
    return bad


def of_feeds(found: FeedsFound, case: FeedsCase) -> list[str]:
    """What rates of a line break, in words, and where what is said of them is not so."""
    bad: list[str] = []
    known = {r.t_h for r in case.rates}
    level, short, outside, moves, was = case.now_t, 0.0, 0.0, 0, case.usual_t_h
    for k, (block, rate) in enumerate(zip(case.blocks, found.rates, strict=True)):
        if block.stands and rate > 0.0:
            bad.append(f"it runs in block {k}, in its stop")
        if not block.stands and rate not in known:
            bad.append(f"its rate of block {k} cannot be set")
        moves += int(not block.stands and abs(rate - was) > TINY)
        was = was if block.stands else rate
        level = level + case.block_h * rate - case.block_h * block.draw_t_h
        short += max(0.0, -level)
        level = max(0.0, level)
        outside += case.block_h * max(0.0, case.low_t - level, level - case.high_t)
        if level > case.full_t + TINY:
            bad.append(f"it stands at {level:g} t after block {k}")
    outside += case.block_h * max(0.0, case.end_t - level)
    told = {"short_t": short, "outside_th": outside, "moves": float(moves), "end_t": level}
    for name, value in told.items():
        said = getattr(found, name)
        if abs(said - value) > 1e-5:
            bad.append(f"{name} is {value:g}, not {said:g}")
    return bad


def of_silo(found: SiloFound, case: SiloCase) -> list[str]:
    """What feeds of a silo break, in words; what it is short by is taken from its draw as late as can be."""
    bad: list[str] = []
    known = {f.t_h for f in case.feeds}
    level, short = case.now_t, found.short_t
    for h, feed in enumerate(found.feeds):
        if case.stops(h) and feed > 0.0:
            bad.append(f"it is fed in hour {h}, in its stop")
        if not case.stops(h) and feed not in known:
            bad.append(f"its feed of hour {h} cannot be set")
        level += feed - case.draw_t_h
        if level < case.least_t:  # the draw gives way
            given = min(short, case.least_t - level, case.draw_t_h)
            level, short = level + given, short - given
        if not case.least_t - TINY <= level <= case.most_t + TINY:
            bad.append(f"it stands at {level:g} after hour {h}")
    if level + short < case.end_t - TINY:
        bad.append(f"it ends at {level:g}")
    return bad


def of_shares(found: SharesFound, case: SharesCase) -> list[str]:
    """What a furnish of the coming orders breaks, in words, and where what is said of it is not so: counted hour by hour."""
    bad: list[str] = []
    rows = list(zip(case.shares, found.shares_pct, strict=True))
    for r, run in enumerate(case.runs):
        own = {int(row.pulp): v for row, v in rows if int(row.run) == r + 1}
        if abs(sum(own.values()) - 100.0) > SHARE_OFF:
            bad.append(f"the furnish of {run.name} makes {sum(own.values()):g} %")
        for limit, x in enumerate(case.limits):
            over = sum(x.over[pulp - 1] * v / 100.0 for pulp, v in own.items()) if x.card == run.card else 0.0
            if over > 1e-6 * max(abs(v) for v in x.over) + TINY:
                bad.append(f"limit {limit} of {run.name} is broken by {over:g}")
    bad += [
        f"{v:g} % of pulp {row.pulp:g} in run {row.run:g} is outside its band"
        for row, v in rows
        if not row.low_pct - SHARE_OFF <= v <= row.high_pct + SHARE_OFF
    ]
    short = over = 0.0
    towers = [p for p, row in enumerate(case.pulps) if row.full_t > 0.0]
    for p, rates in zip(towers, found.rates, strict=True):
        tower, level = case.pulps[p], case.pulps[p].now_t
        for k, rate in enumerate(rates):
            begins, ends = k * case.block_h, (k + 1) * case.block_h
            stopped_t = sum(
                x.less_t_h * max(0.0, min(x.to_h, ends) - max(x.from_h, begins)) for x in case.stops if int(x.pulp) == p + 1
            )
            if case.block_h * rate > max(0.0, case.block_h * tower.most_t_h - stopped_t) + 1e-5:
                bad.append(f"{tower.name} comes at {rate:g} t/h in block {k}, over its most")
            drawn_t = 0.0
            for row, v in rows:
                run = case.runs[int(row.run) - 1]
                if int(row.pulp) == p + 1:
                    drawn_t += v / 100.0 * run.draw_t_h * max(0.0, min(run.ends_h, ends) - max(run.begins_h, begins))
            level += case.block_h * rate - drawn_t
            short += max(0.0, -level)
            over += max(0.0, max(0.0, level) - tower.full_t)
            level = min(tower.full_t, max(0.0, level))
    for name, value in (("short_t", short), ("over_t", over)):
        if abs(getattr(found, name) - value) > 1e-4:
            bad.append(f"{name} is {value:g}, not {getattr(found, name):g}")
    return bad


def of_blow_tank(cooks: Sequence[Batch], tank: BlowTank) -> list[str]:
    """Which blows of cooks that are yet to come run a blow tank over, counted minute by minute."""
    bad, level = [], tank.now_t
    told = [(b.rise_at + b.rise_min + b.hold_min + b.blow_min, b) for b in cooks]
    ends = sorted(((end, b) for end, b in told if end > 0.0), key=lambda pair: pair[0])
    at = 0.0
    for end, b in ends:
        while at < end:
            step = min(1.0, end - at)
            level, at = max(0.0, level - tank.draw_t_h * step / 60.0), at + step
        level += b.pulp_t
        if level > tank.full_t + TINY and not b.done:
            bad.append(f"{b.name} fills the blow tank to {level:g} t")
    return bad


def of_cycles(cooks: list[Batch], stands: Sequence[Stand] = ()) -> list[str]:
    """What cooks of a digester house on one clock break, in words."""
    bad: list[str] = []
    spans: dict[str, list[tuple[float, float]]] = {"filled": [], "heated": [], "blown": []}
    for b in cooks:
        end = b.rise_at + b.rise_min + b.hold_min + b.blow_min
        spans["filled"].append((b.rise_at - b.fill_min, b.rise_at))
        spans["heated"].append((b.rise_at, b.rise_at + b.rise_min))
        spans["blown"].append((end - b.blow_min, end))
        spans.setdefault(f"cooking in {b.digester}", []).append((b.rise_at - b.fill_min, end))
        bad += [
            f"{b.name} cooks through a stop of {s.digester}"
            for s in stands
            if s.digester == b.digester and b.rise_at - b.fill_min < s.to_min - TINY and end > s.from_min + TINY
        ]
    for what, told in spans.items():
        told.sort()
        bad += [f"two are {what} at once at {b[0]:g}" for a, b in zip(told, told[1:], strict=False) if b[0] < a[1] - TINY]
    return bad
