"""Shade and dye: seven bands to CIELAB, what dyes make of a pulp, the least dye for a shade, coloured broke in another shade.

Kubelka and Munk per band, CIE 1976; weights folded to 40 nm from published observers; dyes are generic hues, defaults until
three handsheet steps of each replace them. Source: accounts and gaps, section 8.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.roots import brentq
from core.stream import Vector

BANDS: Final = (420, 460, 500, 540, 580, 620, 660)
SCHOOLS: Final = ("C/2", "D65/10")
WEIGHTS: Final = {
    "C/2": np.array(
        [
            [6.625, 11.819, 1.793, 12.033, 31.682, 26.800, 7.322],
            [0.341, 3.265, 14.871, 34.575, 31.118, 13.055, 2.775],
            [32.771, 68.267, 15.964, 1.145, 0.076, 0.010, 0.000],
        ]
    ),
    "D65/10": np.array(
        [
            [6.982, 10.334, 1.925, 13.819, 31.309, 24.593, 5.849],
            [0.931, 5.676, 18.030, 32.663, 27.943, 12.374, 2.382],
            [34.198, 60.109, 12.213, 0.784, 0.000, 0.000, 0.000],
        ]
    ),
}
WHITE: Final = {"C/2": np.array([98.074, 100.000, 118.233]), "D65/10": np.array([94.811, 99.999, 107.304])}
DYES: Final = {
    "yellow": np.array([30, 22, 6, 1, 0.4, 0.2, 0.2]),
    "red": np.array([8, 16, 30, 32, 8, 1, 0.4]),
    "blue": np.array([4, 3, 6, 14, 28, 32, 20.0]),
    "violet": np.array([3, 4, 10, 22, 30, 12, 3.0]),
}  # m2/kg for a kg/t that is fixed, default
ABSORBS: Final = np.array(list(DYES.values()))  # (dyes, bands)
MOST_KG: Final = 30.0
NEAR: Final = 0.01  # dE that counts as met


def lab_of(reflectance: Vector, school: str) -> Vector:
    """L*, a*, b* of seven reflectances (0 to 1)."""
    ratio = (WEIGHTS[school] @ reflectance) / WHITE[school]
    cube = np.where(ratio > (6 / 29) ** 3, np.cbrt(ratio), ratio / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.array([116 * cube[1] - 16, 500 * (cube[0] - cube[1]), 200 * (cube[1] - cube[2])])


def spectrum(k457: float, beta: float) -> Vector:
    """Absorption of an undyed pulp in the bands, m2/kg, from that at 457 nm."""
    return np.asarray(k457 * np.exp(-beta * (np.array(BANDS) - 457.0)))


def reflects(k: Vector, s: float) -> Vector:
    """Reflectance of the bands by absorption and scattering."""
    q = k / s
    return np.asarray(1.0 + q - np.sqrt(q * q + 2.0 * q))


def dyed(base: Vector, s: float, doses: Vector, school: str) -> Vector:
    """L*, a*, b* of a pulp with dyes fixed on it (kg/t of each)."""
    return lab_of(reflects(base + doses @ ABSORBS, s), school)


TO_RGB: Final = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
SCREEN_WHITE: Final = np.array([0.9505, 1.0, 1.089])


def on_screen(lab: Vector) -> str:
    """A hex colour that shows a shade on a screen, about."""
    f = np.array([(lab[0] + 16) / 116 + lab[1] / 500, (lab[0] + 16) / 116, (lab[0] + 16) / 116 - lab[2] / 200])
    xyz = SCREEN_WHITE * np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29))
    linear = np.clip(TO_RGB @ xyz, 0.0, 1.0)
    coded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return "#" + "".join(f"{round(255 * float(v)):02X}" for v in coded)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShadeCase:
    """Reflectance in seven bands, measured without ultraviolet."""

    r420: float = quantity("Reflectance at 420 nm", "", possible=(0, 1), above=True, decimals=2)
    r460: float = quantity("at 460 nm", "", possible=(0, 1), above=True, decimals=2)
    r500: float = quantity("at 500 nm", "", possible=(0, 1), above=True, decimals=2)
    r540: float = quantity("at 540 nm", "", possible=(0, 1), above=True, decimals=2)
    r580: float = quantity("at 580 nm", "", possible=(0, 1), above=True, decimals=2)
    r620: float = quantity("at 620 nm", "", possible=(0, 1), above=True, decimals=2)
    r660: float = quantity("at 660 nm", "", possible=(0, 1), above=True, decimals=2)
    school: str = choice("Light and observer", SCHOOLS, default="C/2")


@dataclass(frozen=True, slots=True, kw_only=True)
class ShadeFound:
    l_star: float = figure("L*", "", decimals=2, equation="116 f(Y/Yn) − 16")
    a_star: float = figure("a*", "", decimals=2, equation="500 (f(X/Xn) − f(Y/Yn))")
    b_star: float = figure("b*", "", decimals=2, equation="200 (f(Y/Yn) − f(Z/Zn))")
    x: float = figure("X", "", decimals=2, equation="Σ R W")
    y: float = figure("Y", "", decimals=2, equation="Σ R W")
    z: float = figure("Z", "", decimals=2, equation="Σ R W")
    r457: float = figure("Reflectance at 457 nm", "", decimals=3, equation="0.075 R420 + 0.925 R460")
    whiteness: float = figure("CIE whiteness", "", decimals=1, equation="Y + 800 (0.3138 − x) + 1700 (0.3310 − y), D65/10")
    tint: float = figure("CIE tint", "", decimals=2, equation="900 (0.3138 − x) − 650 (0.3310 − y), D65/10")
    cautions: tuple[Caution, ...] = ()


_WHITE: Final = {f"r{nm}": 1.0 for nm in BANDS}
_SHEET: Final = dict(zip((f"r{nm}" for nm in BANDS), (0.58, 0.66, 0.72, 0.76, 0.79, 0.81, 0.82), strict=True))
_TEN: Final = {**_SHEET, "school": "D65/10"}


@model(
    "blend.shade",
    title="Shade of a sheet",
    source="CIE 1931 and 1964 observers folded to seven bands; CIE 1976",
    holds_for="without ultraviolet; within 0.2 dE for whites and tints, 0.8 for deep shades",
    equation="L* = 116 f(Y/Yn) − 16; a* = 500 (f(X) − f(Y)); b* = 200 (f(Y) − f(Z))",
    basis="published",
    checks=(
        Check(_WHITE, "l_star", 100.0, 1e-6),
        Check(_WHITE, "z", 118.233, 1e-5),
        Check(_SHEET, "x", 74.82, 1e-3),
        Check(_SHEET, "z", 76.496, 1e-3),
        Check(_SHEET, "l_star", 90.216, 1e-3),
        Check(_SHEET, "a_star", -0.95785, 2e-2),
        Check(_SHEET, "b_star", 10.15, 1e-3),
        Check(_TEN, "y", 76.143, 1e-3),
        Check(_TEN, "l_star", 89.926, 1e-3),
        Check(_TEN, "b_star", 10.091, 1e-3),
        Check(_TEN, "r457", 0.654, 1e-3),
        Check(_TEN, "whiteness", 28.148, 2e-3),
        Check(_TEN, "tint", -4.0557, 2e-3),
    ),
)
def shade(case: ShadeCase) -> ShadeFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    r = np.array([getattr(case, f"r{nm}") for nm in BANDS])
    x, y, z = (float(v) for v in WEIGHTS[case.school] @ r)
    lab = lab_of(r, case.school)
    ten = WEIGHTS["D65/10"] @ r
    small = ten[:2] / ten.sum()
    return ShadeFound(
        l_star=float(lab[0]),
        a_star=float(lab[1]),
        b_star=float(lab[2]),
        x=x,
        y=y,
        z=z,
        r457=0.075 * case.r420 + 0.925 * case.r460,
        whiteness=float(ten[1] + 800.0 * (0.3138 - small[0]) + 1700.0 * (0.3310 - small[1])),
        tint=float(900.0 * (0.3138 - small[0]) - 650.0 * (0.3310 - small[1])),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulp:
    """An undyed pulp by its light."""

    k457: float = quantity("Absorption at 457 nm", "m²/kg", possible=(0, 100), above=True, valid=(0.2, 10), decimals=2)
    s: float = quantity("Scattering", "m²/kg", possible=(1, 300), valid=(20, 80), decimals=0)
    beta: float = quantity(
        "Falls with wavelength", "1/nm", possible=(0, 0.05), valid=(0.005, 0.012), decimals=4, default=0.0105
    )
    school: str = choice("Light and observer", SCHOOLS, default="D65/10")

    @property
    def base(self) -> Vector:
        return spectrum(self.k457, self.beta)


@dataclass(frozen=True, slots=True, kw_only=True)
class DyedCase(Pulp):
    yellow: float = quantity("Yellow, fixed", "kg/t", possible=(0, 30), decimals=2, default=0.0)
    red: float = quantity("Red, fixed", "kg/t", possible=(0, 30), decimals=2, default=0.0)
    blue: float = quantity("Blue, fixed", "kg/t", possible=(0, 30), decimals=2, default=0.0)
    violet: float = quantity("Violet, fixed", "kg/t", possible=(0, 30), decimals=2, default=0.0)
    broke_s: float = quantity("Scattering of its broke", "m²/kg", possible=(1, 300), decimals=0, default=45.0)
    share_pct: float = quantity("Its broke in the undyed pulp", "%", possible=(0, 100), decimals=1, default=1.0)
    borne: float = quantity("dE that is borne", "", possible=(0, 50), above=True, decimals=1, default=1.0)

    @property
    def doses(self) -> Vector:
        return np.array([self.yellow, self.red, self.blue, self.violet])


@dataclass(frozen=True, slots=True, kw_only=True)
class DyedFound:
    l_star: float = figure("L*", "", decimals=2, equation="k = k pulp + Σ c a, s as it was; R by k/s")
    a_star: float = figure("a*", "", decimals=2, equation="the same")
    b_star: float = figure("b*", "", decimals=2, equation="the same")
    de: float = figure("From the undyed pulp", "dE", decimals=2, equation="√(ΔL*² + Δa*² + Δb*²)")
    broke_de: float = figure("Its broke turns the pulp by", "dE", decimals=2, equation="k and s by share")
    broke_pct: float = figure("Its broke borne", "%", decimals=2, equation="share at which dE is what is borne")
    cautions: tuple[Caution, ...] = ()


_DYED: Final = {"k457": 0.95, "s": 38, "blue": 0.8, "red": 0.3}


@model(
    "blend.dyed",
    title="What dyes make of a pulp",
    source="Kubelka and Munk per band; generic hues, default",
    holds_for="dye that is fixed; no brightener under 460 nm",
    equation="k = k₄₅₇ e^(−β (λ − 457)) + Σ c a",
    basis="default",
    checks=(
        Check({"k457": 0.95, "s": 38}, "l_star", 94.711, 1e-4),
        Check({"k457": 0.95, "s": 38}, "b_star", 5.653, 1e-3),
        Check(_DYED, "l_star", 67.659, 1e-3),
        Check(_DYED, "a_star", 1.7526, 1e-2),
        Check(_DYED, "b_star", -16.731, 1e-3),
        Check(_DYED, "de", 35.126, 1e-3),
        Check(_DYED, "broke_de", 2.2559, 3e-3),
        Check({**_DYED, "share_pct": 5}, "broke_de", 7.455, 3e-3),
        Check(_DYED, "broke_pct", 0.39262, 3e-3),
    ),
)
def dyes(case: DyedCase) -> DyedFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    base, none = case.base, np.zeros(len(DYES))
    plain, coloured = dyed(base, case.s, none, case.school), dyed(base, case.s, case.doses, case.school)
    deep = base + case.doses @ ABSORBS

    def turned(share: float) -> float:
        k, s = (1.0 - share) * base + share * deep, (1.0 - share) * case.s + share * case.broke_s
        return float(np.linalg.norm(lab_of(reflects(k, s), case.school) - plain))

    most = 1.0
    if turned(1.0) > case.borne:
        most = brentq(lambda f: turned(f) - case.borne, 0.0, 1.0, xtol=1e-9)
    return DyedFound(
        l_star=float(coloured[0]),
        a_star=float(coloured[1]),
        b_star=float(coloured[2]),
        de=float(np.linalg.norm(coloured - plain)),
        broke_de=turned(case.share_pct / 100.0),
        broke_pct=100.0 * most,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RecipeCase(Pulp):
    """A shade that is wanted on an undyed pulp, by the least dye."""

    l_star: float = quantity("L* wanted", "", possible=(0, 110), decimals=2)
    a_star: float = quantity("a* wanted", "", possible=(-100, 100), decimals=2)
    b_star: float = quantity("b* wanted", "", possible=(-100, 100), decimals=2)
    within: float = quantity("Within", "dE", possible=(0, 50), decimals=1, default=0.5)
    yellow_price: float = quantity("Price of yellow", "a kg", possible=(0, 1000), above=True, decimals=1, default=1.0)
    red_price: float = quantity("of red", "a kg", possible=(0, 1000), above=True, decimals=1, default=1.0)
    blue_price: float = quantity("of blue", "a kg", possible=(0, 1000), above=True, decimals=1, default=1.0)
    violet_price: float = quantity("of violet", "a kg", possible=(0, 1000), above=True, decimals=1, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RecipeFound:
    yellow: float = figure("Yellow, fixed", "kg/t", decimals=3, equation="least cost within dE")
    red: float = figure("Red, fixed", "kg/t", decimals=3, equation="the same")
    blue: float = figure("Blue, fixed", "kg/t", decimals=3, equation="the same")
    violet: float = figure("Violet, fixed", "kg/t", decimals=3, equation="the same")
    total: float = figure("Dye in all", "kg/t", decimals=3, equation="Σ c")
    cost: float = figure("Cost", "a t", decimals=2, equation="Σ price c")
    de: float = figure("Off the shade by", "dE", decimals=2, equation="√(ΔL*² + Δa*² + Δb*²)")
    cautions: tuple[Caution, ...] = ()


_TARGET: Final = {"k457": 0.95, "s": 38, "l_star": 67.659, "a_star": 1.7526, "b_star": -16.731}


@model(
    "blend.recipe",
    title="Least dye for a shade",
    source="bounded least squares to the nearest shade, then least cost within its tolerance",
    holds_for="generic hues until handsheets replace them; dose is what is fixed, 0.75 to 0.97 of what is added",
    equation="min Σ price c with dE(c) ≤ within, 0 ≤ c ≤ 30",
    basis="default",
    checks=(
        Check({**_TARGET, "within": 0}, "red", 0.3, 1e-2),
        Check({**_TARGET, "within": 0}, "blue", 0.8, 1e-2),
        Check({**_TARGET, "within": 0}, "total", 1.1, 1e-2),
        Check({**_TARGET, "within": 0.8}, "total", 1.0312, 2e-2),
    ),
)
def recipe(case: RecipeCase) -> RecipeFound | Infeasible:
    """Infeasible for a shade that no dose comes near enough to, with how near. Raises: ImpossibleInput."""
    from scipy.optimize import least_squares, minimize  # a second to import: only who asks for a recipe pays it

    cautions = check(case)
    base, target = case.base, np.array([case.l_star, case.a_star, case.b_star])
    price = np.array([case.yellow_price, case.red_price, case.blue_price, case.violet_price])

    def off(c: Vector) -> Vector:
        return np.asarray(dyed(base, case.s, c, case.school) - target)

    starts = (np.full(4, 0.01), np.full(4, 0.3), np.full(4, 2.0))
    doses, gap = np.zeros(4), np.inf
    for start in starts:
        tried = least_squares(off, start, bounds=(0.0, MOST_KG), xtol=1e-10, ftol=1e-10, gtol=1e-10)
        if (size := float(np.linalg.norm(tried.fun))) < gap:
            doses, gap = tried.x, size
        if gap < 0.1 * NEAR:
            break
    within = max(case.within, NEAR)
    if gap > within:
        lighter = target[0] > dyed(base, case.s, np.zeros(4), case.school)[0]
        why = "is lighter than the undyed pulp: dye only takes light away" if lighter else "is beyond these dyes on this pulp"
        return Infeasible(field="l_star", reason=f"{why}; the nearest is {gap:.2f} dE off")
    least = minimize(
        lambda c: float(price @ c),
        doses,
        method="SLSQP",
        bounds=[(0.0, MOST_KG)] * 4,
        constraints={"type": "ineq", "fun": lambda c: within - float(np.linalg.norm(off(c)))},
        options={"maxiter": 300, "ftol": 1e-10},
    )
    if float(np.linalg.norm(off(least.x))) <= within * (1.0 + 1e-6) and price @ least.x < price @ doses:
        doses = least.x
    doses = np.where(doses < 1e-6, 0.0, doses)
    if doses.sum() > 3.0:
        cautions += (Caution("l_star", "takes over 3 kg/t: less of it is fixed, and the white water colours"),)
    return RecipeFound(
        yellow=float(doses[0]),
        red=float(doses[1]),
        blue=float(doses[2]),
        violet=float(doses[3]),
        total=float(doses.sum()),
        cost=float(price @ doses),
        de=float(np.linalg.norm(off(doses))),
        cautions=cautions,
    )
