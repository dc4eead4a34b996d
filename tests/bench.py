"""Timings of the core and the pages, medians side by side. Prints; never fails on a figure."""

import contextlib
import gzip
import http.cookiejar
import itertools
import json
import os
import random
import signal
import socket
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import Counter
from dataclasses import replace
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


def after_ms(client, entry, times: int = 30, path: str = "/") -> float:
    """The median time of a page after an entry; the entry itself is not counted."""

    def spent() -> float:
        entry()
        start = time.perf_counter()
        assert client.get(path).status_code == 200
        return 1000.0 * (time.perf_counter() - start)

    return statistics.median([spent() for _ in range(times + 3)][3:])


_charges = itertools.count(1)
_set: list = []


def set_point() -> None:
    """Another charge of alkali put in force in place of the last: all from the cook to the machine is solved anew."""
    from desk.log.actions import write
    from desk.log.models import Kind
    from tests import make

    settings = make.state(0).plans["K.larch.cook"].settings() | {"ea_pct_naoh": 18.0 + 0.001 * next(_charges)}
    told = {"subject": "set.K.larch.cook", "corrects": _set[-1] if _set else None, "says": "measured"}
    _set.append(write(kind=Kind.SETPOINT, by=make.person("mr"), now=make.NOW, data={"settings": settings}, **told))


def noted() -> None:
    """A note in the log."""
    from desk.log.actions import write
    from desk.log.models import Kind
    from tests import make

    write(kind=Kind.REMARK, by=make.person("mr"), now=make.NOW, says="Note", words="measured")


def line(name: str, value: float, unit: str, wanted: float | None = None, note: str = "") -> None:
    aim = f"   wanted <= {wanted:g}" if wanted is not None else ""
    print(f"{name:<58}{value:>9.1f} {unit:<4}{aim}{'   ' + note if note else ''}")


def memory_mb(pid: int) -> float:
    """Resident memory of a process."""
    for row in Path(f"/proc/{pid}/status").read_text().splitlines():
        if row.startswith("VmRSS"):
            return int(row.split()[1]) / 1024.0
    return float("nan")


def warm_up() -> None:
    from tests import make

    make.demo()


def the_line() -> None:
    """The line with its acting units, beside one bare sparse solve of a matrix of the same size and filling."""
    import numpy as np
    from scipy.sparse.linalg import spsolve

    from core.bleach import unit as bleaching
    from core.cook import kinetic
    from core.line.steady import _Draws, _System, solve
    from core.mill.reading import read_mill
    from core.mill.run import solve_mill
    from desk.shift.demo import DOCUMENT
    from tests import make

    now = make.state(0)
    mill = read_mill(json.loads(DOCUMENT.read_text()))
    whole = solve_mill(mill, now.running)
    net = whole.solution.network
    system = _System(net, _Draws(net))
    found = solve(net)
    z = np.full(system.m, 0.3)
    system.factors(z, system.stands(np.concatenate([found.into.ravel(), np.zeros(system.m)])))
    matrix, right = system.jacobian, system.right
    solved = median_ms(lambda: solve(net))
    bare = median_ms(lambda: spsolve(matrix, right))
    line(f"flows alone, {len(net.units)} units x 11, {len(net.draws)} draws, {found.passes} passes", solved, "ms", 10)
    note = f"the flows take {solved / bare:.1f} times it"
    line(f"one bare SciPy sparse solve of its {system.size} unknowns", bare, "ms", note=note)

    def cold():
        kinetic._cooked.cache_clear()
        bleaching._bleached.cache_clear()
        solve_mill(mill, now.running)

    step = iter(range(1000))

    def warm():
        feeds = {"K.larch.chips": 10.0 + 0.002 * next(step)}
        solve_mill(mill, replace(now.running, feeds=feeds), whole)

    took = median_ms(cold, times=10)
    line(f"the line with {len(whole.acts)} acting units, from nothing", took, "ms", 60, f"{took / bare:.0f} times a bare solve")
    took = median_ms(warm)
    line("the same from the line before, other wood rate", took, "ms", 25, f"{took / bare:.0f} times a bare solve")


def pages(client, label: str) -> float:
    def page(path: str, **headers):
        def get():
            response = client.get(path, headers=headers)
            assert response.status_code == 200, (path, response.status_code)

        return get

    from core.deliver.lots import Edge
    from core.deliver.trace import Graph
    from desk.lab import causes as lab_causes

    htmx = {"HX-Request": "true", "HX-Target": "answer"}
    shift = median_ms(page("/"))
    line(f"Shift at the server, {label}", shift, "ms", 40)

    line(f"the same once something was written, {label}", after_ms(client, noted), "ms", 60)
    line(f"a control chart, {label}", median_ms(page("/lab/chart/K.larch_blow.kappa/", **htmx)), "ms", 120)
    causes = page("/lab/cause/K.larch_blow.kappa/", **htmx)
    line("what changed before a kappa, gains known", median_ms(causes), "ms", 150)
    far = page("/lab/cause/machine.chest.freeness/", **htmx)
    line("what changed before the machine's freeness", median_ms(far), "ms", 150)
    line("  with its gains worked out anew", median_ms(lambda: (lab_causes._gains.clear(), far()), times=5), "ms", 1000)
    edges = [Edge(f"L{k // 10 + 1}-{j}", f"L{k // 10}-{k % 10}", 1.0) for k in range(500) for j in range(10)]
    traced = median_ms(lambda: Graph(edges, {}).back("L50-0"), times=10)
    line(f"a lot traced over {len(edges)} transfers", traced, "ms", 100)
    line("its page with a suspect", median_ms(page("/deliver/trace/?suspect=KD-26317-B02-5")), "ms", 150)
    apart = page("/lab/chart/S.chest.consistency/?of=differences", **htmx)
    line(f"a meter against the laboratory, {label}", median_ms(apart), "ms", 120)
    line(
        f"Stock, line and meter, recomputed, {label}",
        median_ms(page("/stock/?row=S.chest.consistency&target_pct=3.6", **htmx)),
        "ms",
        40,
    )
    line(f"trend of two days, {label}", median_ms(page("/trend/meter.S.chest/?hours=48", **htmx)), "ms")
    line(f"trend of three months, {label}", median_ms(page("/trend/meter.S.chest/?hours=2160", **htmx)), "ms")
    return shift


def cooks(client) -> None:
    """The kinetic cook, the three solves, the fit, the pages."""
    import numpy as np

    from core.cook import fit, kinetic
    from core.cook.design import DesignCase, solve_for
    from core.cook.kinetic import Charge
    from core.cook.species import Fitted

    charge, points = (
        Charge(ea_pct_naoh=18.0, sulphidity_pct=28.4, lw_m3_t=4.1),
        ((0.0, 80.0), (35.0, 116.0), (50.0, 116.0), (95.0, 170.0), (185.0, 170.0)),
    )
    others = (replace(charge, ea_pct_naoh=18.0 + 1e-6 * i) for i in itertools.count())  # a cook is kept: each is another one
    line("one kinetic cook of 185 min, minute steps", median_ms(lambda: kinetic.cook("larch", next(others), points)), "ms", 25)
    case = DesignCase(
        species="larch",
        wood_t=22.4,
        moisture_pct=46.8,
        ea_g_l=104.0,
        sulphidity_pct=28.4,
        ea_pct_naoh=18.0,
        lw_m3_t=4.1,
        target=27.0,
    )
    cases = (replace(case, ea_pct_naoh=18.0 + 1e-6 * i) for i in itertools.count())
    for lever in ("time", "temperature", "charge"):
        spent = median_ms(lambda lever=lever: solve_for(next(cases), points, lever), 10)
        line(f"solved backwards for its {lever}", spent, "ms", 150)
    rng, plant, made = np.random.default_rng(5), Fitted(rate=1.05, carbohydrate=-0.8, alkali_carb=1.04), []
    for _ in range(200):
        c = Charge(ea_pct_naoh=18.0 + rng.normal(0, 0.5), sulphidity_pct=28.0 + rng.normal(0, 1.5), lw_m3_t=4.1)
        run = (*points[:-1], (185.0 + rng.normal(0, 8), 170.0))
        real = kinetic.cook("larch", c, run, coefficients=plant)
        made.append(
            fit.Blow(
                charge=c,
                points=run,
                kappa=real.kappa + rng.normal(0, 0.6),
                residual_g_l=real.residual_g_l,
                yield_pct=float("nan"),
            )
        )
    start = time.perf_counter()
    found = fit.fit("larch", tuple(made))
    line("fit of 200 cooks", time.perf_counter() - start, "s", 5, note=f"kappa error {found.before:.2f} to {found.after:.2f}")
    htmx = {"HX-Request": "true", "HX-Target": "answer"}
    for name, path in (
        ("Cook, recomputed and solved", "/cook/?solve=time&target=27"),
        ("Chips, recomputed", "/chips/?c4=27.5"),
        ("a cook being followed", "/cook/records/1148/"),
        ("digester house", "/cook/house/"),
    ):
        line(f"{name}, at the server", median_ms(lambda path=path: client.get(path, headers=htmx), 10), "ms", 120)


def bleaching(client) -> None:
    """The washers, a five-stage sequence, the least-cost charges, their pages."""
    from core.bleach.line import Plan, bleach, cheapest, typical
    from core.bleach.sequence import read
    from core.wash.line import Washer, wash

    washers = tuple(Washer(kind="drum", e10=3.5, out_pct=12.0) for _ in range(5))
    sequence = read("O-D0-EOP-D1-D2")
    plan = Plan(sequence=sequence, settings=typical(sequence, 26.0), wood="softwood", kappa=26.0, cod=8.0)

    def line_with_washers():
        wash(feed_pct=10.5, x0=112.0, washers=washers, df=2.0)
        bleach(plan)

    line("five washers and a five-stage sequence", median_ms(line_with_washers), "ms", 15)
    line("least-cost charges of five stages", median_ms(lambda: cheapest(plan, iso_pct=88.0), 5, 1), "ms", 500)
    htmx = {"HX-Request": "true", "HX-Target": "answer"}
    for name, path in (
        ("Wash, recomputed", "/wash/?x0=110"),
        ("Bleach, recomputed", "/bleach/?kappa=27"),
        ("Bleach, solved for least cost", "/bleach/?kappa=27&solve=1"),
        ("two schools", "/bleach/compare/?kappa=27"),
        ("Moves, all of Bleach", "/moves/?group=bleach"),
    ):
        line(
            f"{name}, at the server",
            median_ms(lambda path=path: client.get(path, headers=htmx), 10),
            "ms",
            120 if "solved" not in name and "schools" not in name else 1000,
        )


def whole_line(client) -> None:
    """A case carried through the line, each time another one; and the set-up's draft, solved as it stands."""
    step = iter(range(1000))

    def case():
        charge = 17.0 + 0.001 * next(step)
        response = client.get("/mill/case/", {"s.K.larch.cook.ea_pct_naoh": f"{charge:.3f}"})
        assert response.status_code == 200

    line("a case carried through the whole line, at the server", median_ms(case), "ms", 120)
    client.post("/mill/draft/step/", {"do": "begin", "from": "version"})
    line("the set-up's draft, solved from nothing", median_ms(lambda: client.get("/mill/draft/"), times=10), "ms")
    client.post("/mill/draft/away/")


def bare_view(client) -> None:
    """Shift beside a Django view that returns the same bytes through the same middleware."""
    from django.http import HttpResponse
    from django.urls import path

    from desk import urls

    body = client.get("/").content
    urls.urlpatterns.append(path("bench/bytes/", lambda request: HttpResponse(body)))
    from django.urls import clear_url_caches

    clear_url_caches()
    shift, bare = median_ms(lambda: client.get("/")), median_ms(lambda: client.get("/bench/bytes/"))
    line("a bare view returning the same bytes", bare, "ms", note=f"Shift is {shift / bare:.1f} times it")
    urls.urlpatterns.pop()
    clear_url_caches()


def readings(client) -> None:
    """A year of readings: imported by the worker's own path, then Shift and the trend again."""
    import tempfile
    from datetime import timedelta

    from desk.instruments.models import Delivery, Reading, Signal
    from desk.intake.files import folder, open_delivery, piece
    from tests import make

    few = Reading.objects.count()
    before = pages(client, f"{few} readings")
    tags = list(Signal.objects.filter(kind__in=("level", "consistency")).values_list("tag", flat=True))
    start = make.NOW - timedelta(days=365)
    rows, step = 1_000_000 // len(tags), timedelta(days=358) / (1_000_000 // len(tags))
    with tempfile.NamedTemporaryFile("w", dir=folder("coming"), suffix=".csv", delete=False) as out:
        out.write("tag,at,value\n")
        for i in range(rows):
            at = (start + i * step).isoformat(timespec="milliseconds")
            out.writelines(f"{t},{at},{3 + (i * 7 + j) % 90 / 100}\n" for j, t in enumerate(tags))
    delivery = open_delivery(path=Path(out.name), name="a year.csv", by=None, now=make.NOW, history=True)
    begun = time.perf_counter()
    while piece(delivery.pk, make.NOW).status != "done":
        pass
    spent = time.perf_counter() - begun
    delivery = Delivery.objects.get(pk=delivery.pk)
    line(
        f"import of {delivery.kept} readings from a file",
        delivery.kept / spent,
        "/s",
        note=f"wanted >= 20000; {spent:.0f} s, {delivery.refused} refused",
    )
    after = pages(client, f"{Reading.objects.count()} readings")
    line("Shift with a year of readings, times before", after / before, "x", 1.3)


def searched(client) -> None:
    """A hundred thousand entries, searched by words with and without other limits."""
    from desk.log.models import Kind, Record
    from desk.people.models import Person
    from tests import make

    by = Person.objects.first()
    words = ("pump", "washer", "kappa", "overflow", "chest", "refiner", "belt", "mopped", "foam", "agitator")
    missing = max(0, 100_000 - Record.objects.count())
    Record.objects.bulk_create(
        Record(
            kind=Kind.REMARK,
            at=make.NOW,
            entered_at=make.NOW,
            by=by,
            signed=by.signed,
            says="Note",
            words=f"{words[i % 10]} {words[i * 7 % 9]} number {i}",
            core_version="0",
            hash=f"bench {i}",
        )
        for i in range(missing)
    )
    begun = time.perf_counter()
    assert client.get("/log/", {"q": "pump"}).status_code == 200
    line(f"the index of {Record.objects.count()} entries, brought up", 1e3 * (time.perf_counter() - begun), "ms")
    for asked in ({"q": "refiner foam"}, {"q": "number 4711"}, {"q": "kappa", "station": "cook", "by": str(by.pk)}):
        told = ", ".join(f"{k} {v}" for k, v in asked.items())
        line(f"log searched: {told}", median_ms(lambda a=asked: client.get("/log/", a), 10), "ms", 80)


HOST, PORT = "127.0.0.1", 8471


HELD, EVERY_S = 100_000_000, 5


def long_history(client) -> None:
    """A hundred million readings' worth of days in figures: what they take, Shift with them, a trend over a year."""
    from django.db import connection

    from desk.instruments.models import Signal
    from desk.instruments.store import DAY_MS
    from tests import make

    def size() -> int:
        with connection.cursor() as cursor:
            return cursor.execute("SELECT page_count * page_size FROM pragma_page_count, pragma_page_size").fetchone()[0]

    before, small = after_ms(client, noted, 15), size()
    signals = list(Signal.objects.order_by("pk").values_list("pk", flat=True)[:20])
    days = HELD // len(signals) * EVERY_S // 86400
    last = int(make.NOW.timestamp() * 1000) // DAY_MS - make.DAYS - 1
    with connection.cursor() as cursor:
        for width, n in ((60, 60 // EVERY_S), (3600, 3600 // EVERY_S)):
            cursor.executemany(
                "WITH RECURSIVE t(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM t WHERE i + 1 < %s)"
                " INSERT INTO instruments_figure SELECT %s, %s, %s + i * %s, %s, 50 + (i * 7919 %% 1000) / 50.0, 48, 72, 0"
                " FROM t",
                [(days * 86400 // width, k, width, (last - days) * 86400, width, n) for k in signals],
            )
        cursor.executemany(
            "INSERT INTO instruments_day (signal_id, day, n, total, raw, seal) VALUES (%s, %s, %s, '0', 0, '')",
            [(k, day, 86400 // EVERY_S) for k in signals for day in range(last - days, last)],
        )
    held = len(signals) * days * 86400 // EVERY_S
    print(f"{held:,} readings' worth of history in figures: {(size() - small) / held:.2f} bytes a reading".replace(",", " "))
    after = after_ms(client, noted, 15)
    line("Shift with them, made anew", after, "ms", note=f"{after / before:.2f} times without (1.3 wanted)")
    tag = Signal.objects.get(pk=signals[0]).tag
    year = {"HX-Request": "true", "HX-Target": "answer"}
    line("trend of a year", median_ms(lambda: client.get(f"/trend/{tag}/?hours=8760", headers=year), 10), "ms", 150)


class Desk:
    """The real server on a demo of its own: started, asked over real sockets, stopped."""

    def __init__(self, data: str, days: int = 2) -> None:
        self.data, self.base, self.days = data, f"http://{HOST}:{PORT}", days
        self.env = {**os.environ, "VAT_DATA": data, "VAT_DEMO": "1", "DJANGO_SETTINGS_MODULE": "desk.settings"}

    def __enter__(self) -> "Desk":
        for args in (["migrate", "-v0"], ["demo", "--days", str(self.days)]):
            subprocess.run([sys.executable, "manage.py", *args], cwd=HOUSE, env=self.env, check=True, stdout=subprocess.DEVNULL)
        self.start()
        return self

    def start(self) -> float:
        """Seconds until it answers."""
        begun = time.perf_counter()
        command = [sys.executable, "-m", "desk.server", "--port", str(PORT), "--demo"]
        self.server = subprocess.Popen(command, cwd=HOUSE, env=self.env, stdout=subprocess.DEVNULL, start_new_session=True)
        for _ in range(1200):
            try:
                urllib.request.urlopen(self.base + "/sign-in/", timeout=5).read()
                return time.perf_counter() - begun
            except OSError:
                time.sleep(0.05)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        os.killpg(self.server.pid, signal.SIGKILL)
        self.server.wait()

    def __exit__(self, *_) -> None:
        self.server.terminate()
        self.server.wait()

    def memory_mb(self) -> float:
        """Of the largest web process."""
        command = ["pgrep", "-P", str(self.server.pid), "vat web"]
        asked = subprocess.run(command, capture_output=True, text=True, check=False)
        return max((memory_mb(int(p)) for p in asked.stdout.split()), default=float("nan"))


class Stay(urllib.request.HTTPRedirectHandler):
    """A redirect is an answer."""

    def redirect_request(self, *args, **kwargs):
        return None


class Operator:
    """Somebody at the desk with a browser of their own."""

    def __init__(self, base: str, who: str) -> None:
        self.base, self.jar = base, http.cookiejar.CookieJar()
        self.browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar), Stay)
        self.browser.open(base + "/sign-in/", timeout=30).read()
        self.post("/sign-in/as/", person=who)

    def post(self, path: str, **fields) -> int:
        token = next(c.value for c in self.jar if c.name == "csrftoken")
        body = urllib.parse.urlencode({**fields, "csrfmiddlewaretoken": token}).encode()
        try:
            return self.browser.open(urllib.request.Request(self.base + path, data=body), timeout=30).status
        except urllib.error.HTTPError as answer:
            return answer.code

    def sample(self, value: str, key: str) -> int:
        for c in [c for c in self.jar if c.name == "messages"]:  # as a page that shows them would
            self.jar.clear(c.domain, c.path, c.name)
        return self.post("/lab/record/machine.chest.ph/", mode="result", value_1=value, once=key)


def posting() -> None:
    """Samples a second with eight people at once over real sockets, beside bare SQLite inserts with the same durability."""
    with tempfile.TemporaryDirectory() as data, Desk(data) as desk:
        spent: list[float] = []

        def person(i: int) -> None:
            operator = Operator(desk.base, ("jd", "tk", "wa", "mr")[i % 4])
            until, n = time.monotonic() + 6.0, 0
            while time.monotonic() < until:
                begun = time.perf_counter()
                if operator.sample(f"7.{i}{n:03d}", f"{i}-{n}") == 302:
                    spent.append(1000.0 * (time.perf_counter() - begun))
                n += 1

        crowd = [threading.Thread(target=person, args=(i,)) for i in range(8)]
        begun = time.perf_counter()
        for t in crowd:
            t.start()
        for t in crowd:
            t.join()
        rate, memory = len(spent) / (time.perf_counter() - begun), desk.memory_mb()
        stalled(desk)
        desk.server.terminate()
        desk.server.wait()
        line("second start of the demo", desk.start(), "s", 5)
        db = sqlite3.connect(f"{data}/bare.sqlite3", isolation_level=None)
        db.execute("PRAGMA journal_mode=WAL")
        db.execute("PRAGMA synchronous=FULL")
        db.execute("CREATE TABLE t (a, b, c)")
        n, until = 0, time.monotonic() + 2.0
        while time.monotonic() < until:
            db.execute("INSERT INTO t VALUES (?, ?, ?)", (n, "machine.chest.ph", 7.4))
            n += 1
        db.close()
    p95 = sorted(spent)[int(0.95 * len(spent))]
    note = f"wanted >= 150; bare SQLite inserts {n / 2:.0f} /s, {n / 2 / rate:.0f} times it"
    line("posted samples a second, eight people at once", rate, "/s", note=note)
    line("one of them, 95 in 100 are quicker", p95, "ms", 300)
    line("memory of a web process after it", memory, "MB", 220)


def stalled(desk: Desk) -> None:
    """How long a page takes while 24 clients hold half a request each."""
    held = []
    for i in range(24):
        s = socket.create_connection((HOST, PORT))
        head = "POST /lab/record/machine.chest.ph/ HTTP/1.1\r\nHost: localhost\r\n"
        s.sendall((head if i % 2 else head + "Content-Length: 5000\r\n\r\nmode=").encode())
        held.append(s)
    operator = Operator(desk.base, "mr")
    spent = []
    for _ in range(10):
        begun = time.perf_counter()
        operator.browser.open(desk.base + "/", timeout=30).read()
        spent.append(time.perf_counter() - begun)
    for s in held:
        s.close()
    line("Shift with 24 stalled connections, the slowest of ten", 1000.0 * max(spent), "ms", 1000)


def reliability(kills: int = 100) -> None:
    """The real server is killed again and again while people write: what was answered is there once, what was not at most
    once."""
    chance = random.Random(26318)
    answered: dict[str, str] = {}
    with tempfile.TemporaryDirectory() as data, Desk(data, days=1) as desk:
        people = [Operator(desk.base, who) for who in ("jd", "tk", "wa", "mr")]
        sent = 0
        for kill in range(kills):
            stop = threading.Event()

            def write(i: int, operator: Operator, kill: int = kill, stop: threading.Event = stop) -> None:
                n = 0
                while not stop.is_set():
                    value = f"7.{kill:03d}{i}{n:04d}"
                    for _ in range(2):  # each form is pressed twice, with its key
                        try:
                            if operator.sample(value, f"{kill}-{i}-{n}") == 302:
                                answered[value] = operator.base
                        except OSError:
                            return
                    n += 1

            crowd = [threading.Thread(target=write, args=(i, o)) for i, o in enumerate(people)]
            for t in crowd:
                t.start()
            time.sleep(chance.uniform(0.1, 0.6))
            desk.kill()
            stop.set()
            for t in crowd:
                t.join()
            sent += 1
            desk.start()
            if kill % 10 == 9:
                print(f"{kill + 1} kills, {len(answered)} samples answered", flush=True)
        with contextlib.closing(sqlite3.connect(f"{data}/vat.sqlite3")) as db:
            rows = db.execute(
                "SELECT value FROM log_record WHERE kind = 'result' AND subject = 'machine.chest.ph' AND value >= "
                "7.0 AND value < 8.0"
            )
            kept = Counter(f"{v:.8f}" for (v,) in rows)
        lost = [v for v in answered if not kept[f"{float(v):.8f}"]]
        doubled = [v for v, n in kept.items() if n > 1 and v in {f"{float(a):.8f}" for a in answered}]
        env = {**desk.env}
        proof = subprocess.run(
            [sys.executable, "manage.py", "verify"], cwd=HOUSE, env=env, capture_output=True, text=True, check=False
        )
    print(
        f"{sent} kills, {len(answered)} samples answered: {len(lost)} lost, {len(doubled)} doubled. "
        f"{proof.stdout.strip() or proof.stderr.strip()}"
    )


def first_load(client) -> None:
    import django_htmx

    html = client.get("/").content
    styles = (HOUSE / "desk/static/desk/app.min.css").read_bytes()
    htmx_js = next(Path(django_htmx.__file__).parent.rglob("htmx-2.min.js")).read_bytes()
    fonts = sum(f.stat().st_size for f in (HOUSE / "desk/static/desk/fonts").glob("*.woff2"))
    packed = sum(len(gzip.compress(x)) for x in (html, styles, htmx_js, (HOUSE / "desk/static/desk/desk.js").read_bytes()))
    line("first load of Shift over the wire", (packed + fonts) / 1024, "KB", 250, f"of it fonts {fonts / 1024:.0f}")


def cleaning(client) -> None:
    """A cascade of four stages, the recovered line, what they are turned round for, and their pages."""
    from core.calc import read_case
    from core.catalogue import find
    from core.clean import cascade as clean
    from core.clean.least import least_loss
    from core.recovered import line as recovered
    from core.recovered.cheapest import cheapest

    bank = read_case(find("clean.cascade"), find("clean.cascade").checks[0].given)
    steps = read_case(find("recovered.line"), find("recovered.line").checks[0].given)

    def cascade():
        clean.solve.cache_clear()
        clean.cascade(bank)

    def least():
        clean.solve.cache_clear()
        least_loss(bank, 1950.0)

    def whole():
        recovered.run.cache_clear()
        recovered.line(steps)

    line("four stages of cleaners", median_ms(cascade), "ms", 5)
    line("least loss of four stages", median_ms(least, 5, 1), "ms", 400)
    line("the recovered line, fourteen steps", median_ms(whole), "ms", 25)
    line("least cost of the recovered line", median_ms(lambda: cheapest(steps, 70.0), 3, 1), "ms")
    htmx = {"HX-Request": "true", "HX-Target": "answer"}
    for name, path, wanted in (
        ("Clean, recomputed", "/clean/?line=K.clean&open1=6", 60),
        ("Clean, least loss", "/clean/?line=K.clean&least=1", 400),
        ("Recovered, recomputed", "/recovered/?dose8=14", 60),
        ("Pulper, recomputed", "/recovered/pulper/?n1=4", 60),
        ("At the machine, recomputed", "/deliver/machine/?minutes=20", 60),
        ("Blend, recomputed", "/blend/?share0=47&share1=17", 60),
        ("Blend, least cost", "/blend/?least=1", 160),
        ("Refine, set for a freeness", "/refine/?line=K.refine&want=430", 60),
    ):
        line(f"{name}, at the server", median_ms(lambda path=path: client.get(path, headers=htmx), 10), "ms", wanted)


def a_month(client) -> None:
    """What the demo's month of history takes, and a minute of its running present."""
    from core.through.plant import Plant
    from desk.shift.demo import LEVELS, SEED
    from desk.shift.past import lived
    from tests import make

    start = time.perf_counter()
    lived(make.NOW, 30, LEVELS, morning=make.NOW.replace(hour=6, minute=0), seed=SEED)
    line("a month of the demo's history", time.perf_counter() - start, "s", 60)
    state = make.state(0)
    plant = Plant(state.mill, state.running, LEVELS, seed=1)
    line("a minute of the demo's plant, and what its meters see", median_ms(lambda: (plant.run(1), plant.truths())), "ms")


def through_time(client) -> None:
    """Twelve hours of the demo's line, the bare cost of its state updates in the same minute, a state kept, the page ahead."""
    import numpy as np

    from core.through.ahead import STEP_S, Plan, look_ahead
    from core.through.mill import through_time as laid_out
    from core.through.stepper import Stepped
    from desk.mill import ahead
    from tests import make

    state = make.state(0)
    levels = {k: v.level_pct for k, v in state.vessels.items()}
    layout = laid_out(state.mill, state.line, levels)

    def stepped(dt_s: float, steps: int, loops_s: float | None = None) -> float:
        """Seconds a step."""
        one = Stepped(layout, loops_s)
        one.run(0.05)
        start = time.perf_counter()
        for _ in range(steps):
            one.step(dt_s)
        return (time.perf_counter() - start) / steps

    def bare() -> float:
        """Seconds a step of reading and writing the same state, and nothing else."""
        one = Stepped(layout)
        plugs = one.plugs
        moved = np.zeros((layout.n, plugs.count))
        moved[layout.plug_to, plugs.all] = 1.0
        place = plugs.base + plugs.newest % plugs.room
        start = time.perf_counter()
        for _ in range(1000):
            given = plugs.content.take(place, axis=0) - plugs.out_content
            entered = moved @ given
            one.held = one.held + entered.take(layout.vessel_node, axis=0)
            sent = entered.take(layout.link_from, axis=0) * one.share
            one.pushed[: layout.inner] = sent[: layout.inner]
            plugs.head_content += one.pushed
            plugs.content[place] = plugs.head_content
            plugs.mass[place] = plugs.head
        return (time.perf_counter() - start) / 1000

    each = statistics.median(stepped(10.0, 720) for _ in range(3))
    floor = statistics.median(bare() for _ in range(3))
    note = f"{1e6 * each:.0f} µs a step, {each / floor:.1f} times the bare updates of its state"
    line("12 h of the line at steps of 10 s", each * 4320, "s", 1, note)
    often = statistics.median(stepped(10.0, 720, 2.0) for _ in range(3)) * 4320
    whole = statistics.median(stepped(2.0, 720) for _ in range(3)) * 21600
    line("the same, loops at 2 s, contents at 10 s", often, "s", 4, f"all of it at 2 s takes {whole / often:.1f} times as long")
    one = Stepped(layout)
    kept = one.kept()
    line("a state kept", median_ms(one.kept), "ms", 30)
    line("and restored", median_ms(lambda: one.restore(kept)), "ms", 30)
    paced = laid_out(state.mill, state.line, levels, STEP_S)
    line("12 h ahead, at steps of a minute", median_ms(lambda: look_ahead(paced, Plan(), 12.0, ()), 5, 1), "ms", 250)

    def page():
        ahead._courses.clear()
        assert client.get("/schedule/ahead/").status_code == 200

    line("The next 12 hours, at the server, from nothing", median_ms(page, 5, 1), "ms")
    line("the same, looked at again", median_ms(lambda: client.get("/schedule/ahead/"), 10), "ms", 60)


def planning(client) -> None:
    """The plan of the demo's orders, the best order of ten and of twelve, rates of the lines, a bar moved."""
    from core.plan.digesters import HousePlanCase, plan_digesters
    from core.plan.orders import Machine, Order
    from desk.schedule.furnish_plan import find_furnish
    from desk.schedule.moved_stops import movable
    from desk.schedule.order_plan import Plan
    from tests import make

    chance = random.Random(1)
    orders = [
        Order(hours=chance.choice((3.0, 4.5, 6.0)), due_h=float(chance.randint(4, 70)), shade=chance.randint(1, 4))
        for _ in range(12)
    ]
    washes = {(a, b): chance.choice((0.25, 0.5, 1.0, 2.0)) for a in range(1, 5) for b in range(1, 5) if a != b}
    for count, wanted in ((10, 5_000), (12, 5_000)):
        machine = Machine(orders[:count], washes)
        line(f"the best order of {count} orders, exact", median_ms(machine.best, 3, 1), "ms", wanted)
    house = HousePlanCase(cooks=5, tank_t=40, now_t=12, draw_t=1.4)
    line("five cooks of two digesters, integer program", median_ms(lambda: plan_digesters(house), 3, 0), "ms", 30_000)
    line("Plan, 72 hours, with what is found, at the server", median_ms(lambda: client.get("/schedule/plan/"), 5), "ms", 5_000)
    rated = median_ms(lambda: client.get("/schedule/plan/", {"rates": "1"}), 3)
    line("the same with the rates of every line", rated, "ms", 5_000)
    plan = Plan(make.state(0))
    _, rates = plan.with_rates(plan.queued)
    least = sum(r.found.cost * (1.0 - r.found.gap_pct / 100.0) for r in rates.values())
    cost = sum(r.found.cost for r in rates.values())
    line("what those rates cost, over what none can cost less than", 100.0 * (cost / least - 1.0), "%", 5)
    moved = {"orders": "H-0414,H-0413,H-0415,H-0416"}
    htmx = {"HX-Request": "true", "HX-Target": "answer"}
    line("an order moved", median_ms(lambda: client.get("/schedule/plan/", moved, headers=htmx), 10), "ms", 100)
    stop = {"stop": movable(plan.state)[0].key, "by": "6"}
    line("a planned stop moved", median_ms(lambda: client.get("/schedule/plan/", stop, headers=htmx), 10), "ms", 100)
    line("the furnish of every order, linear program", median_ms(lambda: find_furnish(plan, plan.queued), 5), "ms", 1000)
    whole = median_ms(lambda: client.get("/schedule/plan/", {"rates": "2"}), 3)
    line("Plan with rates and furnish, and what cannot hold", whole, "ms", 5_000)
    chance = median_ms(lambda: plan.chances(plan.queued, {}, {}, 1.0), 5)
    line("200 runs of its levels by chance", chance, "ms", note=f"{chance / whole:.3f} of the page with all that is found")


def main() -> None:
    from desk.mill import ribbon, state
    from tests import make

    kept = setup_databases(verbosity=0, interactive=False)
    try:
        warm_up()
        client = Client()
        client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")
        the_line()

        def cold():
            noted()
            state._lines.clear()
            ribbon.forget()

        nothing = after_ms(client, cold)
        line("Shift, the line solved anew", after_ms(client, set_point), "ms", 60, f"{nothing:.0f} with no line to begin from")
        line("Shift, made anew after something was written", after_ms(client, noted), "ms", 60)
        htmx = {"HX-Request": "true", "HX-Target": "answer"}
        for name, path, wanted in (
            ("Stock, dilution, recomputed", "/stock/dilution/?target_pct=3.1", 40),
            ("run card with its reliefs, recomputed", "/schedule/card/?order=H-0413", 100),
            (
                "a sample worked out as it is typed",
                "/lab/record/machine.chest.consistency/?a.stock_g=500&a.paper_g=.8&a.pad_g=19",
                40,
            ),
            ("a working opened", "/models/stock.cover/", 40),
        ):
            line(name, median_ms(lambda path=path: client.get(path, headers=htmx)), "ms", wanted)
        cooks(client)
        bleaching(client)
        cleaning(client)
        through_time(client)
        planning(client)
        a_month(client)
        whole_line(client)
        bare_view(client)
        readings(client)
        searched(client)
        long_history(client)
        first_load(client)
    finally:
        teardown_databases(kept, verbosity=0)
    posting()


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tests.settings")
    if "--reliability" in sys.argv:
        reliability(int(sys.argv[-1]) if sys.argv[-1].isdecimal() else 100)
    else:
        main()
