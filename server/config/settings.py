"""Settings, all from the environment. The README lists the variables; `make demo` sets them."""

from __future__ import annotations

import os
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

SERVER_DIR = Path(__file__).resolve().parent.parent
REPOSITORY = SERVER_DIR.parent

DEBUG = os.environ.get("RENNBAHN_DEBUG") == "1"
SECRET_KEY = os.environ.get("RENNBAHN_SECRET_KEY", "")
if not SECRET_KEY:
    if not DEBUG:
        raise ImproperlyConfigured("RENNBAHN_SECRET_KEY must be set: `make demo` makes one and keeps it.")
    SECRET_KEY = "only-for-development"  # noqa: S105
ALLOWED_HOSTS = os.environ.get("RENNBAHN_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
CSRF_TRUSTED_ORIGINS = [origin for origin in os.environ.get("RENNBAHN_ORIGINS", "").split(",") if origin]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "django.contrib.postgres",
    "ninja",
    "procrastinate.contrib.django",
    "people",
    "bench",
    "scenes",
    "readers",
    "studies",
    "intake",
    "planning",
    "doubting",
    "running",
    "findings",
    "demo",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "config.security.ContentPolicyMiddleware",
    "config.shape.ShapeMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "config.unknown_queries.AskedMiddleware",
    "config.shape.AgainMiddleware",
]

ROOT_URLCONF = "config.urls"
WSGI_APPLICATION = "config.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": os.environ.get("RENNBAHN_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("RENNBAHN_DB_PORT", "5432"),
        "NAME": os.environ.get("RENNBAHN_DB_NAME", "rennbahn"),
        "USER": os.environ.get("RENNBAHN_DB_USER", "rennbahn"),
        "PASSWORD": os.environ.get("RENNBAHN_DB_PASSWORD", ""),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "/sign-in"
#: Behind a front that speaks HTTPS: cookies go over it alone, and browsers are told to use nothing else.
HTTPS = os.environ.get("RENNBAHN_HTTPS") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SECURE_HSTS_SECONDS = 31_536_000 if HTTPS else 0
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS else None
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"

# Whatever arrives is written to disk in pieces; a whole upload never lies in memory before its size is known.
FILE_UPLOAD_HANDLERS = ["intake.uploads.BoundedFileUploadHandler"]
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 20
#: A place of our own, so that what a killed server leaves behind can be swept.
FILE_UPLOAD_TEMP_DIR = os.environ.get("RENNBAHN_UPLOADS") or None

STATIC_URL = "/static/"
WEB_DIST = Path(os.environ.get("RENNBAHN_WEB_DIST", REPOSITORY / "web" / "dist"))
WHITENOISE_USE_FINDERS = True
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"

USE_TZ = True
#: The bench’s own: plans are laid out from now on in it.
TIME_ZONE = os.environ.get("RENNBAHN_TIME_ZONE", "UTC")
LANGUAGE_CODE = "en-gb"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
