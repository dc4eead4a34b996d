"""The plant that stands in for one: a small OPC UA server whose nodes show what the demo mill's meters read of its line through
time. It ships so that the plant interface can be tried; it takes no value from anybody."""

import asyncio
import contextlib
import logging
import socket
from collections.abc import Callable
from datetime import UTC, datetime
from urllib.parse import urlsplit

from asgiref.sync import sync_to_async
from asyncua import Server, ua
from django.db.models import F

from core.errors import CoreError
from desk.instruments.models import Signal
from desk.intake.plant import Scan, scan
from desk.mill.clock import mill_now
from desk.mill.ribbon import STATIONS
from desk.mill.state import MillState, NoMill
from desk.opc.models import STANDIN, STANDIN_URL, Link, map_to_standin

SPACE = "urn:fox-vat:stand-in"
SCAN_S = 10.0
KEPT = 4000  # of each node
LONG_AGO = datetime(2000, 1, 1, tzinfo=UTC)
ask = sync_to_async(thread_sensitive=True)
log = logging.getLogger(__name__)


class Standin:
    """The server on a port of this machine (0: any that is free). `begin`, `show` and `end` it."""

    def __init__(self, port: int = 0) -> None:
        self.port = port
        self.server = Server()
        self.nodes: dict[str, object] = {}

    @property
    def url(self) -> str:
        return f"opc.tcp://127.0.0.1:{self.port}/plant/"

    async def begin(self, signals: list[tuple[str, str, str, str]]) -> None:
        """Lay out a variable a signal (tag, label, unit, station), and listen."""
        server = self.server
        await server.init()
        self.port = _free_port(self.port)
        server.set_endpoint(self.url)
        server.set_server_name(STANDIN)
        server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
        space = await server.register_namespace(SPACE)
        mill = await server.nodes.objects.add_object(ua.NodeId("mill", space), "Mill")
        places: dict[str, object] = {}
        for tag, label, unit, station in signals:
            if station not in places:
                name = {key: name for key, _, name in STATIONS}.get(station, station or "elsewhere")
                places[station] = await mill.add_object(ua.NodeId(f"at.{station}", space), name)
            waits = ua.StatusCode(ua.StatusCodes.BadWaitingForInitialData)
            empty = ua.DataValue(ua.Variant(0.0, ua.VariantType.Double), waits, SourceTimestamp=LONG_AGO)
            node = await places[station].add_variable(ua.NodeId(tag, space), label, 0.0, ua.VariantType.Double)
            await node.write_value(empty)
            await node.add_property(
                ua.NodeId(f"{tag}.unit", space),
                ua.QualifiedName("EngineeringUnits", 0),
                ua.EUInformation(DisplayName=ua.LocalizedText(unit)),
            )
            self.nodes[tag] = node
        await server.start()
        for node in self.nodes.values():  # once there is something to keep
            await server.historize_node_data_change(node, None, KEPT)

    async def show(self, found: Scan) -> None:
        """Show a scan: its values with the time they were read, and bad quality where a signal dropped out."""
        at = found.at.astimezone(UTC)
        for tag, value in found.shown.items():
            if (node := self.nodes.get(tag)) is None:
                continue
            good = ua.StatusCodes.Good if value is not None else ua.StatusCodes.BadNoCommunication
            shown = ua.Variant(0.0 if value is None else float(value), ua.VariantType.Double)
            await node.write_value(ua.DataValue(shown, ua.StatusCode(good), SourceTimestamp=at, ServerTimestamp=at))

    async def end(self) -> None:
        """Stop listening; a client that does not leave holds it up for a second and a half at most."""
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(1.5):
                await self.server.stop()


def _free_port(wanted: int = 0) -> int:
    """A port of this machine that nothing listens on: the one that is wanted, where it is free."""
    for port in (wanted, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)  # one that was just given back is free
            try:
                probe.bind(("127.0.0.1", port))
                return int(probe.getsockname()[1])
            except (OSError, OverflowError):
                continue
    raise OSError("no port is free")


def _before() -> int:
    """The port that the demo's link knows from the last time; 0 for none."""
    link = Link.objects.filter(name=STANDIN).first()
    return (urlsplit(link.url).port or 0) if link is not None and link.url != STANDIN_URL else 0


def _signals() -> list[tuple[str, str, str, str]]:
    return list(Signal.objects.order_by("tag").values_list("tag", "label", "unit", "station"))


def _scanned() -> Scan | None:
    now = mill_now()
    try:
        return scan(MillState(now), now)
    except (NoMill, CoreError) as failure:
        log.warning("the stand-in plant cannot be run on: %s", failure)
        return None


def _told(url: str) -> None:
    """The demo's link knows where the stand-in listens today."""
    for link in Link.objects.filter(name=STANDIN).exclude(url=url):
        link.url, link.changed = url, link.changed + 1
        link.save(update_fields=["url", "changed"])


def map_new() -> int:
    """Meters that were never read of anything (of a set-up that is new) are read of the stand-in; how many."""
    link = Link.objects.filter(name=STANDIN).first()
    if link is None:
        return 0
    mapped = map_to_standin(link, Signal.objects.filter(point__isnull=True, last_ms__isnull=True))
    if mapped:
        Link.objects.filter(pk=link.pk).update(changed=F("changed") + 1)
    return mapped


async def run(going: Callable[[], bool]) -> None:
    """Stand in until told to stop; laid out anew when the mill's meters are others."""
    while going():
        signals = await ask(_signals)()
        stand = Standin(await ask(_before)())
        await stand.begin(signals)
        try:
            await ask(_told)(stand.url)
            await ask(map_new)()
            while going() and await ask(_signals)() == signals:
                if (found := await ask(_scanned)()) is not None:
                    await stand.show(found)
                for _ in range(round(SCAN_S / 0.25)):
                    if not going():
                        break
                    await asyncio.sleep(0.25)
        finally:
            await stand.end()
