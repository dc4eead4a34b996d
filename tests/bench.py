"""Timings of the core and the pages, medians side by side. Prints; never fails on a figure."""

import gzip
import json
import os
import statistics
import time
from pathlib import Path

import django

django.setup()

from django.test import Client  # noqa: E402
from django.test.utils import setup_databases, teardown_databases  # noqa: E402

HOUSE = Path(__file__).resolve().parent.parent


def median_ms(action, times: int = 30, warm: int = 3) -> float:
    for _ in range(warm):
        action()
    spent = []
    for _ in range(times):
        start = time.perf_counter()
        action()
        spent.append(1000.0 * (time.perf_counter() - start))
    return statistics.median(spent)


def line(name: str, value: float, unit: str, wanted: float | None = None, note: str = "") -> None:
    aim = f"   wanted <= {wanted:g}" if wanted is not None else ""
    print(f"{name:<58}{value:>9.1f} {unit:<4}{aim}{'   ' + note if note else ''}")


def memory_mb() -> float:
    """Resident memory of this process, with the application loaded and its pages rendered."""
    for row in Path("/proc/self/status").read_text().splitlines():
        if row.startswith("VmRSS"):
            return int(row.split()[1]) / 1024.0
    return float("nan")


def main() -> None:
    from scipy.sparse import csc_array
    from scipy.sparse.linalg import splu

    from core.line.mill import network, read_mill
    from core.line.steady import solve
    from desk.mill import ribbon, state
    from desk.shift.demo import DOCUMENT
    from tests import make

    kept = setup_databases(verbosity=0, interactive=False)
    try:
        make.demo()
        now = make.state(0)
        mill = read_mill(json.loads(DOCUMENT.read_text()))
        net = network(mill, now.running)
        n, components = len(net.units), net.routing.shape[0]

        import numpy as np

        size = n * components
        matrix = np.eye(size)
        for c in range(components):
            matrix[c * n : (c + 1) * n, c * n : (c + 1) * n] -= net.routing[c] * 0.999
        sparse, right = csc_array(matrix), net.feed.T.ravel()
        solved = median_ms(lambda: solve(net))
        bare = median_ms(lambda: splu(sparse).solve(right))
        line(f"steady-state solve, {n} units x {components} components, {len(net.draws)} draws", solved, "ms", 10)
        line(f"one bare sparse LU and solve of {size} unknowns", bare, "ms", note=f"ratio {solved / bare:.1f}")
        line("network laid out and checked", median_ms(lambda: network(mill, now.running)), "ms")

        client = Client()
        client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")

        def page(path: str, **headers):
            def get():
                response = client.get(path, headers=headers)
                assert response.status_code == 200, (path, response.status_code)

            return get

        def shift_cold():
            state._solved.cache_clear()
            ribbon._small.clear()
            page("/")()

        line("Shift at the server", median_ms(page("/")), "ms", 60)
        line("Shift, the line solved anew", median_ms(shift_cold), "ms", 60)
        htmx = {"HX-Request": "true", "HX-Target": "answer"}
        line(
            "Stock, line and meter, recomputed",
            median_ms(page("/stock/?row=S.chest.consistency&target_pct=3.6", **htmx)),
            "ms",
            40,
        )
        line("Stock, dilution, recomputed", median_ms(page("/stock/dilution/?target_pct=3.1", **htmx)), "ms", 40)
        line("run card with its reliefs, recomputed", median_ms(page("/schedule/card/?order=H-0413", **htmx)), "ms", 100)
        line(
            "a sample worked out as it is typed",
            median_ms(page("/lab/record/machine.chest.consistency/?a.stock_g=500&a.paper_g=.8&a.pad_g=19", **htmx)),
            "ms",
            40,
        )

        html = client.get("/").content
        styles = (HOUSE / "desk/static/desk/app.css").read_bytes()
        import django_htmx

        htmx_js = next(Path(django_htmx.__file__).parent.rglob("htmx-2.min.js")).read_bytes()
        fonts = sum(f.stat().st_size for f in (HOUSE / "desk/static/desk/fonts").glob("*.woff2"))
        packed = sum(len(gzip.compress(x)) for x in (html, styles, htmx_js, (HOUSE / "desk/static/desk/desk.js").read_bytes()))
        line("first load of Shift over the wire", (packed + fonts) / 1024, "KB", 250, f"of it fonts {fonts / 1024:.0f}")
        line("memory of the web process", memory_mb(), "MB", 220, "this process, pages rendered")
    finally:
        teardown_databases(kept, verbosity=0)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tests.settings")
    main()
