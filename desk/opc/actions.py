"""Setting up a server and its points: what is refused, and what is kept, with a record of every change."""

import math
import re
from urllib.parse import urlsplit

from core.errors import ImpossibleInput, Problem
from desk.instruments.models import Signal
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind
from desk.opc.keys import closed
from desk.opc.models import POLICIES, Link, Point

MOST_LINKS, MOST_POINTS = 20, 2000
EVERY_LOW_MS, EVERY_HIGH_MS = 100, 3_600_000
NODE = re.compile(r"(ns=\d{1,5};)?(i=\d{1,10}|s=.{1,160}|g=[0-9a-fA-F-]{36}|b=[A-Za-z0-9+/=]{1,160})")


def _url_problem(url: str) -> str:
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError:
        return f"is “{url}”; it must be an address such as opc.tcp://host:4840/name"
    if parts.scheme != "opc.tcp" or not parts.hostname or len(url) > 300 or any(ord(c) < 33 for c in url):
        return f"is “{url}”; it must begin with opc.tcp:// and name a host"
    if parts.username or parts.password:
        return "carries a user or password; they have their own wells"
    return "" if port is None or port > 0 else f"names port {port}; it must be 1 to 65535"


def keep_link(
    link: Link | None, *, name: str, url: str, policy: str, user: str, password: str | None, every_ms: float | None, by, now
) -> Link:
    """A new server, or one set otherwise. `password`: None leaves it. Raises: ImpossibleInput naming each field."""
    name, url, user = plain(name)[:60].strip(), url.strip(), plain(user)[:80].strip()
    bad = [] if name else [Problem("name", "is empty; give the server a name")]
    if told := _url_problem(url):
        bad.append(Problem("url", told))
    if policy not in dict(POLICIES):
        bad.append(Problem("policy", f"is “{policy}”; choose one of the list"))
    if every_ms is None or not math.isfinite(every_ms) or not EVERY_LOW_MS <= every_ms <= EVERY_HIGH_MS:
        shown = "empty or no number" if every_ms is None else f"{every_ms:g} ms"
        bad.append(Problem("every_ms", f"is {shown}; it must be {EVERY_LOW_MS} to {EVERY_HIGH_MS:,} ms".replace(",", " ")))
    if link is None and Link.objects.count() >= MOST_LINKS:
        bad.append(Problem("name", f"would be server {MOST_LINKS + 1}; {MOST_LINKS} at most are kept"))
    if bad:
        raise ImpossibleInput(*bad)
    secret = None if password is None else closed(password)
    with writing():
        made = link is None
        link = link or Link(made_at=now, by=by)
        if not made and (link.url, link.policy) != (url, policy):
            link.trusted = ""  # another server, or another way in: its certificate is looked at again
        link.name, link.url, link.policy, link.user = name, url, policy, user
        link.every_ms, link.changed = round(float(every_ms or 0)), link.changed + 1
        if secret is not None:
            link.secret = secret
        link.save()
        _said(link, f"Plant server {'added' if made else 'set'}: {name}, {url}, {dict(POLICIES)[policy]}", by, now)
    return link


def _said(link: Link, text: str, by, now) -> None:
    write(kind=Kind.EVENT, subject=f"plant.{link.pk}", status="plant", by=by, now=now, says=text)


def turn(link: Link, on: bool, *, by, now) -> Link:
    """Read from a server, or leave it. Raises: ImpossibleInput where its certificate is wanted and not trusted yet."""
    if on and link.policy != "none" and not link.trusted:
        raise ImpossibleInput(Problem("trusted", "is empty: look at the server's certificate and trust it first"))
    with writing():
        link.on, link.changed = on, link.changed + 1
        link.save(update_fields=["on", "changed"])
        _said(link, f"Plant server {link.name}: {'read from now on' if on else 'left alone'}", by, now)
    return link


def trust(link: Link, print_: str, *, by, now) -> Link:
    """Trust a certificate by its fingerprint. Raises: ImpossibleInput."""
    if not re.fullmatch(r"[0-9a-f]{64}", print_):
        raise ImpossibleInput(Problem("trusted", "is no fingerprint of 64 hexadecimal digits"))
    with writing():
        link.trusted, link.changed = print_, link.changed + 1
        link.save(update_fields=["trusted", "changed"])
        _said(link, f"Plant server {link.name}: certificate {print_[:16]}… trusted", by, now)
    return link


def map_point(
    link: Link, *, node: str, tag: str, factor: float | None, offset: float | None, dead: float | None, by, now
) -> Point:
    """A node is a signal from now on; a signal has one node, so an earlier one gives way. Raises: ImpossibleInput."""
    node = node.strip()
    signal = Signal.objects.filter(tag=tag).first()
    bad = []
    if not NODE.fullmatch(node):
        bad.append(Problem("node", f"is “{plain(node)[:60]}”; it must be a node id such as ns=2;s=level"))
    if signal is None:
        bad.append(Problem("tag", f"is “{plain(tag)[:60]}”; choose one of the mill's meters"))
    if factor is None or not math.isfinite(factor) or factor == 0.0:
        bad.append(Problem("factor", "must be a number other than 0"))
    if offset is None or not math.isfinite(offset):
        bad.append(Problem("offset", "must be a number"))
    if dead is None or not math.isfinite(dead) or dead < 0.0:
        bad.append(Problem("dead", "must be a number of at least 0"))
    elif signal is not None and dead > signal.high - signal.low:
        bad.append(
            Problem("dead", f"is {dead:g} {signal.unit}; it must be at most the meter's span, {signal.high - signal.low:g}")
        )
    if link.points.count() >= MOST_POINTS:
        bad.append(Problem("node", f"would be point {MOST_POINTS + 1}; {MOST_POINTS} at most are read of one server"))
    if bad:
        raise ImpossibleInput(*bad)
    with writing():
        before = Point.objects.filter(signal=signal).first()
        told = {"link": link, "node": node, "factor": factor, "offset": offset, "dead": dead, "quality": "", "problem": ""}
        point, _ = Point.objects.update_or_create(signal=signal, defaults=told)
        for each in {link.pk: link, **({before.link_id: before.link} if before else {})}.values():
            each.changed += 1
            each.save(update_fields=["changed"])
        _said(link, f"{signal.label} is read at {node} of {link.name}", by, now)
    return point


def unmap(point: Point, *, by, now) -> None:
    """A signal is no longer read there; its readings stay."""
    with writing():
        link, label = point.link, point.signal.label
        point.delete()
        link.changed += 1
        link.save(update_fields=["changed"])
        _said(link, f"{label} is no longer read of {link.name}", by, now)
