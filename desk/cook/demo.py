"""The demo mill's cooks: five weeks of larch, alder and bagasse by a plant that differs a little from the model, and this
morning's."""

from dataclasses import asdict
from datetime import timedelta

import numpy as np

from core.cook import kinetic
from core.cook.kinetic import Charge
from core.cook.species import DEFAULT, Fitted
from core.heat import ATMOSPHERE_BAR, p_saturation
from desk.cook.models import Cook, CookPoint

PLANT = {
    "larch": Fitted(rate=1.05, carbohydrate=-0.8, alkali_carb=1.04),
    "alder": Fitted(rate=0.93, carbohydrate=0.6, alkali_carb=0.97),
    "bagasse": Fitted(rate=1.06, carbohydrate=0.4, alkali_carb=1.0),
}
PLANS = {
    "larch": (19.5, 28.4, 4.1, 22.4, 30.0, ((0.0, 80.0), (35.0, 116.0), (50.0, 116.0), (95.0, 170.0), (188.0, 170.0))),
    "alder": (17.5, 28.4, 4.0, 20.0, 18.0, ((0.0, 80.0), (90.0, 165.0), (143.0, 165.0))),
}
LATEST_HOLD_MIN = (-12.0, -14.0)
EVEN_COOKS, EVEN = 9, 0.15  # the newest were run alike, but for the last two
GAS_BAR = 0.2  # gas in the digester that cooks, above saturation
LARCH_CYCLE_MIN = 122.0  # two digesters, 2 h 2 apart


def _past(rng, now, by, species: str, count: int, first: int) -> list[Cook]:
    ea, sulphidity, lw, wood, target, plan = PLANS[species]
    cooks = []
    for k in range(count):
        left = count - k if species == "larch" else count
        even = EVEN if left <= EVEN_COOKS else 1.0
        charge = Charge(
            ea_pct_naoh=round(ea + even * rng.normal(0, 0.4), 1),
            sulphidity_pct=round(sulphidity + even * rng.normal(0, 1.2), 1),
            lw_m3_t=round(lw + even * rng.normal(0, 0.12), 2),
        )
        hold = even * rng.normal(0, 7)
        if left <= len(LATEST_HOLD_MIN):
            hold = LATEST_HOLD_MIN[-left]  # the newest tested cooks were held too short: the next one asks for a move
        run = tuple(
            (
                m + (hold if i == len(plan) - 1 else 0.0) + (rng.normal(0, 3) if i == len(plan) - 2 else 0.0),
                t + (rng.normal(0, 0.6) if t > 150 else 0.0),
            )
            for i, (m, t) in enumerate(plan)
        )
        run = tuple((round(m, 1), round(t, 1)) for m, t in run)
        real = kinetic.cook(species, charge, run, coefficients=PLANT[species])
        start = now - timedelta(minutes=LARCH_CYCLE_MIN * (count - k) + 150.0)
        digester = {"larch": "12"[k % 2], "alder": "3"}[species]
        cooks.append(
            Cook(
                number=first + k,
                digester=digester,
                species=species,
                wood_t=round(wood + rng.normal(0, 0.4), 1),
                charge=asdict(charge),
                plan=[list(p) for p in run],
                target=target,
                predicted=kinetic.cook(species, charge, run).kappa,
                coefficients=asdict(DEFAULT),
                started_at=start,
                started_by=by,
                blown_at=start + timedelta(minutes=run[-1][0]),
                kappa=round(real.kappa + rng.normal(0, 0.5), 1),
                residual_g_l=round(max(0.0, real.residual_g_l + rng.normal(0, 0.3)), 1),
            )
        )
    return cooks


def build_cooks(people, now) -> None:
    """34 past larch cooks and 20 of alder, cook 1147 blown and waiting for its kappa, cook 1148 running since 08:44."""
    rng = np.random.default_rng([26318, 7])
    by = people["tk"]
    Cook.objects.bulk_create([*_past(rng, now, by, "larch", 34, 1111), *_past(rng, now, by, "alder", 20, 3101)])
    ea, sulphidity, lw, wood, target, plan = PLANS["larch"]
    for number, digester, start, blown in (
        (1147, "2", now.replace(hour=7, minute=22), now.replace(hour=10, minute=34)),
        (1148, "1", now.replace(hour=8, minute=44), None),
    ):
        charge = Charge(
            ea_pct_naoh=19.3 if blown is None else ea, sulphidity_pct=sulphidity, lw_m3_t=4.2 if blown is None else lw
        )
        cook = Cook.objects.create(
            number=number,
            digester=digester,
            species="larch",
            wood_t=wood,
            charge=asdict(charge),
            plan=[list(p) for p in plan],
            target=target,
            predicted=kinetic.cook("larch", charge, plan).kappa,
            coefficients=asdict(DEFAULT),
            started_at=start,
            started_by=by,
            blown_at=blown,
        )
        until = (now - start).total_seconds() / 60.0 if blown is None else plan[-1][0]
        minutes = np.arange(0.0, until, 5.0)
        temps = (
            np.interp(minutes, [m for m, _ in plan], [t for _, t in plan])
            - (1.5 if blown is None else 0.0) * (minutes > 60)
            + rng.normal(0, 0.3, len(minutes))
        )
        CookPoint.objects.bulk_create(
            [
                CookPoint(cook=cook, minute=float(m), value=round(float(t), 1), by=by)
                for m, t in zip(minutes, temps, strict=True)
            ]
        )
        if blown is None:
            gauge = p_saturation(float(temps[-1])) - ATMOSPHERE_BAR + GAS_BAR
            CookPoint.objects.create(cook=cook, kind="p", minute=float(minutes[-1]), value=round(gauge, 1), by=by)


__all__ = ["build_cooks"]
