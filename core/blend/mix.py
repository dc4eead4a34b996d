"""Properties and flows of a furnish from its sources' shares.

Source: mass balance (consistency, ash); Kubelka-Munk at 457 nm (brightness); logarithmic freeness, a default to +-25 mL.
"""

import math
from dataclasses import dataclass

from core.colour import brightness_from_ks, ks_from_reflectance
from core.document import identity
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import quantity

SHARE_TOLERANCE = 1e-6


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """One pulp as it stands in its chest. `share` is its fraction of the oven-dry furnish."""

    key: str = identity()
    share: float = 0.0
    cons_pct: float = quantity("Consistency", "%", possible=(0.1, 30), valid=(2, 6))
    ash_pct: float = quantity("Ash", "%", possible=(0, 60), valid=(0, 25), decimals=1)
    iso_pct: float = quantity("Brightness", "% ISO", possible=(1, 100), valid=(40, 92), decimals=1)
    s457: float = quantity("Scattering", "m²/kg", possible=(1, 300), valid=(20, 80), decimals=0)
    csf_ml: float = quantity("Freeness", "mL CSF", possible=(10, 800), valid=(50, 700), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Mix:
    cons_pct: float
    ash_pct: float
    csf_ml: float
    iso_pct: float
    k457: float
    s457: float
    cautions: tuple[Caution, ...] = ()


def mix_furnish(sources: tuple[Source, ...]) -> Mix:
    """The mix of a furnish. Consistency adds harmonically, ash by mass, light by k and s, freeness by its logarithm.

    Raises: ImpossibleInput for negative shares, shares that do not sum to 1, or consistencies not above 0.
    Worked: 40/40/20 at 3.8/4.0/3.2 %: 3.7346 %; 500/400/250 mL CSF: 398.11.
    """
    bad = [Problem(s.key, f"share is {100 * s.share:g} %; it must be 0 to 100 %") for s in sources if not 0.0 <= s.share <= 1.0]
    bad += [Problem(s.key, f"consistency is {s.cons_pct:g} %; it must be above 0") for s in sources if not s.cons_pct > 0.0]
    bad += [Problem(s.key, f"freeness is {s.csf_ml:g} mL; it must be above 0") for s in sources if not s.csf_ml > 0.0]
    total = sum(s.share for s in sources)
    if not bad and abs(total - 1.0) > SHARE_TOLERANCE:
        bad = [Problem("shares", f"sum to {100 * total:.4g} %; they must make 100 %")]
    if bad:
        raise ImpossibleInput(*bad)
    used = [s for s in sources if s.share > 0.0]
    k = sum(s.share * s.s457 * ks_from_reflectance(s.iso_pct / 100.0) for s in used)
    scatter = sum(s.share * s.s457 for s in used)
    return Mix(
        cons_pct=1.0 / sum(s.share / s.cons_pct for s in used),
        ash_pct=sum(s.share * s.ash_pct for s in used),
        csf_ml=math.exp(sum(s.share * math.log(s.csf_ml) for s in used)),
        iso_pct=brightness_from_ks(k / scatter),
        k457=k,
        s457=scatter,
    )
