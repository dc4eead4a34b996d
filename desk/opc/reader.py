"""Reading a server that speaks OPC UA: connect, browse, try, follow, and ask what was missed. Nothing here can write to it.

Everything has a time limit, and a server may say what it likes: names are cut and cleaned, lists have an end, values that are
no numbers are told as such.
"""

import asyncio
import math
from collections.abc import Awaitable, Callable, Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from asyncua import Client, Node, ua
from asyncua.crypto.security_policies import SecurityPolicyBasic256Sha256
from asyncua.ua.uaerrors import UaError

from core.instruments.exceptions import Quality, quality_of
from desk.kit.text import plain
from desk.opc.keys import URI, fingerprint

LIMIT_S, LEAVE_S = 6.0, 1.5
MOST_CHILDREN, MOST_HISTORY, NAME = 400, 20_000, 120
ROOT = "i=85"
MODES = {"sign": ua.MessageSecurityMode.Sign, "encrypt": ua.MessageSecurityMode.SignAndEncrypt}
ASKS = (  # all that is ever sent: to come in, to read, to be told; no write, no call, no change of a node
    *("GetEndpoints", "CreateSession", "ActivateSession", "CloseSession", "Read", "HistoryRead", "Browse", "BrowseNext"),
    *("TranslateBrowsePathsToNodeIds", "CreateSubscription", "ModifySubscription", "DeleteSubscriptions", "Publish"),
    *("SetPublishingMode", "CreateMonitoredItems", "DeleteMonitoredItems", "CloseSecureChannel", "OpenSecureChannel"),
)


class NotReached(Exception):
    """A server that cannot be read, with why in words for people."""


@dataclass(frozen=True)
class Where:
    """A server and how it is entered. `trusted`: the fingerprint its certificate must have, where the policy is not none."""

    url: str
    policy: str = "none"
    user: str = ""
    password: str = ""
    certificate: str = ""
    key: str = ""
    trusted: str = ""


@dataclass(frozen=True)
class Child:
    """What stands under a node: its id, its name, whether it is a variable."""

    node: str
    name: str
    variable: bool


@dataclass(frozen=True)
class Seen:
    """A value as the server gives it: a number, or None with what it is instead; its quality and its source time, ms."""

    value: float | None
    quality: Quality
    at_ms: int
    told: str = ""
    unit: str = ""


def number_of(variant: Any) -> tuple[float | None, str]:
    """A value as a number; None with its kind for one that is none."""
    if isinstance(variant, bool):
        return float(variant), ""
    if isinstance(variant, int | float):
        x = float(variant)
        return (x, "") if math.isfinite(x) else (None, "not finite")
    return None, "nothing" if variant is None else f"a {type(variant).__name__}"[:40]


def seen_of(told: ua.DataValue) -> Seen:
    """A data value in the desk's own words. Without a source time the server's stands, else now."""
    value, kind = number_of(told.Value.Value if told.Value is not None else None)
    stamp = told.SourceTimestamp or told.ServerTimestamp or datetime.now(UTC)
    stamp = stamp if stamp.tzinfo else stamp.replace(tzinfo=UTC)
    status = told.StatusCode.value if told.StatusCode is not None else 0
    quality = quality_of(status) if value is not None else Quality.BAD
    if value is None and told.StatusCode is not None and not told.StatusCode.is_good():
        kind = f"told as {plain(told.StatusCode.name)[:60]}"
    return Seen(value=value, quality=quality, at_ms=round(stamp.timestamp() * 1000), told=kind)


def _read_only(client: Client) -> None:
    """Let nothing out that is not among what the desk asks."""
    sends = client.uaclient._send_request

    async def guarded(request: Any, *more: Any, **named: Any) -> Any:
        if type(request).__name__.removesuffix("Request") not in ASKS:
            raise NotReached("the desk writes nothing to a plant")
        return await sends(request, *more, **named)

    client.uaclient._send_request = guarded  # type: ignore[method-assign]


def _why(error: BaseException) -> str:
    if isinstance(error, NotReached):
        return str(error)
    if isinstance(error, TimeoutError | asyncio.TimeoutError):
        return f"no answer within {LIMIT_S:g} s"
    if isinstance(error, ConnectionRefusedError):
        return "nothing listens there"
    if isinstance(error, UaError):
        return plain(f"the server says {type(error).__name__.removeprefix('Bad')}: {error}")[:200]
    return plain(f"{type(error).__name__}: {error}")[:200]


class Reader:
    """A connection to a server, for reading. Use as `async with`. Raises: NotReached."""

    def __init__(self, where: Where) -> None:
        self.where = where
        self.client = Client(where.url, timeout=LIMIT_S)
        self.client.application_uri = URI
        self.client.name = self.client.description = "Fox Vat"
        _read_only(self.client)
        self.subscription: Any = None

    async def __aenter__(self) -> "Reader":
        try:
            async with asyncio.timeout(3 * LIMIT_S):
                await self._enter()
        except Exception as error:
            await self._quietly(self.client.disconnect())
            raise NotReached(_why(error)) from None
        return self

    async def _enter(self) -> None:
        where = self.where
        if where.user:
            self.client.set_user(where.user)
            self.client.set_password(where.password)
        if where.policy in MODES:
            given = await server_certificate(where.url)
            if fingerprint(given) != where.trusted:
                raise NotReached("the server's certificate is not the one that was trusted")
            await self.client.set_security(
                SecurityPolicyBasic256Sha256,
                certificate=where.certificate,
                private_key=where.key,
                server_certificate=given,
                mode=MODES[where.policy],
            )
        await self.client.connect()

    async def __aexit__(self, *_: Any) -> None:
        await self._quietly(self.client.disconnect())

    async def _quietly(self, going: Awaitable[Any]) -> None:
        try:
            async with asyncio.timeout(LEAVE_S):
                await going
        except Exception:  # noqa: BLE001  (a server that is gone cannot be left any better)
            return

    async def _asked(self, going: Awaitable[Any]) -> Any:
        try:
            async with asyncio.timeout(LIMIT_S):
                return await going
        except Exception as error:
            raise NotReached(_why(error)) from None

    def node(self, node: str) -> Node:
        """A node by its id. Raises: NotReached for an id that is none."""
        try:
            return self.client.get_node(ua.NodeId.from_string(node))
        except Exception as error:
            raise NotReached(f"“{plain(node)[:80]}” is no node id: {_why(error)}") from None

    async def children(self, node: str = ROOT) -> list[Child]:
        """What stands under a node, variables last; at most 400. Raises: NotReached."""
        told = await self._asked(
            self.node(node).get_references(ua.ObjectIds.HierarchicalReferences, ua.BrowseDirection.Forward)
        )
        found: dict[str, Child] = {}
        for reference in told[: 2 * MOST_CHILDREN]:
            kind = reference.NodeClass_ if hasattr(reference, "NodeClass_") else reference.NodeClass
            if kind not in (ua.NodeClass.Object, ua.NodeClass.Variable):
                continue
            name = reference.DisplayName.Text or reference.BrowseName.Name or "(no name)"
            key = reference.NodeId.to_string()
            if len(key) <= 200:
                found[key] = Child(node=key, name=plain(name)[:NAME], variable=kind == ua.NodeClass.Variable)
        return sorted(found.values(), key=lambda c: (c.variable, c.name.casefold()))[:MOST_CHILDREN]

    async def name(self, node: str) -> str:
        told = await self._asked(self.node(node).read_display_name())
        return plain(told.Text or node)[:NAME]

    async def tried(self, node: str) -> Seen:
        """The value of a node now, with the unit that the server names for it. Raises: NotReached."""
        told = await self._asked(self.node(node).read_data_value(raise_on_bad_status=False))
        seen = seen_of(told)
        return Seen(seen.value, seen.quality, seen.at_ms, seen.told, await self._unit(node))

    async def _unit(self, node: str) -> str:
        try:
            async with asyncio.timeout(LIMIT_S):
                held = await self.node(node).get_child("0:EngineeringUnits")
                told = await held.read_value()
                return plain(told.DisplayName.Text or "")[:20]
        except Exception:  # noqa: BLE001  (most nodes name none)
            return ""

    async def alive(self) -> None:
        """Raises: NotReached where the server no longer answers, or says that it stops."""
        told = await self._asked(self.client.get_node(ua.NodeId(ua.ObjectIds.Server_ServerStatus_State)).read_value())
        if int(told) != 0:
            raise NotReached(f"the server says that it is not running (state {int(told)})")

    async def missed(self, node: str, from_ms: int, to_ms: int) -> list[Seen]:
        """What the server can still tell of a node between two times, oldest first; nothing where it keeps no history."""
        start, end = (datetime.fromtimestamp(t / 1000.0, UTC) for t in (from_ms, to_ms))
        try:
            async with asyncio.timeout(2 * LIMIT_S):
                told = await self.node(node).read_raw_history(start, end, numvalues=MOST_HISTORY)
        except Exception:  # noqa: BLE001  (a server without history has none to tell)
            return []
        seen = [seen_of(x) for x in told]
        return sorted((s for s in seen if from_ms <= s.at_ms <= to_ms), key=lambda s: s.at_ms)

    async def follow(self, nodes: Iterable[str], every_ms: int, heard: Callable[[str, Seen], None]) -> dict[str, str]:
        """Hear of every change of these nodes from now on. Gives those that cannot be followed, and why. Raises: NotReached."""
        by_id = {self.node(n): n for n in nodes}

        class Hears:
            def datachange_notification(self, node: Node, _: Any, data: Any) -> None:
                heard(by_id.get(node, node.nodeid.to_string()), seen_of(data.monitored_item.Value))

            def status_change_notification(self, _: Any) -> None:
                return

        self.subscription = await self._asked(self.client.create_subscription(every_ms, Hears()))
        refused: dict[str, str] = {}
        for node, name in by_id.items():
            try:
                async with asyncio.timeout(LIMIT_S):
                    await self.subscription.subscribe_data_change(node, queuesize=100, sampling_interval=every_ms)
            except Exception as error:  # noqa: BLE001  (one node that is gone keeps no other away)
                refused[name] = _why(error)
        return refused


async def server_certificate(url: str) -> bytes:
    """The certificate that a server shows, DER. Raises: NotReached for one that shows none."""
    try:
        async with asyncio.timeout(2 * LIMIT_S):
            ends = await Client(url, timeout=LIMIT_S).connect_and_get_server_endpoints()
    except Exception as error:
        raise NotReached(_why(error)) from None
    given = next((bytes(e.ServerCertificate) for e in ends if e.ServerCertificate), b"")
    if not given:
        raise NotReached("the server shows no certificate")
    return given
