"""The Content-Security-Policy header. The setting is named as in Django 6, which will do this itself."""

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
