"""Settings of the tests: a file database that live servers may share and parallel runs may copy (so without a WAL beside
it), plain static files, quick passwords."""

import os
import tempfile
from pathlib import Path

FOLDER = Path(os.environ.setdefault("VAT_TEST_DATA", tempfile.mkdtemp(prefix="vat-test-")))
os.environ["VAT_DATA"] = str(FOLDER)
os.environ["VAT_DEMO"] = "1"
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")  # Playwright's synchronous interface runs a loop of its own

from desk.settings import *  # noqa: E402, F403

ALLOWED_HOSTS = ["*"]
DATABASES["default"]["TEST"] = {"NAME": FOLDER / "test.sqlite3"}  # noqa: F405
DATABASES["default"]["CONN_MAX_AGE"] = 0  # noqa: F405
DATABASES["default"]["OPTIONS"]["init_command"] = (  # noqa: F405
    "PRAGMA journal_mode=DELETE; PRAGMA synchronous=OFF; PRAGMA busy_timeout=5000; PRAGMA foreign_keys=ON"
)
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
LOOK_AHEAD_BESIDE = False
MIDDLEWARE = [m for m in MIDDLEWARE if "whitenoise" not in m]  # noqa: F405
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
TEST_RUNNER = "tests.runner.Counting"
LOGGING["loggers"] = {name: {"level": "ERROR"} for name in ("django.request", "axes")}  # noqa: F405
