"""The draft of a set-up: built step by step, tried at each, stepped back, proposed as any change is."""

import json
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, lru_cache
from math import isfinite

from core.document import Flag, Json, Limit, Number, OneOf, Text
from core.errors import ImpossibleInput, Problem
from core.mill import draft as drafting
from core.mill.migrate import brought_up
from core.mill.reading import SECTIONS, known_names
from core.mill.trial import Step, Trial, steps_of, tried
from core.stream import NAMES
from desk.kit.writing import writing
from desk.mill.models import DraftStep, MillVersion
from desk.people.models import Person
from desk.people.rights import refuse

MOST_STEPS = 200  # kept to step back through; older ones are let go
FIXED = ("id", "key")  # what others point to is not typed over
MORE, WAYS = "more", "ways"
HEADINGS = {
    "": "",
    MORE: "More of this unit",
    "acts": "How it works",
    "sets": "The pulp it gives",
    WAYS: "Where it goes",
    "outlets": "Shares of its outlets",
    "parts": "What the feed is made of, parts",
    "feed": "Its flows, t/h",
    "shape": "Its shape",
    "lever": "Its lever",
    "tests": "Its card",
    "shares": "Furnish, % of oven-dry",
    "additives": "Additives, kg/t",
    "readings": "Read by the plan",
    "opens": "Opens with, where nothing is read or solved",
    "levels_m": "Levels",
    "volumes_m3": "Volumes",
}
OPEN = (
    "acts",
    "",
    WAYS,
    "shares",
    "shape",
    "lever",
    "additives",
)  # shown at once, these in this order; the rest is folded away
OFTEN = ("title", "feed_t_h", "cons_pct", "temp_c", "loss_pct")  # of a unit without settings, or fed from outside


@lru_cache(maxsize=8)
def _tried(text: str) -> tuple[Trial, tuple[Step, ...]]:
    """A document's trial and steps, by its text: a page that only shows another part does not solve the line anew."""
    document = json.loads(text)
    trial = tried(document)
    return trial, steps_of(document, trial)


@dataclass(frozen=True)
class Draft:
    """The draft as it stands, and where it came from."""

    step: DraftStep
    number: int

    @property
    def document(self) -> Json:
        return self.step.document

    @cached_property
    def _found(self) -> tuple[Trial, tuple[Step, ...]]:
        return _tried(json.dumps(self.document))

    @cached_property
    def trial(self) -> Trial:
        return self._found[0]

    @cached_property
    def steps(self) -> tuple[Step, ...]:
        return (*self._found[1], *people_steps())

    @property
    def whole(self) -> bool:
        return all(step.done for step in self.steps)


def current() -> Draft | None:
    """The draft that is being built, or None."""
    newest = DraftStep.objects.select_related("by", "base").first()
    return Draft(newest, DraftStep.objects.count()) if newest else None


def people_steps() -> tuple[Step, ...]:
    """Whether there is somebody to propose the set-up, and another to countersign it."""
    roles = list(Person.objects.filter(is_active=True).values_list("role", flat=True))
    engineers, leads = roles.count("engineer"), roles.count("lead")
    done = bool(engineers and leads) or leads > 1 or engineers > 1
    told = f"people: {len(roles)}, engineers: {engineers}, shift leads: {leads}"
    says = told if done else f"{told}: an engineer proposes the set-up, a shift lead countersigns it"
    return (Step(key="people", title="People and roles", done=done, says=says, section="people"),)


def _keep(document: Json, *, says: str, by, now: datetime, base: MillVersion | None) -> DraftStep:
    with writing():
        kept = DraftStep.objects.create(document=document, base=base, says=says[:200], by=by, at=now)
        old = DraftStep.objects.order_by("-id").values_list("id", flat=True)[MOST_STEPS:]
        DraftStep.objects.filter(id__in=list(old)).delete()
    return kept


def begin(values: dict[str, str], *, by, now: datetime) -> DraftStep:
    """A draft from nothing: the mill's name, its machine and its emergency number. Raises: ImpossibleInput by field."""
    refuse(by, "propose_setup")
    machine = {"line_letter": "A", "trim_m": 0.1, "retention_pct": 95, "efficiency_pct": 90, "width_m": 1, "speed_low": 1}
    document = drafting.start(name="", machine=machine | {"name": "", "speed_high": 1}, safety_number="")
    mill = {k: values.get(k, "") for k in ("name", "safety_number")}
    told = {k.removeprefix("machine."): v for k, v in values.items() if k.startswith("machine.")}
    bad: list[Problem] = []
    for section, given, before in (("mill", mill, ""), ("machine", told, "machine.")):
        try:
            document = drafting.typed(document, section, "", given)
        except ImpossibleInput as refusal:
            bad += [Problem(before + p.field, p.text) for p in refusal.problems]
    bad += [Problem(k, "is empty; it must be 1 to 80 characters") for k in mill if not 1 <= len(mill[k].strip()) <= 80]
    if not told.get("name", "").strip():
        bad.append(Problem("machine.name", "is empty; it must be 1 to 80 characters"))
    low, high = document["machine"]["speed_low"], document["machine"]["speed_high"]
    if not bad and low > high:
        bad.append(Problem("machine.speed_high", f"is {high:g} m/min; it must be at least the slowest, {low:g} m/min"))
    if bad:
        raise ImpossibleInput(*bad)
    drafting.part_of(document, "units", "machine")["title"] = document["machine"]["name"]
    return _keep(document, says="begun", by=by, now=now, base=MillVersion.objects.first())


def begin_from_version(*, by, now: datetime) -> DraftStep:
    """A draft from the version in force. Raises: ImpossibleInput while there is none."""
    refuse(by, "propose_setup")
    version = MillVersion.objects.first()
    if version is None:
        raise ImpossibleInput(Problem("version", "is none; begin from nothing"))
    return _keep(brought_up(version.document), says=f"from version {version.pk}", by=by, now=now, base=version)


def changed(document: Json, *, says: str, by, now: datetime) -> DraftStep:
    """The draft one step on."""
    refuse(by, "propose_setup")
    before = DraftStep.objects.first()
    return _keep(document, says=says, by=by, now=now, base=before.base if before else None)


def step_back(by) -> str:
    """The newest step taken away; what it was. The first step stays: throw the draft away for that."""
    refuse(by, "propose_setup")
    with writing():
        if DraftStep.objects.count() < 2:
            raise ImpossibleInput(Problem("back", "cannot be: the draft has no step before this one"))
        newest = DraftStep.objects.first()
        newest.delete()
    return newest.says


def throw_away(by) -> None:
    """The whole draft thrown away."""
    refuse(by, "propose_setup")
    with writing():
        DraftStep.objects.all().delete()


@dataclass(frozen=True)
class Well:
    """One value of a part as the page types it."""

    name: str
    label: str
    unit: str
    value: str
    kind: str  # number, text, flag, choice
    options: tuple[tuple[str, str], ...] = ()
    track: dict | None = None
    usual: str = ""
    error: str = ""

    @property
    def checked(self) -> bool:
        return self.value == "on"


@dataclass
class Group:
    """Wells that belong together, and the rows that may be added or taken there."""

    key: str
    heading: str
    wells: list[Well]
    folded: bool


def _label(document: Json, key: str, place: str, said) -> str:
    """What a value is called: by its declaration, with the row it stands in where there are several."""
    if place.startswith("outlets["):
        outlet = drafting.part_of(document, "units", key)["outlets"][int(drafting.STEP.findall(place)[1])]
        named = "pulp on" if outlet is drafting.part_of(document, "units", key)["outlets"][0] else outlet["name"]
        if place.endswith(".to"):
            return f"{named} to".capitalize()
        tail = place.rpartition(".")[2]
        return f"{outlet['name']}: {NAMES.get(tail, 'all the others' if tail == '*' else 'name')}"
    tail = place.rpartition(".")[2]
    row = next((f"{int(step) + 1} " for step in drafting.STEP.findall(place) if step.isdigit()), "")
    if place.startswith(("parts.", "feed.")) or ".shares." in place:
        return NAMES.get(tail, "all the others" if tail == "*" else tail).capitalize()
    if place.startswith("shares."):
        return tail
    return f"{row}{said.label}" if row else said.label


def _usual(said) -> str:
    if not isinstance(said, Number) or said.said.options:
        return ""
    low, high = said.said.valid
    possible_low, possible_high = said.said.possible
    if not all(map(isfinite, (low, high, possible_low, possible_high))):
        return said.said.allowed if said.said.valid == said.said.possible else f"{low:g} to {high:g}"
    usual = f"{low:g} to {high:g}"
    return usual if said.said.valid == said.said.possible else f"{usual}; {possible_low:g} to {possible_high:g}"


TRACK_PX = 96.0


def _track(said, value) -> dict | None:
    """Where a value stands between what is possible, and what is usual there, px along a track."""
    if not isinstance(said, Number) or said.said.options or not isinstance(value, int | float):
        return None
    (low, high), (usual_low, usual_high) = said.said.possible, said.said.valid
    if not high < 1e4:
        low, high = min(low, usual_low), usual_high + (usual_high - usual_low) * 0.5
    if not (high < 1e6 and low > -1e6 and high > low):
        return None

    def x(v: float) -> float:
        return round(TRACK_PX * min(1.0, max(0.0, (v - low) / (high - low))), 1)

    return {"x": x(value), "band_x": x(usual_low), "band_w": round(x(usual_high) - x(usual_low), 1), "end_x": x(usual_high)}


def _options(said, document: Json) -> tuple[tuple[str, str], ...]:
    if isinstance(said, Number) and said.said.options:
        return tuple((o, o or "none") for o in said.said.options)
    if isinstance(said, Text) and said.names:
        named = {part[SECTIONS[said.names]]: part for part in document.get(said.names) or ()}
        told = [(k, named[k].get("title") or named[k].get("name") or k) for k in sorted(known_names(document)[said.names])]
        return (("", "none"), *((k, f"{title} ({k})" if title != k else k) for k, title in told))
    return ()


def groups_of(document: Json, section: str, key: str, typed: Json, errors: Json) -> list[Group]:
    """The wells of a part, those that belong together under one heading; `typed` and `errors` by place."""
    groups: dict[str, Group] = {}
    for place, said, value in drafting.wells_of(document, section, key):
        if place in FIXED or isinstance(said, OneOf):
            continue
        head = drafting.STEP.findall(place)[0] if place[len(drafting.STEP.findall(place)[0]) :] else ""
        options = _options(said, document)
        kind = (
            "flag"
            if isinstance(said, Flag)
            else "choice"
            if options
            else "number"
            if isinstance(said, Number | Limit)
            else "text"
        )
        shown = "" if value is None else ("on" if value else "") if kind == "flag" else f"{value}"
        well = Well(
            name=place,
            label=_label(document, key, place, said),
            unit=said.said.unit if isinstance(said, Number) else "",
            value=str(typed.get(place, shown)),
            kind=kind,
            options=options,
            track=_track(said, value),
            usual=_usual(said),
            error=str(errors.get(place, "")),
        )
        if section == "units" and not head and not _often(document, key, place):
            head = MORE
        if head == "outlets" and place.endswith(".to"):
            head = WAYS
        group = groups.setdefault(head, Group(head, HEADINGS.get(head, head), [], head not in OPEN))
        group.wells.append(well)
        if well.error:
            group.folded = False
    return sorted(groups.values(), key=lambda g: OPEN.index(g.key) if g.key in OPEN else len(OPEN))


def _often(document: Json, key: str, place: str) -> bool:
    """Whether a value of a unit is shown at once: its name, and its feed where it has one."""
    fed = bool(drafting.part_of(document, "units", key).get("feed_t_h"))
    return place == "title" or (place in OFTEN and fed)
