"""The site's own exposure limits: typed by one person, countersigned by a safety role, in force from then on."""

from dataclasses import dataclass

from core.errors import ImpossibleInput
from core.safety.limits import EXPOSURES, TERMS, Limit, site_limits, words
from desk.kit.bench import typed_number
from desk.kit.refused import FieldRefused
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.pins import PinRefused, check_pin
from desk.people.rights import refuse

SUBJECT, PROPOSED, SIGNED = "site limits", "proposed", "countersigned"


class Refused(FieldRefused):
    """Why limits cannot be kept or signed: `field` is where to show it."""


@dataclass(frozen=True)
class InForce:
    """Limits that are signed: who signed them, after whom, on what they rest."""

    signed: Record
    limits: dict[str, Limit]

    @property
    def source(self) -> str:
        return self.signed.about.words

    def lines(self, card: str = "") -> list[str]:
        """Limits in words; of one card only where it is named."""
        return [words(k, v) for k, v in self.limits.items() if not card or card in EXPOSURES[k].cards]


def _limits(record: Record) -> dict[str, Limit]:
    kept = record.data["limits"]
    return {k: Limit(kept[k].get("long"), kept[k].get("short")) for k in EXPOSURES if k in kept}


def in_force(now) -> InForce | None:
    """The newest limits that a safety role has countersigned; None until then."""
    told = Record.objects.current().filter(kind=Kind.EVENT, subject=SUBJECT, status=SIGNED, at__lte=now)
    signed = told.select_related("about").order_by("-at", "-id").first()
    return InForce(signed, _limits(signed.about)) if signed is not None else None


def waiting(now) -> Record | None:
    """The newest limits that were typed and are not signed; None where those in force are newer."""
    told = Record.objects.current().filter(kind=Kind.EVENT, subject=SUBJECT, status__in=(PROPOSED, SIGNED), at__lte=now)
    newest = told.order_by("-at", "-id").first()
    return newest if newest is not None and newest.status == PROPOSED else None


def typed(data) -> tuple[dict[str, dict[str, float | None]], dict[str, str]]:
    """What was typed in each well, and what is no number, by its well."""
    told: dict[str, dict[str, float | None]] = {}
    bad: dict[str, str] = {}
    for key in EXPOSURES:
        for term in TERMS:
            name = f"{key}.{term}"
            text = data.get(name, "").strip()
            try:
                told.setdefault(key, {})[term] = typed_number(text) if text else None
            except ValueError:
                bad[name] = f"is “{plain(text)[:20]}”; it must be a number"
    return told, bad


def propose(data, *, by, now) -> tuple[Record | None, dict[str, str]]:
    """Keep limits as they were typed, to be countersigned; or every problem by its well."""
    refuse(by, "limits")
    told, bad = typed(data)
    source = plain(data.get("source", ""))[:200]
    if not source:
        bad["source"] = "is empty; name the law or procedure that the limits are taken from"
    found: dict[str, Limit] = {}
    try:
        found = site_limits(told)
    except ImpossibleInput as refusal:
        bad = {p.field: p.text for p in refusal.problems} | bad
    if bad:
        return None, bad
    kept = {"limits": {k: {"long": v.long, "short": v.short} for k, v in found.items()}}
    says = f"Exposure limits of the site typed for {len(found)} of {len(EXPOSURES)}; they wait for a safety signature"
    return write(kind=Kind.EVENT, subject=SUBJECT, status=PROPOSED, by=by, now=now, says=says, words=source, data=kept), {}


def countersign(record: Record, *, pin: str, by, now) -> Record:
    """A safety role signs what somebody else typed. Raises: Refused."""
    refuse(by, "sign_limits")
    if record.by_id == by.pk:
        raise Refused("pin", "You typed them yourself; somebody else of the safety role signs them.")
    try:
        check_pin(by, pin)
    except PinRefused as refusal:
        raise Refused("pin", str(refusal)) from None
    with writing():
        newest = waiting(now)
        if newest is None or newest.pk != record.pk:
            raise Refused("pin", "Others were typed or signed meanwhile; look again.")
        says = f"Exposure limits of the site countersigned, typed by {record.signed}"
        data = {"meaning": "checked"}
        return write(kind=Kind.EVENT, subject=SUBJECT, status=SIGNED, by=by, now=now, says=says, data=data, about=record)
