"""What is ordered, as typed."""

from datetime import datetime, timedelta

from django.utils import timezone

from core.errors import ImpossibleInput
from desk.kit.bench import typed_number
from desk.schedule.planning import Wish

NUMBERS = {"gsm": ("Basis weight", "g/m²"), "sale_t": ("To sell", "t"), "speed_m_min": ("Speed", "m/min")}


class OrderForm:
    """Reads an order without losing what was typed; problems stand by field name."""

    def __init__(self, data, state):
        self.state, self.mill = state, state.mill
        self.errors: dict[str, str] = {}
        grade = data.get("grade") if data.get("grade") in self.mill.grades else next(iter(self.mill.grades))
        self.grade = self.mill.grades[grade]
        if data.get("grade") and data["grade"] not in self.mill.grades:
            self.errors["grade"] = f"Grade is “{data['grade']}”; there are {', '.join(self.mill.grades)}"
        changed = data.get("was_grade") and data.get("was_grade") != grade  # a new grade brings its own figures
        opening = self._opening()
        self.typed = {
            k: (v if changed and k not in ("order", "sale_t", "start") else data.get(k, v)) for k, v in opening.items()
        }
        self.typed["order"] = data.get("order", opening["order"]).strip()
        self.least = data.get("least") == "1"  # the furnish of least cost is asked for

    def _opening(self) -> dict[str, str]:
        g = self.grade
        start = self.state.stops[0].end if self.state.stops else self.state.now + timedelta(hours=1)
        first = {
            "order": "",
            "gsm": f"{g.gsm:g}",
            "sale_t": "60",
            "speed_m_min": f"{g.speed_m_min:g}",
            "start": timezone.localtime(start).strftime("%H:%M"),
        }
        return first | {f"share_{k}": f"{100 * g.shares.get(k, 0.0):g}" for k in self.mill.sources}

    @property
    def sources(self) -> list[dict]:
        return [
            {"key": k, "name": s.name, "typed": self.typed[f"share_{k}"], "error": self.errors.get(f"share_{k}", "")}
            for k, s in self.mill.sources.items()
        ]

    def _number(self, name: str, label: str, unit: str) -> float:
        text = self.typed[name]
        try:
            return typed_number(text)
        except ValueError:
            shown = f"is “{text}”" if text.strip() else "is empty"
            self.errors[name] = f"{label} {shown}; it must be a number of {unit}"
            return 0.0

    def start_at(self) -> datetime | None:
        """The clock time typed, today or, once it has passed, tomorrow."""
        try:
            typed = datetime.strptime(self.typed["start"].strip().replace(".", ":"), "%H:%M")
        except ValueError:
            self.errors["start"] = f"Start is “{self.typed['start']}”; it must be a time such as 15:30"
            return None
        local = timezone.localtime(self.state.now)
        at = local.replace(hour=typed.hour, minute=typed.minute, second=0, microsecond=0)
        return at if at >= local - timedelta(minutes=1) else at + timedelta(days=1)

    def wish(self) -> Wish | None:
        """The order in numbers, or None with every problem on its field."""
        numbers = {k: self._number(k, *words) for k, words in NUMBERS.items()}
        shares = {k: self._number(f"share_{k}", f"Share of {s.name}", "per cent") for k, s in self.mill.sources.items()}
        for k, s in self.mill.sources.items():
            if not 0.0 <= shares[k] <= 100.0:
                self.errors[f"share_{k}"] = f"Share of {s.name} is {shares[k]:g} %; it must be 0 to 100 %"
        start = self.start_at()
        if self.errors or start is None:
            return None
        return Wish(order=self.typed["order"], grade=self.grade.key, start=start, shares_pct=shares, **numbers)

    def refuse(self, refusal: ImpossibleInput) -> None:
        names = {"start_h": "start"}
        labels = {"start": "Start", "shares": "Shares"} | {k: w[0] for k, w in NUMBERS.items()}
        for p in refusal.problems:
            field = names.get(p.field, p.field)
            label = labels.get(field, p.field)
            self.errors[field if field in self.typed or field == "shares" else "shares"] = f"{label} {p.text}"
