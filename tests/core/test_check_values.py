"""The published and computed check values of the models documents, one table a model."""

import math

import numpy as np
from django.test import SimpleTestCase, tag

from core import colour
from core.blend.mix import Source, mix_furnish
from core.constants import SHORT_TON_KG
from core.deliver import draw as delivery
from core.deliver import lots, release
from core.errors import Infeasible
from core.judge import due, move
from core.judge.band import Band, State, judge
from core.lab import consistency
from core.lab.replicate import Status, combine
from core.line.network import Outlet, Unit, build, shares
from core.line.steady import solve
from core.stock import basis_weight, density, dilution, flow, loop, mixing, shape, transmitter
from core.stock.cover import CoverCase, Piece, cover, forecast
from core.stream import INDEX, N, mix, stream


def row(**t_h: float) -> np.ndarray:
    v = np.zeros(N)
    for name, value in t_h.items():
        v[INDEX[name]] = value
    return v


@tag("core")
class CheckValues(SimpleTestCase):
    def near(self, found: float, wanted: float, rel: float = 1e-4, **where) -> None:
        with self.subTest(wanted=wanted, **where):
            self.assertTrue(math.isclose(found, wanted, rel_tol=rel), f"{found!r} is not {wanted!r} within {rel:g}")

    # section 1: stream and mass balance
    def test_two_stage_cascade(self):
        feed = row(LF=10.0)
        net = build(
            [
                Unit(
                    id="1",
                    feed=feed,
                    outlets=(Outlet(name="a", to="accept", shares=shares(0.8)), Outlet(name="r", to="2", shares=shares(0.2))),
                ),
                Unit(
                    id="2",
                    outlets=(Outlet(name="a", to="1", shares=shares(0.75)), Outlet(name="r", to="reject", shares=shares(0.25))),
                ),
                Unit(id="accept"),
                Unit(id="reject"),
            ]
        )
        found = solve(net).into[:, 0]
        for i, wanted in enumerate((11.7647059, 2.3529412, 9.4117647, 0.5882353)):
            self.near(float(found[i]), wanted, 1e-6)

    def test_cascade_closed_form(self):
        r1, r2 = 0.17, 0.31  # phi_2 = R_2; phi_1 = R_1 phi_2 / (1 - R_1 (1 - phi_2))
        loss = r1 * r2 / (1 - r1 * (1 - r2))
        net = build(
            [
                Unit(
                    id="1",
                    feed=row(SF=1.0),
                    outlets=(Outlet(name="a", to="out", shares=shares(1 - r1)), Outlet(name="r", to="2", shares=shares(r1))),
                ),
                Unit(
                    id="2",
                    outlets=(Outlet(name="a", to="1", shares=shares(1 - r2)), Outlet(name="r", to="lost", shares=shares(r2))),
                ),
                Unit(id="out"),
                Unit(id="lost"),
            ]
        )
        self.near(solve(net).enters("lost")["SF"], loss, 1e-12)

    def test_mixer(self):
        s = stream(LF=4, SF=3, FN=2, FL=1, DS=0.2, W=250)
        self.near(s.cons_pct, 3.8432, 1e-5)
        self.near(s.ash_pct, 100 * (1 + 0.005 * 9) / 10, 1e-6)
        self.near(100 * s["FL"] / s.solids_t_h, 10.0, 1e-6)

    def test_dissolved_in_a_loop_is_input_over_bleed(self):
        bleed = 40.0 / 1000.0
        net = build(
            [
                Unit(
                    id="loop",
                    feed=row(DS=0.5, W=40.0),
                    outlets=(
                        Outlet(name="back", to="loop", shares=shares(1 - bleed)),
                        Outlet(name="bleed", to="out", shares=shares(bleed)),
                    ),
                ),
                Unit(id="out"),
            ]
        )
        inside = solve(net).enters("loop")
        self.near(1e6 * inside["DS"] / inside["W"], 12500.0, 1e-6)

    def test_vessels_in_time(self):
        self.near(mixing.step_mixed(3.0, 3.5, 10, 20), 3.19673, 1e-5)
        one = 3.0 + (3.5 - 3.0) * 10 / 20
        ten = 3.0
        for _ in range(10):
            ten += (3.5 - ten) / 20
        self.near(one, 3.25, 1e-5)
        self.near(ten, 3.20063, 1e-5)

    def test_blend_temperature(self):
        self.near(mix((stream(temp_c=60, W=1000), stream(temp_c=20, W=500))).temp_c, 46.667, 1e-5)

    # section 2: consistency
    def test_laboratory_consistency(self):
        w = consistency.Weighing(stock_g=1318.4 - 212.6, paper_g=1.22, pad_g=43.86)
        self.near(consistency.weigh(w).cons_pct, 3.8560)

    def test_dilution(self):
        case = {"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2}
        for water, wanted in ((0.0, 1000.0), (0.40, 1142.857)):
            self.near(dilution.dilute(dilution.DilutionCase(**case, water_cons_pct=water)).water_l_min, wanted)
        for water, wanted in ((0.0, 18.375), (0.30, 19.865)):  # shift practice, section 4
            made = dilution.dilute(dilution.DilutionCase(flow_l_min=210, cons_pct=4.35, target_pct=4.0, water_cons_pct=water))
            self.near(made.water_l_min, wanted)
        out = dilution.dilute_outflow(dilution.OutflowCase(flow_out_l_min=3600, cons_pct=4.8, target_pct=3.2))
        self.near(out.stock_l_min, 2400.0)
        self.near(out.water_l_min, 1200.0)

    def test_flows(self):
        self.near(flow.stock_flow(flow.StockFlowCase(fibre_t_h=200 / 24, cons_pct=3.5)).flow_l_min, 3968.3)
        us = flow.stock_flow(flow.StockFlowCase(fibre_t_h=200 * SHORT_TON_KG / 24000, cons_pct=3.5))
        self.near(us.flow_us_gpm, 951.0)
        air = flow.fibre_flow(flow.FibreFlowCase(flow_l_min=3000, cons_pct=3.6, density_kg_l=1.004, air_pct=4))
        self.near(air.fibre_t_h, 6.2457)
        self.near(air.uncorrected_t_h, 6.5059)

    def test_densities(self):
        d = density.stock_density(density.DensityCase(cons_pct=4, temp_c=45, ash_pct=15))
        self.near(d.kg_m3, 1005.99, 2e-4)
        self.near(d.water_kg_m3, 990.24, 1e-5)
        self.near(density.stock_density(density.DensityCase(cons_pct=12, temp_c=70)).kg_m3, 1021.48, 2e-4)
        for temp, wanted in ((20, 1.010), (45, 1.002), (70, 0.990)):
            self.near(density.stock_density(density.DensityCase(cons_pct=3.5, temp_c=temp)).kg_l, wanted, 6e-4)

    def test_transmitter(self):
        lab = [3.42, 3.55, 3.31, 3.6, 3.48, 3.7, 3.25, 3.52]
        meter = [3.5, 3.66, 3.38, 3.69, 3.59, 3.8, 3.3, 3.62]
        pairs = tuple(transmitter.Pair(m, x) for m, x in zip(meter, lab, strict=True))
        found = transmitter.check_transmitter(transmitter.TransmitterCase(pairs=pairs))
        for name, wanted, rel in (
            ("bias_pct", 0.08875, 1e-3),
            ("sd_pct", 0.02100, 1e-3),
            ("t", 11.953, 1e-3),
            ("t_critical", 2.365, 1e-3),
            ("slope", 1.1149, 1e-3),
            ("intercept_pct", -0.3110, 1e-3),
            ("slope_se", 0.0488, 5e-3),
            ("slope_low", 0.9955, 5e-3),
            ("slope_high", 1.2343, 5e-3),
        ):
            self.near(getattr(found, name), wanted, rel, figure=name)
        self.assertEqual(found.outcome, transmitter.Outcome.OFFSET)

    def test_loop_agrees_with_the_water_balance(self):
        case = loop.LoopCase(
            stock_l_min=588, inlet_pct=4.8, target_pct=3.55, measured_pct=3.46, water_cons_pct=0.4, water_max_l_min=420
        )
        found = loop.consistency_loop(case)
        self.near(found.water_now_l_min, 257.4, 1e-3)
        self.near(found.change_l_min, found.flow_l_min * (3.46 - 3.55) / (3.55 - 0.4), 1e-9)

    # section 8: mixing of the furnish
    def test_blend(self):
        def three(**by: tuple[float, float, float]) -> tuple[Source, ...]:
            base = {
                "cons_pct": (3.8, 4.0, 3.2),
                "ash_pct": (0.0, 0.0, 0.0),
                "iso_pct": (80.0, 80.0, 80.0),
                "s457": (28.0, 38.0, 55.0),
                "csf_ml": (500.0, 400.0, 250.0),
            }
            base |= by
            return tuple(
                Source(key=k, share=f, **{n: v[i] for n, v in base.items()})
                for i, (k, f) in enumerate((("a", 0.4), ("b", 0.4), ("c", 0.2)))
            )

        iso = tuple(colour.brightness_from_ks(k / s) for k, s in ((0.229, 28), (0.310, 38), (4.80, 55)))
        found = mix_furnish(three(iso_pct=iso))
        self.near(found.cons_pct, 3.7346)
        self.near(found.iso_pct, 77.874)
        self.near(found.csf_ml, 398.11)

    # section 9: chests
    def test_volumes(self):
        cone = shape.Cylinder(radius_m=2.5, brim_m=8.0, cone_m=2.0)
        for h, wanted in ((1.0, 1.6362), (2.0, 13.0900), (6.0, 91.6298)):
            self.near(cone.volume_m3(h), wanted)
        self.near(shape.level_m(cone, 50.0), 3.87981)

    def test_cover(self):
        found = cover(CoverCase(capacity=250, level_pct=60, rate_in=120, rate_out=150))
        self.near(found.to_low_h, 4.16667)
        self.assertEqual(found.to_high_h, math.inf)
        course = forecast(content=180, low=0, high=250, pieces=(Piece(2, 120, 150), Piece(5, 0, 150), Piece(9, 180, 150)))
        self.near(course.at(2.0), 120.0)
        self.near(course.low_at_h, 2.8)

    def test_mixing(self):
        self.near(mixing.swing_left(30, 10), 0.05298)
        self.near(mixing.scatter_left(30, 5), 0.37796)

    # section 10: delivery
    def test_draw(self):
        case = delivery.DrawCase(gsm=80, speed_m_min=900, width_m=5.0, moisture_pct=5, sheet_ash_pct=15, furnish_ash_pct=8)
        found = delivery.draw(case)
        for name, wanted, rel in (
            ("gross_t_h", 21.6, 1e-4),
            ("od_t_h", 20.52, 1e-4),
            ("web_t_h", 20.9304, 5e-4),
            ("solids_t_h", 20.1436, 5e-4),
            ("filler_t_h", 1.6589, 5e-4),
        ):
            self.near(getattr(found, name), wanted, rel, figure=name)

    def test_approach_flow(self):
        self.near(flow.stock_flow(flow.StockFlowCase(fibre_t_h=18.9, cons_pct=3.2, density_kg_l=1.004)).flow_l_min, 9804.5)
        h = delivery.headbox(
            delivery.HeadboxCase(stock_l_min=9800, stock_pct=3.2, headbox_pct=0.7, tray_pct=0.2, tray_share=0.985)
        )
        self.near(h.water_l_min, 49000)
        self.near(h.flow_l_min, 58800)
        self.near(h.first_pass_pct, 71.857)
        self.near(
            basis_weight.variability(
                basis_weight.BudgetCase(cons_pct=0.5, flow_pct=0.3, speed_pct=0.05, retention_pct=0.4)
            ).total_pct,
            0.7089,
        )
        dirt = delivery.BlendOffCase(good=30, bad=220, limit=60, mixes="its mass")
        self.near(delivery.blend_off(dirt).share_pct, 15.79, 1e-3)

    def test_release_bound(self):
        results = tuple(402 + 12 * z for z in (-1.161895, -0.387298, 0.387298, 1.161895))  # mean 402, sd 12
        test = release.CardTest(key="freeness", low=390, high=math.inf, critical=True, results=results)
        found = release.judge_test(test)
        self.near(found.lower, 387.88, 1e-3)
        self.assertEqual(found.verdict, release.Verdict.FLAGGED)
        self.assertEqual(release.dispose((test,)).action, release.Action.HOLD)

    # laboratory and practice
    def test_replicates(self):
        two = combine((3.42, 3.58), r_abs=0.05, r_rel_pct=3)
        self.assertEqual(two.status, Status.THIRD_NEEDED)
        self.near(two.limit, 0.105, 1e-9)
        three = combine((3.42, 3.58, 3.55), r_abs=0.05, r_rel_pct=3)
        self.assertEqual((three.status, three.value), (Status.MEDIAN_FLAGGED, 3.55))
        self.near(three.limit, 1.18 * 0.03 * (3.42 + 3.58 + 3.55) / 3, 1e-9)
        a = consistency.weigh(consistency.Weighing(stock_g=612.4 - 112.1, paper_g=1.212, pad_g=18.874)).cons_pct
        b = consistency.weigh(consistency.Weighing(stock_g=598.7 - 111.8, paper_g=1.208, pad_g=18.410)).cons_pct
        self.near(a, 3.5303, 2e-5)
        self.near(b, 3.5330, 2e-5)
        self.assertEqual(consistency.duplicates(a, b).status, Status.ACCEPTED)

    def test_moves(self):
        band = Band(low=28, high=32, target=30)
        self.near(move.feedback_step(reading=33.1, band=band, gain=-0.020).size, 108.5)
        self.assertEqual(move.feedback_step(reading=30.8, band=band, gain=-0.020).size, 0.0)
        self.near(move.strength_step(8.2, 10.0, 8.6), 9.535)
        for temp, wanted in ((160, 401.7), (165, 614.2), (170, 930.1), (175, 1395.6)):
            self.near(move.relative_rate(temp), wanted, 1e-3)
        self.near(move.minutes_for_h(108.5, 170), 7.0, 1e-3)
        for share, wanted in ((0.2, 1.054), (0.3, 1.085), (0.5, 1.155), (0.7, 1.240), (1.0, 1.414)):
            self.near(move.tampering_factor(share), wanted, 1e-3)

    def test_due(self):
        self.assertEqual(due.due(since_last_min=(10.9 - 6.0) * 60, interval_min=240).state, due.DueState.DUE)
        self.assertEqual(due.due(since_last_min=(11.1 - 6.0) * 60, interval_min=240).state, due.DueState.LATE)
        self.assertEqual(due.due(since_last_min=481, interval_min=240).state, due.DueState.MISSED)

    def test_judging(self):
        band = Band(low=28, high=32, outer_low=26, outer_high=34, target=30)
        for value, sure, state, word in (
            (33.1, True, State.ACT, "high"),
            (33.1, False, State.WATCH, "high, once"),
            (31.9, True, State.WATCH, "near top"),
            (30.0, True, State.IN, "in band"),
            (34.5, False, State.CONTAIN, "high"),
            (27.0, True, State.ACT, "low"),
            (28.2, True, State.WATCH, "near bottom"),
            (32.0, True, State.WATCH, "near top"),
        ):
            with self.subTest(value=value, sure=sure):
                found = judge(value, band, confirmed=sure)
                self.assertEqual((found.state, found.word), (state, word))

    def test_lot_numbers(self):
        for bare, sign in (("KD26317A04", "H"), ("RP26317B12", "8"), ("BM26318A01", "2")):
            self.assertEqual(lots.check_sign(bare), sign)

    def test_colours(self):
        for kappa, ks, iso, dry in (
            (90, 2.6678, 13.9, "#A58D68"),
            (60, 1.763, 18.7, "#B29C78"),
            (40, 1.1579, 24.6, "#BEAB88"),
            (28, 0.7931, 30.5, "#C8B696"),
            (18, 0.48744, 38.6, "#D2C4A7"),
            (10, 0.24197, 50.5, "#DFD3BC"),
            (5, 0.092842, 65.2, "#EAE3D3"),
            (3, 0.0403, 75.4, "#F1ECE1"),
            (1.5, 0.010803, 86.3, "#F8F5EF"),
        ):
            found = colour.ks_from_kappa(kappa)
            self.near(found, ks, 5e-3, kappa=kappa)
            self.near(colour.brightness_from_ks(found), iso, 5e-3, kappa=kappa)
            self.assertEqual(colour.swatch(found).hex, dry)
        for kappa, wet in ((90, "#8A714E"), (28, "#B6A17D"), (10, "#D5C7AC"), (1.5, "#F6F3EC")):
            shown = colour.swatch(colour.ks_from_kappa(kappa), wet=True).hex
            steps = [abs(int(shown[i : i + 2], 16) - int(wet[i : i + 2], 16)) for i in (1, 3, 5)]
            self.assertLessEqual(max(steps), 1, f"{shown} is not {wet}")
        ks = [(1 - b) ** 2 / (2 * b) for b in (0.88, 0.60)]
        mixed = colour.mix_ks(((0.7, 32, ks[0]), (0.3, 55, ks[1])))
        self.near(mixed, 0.061267, 3e-3)
        self.assertEqual(colour.swatch(mixed).hex, "#EEE8DB")

    def test_infeasible_is_an_answer(self):
        thick = dilution.dilute(dilution.DilutionCase(flow_l_min=100, cons_pct=3, target_pct=4))
        self.assertIsInstance(thick, Infeasible)
        self.assertEqual((thick.field, thick.nearest), ("target_pct", 3))
        ash = delivery.draw(delivery.DrawCase(gsm=80, speed_m_min=900, width_m=5, sheet_ash_pct=5, furnish_ash_pct=8))
        self.assertEqual((ash.field, ash.nearest), ("sheet_ash_pct", 8))
