"""What the line's models say of a unit's pulp beside what the laboratory and the meters say of it."""

from dataclasses import dataclass

from core.lab.methods import TESTS, LabTest
from core.mill.document import PlanRow
from core.mill.signals import solved_at
from desk.instruments import store
from desk.instruments.store import Newest
from desk.kit.templatetags.vat import clock
from desk.log.models import Record
from desk.log.practice import newest_results


def read_words(state, record: Record) -> str:
    """Where a well's value comes from that a reading leads: measured, and from when; fading once the plan comes back."""
    return f"measured {clock(record.at)}{', fading' if state.leads(record) < 1.0 else ''}"


@dataclass(frozen=True)
class Beside:
    """A row of the plan at a unit: the model's value of the line as it runs, the newest result, and the newest of its meter."""

    row: PlanRow
    solved: float
    result: Record | None
    meter: Newest | None
    fresh: bool

    @property
    def test(self) -> LabTest:
        return TESTS[self.row.test]

    @property
    def off(self) -> float | None:
        """The laboratory less the model; None without a fresh result."""
        return self.result.value - self.solved if self.fresh and self.result is not None else None

    def corrects(self, value: float) -> float:
        """A value of the same model, with what the laboratory found it off by; as it is without a fresh result."""
        return value + (self.off or 0.0)

    @property
    def apart(self) -> bool:
        """Whether they differ by more than the test repeats."""
        return self.off is not None and abs(self.off) > 1e-9 + max(
            self.test.r_abs, self.test.r_rel_pct / 100.0 * abs(self.solved)
        )


def beside(state, unit: str) -> list[Beside]:
    """The rows that read a unit's pulp, in the order of its stages, those that its models tell."""
    rows = sorted((r for r in state.mill.plan.values() if r.unit == unit), key=lambda r: r.stage)
    told = [(r, value) for r in rows if (value := solved_at(state.line, r)) is not None]
    results = newest_results({r.id for r, _ in told})
    found = []
    for row, value in told:
        result = results.get(row.id)
        meter = store.newest(row.tag, before=state.now).get(row.tag) if row.metered else None
        found.append(Beside(row, value, result, meter, result is not None and state.leads(result) > 0.0))
    return found


def bias_of(found: list[Beside], row_id: str) -> Beside | None:
    """The row of that name with a fresh result: its `off` is what the model is to be corrected by."""
    return next((b for b in found if b.row.id == row_id and b.off is not None), None)
