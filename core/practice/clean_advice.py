"""What a cascade as it runs asks for first: a bank whose drop is out of its band, stock too thick for its cones, a basket near
blinding; else it is left alone. Each is tried on the cascade before it is said."""

from dataclasses import dataclass, replace

from core.clean.cascade import CascadeCase, CascadeFound, cascade
from core.clean.cleaner import LEAST_KPA, ROPES_KPA, most_pct
from core.clean.screen import NEAR
from core.practice.clean import LOW_KPA, DropCase, DropMove, drop_move

MORE_POINTS, MOST_RV_PCT = 2.0, 40.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Advice:
    """One step at one stage: what (drop, thick, blinds), the setting to change and its value, and the cascade after it."""

    what: str
    stage: int
    setting: str
    before: float
    after: float
    then: CascadeFound
    move: DropMove | None = None


def with_setting(case: CascadeCase, stage: int, **values: float) -> CascadeCase:
    """The same cascade with another setting of a stage, counted from 1."""
    changed = replace(case.stages[stage - 1], **values)  # type: ignore[arg-type]
    return replace(case, stages=(*case.stages[: stage - 1], changed, *case.stages[stage:]))


def advise(case: CascadeCase, found: CascadeFound) -> Advice | None:
    """The first step that this cascade asks for; None where it is left alone. Raises: ImpossibleInput, NotSolved."""
    for i, (s, r) in enumerate(zip(case.stages, found.solved.stages, strict=True), start=1):
        if not s.cones or LOW_KPA <= r.kpa <= ROPES_KPA:
            continue
        move = drop_move(DropCase(kpa=min(600.0, r.kpa), cones_open=s.cones_open, cones_there=max(s.there, s.cones_open)))
        if move.stands and (r.kpa > ROPES_KPA or r.kpa < LEAST_KPA or s.cones_open > 1):
            then = cascade(with_setting(case, i, cones_open=move.after))
            return Advice(
                what="drop", stage=i, setting="cones_open", before=s.cones_open, after=move.after, then=then, move=move
            )
    for i, (s, r) in enumerate(zip(case.stages, found.solved.stages, strict=True), start=1):
        if s.cones and r.feed_pct > most_pct(s.size_mm) + 1e-9:
            after = most_pct(s.size_mm)
            then = cascade(with_setting(case, i, feed_pct=after))
            return Advice(what="thick", stage=i, setting="feed_pct", before=s.feed_pct, after=after, then=then)
        if s.screens and r.margin is not None and r.margin.least < NEAR and s.rv_pct < MOST_RV_PCT:
            after = min(MOST_RV_PCT, s.rv_pct + MORE_POINTS)
            then = cascade(with_setting(case, i, rv_pct=after))
            return Advice(what="blinds", stage=i, setting="rv_pct", before=s.rv_pct, after=after, then=then)
    return None
