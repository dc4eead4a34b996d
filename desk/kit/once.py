"""Middleware: the request within reach of what writes, a form sent twice, a database that is busy or full."""

from collections import OrderedDict
from collections.abc import Sequence

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone

from desk.kit import disk
from desk.kit.text import has_control, plain
from desk.kit.writing import AlreadySent, Trouble, current_request, form_key, trouble_of

ANSWERS_KEPT = 500
SECRET = ("pin", "new_pin", "again", "csrfmiddlewaretoken", "once")
STATUS = {Trouble.BUSY: 503, Trouble.FULL: 507}


def not_recorded(request, trouble: Trouble | None, *, spoilt: Sequence[str] = ()):
    """The page that gives back all that was typed, with one key to send it again; `spoilt` names fields with control
    characters."""
    typed = [(plain(name), plain(value)) for name, values in request.POST.lists() if name not in SECRET for value in values]
    context = {
        "full": trouble is Trouble.FULL,
        "spoilt": [plain(name) for name in spoilt],
        "typed": typed,
        "secrets": [name for name in SECRET[:3] if name in request.POST],
        "path": request.get_full_path(),
    }
    return render(request, "not_recorded.html", context, status=STATUS[trouble] if trouble else 422)


def _spoilt(request) -> list[str]:
    """Fields of a posted form whose name or words hold a control character."""
    if request.method != "POST" or request.path.startswith("/api/"):  # an interface reads its body itself, and refuses by row
        return []
    return [name for name, values in request.POST.lists() if any(has_control(text) for text in (name, *values))]


class OncePerForm:
    """Keeps where each kept form led to, so that the second press of it leads there too."""

    def __init__(self, get_response):
        self.get_response = get_response
        self.led_to: OrderedDict[str, str] = OrderedDict()

    def __call__(self, request):
        token = current_request.set(request)
        try:
            spoilt = _spoilt(request)
            response = not_recorded(request, None, spoilt=spoilt) if spoilt else self.get_response(request)
        finally:
            current_request.reset(token)
        if getattr(request, "once_claimed", False) and response.has_header("Location"):
            self.led_to[form_key(request)] = response["Location"]
            while len(self.led_to) > ANSWERS_KEPT:
                self.led_to.popitem(last=False)
        return response

    def process_exception(self, request, exception):
        if isinstance(exception, AlreadySent):
            first = exception.first
            at = timezone.localtime(first.at)
            messages.info(request, f"It was recorded already, {at:%H:%M:%S}. It was not written a second time.")
            return redirect(
                self.led_to.get(first.key) or (reverse("log:one", args=[first.record]) if first.record else "shift:home")
            )
        trouble = trouble_of(exception)
        if trouble is None:
            return None
        if trouble is Trouble.FULL:
            disk.mark_full()
        return not_recorded(request, trouble)
