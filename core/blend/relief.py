"""Where no furnish keeps every limit: what each limit alone would have to give, the cheapest relief of all together, and the
smallest set of limits that cannot hold at once.

Quality limits and bounds of shares may give; claims, supply and pumps may not. Nothing is eased without being taken by a
person. Source: recovered to delivery, section 8; the deletion filter for the conflicting set.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.blend.furnish import BlendCase, Table, Vector, told
from core.blend.least import BY_FIELD, Row, asked, quality_row, sd_of, solve, z_of
from core.errors import Caution, Infeasible
from core.quantity import check, figure
from core.register import Check, model

BOUNDS: Final = ("low_pct", "high_pct")
FIXED: Final = ("recycled_least", "supply_pct")
USUAL_SD: Final = {"iso_sd": 0.5, "csf_sd": 0.05, "ash_sd": 0.3, "tensile_sd": 0.8, "tear_sd": 0.3, "count_sd": 0.2}
OF_SHARE, TIE, MOST_PASSES = 0.01, 1e-9, 60


@dataclass(frozen=True, slots=True)
class Give:
    """A limit that gives: by how much and to what, in its own unit; `by` nan where it would not do by itself. `pulp`: of a
    share's bound, counted from 1."""

    field: str
    pulp: int
    by: float
    to: float

    @property
    def enough(self) -> bool:
        return math.isfinite(self.by)


def _rows(case: BlendCase, t: Table, z: float) -> list[Row]:
    """Every limit and bound as a row, in one list."""
    made, n = [], len(case.pulps)
    for x in asked(case):
        sd = float(getattr(case, x.sd)) if x.sd else 0.0
        row = quality_row(case, t, x, z, sd)
        unit = row.unit if sd > 0.0 else quality_row(case, t, x, z, USUAL_SD[x.sd]).unit if x.sd else 1.0
        made.append(Row(x.field, row.coefficients, row.most, unit))
    for i, p in enumerate(case.pulps):
        own = np.eye(n)[i]
        if p.low_pct > 0.0:
            made.append(Row(f"pulps.{i + 1}.low_pct", -own, -p.low_pct / 100.0, OF_SHARE))
        for name in ("high_pct", "supply_pct"):
            if (most := getattr(p, name)) < 100.0:
                made.append(Row(f"pulps.{i + 1}.{name}", own, most / 100.0, OF_SHARE))
    return made


def _fixed(row: Row) -> bool:
    return row.field.rpartition(".")[2] in FIXED


def _feasible(rows: list[Row], n: int) -> Vector | None:
    return solve(np.zeros(n), rows, np.zeros(n), np.ones(n))


def _alone(case: BlendCase, t: Table, row: Row, rest: list[Row], z: float) -> Give:
    """The least that one limit must give while the others stand."""
    n, field = len(case.pulps), row.field
    pulp = int(field.split(".")[1]) if field.startswith("pulps.") else 0
    name = field.rpartition(".")[2]
    none = Give(name, pulp, math.nan, math.nan)
    f = _feasible(rest, n)
    if f is None:
        return none
    if pulp:
        best = solve(row.coefficients, rest, np.zeros(n), np.ones(n))
        assert best is not None
        by = max(0.0, 100.0 * (float(row.coefficients @ best) - row.most))
        now = getattr(case.pulps[pulp - 1], name)
        return Give(name, pulp, by, now - by if name == "low_pct" else now + by)
    x = BY_FIELD[field]
    limit, way = float(getattr(case, field)), 1.0 if x.least else -1.0
    sd = sd_of(case, t, x, f)
    if x.figure == "iso_pct":  # the ratio K/S at its least (or most), by Dinkelbach
        q, best = float(f @ t.k457) / float(f @ t.s457), f
        for _ in range(MOST_PASSES):
            lighter = solve(way * (t.k457 - q * t.s457), rest, np.zeros(n), np.ones(n))
            assert lighter is not None
            best = lighter
            again = float(best @ t.k457) / float(best @ t.s457)
            if abs(again - q) < 1e-12:
                break
            q = again
        reached = told(t, best, 0.0).iso_pct
    else:
        nearest = solve(row.coefficients, rest, np.zeros(n), np.ones(n))
        assert nearest is not None
        best = nearest
        reached = float(getattr(told(t, best, 0.0), x.figure))
    to = reached * math.exp(-way * z * sd) if x.in_log else reached - way * z * sd
    return Give(field, 0, max(0.0, way * (limit - to)), to)


@dataclass(frozen=True, slots=True)
class Joint:
    """The cheapest relief of all limits together: what each gives, in its standard deviations (hundredths of a share), and the
    recipe it leads to, %."""

    slacks: dict[str, float]
    shares: tuple[float, ...]
    iso_kept_pct: float


def _joint(case: BlendCase, t: Table, rows: list[Row], z: float) -> Joint | None:
    from scipy.optimize import linprog  # a second to import: only who asks for a relief pays it

    n, soft = len(case.pulps), [r for r in rows if not _fixed(r)]
    order = soft + [r for r in rows if _fixed(r)]
    m = len(soft)
    a = np.zeros((len(order), n + m))
    for j, r in enumerate(order):
        a[j, :n] = r.coefficients
        if j < m:
            a[j, n + j] = -r.unit
    done = linprog(
        np.concatenate([TIE * t.price, np.ones(m)]),
        A_ub=a,
        b_ub=np.array([r.most for r in order]),
        A_eq=np.concatenate([np.ones(n), np.zeros(m)])[None],
        b_eq=[1.0],
        bounds=[(0.0, 1.0)] * n + [(0.0, None)] * m,
        method="highs",
    )
    if done.status != 0:
        return None
    f = done.x[:n]
    slacks = {r.field: float(done.x[n + j]) for j, r in enumerate(soft)}
    found = told(t, f, case.iso_sd)
    return Joint(slacks, tuple(100.0 * float(x) for x in f), found.iso_pct - z * found.iso_sd)


def _conflict(rows: list[Row], n: int) -> tuple[str, ...]:
    """The smallest set that cannot hold at once, by leaving out one after the other."""
    kept = list(rows)
    for row in rows:
        without = [r for r in kept if r is not row]
        if _feasible(without, n) is None:
            kept = without
    return tuple(r.field for r in kept)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReliefFound:
    iso_by: float = figure("Brightness alone gives", "points", decimals=2, equation="limit − the most that the rest allow")
    ash_by: float = figure("ash alone", "points", decimals=2, equation="the least that the rest allow − limit; 0: none asked")
    last_by: float = figure("the share of the last pulp alone", "points", decimals=2, equation="the least it must give")
    iso_slack: float = figure("All together: brightness", "sd", decimals=3, equation="Σ slacks least, in deviations")
    ash_slack: float = figure("ash", "sd", decimals=3, equation="Σ slacks least, in deviations")
    last_slack: float = figure("the share of the last pulp", "0.01", decimals=3, equation="Σ slacks least, in hundredths")
    iso_kept_pct: float = figure("Brightness then kept", "% ISO", decimals=2, equation="forecast − z sd at that recipe")
    first_pct: float = figure("First pulp then", "%", decimals=1, equation="share")
    alone: tuple[Give, ...]
    joint: Joint | None
    conflict: tuple[str, ...]
    cautions: tuple[Caution, ...] = ()


def _bright(iso: float, ash: float = 6.0) -> dict[str, object]:
    told_ = ((650, 0.2, 30, 0.3, 0), (500, 0.3, 40, 0.5, 0), (300, 0.9, 45, 15.0, 20))
    pulps = tuple({"price": c, "k457": k, "s457": s, "ash_pct": a, "low_pct": low} for c, k, s, a, low in told_)
    return {"iso_least": iso, "ash_most": ash, "iso_sd": 0.5, "ash_sd": 0.3, "pulps": pulps}


@model(
    "blend.relief",
    title="What must give",
    source="linear programmes, one slack at a time and all together; deletion filter",
    holds_for="a furnish that cannot keep every limit",
    equation="least slack of each limit alone; least Σ slacks of all",
    basis="default",
    checks=(
        Check(_bright(90), "iso_by", 4.1482, 1e-3),
        Check(_bright(87), "iso_by", 1.1482, 1e-3),
        Check(_bright(87), "last_by", 10.707, 1e-3),
        Check(_bright(87, 3.0), "iso_slack", 2.1601, 1e-3),
        Check(_bright(87, 3.0), "ash_slack", 2.4449, 1e-3),
        Check(_bright(87, 3.0), "iso_kept_pct", 85.8161, 1e-5),
        Check(_bright(87, 3.0), "first_pct", 80.0, 1e-6),
    ),
)
def relief(case: BlendCase) -> ReliefFound | Infeasible:
    """What would have to give, each limit alone and all together. Infeasible where every limit is kept already. Raises:
    ImpossibleInput."""
    cautions = check(case)
    t, z, n = Table(case.pulps), z_of(case.chance_pct), len(case.pulps)
    listed = _rows(case, t, z)
    if _feasible(listed, n) is not None:
        return Infeasible(field="pulps", reason="keep every limit already: nothing has to give")
    alone = tuple(_alone(case, t, r, [x for x in listed if x is not r], z) for r in listed if not _fixed(r))
    joint = _joint(case, t, listed, z)
    by = {(g.field, g.pulp): g.by for g in alone}
    slacks = joint.slacks if joint else {}
    last = f"pulps.{n}.low_pct"
    return ReliefFound(
        iso_by=by.get(("iso_least", 0), 0.0),
        ash_by=by.get(("ash_most", 0), 0.0),
        last_by=by.get(("low_pct", n), 0.0),
        iso_slack=slacks.get("iso_least", 0.0),
        ash_slack=slacks.get("ash_most", 0.0),
        last_slack=slacks.get(last, 0.0),
        iso_kept_pct=joint.iso_kept_pct if joint else math.nan,
        first_pct=joint.shares[0] if joint else math.nan,
        alone=tuple(sorted((g for g in alone if g.enough), key=_of_its_sd(case))) + tuple(g for g in alone if not g.enough),
        joint=joint,
        conflict=_conflict(listed, n),
        cautions=cautions,
    )


def _of_its_sd(case: BlendCase) -> Callable[[Give], float]:
    """Gives are ordered by their size in deviations, bounds in hundredths of a share."""

    def size(g: Give) -> float:
        if g.pulp:
            return g.by
        x = BY_FIELD[g.field]
        sd = (getattr(case, x.sd) or USUAL_SD[x.sd]) if x.sd else 1.0
        return g.by / (sd * (getattr(case, g.field) if x.in_log else 1.0))

    return size
