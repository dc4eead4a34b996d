"""Every page through the accessibility check, by day and by night."""

from axe_playwright_python.base import AXE_SCRIPT

from desk.mill.drafts import begin_from_version
from tests import make
from tests.browser.desk import DeskCase

EVERY_PAGE = [
    "/",
    "/lab/",
    "/lab/row/K.larch_blow.kappa/",
    "/lab/chart/K.larch_blow.kappa/",
    "/lab/looks/?key=vapour.K.bleach",
    "/moves/learnt/",
    "/lab/cause/K.larch_blow.kappa/",
    "/deliver/deviations/",
    "/deliver/trace/?suspect=KD-26317-B02-5",
    "/lab/record/machine.chest.consistency/"
    "?a.stock_g=502.4&a.paper_g=0.842&a.pad_g=19.61&b.stock_g=498.7&b.paper_g=0.838&b.pad_g=19.45",
    "/schedule/",
    "/schedule/card/?order=H-0413",
    "/schedule/card/?order=H-0413&gsm=thick",
    "/log/",
    "/log/1/",
    "/log/note/",
    "/log/handover/",
    "/mill/",
    "/stock/",
    "/stock/chests/",
    "/stock/dilution/",
    "/stock/dilution/?flow_l_min=-3",
    "/stock/mixing/",
    "/stock/variability/",
    "/deliver/lots/",
    "/deliver/claim/",
    "/deliver/machine/?next_iso=81",
    "/clean/?line=K.clean",
    "/refine/?line=S.refine&want=330",
    "/refine/plates/",
    "/blend/?least=1",
    "/blend/broke/",
    "/blend/put/?s0=48&s1=15&s2=10.2&s3=14.4&s4=5.2&s5=7.2",
    "/recovered/yard/",
    "/recovered/pulper/?n1=4",
    "/recovered/outbreak/?hours=72",
    "/deliver/lots/BM-26318-A01-2/",
    "/deliver/lots/BM-26318-A01-2/ticket/",
    "/chips/",
    "/moves/",
    "/moves/row/T1/?csf_ml=142",
    "/wash/?m0=50&m1=26&m2=5",
    "/bleach/?solve=1&front=30",
    "/bleach/?seq=D-%28E",
    "/bleach/compare/",
    "/bleach/tanks/",
    "/cook/",
    "/cook/house/",
    "/cook/continuous/",
    "/cook/records/",
    "/cook/records/1148/",
    "/cook/fit/larch/",
    "/line/wash/",
    "/practice/",
    "/help/",
    "/cards/?station=bleach&one=liquor&other=acid",
    "/cards/checklist/?kind=chemical+unloading&one=liquor&other=acid",
    "/models/",
    "/models/stock.cover/",
    "/instruments/",
    "/cases/",
    "/log/audit/?verify=1",
    "/drift/",
    "/people/",
    "/schedule/stops/",
    "/schedule/gates/",
    "/schedule/plan/?orders=B&rates=2",
    "/schedule/plan/1/",
    "/schedule/orders/bring-in/",
    "/schedule/fits/?vessel=R.tower&stop_in=4&stop_for=20",
    "/cards/limits/",
    "/schedule/ahead/?break=30",
    "/mill/accounts/",
    "/stock/vessel/K.tower/",
    "/stock/loop-step/",
    "/moves/cover/S.tower/?ask=take",
    "/mill/edit/grades/EX70/",
    "/mill/draft/?part=units:K.larch.wash",
    "/mill/draft/against/",
    "/mill/case/?s.K.larch.cook.ea_pct_naoh=17&f.K=54&f.S=10",
    "/trend/K.larch_blow.kappa/",
    "/nowhere/",
]

OF_ONE_TEMPLATE = [  # with one above; only their width, on the floor
    "/lab/record/K.larch_blow.kappa/?mode=none",
    "/moves/row/K10/",
    "/lab/chart/K.last_washer.dirt/",
    "/mill/draft/?tab=grades",
    "/schedule/plan/?h=8",
    "/wash/bench/stage/",
    "/cook/bench/alkaline/",
    "/mill/case/?s.K.larch.cook.ea_pct_naoh=17",
    "/moves/cover/S.tower/",
]


TARGETS = """() => {
  const small = [];
  const touched = 'button, a.key, select, input:not([type=hidden]), nav a, summary, textarea, label.key';
  for (const e of document.querySelectorAll(touched)) {
    const style = getComputedStyle(e);
    if (e.classList.contains('vh') || ['checkbox', 'radio'].includes(e.type) || style.visibility == 'hidden') continue;
    const box = (['INPUT', 'SELECT'].includes(e.tagName) && e.closest('.well') || e).getBoundingClientRect();
    if (e.tagName == 'INPUT' && e.closest('.well')
      && getComputedStyle(e.closest('.well')).display == 'none') small.push(`no well: ${e.id}`);
    if (!box.width || !box.height) continue;
    const words = `${e.tagName} ${e.textContent.trim().slice(0, 20)} ${box.height}`;
    if (box.height < 43.5 || (e.tagName != 'A' && box.width < 43.5)) small.push(words);
  }
  return [document.documentElement.scrollWidth, small];
}"""


class Walk:
    """A half of the pages, each in both themes; on the floor none is wider than its screen, and nothing to press is smaller
    than 44 px; nothing is said on the console."""

    half = 0

    def test_every_page_is_accessible(self):
        begin_from_version(by=make.person("pn"), now=make.NOW)
        self.page.add_init_script(AXE_SCRIPT)  # as a part of every page its reading is remembered
        self.sign_in("Shift lead, day shift")
        for path in EVERY_PAGE[self.half :: 2]:
            with self.subTest(path=path):
                self.open(path)
                self.accessible(themes=("day", "night"))
                self.page.set_viewport_size({"width": 820, "height": 1180})
                self.assertEqual(self.page.evaluate(TARGETS), [820, []])
                self.page.set_viewport_size({"width": 1280, "height": 800})
        self.assertEqual([s for s in self.said if "404" not in s], [])
        floor = self.window(820, 1180)
        self.sign_in("Shift lead, day shift", floor)
        for path in OF_ONE_TEMPLATE[self.half :: 2]:
            with self.subTest(path=path):
                self.open(path, floor)
                self.assertEqual(floor.evaluate(TARGETS), [820, []])
        self.assertEqual(self.said, [])


class FirstHalf(Walk, DeskCase):
    def test_the_sign_in_page_in_both_themes(self):
        self.open("/sign-in/")
        self.accessible(themes=("day", "night"))
        self.page.context.add_cookies([{"name": "theme", "value": "night", "url": self.live_server_url}])
        self.open("/sign-in/")
        self.assertEqual(self.page.evaluate("document.documentElement.dataset.theme"), "night")


class SecondHalf(Walk, DeskCase):
    half = 1


class OnTablet(DeskCase):
    """With a finger: Shift shows all ten stations, and the figures' pad can be pressed."""

    def test_shift_and_a_sample_under_a_finger(self):
        tablet = self.window(820, 1180, has_touch=True)
        self.sign_in("Shift lead, day shift", tablet)
        self.open("/", tablet)
        self.assertEqual(tablet.locator(".rib .row > b:visible").count(), 10)
        self.open("/lab/record/machine.chest.consistency/", tablet)
        self.assertEqual(tablet.locator("[data-pad-key]:visible").count(), 15)
        self.assertEqual(tablet.evaluate(TARGETS), [820, []])
