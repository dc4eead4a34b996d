"""Takes docs/screenshots anew: the demo mill, served on this machine, one picture of each main view."""

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import sync_playwright

HOUSE = Path(__file__).resolve().parent.parent
OUT = HOUSE / "docs" / "screenshots"
PORT = 8347
# name: (address, person, width, height, theme)
VIEWS = {
    "shift-day": ("/", "mr", 1280, 800, "day"),
    "run-card": ("/schedule/card/?order=H-0413", "mr", 1280, 800, "day"),
    "stock": ("/stock/", "jd", 1280, 800, "day"),
    "chart": ("/lab/chart/K.larch_blow.kappa/", "pn", 1280, 1040, "day"),
    "handover": ("/log/handover/", "mr", 1280, 800, "day"),
    "chips": ("/chips/", "mr", 1280, 800, "day"),
    "cook": ("/cook/?solve=time", "mr", 1280, 800, "day"),
    "plan": ("/schedule/plan/?rates=1&h=24", "mr", 1280, 1200, "day"),
    "floor": ("/", "jd", 820, 1180, "day"),
    "wash": ("/wash/?m0=50.8&m1=26.1&m2=5.1", "mr", 1280, 800, "day"),
    "bleach": ("/bleach/?front=30", "mr", 1280, 800, "day"),
    "case": ("/mill/case/?s.K.larch.cook.ea_pct_naoh=17.2&s.K.alder.chips.feed_t_h=5.2", "mr", 1280, 1000, "night"),
    "setup": ("/mill/draft/?part=units:K.larch.wash", "pn", 1280, 800, "day"),
    "ahead": ("/schedule/ahead/?break_in=60&break=45", "mr", 1280, 860, "day"),
    "clean": ("/clean/?line=K.clean&open1=5", "mr", 1280, 800, "day"),
    "recovered": ("/recovered/", "mr", 1280, 800, "day"),
    "refine": ("/refine/?line=K.refine&want=430", "mr", 1280, 800, "day"),
    "blend": ("/blend/?least=1", "mr", 1280, 1000, "day"),
    "cause": ("/lab/cause/K.larch_blow.kappa/", "tk", 1280, 800, "night"),
}
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def served(folder: str) -> subprocess.Popen:
    server = subprocess.Popen(
        [sys.executable, "-m", "desk.server", "--demo", "--port", str(PORT)],
        cwd=HOUSE,
        env={**os.environ, "VAT_DATA": folder, "VAT_DEMO": "1", "DJANGO_SETTINGS_MODULE": "desk.settings"},
        stdout=subprocess.DEVNULL,
    )
    for _ in range(600):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{PORT}/sign-in/", timeout=1)
            return server
        except OSError:
            time.sleep(0.1)
    raise SystemExit("the demo did not start")


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    base = f"http://localhost:{PORT}"
    with tempfile.TemporaryDirectory() as folder:
        server = served(folder)
        try:
            with sync_playwright() as p:
                browser = p.chromium.launch(executable_path=os.environ.get("VAT_CHROMIUM", "/usr/bin/chromium"), args=FLAGS)
                for name, (path, person, width, height, theme) in VIEWS.items():
                    context = browser.new_context(viewport={"width": width, "height": height}, has_touch=width < 900)
                    context.add_cookies([{"name": "theme", "value": theme, "url": base}])
                    page = context.new_page()
                    if person:
                        page.goto(base + "/sign-in/")
                        page.click(f'button[value="{person}"]')
                    if path == "print":
                        page.goto(base + "/schedule/card/?order=H-0413&grade=LB80&gsm=80&sale_t=80&speed_m_min=880&start=16:45")
                        page.get_by_role("button", name="Issue the card").click()
                        page.goto(page.url + "print/")
                    else:
                        page.goto(base + path)
                        if (begin := page.get_by_role("button", name="Begin from version")).count():
                            begin.click()  # a set-up has a draft only once one is begun
                            page.goto(base + path)
                    page.wait_for_load_state("networkidle")
                    page.screenshot(path=OUT / f"{name}.png")
                    context.close()
                browser.close()
        finally:
            server.terminate()
            server.wait()
    print(f"{len(VIEWS)} pictures in docs/screenshots.")


if __name__ == "__main__":
    main()
