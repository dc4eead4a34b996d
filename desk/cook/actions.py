"""Every write about a cook: start, temperatures, residual, a longer hold, the blow, its kappa, a fit. Each leaves a line in
the log."""

import csv
import io
import math
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta

from django.db.models import Max
from django.utils import timezone

from core.cook import fit as fits
from core.cook import follow, kinetic
from core.cook.blowing import ReliefCase
from core.cook.kinetic import Charge
from core.cook.profile import h_factor, thinned
from core.cook.running import MOST_POINTS
from core.cook.species import DEFAULT, SPECIES, Fitted
from core.cook.trust import Bias, bias_of
from core.errors import CoreError, ImpossibleInput, Infeasible
from core.judge.next_cook import MOST_EA, MOST_H, NextCook, next_case, next_cook
from core.quantity import quantities
from core.unit import Worked
from desk.cook import thermometer
from desk.cook.models import Cook, CookFit, CookPoint
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, signed, stop, upfirst
from desk.kit.text import plain, whole
from desk.kit.writing import writing
from desk.lab.actions import Entry, record_sample
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.source_lots import of_cook
from desk.mill.standing import FITTED
from desk.mill.state import MillState, NoMill
from desk.people.rights import refuse

MOST_IMPORT = 2000
BIAS_OF = 12  # the newest tested cooks that a bias is seen in


class CookRefused(FieldRefused):
    """Why a cook cannot be kept so: `field` is where to show it."""


def coefficients_in_use(species: str) -> tuple[Fitted, CookFit | None]:
    """The mill's own coefficients where a person chose them, else the published default."""
    chosen = CookFit.objects.filter(species=species, in_use=True).first()
    return (chosen.fitted, chosen) if chosen is not None and chosen.holds else (DEFAULT, None)


def start(*, species: str, digester: str, wood_t: float, charge: Charge, plan, target: float, by, now) -> Cook:
    """Keep a designed cook as charged now. A digester cooks one at a time."""
    refuse(by, "cook")
    if not digester.strip():
        raise CookRefused("digester", "Digester is empty; say which.")
    use, _ = coefficients_in_use(species)
    try:
        done = kinetic.cook(species, charge, plan, coefficients=use)
    except ImpossibleInput as refusal:
        raise CookRefused(refusal.problems[0].field, "; ".join(p.text for p in refusal.problems)) from None
    with writing():
        running = Cook.objects.filter(digester=digester.strip()[:20], blown_at=None).select_related("started_by").first()
        if running is not None:
            who = f", charged at {clock(running.started_at)} by {running.started_by.signed}" if running.started_by else ""
            raise CookRefused("digester", stop(f"Digester {digester} has cook {running.number}, not blown yet{who}"))
        number = (Cook.objects.filter(species=species).aggregate(n=Max("number"))["n"] or 1100) + 1
        while Cook.objects.filter(number=number).exists():
            number += 1
        cook = Cook.objects.create(
            number=number,
            digester=digester.strip()[:20],
            species=species,
            wood_t=wood_t,
            charge=asdict(charge),
            plan=[list(p) for p in plan],
            target=target,
            predicted=done.kappa,
            coefficients=asdict(use),
            started_at=now,
            started_by=by,
        )
        CookPoint.objects.create(cook=cook, minute=0.0, value=plan[0][1], by=by)
        write(
            kind=Kind.COOK,
            subject=f"cook.{number}",
            by=by,
            now=now,
            says=f"Cook {number} charged, digester {digester}, {species}: kappa {done.kappa:.1f} foreseen",
            status="started",
            data={"charge": asdict(charge), "plan": cook.plan, "target": target, "predicted": done.kappa},
        )
    return cook


def minute_of(cook: Cook, when: datetime) -> float:
    return (when - cook.started_at).total_seconds() / 60.0


@writing()
def add_point(*, cook: Cook, minute: float, value: float, by, now, kind: str = "t") -> CookPoint:
    """A temperature (kind t), a residual alkali (r) or a gauge pressure (p). Later than the one before, not ahead of the
    clock."""
    refuse(by, "cook")
    cook = Cook.objects.get(pk=cook.pk)
    if cook.blown_at:
        raise CookRefused("value", f"Cook {cook.number} is blown; its log is closed.")
    low, high, unit = {
        "t": (-10.0, 200.0, "°C"),
        "r": (0.0, cook.given.ea_pct_naoh * 10.0 / cook.given.lw_m3_t, "g/L"),
        "p": (*quantities(ReliefCase)["bar_gauge"].possible, "bar gauge"),
    }[kind]
    if not low <= value <= high:
        raise CookRefused("value", f"Value is {value:g} {unit}; it must be {low:g} to {high:.1f} {unit}.")
    last = cook.points.filter(kind=kind).aggregate(m=Max("minute"))["m"]
    if last is not None and minute <= last:
        raise CookRefused("minute", f"Minute is {minute:g}; it must be after the last one, {last:g}.")
    if minute > minute_of(cook, now) + 1.0 or minute < 0:
        raise CookRefused(
            "minute", f"Minute is {minute:g}; it must be 0 to {minute_of(cook, now):.0f}, the minutes since the charge."
        )
    kept = CookPoint.objects.create(cook=cook, minute=minute, value=value, kind=kind, by=by)
    if kind == "r":
        write(
            kind=Kind.COOK,
            subject=f"cook.{cook.number}",
            by=by,
            now=now,
            value=value,
            says=f"Cook {cook.number}, {minute:.0f} min: residual alkali {value:.1f} g/L",
            status="residual",
        )
    return kept


def log_of(cook: Cook, until: datetime | None = None) -> tuple[tuple[float, float], ...]:
    """Temperatures of a cook: those kept with it and, while it runs (`until` now), what its digester's thermometer reads."""
    typed = [(p.minute, p.value) for p in cook.points.all() if p.kind == "t"]
    if until is None or cook.blown_at is not None:
        return tuple(typed)
    return thermometer.joined(typed, thermometer.read(cook, until))


def measured_of(cook: Cook) -> tuple[tuple[float, float], ...]:
    return tuple((p.minute, p.value) for p in cook.points.all() if p.kind == "r")


def pressure_of(cook: Cook) -> CookPoint | None:
    """The newest gauge pressure that was kept with a cook."""
    return next((p for p in reversed(list(cook.points.all())) if p.kind == "p"), None)


def _may_be(choice: str, why: str, allowed: tuple[str, ...] = ("take", "alter", "refuse")) -> None:
    """Refuse a decision that is none, or a refusal without a reason."""
    if choice not in allowed:
        raise CookRefused("choice", f"Choice is none of {', '.join(allowed)}.")
    if choice == "refuse" and not why.strip():
        raise CookRefused("reason", "Reason is empty; say in a few words why it is refused.")


SAME_MIN = 0.05  # an end of a plan so near is the same


@writing()
def hold_on(*, cook: Cook, minutes: float, choice: str, by, now, why: str = "", seen_end: float | None = None) -> None:
    """What became of the proposed hold: taken or altered moves the plan's end, refused wants a reason. At most two moves a
    cook.

    `seen_end`: the end of the plan, min, that stood on the page. Raises: CookRefused, also where it was moved meanwhile.
    """
    refuse(by, "move")
    cook = Cook.objects.get(pk=cook.pk)
    done = Record.objects.filter(kind=Kind.DECISION, subject=f"cook.{cook.number}").exclude(status="refuse").count()
    if choice != "refuse" and done >= 2:
        raise CookRefused("minutes", "Two moves were taken in this cook already; leave it.")
    _may_be(choice, why)
    if choice != "refuse" and not -60.0 <= minutes <= 60.0:
        raise CookRefused("minutes", f"Minutes is {minutes:g}; it must be −60 to 60.")
    before = cook.profile[-1][0]
    if choice != "refuse":
        if seen_end is not None and abs(seen_end - before) > SAME_MIN:
            raise CookRefused("minutes", f"Its end was moved to {before:.0f} min meanwhile; look again.")
        last = max(before + minutes, cook.profile[-2][0] + 1.0)
        cook.plan = [*cook.plan[:-1], [last, cook.plan[-1][1]]]
        cook.save(update_fields=["plan"])
    word = {"take": "Taken", "alter": "Altered", "refuse": "Refused"}[choice]
    write(
        kind=Kind.DECISION,
        subject=f"cook.{cook.number}",
        by=by,
        now=now,
        says=f"{word}: cook {cook.number} {abs(minutes):.0f} minutes {'longer' if minutes > 0 else 'shorter'}",
        words=why.strip(),
        status=choice,
        data={"choice": choice, "before": before, "after": cook.plan[-1][0], "unit": "min", "retest_at": now.isoformat()},
    )


def _as_it_stands(cook: Cook) -> Cook:
    """The cook inside the write, as others left it."""
    return Cook.objects.prefetch_related("points").get(pk=cook.pk)


def blow(*, cook: Cook, by, now) -> None:
    """Blow a cook now; what its thermometer read becomes its log. Raises: CookRefused, with the time of an earlier blow."""
    refuse(by, "cook")
    if minute_of(cook, now) < 5.0:
        raise CookRefused("blow", "It was charged under five minutes ago.")
    with writing():
        cook = _as_it_stands(cook)
        if cook.blown_at:
            raise CookRefused("blow", f"Cook {cook.number} was blown at {clock(cook.blown_at)} already.")
        thermometer.settle(cook, now)
        cook.blown_at = now
        cook.save(update_fields=["blown_at"])
        cook = _as_it_stands(cook)
        write(
            kind=Kind.COOK,
            subject=f"cook.{cook.number}",
            by=by,
            now=now,
            says=f"Cook {cook.number} blown after {minute_of(cook, now):.0f} min",
            status="blown",
            data=made_by(cook),
        )
        _as_lot(cook, by=by, now=now)


def _as_lot(cook: Cook, *, by, now) -> None:
    """Inside a write: a blown cook as a source lot that furnish lots lead back to; none where no unit of the mill cooks its
    wood, or the line cannot be run."""
    try:
        state = MillState(now)
        unit = next((u for u in state.mill.units if u.cooks == cook.species), None)
        if unit is None:
            return
        made = made_by(cook) or {"yield_pct": state.line.acts[unit.id].worked[0].case.yield_pct}
        pulp = cook.wood_t * made["yield_pct"] / 100.0
    except (NoMill, CoreError, KeyError, IndexError):
        return
    what = f"{cook.species} cook {cook.number}"
    of_cook(state, unit=unit.id, what=what, pulp_t=pulp, number=cook.number, since=cook.started_at, by=by, now=now)


def keep_kappa(
    *, cook: Cook, kappa: float, residual: float | None, by, now, about: Record | None = None, corrects: Record | None = None
) -> None:
    """Inside a write: a cook's kappa, with the line of the log that the line counts with. `about`: the reading it is."""
    cook.kappa, cook.residual_g_l = kappa, residual
    cook.save(update_fields=["kappa", "residual_g_l"])
    write(
        kind=Kind.COOK,
        subject=f"cook.{cook.number}",
        by=by,
        now=now,
        value=kappa,
        says=f"Cook {cook.number}: kappa {kappa:.1f}, {cook.error:+.1f} from the model",
        status="tested",
        data={"predicted": cook.predicted, "residual": residual, **made_by(cook)},
        about=about,
        corrects=corrects,
        reason=about.reason if corrects is not None and about is not None else "",
    )


def lab(*, cook: Cook, kappa: float, residual: float | None, by, now, state=None) -> None:
    """The blow's kappa (and residual), set once. It is also the sample of its row of the plan, where the mill has one: there it
    is corrected, and the cook follows."""
    refuse(by, "record")
    if not 1.0 <= kappa <= 200.0:
        raise CookRefused("kappa", f"Kappa is {kappa:g}; it must be 1 to 200.")
    if residual is not None and not 0.0 <= residual <= 80.0:
        raise CookRefused("residual", f"Residual is {residual:g} g/L; it must be 0 to 80 g/L.")
    with writing():
        cook = _as_it_stands(cook)
        if cook.blown_at is None:
            raise CookRefused("kappa", f"Cook {cook.number} is not blown yet.")
        if cook.kappa is not None:
            test = Record.objects.filter(kind=Kind.COOK, subject=f"cook.{cook.number}", status="tested").order_by("-id").first()
            who = f", entered at {clock(test.entered_at)} by {test.signed}" if test else ""
            raise CookRefused("kappa", stop(f"Cook {cook.number} has its kappa, {cook.kappa:.1f}, already{who}"))
        sample = None
        if state is not None and (row := state.mill.plan.get(kappa_row(state, cook.species))) is not None:
            entry, of = Entry(results=(kappa,)), f"cook.{cook.number}"
            sample = record_sample(row=row, entry=entry, at=now, by=by, now=now, state=state, of=of)
        keep_kappa(cook=cook, kappa=kappa, residual=residual, by=by, now=now, about=sample)


def kappa_row(state, species: str) -> str:
    """The plan row of the kappa of a wood's cook in this mill, or an empty string."""
    return next((p.kappa_row for p in state.mill.cook_plans.values() if p.species == species), "")


def as_run(cook: Cook):
    """The profile a blown cook really had: its own log where it has one, else its plan."""
    log = log_of(cook)
    if len(log) <= 3:
        return cook.profile
    end = minute_of(cook, cook.blown_at) if cook.blown_at else log[-1][0]
    run_on = (*log, (end, log[-1][1])) if end > log[-1][0] + 0.1 else log  # held at its last temperature until the blow
    return thinned(run_on, MOST_POINTS)


def doubt_of(cook: Cook) -> str:
    """What is to be said of the kappa of a cook that was blown before its time; an empty string where nothing is."""
    if cook.kappa is None or cook.blown_at is None:
        return ""
    points = as_run(cook)
    try:
        done = kinetic.cook(cook.species, cook.given, points, coefficients=coefficients_in_use(cook.species)[0])
    except CoreError:
        return ""
    return follow.doubt(h_factor(points), h_factor(cook.profile), cook.kappa, done.kappa)


def made_by(cook: Cook) -> dict:
    """What the line counts with after this blow: yield by the model as the cook was run, kappa by the laboratory where it is
    known."""
    try:
        done = kinetic.cook(cook.species, cook.given, as_run(cook), coefficients=coefficients_in_use(cook.species)[0])
    except CoreError:  # a log that cannot be integrated says nothing about the line
        return {}
    return {"species": cook.species, "yield_pct": done.yield_pct, "kappa": done.kappa if cook.kappa is None else cook.kappa}


def move_on_next(cook: Cook, band) -> NextCook | None:
    """The one move that a tested blow asks of the next cook of its digester's wood. Raises: CoreError."""
    return worked_next(cook, band).result.move


def worked_next(cook: Cook, band) -> Worked:
    """The same as it is worked out. Raises: CoreError."""
    before = Cook.objects.filter(species=cook.species, kappa__isnull=False, number__lt=cook.number).order_by("-number").first()
    case = next_case(
        cook.species,
        cook.given,
        as_run(cook),
        kappa=cook.kappa,
        residual_g_l=math.nan if cook.residual_g_l is None else cook.residual_g_l,
        band=band,
        coefficients=coefficients_in_use(cook.species)[0],
        before_kappa=before.kappa if before else math.nan,
    )
    return Worked(model="cook.next", case=case, result=next_cook(case))


def awaited(decided: Record) -> str:
    """What is still to be seen of a move that was decided on a cook's own page; empty once it is known."""
    move, at = upfirst(decided.says.split(": ", 1)[-1]), datetime.fromisoformat(decided.data["retest_at"])
    if at > decided.at:
        return f"{move}: look at {clock(at)}."
    number = whole(decided.subject.split(".")[1])
    cook = Cook.objects.filter(number=number).first() if number is not None else None
    if cook is None:
        return ""
    alike = Cook.objects.filter(species=cook.species, kappa__isnull=False)
    of_next = decided.subject.endswith(".next")
    tested = alike.filter(number__gt=number) if of_next else alike.filter(number=number)
    return "" if tested.exists() else f"{move}: its kappa is to come."


def decided_on_next(cook: Cook) -> Record | None:
    return Record.objects.filter(kind=Kind.DECISION, subject=f"cook.{cook.number}.next").order_by("-id").first()


def decide_next(*, cook: Cook, band, choice: str, size: float, why: str, by, now) -> Record:
    """Take, alter or refuse the move on the next cook; once. The size is in the lever's unit and inside the row's limit."""
    refuse(by, "move")
    if cook.kappa is None:
        raise CookRefused("size", f"Cook {cook.number} has no kappa yet.")
    move = move_on_next(cook, band)
    if move is None:
        raise CookRefused("size", "The blow asks for no move.")
    _may_be(choice, why)
    unit, most = ("H", MOST_H) if move.lever == "h" else ("% EA", MOST_EA)
    size = move.size if choice == "take" else 0.0 if choice == "refuse" else size
    if not abs(size) <= most:
        raise CookRefused("size", f"Size is {size:g} {unit}; it must be {-most:g} to {most:g} {unit}.")
    word = {"take": "Taken", "alter": "Altered", "refuse": "Refused"}[choice]
    shown = size if choice != "refuse" else move.size
    with writing():
        if (earlier := decided_on_next(cook)) is not None:
            raise CookRefused("size", f"This move was decided at {clock(earlier.entered_at)} by {stop(earlier.signed)}")
        return write(
            kind=Kind.DECISION,
            subject=f"cook.{cook.number}.next",
            by=by,
            now=now,
            says=f"{word}: after cook {cook.number}, {move.row}, next cook {signed(shown, 0 if unit == 'H' else 2)} {unit}",
            words=why.strip(),
            status=choice,
            data={
                "choice": choice,
                "row": move.row,
                "before": move.before,
                "after": move.before + size,
                "proposed": move.size,
                "expected": move.expected,
                "unit": unit,
                "retest_at": now.isoformat(),
            },
        )


@writing()
def decide_rate(*, move: dict | None, choice: str, why: str, by, now) -> Record:
    """Keep what became of the temperature that goes with a new rate (K5)."""
    refuse(by, "move")
    if move is None:
        raise CookRefused("choice", "There is no move to decide.")
    _may_be(choice, why, allowed=("take", "refuse"))
    steps = ", ".join(f"{name.lower()} {a:.1f} to {b:.1f} °C" for name, a, b in move["changes"])
    return write(
        kind=Kind.DECISION,
        subject="cook.continuous",
        by=by,
        now=now,
        says=f"{'Taken' if choice == 'take' else 'Refused'}: K5, wood {move['before_t_h']:g} to "
        f"{move['after_t_h']:g} t/h, {steps}",
        words=why.strip(),
        status=choice,
        data={
            "choice": choice,
            "row": "K5",
            "before": move["before_t_h"],
            "after": move["after_t_h"],
            "unit": "t/h",
            "expected": move["to"],
            "retest_at": (now + timedelta(minutes=move["minutes"])).isoformat(),
        },
    )


def blows(species: str) -> tuple[fits.Blow, ...]:
    """Every tested cook of a species as it was run: its own log where it has one, else its plan."""
    result = []
    for c in Cook.objects.filter(species=species, kappa__isnull=False).prefetch_related("points").order_by("number"):
        result.append(
            fits.Blow(
                charge=c.given,
                points=as_run(c),
                kappa=c.kappa,
                residual_g_l=math.nan if c.residual_g_l is None else c.residual_g_l,
                yield_pct=math.nan if c.yield_pct is None else c.yield_pct,
            )
        )
    return tuple(result)


def fit_to_blows(species: str, told: Callable[[int], None] | None = None) -> fits.Fit | Infeasible:
    """The fit itself, not yet kept; `told` hears every evaluation."""
    return fits.fit(species, blows(species), heard=told)


def keep_fit(*, species: str, by, now, found: fits.Fit | Infeasible | None = None) -> CookFit | Infeasible:
    """Keep a fit (made now unless it is handed over) with who and when."""
    refuse(by, "fit")
    found = fit_to_blows(species) if found is None else found
    if isinstance(found, Infeasible):
        return found
    dots = {
        "lab": found.lab,
        "default": found.by_default,
        "fit": found.by_fit,
        "signs": found.signs,
        "held": found.held,
        "at_bound": found.at_bound,
    }
    with writing():
        kept = CookFit.objects.create(
            species=species,
            coefficients=asdict(found.coefficients),
            n=found.n,
            before=found.before,
            after=found.after,
            left_out=found.left_out,
            accepted=found.accepted,
            dots=dots,
            made_at=now,
            by=by,
        )
        write(
            kind=Kind.COOK,
            subject=f"{FITTED}{species}",
            by=by,
            now=now,
            says=f"{species.capitalize()} fitted to {found.n} cooks: kappa error {found.before:.1f} to "
            f"{found.after:.1f}, one left out {found.left_out:.1f}",
            status="fitted",
            data=asdict(found.coefficients),
        )
    return kept


@writing()
def use_fit(*, species: str, fit: CookFit | None, by, now) -> None:
    """Choose a fit, or the published default (None)."""
    refuse(by, "fit")
    if fit is not None and not fit.holds:
        raise CookRefused("fit", "That fit is of an earlier model and cannot be carried over: fit again.")
    if fit is not None and not fit.accepted:
        raise CookRefused("fit", "The one-left-out error does not fall by 10 %; the default stays.")
    CookFit.objects.filter(species=species, in_use=True).update(in_use=False)
    if fit is not None:
        CookFit.objects.filter(pk=fit.pk).update(in_use=True)
    by_what = "the published default" if fit is None or fit.only_bias else f"the fit to {fit.n} cooks"
    bias = f", {signed(fit.fitted.kappa, 1)} kappa of bias taken out" if fit and fit.fitted.kappa else ""
    says = f"{species.capitalize()} cooks are foreseen by {by_what}{bias}"
    data = fit.coefficients if fit else {}
    write(kind=Kind.COOK, subject=f"{FITTED}{species}", by=by, now=now, says=says, status="chosen", data=data)


def bias_seen(species: str) -> Bias | None:
    """What the newest tested cooks of a wood come out over the model in use, each as it was run; None under five."""
    use, _ = coefficients_in_use(species)
    errors = []
    for c in Cook.objects.filter(species=species, kappa__isnull=False).prefetch_related("points").order_by("-number")[:BIAS_OF]:
        try:
            errors.append(c.kappa - kinetic.cook(species, c.given, as_run(c), coefficients=use).kappa)
        except CoreError:  # a log that cannot be integrated tells nothing
            continue
    return bias_of(tuple(errors))


def take_out_bias(*, species: str, by, now) -> CookFit:
    """Take what the newest cooks come out over the model from what is foreseen, as a choice that can be undone."""
    refuse(by, "fit")
    bias = bias_seen(species)
    if bias is None or not bias.stands:
        raise CookRefused("fit", "The newest cooks show no bias that chance would not make.")
    use, fit = coefficients_in_use(species)
    with writing():
        kept = CookFit.objects.create(
            species=species,
            coefficients=asdict(replace(use, kappa=use.kappa + bias.mean)),
            n=fit.n if fit else bias.n,
            before=abs(bias.mean),
            after=0.0,
            left_out=fit.left_out if fit else bias.spread,
            accepted=True,
            dots={"signs": [*(fit.dots.get("signs", ()) if fit else ()), "bias"], "bias": bias.mean},
            made_at=now,
            by=by,
        )
        use_fit(species=species, fit=kept, by=by, now=now)
    return kept


COLUMNS = (
    "number",
    "digester",
    "species",
    "started_at",
    "wood_t",
    "ea_pct_naoh",
    "sulphidity_pct",
    "lw_m3_t",
    "start_c",
    "rise_min",
    "cook_c",
    "hold_min",
    "target",
    "kappa",
    "residual_g_l",
)
NEEDED = ("species", "ea_pct_naoh", "sulphidity_pct", "lw_m3_t", "start_c", "rise_min", "cook_c", "hold_min", "kappa")


def read_csv(text: str) -> tuple[list[str], list[dict[str, str]]]:
    """The header and rows of a file. Raises: CookRefused."""
    try:
        rows = csv.DictReader(io.StringIO(text))
        header = [h.strip() for h in rows.fieldnames or []]
        result = [{(k or "").strip(): (v or "").strip() for k, v in r.items() if isinstance(v, str | type(None))} for r in rows]
    except csv.Error as error:
        raise CookRefused("file", f"File is no CSV: {error}") from None
    if not header or not result:
        raise CookRefused("file", "File has no rows under a header.")
    if len(result) > MOST_IMPORT:
        raise CookRefused("file", f"File has {len(result)} rows; it must be at most {MOST_IMPORT}.")
    return header, result


@dataclass(frozen=True)
class Past:
    """A row of a file as a cook, read and foreseen by the model, not yet kept."""

    line: int
    number: int
    fields: dict


def _past(row: dict[str, str], mapping: dict[str, str], line: int, now) -> Past:
    """One row read. Raises: CookRefused, CoreError or ValueError in words."""

    def cell(name: str) -> str:
        return row.get(mapping.get(name, ""), "")

    def number(name: str) -> float:
        text = cell(name)
        try:
            value = float(text.replace(",", "."))
        except ValueError:
            raise CookRefused(name, f"{name} is “{text}”; it must be a number") from None
        if not math.isfinite(value):
            raise CookRefused(name, f"{name} is “{text}”; it must be finite")
        return value

    species = cell("species").lower()
    if species not in SPECIES:
        raise CookRefused("species", f"species is “{species}”; it must be one of {', '.join(SPECIES)}")
    charge = Charge(ea_pct_naoh=number("ea_pct_naoh"), sulphidity_pct=number("sulphidity_pct"), lw_m3_t=number("lw_m3_t"))
    rise, hold = number("rise_min"), number("hold_min")
    plan = ((0.0, number("start_c")), (rise, number("cook_c")), (rise + hold, number("cook_c")))
    done = kinetic.cook(species, charge, plan)
    kappa = number("kappa")
    if not 1.0 <= kappa <= 200.0:
        raise CookRefused("kappa", f"kappa is {kappa:g}; it must be 1 to 200")
    given = number("number") if cell("number") else 0.0
    if cell("number") and not (1 <= given <= 999_999_999 and given == int(given)):
        raise CookRefused("number", f"number is {cell('number')}; it must be a whole number, 1 to 999999999")
    started = datetime.fromisoformat(cell("started_at")) if cell("started_at") else now
    started = started if started.tzinfo else started.replace(tzinfo=timezone.get_current_timezone())
    wood = number("wood_t") if cell("wood_t") else 0.0
    residual = number("residual_g_l") if cell("residual_g_l") else None
    for name, value, most in (("wood_t", wood, 10_000.0), ("residual_g_l", residual, 80.0)):
        if value is not None and not 0.0 <= value <= most:
            raise CookRefused(name, f"{name} is {value:g}; it must be 0 to {most:g}")
    fields = {
        "digester": plain(cell("digester"))[:20] or "?",
        "species": species,
        "wood_t": wood,
        "charge": asdict(charge),
        "plan": [list(p) for p in plan],
        "target": number("target") if cell("target") else kappa,
        "predicted": done.kappa,
        "started_at": started,
        "blown_at": started,
        "kappa": kappa,
        "residual_g_l": residual,
        "note": "brought in",
    }
    return Past(line, int(given), fields)


def bring_in(*, rows: list[dict[str, str]], mapping: dict[str, str], by, now) -> tuple[int, list[tuple[int, str]]]:
    """Past cooks from rows by a mapping of our columns to theirs: how many were kept, and what was wrong, by line."""
    refuse(by, "fit")
    read, bad = [], []
    for line, row in enumerate(rows, start=2):
        try:
            read.append(_past(row, mapping, line, now))
        except (CookRefused, CoreError, ValueError, OverflowError) as error:
            bad.append((line, str(error)))
    kept = 0
    with writing():
        taken = set(Cook.objects.values_list("number", flat=True))
        top = max(taken, default=0)
        for past in read:
            if past.number in taken:
                bad.append((past.line, f"number {past.number} is there already"))
                continue
            top = max(top + 1, past.number)
            number = past.number or top
            Cook.objects.create(number=number, started_by=by, **past.fields)
            taken.add(number)
            kept += 1
        if kept:
            says = f"{kept} past cooks brought in, {len(bad)} rows refused"
            write(kind=Kind.COOK, subject="cooks", by=by, now=now, says=says, status="brought in")
    return kept, sorted(bad)


__all__ = ["CookRefused", "add_point", "blow", "bring_in", "follow", "hold_on", "keep_fit", "lab", "start", "use_fit"]
