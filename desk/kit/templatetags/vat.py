"""Figures, times and small drawings for templates. Judging and arithmetic stay in the core."""

import math
import re
import secrets
from datetime import datetime
from functools import lru_cache
from urllib.parse import quote_plus, urlencode

from django import template
from django.middleware.csrf import get_token
from django.template.defaulttags import URLNode
from django.template.defaulttags import url as django_url
from django.template.loader import get_template
from django.urls import reverse
from django.utils import timezone
from django.utils.html import conditional_escape, format_html
from django.utils.safestring import mark_safe

from core import calc
from core.quantity import quantities
from core.safety.cards import AT_STEP, at_step
from desk.kit.units import shown, way

register = template.Library()
THIN = "\u202f"
MINUS = "−"
PLAIN_WORD = re.compile(r"[A-Z][a-z]+(?=$|[\s,-])")
SUBSCRIPTS = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


def figure(value, decimals: int = 2) -> str:
    """A number for the screen: fixed decimals, thin space by thousands, true minus; "none" for no value."""
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return "none"
    if math.isinf(value):
        return "never" if value > 0 else MINUS + "never"
    printed = rounded(value, decimals)
    text = f"{abs(printed):,.{decimals}f}".replace(",", THIN)
    return (MINUS if printed < 0 else "") + text


def rounded(value: float, decimals: int) -> float:
    """A number as it is printed: halves away from nothing."""
    factor = 10.0**decimals
    return math.copysign(math.floor(abs(value) * factor + 0.5 + 1e-9) / factor, value)


def changed(before, after, decimals: int) -> str:
    """What changed between two figures as shown: the printed difference with its sign; empty where they print alike."""
    if before is None or after is None or figure(before, decimals) == figure(after, decimals):
        return ""
    text = figure(rounded(after, decimals) - rounded(before, decimals), decimals)
    return text if text.startswith(MINUS) else f"+{text}"


@register.filter
def upfirst(text: str) -> str:
    """A sentence's first letter large, unless the word has its own way (pH)."""
    return text if text[1:2].isupper() else text[:1].upper() + text[1:]


@register.filter
def fig(value, decimals=2) -> str:
    return figure(value, int(decimals))


@register.filter
def signed(value, decimals=2) -> str:
    """The same with its sign always shown."""
    text = figure(value, int(decimals))
    return text if text.startswith(MINUS) else "+" + text


@register.filter
def midline(label: str) -> str:
    """A label inside a line: its first letter small, unless it opens a symbol (H-factor, EA, ClO₂)."""
    return label[:1].lower() + label[1:] if PLAIN_WORD.match(label) else label


@register.filter
def stop(text) -> str:
    """A text with its full stop: one, also where initials end with theirs."""
    text = str(text)
    return text if text.endswith((".", "!", "?", "”")) else f"{text}."


@register.filter
def formula(text: str) -> str:
    """A chemical's name with its numbers below the line: ClO2 to ClO₂."""
    return text.translate(SUBSCRIPTS)


@register.filter
def tph(value) -> str:
    """t/h: one decimal, two below 3."""
    return figure(value, 2 if value is not None and abs(value) < 3.0 else 1)


@register.filter
def pct(value, decimals=0) -> str:
    """A fraction as per cent, without its sign."""
    return figure(100.0 * value, int(decimals))


@register.filter
def hm(hours) -> str:
    """Hours as 1 h 50, or 34 min; as 4 d 2 h from two days on; "never" for no end."""
    if hours is None or math.isinf(hours) or math.isnan(hours):
        return "never"
    minutes = round(hours * 60)
    if minutes >= 2880:
        return f"{minutes // 1440} d {minutes % 1440 // 60} h"
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


@register.filter
def seconds_hm(seconds) -> str:
    """Seconds as hours and minutes."""
    return hm(seconds / 3600.0)


def until(hours: float | None) -> str:
    """How long until a vessel is empty or full: 34 min, 1 h 50, or steady where it never is."""
    if hours is None or math.isinf(hours):
        return "steady"
    minutes = round(hours * 60)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


@register.filter
def hmu(hours) -> str:
    """How long until a vessel is empty or full, with its units set small."""
    figure, unit, more = (*until(hours).split(" "), "", "")[:3]
    return format_html('{}<span class="u">{}</span>{}', figure, unit, f" {more}" if more else "") if unit else figure


def local(when):
    """A time in the mill's own zone: nobody reads this desk in another."""
    return when.astimezone(timezone.get_default_timezone())


@register.filter
def clock(when) -> str:
    """14:05, local."""
    return local(when).strftime("%H:%M") if when else "none"


@register.filter
def clocks(when) -> str:
    """14:05:30, local."""
    return local(when).strftime("%H:%M:%S") if when else "none"


@register.filter
def minutes_hm(minutes) -> str:
    """Minutes as 30 s, 5 min, 1 h 50."""
    return f"{minutes * 60:.0f} s" if 0 < minutes < 1.5 else hm(minutes / 60.0)


@register.filter
def day(when) -> str:
    """14 November 2026, local."""
    return f"{local(when):%-d %B %Y}" if when else "none"


@register.filter
def dayclock(when) -> str:
    """13 Nov 16:30, local."""
    return f"{local(when):%-d %b %H:%M}" if when else "none"


@register.filter
def iso(text) -> datetime:
    """A stored time as a time."""
    return datetime.fromisoformat(text)


@register.filter
def pulp(hex_colour: str) -> str:
    """A fill in the pulp's computed colour (#RRGGBB), dimmed by night as the look asks."""
    told = f"color-mix(in oklab,{hex_colour} var(--pm),var(--ground))"
    return mark_safe(told) if hex_colour[1:].isalnum() else told


@register.filter
def stops(told) -> str:
    """The stops of a gradient: each its place, and the pulp's colour there."""
    return mark_safe(
        "".join(f'<stop offset="{conditional_escape(at)}" stop-color="{conditional_escape(pulp(h))}"/>' for at, h in told)
    )


@register.filter
def at(sequence, i: int):
    """One of a sequence by its place."""
    return sequence[i]


@register.filter
def pair(a, b):
    """Two things as a list."""
    return [a, b]


@register.filter
def liquor(brown: float) -> str:
    """The paint of a liquor, 0 (water) to 100 (strong), day and night."""
    return f"color-mix(in oklab, #3B2417 {float(brown):g}%, var(--water))"


@register.filter
def item(mapping, key):
    return mapping.get(key)


@register.simple_tag(takes_context=True)
def u(context, unit: str):
    """A unit set small behind its figure, as this person reads it; empty for a bare number. Pairs with `val`."""
    result = way(unit, context.get("schools"))
    name = result.unit if result else unit
    return format_html('<span class="u">{}</span>', name) if name else ""


@register.simple_tag
def ru(unit: str):
    """A unit that is shown as it is: the figure before it was made for it."""
    return format_html('<span class="u">{}</span>', unit) if unit else ""


@register.simple_tag(takes_context=True)
def val(context, value, unit: str, decimals=None):
    """A core figure as this person reads it; `decimals` None is the rule of t/h. Its unit follows by `u`."""
    number, _, more = shown(value, unit, context.get("schools"))
    return tph(number) if decimals is None else figure(number, int(decimals) + more)


@lru_cache(maxsize=4096, typed=True)
def address(name: str, *args) -> str:
    """The address of a page, remembered: a page names some sixty, and composing one takes longer than writing it."""
    return reverse(name, args=args)


class Address(URLNode):
    """`{% url %}` as it is, but that it remembers what it composed."""

    def render(self, context):
        if self.kwargs or self.asvar:
            return super().render(context)
        return conditional_escape(address(self.view_name.resolve(context), *(arg.resolve(context) for arg in self.args)))


@register.tag
def url(parser, token):
    """`{% url name arg %}`, as Django's own."""
    node = django_url(parser, token)
    return Address(node.view_name, node.args, node.kwargs, node.asvar)


def working_path(name: str, show: str, case, back: str) -> str:
    """Where a figure is worked through: the model, the figure, and the case it came from (in the core's units)."""
    given = calc.flat(calc.declared(case))
    told = [f"{k}={_typed(v)}" for k, v in given.items()]
    return f"{address('handbook:working', name)}?{'&'.join(told)}&{urlencode({'show': show, 'back': back})}"


def _typed(value: str | float) -> str:
    """An input as it stands in an address."""
    if isinstance(value, str):
        return quote_plus(value)
    return str(value) if isinstance(value, int) else repr(float(value)).replace("+", "%2B")


@register.simple_tag(takes_context=True)
def heldval(context, value, unit: str, decimals):
    """A held input as this person reads it: a word stays a word."""
    return value if isinstance(value, str) else val(context, value, unit, decimals)


@register.simple_tag(takes_context=True)
def working(context, name: str, show: str, case):
    return working_path(name, show, case, context["request"].get_full_path())


@register.inclusion_tag("parts/step_cards.html")
def step_cards(slip) -> dict:
    """The safety cards of a move whose lever goes up: what it may raise, beside the keys that put it in force."""
    kind = slip.get("kind", "")
    row = kind if kind in AT_STEP else slip.get("row", "") if slip.get("spot") else ""
    return {"step_cards": at_step(row, up=slip["after"] > slip["before"])}


@register.inclusion_tag("parts/figure_row.html", takes_context=True)
def figline(context, worked, name: str, source: str = "", mark: str = "", label: str = ""):
    """A row of a verdict: a figure of the case that made it, in the reader's unit, with the way to that case's own working.

    Beside a held case of the same model (`held` of the page) it tells that case's figure and the change from it.
    """
    said = quantities(type(worked.result))[name]
    schools = context.get("schools")
    now = getattr(worked.result, name)
    value, unit, more = shown(now, said.unit, schools)
    row = {
        "label": label or said.label,
        "source": source,
        "mark": mark,
        "value": figure(value, said.decimals + more),
        "unit": unit,
        "href": working_path(worked.model, name, worked.case, context["request"].get_full_path()),
    }
    held = context.get("held")
    old = held.result.get(name) if held is not None and held.model_name == worked.model else None
    if old is not None and math.isfinite(now):
        before = shown(old, said.unit, schools)[0]
        places = said.decimals + more
        row |= {"held": figure(before, places), "change": changed(before, value, places)}
    return row


@register.simple_tag(takes_context=True, name="fig")
def figure_link(context, worked, name: str):
    """A figure of the case that made it, in the reader's unit, leading to that case's own working; for a table."""
    said = quantities(type(worked.result))[name]
    value, _, more = shown(getattr(worked.result, name), said.unit, context.get("schools"))
    href = working_path(worked.model, name, worked.case, context["request"].get_full_path())
    return format_html('<a class="fig" href="{}">{}</a>', href, figure(value, said.decimals + more))


@register.simple_tag(takes_context=True)
def figor(context, worked, name: str, kept: float):
    """The same where the case is at hand; else the figure as it was kept, in its own unit."""
    return figure_link(context, worked, name) if worked else tph(kept)


@register.simple_tag(takes_context=True)
def figname(context, worked, name: str):
    """What a figure is called, with the reader's unit."""
    said = quantities(type(worked.result))[name]
    _, unit, _ = shown(getattr(worked.result, name), said.unit, context.get("schools"))
    return format_html('{}<span class="u">{}</span>', said.label, unit) if unit else said.label


@register.inclusion_tag("parts/hold.html", takes_context=True)
def holdkeys(context, worked, title: str):
    """Hold the case that made a page's figures, under a name, beside what comes next; the page carries the form `holdform`."""
    return {
        "given": calc.flat(calc.declared(worked.case)).items(),
        "model": worked.model,
        "title": title,
        "back": context["request"].get_full_path(),
        "held": context.get("held"),
        "may_hold": context["request"].user.may("hold_case"),
    }


@register.simple_tag(takes_context=True)
def form_keys(context):
    """What every form that writes carries: the token that it is ours, and the key by which it is kept once."""
    fields = '<input type="hidden" name="csrfmiddlewaretoken" value="{}"><input type="hidden" name="once" value="{}">'
    return format_html(fields, get_token(context["request"]), secrets.token_urlsafe(18))


@register.simple_tag
def drawn(ribbon, template: str, tag: str):
    """A ribbon's drawing, rendered once for as long as the ribbon itself is kept."""
    if template not in ribbon.rendered:
        ribbon.rendered[template] = mark_safe(get_template(template).render({"r": ribbon, "tag": tag, "label": tag == "b"}))
    return ribbon.rendered[template]


_SHAPES = {
    "up": '<path d="M5 1 9.6 9.5H.4z" fill="currentColor"/>',
    "down": '<path d="M5 9.5 9.6 1H.4z" fill="currentColor"/>',
    "up-open": '<path d="M5 1.9 8.8 8.8H1.2z" fill="none" stroke="currentColor" stroke-width="1.5"/>',
    "down-open": '<path d="M5 8.1 8.8 1.2H1.2z" fill="none" stroke="currentColor" stroke-width="1.5"/>',
    "dash": '<path d="M1 5h8" stroke="currentColor" stroke-width="1.6"/>',
    "clock": '<circle cx="5" cy="5" r="4" fill="none" stroke="currentColor" stroke-width="1.3"/>'
    '<path d="M5 2.6V5l1.8 1.1" fill="none" stroke="currentColor" stroke-width="1.2"/>',
}


@register.simple_tag
def shape(name: str, size: int = 10):
    return mark_safe(f'<svg width="{size}" height="{size}" viewBox="0 0 10 10" aria-hidden="true">{_SHAPES[name]}</svg>')


@register.simple_tag
def word(state: str, text: str, side: int = 0):
    """The word of a state with its shape: red triangles for act and contain, open ones for watch, a dash in band."""
    way = "up" if side >= 0 else "down"
    name = {"in": "dash", "old": "clock", "watch": f"{way}-open"}.get(state, way)
    return format_html('<span class="w w-{}">{}{}</span>', state, shape(name), f" {text}")


@register.simple_tag
def gauge(position):
    """Brackets are the band, the dot the reading; `position` 0 to 1 between them, clipped a little outside."""
    x = 8.0 + 14.0 * min(1.25, max(-0.25, position))
    brackets = "M11 1.5H8v9h3M19 1.5h3v9h-3"
    return mark_safe(
        f'<svg width="30" height="12" viewBox="0 0 30 12" aria-hidden="true"><path d="M2 6H28" stroke="currentColor" '
        f'opacity=".35"/>'
        f'<path d="{brackets}" fill="none" stroke="currentColor" opacity=".7"/><circle cx="{x:.1f}" cy="6" r="2.7" '
        f'fill="currentColor"/></svg>'
    )


@register.simple_tag(takes_context=True)
def here(context, prefix: str) -> str:
    """aria-current for the place a page belongs to."""
    path = context["request"].path
    result = path == "/" if prefix == "/" else path.startswith(prefix)
    return mark_safe('aria-current="page"') if result else ""


@register.filter
def words(text: str) -> list[str]:
    """A line of names as a list."""
    return text.split()


@register.filter
def label_of(form, name: str) -> str:
    """What a well is called; a figure of rows by the name it has in them."""
    if name in form.fields:
        return form.fields[name].label
    inner = next(f for key, f in form.fields.items() if key.endswith(f".1.{name}"))
    return inner.label.partition(", ")[2]


@register.filter
def component(stream, name: str) -> float:
    """One component's flow of a stream, t/h."""
    return stream[name]


@register.filter
def sci(value: float) -> str:
    """A very small number: 4e-16."""
    return f"{value:.0e}".replace("-", MINUS)


@register.filter
def size(slip: dict, name: str) -> str:
    """A size on a move's slip (low, high), in the decimals of its lever."""
    return figure(slip[name], slip.get("decimals", 0))


@register.filter
def bare(value) -> str:
    """A figure with the digits it needs, at most six: for ranges and tables of check values."""
    if isinstance(value, str):
        return value
    if isinstance(value, (list, tuple)):  # rows: each by its figures
        return "; ".join(" ".join(bare(v) for v in row.values()) for row in value)
    return f"{value:.6g}".replace("-", MINUS)


@register.filter
def three(value: float) -> str:
    """A figure with three digits that count."""
    return f"{value:.3g}".replace("-", MINUS)


@register.filter
def within(value: float, sd: float) -> str:
    """A figure with its error, both to the two digits of the error that count; five places at the most."""
    places = min(max(1 - math.floor(math.log10(sd)), 0), 5) if 0.0 < sd < math.inf else 2
    return f"{figure(value, places)} ± {figure(sd, places)}"


@register.filter
def delta(value: float) -> str:
    """A change with its sign and three digits."""
    return f"{value:+.3g}".replace("-", MINUS)


@register.filter
def plainnum(value: float) -> str:
    """A number, or a word in quotes, as a program writes it."""
    return f'"{value}"' if isinstance(value, str) else f"{value:.10g}"


@register.filter
def all_hold(proofs) -> bool:
    return all(p.holds for p in proofs)


@register.filter
def minus(a: float, b: float) -> float:
    """The change from b to a."""
    return a - b


@register.filter
def absolute(value: float) -> float:
    return abs(value)


@register.filter
def plainround(value: float) -> str:
    """A whole number for a well."""
    return f"{value:.0f}"


@register.filter
def spoken(name: str) -> str:
    """A stored name as words: retest_at to retest at."""
    return name.replace("_", " ").replace(" pct", ", %").replace(" t h", ", t/h")


@register.filter
def told(value) -> str:
    """Whatever was stored, as a person reads it: six digits, yes and no, lists in a line, times as times."""
    if value is None or value == "" or value == [] or value == {}:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return f"{value:.6g}".replace("-", MINUS)
    if isinstance(value, dict):
        return ", ".join(f"{spoken(str(k))} {told(v)}" for k, v in value.items())
    if isinstance(value, list):
        return "; ".join(told(v) for v in value)
    if re.match(r"\d{4}-\d\d-\d\dT\d\d:\d\d", value):
        try:
            return dayclock(datetime.fromisoformat(value))
        except ValueError:
            return value
    return value


@register.filter
def ms(at: datetime) -> int:
    """A time in an address: whole milliseconds since 1970."""
    return round(1000.0 * at.timestamp())


@register.filter
def of(part: float, whole: float) -> str:
    """A part of a whole, % with one decimal."""
    return figure(100.0 * part / whole if whole else 0.0, 1)


@register.filter
def short(value) -> str:
    """Whatever it is, briefly: numbers with the digits they need."""
    return f"{value:.6g}" if isinstance(value, float) else str(value)[:40]


@register.filter
def cookpanels(_, band) -> list[tuple[str, str, str]]:
    """The three panels of a cook under its temperature: name, title, note."""
    kappa = f"band {figure(band.low, 1)} to {figure(band.high, 1)}" if band else "against the target"
    return [
        ("kappa", "Kappa", kappa),
        ("yield", "Yield", "% of oven-dry wood"),
        ("residual", "Residual alkali", "g/L as NaOH, band 5 to 12"),
    ]


@register.filter
def tanktop(standing) -> str:
    """Where the liquid of a tank's little drawing begins."""
    share = standing.now_m3 / standing.tank.most_m3 if standing.tank.most_m3 else 0.0
    return f"{31.0 - 28.0 * min(1.0, max(0.0, share)):.1f}"
