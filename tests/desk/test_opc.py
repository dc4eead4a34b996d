"""The plant interface: servers that speak OPC UA are read and never written, whatever they say and however they break."""

import asyncio
import contextlib
import logging
import math
import queue
import socket
import threading
import time
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from unittest import mock

from asyncua import Server, ua
from asyncua.crypto.permission_rules import SimpleRoleRuleset
from django.test import SimpleTestCase, TestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.instruments.exceptions import Exceptions, Quality, quality_of
from desk.instruments.models import Delivery, Reading, Signal, ms
from desk.intake.plant import Scan
from desk.log.models import Record
from desk.opc import actions, keys, reader, standin, work
from desk.opc.models import Link, Point
from desk.opc.reader import NotReached, Reader, Seen, Where
from tests import make

SPACE = "urn:tests"
logging.getLogger("asyncua").setLevel(logging.CRITICAL)


class Plant:
    """A server of a plant in a thread of its own; `does` runs something in it."""

    def __init__(self, *, secure: bool = False, users: dict[str, str] | None = None, port: int = 0) -> None:
        self.secure, self.users, self.port = secure, users, standin._free_port(port)
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self.loop.run_forever, daemon=True)
        self.thread.start()
        self.nodes: dict = {}
        self.does(self._begin())

    def does(self, going):
        return asyncio.run_coroutine_threadsafe(going, self.loop).result(30)

    @property
    def url(self) -> str:
        return f"opc.tcp://127.0.0.1:{self.port}/plant/"

    async def _begin(self) -> None:
        manager = None
        if self.users is not None:
            from asyncua.server.user_managers import User, UserRole

            class Users:
                def get_user(_, iserver, username=None, password=None, certificate=None):
                    return User(role=UserRole.User) if self.users.get(username) == password else None

            manager = Users()
        self.server = Server(user_manager=manager)
        await self.server.init()
        self.server.set_endpoint(self.url)
        policies = [ua.SecurityPolicyType.NoSecurity]
        if self.secure:
            certificate, key = keys.own_certificate()  # any will do for a server in a test
            await self.server.load_certificate(str(certificate))
            await self.server.load_private_key(str(key))
            policies = [ua.SecurityPolicyType.Basic256Sha256_SignAndEncrypt, ua.SecurityPolicyType.Basic256Sha256_Sign]
        elif self.users is not None:
            self.server.set_identity_tokens([ua.UserNameIdentityToken])
        self.server.set_security_policy(policies, permission_ruleset=SimpleRoleRuleset() if self.secure else None)
        space = await self.server.register_namespace(SPACE)
        folder = await self.server.nodes.objects.add_object(ua.NodeId("mill", space), "Mill <b>1</b>\n\x07" + "x" * 300)
        for name, value in (
            ("level", 50.0),
            ("text", "full"),
            ("flag", True),
            ("list", [1.0, 2.0]),
            ("nan", math.nan),
            ("count", 7),
        ):
            self.nodes[name] = await folder.add_variable(ua.NodeId(name, space), name, value)
        self.folder, self.space, self.count = folder, space, 0
        await self.nodes["level"].set_writable()
        await self.server.start()
        await self.server.historize_node_data_change(self.nodes["level"], None, 1000)

    async def _anew(self) -> None:
        self.count += 1
        made = await self.folder.add_variable(ua.NodeId(f"level.{self.count}", self.space), "level", 50.0)
        await made.set_writable()
        await self.server.historize_node_data_change(made, None, 1000)
        self.nodes["level"] = made

    @property
    def level(self) -> str:
        """The node that a test reads."""
        return self.nodes["level"].nodeid.to_string()

    def show(self, value: float, at: datetime, status: int = ua.StatusCodes.Good) -> None:
        told = ua.DataValue(
            ua.Variant(value, ua.VariantType.Double), ua.StatusCode(status), SourceTimestamp=at, ServerTimestamp=at
        )
        self.does(self.nodes["level"].write_value(told))

    def has_kept(self, value: float) -> None:
        """Wait until the server's own history has taken a value: of two that come close together it takes one."""
        for _ in range(100):
            told = self.does(self.nodes["level"].read_raw_history(None, None, 0))
            if value in [v.Value.Value for v in told]:
                return
            time.sleep(0.05)
        raise AssertionError(f"the server keeps no {value} of {told}")

    def value(self) -> float:
        return self.does(self.nodes["level"].read_value())

    def stop(self) -> None:
        self.does(self.server.stop())
        self.loop.call_soon_threadsafe(self.loop.stop)
        self.thread.join(10)
        self.loop.close()


SHARED: list[Plant] = []


def tearDownModule():
    while SHARED:
        SHARED.pop().stop()


@contextmanager
def plant(**set_as):
    """A server; the plain one is shared by the tests, each with a node of its own."""
    if not set_as:
        if not SHARED:
            SHARED.append(Plant())
        SHARED[0].does(SHARED[0]._anew())
        yield SHARED[0]
        return
    made = Plant(**set_as)
    try:
        yield made
    finally:
        made.stop()


def ask(where: Where, asking):
    async def asked():
        async with Reader(where) as r:
            return await asking(r)

    return asyncio.run(asked())


@tag("core")
class ByException(SimpleTestCase):
    readings = st.lists(st.tuples(st.integers(1, 90_000), st.floats(-50, 50)), min_size=1, max_size=60)

    @given(readings, st.floats(0.01, 20.0))
    def test_what_is_held_back_lies_within_the_dead_band_of_what_is_kept(self, steps, dead):
        keeps, at, heard, kept = Exceptions(dead=dead), 0, [], []
        for wait, value in steps:
            at += wait
            heard.append((at, value))
            kept += keeps.take(at, value)
        self.assertEqual(kept[0], heard[0])
        self.assertEqual(kept, sorted(set(kept)))
        self.assertTrue(set(kept) <= set(heard))
        for when, value in heard:  # the last kept before it stands for it, or the next one does at its own time
            before = [v for t, v in kept if t <= when][-1]
            self.assertTrue((when, value) in kept or abs(value - before) <= 2.0 * dead + 1e-9)
        for (a, _), (b, _) in zip(kept, kept[1:], strict=False):
            gaps = [t for t, _ in heard if a < t <= b]
            self.assertTrue(b - a < keeps.longest_ms + 90_001 or len(gaps) == 1)

    def test_a_step_keeps_the_reading_before_it_and_what_stands_still_is_heard_of_now_and_then(self):
        keeps = Exceptions(dead=0.5)
        told = [keeps.take(t * 1000, v) for t, v in ((0, 10.0), (1, 10.2), (2, 10.4), (3, 12.0), (4, 12.1))]
        self.assertEqual(told, [[(0, 10.0)], [], [], [(2000, 10.4), (3000, 12.0)], []])
        self.assertEqual(keeps.take(3000 + 300_000, 12.1), [(303_000, 12.1)])
        self.assertEqual(keeps.take(400_000, math.nan), [])

    def test_quality_by_its_two_highest_bits(self):
        for code, quality in (
            (0, "good"),
            (0x00A70000, "good"),
            (0x40000000, "uncertain"),
            (0x80340000, "bad"),
            (0xC0000000, "bad"),
        ):
            with self.subTest(code=hex(code)):
                self.assertEqual(quality_of(code), Quality(quality))


class Reading_(SimpleTestCase):
    """What a reader makes of a server."""

    def test_it_browses_tries_and_follows_and_names_are_cut_and_cleaned(self):
        with plant() as p:

            async def asking(r):
                top = await r.children()
                mill = next(c for c in top if c.node == "ns=2;s=mill")
                below = await r.children(mill.node)
                tried = {c.name: await r.tried(c.node) for c in below if c.variable and "level." not in c.node}
                return mill, tried

            mill, tried = ask(Where(p.url), asking)
            self.assertLessEqual(len(mill.name), reader.NAME)
            self.assertNotIn("\x07", mill.name)
            self.assertEqual((tried["level"].value, tried["level"].quality), (50.0, Quality.GOOD))
            self.assertEqual((tried["flag"].value, tried["count"].value), (1.0, 7.0))
            for name in ("text", "list", "nan"):
                self.assertIsNone(tried[name].value)
                self.assertEqual(tried[name].quality, Quality.BAD)
            for bad in ("", "nonsense"):
                with self.subTest(node=bad), self.assertRaises(NotReached):
                    ask(Where(p.url), lambda r, bad=bad: r.tried(bad))
            gone = ask(Where(p.url), lambda r: r.tried("ns=2;s=nothing"))
            self.assertEqual((gone.value, gone.quality), (None, Quality.BAD))
            self.assertIn("BadNodeIdUnknown", gone.told)

    def test_nothing_can_be_written(self):
        with plant() as p:

            async def asking(r):
                for going in (
                    r.node(p.level).write_value(99.0),
                    r.node(p.level).write_attribute(ua.AttributeIds.Value, ua.DataValue(99.0)),
                    r.node("ns=2;s=mill").call_method(ua.NodeId("x", 2)),
                    r.node("ns=2;s=mill").add_variable(2, "mine", 1.0),
                    r.node(p.level).delete(),
                ):
                    with self.assertRaises(NotReached, msg=str(going)):
                        await going
                return await r.tried(p.level)

            self.assertEqual(ask(Where(p.url), asking).value, 50.0)
            self.assertEqual(p.value(), 50.0)

    def test_what_is_no_server_is_told_in_time(self):
        listening = socket.socket()
        listening.bind(("127.0.0.1", 0))
        listening.listen(5)  # takes a connection and says nothing
        silent = listening.getsockname()[1]
        with mock.patch.object(reader, "LIMIT_S", 0.4):
            for url, said in (
                (f"opc.tcp://127.0.0.1:{standin._free_port()}/", "nothing listens"),
                (f"opc.tcp://127.0.0.1:{silent}/", "no answer|Timeout|Error|Connection"),
            ):
                begun = datetime.now(UTC)
                with self.subTest(url=url), self.assertRaisesRegex(NotReached, said):
                    ask(Where(url), lambda r: r.children())
                self.assertLess((datetime.now(UTC) - begun).total_seconds(), 8.0)
        listening.close()

    def test_a_user_that_is_not_let_in_is_told(self):
        with plant(users={"reader": "seven"}) as p:
            self.assertEqual(ask(Where(p.url, user="reader", password="seven"), lambda r: r.tried(p.level)).value, 50.0)
            for user, password in (("reader", "eight"), ("nobody", "seven"), ("", "")):
                with self.subTest(user=user), self.assertRaises(NotReached):
                    ask(Where(p.url, user=user, password=password), lambda r: r.tried(p.level))

    def test_only_a_trusted_certificate_is_spoken_to(self):
        with plant(secure=True) as p:
            certificate, key = map(str, keys.own_certificate())
            shown = keys.fingerprint(asyncio.run(reader.server_certificate(p.url)))
            with self.assertRaisesRegex(NotReached, "not the one that was trusted"):
                ask(Where(p.url, "encrypt", certificate=certificate, key=key, trusted="0" * 64), lambda r: r.tried(p.level))
            for policy in ("encrypt", "sign"):
                where = Where(p.url, policy, certificate=certificate, key=key, trusted=shown)
                with self.subTest(policy=policy):
                    self.assertEqual(ask(where, lambda r: r.tried(p.level)).value, 50.0)
            with self.assertRaises(NotReached):
                ask(Where(p.url), lambda r: r.tried(p.level))

    def test_passwords_are_kept_closed(self):
        secret = keys.closed("heron seven")
        self.assertNotIn("heron", secret)
        self.assertEqual(
            (keys.opened(secret), keys.opened(""), keys.opened("gAAA broken"), keys.closed("")), ("heron seven", "", "", "")
        )


JOBS: queue.Queue = queue.Queue()


def on_the_tests_thread(function):
    """What asks the database is done by the thread that has it; the loop runs in another."""

    async def asked(*args, **kwargs):
        done = asyncio.get_running_loop().create_future()
        JOBS.put((function, args, kwargs, done, asyncio.get_running_loop()))
        return await done

    return asked


def _do(job) -> None:
    function, args, kwargs, done, loop = job
    try:
        loop.call_soon_threadsafe(done.set_result, function(*args, **kwargs))
    except Exception as failure:  # noqa: BLE001  (told where it was asked)
        loop.call_soon_threadsafe(done.set_exception, failure)


def run_here(going) -> None:
    """Run something of the plant link to its end, its questions answered by this thread."""
    ended: list = []

    def looping():
        try:
            asyncio.run(going)
        except BaseException as failure:  # noqa: BLE001
            ended.append(failure)

    thread = threading.Thread(target=looping, daemon=True)
    thread.start()
    while thread.is_alive() or not JOBS.empty():
        with contextlib.suppress(queue.Empty):
            _do(JOBS.get(timeout=0.05))
    if ended:
        raise ended[0]


@tag("slow")
class Following(TestCase):
    """From a server into the readings."""

    @classmethod
    def setUpTestData(cls):
        make.demo()
        Link.objects.all().delete()
        cls.signal = Signal.objects.get(tag="level.K.tower")

    def setUp(self):
        self.enterContext(mock.patch.object(work, "ask", on_the_tests_thread))
        self.enterContext(mock.patch.object(work, "close_old_connections", lambda: None))
        self.enterContext(mock.patch.multiple(work, DRAIN_S=0.1, ALIVE_S=0.3, CHANGED_S=0.2, FIRST_WAIT_S=0.1))
        self.enterContext(mock.patch.object(reader, "LIMIT_S", 2.0))

    def link(self, p: Plant, **point) -> Link:
        link = Link.objects.create(name="Plant", url=p.url, every_ms=100, on=True, made_at=make.NOW)
        Point.objects.create(link=link, node=p.level, signal=self.signal, **point)
        return link

    def kept(self) -> list[tuple[float, int]]:
        rows = Reading.objects.filter(signal=self.signal, at_ms__gt=ms(make.NOW) + 500)
        return list(rows.order_by("at_ms").values_list("value", "flag"))

    def run_until(self, link: Link, then, *, seconds: float = 8.0) -> None:
        """Keep up with a link while `then` (in a thread) acts; ends with it."""
        done = threading.Event()

        def acting():
            try:
                then()
            finally:
                done.set()

        thread = threading.Thread(target=acting, daemon=True)
        thread.start()
        run_here(asyncio.wait_for(work.keep_up(link.pk, lambda: not done.is_set()), seconds + 20))
        thread.join(5)

    def test_values_come_with_their_source_time_and_quality_in_the_meters_unit(self):
        with plant() as p:
            link = self.link(p, factor=10.0, offset=-20.0)

            def acting():
                time.sleep(1.2)
                for i, (value, status) in enumerate(
                    (
                        (6.1, ua.StatusCodes.Good),
                        (6.2, ua.StatusCodes.UncertainLastUsableValue),
                        (9.9, ua.StatusCodes.BadSensorFailure),
                        (6.4, ua.StatusCodes.Good),
                        (99.0, ua.StatusCodes.Good),  # 970 %: no level
                    )
                ):
                    p.show(value, make.NOW + timedelta(seconds=1 + i), status)
                    time.sleep(0.4)

            self.run_until(link, acting)
        self.assertEqual(self.kept(), [(41.0, 0), (42.0, 3), (44.0, 0)])
        point = Point.objects.get(signal=self.signal)
        self.assertEqual(point.quality, "good")
        refused = Delivery.objects.get(door="opc")
        self.assertEqual((refused.refused, refused.reasons), (1, {"impossible value": 1}))
        link.refresh_from_db()
        self.assertEqual((link.connects, link.error), (1, ""))

    def test_a_server_that_was_away_is_asked_for_what_was_missed_and_nothing_comes_twice(self):
        with plant() as p:
            link = self.link(p)
            self.run_until(link, lambda: (time.sleep(0.8), p.show(41.0, make.NOW + timedelta(seconds=1)), time.sleep(0.5)))
            for i in range(2, 8):  # nobody follows; none of it is later than the mill's clock, which is asked up to
                p.show(40.0 + i, make.NOW + timedelta(seconds=1, milliseconds=50 * i))
                p.has_kept(40.0 + i)
            self.run_until(link, lambda: (time.sleep(1.0), p.show(60.0, make.NOW + timedelta(seconds=9)), time.sleep(0.5)))
        self.assertEqual([v for v, _ in self.kept()], [41.0, 42.0, 43.0, 44.0, 45.0, 46.0, 47.0, 60.0])
        self.assertEqual(Link.objects.get().connects, 2)

    def test_one_that_breaks_off_is_told_and_connected_anew(self):
        first = Plant()
        link = self.link(first)
        made: list[Plant] = []

        def acting():
            time.sleep(0.8)
            first.stop()
            time.sleep(1.0)
            made.append(Plant(port=first.port))
            time.sleep(3.0)
            made[0].show(33.0, make.NOW + timedelta(seconds=30))
            time.sleep(0.8)

        self.run_until(link, acting, seconds=14)
        made[0].stop()
        link.refresh_from_db()
        self.assertGreaterEqual(link.connects, 2)
        self.assertNotEqual(link.error, "")
        self.assertIn(33.0, [v for v, _ in self.kept()])

    def test_a_node_that_is_not_there_keeps_no_other_away(self):
        with plant() as p:
            link = self.link(p)
            other = Signal.objects.get(tag="level.S.tower")
            Point.objects.create(link=link, node="ns=2;s=gone", signal=other)
            self.run_until(link, lambda: (time.sleep(1.0), p.show(44.0, make.NOW + timedelta(seconds=2)), time.sleep(0.5)))
        self.assertEqual([v for v, _ in self.kept()], [44.0])
        self.assertIn("not followed", Point.objects.get(signal=other).problem)

    def test_a_link_set_otherwise_begins_anew_and_one_turned_off_ends(self):
        with plant() as p:
            link = self.link(p)

            def acting():
                time.sleep(1.0)

            self.run_until(link, acting)
            Link.objects.filter(pk=link.pk).update(on=False)
            run_here(work.keep_up(link.pk, lambda: True))
        self.assertEqual(Link.objects.get().state, "off")

    def test_a_plant_that_says_nothing_new_writes_nothing(self):
        link = Link.objects.create(name="Plant", url="opc.tcp://a:1/", made_at=make.NOW)
        Point.objects.create(link=link, node="ns=2;s=a", signal=self.signal)
        points = work._points(link)
        now = ms(make.NOW) + 10_000
        points[0].hear(Seen(41.0, Quality.GOOD, now), now)
        work._keep(link, points)
        with self.assertNumQueries(0):
            work._keep(link, points)
        self.assertEqual(Point.objects.get(signal=self.signal).value, 41.0)


class Standing(SimpleTestCase):
    """The plant that ships."""

    def test_it_shows_what_meters_read_with_their_time_and_unit(self):
        async def shown():
            stand = standin.Standin()
            await stand.begin(
                [("level.K.tower", "K white tower, level", "%", "stock"), ("ph.K.d0", "K D0 exit, pH", "", "bleach")]
            )
            try:
                await stand.show(Scan(make.NOW, {"level.K.tower": 41.5, "ph.K.d0": None, "gone": 1.0}))
                async with Reader(Where(stand.url)) as r:
                    mill = next(c for c in await r.children() if c.name == "Mill")
                    places = [c.name for c in await r.children(mill.node)]
                    return places, await r.tried("ns=2;s=level.K.tower"), await r.tried("ns=2;s=ph.K.d0")
            finally:
                await stand.end()

        places, level, gone = asyncio.run(shown())
        self.assertEqual(sorted(places), ["Bleach", "Stock"])
        self.assertEqual((level.value, level.unit, level.at_ms), (41.5, "%", ms(make.NOW)))
        self.assertEqual(gone.quality, Quality.BAD)

    def test_it_takes_the_port_it_had_where_that_is_free(self):
        free = standin._free_port()
        self.assertEqual(standin._free_port(free), free)
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", free))
            self.assertNotEqual(standin._free_port(free), free)


class OnScreen(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        self.client.force_login(make.person("pn"), backend="django.contrib.auth.backends.ModelBackend")

    def test_the_demo_reads_every_meter_of_its_stand_in(self):
        link = Link.objects.get()
        self.assertEqual(link.points.count(), Signal.objects.count())
        page = self.client.get(f"/instruments/plant/{link.pk}/")
        self.assertContains(page, "ns=2;s=level.K.tower")
        self.assertContains(self.client.get("/instruments/plant/"), "every meter is read of one")

    def test_the_meters_of_another_set_up_are_read_of_the_stand_in_and_those_taken_away_stay_away(self):
        away = Point.objects.get(signal__tag="level.K.tower")
        away.delete()
        told = {
            "label": "New",
            "unit": "%",
            "kind": "level",
            "low": 0,
            "high": 100,
            "decimals": 1,
            "station": "stock",
            "age_min": 5,
        }
        Signal.objects.create(tag="level.N.tower", **told)
        changed = Link.objects.get().changed
        self.assertEqual((standin.map_new(), standin.map_new()), (1, 0))
        self.assertEqual(Point.objects.get(signal__tag="level.N.tower").node, "ns=2;s=level.N.tower")
        self.assertFalse(Point.objects.filter(signal__tag="level.K.tower").exists())
        self.assertEqual(Link.objects.get().changed, changed + 1)
        Link.objects.all().delete()
        self.assertEqual(standin.map_new(), 0)  # a mill without one

    def test_a_server_is_added_set_otherwise_and_its_password_never_shown(self):
        sent = {
            "name": "North",
            "url": "opc.tcp://north:4840/a",
            "policy": "encrypt",
            "user": "desk",
            "password": "p w",
            "every_ms": "500",
        }
        self.assertEqual(self.client.post("/instruments/plant/new/", sent).status_code, 302)
        link = Link.objects.get(name="North")
        self.assertEqual((keys.opened(link.secret), link.every_ms, link.on), ("p w", 500, False))
        page = self.client.get(f"/instruments/plant/{link.pk}/")
        self.assertNotContains(page, "p w")
        self.assertContains(page, "not trusted yet")
        refused = self.client.post(f"/instruments/plant/{link.pk}/turn/", {"to": "on"})
        self.assertContains(refused, "trust it first", status_code=422)
        self.assertEqual(self.client.post(f"/instruments/plant/{link.pk}/trust/", {"print": "a" * 64}).status_code, 302)
        self.assertEqual(self.client.post(f"/instruments/plant/{link.pk}/turn/", {"to": "on"}).status_code, 302)
        self.client.post(f"/instruments/plant/{link.pk}/keep/", sent | {"password": "", "url": "opc.tcp://south:4840/a"})
        link.refresh_from_db()
        self.assertEqual((keys.opened(link.secret), link.trusted), ("p w", ""))  # another server: looked at again
        self.assertTrue(Record.objects.filter(subject=f"plant.{link.pk}").count() >= 4)

    def test_what_cannot_be_is_refused_beside_its_field_and_stays_typed(self):
        good = {"name": "North", "url": "opc.tcp://north:4840/", "policy": "none", "user": "", "every_ms": "1000"}
        for change, said in (
            ({"name": " "}, "Name is empty"),
            ({"url": "http://north/"}, "must begin with opc.tcp://"),
            ({"url": "opc.tcp://u:p@north/"}, "carries a user or password"),
            ({"url": "opc.tcp://north:99999/"}, "Address"),
            ({"policy": "odd"}, "choose one of the list"),
            ({"every_ms": "5"}, "Read every is 5 ms"),
            ({"every_ms": "soon"}, "Read every is empty or no number"),
        ):
            with self.subTest(change=change):
                answer = self.client.post("/instruments/plant/new/", good | change)
                self.assertContains(answer, said, status_code=422)
        self.assertFalse(Link.objects.filter(name="North").exists())

    def test_a_node_is_mapped_gives_way_and_is_taken_away(self):
        link = Link.objects.get()
        other = actions.keep_link(
            None,
            name="B",
            url="opc.tcp://b:1/",
            policy="none",
            user="",
            password=None,
            every_ms=1000,
            by=make.person("pn"),
            now=make.NOW,
        )
        sent = {"node": "ns=3;i=77", "tag": "level.K.tower", "factor": "0,1", "offset": "", "dead": "0,2"}
        self.assertEqual(self.client.post(f"/instruments/plant/{other.pk}/map/", sent).status_code, 302)
        point = Point.objects.get(signal__tag="level.K.tower")
        self.assertEqual((point.link, point.factor, point.offset, point.dead), (other, 0.1, 0.0, 0.2))
        changed = Link.objects.get(pk=link.pk).changed
        self.assertEqual(changed, link.changed + 1)  # it begins anew without it
        for bad, said in (
            ({"node": "x"}, "must be a node id"),
            ({"tag": "none"}, "choose one of the mill"),
            ({"factor": "0"}, "other than 0"),
            ({"dead": "-1"}, "at least 0"),
            ({"dead": "5000"}, "at most the meter"),
            ({"offset": "much"}, "Offset must be a number"),
        ):
            with self.subTest(bad=bad):
                answer = self.client.post(f"/instruments/plant/{other.pk}/map/", sent | bad)
                self.assertContains(answer, said, status_code=422)
        self.assertIn("level.K.tower", self.client.get(f"/instruments/plant/{other.pk}/points.csv").content.decode())
        self.assertEqual(self.client.post(f"/instruments/plant/points/{point.pk}/unmap/").status_code, 302)
        self.assertFalse(Point.objects.filter(signal__tag="level.K.tower").exists())
        self.assertContains(self.client.get("/instruments/plant/"), "1 meters are read of none")

    def test_a_server_is_browsed_tried_and_mapped_from_there(self):
        with plant() as p:
            link = Link.objects.create(name="C", url=p.url, made_at=make.NOW)
            page = self.client.get(f"/instruments/plant/{link.pk}/browse/?node=ns%3D2;s%3Dmill&try=ns%3D2;s%3Dlevel")
            self.assertContains(page, "Quality good")
            self.assertContains(page, "50")
            self.assertNotContains(page, "<b>1</b>")
            self.assertContains(self.client.get(f"/instruments/plant/{link.pk}/browse/?node=rubbish"), "is no node id")
        Link.objects.filter(pk=link.pk).update(url=f"opc.tcp://127.0.0.1:{standin._free_port()}/")
        with mock.patch.object(reader, "LIMIT_S", 0.3):
            gone = self.client.get(f"/instruments/plant/{link.pk}/browse/")
            self.assertContains(gone, "It cannot be read")
            self.assertContains(self.client.get(f"/instruments/plant/{link.pk}/trust/"), "It cannot be asked")
