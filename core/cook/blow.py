"""What a cook sends to the washers: its liquor, the solids in it, sodium, sulphur, oxygen demand.

Counted per oven-dry tonne of pulp from the yield and the liquor charged; all alkali as NaOH. COD a kg of organics is a default.
Source: models, chips to bleach, section 5, "What the washers are fed follows from the cook".
"""

from dataclasses import dataclass
from typing import Final

from core.constants import SALTCAKE_A_SODIUM, SODIUM_IN_NAOH
from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model

S_A_NAOH: Final = 0.40078
COD_A_ORGANIC: Final = 1.30  # kg O2 a kg of dissolved wood, default
# solids a kg of each as NaOH: Na2S, Na2CO3, Na2SO4
SULPHIDE, CARBONATE, SULPHATE = 0.97564, 1.32495, 1.77566


@dataclass(frozen=True, slots=True, kw_only=True)
class WhiteLiquor:
    """What the alkali of a charge brings with it, kg a t of oven-dry wood, each as NaOH but `solids`, `sodium` and
    `sulphur`."""

    solids: float
    sodium: float
    sulphur: float


def white_liquor(
    *, ea_pct_naoh: float, sulphidity_pct: float, causticizing_pct: float = 82.0, reduction_pct: float = 94.0
) -> WhiteLiquor:
    """Inorganic solids, sodium and sulphur that an EA charge brings, by sulphidity, causticizing and reduction, %."""
    active = 10.0 * ea_pct_naoh / (1.0 - sulphidity_pct / 200.0)
    sulphide = active * sulphidity_pct / 100.0
    caustic = active - sulphide
    carbonate = caustic * (100.0 - causticizing_pct) / causticizing_pct
    sulphate = sulphide * (100.0 - reduction_pct) / reduction_pct
    return WhiteLiquor(
        solids=caustic + SULPHIDE * sulphide + CARBONATE * carbonate + SULPHATE * sulphate,
        sodium=SODIUM_IN_NAOH * (caustic + sulphide + carbonate + sulphate),
        sulphur=S_A_NAOH * (sulphide + sulphate),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowCase:
    yield_pct: float = quantity("Total yield", "%", possible=(0, 100), above=True, valid=(35, 75), decimals=1)
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(8, 28), decimals=1)
    sulphidity_pct: float = quantity("Sulphidity, of AA", "%", possible=(0, 60), valid=(0, 45), decimals=1)
    lw_m3_t: float = quantity("Liquor to wood", "m³/t", possible=(1, 12), valid=(2.8, 6), decimals=2)
    residual_g_l: float = quantity("Residual EA", "g/L NaOH", possible=(0, 60), valid=(2, 20), decimals=1, default=0.0)
    causticizing_pct: float = quantity("Causticizing", "%", possible=(30, 100), valid=(75, 90), decimals=0, default=82.0)
    reduction_pct: float = quantity("Reduction", "%", possible=(30, 100), valid=(85, 98), decimals=0, default=94.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Blow:
    x0: float = figure("Solids in the liquor", "kg/t", decimals=1, equation="solids/liquor")
    feed_pct: float = figure("Consistency", "%", decimals=2, equation="100/(1 + liquor)")
    liquor_t: float = figure("Liquor", "t/ODt", decimals=2, equation="(L/W + 1 − Y)/Y")
    solids_kg: float = figure("Solids", "kg/ODt", decimals=0, equation="(organics + inorganics)/Y")
    organics_kg: float = figure("Organics", "kg/ODt", decimals=0, equation="1000 (1 − Y)/Y")
    na_kg: float = figure("Sodium", "kg Na/ODt", decimals=1, equation="0.57479 of all sodium as NaOH")
    s_kg: float = figure("Sulphur", "kg S/ODt", decimals=1, equation="0.40078 (Na₂S + Na₂SO₄) as NaOH")
    free_ea_kg: float = figure("Free alkali", "kg NaOH/ODt", decimals=1, equation="residual × L/W/Y")
    cod_kg: float = figure("COD", "kg/ODt", decimals=0, equation="1.30 organics, default")
    na2so4_share: float = figure("Sodium as Na₂SO₄ a kg solids", "kg/kg", decimals=3, equation="3.0892 Na/solids")
    cod_share: float = figure("COD a kg solids", "kg/kg", decimals=3, equation="COD/solids")
    cautions: tuple[Caution, ...] = ()


_SOFTWOOD = {"yield_pct": 45.498, "ea_pct_naoh": 18.5, "sulphidity_pct": 30, "lw_m3_t": 4, "residual_g_l": 10.75}
_BAGASSE = {"yield_pct": 53.324, "ea_pct_naoh": 14, "sulphidity_pct": 0, "lw_m3_t": 5, "residual_g_l": 6.8389}


@model(
    "cook.blow",
    title="What the blow carries to the washers",
    source="balance of the charge; COD 1.30 kg a kg organics is a default to be calibrated",
    holds_for="kraft and soda cooks",
    equation="x0 = (1000 (1 − Y) + inorganics)/(L/W + 1 − Y)",
    symbols="x0=x0 Y=yield_pct L/W=lw_m3_t",
    basis="default",
    checks=tuple(
        Check(given, name, wanted, 5e-3)
        for given, told in (
            (
                _SOFTWOOD,
                {
                    "solids_kg": 1786.5,
                    "organics_kg": 1197.9,
                    "na_kg": 322.48,
                    "s_kg": 61.188,
                    "free_ea_kg": 94.508,
                    "cod_kg": 1557.3,
                    "liquor_t": 9.9896,
                    "feed_pct": 9.0995,
                    "x0": 178.83,
                    "na2so4_share": 0.55765,
                    "cod_share": 0.87173,
                },
            ),
            (
                _BAGASSE,
                {
                    "solids_kg": 1214.2,
                    "organics_kg": 875.33,
                    "na_kg": 184.04,
                    "s_kg": 0.0,
                    "free_ea_kg": 64.126,
                    "cod_kg": 1137.9,
                    "liquor_t": 10.252,
                    "feed_pct": 8.8873,
                    "x0": 118.44,
                    "na2so4_share": 0.46822,
                    "cod_share": 0.93716,
                },
            ),
        )
        for name, wanted in told.items()
    ),
)
def blow(case: BlowCase) -> Blow:
    """What a tonne of pulp takes out of the digester. Raises: ImpossibleInput."""
    cautions = check(case)
    y = case.yield_pct / 100.0
    charged = white_liquor(
        ea_pct_naoh=case.ea_pct_naoh,
        sulphidity_pct=case.sulphidity_pct,
        causticizing_pct=case.causticizing_pct,
        reduction_pct=case.reduction_pct,
    )
    organics = 1000.0 * (1.0 - y) / y
    solids, liquor = organics + charged.solids / y, (case.lw_m3_t + 1.0 - y) / y
    sodium, cod = charged.sodium / y, COD_A_ORGANIC * organics
    return Blow(
        x0=solids / liquor,
        feed_pct=100.0 / (1.0 + liquor),
        liquor_t=liquor,
        solids_kg=solids,
        organics_kg=organics,
        na_kg=sodium,
        s_kg=charged.sulphur / y,
        free_ea_kg=case.residual_g_l * case.lw_m3_t / y,
        cod_kg=cod,
        na2so4_share=SALTCAKE_A_SODIUM * sodium / solids,
        cod_share=cod / solids,
        cautions=cautions,
    )
