"""What flows: component mass flows, temperature and the quality that rides on the fibre."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from core.errors import ImpossibleInput, Problem

Vector = npt.NDArray[np.float64]

COMPONENTS: Final = ("LF", "SF", "FN", "FL", "INK", "STK", "SND", "PLS", "SHV", "DS", "W")
NAMES: Final = {
    "LF": "long fibre",
    "SF": "short fibre",
    "FN": "fines",
    "FL": "filler",
    "INK": "ink",
    "STK": "stickies",
    "SND": "sand and metal",
    "PLS": "plastics",
    "SHV": "shives and flakes",
    "DS": "dissolved solids",
    "W": "water",
}
INDEX: Final = {name: i for i, name in enumerate(COMPONENTS)}
N: Final = len(COMPONENTS)
# kg/m3; cell wall for fibre, apparent for dissolved; sand, ink, stickies and plastics are defaults
DENSITY: Final[Vector] = np.array([1520, 1520, 1520, 2700, 1200, 1000, 2650, 920, 1520, 1600, 1000], dtype=float)
HEAT_KJ_KG_K: Final[Vector] = np.array([1.40, 1.40, 1.40, 0.85, 1.4, 1.4, 0.85, 1.4, 1.40, 1.40, 4.18])
SUSPENDED: Final[Vector] = np.array([1.0] * 9 + [0.0, 0.0])
FIBRE: Final[Vector] = np.array([1.0, 1.0, 1.0, 0, 0, 0, 0, 0, 1.0, 0, 0])
ASH_SHARE: Final[Vector] = np.array([0.005, 0.005, 0.005, 1.0, 0, 0, 1.0, 0, 0.005, 0, 0])
W: Final = INDEX["W"]
DS: Final = INDEX["DS"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Quality:
    """What rides on the solids and mixes by rule: kappa by mass, freeness by its logarithm, light by k and s (m2/kg).

    `grey` is the share of the solids whose colour is ink or mechanical grey rather than lignin brown.
    """

    kappa: float = 0.0
    csf_ml: float = 500.0
    k457: float = 0.0
    s457: float = 30.0
    grey: float = 0.0

    @property
    def ks(self) -> float:
        return self.k457 / self.s457


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Stream:
    """Component flows in t/h over COMPONENTS (length 11, none negative), temperature in degC, and quality."""

    flows: Vector
    temp_c: float = 45.0
    quality: Quality = Quality()

    def __post_init__(self) -> None:
        if self.flows.shape != (N,):
            raise ImpossibleInput(Problem("flows", f"has shape {self.flows.shape}; it must be ({N},)"))
        bad = [
            Problem(c, f"flow is {f:g} t/h; it must be at least 0")
            for c, f in zip(COMPONENTS, self.flows, strict=True)
            if not (math.isfinite(f) and f >= 0.0)
        ]
        if bad:
            raise ImpossibleInput(*bad)
        self.flows.setflags(write=False)

    def __getitem__(self, component: str) -> float:
        return float(self.flows[INDEX[component]])

    @property
    def total_t_h(self) -> float:
        return float(self.flows.sum())

    @property
    def solids_t_h(self) -> float:
        """Suspended oven-dry solids, as a filter would find them."""
        return float(self.flows @ SUSPENDED)

    @property
    def fibre_t_h(self) -> float:
        return float(self.flows @ FIBRE)

    @property
    def cons_pct(self) -> float:
        """Suspended solids in the whole suspension, % by mass (ISO 4119); 0 for an empty stream."""
        total = self.total_t_h
        return min(100.0, 100.0 * self.solids_t_h / total) if total > 0.0 else 0.0

    @property
    def ash_pct(self) -> float:
        """100 (filler + sand + 0.005 fibre) / suspended solids; 0 without solids."""
        solids = self.solids_t_h
        return 100.0 * float(self.flows @ ASH_SHARE) / solids if solids > 0.0 else 0.0

    @property
    def l_min(self) -> float:
        """Volume flow from the components' densities at 20 degC."""
        return float((self.flows / DENSITY).sum()) * 1e6 / 60.0

    def scaled(self, share: float) -> "Stream":
        """A share of this stream, 0 to 1, of the same composition."""
        if not 0.0 <= share <= 1.0:
            raise ImpossibleInput(Problem("share", f"is {share:g}; it must be 0 to 1"))
        return Stream(flows=self.flows * share, temp_c=self.temp_c, quality=self.quality)


def stream(*, temp_c: float = 45.0, quality: Quality = Quality(), **t_h: float) -> Stream:
    """A stream from named component flows: stream(LF=4, W=250). Raises: ImpossibleInput for an unknown name."""
    unknown = [Problem(name, f"is no component; there are {', '.join(COMPONENTS)}") for name in t_h.keys() - INDEX]
    if unknown:
        raise ImpossibleInput(*unknown)
    flows = np.zeros(N)
    for name, value in t_h.items():
        flows[INDEX[name]] = value
    return Stream(flows=flows, temp_c=temp_c, quality=quality)


def mix(streams: Iterable[Stream]) -> Stream:
    """One stream from many: masses, heat and carried quality add; freeness adds by its logarithm.

    Worked: 1000 kg/min of water at 60 degC with 500 at 20 gives 46.667 degC.
    """
    parts = tuple(streams)
    flows = np.sum([p.flows for p in parts], axis=0) if parts else np.zeros(N)
    heats = [float(p.flows @ HEAT_KJ_KG_K) for p in parts]
    solids = [p.solids_t_h for p in parts]
    all_heat, all_solids = sum(heats), sum(solids)
    temp = sum(h * p.temp_c for h, p in zip(heats, parts, strict=True)) / all_heat if all_heat > 0 else 45.0
    if all_solids <= 0.0:
        return Stream(flows=flows, temp_c=temp)
    fibre = [p.fibre_t_h for p in parts]
    all_fibre = sum(fibre) or 1.0
    quality = Quality(
        kappa=sum(f * p.quality.kappa for f, p in zip(fibre, parts, strict=True)) / all_fibre,
        csf_ml=math.exp(sum(f * math.log(p.quality.csf_ml) for f, p in zip(fibre, parts, strict=True)) / all_fibre),
        k457=sum(m * p.quality.k457 for m, p in zip(solids, parts, strict=True)) / all_solids,
        s457=sum(m * p.quality.s457 for m, p in zip(solids, parts, strict=True)) / all_solids,
        grey=sum(m * p.quality.grey for m, p in zip(solids, parts, strict=True)) / all_solids,
    )
    return Stream(flows=flows, temp_c=temp, quality=quality)
