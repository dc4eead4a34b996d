"""One kappa: the sample of a blow, the cook's own test and the row of the sampling plan are one reading on three pages."""

from datetime import timedelta

from desk.cook.actions import keep_kappa
from desk.cook.models import Cook
from desk.log.models import Kind, Record

BLOWN_WITHIN = timedelta(hours=6)  # a sample of the row is of the newest blow, unless that is older


def _batch_species(state, row_id: str) -> list[str]:
    """The woods whose batch cooks a row of the plan reads."""
    return [p.species for p in state.mill.cook_plans.values() if p.kappa_row == row_id and p.vessel == "batch"]


def from_sample(*, row, result: Record, by, now, state) -> None:
    """A kappa recorded in the laboratory is that of the newest blow, where that has none yet."""
    species = _batch_species(state, row.id)
    if not species or result.data.get("of"):  # entered on the cook's own page: it has it already
        return
    blown = Cook.objects.filter(species__in=species, blown_at__lte=result.at, blown_at__gte=result.at - BLOWN_WITHIN)
    newest = blown.order_by("-blown_at").first()
    if newest is not None and newest.kappa is None and result.value is not None:
        keep_kappa(cook=newest, kappa=result.value, residual=None, by=by, now=now, about=result)


def from_correction(*, wrong: Record, right: Record, by, now, state) -> None:
    """A corrected kappa is corrected on its cook too."""
    told = Record.objects.current().filter(kind=Kind.COOK, status="tested", about=wrong).first()
    if told is None or right.value is None:
        return
    cook = Cook.objects.filter(number=int(told.subject.removeprefix("cook."))).first()
    if cook is not None:
        residual = cook.residual_g_l
        keep_kappa(cook=cook, kappa=right.value, residual=residual, by=by, now=now, about=right, corrects=told)
