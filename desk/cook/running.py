"""The cooks that run now: how far each is, and when its plan has it blown."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from desk.cook.models import Cook
from desk.mill.state import MillState


@dataclass(frozen=True)
class RunningCook:
    """A cook that is not blown: minutes since it was charged, minutes of its plan, when that ends."""

    cook: Cook
    minute: float
    of: float
    blows_at: datetime

    @property
    def over(self) -> bool:
        """Whether its plan is over and it still cooks."""
        return self.minute > self.of

    @property
    def over_min(self) -> float:
        """Minutes past its plan."""
        return max(0.0, self.minute - self.of)


def running_cooks(now: datetime) -> list[RunningCook]:
    """Every cook that runs at a time, the one that is blown first before the others."""
    result = []
    for cook in Cook.objects.filter(blown_at=None, started_at__lte=now):
        last = cook.profile[-1][0]
        minute = (now - cook.started_at).total_seconds() / 60.0
        result.append(RunningCook(cook, minute, last, cook.started_at + timedelta(minutes=last)))
    return sorted(result, key=lambda r: r.blows_at)


def next_blows(state: MillState) -> dict[str, float]:
    """Minutes until the next running cook of each unit that cooks its wood is blown as planned, by unit; 0 where it is due."""
    of_wood = {u.cooks: u.id for u in state.mill.units if u.cooks}
    told: dict[str, float] = {}
    for running in running_cooks(state.now):
        unit = of_wood.get(running.cook.species)
        if unit is not None:
            told.setdefault(unit, max(0.0, (running.blows_at - state.now).total_seconds() / 60.0))
    return told
