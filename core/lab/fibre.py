"""Laboratory methods for fibre and dirt: pith, sand and silica, shives by slot, fibre length, coarseness, mixtures.

Source: laboratory methods, exact arithmetic on weighings and counts.
"""

from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model


@dataclass(frozen=True, slots=True, kw_only=True)
class PithCase:
    sample_g: float = quantity("Sample", "g OD", possible=(0, 1000), above=True, valid=(20, 200), decimals=1)
    fibre_g: float = quantity("Fibre kept", "g OD", possible=(0, 1000), decimals=1)
    pith_g: float = quantity("Pith through the screen", "g OD", possible=(0, 1000), above=True, decimals=1)
    screen_mm: float = quantity(
        "Screen", "mm", possible=(0.05, 10), decimals=2, default=0.42, help="this mill's screen, kept with the result"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PithFound:
    pith_pct: float = figure("Pith", "%", decimals=1, equation="100 × pith/sample")
    fibre_pct: float = figure("Fibre", "%", decimals=1, equation="100 × fibre/sample")
    lost_pct: float = figure("Not found again", "%", decimals=1, equation="100 − pith − fibre")
    ratio: float = figure("Fibre to pith", "", decimals=2, equation="fibre/pith")
    cautions: tuple[Caution, ...] = ()


_P = {"sample_g": 41.8, "fibre_g": 33.1, "pith_g": 6.2}


@model(
    "lab.pith",
    title="Pith by wet screening",
    source="laboratory methods, weighing",
    holds_for="pith 5 to 40 %, not found again under 8 %; duplicates within 1.0",
    equation="pith = 100 m pith/m sample",
    checks=(
        Check(_P, "pith_pct", 14.833),
        Check(_P, "fibre_pct", 79.187),
        Check(_P, "lost_pct", 5.9809, 1e-3),
        Check(_P, "ratio", 5.3387, 1e-3),
    ),
)
def pith(case: PithCase) -> PithFound:
    """Pith and fibre of a sample. Raises: ImpossibleInput when more than 101 % is found again."""
    cautions = check(case)
    p, f = 100.0 * case.pith_g / case.sample_g, 100.0 * case.fibre_g / case.sample_g
    if p + f > 101.0:
        raise ImpossibleInput(
            Problem("fibre_g", f"and pith make {p + f:.1f} % of the sample; at most 101 % can be found again")
        )
    if 100.0 - p - f > 8.0:
        cautions += (Caution("sample_g", f"{100 - p - f:.1f} % was not found again; 8 % is accepted"),)
    if not 5.0 <= p <= 40.0:
        cautions += (Caution("pith_g", f"pith {p:.1f} % is outside 5 to 40 %: look again"),)
    return PithFound(pith_pct=p, fibre_pct=f, lost_pct=100.0 - p - f, ratio=case.fibre_g / case.pith_g, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class SandCase:
    crucible_g: float = quantity("Crucible", "g", possible=(0, 500), above=True, decimals=4)
    residue_g: float = quantity("with the residue", "g", possible=(0, 500), above=True, decimals=4)
    after_g: float = quantity("after hydrofluoric loss", "g", possible=(0, 500), above=True, decimals=4)
    sample_g: float = quantity("Sample", "g OD", possible=(0, 1000), above=True, valid=(5, 50), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class SandFound:
    residue_pct: float = figure("Acid-insoluble", "%", decimals=2, equation="100 (with residue − crucible)/sample")
    silica_pct: float = figure("Silica", "%", decimals=2, equation="100 (with residue − after)/sample")
    cautions: tuple[Caution, ...] = ()


_S = {"crucible_g": 21.4030, "residue_g": 21.5272, "after_g": 21.4218, "sample_g": 10.05}


@model(
    "lab.sand",
    title="Sand and silica",
    source="laboratory methods, weighing",
    holds_for="bagasse 0.3 to 4, pulp 0 to 0.5 %; duplicates within 0.05 or 10 %",
    equation="residue = 100 (m1 − m0)/m; silica = 100 (m1 − m2)/m",
    checks=(Check(_S, "residue_pct", 1.2358, 1e-3), Check(_S, "silica_pct", 1.0488, 1e-3)),
)
def sand(case: SandCase) -> SandFound:
    """Acid-insoluble residue and its silica. Raises: ImpossibleInput when a weighing goes the wrong way."""
    cautions = check(case)
    bad = []
    if case.residue_g < case.crucible_g:
        bad.append(Problem("residue_g", f"is {case.residue_g:g} g; it must be at least the crucible, {case.crucible_g:g} g"))
    if case.after_g > case.residue_g:
        bad.append(Problem("after_g", f"is {case.after_g:g} g; it must be at most {case.residue_g:g} g: a loss was weighed"))
    if bad:
        raise ImpossibleInput(*bad)
    cautions += (Caution("after_g", "hydrofluoric acid: hood, its own safety card, calcium gluconate at hand, never alone"),)
    return SandFound(
        residue_pct=100.0 * (case.residue_g - case.crucible_g) / case.sample_g,
        silica_pct=100.0 * (case.residue_g - case.after_g) / case.sample_g,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ShivesCase:
    shives_g: float = quantity("Shives on the slot", "g OD", possible=(0, 100), decimals=2)
    stock_g: float = quantity("Stock screened", "g", possible=(0, 100000), above=True, decimals=0)
    cons_pct: float = quantity("at", "%", possible=(0, 20), above=True, valid=(0.3, 4), decimals=2)
    count: float = quantity("Shives counted", "", possible=(0, 100000), decimals=0, default=0.0, whole=True)
    slot_mm: float = quantity("Slot", "mm", possible=(0.05, 1), valid=(0.10, 0.15), decimals=2, default=0.10)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShivesFound:
    shives_pct: float = figure("Shives", "%", decimals=2, equation="100 × shives/(stock × C)")
    per_g: float = figure("Shives a gram", "per g OD", decimals=2, equation="count/(stock × C)")
    cautions: tuple[Caution, ...] = ()


_SH = {"shives_g": 0.84, "stock_g": 6250, "cons_pct": 0.80, "count": 62}


@model(
    "lab.shives",
    title="Shives by slot",
    source="laboratory methods, slot plate",
    holds_for="after first refining 0.5 to 4, screened 0 to 0.5 %; duplicates within 15 %",
    equation="shives = 100 m/(stock C/100)",
    symbols="m=shives_g stock=stock_g C=cons_pct",
    checks=(Check(_SH, "shives_pct", 1.68, 1e-3), Check(_SH, "per_g", 1.24, 1e-3)),
)
def shives(case: ShivesCase) -> ShivesFound:
    """Shives of the fibre screened. Raises: ImpossibleInput when they weigh more than the fibre."""
    cautions = check(case)
    od = case.stock_g * case.cons_pct / 100.0
    if case.shives_g > od:
        raise ImpossibleInput(Problem("shives_g", f"is {case.shives_g:g} g; the sample held {od:g} g of fibre"))
    return ShivesFound(shives_pct=100.0 * case.shives_g / od, per_g=case.count / od, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class LengthCase:
    n1: float = quantity("Fibres of class 1", "", possible=(0, 1e7), decimals=0, whole=True)
    n2: float = quantity("class 2", "", possible=(0, 1e7), decimals=0, whole=True)
    n3: float = quantity("class 3", "", possible=(0, 1e7), decimals=0)
    n4: float = quantity("class 4", "", possible=(0, 1e7), decimals=0)
    n5: float = quantity("class 5", "", possible=(0, 1e7), decimals=0)
    n6: float = quantity("class 6", "", possible=(0, 1e7), decimals=0)
    mg_od: float = quantity(
        "Fibre measured", "mg OD", possible=(0, 1000), decimals=2, default=0.0, help="0: coarseness is not asked"
    )
    l1: float = quantity("Middle of class 1", "mm", possible=(0, 20), above=True, decimals=2, default=0.1)
    l2: float = quantity("2", "mm", possible=(0, 20), above=True, decimals=2, default=0.4)
    l3: float = quantity("3", "mm", possible=(0, 20), above=True, decimals=2, default=0.9)
    l4: float = quantity("4", "mm", possible=(0, 20), above=True, decimals=2, default=1.6)
    l5: float = quantity("5", "mm", possible=(0, 20), above=True, decimals=2, default=2.4)
    l6: float = quantity("6", "mm", possible=(0, 20), above=True, decimals=2, default=3.3)


@dataclass(frozen=True, slots=True, kw_only=True)
class LengthFound:
    lw_mm: float = figure("Length-weighted", "mm", decimals=2, equation="Σ n l²/Σ n l")
    ln_mm: float = figure("Arithmetic", "mm", decimals=2, equation="Σ n l/Σ n")
    lww_mm: float = figure("Weight-weighted", "mm", decimals=2, equation="Σ n l³/Σ n l², one coarseness assumed")
    fines_n_pct: float = figure("Fines by number", "%", decimals=1, equation="100 × those under 0.2 mm / all")
    fines_l_pct: float = figure("Fines by length", "%", decimals=1, equation="100 Σ fines n l/Σ n l")
    coarseness: float = figure("Coarseness", "mg/m", decimals=3, equation="mg/(Σ n l/1000)")
    cautions: tuple[Caution, ...] = ()


_L = {"n1": 820, "n2": 1450, "n3": 960, "n4": 410, "n5": 120, "n6": 30, "mg_od": 0.42}


@model(
    "lab.fibre_length",
    title="Fibre length and coarseness",
    source="laboratory methods, image analyser counts",
    holds_for="coarseness 0.06 to 0.35 mg/m, every fibre of the sample counted; under 5000 fibres is few",
    equation="Lw = Σ n l²/Σ n l",
    checks=(
        Check(_L, "ln_mm", 0.67784, 1e-3),
        Check(_L, "lw_mm", 1.201, 1e-3),
        Check(_L, "lww_mm", 1.6886, 1e-3),
        Check(_L, "fines_n_pct", 21.636, 1e-3),
        Check(_L, "fines_l_pct", 3.1919, 1e-3),
        Check(_L, "coarseness", 0.16349, 1e-3),
    ),
)
def fibre_length(case: LengthCase) -> LengthFound:
    """The three averages (Ln <= Lw <= Lww), optical fines, coarseness. Raises: ImpossibleInput when nothing was counted."""
    cautions = check(case)
    n = (case.n1, case.n2, case.n3, case.n4, case.n5, case.n6)
    mm = (case.l1, case.l2, case.l3, case.l4, case.l5, case.l6)
    m0, m1, m2, m3 = (sum(c * x**k for c, x in zip(n, mm, strict=True)) for k in range(4))
    if m0 <= 0.0:
        raise ImpossibleInput(Problem("n1", "and the others are 0; count some fibres"))
    small = [(c, x) for c, x in zip(n, mm, strict=True) if x < 0.2]
    if m0 < 5000.0:
        cautions += (Caution("n1", f"{m0:.0f} fibres are few; 5000 make the averages steady"),)
    coarseness = 1000.0 * case.mg_od / m1
    if case.mg_od and not 0.06 <= coarseness <= 0.35:
        cautions += (Caution("mg_od", f"{coarseness:.3f} mg/m is outside 0.06 to 0.35: was every fibre counted?"),)
    return LengthFound(
        lw_mm=m2 / m1,
        ln_mm=m1 / m0,
        lww_mm=m3 / m2,
        fines_n_pct=100.0 * sum(c for c, _ in small) / m0,
        fines_l_pct=100.0 * sum(c * x for c, x in small) / m1,
        coarseness=coarseness,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class MixtureCase:
    share_pct: float = quantity("First pulp", "% of the mass", possible=(0, 100), decimals=0)
    coarse_a: float = quantity("its coarseness", "mg/m", possible=(0, 2), above=True, valid=(0.06, 0.35), decimals=3)
    lw_a: float = quantity("its length", "mm Lw", possible=(0, 20), above=True, decimals=2)
    coarse_b: float = quantity("The other's coarseness", "mg/m", possible=(0, 2), above=True, valid=(0.06, 0.35), decimals=3)
    lw_b: float = quantity("its length", "mm Lw", possible=(0, 20), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixtureFound:
    coarseness: float = figure("Coarseness of the mix", "mg/m", decimals=3, equation="1/Σ(f/w)")
    lw_mm: float = figure("Length of the mix", "mm Lw", decimals=2, equation="Σ(f L/w)/Σ(f/w)")
    cautions: tuple[Caution, ...] = ()


_M = {"share_pct": 60, "coarse_a": 0.21, "lw_a": 2.3, "coarse_b": 0.10, "lw_b": 0.75}


@model(
    "lab.fibre_mix",
    title="Length and coarseness of two pulps mixed",
    source="laboratory methods; length counts by its metres",
    holds_for="two pulps of known length and coarseness",
    equation="w = 1/Σ(f/w); Lw = Σ(f L/w)/Σ(f/w)",
    checks=(Check(_M, "coarseness", 0.14583, 1e-3), Check(_M, "lw_mm", 1.3958, 1e-3)),
)
def fibre_mix(case: MixtureCase) -> MixtureFound:
    """The mix by its metres of fibre. Raises: ImpossibleInput."""
    cautions = check(case)
    f = case.share_pct / 100.0
    a, b = f / case.coarse_a, (1.0 - f) / case.coarse_b
    return MixtureFound(coarseness=1.0 / (a + b), lw_mm=(a * case.lw_a + b * case.lw_b) / (a + b), cautions=cautions)
