"""Units that act on what comes to them through time: asked again when that has moved.

The same acts as in the steady line (core/line/acting.py), each on the pulp of the moment.
"""

import math
from collections.abc import Mapping
from typing import Final

import numpy as np

from core.colour import brightness_from_ks, ks_from_reflectance
from core.errors import ImpossibleInput, NotSolved, Problem
from core.line.acting import changed_by
from core.line.network import DrawKind
from core.stream import DS, FIBRE, HEAT_KJ_KG_K, SUSPENDED, N, Vector, W
from core.through.entries import CSF, HEAT, K457, KAPPA, OF_SOLUTES, S457, SOLUTES_T, value
from core.through.layout import TINY
from core.through.stepper import Stepped
from core.unit import SOLUTES, Acts, Facts, Inlet, Kind

MOVED: Final = 0.005  # of what comes, before a unit is asked again
LEAST_T_H: Final = 0.01


def inlet_of(came: Vector, entered: Vector) -> Inlet:
    """What a unit is told of what comes to it (26 a hour), quality and solutes with what is drawn in, as in the steady line."""
    parts = np.maximum(came[:N], 0.0)
    own = np.maximum(entered[:N], 0.0)
    fibre, suspended, heat = float(own @ FIBRE), float(own @ SUSPENDED), float(own @ HEAT_KJ_KG_K)
    kappa, csf = (float(entered[entry]) / fibre if fibre > TINY else 0.0 for entry in (KAPPA, CSF))
    k, s = (float(entered[entry]) / suspended if suspended > TINY else 0.0 for entry in (K457, S457))
    return Inlet(
        solids_t_h=float(parts @ SUSPENDED),
        fibre_t_h=float(parts @ FIBRE),
        water_t_h=float(parts[W]),
        dissolved_t_h=float(parts[DS]),
        temp_c=float(entered[HEAT]) / heat if heat > TINY else 45.0,
        kappa=max(0.0, kappa),
        iso_pct=brightness_from_ks(max(0.0, k / s)) if s > 0.0 else 0.0,
        csf_ml=math.exp(csf) if csf > 0.0 else 600.0,
        solutes=tuple((entered[OF_SOLUTES] / SOLUTES_T).tolist()),
        parts=tuple(parts.tolist()),
    )


SINGLE: Final = ("solids_t_h", "fibre_t_h", "water_t_h", "dissolved_t_h", "temp_c", "kappa", "iso_pct", "csf_ml")
FIGURES: Final = len(SINGLE) + len(SOLUTES) + N


def _figures(inlet: Inlet) -> tuple[float, ...]:
    return (*(getattr(inlet, name) for name in SINGLE), *inlet.solutes, *inlet.parts)


def _inlet_of(row: list[float]) -> Inlet:
    solutes, parts = row[len(SINGLE) : len(SINGLE) + len(SOLUTES)], row[len(SINGLE) + len(SOLUTES) :]
    return Inlet(**dict(zip(SINGLE, row, strict=False)), solutes=tuple(solutes), parts=tuple(parts))


def _told(came: Vector, entered: Vector) -> Vector:
    """What acts may hang on, (n, figures) of what comes to units and of what enters them, each on a scale of its own."""
    parts = came[:, :N]
    solids = parts @ SUSPENDED
    rides = [np.nan_to_num(value(entered, entry)) for entry in (KAPPA, K457, S457, CSF)]
    scale = np.array([1.0, 0.2, 1.0, 0.1])[:, None]
    solutes = entered[:, OF_SOLUTES] / SOLUTES_T + 100.0
    return np.concatenate([[solids, parts.sum(axis=1) - solids], np.array(rides) + scale, solutes.T]).T


class Reacting:
    """The acting units of a stepped line: `ask` once in a while, and those whose pulp has moved act anew."""

    def __init__(self, line: Stepped, moved: float = MOVED) -> None:
        self.line, self.moved, lo = line, moved, line.layout
        self.acting: dict[str, Kind] = dict(lo.line.acting)
        self.acts: dict[str, Acts] = dict(lo.line.acts)
        self.inlets: dict[str, Inlet] = dict(lo.line.inlets)
        keys = [key for key in self.acting if key in self.acts]
        self.keys = keys
        self.nodes = np.array([lo.network.index[key] for key in keys], dtype=np.int64)
        self.solved = np.array([lo.line.inlets[key].parts for key in keys], dtype=float).reshape(-1, N)
        self.at = _told(self.solved, lo.entered[self.nodes])
        self.anew: set[str] = set()
        self.refused: dict[str, str] = {}

    def set_to(self, unit: str, values: Mapping[str, float]) -> None:
        """Put settings in force on a unit: it acts by them from the next asking. Raises: ImpossibleInput."""
        self.runs_as(unit, self.acting[unit].set_to(values))

    def runs_as(self, unit: str, kind: Kind) -> None:
        """A unit acts by these settings from the next asking; nothing changes where it does already."""
        if self.acting[unit] != kind:
            self.acting[unit] = kind
            self.anew.add(unit)

    def kept(self) -> dict[str, Vector]:
        """What units were last told, as arrays; what they made of it follows from how they are set."""
        told = np.array([_figures(self.inlets[key]) for key in self.keys], dtype=float)
        anew = np.array([key in self.anew for key in self.keys], dtype=bool)
        return {"at": self.at.copy(), "inlets": told, "anew": anew}

    def restore(self, kept: Mapping[str, Vector]) -> None:
        """Stand as it was kept, the units set as they were then. Raises: ImpossibleInput for what was kept of other units."""
        shape = (len(self.keys), FIGURES)
        if "at" not in kept or kept["at"].shape != self.at.shape or kept["inlets"].shape != shape:
            raise ImpossibleInput(Problem("inlets", "are missing or of other units in what was kept"))
        self.at = np.array(kept["at"], copy=True)
        for key, row in zip(self.keys, kept["inlets"].tolist(), strict=True):
            self.inlets[key] = _inlet_of(row)
            self.acts[key] = self.acting[key].act(self.inlets[key])
        self.anew = {key for key, anew in zip(self.keys, kept["anew"].tolist(), strict=True) if anew}

    def facts(self, unit: str, stage: int = 0) -> Facts:
        """What an acting unit knows of itself since it was last asked (`Kind.facts`); nothing for a unit that does not act."""
        if unit not in self.acts:
            return {}
        return self.acting[unit].facts(self.inlets[unit], self.acts[unit], stage)

    def ask(self) -> int:
        """Every unit whose pulp has moved since it was asked (by half a per cent, or as told) acts anew; how many did."""
        came = self.solved if self.line.last is None else self.line.comes()[self.nodes]
        entered = self.line.entered[self.nodes]
        now = _told(came, entered)
        moved = (np.abs(now - self.at) > self.moved * np.maximum(np.abs(self.at), 1e-3)).any(axis=1)
        moved |= np.array([key in self.anew for key in self.keys], dtype=bool)
        moved &= came[:, :N] @ SUSPENDED >= LEAST_T_H
        count = 0
        for i in np.flatnonzero(moved):
            key = self.keys[i]
            self.at[i] = now[i]
            self.anew.discard(key)
            inlet = inlet_of(came[i], entered[i])
            try:
                act = self.acting[key].act(inlet)
            except (ImpossibleInput, NotSolved) as refusal:
                self.refused[key] = str(refusal)
                continue
            self.refused.pop(key, None)
            self._takes(key, act)
            self.acts[key], self.inlets[key] = act, inlet
            count += 1
        if count:
            self.line.changed()
        return count

    def _takes(self, key: str, act: Acts) -> None:
        """What an act changes of the line: conversion, shares, qualities, solutes, consistencies, what it takes of a supply."""
        line, lo = self.line, self.line.layout
        network = lo.network
        i = network.index[key]
        unit = changed_by(network.unit(key), act)
        if unit.conversion is not None and (at := np.flatnonzero(lo.turned == i)).size:
            line.conversion[at[0]] = unit.conversion
        ways = np.flatnonzero(lo.link_from == i)
        for k, name in zip(ways, (lo.outlet_names[int(k)] for k in ways), strict=True):
            line.link_share[k] = next(o.shares for o in unit.outlets if o.name == name)
        sets = unit.sets
        light = sets.iso_pct is not None and sets.s457 is not None
        told = (
            sets.kappa,
            None if sets.csf_ml is None else float(np.log(sets.csf_ml)),
            sets.s457 * ks_from_reflectance(sets.iso_pct / 100.0) if light and sets.s457 and sets.iso_pct else None,
            sets.s457 if light else None,
            sets.grey,
        )
        line.sets[i] = np.where(np.isnan(line.sets[i]), np.nan, [np.nan if v is None else v for v in told])
        whole = float(line.entered[i, :N].sum())
        added = np.zeros(len(SOLUTES))
        for name, kg_h in act.adds.items():
            added[SOLUTES.index(name)] += kg_h
        line.adds[i] = added * SOLUTES_T / max(whole, 1e-9)
        for j, name in enumerate(lo.names[: lo.draw_count]):
            if int(lo.stream_to[j]) != i or line.by_hand[j]:
                continue
            if act.takes is not None and lo.kinds[j] == DrawKind.FLOW.value and int(lo.stream_from[j]) < 0:
                line.asked[j] = act.takes.t_h
            if act.in_pct is not None and lo.kinds[j] == DrawKind.DILUTE.value:
                line.wants[lo.loops["drives"] == j] = act.in_pct / 100.0
            del name
        if act.out_pct is not None and len(lo.thick):
            line.thick_to[lo.thick[:, 0] == i] = act.out_pct / 100.0
