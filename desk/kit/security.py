"""Headers of every answer: the Content-Security-Policy (the setting is named as in Django 6, which will do this itself), and
that pages behind the sign-in are kept by no browser and no proxy."""

from django.conf import settings


class ContentSecurityPolicy:
    def __init__(self, get_response):
        self.get_response = get_response
        self.value = "; ".join(f"{name} {value}" for name, value in settings.SECURE_CSP.items())

    def __call__(self, request):
        response = self.get_response(request)
        response.headers.setdefault("Content-Security-Policy", self.value)
        response.headers.setdefault("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
        return response


class NoStore:
    """A page that a signed-in person was shown is not kept: the console is shared."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        user = getattr(request, "user", None)
        if user is not None and user.is_authenticated:
            response.headers["Cache-Control"] = "no-store, private"
        return response
