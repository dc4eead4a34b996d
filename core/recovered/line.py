"""The recovered line, step by step from bales to bright stock: what each step takes of every class, what becomes of the ink,
and the light on what is left.

Every step takes shares of the classes: typed ones (sorting, screening, cleaning), or those of its own model (flotation,
thickening). Ink rides as six masses; the fibre's absorption and ERIC's factor ride beside it. Source: models of core.recovered;
all shares are defaults to be calibrated.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, leaf, quantity, rows
from core.recovered import flotation, peroxide, thicken
from core.recovered.ink import AREA_A_60, LOOSE, Ink, broken, dispersed, pulped
from core.recovered.light import absorption, brightness, fibre_k, scattering
from core.register import Check, model

KINDS: Final = ("takes", "pulper", "flotation", "thickener", "washer", "disperger", "peroxide", "dithionite")
SOLIDS: Final = ("LF", "SF", "FN", "FL", "SND", "PLS", "SHV")
FINES_OF: Final = ("LF", "SF")
PRICES: Final = {"H2O2": 0.75, "NaOH": 0.42, "silicate": 0.15, "soap": 0.90, "dithionite": 1.40, "kWh": 0.08, "sludge_t": 35.0}


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step. What it takes of a class is in % of what comes to it; flotation and mats take fibre, filler and ink by their
    models, and of the other classes what is typed."""

    name: str = choice("Step", KINDS)
    called: str = choice(
        "Called",
        (
            "sorting",
            "pulping",
            "heavy cleaning",
            "coarse screening",
            "flotation I",
            "flotation II",
            "forward cleaning",
            "fine screening",
            "light cleaning",
            "thickening",
            "washing",
            "dispersing",
            "peroxide",
            "dithionite",
            "step",
        ),
        default="step",
    )
    lf: float = quantity("Takes long fibre", "%", possible=(0, 99), valid=(0, 5), decimals=2, default=0.0)
    sf: float = quantity("short fibre", "%", possible=(0, 99), valid=(0, 5), decimals=2, default=0.0)
    fn: float = quantity("fines", "%", possible=(0, 99), valid=(0, 20), decimals=2, default=0.0)
    fl: float = quantity("filler", "%", possible=(0, 99), valid=(0, 40), decimals=2, default=0.0)
    stk: float = quantity("stickies", "%", possible=(0, 99.9), decimals=1, default=0.0)
    dirt: float = quantity("dirt", "%", possible=(0, 99.9), decimals=1, default=0.0)
    snd: float = quantity("sand", "%", possible=(0, 99.9), decimals=1, default=0.0)
    pls: float = quantity("light matter", "%", possible=(0, 99.9), decimals=1, default=0.0)
    ink_5: float = quantity("ink under 5 µm", "%", possible=(0, 99), decimals=2, default=0.0)
    ink_25: float = quantity("ink 5 to 25 µm", "%", possible=(0, 99), decimals=2, default=0.0)
    ink_150: float = quantity("ink 25 to 150 µm", "%", possible=(0, 99), decimals=2, default=0.0)
    ink_more: float = quantity("ink over 150 µm", "%", possible=(0, 99), decimals=2, default=0.0)
    ink_fibre: float = quantity("ink on the fibre", "%", possible=(0, 99), decimals=2, default=0.0)
    cells: int = quantity("Cells", "", possible=(1, 20), whole=True, decimals=0, default=5)
    minutes: float = quantity("Time (of a cell)", "min", possible=(0, 300), decimals=1, default=2.0)
    air: float = quantity("Air, factor", "", possible=(0, 5), valid=(0.4, 1.6), decimals=2, default=1.0)
    water_pct: float = quantity("Water to the foam", "%", possible=(0, 40), valid=(2, 6), decimals=1, default=4.0)
    second: float = quantity("Foam given back by a second stage", "share", possible=(0, 0.95), decimals=2, default=0.0)
    feed_pct: float = quantity("Feed", "%", possible=(0.1, 30), decimals=2, default=0.9)
    to_pct: float = quantity("Leaves at", "%", possible=(0.2, 60), decimals=1, default=8.0)
    kwh_t: float = quantity("Energy", "kWh/t", possible=(0, 300), decimals=0, default=0.0)
    dose: float = quantity("Peroxide, dithionite or soap", "kg/t", possible=(0, 60), decimals=2, default=0.0)
    ta: float = quantity("Total alkali", "%", possible=(0, 2.5), decimals=3, default=0.0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 110), decimals=0, default=50.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LineCase:
    """What comes, in shares of its solids, its ink and its specks, and the steps that it passes."""

    lf: float = quantity("Long fibre", "share", possible=(0, 1), decimals=3)
    sf: float = quantity("Short fibre", "share", possible=(0, 1), decimals=3)
    fn: float = quantity("Fines", "share", possible=(0, 1), decimals=3)
    fl: float = quantity("Filler", "share", possible=(0, 1), decimals=3)
    snd: float = quantity("Sand and metal", "share", possible=(0, 1), decimals=4, default=0.0)
    pls: float = quantity("Light matter", "share", possible=(0, 1), decimals=4, default=0.0)
    shv: float = quantity("Flakes", "share", possible=(0, 1), decimals=4, default=0.0)
    eric_ppm: float = quantity("Ink", "ppm", possible=(0, 5000), valid=(50, 1500), decimals=0)
    a0: float = quantity("of it attached", "share", possible=(0, 1), valid=(0.4, 0.8), decimals=2, default=0.5)
    mechanical: float = quantity("Mechanical share of the fibre", "share", possible=(0, 1), decimals=2, default=0.5)
    stickies: float = quantity("Stickies", "mm²/kg", possible=(0, 1e6), valid=(0, 20000), decimals=0, default=0.0)
    dirt: float = quantity("Dirt", "mm²/kg", possible=(0, 1e6), valid=(0, 10000), decimals=0, default=0.0)
    e_a: float = quantity("Energy to free ink e-fold", "kWh/t", possible=(1, 60), valid=(8, 20), decimals=1, default=12.0)
    k_r: float = quantity("Rate of redeposition", "1/min", possible=(0, 0.1), valid=(0.001, 0.01), decimals=4, default=0.004)
    ph: float = quantity("pH in the pulper", "", possible=(4, 13), valid=(7, 10.5), decimals=1, default=9.5)
    pulper_pct: float = quantity("Consistency in the pulper", "%", possible=(1, 25), valid=(3, 20), decimals=1, default=15.0)
    at_kwh_t: float = quantity("Energy the fines are given for", "kWh/t", possible=(0, 100), decimals=0, default=22.0)
    steps: tuple[Step, ...] = rows("Step", Step, most=16)

    @property
    def filler_pct(self) -> float:
        """Filler in what comes, % of its solids; 0 of nothing."""
        whole = sum(getattr(self, c.lower()) for c in SOLIDS)
        return 100.0 * self.fl / whole if whole > 0.0 else 0.0

    def with_filler(self, pct: float) -> "LineCase":
        """The same fibre, sand and light matter with another part of filler in the whole, %."""
        share = pct / 100.0
        rest = {c.lower(): getattr(self, c.lower()) for c in SOLIDS if c != "FL"}
        whole = sum(rest.values())
        return replace(self, fl=share, **{k: v / whole * (1.0 - share) for k, v in rest.items()}) if whole > 0.0 else self


@dataclass(frozen=True, slots=True, kw_only=True)
class At:
    """The stock after a step: masses a t of what came (by SOLIDS), ink, areas mm2 a kg of what came, and the light on it."""

    called: str
    solids: Mapping[str, float]
    ink: Ink
    stickies: float
    dirt: float
    kf: float
    f_e: float
    s: float
    k: float
    iso_pct: float
    left: Mapping[str, float]  # of each class, by this step
    taken: float  # solids it took, of a t of what came

    @property
    def total(self) -> float:
        return sum(self.solids.values())

    @property
    def yield_pct(self) -> float:
        return 100.0 * self.total

    @property
    def ash_pct(self) -> float:
        return 100.0 * self.solids["FL"] / self.total

    @property
    def eric_ppm(self) -> float:
        return 1e6 * self.f_e * self.ink.total / self.total

    @property
    def on_fibre_pct(self) -> float:
        return 100.0 * self.ink.on_fibre / self.ink.total if self.ink.total > 0.0 else 0.0

    @property
    def stickies_mm2_kg(self) -> float:
        return self.stickies / self.total

    @property
    def dirt_mm2_kg(self) -> float:
        return self.dirt / self.total


@dataclass(frozen=True, slots=True, kw_only=True)
class LineFound:
    """The end of the line; `after` holds the stock as it came and after each step."""

    iso_pct: float = figure("Brightness", "% ISO", decimals=1, equation="k/s of what is left")
    yield_pct: float = figure("Yield", "%", decimals=1, equation="solids left/what came")
    ash_pct: float = figure("Ash", "%", decimals=1, equation="filler/solids")
    eric_ppm: float = figure("Ink, ERIC", "ppm", decimals=0, equation="ink/solids × the factor of dispersing")
    on_fibre_pct: float = figure("of it on the fibre", "%", decimals=0, equation="attached and redeposited/ink")
    stickies_mm2_kg: float = figure("Stickies", "mm²/kg", decimals=0, equation="area left/solids left")
    dirt_mm2_kg: float = figure("Dirt", "mm²/kg", decimals=0, equation="area left/solids left")
    gain: float = figure("Gain of the first flotation", "points", decimals=1, equation="brightness out − in")
    cost: float = figure("Chemicals, power, sludge", "a t made", decimals=2, equation="doses × prices, defaults")
    sludge_kg: float = figure("Sludge and trash", "kg/t made", decimals=0, equation="solids taken/solids left")
    after: tuple[At, ...]
    cautions: tuple[Caution, ...] = ()

    def sludge_t_h(self, fed_t_h: float) -> float:
        """Solids taken by all steps, t/h oven-dry, of so much that is fed."""
        return fed_t_h * (1.0 - self.after[-1].total)

    def a_point_of(self, other: "LineFound") -> float | None:
        """What a point of brightness costs between two lines, a tonne made; None where they are as bright."""
        points = self.iso_pct - other.iso_pct
        return (self.cost - other.cost) / points if abs(points) > 0.05 else None

    def dearer_by(self, other: "LineFound") -> float:
        """What a tonne made costs more than another line's."""
        return self.cost - other.cost


def _light(solids: Mapping[str, float], ink: Ink, f_e: float, kf: float) -> tuple[float, float, float]:
    total = sum(solids.values())
    shares = {c: v / total for c, v in solids.items()}
    s = scattering(shares)
    k = absorption(shares, kf=kf, eric_ppm=1e6 * f_e * ink.total / total)
    return s, k, brightness(k, s)


def _start(case: LineCase) -> At:
    given = {c: getattr(case, c.lower()) for c in SOLIDS}
    whole = sum(given.values())
    solids = {c: v / whole for c, v in given.items()}
    ink, kf = case.eric_ppm * 1e-6, fibre_k(case.mechanical)
    a, b, c, d = ((1.0 - case.a0) * ink * share for share in LOOSE)
    masses = Ink(free=(a, b, c, d), attached=case.a0 * ink)
    s, k, iso = _light(solids, masses, 1.0, kf)
    return At(
        called="bales",
        solids=solids,
        ink=masses,
        stickies=case.stickies,
        dirt=case.dirt,
        kf=kf,
        f_e=1.0,
        s=s,
        k=k,
        iso_pct=iso,
        left=dict.fromkeys((*SOLIDS, "STK"), 1.0),
        taken=0.0,
    )


def _given_back(share: float, second: float) -> float:
    """What is left of a class when a second stage gives a share of the foam back."""
    return 1.0 - flotation.lost_by_both(1.0 - share, second)


def _lefts(step: Step, now: At) -> tuple[dict[str, float], tuple[float, float, float, float], float, float]:
    """Shares left by a step: of the solids, of the free ink by class, of the ink on the fibre, of the stickies."""
    typed = {c: 1.0 - getattr(step, c.lower()) / 100.0 for c in ("LF", "SF", "FN", "FL", "SND", "PLS")}
    solids = typed | {"SHV": 1.0 - step.lf / 100.0}
    a, b, c, d = (1.0 - getattr(step, name) / 100.0 for name in ("ink_5", "ink_25", "ink_150", "ink_more"))
    free, fibre, stk = (a, b, c, d), 1.0 - step.ink_fibre / 100.0, 1.0 - step.stk / 100.0
    if step.name == "flotation":
        air = step.air * flotation.collected(step.dose)
        how = {"cells": int(step.cells), "minutes": step.minutes, "air": air, "water_pct": step.water_pct}
        stays = {
            c: _given_back(flotation.left(flotation.K[c], flotation.E[c], **how), step.second)  # type: ignore[arg-type]
            for c in ("LF", "SF", "FN", "FL", "STK")
        }
        solids |= {c: solids[c] * stays[c] for c in ("LF", "SF", "FN", "FL")}
        rates = zip(flotation.INK_K, flotation.INK_E, strict=True)
        a, b, c, d = (flotation.left(k, e, **how) for k, e in rates)  # type: ignore[arg-type]
        free, stk = (a, b, c, d), stk * stays["STK"]
        fibre = _of_fibre(now, solids)
    elif step.name in ("thickener", "washer"):
        w = thicken.water_out(step.feed_pct, step.to_pct)
        solids |= {c: solids[c] * thicken.kept(c, w, step.name) for c in ("LF", "SF", "FN", "FL")}
        a, b, c, d = (1.0 - w * (1.0 - g) for g in thicken.KEEPS_INK[step.name])
        free, fibre = (a, b, c, d), _of_fibre(now, solids)
    return solids, free, fibre, stk


def _of_fibre(now: At, left: Mapping[str, float]) -> float:
    """What is left of long and short fibre together, by their own masses: ink on the fibre goes with it."""
    long, short = now.solids["LF"], now.solids["SF"]
    return (long * left["LF"] + short * left["SF"]) / (long + short) if long + short > 0.0 else 1.0


def _after(case: LineCase, step: Step, now: At) -> At:
    """The stock after a step."""
    left, free, fibre, stk = _lefts(step, now)
    solids = {c: v * left[c] for c, v in now.solids.items()}
    ink, kf, f_e = now.ink.left(free, fibre), now.kf, now.f_e
    taken = now.total - sum(solids.values())
    if step.name == "pulper":
        ink = pulped(ink, kwh_t=step.kwh_t, minutes=step.minutes, pct=case.pulper_pct, ph=case.ph, e_a=case.e_a, k_r=case.k_r)
        more = broken(step.kwh_t) - broken(case.at_kwh_t)
        for name in FINES_OF:
            moved = min(solids[name], more * solids[name])
            solids[name], solids["FN"] = solids[name] - moved, max(0.0, solids["FN"] + moved)
    elif step.name == "disperger":
        ink, f_e = dispersed(ink, step.kwh_t), f_e * (1.0 + AREA_A_60 * step.kwh_t / 60.0)
    elif step.name == "peroxide":
        kf *= peroxide.factor(step.dose, step.ta, mechanical=case.mechanical, minutes=step.minutes, temp_c=step.temp_c)
    elif step.name == "dithionite":
        kf *= peroxide.reductive(step.dose)
    s, k, iso = _light(solids, ink, f_e, kf)
    return At(
        called=step.called,
        solids=solids,
        ink=ink,
        stickies=now.stickies * stk,
        dirt=now.dirt * (1.0 - step.dirt / 100.0),
        kf=kf,
        f_e=f_e,
        s=s,
        k=k,
        iso_pct=iso,
        left=left | {"STK": stk},
        taken=taken,
    )


@lru_cache(maxsize=128)
def run(case: LineCase) -> tuple[At, ...]:
    """The stock as it comes and after every step."""
    told = [_start(case)]
    for step in case.steps:
        told.append(_after(case, step, told[-1]))
    return tuple(told)


def cost_of(case: LineCase, after: tuple[At, ...], prices: Mapping[str, float] = PRICES) -> float:
    """Chemicals, power and sludge of a tonne that leaves."""
    cost, end = 0.0, after[-1].total
    for step, before in zip(case.steps, after, strict=False):
        t = before.total / end
        if step.name == "peroxide":
            cost += t * (step.dose * prices["H2O2"] + 10.0 * step.ta * prices["NaOH"])
        elif step.name == "dithionite":
            cost += t * step.dose * prices["dithionite"]
        elif step.name == "flotation":
            cost += t * step.dose * prices["soap"]
        cost += t * step.kwh_t * prices["kWh"]
    return cost + (1.0 - end) / end * prices["sludge_t"]


def grey_step(steps: tuple[Step, ...]) -> int:
    """The step after which grey stock is taken: the last before a disperger or a bleaching step, or the last of all."""
    ends = [i for i, s in enumerate(steps) if s.name in ("disperger", "peroxide", "dithionite")]
    return ends[0] if ends and ends[0] > 0 else len(steps)


def first_gain(case: LineCase, after: tuple[At, ...]) -> float:
    """Points of brightness of the first flotation; 0 where there is none."""
    for step, a, b in zip(case.steps, after, after[1:], strict=False):
        if step.name == "flotation":
            return b.iso_pct - a.iso_pct
    return 0.0


def _takes(called: str, how: str = "takes", /, **taken: float) -> dict[str, object]:
    return {"name": how, "called": called, **taken}


def _all_ink(pct: float) -> dict[str, float]:
    return dict.fromkeys(("ink_5", "ink_25", "ink_150", "ink_more", "ink_fibre"), pct)


FOURTEEN: Final = (
    _takes("sorting", lf=0.3, sf=0.3, fn=0.3, fl=0.3, stk=2, dirt=2, snd=10, pls=35, **_all_ink(0.3)),
    _takes(
        "pulping",
        "pulper",
        lf=0.4,
        sf=0.4,
        fn=0.2,
        fl=0.2,
        stk=5,
        dirt=2,
        snd=20,
        pls=50,
        **_all_ink(0.2),
        kwh_t=22,
        minutes=18,
    ),
    _takes("heavy cleaning", lf=0.1, sf=0.1, fn=0.1, fl=0.2, stk=1, dirt=2, snd=70, pls=5, **_all_ink(0.1)),
    _takes("coarse screening", lf=0.6, sf=0.4, fn=0.2, fl=0.1, stk=10, dirt=10, snd=15, pls=75, **_all_ink(0.1)),
    _takes("flotation I", "flotation", dirt=50, snd=2, pls=10, cells=5, minutes=2, water_pct=4, dose=3.0),
    _takes(
        "forward cleaning",
        lf=0.3,
        sf=0.3,
        fn=0.3,
        fl=1,
        stk=3,
        dirt=15,
        snd=85,
        pls=2,
        ink_5=0.5,
        ink_25=1,
        ink_150=3,
        ink_more=20,
        ink_fibre=0.3,
    ),
    _takes("fine screening", lf=1.2, sf=0.6, fn=0.2, fl=0.2, stk=70, dirt=40, snd=30, pls=85, **_all_ink(0.2)),
    _takes(
        "light cleaning",
        lf=0.3,
        sf=0.3,
        fn=0.5,
        fl=0.5,
        stk=30,
        dirt=5,
        snd=0,
        pls=60,
        ink_5=1,
        ink_25=2,
        ink_150=3,
        ink_more=5,
        ink_fibre=0.3,
    ),
    _takes("thickening", "thickener", stk=5, dirt=2, snd=10, pls=2, feed_pct=0.9, to_pct=8),
    _takes("dispersing", "disperger", stk=65, dirt=75, kwh_t=60),
    _takes("peroxide", "peroxide", lf=0.5, sf=0.5, fn=0.5, dose=18.05, ta=1.222, minutes=90, temp_c=65),
    _takes("flotation II", "flotation", dirt=40, cells=3, minutes=2, water_pct=3, dose=3),
    _takes("thickening", "thickener", stk=3, dirt=1, feed_pct=0.9, to_pct=10),
    _takes("dithionite", "dithionite", dose=6.87),
)
_ENTRY = {
    "lf": 0.25,
    "sf": 0.375,
    "fn": 0.17,
    "fl": 0.19,
    "snd": 0.007,
    "pls": 0.008,
    "eric_ppm": 900,
    "mechanical": 0.65,
    "stickies": 6000,
    "dirt": 2500,
}
_LINE = {**_ENTRY, "steps": FOURTEEN}


@model(
    "recovered.line",
    title="The recovered line",
    source="models of each step in turn; shares taken are defaults",
    holds_for="grey and white deinked pulp, ERIC up to 1500 ppm; 1 to 16 steps",
    equation="what is left of each class, step by step; k and s of what is left",
    basis="default",
    checks=(
        Check(_LINE, "yield_pct", 77.25, 2e-4),
        Check(_LINE, "ash_pct", 10.67, 1e-3),
        Check(_LINE, "eric_ppm", 153.5, 1e-3),
        Check(_LINE, "on_fibre_pct", 16.1, 5e-3),
        Check(_LINE, "stickies_mm2_kg", 195, 5e-3),
        Check(_LINE, "dirt_mm2_kg", 97, 1e-2),
        Check(_LINE, "iso_pct", 71.52, 2e-4),
        Check({**_LINE, "a0": 0.0}, "eric_ppm", 112.1, 1e-3),
        Check({**_LINE, "a0": 0.0}, "iso_pct", 72.89, 2e-4),
        Check({**_LINE, "a0": 0.6}, "eric_ppm", 161.7, 1e-3),
        Check({**_LINE, "a0": 0.6}, "iso_pct", 71.27, 2e-4),
    ),
)
def line(case: LineCase) -> LineFound:
    """The line of a case. Raises: ImpossibleInput for a mat that would leave thinner than it comes, or where nothing comes."""
    cautions = check(case)
    problems = [
        Problem(leaf("steps", i, "to_pct"), f"is {s.to_pct:g} %; it must be over the feed, {s.feed_pct:g} %")
        for i, s in enumerate(case.steps, start=1)
        if s.name in ("thickener", "washer") and s.to_pct <= s.feed_pct
    ]
    if sum(getattr(case, c.lower()) for c in SOLIDS) <= 0.0:
        problems.append(Problem("lf", "is 0, as all else: nothing comes"))
    if problems:
        raise ImpossibleInput(*problems)
    after = run(case)
    end = after[-1]
    return LineFound(
        iso_pct=end.iso_pct,
        yield_pct=end.yield_pct,
        ash_pct=end.ash_pct,
        eric_ppm=end.eric_ppm,
        on_fibre_pct=end.on_fibre_pct,
        stickies_mm2_kg=end.stickies_mm2_kg,
        dirt_mm2_kg=end.dirt_mm2_kg,
        gain=first_gain(case, after),
        cost=cost_of(case, after),
        sludge_kg=1000.0 * (1.0 - end.total) / end.total,
        after=after,
        cautions=cautions + _cautions(case, after),
    )


def _cautions(case: LineCase, after: tuple[At, ...]) -> tuple[Caution, ...]:
    """What is to be said of steps: ink that no cell takes, alkali off its best, a disperger that comes last."""
    told = []
    for i, (step, b) in enumerate(zip(case.steps, after[1:], strict=False), start=1):
        if step.name == "flotation" and b.on_fibre_pct > 100.0 * flotation.ON_FIBRE_WARNS:
            said = f"leaves {b.on_fibre_pct:.0f} % of the ink on the fibre: more cells will not take it"
            told.append(Caution(leaf("steps", i, "cells"), said))
        if step.name == "peroxide" and step.dose > 0.0:
            best = peroxide.best_alkali(step.dose, mechanical=case.mechanical, minutes=step.minutes, temp_c=step.temp_c)
            if abs(step.ta - best) > peroxide.OFF_TA:
                told.append(Caution(leaf("steps", i, "ta"), f"is {step.ta:.2f} %; {best:.2f} is best for this dose"))
        if step.name == "disperger" and not any(s.name in ("flotation", "peroxide") for s in case.steps[i:]):
            told.append(Caution(leaf("steps", i, "kwh_t"), "darkens with nothing after it that brightens"))
    return tuple(told)
