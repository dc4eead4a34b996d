"""A unit's own constants learnt from this mill's samples: gathered, fitted, kept with who and when, chosen or set back."""

from collections.abc import Callable, Mapping

from core import calc
from core.errors import ImpossibleInput, Infeasible, Problem
from core.learn import Constant
from core.mill.document import PlanRow
from core.mill.learning import InForce, Learnt, Sample, learn, learners
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.in_force import PREFIX
from desk.mill.models import UnitFit
from desk.mill.standing import LEARNT, TRUSTED
from desk.people.rights import refuse

NEWEST = 400  # results of each row that are looked at


def learners_of(state) -> dict[str, tuple[PlanRow, ...]]:
    """The units that samples of this mill can teach, with the rows that do."""
    return learners(state.mill, state.line)


def _trusted():
    """Every trusted result with a value."""
    return Record.objects.current().filter(kind=Kind.RESULT, status__in=TRUSTED, value__isnull=False)


def counted(rows) -> dict[str, int]:
    """How many trusted results there are of each row."""
    told = _trusted().filter(subject__in={r.id for r in rows})
    counts: dict[str, int] = {}
    for subject in told.values_list("subject", flat=True):
        counts[subject] = counts.get(subject, 0) + 1
    return counts


def samples_of(state, rows) -> list[Sample]:
    """The newest trusted results of rows and of every row of kappa, by which what came in is known."""
    ids = {r.id for r in rows} | {r.id for r in state.mill.plan.values() if r.test == "kappa"}
    result = []
    for row in sorted(ids):
        kept = _trusted().filter(subject=row, at__lte=state.now)
        newest = kept.order_by("-at", "-id").values_list("at", "value")[:NEWEST]
        result += [Sample(row=row, minute=at.timestamp() / 60.0, value=value) for at, value in newest]
    return result


def in_force_of(state) -> dict[str, tuple[InForce, ...]]:
    """What was put in force on every unit, oldest first."""
    rows = Record.objects.current().filter(kind=Kind.SETPOINT, subject__startswith=PREFIX, at__lte=state.now)
    told: dict[str, list[InForce]] = {}
    for subject, at, data in rows.order_by("at", "id").values_list("subject", "at", "data"):
        put = InForce(minute=at.timestamp() / 60.0, settings=data["settings"])
        told.setdefault(subject.removeprefix(PREFIX), []).append(put)
    return {unit: tuple(listed) for unit, listed in told.items()}


def fit_unit(state, unit: str, heard: Callable[[], None] = lambda: None) -> Learnt | Infeasible:
    """The fit itself, not yet kept."""
    return learn(state.mill, state.line, unit, samples_of(state, learners_of(state)[unit]), in_force_of(state), heard=heard)


def title_of(state, unit: str) -> str:
    return next(u.title for u in state.mill.units if u.id == unit)


def keep_fit(*, state, unit: str, found: Learnt, by, now) -> UnitFit:
    """Keep a fit with who and when. It is used once somebody chooses it."""
    refuse(by, "fit")
    with writing():
        kept = UnitFit.objects.create(
            unit=unit,
            constants={k: v for k, v in found.values.items() if k in fitted_fields(state, unit, found.signs)},
            told=calc.plain(found),
            n=found.n,
            accepted=found.accepted,
            made_at=now,
            by=by,
        )
        errors = "; ".join(f"{r.row} {r.before:.2g} to {r.after:.2g}" for r in found.rows)
        says = f"{title_of(state, unit).capitalize()} fitted to {found.n} samples: {errors}"[:380]
        write(kind=Kind.SETPOINT, subject=f"{LEARNT}{unit}", by=by, now=now, says=says, status="fitted", data={"fit": kept.pk})
    return kept


def fitted_fields(state, unit: str, signs) -> set[str]:
    return {c.field for c in constants_of(state, unit) if c.sign in signs}


def constants_of(state, unit: str) -> tuple[Constant, ...]:
    return state.mill.settable[unit].constants()


def in_use(state, unit: str) -> Record | None:
    """The record by which a unit's constants were chosen last; None for the default."""
    rows = Record.objects.current().filter(kind=Kind.SETPOINT, subject=f"{LEARNT}{unit}", status="chosen", at__lte=state.now)
    newest = rows.order_by("-at", "-id").first()
    return newest if newest is not None and newest.data.get("constants") else None


@writing()
def use(*, state, unit: str, fit: UnitFit | None, by, now) -> Record:
    """Run the unit's model with the constants of a fit from now on, or with the published default (None).

    Raises: ImpossibleInput for a fit that is not accepted, or whose constants this unit no longer has.
    """
    refuse(by, "fit")
    bounds: Mapping[str, tuple[float, float]] = {c.field: (c.low, c.high) for c in constants_of(state, unit)}
    if fit is not None:
        if not fit.accepted:
            raise ImpossibleInput(Problem("fit", "does not lower the left-out error by 10 %; the default stays"))
        if not all(k in bounds and bounds[k][0] <= v <= bounds[k][1] for k, v in fit.constants.items()):
            raise ImpossibleInput(Problem("fit", "is of an earlier model and cannot be carried over: fit again"))
    data = {"fit": fit.pk, "constants": fit.constants} if fit else {}
    what = f"the fit to {fit.n} samples" if fit else "the published default"
    says = f"{title_of(state, unit).capitalize()} is worked with {what}"
    return write(kind=Kind.SETPOINT, subject=f"{LEARNT}{unit}", by=by, now=now, says=says, status="chosen", data=data)
