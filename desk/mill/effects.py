"""What a move would do beside its own reading, by the solved line: the vessels around it, the mix, what it draws."""

from dataclasses import dataclass

from core.stock.cover import Cover, cover_of
from desk.kit.templatetags.vat import figure, hm, tph
from desk.log.moves import shares_after
from desk.mill.state import MillState

VESSELS_SHOWN = 4
TOLD_FROM = 0.05  # a cover that changes by less is left out


@dataclass(frozen=True)
class Effect:
    """One thing that moves too. `mark`: in, watch (less than a shift of cover), contain (somebody must act now)."""

    label: str
    now: str
    after: str
    unit: str = ""
    mark: str = "in"
    word: str = ""

    @property
    def line(self) -> str:
        """In one line of words: wet lap store 19 h 43 to 8 h 13."""
        return f"{self.label} {self.now} to {self.after}{' ' + self.unit if self.unit else ''}"


def effects(slip: dict, state: MillState, after: float | None = None) -> tuple[Effect, ...]:
    """The side effects of a slip at its own size, or at another (`after`)."""
    size = slip["after"] if after is None else after
    if (shares := shares_after(slip, size, state)) is not None:
        return _of_shares(slip, {k: v / 100.0 for k, v in shares.items()}, state)
    places, unit = slip.get("decimals", 0), slip["unit"]
    result = [Effect("The lever", figure(slip["before"], places), figure(size, places), unit)]
    if slip.get("reading") is not None:
        digits = 0 if abs(slip["expected"]) >= 100 else 1 if abs(slip["expected"]) >= 10 else 2
        result.append(Effect("The reading", figure(slip["reading"], digits), figure(slip["expected"], digits)))
    if slip["kind"] == "dilution":
        lever = state.mill.plan[slip["row"]].lever
        most, stock = lever["water_max_l_min"], lever["stock_l_min"]
        result += [
            Effect("Its valve", figure(100.0 * slip["before"] / most, 0), figure(100.0 * size / most, 0), "%"),
            Effect("Flow after it", figure(stock + slip["before"], 0), figure(stock + size, 0), "L/min"),
        ]
    return tuple(result)


def with_shares(state: MillState, shares: dict[str, float]) -> MillState:
    """The mill at the same time with other shares of the furnish (fractions)."""
    other = MillState.__new__(type(state))
    other.__dict__.update(
        {
            k: v
            for k, v in state.__dict__.items()
            if k in ("now", "version_id", "mill", "run", "halts", "stops", "makes", "next_run", "moistures", "put_in_force")
        }
    )
    other.__dict__["shares"] = shares
    other.schools = state.schools
    return other


def _of_shares(slip: dict, shares: dict[str, float], state: MillState) -> tuple[Effect, ...]:
    other = with_shares(state, shares)
    result = []
    own = [slip["vessel"], state.mill.sources[slip["spare"]].vessel]
    for key, v in state.vessels.items():
        then = cover_of(other.cover_case(key, v.level_pct))
        if key in own or _differs(v.cover, then):
            result.append((own.index(key) if key in own else len(own), _vessel(v, then, state.mill.shift_h)))
    result.sort(key=lambda pair: pair[0])
    spare = state.mill.sources[slip["spare"]]
    drawn, drawn_then = state.draw.solids_t_h, other.draw.solids_t_h
    mixes = (
        Effect("Freeness of mix", figure(state.mix.csf_ml, 0), figure(other.mix.csf_ml, 0), "mL"),
        Effect("Brightness of mix", figure(state.mix.iso_pct, 1), figure(other.mix.iso_pct, 1), "%"),
        Effect(
            f"{spare.name} used",
            tph(state.shares.get(slip["spare"], 0.0) * drawn),
            tph(shares[slip["spare"]] * drawn_then),
            "t/h",
        ),
    )
    return (*(e for _, e in result[:VESSELS_SHOWN]), *mixes)


def _differs(now: Cover, then: Cover) -> bool:
    if now.way != then.way:
        return True
    return now.way != "steady" and abs(then.hours - now.hours) > TOLD_FROM * max(now.hours, then.hours)


def _ends(found: Cover) -> str:
    return "steady" if found.way == "steady" else f"{found.way} in {hm(found.hours)}"


def _vessel(v, then: Cover, shift_h: float) -> Effect:
    mark, word = "in", ""
    if then.way != "steady" and then.hours - v.vessel.lead_h <= 0.5:
        mark, word = "contain", f"{then.way} soon"
    elif then.way == "empty" and then.hours < shift_h:
        mark, word = "watch", "low"
    name = v.vessel.name[0].upper() + v.vessel.name[1:]
    return Effect(name, _ends(v.cover), _ends(then), mark=mark, word=word)
