"""The demo mill's plates: when its kraft refiners' were fitted, and what was measured of them since."""

from datetime import timedelta

from desk.log.actions import write
from desk.log.models import Kind

EVERY_H = 130.0
READ = {
    "K.refine.1": ("K1", ((66.0, 6.0), (65.5, 5.85), (64.0, 5.72), (63.5, 5.58), (62.0, 5.41))),
    "K.refine.2": ("K2", ((90.0, 6.0), (88.5, 5.78), (87.5, 5.55), (85.0, 5.31), (84.0, 5.10))),
}

GAPS = {"K.refine.1": (0.26, 0.25, 0.25, 0.24, 0.24), "K.refine.2": (0.25, 0.24, 0.22, 0.21, 0.19)}


def build_plates(people, now) -> None:
    """New plates, then a measurement every few days, by the shift's operator."""
    for subject, (name, told) in READ.items():
        for i, (kw, mm) in enumerate(told):
            status, words = ("fitted", "new plates fitted") if i == 0 else ("measured", "plates measured")
            write(
                kind=Kind.EVENT,
                subject=f"plates.{subject}",
                by=people["jd"],
                now=now - timedelta(hours=EVERY_H * (len(told) - 1 - i) + 4.0),
                says=f"{name}, {words}: {kw:.0f} kW, {mm:.2f} mm, gap {GAPS[subject][i]:.2f} mm",
                status=status,
                data={"no_load_kw": kw, "groove_mm": mm, "gap_mm": GAPS[subject][i]},
            )
