"""A browser at the desk: Debian's Chromium, a silent console, no other host."""

import os
from contextlib import ExitStack
from functools import cache
from multiprocessing.util import Finalize

from axe_playwright_python.base import AXE_SCRIPT
from django.conf import settings
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import Client, tag
from playwright.sync_api import Browser, expect, sync_playwright

from desk.people.models import Person
from tests import make

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    # the driver's own list, since a second one takes its place, and the address field's pop-up, a page beside each window
    "--disable-features=AimEnabled,AvoidCorsURLLoaderRestartOnRedirect,AvoidUnnecessaryBeforeUnloadCheckSync,"
    "DestroyProfileOnBrowserClose,HttpsFirstBalancedModeAutoEnable,HttpsUpgrades,LensOverlay,MediaRouter,"
    "NetworkTimeServiceQuerying,OptimizationHints,PaintHolding,PreconnectToSearch,ThirdPartyStoragePartitioning,"
    "WebUIOmniboxAimPopup,WebUIOmniboxFullPopup,WebUIOmniboxPopup",
]
CHROMIUM = os.environ.get("VAT_CHROMIUM", "/usr/bin/chromium")
CHECK = """async ([themes, known]) => {
  const told = [], fresh = [], before = document.documentElement.dataset.theme;
  const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'best-practice'];
  const ofColours = ['color-contrast', 'link-in-text-block'];  // looked at where they are marked, in every theme
  const marks = {[ofColours[0]]: '[data-checked]', [ofColours[1]]: 'a[href][data-checked]'};
  axe.configure({rules: ofColours.map(id => ({id, selector: marks[id]}))});
  // the style sheet, one for all pages, is read for the rules about it once a process; what follows looks at the page alone
  const whole = {runOnly: tags, resultTypes: ['violations'], preload: !known.length};
  const colours = {runOnly: {type: 'rule', values: ofColours}, resultTypes: ['violations'], preload: false};
  const found = [], grounds = new Map(), emptied = [];
  const ground = e => {  // what lies behind a text, up to the first that lets nothing through
    if (!e) return '';
    if (!grounds.has(e)) {
      const {backgroundImage: image, backgroundColor: colour, opacity} = getComputedStyle(e);
      const own = image == 'none' && opacity == 1 && colour == 'rgba(0, 0, 0, 0)' ? '' : [image, colour, opacity].join();
      const through = colour.startsWith('rgba') || colour.includes('/');
      grounds.set(e, own + (through ? ground(e.parentElement) : ''));
    }
    return grounds.get(e);
  };
  for (const theme of themes.length ? themes : [before]) {
    document.documentElement.dataset.theme = theme;
    const seen = new Set(known), marked = [];
    grounds.clear();
    for (const e of document.body.querySelectorAll('*')) {  // one text of each pair of colours, large or not, in a link or not
      if (![...e.childNodes].some(n => n.nodeType == 3 && n.data.trim()) && !e.matches('input, select, textarea')) continue;
      if (!e.checkVisibility()) continue;
      const style = getComputedStyle(e);
      const link = e.matches('a') && [style.textDecorationLine, e.parentElement.matches('p, li, td')];
      const size = parseFloat(style.fontSize), large = size >= 24 || size >= 18.66 && style.fontWeight >= 700;
      const colour = e.namespaceURI.endsWith('svg') ? style.fill : style.color;
      const pair = [theme, link, colour, large, ground(e)].join();
      if (seen.has(pair)) continue;
      seen.add(pair), fresh.push(pair), marked.push(e), e.setAttribute('data-checked', '');
    }
    if (marked.length)
      for (const v of (await axe.run(document, colours)).violations) found.push([theme, v]);
    for (const e of marked) e.removeAttribute('data-checked');
  }
  for (const drawn of document.querySelectorAll('svg[aria-hidden=true]'))  // what is in a drawing that nobody is read
    if (!drawn.querySelector('a, button, [tabindex]')) emptied.push([drawn, [...drawn.childNodes]]), drawn.replaceChildren();
  for (const v of (await axe.run(document, whole)).violations) found.push([before, v]);  // the same in every theme
  for (const [drawn, held] of emptied) drawn.replaceChildren(...held);
  for (const [theme, v] of found)
    for (const n of v.nodes.slice(0, 3))
      told.push(`${theme}: ${v.id}: ${n.html.slice(0, 160)} ${(n.failureSummary || '').slice(0, 200)}`);
  document.documentElement.dataset.theme = before;
  return [told, fresh];
}"""
KNOWN: set[str] = set()  # pairs of colours that the check has passed in this process

expect.set_options(timeout=10_000)


STARTED = ExitStack()  # the process's Chromium; its runner ends it before tests that are not of the browser, and at the end


@cache
def chromium() -> Browser:
    """The Chromium of the process, started once."""
    started = STARTED.enter_context(sync_playwright())
    return STARTED.enter_context(started.chromium.launch(executable_path=CHROMIUM, args=FLAGS))


def end_chromium() -> None:
    """End it: its driver holds the process's event loop, which other tests want."""
    STARTED.close()
    chromium.cache_clear()


Finalize(None, end_chromium, exitpriority=10)  # processes of a parallel run, and the run's own, end with this


@tag("browser")
class DeskCase(StaticLiveServerTestCase):
    """One Chromium serves all classes of a process; each test has a fresh demo mill, numbered from one, and a fresh window."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.chromium = chromium()

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

    def press_in(self, name: str) -> None:
        """Sign in by the page."""
        self.open("/sign-in/")
        self.page.get_by_role("button", name=name).click()
        expect(self.page.get_by_role("heading", name="Due")).to_be_visible()

    def sign_in(self, name: str, page=None) -> None:
        """As somebody who has signed in: by role, and post where there are several."""
        page = page or self.page
        role, _, post = name.partition(", ")
        person = next(p for p in Person.objects.filter(post=post) if p.get_role_display().capitalize() == role)
        client = Client()
        client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
        kept = client.cookies[settings.SESSION_COOKIE_NAME].value
        page.context.add_cookies([{"name": settings.SESSION_COOKIE_NAME, "value": kept, "url": self.live_server_url}])

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
        if not page.evaluate("'axe' in window"):
            page.evaluate(AXE_SCRIPT)
        told, fresh = page.evaluate(CHECK, [list(themes), sorted(KNOWN)])
        self.assertEqual(told, [], f"{page.url}\n" + "\n".join(told))
        KNOWN.update(fresh)

    def clock(self, minutes: float) -> None:
        """Let the mill's clock show so many minutes after the demo's morning."""
        from datetime import timedelta

        from desk.mill.clock import set_clock

        set_clock(make.NOW + timedelta(minutes=minutes))
