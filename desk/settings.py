"""Settings for real use. The environment may set VAT_DATA, VAT_HOSTS, VAT_DEMO, VAT_HTTPS, VAT_TZ."""

import os
from pathlib import Path

from desk.kit.keyfile import kept_key
from desk.kit.station import APPS

HOUSE = Path(__file__).resolve().parent.parent
DATA = Path(os.environ.get("VAT_DATA", HOUSE / ".vat")).resolve()
DEMO = os.environ.get("VAT_DEMO") == "1"
LOOK_AHEAD_BESIDE = True  # the hours ahead are worked out beside Shift, in a thread
HTTPS = os.environ.get("VAT_HTTPS") == "1"


os.umask(0o077)  # whatever the desk writes is its owner's alone
DATA.mkdir(parents=True, exist_ok=True, mode=0o700)
SECRET_KEY = kept_key(DATA / "secret_key")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("VAT_HOSTS", "localhost,127.0.0.1,[::1]").split(",")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "axes",
    "desk.kit",
    "desk.people",
    "desk.instruments",
    "desk.mill",
    "desk.log",
    "desk.lab",
    "desk.handbook",
    "desk.intake",
    "desk.opc",
    "desk.cases",
    "desk.stations",
    *APPS,
    "desk.moves",
    "desk.schedule",
    "desk.shift",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "desk.kit.security.ContentSecurityPolicy",
    "desk.kit.security.NoStore",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "desk.mill.context.MillClock",
    "axes.middleware.AxesMiddleware",
    "desk.kit.once.OncePerForm",
    "desk.shift.people_views.OwnPin",
]

ROOT_URLCONF = "desk.urls"
WSGI_APPLICATION = "desk.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [HOUSE / "desk" / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "desk.mill.context.house",
            ],
            "builtins": ["desk.kit.templatetags.vat", "django.templatetags.static"],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "vat.sqlite3",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 5,
            "init_command": (
                "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA busy_timeout=5000;"
                " PRAGMA cache_size=-20000; PRAGMA foreign_keys=ON"
            ),
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 6}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "people:sign_in"
LOGIN_REDIRECT_URL = "shift:home"
LOGOUT_REDIRECT_URL = "people:sign_in"
SESSION_COOKIE_AGE = 14 * 3600  # a shift and its handover
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "desk.kit.errors.stale_form"

AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]  # everybody at a shared console has one address
AXES_LOCKOUT_CALLABLE = "desk.kit.errors.locked_out"
AXES_RESET_ON_SUCCESS = True
AXES_ENABLE_ACCESS_FAILURE_LOG = True
AXES_VERBOSE = False

SECURE_CSP = {
    "default-src": "'self'",
    "img-src": "'self' data:",
    "frame-ancestors": "'none'",
    "base-uri": "'self'",
    "form-action": "'self'",
    "object-src": "'none'",
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
if HTTPS:
    SECURE_SSL_REDIRECT = True
    SECURE_HSTS_SECONDS = 31_536_000
    SECURE_HSTS_INCLUDE_SUBDOMAINS = True
    SECURE_HSTS_PRELOAD = True
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
else:
    # a control-room server on the mill's own network without a certificate; VAT_HTTPS=1 switches these on
    SILENCED_SYSTEM_CHECKS = ["security.W004", "security.W008", "security.W012", "security.W016"]

USE_TZ = True
TIME_ZONE = os.environ.get("VAT_TZ", "UTC")
LANGUAGE_CODE = "en-gb"
USE_I18N = False
USE_THOUSAND_SEPARATOR = False

STATIC_URL = "static/"
STATIC_ROOT = DATA / "static"
STATICFILES_DIRS = [HOUSE / "desk" / "static"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedManifestStaticFilesStorage"},
}
WHITENOISE_MAX_AGE = 31_536_000
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_000_000

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "{asctime} {levelname} {name} {message}", "style": "{"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    "loggers": {"waitress.queue": {"level": "ERROR"}},  # that a request waited a moment is no news
    "root": {"handlers": ["console"], "level": "WARNING"},
}
