"""Knots returned to the digester: load, alkali, net yield, purge. Source: geometric series; the alkali of knots is a
default."""

from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model

HALF_COOKED = 0.6


@dataclass(frozen=True, slots=True, kw_only=True)
class KnotsCase:
    wood_t_h: float = quantity("Fresh wood", "t/h OD", possible=(0, 500), above=True, decimals=1)
    screened_pct: float = quantity("Screened yield", "%", possible=(0, 100), above=True, valid=(35, 60), decimals=1)
    rejects: float = quantity("Rejects", "% on feed", possible=(0, 100), valid=(0, 8), decimals=2)
    capture: float = quantity("Caught by the knotter", "", possible=(0, 1), valid=(0.85, 0.99), decimals=2, default=0.96)
    returned: float = quantity("of it returned", "", possible=(0, 1), valid=(0, 0.97), decimals=2, default=0.92)
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(12, 24), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnotsFound:
    feed_t_h: float = figure(
        "Digester feed",
        "t/h OD",
        decimals=2,
        equation="wood/(1 − g), g = rejects × caught × returned",
    )
    back_t_h: float = figure("Knots back", "t/h OD", decimals=2, equation="feed − wood")
    pulp_t_h: float = figure("Screened pulp", "t/h OD", decimals=2, equation="feed × screened yield")
    net_yield_pct: float = figure("Net yield", "%", decimals=2, equation="screened yield/(1 − g)")
    used_pct: float = figure("Of the digester used by knots", "%", decimals=2, equation="100 g")
    purge_t_h: float = figure("Purged", "t/h OD", decimals=3, equation="feed × rejects × caught × (1 − returned)")
    screens_t_h: float = figure("To the screens", "t/h OD", decimals=3, equation="feed × rejects × (1 − caught)")
    alkali_t_h: float = figure("Alkali", "t/h NaOH", decimals=2, equation="EA × (wood + 0.6 back)")
    cautions: tuple[Caution, ...] = ()


_K = {"wood_t_h": 60, "screened_pct": 45.2, "rejects": 2.4, "capture": 0.96, "returned": 0.92, "ea_pct_naoh": 18.5}


@model(
    "cook.knots",
    title="Knots back to the digester",
    source="geometric series; knots take 0.6 of the wood's alkali (default)",
    holds_for="capture 0.85 to 0.99, returned to 0.97",
    equation="feed = wood/(1 − g); Y = Ys/(1 − g)",
    symbols="feed=feed_t_h wood=wood_t_h Y=net_yield_pct Ys=screened_pct",
    basis="default",
    checks=(
        *(
            Check(_K, f, w, 2e-3)
            for f, w in (
                ("feed_t_h", 61.299),
                ("back_t_h", 1.2994),
                ("pulp_t_h", 27.707),
                ("net_yield_pct", 46.179),
                ("used_pct", 2.1197),
                ("purge_t_h", 0.11299),
                ("screens_t_h", 0.058847),
                ("alkali_t_h", 11.244),
            )
        ),
        Check({**_K, "returned": 0}, "pulp_t_h", 27.12, 2e-3),
        Check({**_K, "returned": 0}, "purge_t_h", 1.3824, 2e-3),
    ),
)
def knots(case: KnotsCase) -> KnotsFound | Infeasible:
    """What returned knots do. Infeasible when the loop gives nothing up. Raises: ImpossibleInput."""
    cautions = check(case)
    r = case.rejects / 100.0
    g = r * case.capture * case.returned
    if g >= 1.0:
        return Infeasible(field="returned", reason="returns all that is fed: keep a purge")
    if case.returned > 0.97:
        cautions += (Caution("returned", "over 0.97: a knot that returns three times is stone or metal; keep a purge"),)
    feed = case.wood_t_h / (1.0 - g)
    back = feed - case.wood_t_h
    return KnotsFound(
        feed_t_h=feed,
        back_t_h=back,
        pulp_t_h=feed * case.screened_pct / 100.0,
        net_yield_pct=case.screened_pct / (1.0 - g),
        used_pct=100.0 * g,
        purge_t_h=feed * r * case.capture * (1.0 - case.returned),
        screens_t_h=feed * r * (1.0 - case.capture),
        alkali_t_h=case.ea_pct_naoh / 100.0 * (case.wood_t_h + HALF_COOKED * back),
        cautions=cautions,
    )
