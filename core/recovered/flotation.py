"""Flotation of ink: cells in series, free ink on bubbles, and foam water that carries whatever it holds.

Source: first order per class, Larsson, Stenius and Odberg 1984-85; exact balance of a mixed cell with entrainment; rates and
entrainment ratios are defaults to be calibrated. Only free ink floats: attached and redeposited ink leave with their fibre.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.recovered.ink import Ink, fresh
from core.register import Check, model
from core.roots import brentq

INK_K: Final = (0.06, 0.20, 0.35, 0.12)  # 1/min at an air factor of 1, by class, default
INK_E: Final = (0.50, 0.30, 0.10, 0.05)  # in the foam's water over that in the cell
K: Final = {"LF": 0.0015, "SF": 0.0025, "FN": 0.012, "FL": 0.035, "STK": 0.05, "DS": 0.0}
E: Final = {"LF": 0.10, "SF": 0.10, "FN": 0.50, "FL": 0.50, "STK": 0.10, "DS": 1.0}
ON_FIBRE_WARNS = 0.3


def left(k: float, e: float, *, cells: int, minutes: float, air: float, water_pct: float) -> float:
    """Share that stays after cells in series. `water_pct`: of all the water to the foam."""
    w = 1.0 - (1.0 - water_pct / 100.0) ** (1.0 / cells)
    return float(((1.0 - w) / ((1.0 - w) + e * w + k * air * minutes)) ** cells)


SOAP_LEAST, SOAP_E, SOAP_USUAL = 0.3, 1.2, 3.0  # what floats without soap; kg/t to an e-th of the rest; kg/t of the rates


def collected(soap_kg_t: float) -> float:
    """What soap makes of the rates of flotation, of those at 3.0 kg/t: 0.3 without any, hardly more above. Default."""
    full = -math.expm1(-SOAP_USUAL / SOAP_E)
    return SOAP_LEAST + (1.0 - SOAP_LEAST) * -math.expm1(-soap_kg_t / SOAP_E) / full


def floated(ink: Ink, fibre_left: float, *, cells: int, minutes: float, air: float, water_pct: float) -> Ink:
    """Ink after the cells; what is on the fibre stays as the fibre does."""
    how = {"minutes": minutes, "air": air, "water_pct": water_pct}
    a, b, c, d = (left(k, e, cells=cells, **how) for k, e in zip(INK_K, INK_E, strict=True))
    return ink.left((a, b, c, d), fibre_left)


@dataclass(frozen=True, slots=True, kw_only=True)
class FloatCase:
    cells: int = quantity("Cells in series", "", possible=(1, 20), whole=True, decimals=0, default=5)
    minutes: float = quantity("Time in a cell", "min", possible=(0, 30), valid=(0.5, 4), decimals=1, default=2.0)
    air: float = quantity("Air, factor", "", possible=(0, 5), valid=(0.4, 1.6), decimals=2, default=1.0)
    water_pct: float = quantity("Water to the foam", "%", possible=(0, 40), valid=(2, 6), decimals=1, default=4.0)
    free_5: float = quantity("Ink free, under 5 µm", "share", possible=(0, 1), decimals=3, default=0.20)
    free_25: float = quantity("5 to 25 µm", "share", possible=(0, 1), decimals=3, default=0.55)
    free_150: float = quantity("25 to 150 µm", "share", possible=(0, 1), decimals=3, default=0.20)
    free_more: float = quantity("over 150 µm", "share", possible=(0, 1), decimals=3, default=0.05)
    on_fibre: float = quantity("On the fibre", "share", possible=(0, 1), decimals=3, default=0.0)
    long_share: float = quantity("Long of long and short fibre", "share", possible=(0, 1), decimals=2, default=0.4)
    cons_pct: float = quantity("Consistency", "%", possible=(0.1, 4), valid=(0.7, 1.5), decimals=2, default=1.1)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 90), valid=(40, 55), decimals=0, default=45.0)
    ph: float = quantity("pH", "", possible=(4, 13), valid=(7.5, 9.5), decimals=1, default=8.5)

    @property
    def ink(self) -> Ink:
        return Ink(free=(self.free_5, self.free_25, self.free_150, self.free_more), attached=self.on_fibre)


@dataclass(frozen=True, slots=True, kw_only=True)
class FloatFound:
    ink_left: float = figure("Ink left", "share", decimals=4, equation="sum of the classes")
    left_5: float = figure("Left of under 5 µm", "share", decimals=4, equation="Π (1 − w)/((1 − w) + e w + k G τ)")
    left_25: float = figure("Left of 5 to 25 µm", "share", decimals=4, equation="the same")
    left_150: float = figure("Left of 25 to 150 µm", "share", decimals=4, equation="the same")
    left_more: float = figure("Left of over 150 µm", "share", decimals=4, equation="the same")
    lf_pct: float = figure("Lost, long fibre", "%", decimals=3, equation="1 − left")
    sf_pct: float = figure("Lost, short fibre", "%", decimals=3, equation="1 − left")
    fn_pct: float = figure("Lost, fines", "%", decimals=3, equation="1 − left")
    fl_pct: float = figure("Lost, filler", "%", decimals=3, equation="1 − left")
    stk_pct: float = figure("Stickies taken", "%", decimals=3, equation="1 − left")
    ds_pct: float = figure("Water and dissolved to the foam", "%", decimals=3, equation="the water split")
    cautions: tuple[Caution, ...] = ()


_LIMIT = {"water_pct": 0}
_HALF = {"free_5": 0.17123, "free_25": 0.50603, "free_150": 0.18401, "free_more": 0.04600, "on_fibre": 0.09272}


@model(
    "flotation.cells",
    title="Flotation",
    source="first order per class with entrainment in a mixed cell; defaults",
    holds_for="0.7 to 1.5 %, 40 to 55 °C, pH 7.5 to 9.5, 100 to 250 mg/L of hardness for soaps",
    equation="left = Π (1 − w)/((1 − w) + e w + k G τ), w = 1 − (1 − water)^(1/n)",
    symbols="G=air τ=minutes n=cells",
    basis="default",
    checks=(
        Check(_LIMIT, "ink_left", 0.24689, 1e-4),
        *(
            Check(_LIMIT, name, lost, 1e-3)
            for name, lost in (("lf_pct", 1.487), ("sf_pct", 2.463), ("fn_pct", 11.182), ("fl_pct", 28.701))
        ),
        *(
            Check({}, name, share, 1e-4)
            for name, share in (
                ("left_5", 0.55473),
                ("left_25", 0.18217),
                ("left_150", 0.06909),
                ("left_more", 0.33786),
                ("ink_left", 0.24185),
            )
        ),
        *(
            Check({}, name, lost, 1e-3)
            for name, lost in (
                ("lf_pct", 1.900),
                ("sf_pct", 2.880),
                ("fn_pct", 13.022),
                ("fl_pct", 30.238),
                ("stk_pct", 38.369),
                ("ds_pct", 4.000),
            )
        ),
        Check(_HALF, "ink_left", 0.30584, 2e-4),
    ),
)
def cells(case: FloatCase) -> FloatFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    n = int(case.cells)
    how = {"minutes": case.minutes, "air": case.air, "water_pct": case.water_pct}
    stays = {name: left(K[name], E[name], cells=n, **how) for name in K}
    fibre = case.long_share * stays["LF"] + (1.0 - case.long_share) * stays["SF"]
    now = floated(case.ink, fibre, cells=n, **how)
    each = [left(k, e, cells=n, **how) for k, e in zip(INK_K, INK_E, strict=True)]
    if now.total > 0.0 and now.on_fibre > ON_FIBRE_WARNS * now.total:
        told = f"leaves {100 * now.on_fibre / now.total:.0f} % of the ink on the fibre: more cells will not take it"
        cautions += (Caution("cells", told),)
    return FloatFound(
        ink_left=now.total / case.ink.total if case.ink.total > 0.0 else 0.0,
        left_5=each[0],
        left_25=each[1],
        left_150=each[2],
        left_more=each[3],
        lf_pct=100.0 * (1.0 - stays["LF"]),
        sf_pct=100.0 * (1.0 - stays["SF"]),
        fn_pct=100.0 * (1.0 - stays["FN"]),
        fl_pct=100.0 * (1.0 - stays["FL"]),
        stk_pct=100.0 * (1.0 - stays["STK"]),
        ds_pct=100.0 * (1.0 - stays["DS"]),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AirCase:
    ink_left: float = quantity("Ink to be left", "share", possible=(0, 1), above=True, valid=(0.1, 0.6), decimals=3)
    cells: int = quantity("Cells in series", "", possible=(1, 20), whole=True, decimals=0, default=5)
    minutes: float = quantity("Time in a cell", "min", possible=(0.1, 30), valid=(0.5, 4), decimals=1, default=2.0)
    water_pct: float = quantity("Water to the foam", "%", possible=(0, 40), valid=(0, 6), decimals=1, default=4.0)
    on_fibre: float = quantity("Ink on the fibre", "share", possible=(0, 0.99), decimals=3, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AirFound:
    air: float = figure("Air, factor", "", decimals=4, equation="root of the ink left")
    fl_pct: float = figure("Filler lost then", "%", decimals=3, equation="1 − left")
    cautions: tuple[Caution, ...] = ()


MOST_AIR = 5.0


@model(
    "flotation.air_for",
    title="Air for an ink",
    source="flotation.cells turned round",
    holds_for="air factors of 0 to 5",
    equation="ink left (G) = wanted",
    basis="default",
    checks=(
        Check({"ink_left": 0.25, "water_pct": 0}, "air", 0.9878, 5e-4),
        Check({"ink_left": 0.25, "water_pct": 0}, "fl_pct", 28.416, 5e-4),
    ),
)
def air_for(case: AirCase) -> AirFound | Infeasible:
    """Infeasible where no air, or all of it, does not come to the ink wanted. Raises: ImpossibleInput."""
    cautions, n = check(case), int(case.cells)
    ink = fresh(case.on_fibre)

    def after(air: float) -> float:
        how = {"minutes": case.minutes, "air": air, "water_pct": case.water_pct}
        fibre = 0.4 * left(K["LF"], E["LF"], cells=n, **how) + 0.6 * left(K["SF"], E["SF"], cells=n, **how)
        return floated(ink, fibre, cells=n, **how).total - case.ink_left

    if after(0.0) < 0.0:
        return Infeasible(
            field="ink_left", reason="is more than the foam’s water alone leaves", nearest=after(0.0) + case.ink_left
        )
    if after(MOST_AIR) > 0.0:
        least = after(MOST_AIR) + case.ink_left
        return Infeasible(field="ink_left", reason="is under what these cells come to", nearest=least, unit="share")
    air = brentq(after, 0.0, MOST_AIR, xtol=1e-9)
    stays = left(K["FL"], E["FL"], cells=n, minutes=case.minutes, air=air, water_pct=case.water_pct)
    return AirFound(air=air, fl_pct=100.0 * (1.0 - stays), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class SecondCase:
    """A second stage that takes the foam of the first and gives a part of it back to the first's feed."""

    solids: float = quantity("Foam of the first takes of the solids", "share", possible=(0, 0.9), valid=(0.03, 0.2), decimals=3)
    ink: float = quantity("and of the ink", "share", possible=(0, 0.999), valid=(0.3, 0.9), decimals=3)
    back_solids: float = quantity("The second gives back of the solids", "share", possible=(0, 0.99), decimals=2, default=0.6)
    back_ink: float = quantity("and of the ink", "share", possible=(0, 0.99), decimals=2, default=0.1)


@dataclass(frozen=True, slots=True, kw_only=True)
class SecondFound:
    lost_pct: float = figure("Solids lost by both", "%", decimals=3, equation="p (1 − r)/(1 − p r)")
    ink_pct: float = figure("Ink taken by both", "%", decimals=3, equation="the same of the ink")
    z: float = figure("Selectivity", "", decimals=2, equation="ink taken/solids lost")
    alone: float = figure("of the first alone", "", decimals=2, equation="ink/solids of its foam")
    cautions: tuple[Caution, ...] = ()


def lost_by_both(p: float, r: float) -> float:
    """What two stages take of a class: p the foam's share of the first, r what the second gives back of it."""
    return p * (1.0 - r) / (1.0 - p * r)


@model(
    "flotation.second",
    title="A second stage for the foam",
    source="mass balance of two stages with a return",
    holds_for="the return goes to the feed of the first",
    equation="p (1 − r)/(1 − p r); Z = ink taken/solids lost",
    basis="published",
    checks=(
        Check({"solids": 0.1, "ink": 0.6}, "lost_pct", 100 * 0.04 / 0.94, 1e-9),
        Check({"solids": 0.1, "ink": 0.6, "back_solids": 0.0, "back_ink": 0.0}, "z", 6.0, 1e-9),
        Check({"solids": 0.1, "ink": 0.6}, "ink_pct", 100 * 0.54 / 0.94, 1e-9),
    ),
)
def second(case: SecondCase) -> SecondFound:
    """What both take together, and how well they tell ink from fibre. Raises: ImpossibleInput."""
    cautions = check(case)
    lost, ink = lost_by_both(case.solids, case.back_solids), lost_by_both(case.ink, case.back_ink)
    return SecondFound(
        lost_pct=100.0 * lost,
        ink_pct=100.0 * ink,
        z=ink / lost if lost > 0.0 else 0.0,
        alone=case.ink / case.solids if case.solids > 0.0 else 0.0,
        cautions=cautions,
    )
