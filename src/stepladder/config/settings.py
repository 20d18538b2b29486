"""Settings. What an installation may set comes from the environment; the rest is the product's."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import environ
from csp.constants import NONCE, NONE, SELF

env = environ.Env()
BASE_DIR = Path(__file__).resolve().parents[1]
PROJECT_DIR = BASE_DIR.parents[1]
DATA_DIR = Path(env("STEPLADDER_DATA", default=str(PROJECT_DIR / "data"))).resolve()

DEMO = env.bool("STEPLADDER_DEMO", default=False)
DEBUG = False
# How far the application's clock is ahead of the machine's, for a demo or tests on another day; it goes on from there.
CLOCK_SHIFT = timedelta(seconds=env.float("STEPLADDER_CLOCK_SHIFT", default=0.0))


def _secret_key() -> str:
    key_file = DATA_DIR / "secret-key"
    given = env("STEPLADDER_SECRET_KEY", default="")
    if given:
        return str(given)
    return key_file.read_text().strip() if key_file.exists() else ""


# Written by `./ladder` at the first start; without it Django refuses to run.
SECRET_KEY = _secret_key()

# Two origins (docs/decisions/0003): the application's host, and below it one content host for each attempt.
APP_HOST = env("STEPLADDER_HOST", default="localhost")
CONTENT_HOST = env("STEPLADDER_CONTENT_HOST", default="*.localhost")
ALLOWED_HOSTS = [APP_HOST, CONTENT_HOST.replace("*", "", 1), "127.0.0.1"]
APP_PORT = env("STEPLADDER_PORT", default="8000")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "csp",
    "django_cotton.apps.SimpleAppConfig",
    "django_tasks",
    "django_tasks_db",
    "stepladder.web",
    "stepladder.queue",
    "stepladder.journal",
    "stepladder.accounts",
    "stepladder.search",
    "stepladder.charts",
    "stepladder.people",
    "stepladder.reaches",
    "stepladder.leads",
    "stepladder.people_import",
    "stepladder.topics",
    "stepladder.library",
    "stepladder.sources",
    "stepladder.notices",
    "stepladder.courses",
    "stepladder.learning",
    "stepladder.playing",
    "stepladder.writing",
    "stepladder.quizzes",
    "stepladder.signing",
    "stepladder.assignments",
    "stepladder.telling",
    "stepladder.catalogue",
    "stepladder.timetable",
    "stepladder.messaging",
    "stepladder.records",
    "stepladder.planning",
    "stepladder.outside",
    "stepladder.evidence",
    "stepladder.keeping",
    "stepladder.reports",
    "stepladder.desk",
    "stepladder.standins",
    "stepladder.config",
]

MIDDLEWARE = [
    "stepladder.web.request_ids.GiveRequestId",
    "stepladder.playing.hosts.ContentHosts",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "stepladder.web.middleware.RefuseOtherLetters",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "stepladder.web.middleware.RefuseLargeBodies",
    "stepladder.web.middleware.RefuseCrossSite",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "stepladder.accounts.middleware.KeepNothing",
    "stepladder.accounts.middleware.AddressPolicy",
    "stepladder.web.middleware.SayRefusals",
]

ROOT_URLCONF = "stepladder.config.urls"
WSGI_APPLICATION = "stepladder.config.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [],
        "OPTIONS": {
            "loaders": [
                (
                    "django.template.loaders.cached.Loader",
                    [
                        "django_cotton.cotton_loader.Loader",
                        "django.template.loaders.filesystem.Loader",
                        "django.template.loaders.app_directories.Loader",
                    ],
                )
            ],
            "builtins": [
                "django_cotton.templatetags.cotton",
                "stepladder.web.templatetags.web",
                "stepladder.web.templatetags.climb",
                "stepladder.queue.templatetags.under_way",
                "stepladder.playing.templatetags.strips",
            ],
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.messages.context_processors.messages",
                "csp.context_processors.nonce",
                "stepladder.accounts.context.account",
            ],
        },
    }
]
FORM_RENDERER = "django.forms.renderers.DjangoTemplates"

DATABASES = {
    "default": {
        "ENGINE": "stepladder.config.database",
        "NAME": str(DATA_DIR / "stepladder.sqlite3"),
        "OPTIONS": {
            "timeout": 20,
            # Deferred transactions that read and then write are refused under load; immediate ones wait.
            "transaction_mode": "IMMEDIATE",
            # FULL: what was confirmed is on the disk, and a power cut does not take it back (docs/performance.md has the cost).
            "init_command": (
                "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON; PRAGMA temp_store=MEMORY;"
                "PRAGMA mmap_size=268435456; PRAGMA cache_size=-32000; PRAGMA journal_size_limit=67108864;"
            ),
        },
        "CONN_MAX_AGE": None,
        "TEST": {"NAME": str(DATA_DIR / "test.sqlite3")},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.Account"
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {
        "NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ["email", "name"]},
    },
]
# As umask has it: for whoever runs the installation alone.
FILE_UPLOAD_PERMISSIONS = 0o600
LOGIN_URL = "accounts:sign_in"
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 60 * 60 * 12
CSRF_FAILURE_VIEW = "stepladder.web.errors.csrf_failure"

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "Europe/London"
USE_I18N = True
USE_TZ = True

STATIC_URL = "/static/"
STATIC_ROOT = DATA_DIR / "static"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "stepladder.config.static_files.StaticFiles"},
}
# Only the names with a digest are asked for: half the files to compress at the first start.
WHITENOISE_KEEP_ONLY_HASHED_FILES = True
MEDIA_ROOT = DATA_DIR / "media"
# Below these folders, and nowhere else, sources may lie: a folder on the server, a mounted share.
SOURCE_ROOTS = [Path(root) for root in env.list("STEPLADDER_SOURCES", default=[str(DATA_DIR / "sources")])]
UPLOAD_LIMIT_BYTES = env.int("STEPLADDER_UPLOAD_LIMIT_MB", default=2048) * 1024 * 1024

TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["default", "now", "bulk", "mail"]}}

EMAIL_BACKEND = (
    "django.core.mail.backends.smtp.EmailBackend"
    if env("STEPLADDER_SMTP_HOST", default="")
    else "stepladder.standins.mail.TrayBackend"
)
EMAIL_HOST = env("STEPLADDER_SMTP_HOST", default="")
EMAIL_PORT = env.int("STEPLADDER_SMTP_PORT", default=25)
# A server that says nothing for so many seconds is taken for gone: its letters wait, and nothing else does.
EMAIL_TIMEOUT = env.int("STEPLADDER_SMTP_TIMEOUT", default=20)
# What a mail server takes in a minute; 0: as many as come.
MAILS_A_MINUTE = env.int("STEPLADDER_MAILS_A_MINUTE", default=0)
PUBLIC_ADDRESS = env("STEPLADDER_ADDRESS", default=f"http://{APP_HOST}:{APP_PORT}")
DEFAULT_FROM_EMAIL = env("STEPLADDER_FROM", default="training@stepladder.example")

# An address with https says that a proxy with TLS stands before this server: what it adds to requests is believed then.
BEHIND_TLS = PUBLIC_ADDRESS.startswith("https://")
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = BEHIND_TLS
if BEHIND_TLS:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_HSTS_SECONDS = 365 * 24 * 3600

X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF, NONCE],
        "style-src": [SELF],
        "img-src": [SELF, "data:", "blob:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "media-src": [SELF],
        "worker-src": [SELF],
        "manifest-src": [SELF],
        "frame-src": [SELF],
        "frame-ancestors": [NONE],
        "form-action": [SELF],
        "base-uri": [NONE],
        "object-src": [NONE],
    }
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "line": {"format": "%(asctime)s %(levelname)s %(name)s [%(request_id)s]: %(message)s"},
        "json": {"()": "stepladder.web.logs.AsJson"},
    },
    "filters": {
        "refusals": {"()": "stepladder.web.logs.PlainRefusals"},
        "request": {"()": "stepladder.web.logs.WithRequest"},
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            # "json" for whoever gathers logs; lines for whoever reads them as they come.
            "formatter": "json" if env("STEPLADDER_LOG", default="") == "json" else "line",
            "filters": ["refusals", "request"],
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
}
