"""The process that reads the plant: connects, asks for what it missed, follows, keeps by exception, and begins anew when it is
cut off or set otherwise. It never writes to a server."""

import asyncio
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import timedelta

from asgiref.sync import sync_to_async
from django.db import DatabaseError, close_old_connections

from core.instruments.exceptions import Exceptions, Quality
from core.instruments.intake import AHEAD_MS
from desk.instruments.models import ms
from desk.intake.actions import Raw, deliver
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.mill.clock import mill_now
from desk.opc.keys import opened, own_certificate
from desk.opc.models import STANDIN_URL, Link, Point
from desk.opc.reader import NotReached, Reader, Seen, Where

LOOKS_S, DRAIN_S, ALIVE_S, CHANGED_S = 2.0, 1.0, 5.0, 3.0
FIRST_WAIT_S, LONGEST_WAIT_S = 1.0, 30.0
MISSED_AT_MOST = timedelta(days=60)
AT_ONCE = 2000


def where_of(link: Link) -> Where:
    """How a link is entered, its password opened and the desk's own certificate at hand."""
    certificate, key = ("", "") if link.policy == "none" else map(str, own_certificate())
    return Where(
        url=link.url,
        policy=link.policy,
        user=link.user,
        password=opened(link.secret),
        certificate=certificate,
        key=key,
        trusted=link.trusted,
    )


@dataclass
class Followed:
    """A point while it is followed: what it keeps, and what it last heard."""

    pk: int
    node: str
    tag: str
    factor: float
    offset: float
    keeps: Exceptions
    read_ms: int | None
    last: Seen | None = None
    news: bool = False  # something was heard since it was last noted
    waiting: list[Raw] = field(default_factory=list)

    def hear(self, seen: Seen, now_ms: int) -> None:
        """A value comes: what is to be kept of it waits. One that was heard already, is bad, or is of a time that is not yet,
        leaves nothing; nor does a clock that runs ahead keep later ones away."""
        if seen.at_ms > now_ms + AHEAD_MS:
            seen = replace(seen, quality=Quality.BAD, told="of a time ahead of the mill's clock")
        self.last, self.news = seen, True
        if seen.quality is Quality.BAD or seen.value is None or (self.read_ms is not None and seen.at_ms <= self.read_ms):
            return
        self.read_ms = seen.at_ms
        uncertain = seen.quality is Quality.UNCERTAIN
        for at_ms, value in self.keeps.take(seen.at_ms, self.factor * seen.value + self.offset):
            self.waiting.append(Raw(0, self.tag, at_ms, value, uncertain=uncertain))

    def taken(self) -> list[Raw]:
        rows, self.waiting = self.waiting, []
        return rows


def _points(link: Link) -> list[Followed]:
    told = []
    for p in Point.objects.filter(link=link).select_related("signal"):
        longest = round(30_000 * p.signal.age_min)  # half the age at which a reading is old
        told.append(
            Followed(
                pk=p.pk,
                node=p.node,
                tag=p.signal.tag,
                factor=p.factor,
                offset=p.offset,
                keeps=Exceptions(dead=p.dead, longest_ms=longest),
                read_ms=max(filter(None, (p.read_ms, p.signal.last_ms)), default=None),
            )
        )
    return told


def _state(link: Link, state: str, error: str | None = None, *, connected: bool = False) -> None:
    """How the connection stands, for the page. A database that takes nothing loses only this."""
    now = mill_now()
    told = {"state": state, "state_at": now}
    if error:
        told |= {"error": plain(error)[:300], "error_at": now}
    if connected:
        told["connects"] = link.connects = link.connects + 1
    try:
        with writing():
            Link.objects.filter(pk=link.pk).update(**told)
    except DatabaseError:
        return


def _keep(link: Link, points: list[Followed], *, history: bool = False) -> None:
    """Deliver what waits, and note what was read last. What the database does not take waits on."""
    rows = [row for p in points for row in p.waiting]
    for first in range(0, len(rows), AT_ONCE):
        deliver(
            rows=rows[first : first + AT_ONCE],
            door="opc",
            name=link.name,
            by=None,
            now=mill_now(),
            quiet=True,
            history=history,
        )
    for p in points:
        p.waiting = []
    told = [p for p in points if p.news]
    if not told:
        return
    with writing():
        for p in told:
            seen = p.last
            assert seen is not None
            value = None if seen.value is None else p.factor * seen.value + p.offset
            problem = "" if seen.quality is not Quality.BAD else (f"is {seen.told}" if seen.told else "the plant calls it bad")
            Point.objects.filter(pk=p.pk).update(
                read_ms=p.read_ms, value=value, quality=seen.quality.value, problem=problem[:120]
            )
    for p in told:
        p.news = False


def _refused(refused: dict[str, str], link: Link) -> None:
    with writing():
        for node, why in refused.items():
            Point.objects.filter(link=link, node=node).update(quality=Quality.BAD.value, problem=f"not followed: {why}"[:120])


def _fresh(pk: int) -> Link | None:
    close_old_connections()
    return Link.objects.filter(pk=pk, on=True).exclude(url=STANDIN_URL).first()


ask = sync_to_async(thread_sensitive=True)


async def _catch_up(reader: Reader, link: Link, points: list[Followed]) -> None:
    """What the server can still tell of the time that was missed, oldest first."""
    now_ms = ms(await ask(mill_now)())
    least = now_ms - round(MISSED_AT_MOST.total_seconds() * 1000)
    for p in points:
        if p.read_ms is None:
            continue
        for seen in await reader.missed(p.node, max(least, p.read_ms + 1), now_ms):
            p.hear(seen, now_ms)
        if p.waiting:
            await ask(_keep)(link, [p], history=True)


async def follow(link: Link, going: Callable[[], bool]) -> None:
    """One connection from its beginning to its end: returns where the link was set otherwise, or the process stops.

    Raises: NotReached, DatabaseError.
    """
    points = await ask(_points)(link)
    by_node = {p.node: p for p in points}
    async with Reader(await ask(where_of)(link)) as reader:
        await ask(_state)(link, "connected", connected=True)
        early: list[tuple[str, Seen]] = []  # heard while the past is still asked for
        heard: Callable[[str, Seen], None] = lambda node, seen: early.append((node, seen))  # noqa: E731
        refused = await reader.follow(by_node, link.every_ms, lambda node, seen: heard(node, seen))
        await ask(_refused)(refused, link)
        await _catch_up(reader, link, points)

        offset_ms = ms(await ask(mill_now)()) - round(1000 * time.time())  # of the mill's clock over this machine's

        def at_once(node: str, seen: Seen) -> None:
            if (p := by_node.get(node)) is not None:
                p.hear(seen, round(1000 * time.time()) + offset_ms)

        for node, seen in early:
            at_once(node, seen)
        heard = at_once
        alive = looked = time.monotonic()
        while going():
            for _ in range(4):
                if going():
                    await asyncio.sleep(DRAIN_S / 4)
            if any(p.waiting or p.news for p in points):
                await ask(_keep)(link, points)
            if time.monotonic() - alive >= ALIVE_S:
                alive = time.monotonic()
                offset_ms = ms(await ask(mill_now)()) - round(1000 * time.time())
                await reader.alive()
                await ask(_state)(link, "connected")
            if time.monotonic() - looked >= CHANGED_S:
                looked = time.monotonic()
                now = await ask(_fresh)(link.pk)
                if now is None or now.changed != link.changed:
                    return


async def keep_up(pk: int, going: Callable[[], bool]) -> None:
    """A link as long as it is on: connected anew when it was cut off, after waits that grow to half a minute."""
    wait = FIRST_WAIT_S
    while going() and (link := await ask(_fresh)(pk)) is not None:
        begun = time.monotonic()
        try:
            await follow(link, going)
            wait = FIRST_WAIT_S
            continue
        except (NotReached, DatabaseError) as failure:
            text = str(failure)
        except Exception as failure:  # noqa: BLE001  (said on the page; the link goes on)
            text = f"{type(failure).__name__}: {failure}"
        await ask(_state)(link, "not connected", text)
        if time.monotonic() - begun > LONGEST_WAIT_S:
            wait = FIRST_WAIT_S
        for _ in range(round(wait / 0.5)):
            if not going():
                return
            await asyncio.sleep(0.5)
        wait = min(LONGEST_WAIT_S, 2.0 * wait)
    if (left := await ask(Link.objects.filter(pk=pk, on=False).first)()) is not None:
        await ask(_state)(left, "off")


def _wanted() -> set[int]:
    close_old_connections()
    return set(Link.objects.filter(on=True).exclude(url=STANDIN_URL).values_list("pk", flat=True))


async def work(going: Callable[[], bool]) -> None:
    """Every link that is on, each by itself, until told to stop."""
    running: dict[int, asyncio.Task] = {}
    while going():
        try:
            wanted = await ask(_wanted)()
        except DatabaseError:
            wanted = set()
        for pk in wanted - {k for k, task in running.items() if not task.done()}:
            running[pk] = asyncio.create_task(keep_up(pk, going))
        for _ in range(round(LOOKS_S / 0.25)):
            if going():
                await asyncio.sleep(0.25)
    await asyncio.gather(*running.values(), return_exceptions=True)
