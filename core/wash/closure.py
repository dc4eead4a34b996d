"""Water, chloride and effluent of the fibre lines: build-up by reuse, chloride in the liquor cycle, load a tonne.

Source: accounts and gaps, section 6. Enrichment and removals are defaults to be calibrated.
"""

from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model


@dataclass(frozen=True, slots=True, kw_only=True)
class BuildUpCase:
    recycled: float = quantity("Recycled share", "", possible=(0, 1), decimals=2)
    leaves: float = quantity("Leaves a pass by other ways", "share", possible=(0, 1), decimals=2, default=0.0)
    use_m3: float = quantity("Water used", "m³/t", possible=(0, 500), above=True, decimals=0, default=46.0)
    fresh_m3: float = quantity("of it fresh", "m³/t", possible=(0, 500), decimals=0, default=11.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BuildUpFound:
    factor: float = figure("Builds up to", "times", decimals=2, equation="1/(1 − r (1 − e))")
    reused_pct: float = figure("Water reused", "%", decimals=1, equation="100 (use − fresh)/use")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.closure",
    title="Build-up when filtrate goes round",
    source="geometric series",
    holds_for="a substance that does not react",
    equation="factor = 1/(1 − r (1 − e))",
    symbols="r=recycled e=leaves",
    checks=(
        Check({"recycled": 0.8}, "factor", 5.0),
        Check({"recycled": 0.8, "leaves": 0.05}, "factor", 4.1667),
        Check({"recycled": 0.8}, "reused_pct", 76.087),
    ),
)
def closure(case: BuildUpCase) -> BuildUpFound | Infeasible:
    """Infeasible when all comes back and nothing leaves. Raises: ImpossibleInput."""
    cautions = check(case)
    left = 1.0 - case.recycled * (1.0 - case.leaves)
    if left <= 1e-12:
        return Infeasible(field="recycled", reason="is 1 and nothing leaves: it builds up for ever", nearest=0.99)
    return BuildUpFound(factor=1.0 / left, reused_pct=100.0 * (case.use_m3 - case.fresh_m3) / case.use_m3, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChlorideCase:
    cl_kg: float = quantity("Chloride in", "kg/ADt", possible=(0, 50), decimals=2)
    dust_kg: float = quantity("Dust", "kg/ADt", possible=(0, 500), above=True, valid=(60, 150), decimals=0, default=110.0)
    discarded_pct: float = quantity("of it discarded", "%", possible=(0, 100), decimals=0, default=0.0)
    enrichment: float = quantity("Enrichment in dust", "", possible=(0.5, 10), valid=(1.5, 3), decimals=1, default=2.5)
    other_kg: float = quantity("Solids lost otherwise", "kg/ADt", possible=(0, 200), above=True, decimals=0, default=8.0)
    limit_pct: float = quantity("Limit", "% of solids", possible=(0, 20), above=True, decimals=1, default=1.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChlorideFound:
    cl_pct: float = figure("Chloride in the liquor's solids", "%", decimals=2, equation="in/(dust discarded k + other)")
    needed_pct: float = figure("Dust to discard for the limit", "%", decimals=1, equation="(in/limit − other)/(dust k)")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.chloride",
    title="Chloride when filtrate goes to recovery",
    source="steady balance; enrichment default",
    holds_for="a line in balance for weeks",
    equation="x = in/(dust d k + other)",
    basis="default",
    checks=(
        Check({"cl_kg": 1.2}, "cl_pct", 15.0),
        Check({"cl_kg": 1.2, "discarded_pct": 20}, "cl_pct", 1.9048),
        Check({"cl_kg": 1.2}, "needed_pct", 26.182),
    ),
)
def chloride(case: ChlorideCase) -> ChlorideFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    k = case.dust_kg * case.enrichment
    pct = 100.0 * case.cl_kg / (k * case.discarded_pct / 100.0 + case.other_kg)
    needed = max(0.0, 100.0 * (case.cl_kg / (case.limit_pct / 100.0) - case.other_kg) / k)
    if pct > 2.0:
        cautions += (Caution("cl_kg", f"{pct:.1f} % chloride makes sticky dust: act over 2 %"),)
    return ChlorideFound(cl_pct=pct, needed_pct=needed, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class EffluentCase:
    fresh: float = quantity("Fresh water", "m³/ADt", possible=(0, 300), valid=(5, 60), decimals=1)
    wood: float = quantity("with the wood", "m³/ADt", possible=(0, 20), decimals=1, default=2.0)
    chemicals: float = quantity("with chemicals", "m³/ADt", possible=(0, 20), decimals=1, default=1.1)
    vented: float = quantity("evaporated and vented", "m³/ADt", possible=(0, 50), decimals=1, default=3.2)
    product: float = quantity("with the product", "m³/ADt", possible=(0, 20), decimals=1, default=1.3)
    cod_mg_l: float = quantity("COD", "mg/L", possible=(0, 50000), decimals=0, default=1450.0)
    tss_mg_l: float = quantity("Suspended", "mg/L", possible=(0, 20000), decimals=0, default=180.0)
    fibre_pct: float = quantity("of it fibre", "%", possible=(0, 100), decimals=0, default=60.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class EffluentFound:
    effluent: float = figure("Effluent", "m³/ADt", decimals=1, equation="fresh + wood + chemicals − vented − product")
    cod_kg: float = figure("COD", "kg/ADt", decimals=2, equation="m³ mg/L/1000")
    tss_kg: float = figure("Suspended", "kg/ADt", decimals=2, equation="m³ mg/L/1000")
    fibre_kg: float = figure("Fibre lost", "kg/ADt", decimals=2, equation="its share")
    loss_pct: float = figure("Fibre loss", "%", decimals=3, equation="kg/9")
    cautions: tuple[Caution, ...] = ()


_EF = {"fresh": 22}


@model(
    "wash.effluent",
    title="Effluent a tonne",
    source="balance by meter",
    holds_for="a period with tanks level",
    equation="effluent = fresh + wood + chemicals − vented − product",
    checks=(
        Check(_EF, "effluent", 20.6),
        Check(_EF, "tss_kg", 3.708),
        Check(_EF, "fibre_kg", 2.2248),
        Check(_EF, "cod_kg", 29.87),
        Check(_EF, "loss_pct", 0.2472),
    ),
)
def effluent(case: EffluentCase) -> EffluentFound | Infeasible:
    """Infeasible when more leaves than came. Raises: ImpossibleInput."""
    cautions = check(case)
    out = case.fresh + case.wood + case.chemicals - case.vented - case.product
    if out < 0.0:
        return Infeasible(
            field="product", reason="and the vents take more water than comes in", nearest=case.product + out, unit="m³/ADt"
        )
    fibre = out * case.tss_mg_l / 1000.0 * case.fibre_pct / 100.0
    return EffluentFound(
        effluent=out,
        cod_kg=out * case.cod_mg_l / 1000.0,
        tss_kg=out * case.tss_mg_l / 1000.0,
        fibre_kg=fibre,
        loss_pct=fibre / 9.0,
        cautions=cautions,
    )
