"""Django’s settings, made of the options that the environment gives (see :mod:`config.options`)."""

from __future__ import annotations

from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from config import options

SERVER_DIR = Path(__file__).resolve().parent.parent
REPOSITORY = SERVER_DIR.parent

DEBUG = options.DEBUG.of()
SECRET_KEY = options.SECRET_KEY.of()
if not SECRET_KEY:
    if not DEBUG:
        raise ImproperlyConfigured("RENNBAHN_SECRET_KEY must be set: `make demo` makes one and keeps it.")
    SECRET_KEY = "only-for-development"  # noqa: S105
ALLOWED_HOSTS = list(options.HOSTS.of())
CSRF_TRUSTED_ORIGINS = list(options.ORIGINS.of())

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
    "config",
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

AUTHENTICATION_BACKENDS = ["people.backend.WithRole"]
ROOT_URLCONF = "config.urls"
WSGI_APPLICATION = "config.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": options.DB_HOST.of(),
        "PORT": str(options.DB_PORT.of()),
        "NAME": options.DB_NAME.of(),
        "USER": options.DB_USER.of(),
        "PASSWORD": options.DB_PASSWORD.of(),
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
HTTPS = options.HTTPS.of()
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
FILE_UPLOAD_TEMP_DIR = options.UPLOADS.of()

STATIC_URL = "/static/"
WEB_DIST = options.WEB_DIST.of() or REPOSITORY / "web" / "dist"
WHITENOISE_USE_FINDERS = True
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"

USE_TZ = True
#: The bench’s own: plans are laid out from now on in it.
TIME_ZONE = options.TIME_ZONE.of()
LANGUAGE_CODE = "en-gb"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
