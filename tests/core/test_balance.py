"""One balance for a line: the specification's worked line, from the chips to the charges of its bleach plant."""

import math

from django.test import SimpleTestCase, tag

from core.bleach.ceilings import COD_CHLORINE
from core.bleach.stages import ACTIVE, Pulp, Setting, charge_for_iso, extraction_acids, run
from core.colour import ks_from_kappa
from core.cook import kinetic, profile
from core.cook.blow import BlowCase, blow
from core.cook.models import rejects_pct
from core.line.heat import HeatCase, heat_pulp
from core.soda import bound_saltcake
from core.unit import COD_A_KAPPA
from core.wash.line import WashCase, Washer, wash_line
from core.wash.oxygen import react

KEPT = 0.10  # of COD and oxidant over a wash


@tag("core")
class WorkedLine(SimpleTestCase):
    """10 t OD/h of softwood: every figure of the document within 1 %."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        told = cls.told = {}
        wood = 10.0
        ramp = ((0.0, 80.0), (90.0, 170.0))
        charge = kinetic.Charge(ea_pct_naoh=17.5, sulphidity_pct=29, lw_m3_t=4)
        hold = profile.hold_minutes(1600 - profile.h_factor(ramp), 170)
        cooked = kinetic.cook("softwood", charge, (*ramp, (90.0 + hold, 170.0)))
        came = blow(
            BlowCase(
                yield_pct=cooked.yield_pct, ea_pct_naoh=17.5, sulphidity_pct=29, lw_m3_t=4, residual_g_l=cooked.residual_g_l
            )
        )
        unscreened = wood * cooked.yield_pct / 100.0
        rejects = wood * rejects_pct("softwood", cooked.kappa) / 100.0
        pulp = unscreened - rejects
        told |= {"kappa": cooked.kappa, "total_yield": cooked.yield_pct, "washed_t_h": unscreened, "rejects_t_h": rejects}
        told |= {"pulp_t_h": pulp, "wl_m3_h": 10.0 * wood * 17.5 / 100.0, "x0": came.x0, "feed_pct": came.feed_pct}

        drums = tuple(Washer(kind="drum", e10=3.5, out_pct=c) for c in (12, 12, 13))
        washers = (Washer(kind="wash zone", e10=4.0, out_pct=came.feed_pct), *drums)
        washed = wash_line(
            WashCase(
                feed_pct=came.feed_pct,
                x0=came.x0,
                df=2.0,
                na2so4_share=came.na2so4_share,
                cod_share=came.cod_share,
                od_t_h=unscreened,
                washers=washers,
            )
        )
        bound = bound_saltcake("softwood", 10.0)
        mat = (washed.soda_kg_adt + bound) / 3.0892 / 0.9 * unscreened  # free and bound
        told |= {"evap_t_h": washed.evaporators_t_h, "evap_solids_pct": washed.solids_pct, "loss_kg_adt": washed.loss_kg_adt}
        told |= {"cod_to_o2_kg_odt": washed.cod_kg_adt / 0.9, "na2so4_kg_adt": washed.soda_kg_adt + bound}
        told |= {"na_in_kg_h": came.na_kg * unscreened, "na_mat_kg_h": mat, "na_evap_kg_h": came.na_kg * unscreened - mat}

        cod = washed.cod_kg_adt / 0.9
        o2 = react("softwood", cooked.kappa, minutes=60, temp_c=98, naoh_kg=24, cod_kg=cod)
        steam = heat_pulp(HeatCase(cons_pct=12, from_c=75, to_c=98, reaction_mj=12 * (cooked.kappa - o2.kappa)))
        told |= {"kappa_o2": o2.kappa, "o2_end_ph": o2.end_ph, "o2_steam_t_odt": steam.direct_t_t}

        cod = KEPT * (cod + COD_A_KAPPA * (cooked.kappa - o2.kappa))
        told["cod_to_d0_kg_odt"] = cod
        d0_kg = (2.2 * o2.kappa + COD_CHLORINE * cod) / ACTIVE["ClO2"]
        d0_in = Pulp(kappa=o2.kappa, ks=ks_from_kappa(o2.kappa), cod=cod)
        d0 = run("D0", d0_in, Setting(charge=d0_kg, minutes=45, temp_c=60, ph=2.5)).pulp
        cod = KEPT * (cod + COD_A_KAPPA * (o2.kappa - d0.kappa))
        acids = extraction_acids(active_kg=ACTIVE["ClO2"] * d0_kg, cod_kg=cod, cons_pct=11)
        eop_in = Pulp(kappa=d0.kappa, ks=d0.ks, mn=6.0, cod=cod)
        eop = run("EOP", eop_in, Setting(charge=3.0, minutes=75, temp_c=75, ph=10.8)).pulp
        cod = KEPT * (cod + COD_A_KAPPA * (d0.kappa - eop.kappa))
        d1_in = Pulp(kappa=eop.kappa, ks=eop.ks, cod=cod)
        d1_kg = charge_for_iso("D1", d1_in, Setting(charge=0, minutes=150, temp_c=75, ph=3.8), 88.5)
        told |= {"clo2_d0_kg_odt": d0_kg, "naoh_eop_kg_odt": acids.naoh_for(10.8), "iso_eop": eop.iso, "clo2_d1_kg_odt": d1_kg}
        told["naoh_kg_h"] = pulp * (24 + acids.naoh_for(10.8))
        told |= {"h2o2_kg_h": pulp * 3.0, "clo2_kg_h": pulp * (d0_kg + d1_kg)}
        told["caustic_m3_h"] = told["naoh_kg_h"] / 763
        told |= {"peroxide_m3_h": told["h2o2_kg_h"] / 598, "clo2_m3_h": told["clo2_kg_h"] / 9.4}

    def test_every_figure(self):
        for name, wanted in {
            "kappa": 30.05,
            "pulp_t_h": 4.4879,
            "wl_m3_h": 17.5,
            "x0": 174.82,
            "feed_pct": 9.1641,
            "evap_t_h": 54.582,
            "evap_solids_pct": 14.408,
            "loss_kg_adt": 14.946,
            "cod_to_o2_kg_odt": 14.731,
            "na2so4_kg_adt": 12.777,
            "kappa_o2": 16.053,
            "o2_end_ph": 10.527,
            "washed_t_h": 4.5821,
            "rejects_t_h": 0.094191,
            "total_yield": 45.821,
            "cod_to_d0_kg_odt": 4.2725,
            "clo2_d0_kg_odt": 14.089,
            "naoh_eop_kg_odt": 19.788,
            "iso_eop": 70.107,
            "clo2_d1_kg_odt": 11.372,
            "naoh_kg_h": 196.52,
            "h2o2_kg_h": 13.464,
            "clo2_kg_h": 114.27,
            "caustic_m3_h": 0.25756,
            "peroxide_m3_h": 0.022514,
            "clo2_m3_h": 12.156,
            "o2_steam_t_odt": 0.24143,
            "na_in_kg_h": 1381.6,
            "na_evap_kg_h": 1360.6,
            "na_mat_kg_h": 21.058,
        }.items():
            with self.subTest(name=name):
                self.assertTrue(math.isclose(self.told[name], wanted, rel_tol=1e-2), (self.told[name], wanted))
