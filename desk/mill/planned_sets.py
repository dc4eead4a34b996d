"""What the plan in force asks to be set now: rates of the lines, by their feeds, and the furnish of what runs. The desk sets
nothing: each is a way to where a person puts it in force."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from urllib.parse import urlencode

from django.urls import reverse

from core.line.passing import passing
from desk.kit.templatetags.vat import figure
from desk.mill.planned import RUNNING

RATE_OFF = 0.02  # of a rate: what is nearer is set so already
SHARE_OFF_PCT, TOLD_PCT = 0.5, 0.25  # a furnish that is nearer is set so already; a share that is is not named
SOON = timedelta(minutes=15)
FED = 0.02  # of what comes to a tower: a feed that gives less is left alone


@dataclass(frozen=True)
class Feed:
    """A feed that a line's rate is set by: what it is and would be, t/h, and where it is put in force; no way where the line is
    to stand, which is done by the site's own procedure."""

    title: str
    before: float
    after: float
    href: str


@dataclass(frozen=True)
class ToSet:
    """Something of the plan that is due to be set, since when, in words, with its feeds or its one way."""

    name: str
    since: datetime
    words: str
    plan: int
    feeds: tuple[Feed, ...] = ()
    href: str = ""


def sets_due(state) -> tuple[ToSet, ...]:
    """What is to be set now, or within a quarter of an hour, by the plan in force; what is set so already is left out."""
    record = state.plan_in_force
    if record is None:
        return ()
    told = []
    hours = (state.now + SOON - record.at).total_seconds() / 3600.0
    for vessel, blocks in record.data.get("counts_on", {}).items():
        now_t_h = state.full_rates.get(vessel, (0.0, 0.0))[0]
        block = next(((a, t_h) for a, b, t_h in blocks if a <= hours < b), None)
        if block is None or vessel not in state.mill.vessels or now_t_h <= 0.0:
            continue
        since, t_h = block
        if abs(t_h - now_t_h) > RATE_OFF * now_t_h:
            rate = _rate(state, record, vessel, record.at + timedelta(hours=since), t_h, now_t_h)
            told += [rate] if rate is not None else []
    furnish = record.data.get("furnish", {}).get(RUNNING)
    if furnish and state.run["since"] <= record.at and (moved := _furnish(state, record, furnish)) is not None:
        told.append(moved)
    return tuple(sorted(told, key=lambda s: s.since))


def _rate(state, record, vessel: str, since: datetime, t_h: float, now_t_h: float) -> ToSet | None:
    """A line's rate, by every feed that gives to its tower: each is moved from what it was at the issue as the rate is, so that
    one that is set already leaves the others as they were to be; None where all are set."""
    name = state.mill.vessels[vessel].name
    tower = next((s.tower for s in state.mill.sources.values() if s.vessel == vessel), "")
    titles = {u.id: u.title for u in state.mill.units}
    feeds = []
    for unit in state.mill.feed_plans:
        settings = state.line.acting[unit].settings() if unit in state.line.acting else {}
        if "feed_t_h" not in settings or passing(state.solution, unit).get(tower, 0.0) < FED:
            continue
        before, known = settings["feed_t_h"], record.data.get("feeds", {}).get(unit)
        then_t_h = record.data.get("rates", {}).get(vessel, 0.0)  # of the line, as it was fed when the plan was issued
        after = round(known * t_h / then_t_h if known is not None and then_t_h > 0.0 else before * t_h / now_t_h, 2)
        asked = {"unit": unit, "feed_t_h": f"{after:g}", "why": f"plan {record.data['version']}"}
        href = f"{reverse('mill:put')}?{urlencode({**asked, 'back': reverse('schedule:plan')})}" if t_h > 0.0 else ""
        feeds.append(Feed(titles.get(unit, unit), before, after, href))
    left = tuple(f for f in feeds if abs(f.after - f.before) > RATE_OFF * f.before)
    if feeds and not left:
        return None
    rate = f"{figure(t_h, 1)} t/h" if t_h > 0.0 else "stands"
    words = f"{rate}, now {figure(now_t_h, 1)}"
    return ToSet(name, since, words, record.data["version"], left)


def _furnish(state, record, furnish: Mapping[str, float]) -> ToSet | None:
    """The furnish of what runs, where it is not as the plan has it."""
    now = {k: 100.0 * state.shares.get(k, 0.0) for k in state.mill.sources}
    if furnish.keys() != now.keys() or all(abs(furnish[k] - v) <= SHARE_OFF_PCT for k, v in now.items()):
        return None
    moved = [f"{k} {figure(v, 1)} to {figure(furnish[k], 1)}" for k, v in now.items() if abs(furnish[k] - v) > TOLD_PCT]
    asked = {f"s{i}": f"{furnish[k]:g}" for i, k in enumerate(now)}
    version = record.data["version"]
    told = {**asked, "why": f"plan {version}", "back": reverse("schedule:plan")}
    href = f"{reverse('blend:put')}?{urlencode(told)}"
    return ToSet("Furnish", record.at, f"{', '.join(moved)} %", version, href=href)
