"""Where a page leads back to: an address of our own that starts with a stroke, or the fallback; never another host, never a
name."""

from django.utils.http import url_has_allowed_host_and_scheme


def own_path(request, wanted: str, otherwise: str = "/") -> str:
    ours = wanted.startswith("/") and url_has_allowed_host_and_scheme(
        wanted, allowed_hosts={request.get_host()}, require_https=request.is_secure()
    )
    return wanted if ours and wanted.isprintable() else otherwise
