"""How well every row has worked here: taken, altered, refused; what became of it; and what its moves have taught."""

from dataclasses import dataclass, field

from core.calc import defaults
from core.errors import ImpossibleInput
from core.judge.learnt import LearntCase, Taken, learnt
from core.lab.methods import TESTS
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find
from core.unit import Worked
from desk.log.models import Kind, Record

MOST = 200
OUTCOMES = ("worked", "partly", "not")


@dataclass
class Tally:
    """A row at its place: how often it was decided each way, what became of the moves taken, the moves that were read again."""

    key: str
    row: str
    place: str
    title: str
    plan_row: str = ""
    per: str = ""  # the unit of its gain
    own: tuple[str, float] | None = None  # what calibrates a row of the table, by its label, and what it stands at
    choices: dict[str, int] = field(default_factory=dict)
    outcomes: dict[str, int] = field(default_factory=dict)
    taken: list[Taken] = field(default_factory=list)

    @property
    def judged(self) -> int:
        return sum(self.outcomes.values())

    @property
    def hit_pct(self) -> float | None:
        """Moves that brought their reading back into its band, % of those judged."""
        return 100.0 * self.outcomes.get("worked", 0) / self.judged if self.judged else None

    @property
    def worked(self) -> Worked | None:
        """What its moves taught; None of fewer than two that moved anything."""
        case = LearntCase(moves=tuple(self.taken[-MOST:]))
        if len(case.moves) < 2:
            return None
        try:
            return Worked(model="moves.learnt", case=case, result=learnt(case))
        except ImpossibleInput:
            return None

    @property
    def then(self) -> tuple[str, float, float] | None:
        """What calibrates a row of the table, as it stands and as its own moves tell it: so much more or less as came of what
        was foreseen."""
        told = self.worked
        if self.own is None or told is None:
            return None
        label, stands = self.own
        return label, stands, stands * told.result.share

    @property
    def part(self) -> str:
        """The part of the set-up that holds its gain; empty where none does."""
        return f"plan:{self.plan_row}" if self.plan_row else f"moves:{self.key}" if self.own is not None else ""

    @property
    def offered(self) -> bool:
        told = self.worked
        return told is not None and told.result.offered > 0.5


def tallies(state, key: str = "") -> list[Tally]:
    """Every row that was ever decided here, the most often decided first; one of them by its key."""
    told: dict[str, Tally] = {}
    decided = Record.objects.current().filter(kind=Kind.DECISION, at__lte=state.now, about__isnull=False)
    effects = {
        r.about_id: r
        for r in Record.objects.current().filter(kind=Kind.EFFECT, status__in=OUTCOMES, about__isnull=False).order_by("id")
    }
    for r in decided.select_related("about").order_by("at", "id"):
        move = r.about.data
        at = _key(move)
        if key and at != key:
            continue
        if at not in told:
            told[at] = _begun(state, at, move)
        tally, choice = told[at], r.data.get("choice", "")
        tally.choices[choice] = tally.choices.get(choice, 0) + 1
        effect = effects.get(r.pk)
        if choice == "refuse" or effect is None:
            continue
        tally.outcomes[effect.status] = tally.outcomes.get(effect.status, 0) + 1
        before, after = move.get("reading"), effect.data.get("after")
        if before is None or after is None:
            continue
        whole = move["after"] - move["before"]
        step = r.data["after"] - r.data["before"]
        share = step / whole if whole else 0.0  # of one that was altered so much is foreseen
        tally.taken.append(Taken(step=step, foreseen=share * (move["expected"] - before), came=after - before))
    return sorted(told.values(), key=lambda t: -sum(t.choices.values()))


def _key(move: dict) -> str:
    return move.get("spot") or f"{move.get('kind', '')}.{move.get('row', move.get('vessel', ''))}"


def _calibrated(practice, placement) -> tuple[str, float] | None:
    """The constant of a row that the mill is to fit, and what it stands at in this place; None where the row has none."""
    model = find(practice.model)
    for name in model.calibrated_by:
        stands = placement.opens.get(name, defaults(model).get(name))
        if isinstance(stands, int | float):
            return quantities(model.case_class)[name].label, float(stands)
    return None


def _begun(state, key: str, move: dict) -> Tally:
    """A tally with what its row is called."""
    practice = ROWS.get(move.get("row", ""))
    if practice is not None:
        placement = state.mill.moves.get(move.get("spot", ""))
        if placement is None:
            return Tally(key, practice.id, key, practice.symptom)
        return Tally(key, practice.id, placement.place, practice.symptom, own=_calibrated(practice, placement))
    row = state.mill.plan.get(move.get("row", ""))
    if row is not None:
        words = {"dilution": "consistency off its band", "h_factor": "kappa off its band"}
        test = TESTS[row.test]
        per = f"{test.unit or test.name.lower()} a {move.get('unit') or 'unit'}"
        return Tally(key, row.id, row.place, words.get(move["kind"], move["kind"]), plan_row=row.id, per=per)
    vessel = state.mill.vessels.get(move.get("vessel", ""))
    return Tally(key, "share", vessel.name if vessel is not None else key, "a tower runs empty or full")
