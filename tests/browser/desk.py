"""A browser at the desk: Debian's Chromium, a silent console, no other host."""

import os

from axe_playwright_python.base import AXE_SCRIPT
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import tag
from playwright.sync_api import expect, sync_playwright

from tests import make

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
CHROMIUM = os.environ.get("VAT_CHROMIUM", "/usr/bin/chromium")
CHECK = """async ([themes, known]) => {
  const told = [], fresh = [], before = document.documentElement.dataset.theme;
  const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'best-practice'], off = {};
  const ofColours = ['color-contrast', 'link-in-text-block'];
  for (const rule of ofColours) off[rule] = {enabled: false};
  const whole = {runOnly: tags, rules: off, resultTypes: ['violations']};
  const colours = {runOnly: {type: 'rule', values: ofColours}, resultTypes: ['violations']};
  const found = (await axe.run(document, whole)).violations.map(v => [before, v]);
  const grounds = new Map();
  const ground = e => {  // what lies behind a text, up to the first that lets nothing through
    if (!e) return '';
    if (!grounds.has(e)) {
      const {backgroundImage: image, backgroundColor: colour, opacity} = getComputedStyle(e);
      const through = /^rgba\\(.*, 0\\)$/.test(colour) || colour.includes('/');
      grounds.set(e, [image == 'none' ? '' : image, colour, opacity].join() + (through ? ground(e.parentElement) : ''));
    }
    return grounds.get(e);
  };
  for (const theme of themes.length ? themes : [before]) {
    document.documentElement.dataset.theme = theme;
    const seen = new Set(known), marked = [];
    grounds.clear();
    for (const e of document.body.querySelectorAll('*')) {  // one text of each pair of colours, size and weight
      if (![...e.childNodes].some(n => n.nodeType == 3 && n.data.trim()) && !e.matches('input, select, textarea')) continue;
      if (!e.checkVisibility()) continue;
      const style = getComputedStyle(e);
      const kind = [e.namespaceURI.slice(-3), e.matches('a'), style.textDecorationLine, e.parentElement.matches('p, li, td')];
      const pair = [theme, kind, style.color, style.fill, style.fontSize, style.fontWeight, ground(e)].join();
      if (seen.has(pair)) continue;
      seen.add(pair), fresh.push(pair), marked.push(e), e.setAttribute('data-checked', '');
    }
    if (marked.length)
      for (const v of (await axe.run({include: [['[data-checked]']]}, colours)).violations) found.push([theme, v]);
    for (const e of marked) e.removeAttribute('data-checked');
  }
  for (const [theme, v] of found)
    for (const n of v.nodes.slice(0, 3))
      told.push(`${theme}: ${v.id}: ${n.html.slice(0, 160)} ${(n.failureSummary || '').slice(0, 200)}`);
  document.documentElement.dataset.theme = before;
  return [told, fresh];
}"""
KNOWN: set[str] = set()  # pairs of colours that the check has passed in this process

expect.set_options(timeout=10_000)


@tag("browser")
class DeskCase(StaticLiveServerTestCase):
    """Starts Chromium once for the class; each test has a fresh demo mill, numbered from one, and a fresh window."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.chromium = cls.playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        cls.addClassCleanup(cls.chromium.close)

    def setUp(self):
        make.demo()
        self.page = self.window()

    def _fixture_teardown(self):
        """Not emptied but put back, which is quicker, and leaves the demo to the classes that come after."""
        make.put_back()

    def window(self, width: int = 1280, height: int = 800, **more):
        context = self.chromium.new_context(viewport={"width": width, "height": height}, **more)
        self.addCleanup(context.close)
        page = context.new_page()
        self.said: list[str] = []
        page.on("console", lambda m: self.said.append(f"{page.url}: {m.text}"))
        page.on("pageerror", lambda e: self.said.append(f"{page.url}: {e}"))
        page.on(
            "request",
            lambda r: self.said.append(f"asks {r.url}") if not r.url.startswith((self.live_server_url, "data:")) else None,
        )
        return page

    def _given_up(self, text: str) -> bool:
        """Whether a page only says that a request was given up, since it was left while a slow answer was under way."""
        place = text.partition(": htmx:")[0]
        aborted = f"{place}: htmx:sendAbort, [object HTMLDivElement]"
        return aborted in self.said and text in (aborted, aborted.replace("sendAbort", "afterRequest"))

    def open(self, path: str, page=None) -> None:
        (page or self.page).goto(self.live_server_url + path)

    def sign_in(self, name: str, page=None) -> None:
        page = page or self.page
        self.open("/sign-in/", page)
        page.get_by_role("button", name=name).click()
        expect(page.get_by_role("heading", name="Due")).to_be_visible()

    def sign_out(self, page=None) -> None:
        page = page or self.page
        self.open("/help/", page)
        page.get_by_role("button", name="Sign out").click()

    def calm(self) -> None:
        """Nothing was said on the console and nothing asked of another host."""
        self.assertEqual([text for text in self.said if not self._given_up(text)], [])

    def accessible(self, page=None, themes: tuple[str, ...] = ()) -> None:
        """The accessibility check finds nothing, in the theme the page has or in each one named."""
        page = page or self.page
        page.evaluate(AXE_SCRIPT)
        told, fresh = page.evaluate(CHECK, [list(themes), sorted(KNOWN)])
        self.assertEqual(told, [], f"{page.url}\n" + "\n".join(told))
        KNOWN.update(fresh)

    def clock(self, minutes: float) -> None:
        """Let the mill's clock show so many minutes after the demo's morning."""
        from datetime import timedelta

        from desk.mill.clock import set_clock

        set_clock(make.NOW + timedelta(minutes=minutes))
