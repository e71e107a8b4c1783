"""Django’s settings, made of the options that the environment gives (see :mod:`config.options`)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

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
    "django_otp",
    "django_otp.plugins.otp_totp",
    "django_otp.plugins.otp_static",
    "people",
    "bench",
    "scenes",
    "readers",
    "studies",
    "intake",
    "tuning",
    "fitting",
    "planning",
    "doubting",
    "running",
    "findings",
    "packages",
    "films",
    "reports",
    "demo",
    "config",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "config.watching.Watched",
    "config.security.ContentPolicyMiddleware",
    "studies.kept.KeptMiddleware",
    "config.shape.ShapeMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "config.database_door.OneDatabase",
    "config.reading.Reading",
    "config.unknown_queries.AskedMiddleware",
    "config.shape.AgainMiddleware",
]

AUTHENTICATION_BACKENDS = ["config.backend.WithAccess"]
ROOT_URLCONF = "config.urls"
WSGI_APPLICATION = "config.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES: dict[str, dict[str, Any]] = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": options.DB_HOST.of(),
        "PORT": str(options.DB_PORT.of()),
        "NAME": options.DB_NAME.of(),
        "USER": options.DB_USER.of(),
        "PASSWORD": options.DB_PASSWORD.of(),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        # A pool gives another session to each transaction: nothing that belongs to one may outlast it.
        "DISABLE_SERVER_SIDE_CURSORS": options.DB_POOLED.of(),
    }
}
_replica = options.DB_REPLICA.of()
if _replica is not None:
    DATABASES["replica"] = {
        **DATABASES["default"], "HOST": _replica[0], "PORT": str(_replica[1]), "OPTIONS": {"connect_timeout": 3},
        "DISABLE_SERVER_SIDE_CURSORS": False,
    }  # fmt: skip
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
#: What a deployment is not warned of: the server listens on loopback, where a proxy sends plain connections on to TLS
#: (W008); whether all names beneath its own speak TLS too, and are preloaded, is for their owner to say (W005, W021).
SILENCED_SYSTEM_CHECKS = ["security.W005", "security.W008", "security.W021"]
SESSION_COOKIE_NAME = f"{options.COOKIES.of()}sessionid"
CSRF_COOKIE_NAME = f"{options.COOKIES.of()}csrftoken"
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

#: Where the bytes of files are (see :mod:`storing`).
FILES = options.FILES.of()
STORAGES: dict[str, dict[str, Any]] = {
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
if FILES is not None and FILES.bucket:
    from botocore.config import Config

    STORAGES["files"] = {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": FILES.bucket, "location": FILES.within, "endpoint_url": options.FILES_AT.of() or None,
            "file_overwrite": False, "default_acl": None,
            "client_config": Config(
                connect_timeout=5, read_timeout=30, retries={"mode": "standard", "max_attempts": 3}
            ),
        },
    }  # fmt: skip
elif FILES is not None:
    STORAGES["files"] = {
        "BACKEND": "storing.Folder",
        "OPTIONS": {"location": FILES.folder, "file_permissions_mode": 0o600, "directory_permissions_mode": 0o700},
    }

#: The house's own provider of accounts (see :mod:`people.provider`).
OIDC_ISSUER, OIDC_CLIENT, OIDC_SECRET = options.OIDC.of(), options.OIDC_CLIENT.of(), options.OIDC_SECRET.of()
OIDC_NAME, OIDC_ROLE = options.OIDC_NAME.of(), options.OIDC_ROLE.of()

STATIC_URL = "/static/"
WEB_DIST = options.WEB_DIST.of() or REPOSITORY / "web" / "dist"
WHITENOISE_USE_FINDERS = True
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"

#: The demo beside one's own (see :mod:`people.beside`), and the way back from it.
DEMO_ASKED = options.DEMO.of()
BACK = options.BACK.of()
GREETING = options.GREETING.of()
#: What says when the last backup was made.
BACKED_UP = options.BACKED_UP.of()

USE_TZ = True
#: The bench’s own: plans are laid out from now on in it.
TIME_ZONE = options.TIME_ZONE.of()
LANGUAGE_CODE = "en-gb"

#: One JSON object a line, with every request; or lines for people, of what is amiss.
LOG_REQUESTS = options.LOG.of() == "json"
METRICS_TOKEN = options.METRICS_TOKEN.of()
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "format": "%(asctime)s %(levelname)s %(name)s %(message)s",
        },
    },
    "handlers": {
        "console": {"class": "logging.StreamHandler", **({"formatter": "json"} if LOG_REQUESTS else {})},
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        # Requests that wait a moment for a thread are no news.
        "waitress.queue": {"level": "ERROR"},
        "rennbahn.requests": {"level": "INFO"},
    },
}
