"""All settings, taken from the environment. ``docs/operations.md`` lists the variables."""

import os
from datetime import timedelta
from pathlib import Path
from urllib.parse import urlsplit

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[3]


def _env(name: str, default: str | None = None) -> str:
    value = os.environ.get(f"MEZZAVOCE_{name}", default)
    if value is None:
        message = f"The environment variable MEZZAVOCE_{name} is missing; bin/serve and bin/demo set it."
        raise RuntimeError(message)
    return value


DATA_DIR = Path(_env("DATA_DIR", str(ROOT / ".local" / "data")))
SECRET_KEY = _env("SECRET_KEY")
DEBUG = _env("DEBUG", "0") == "1"
DEMO = _env("DEMO", "0") == "1"
BASE_URL = _env("BASE_URL", "http://127.0.0.1:8400").rstrip("/")
ALLOWED_HOSTS = _env("HOSTS", f"127.0.0.1,localhost,{urlsplit(BASE_URL).hostname}").split(",")
CSRF_TRUSTED_ORIGINS = [BASE_URL]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.humanize",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "mezzavoce.accounts",
    "mezzavoce.work",
    "mezzavoce.library",
    "mezzavoce.transcoding",
    "mezzavoce.measuring",
    "mezzavoce.notes",
    "mezzavoce.dispatch",
    "mezzavoce.recheck",
    "mezzavoce.people",
    "mezzavoce.screens",
    *(["mezzavoce_demo"] if DEMO else []),
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "mezzavoce.config.refusals.RefusalMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "mezzavoce.config.urls"
WSGI_APPLICATION = "mezzavoce.config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).parent / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "mezzavoce.config.context.page",
            ]
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": _env("DB_NAME", "mezzavoce"),
        "USER": _env("DB_USER", "mezzavoce"),
        "PASSWORD": _env("DB_PASSWORD", ""),
        "HOST": _env("DB_HOST", "127.0.0.1"),
        "PORT": _env("DB_PORT", "8406"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "init_command": "SET sql_mode='STRICT_TRANS_TABLES', innodb_strict_mode=1"},
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_unicode_ci"},
    }
}
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.db.DatabaseCache",
        "LOCATION": "counted",
        "OPTIONS": {"MAX_ENTRIES": 10000},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.Person"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "mezzavoce.accounts.backends.AccountBackend"]
# Memory makes guessing dear; a sign-in costs a third of a second of one processor (the former hash took 1.3 s).
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.ScryptPasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = timedelta(minutes=10)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_USERNAME_FORM_FIELD = "username"
AXES_RESET_ON_SUCCESS = True
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_LOCKOUT_CALLABLE = "mezzavoce.accounts.guard.locked_out"
AXES_ENABLE_ACCESS_FAILURE_LOG = False
AXES_VERBOSE = False
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "desk"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 14
SECURE_COOKIES = BASE_URL.startswith("https://")
SESSION_COOKIE_SECURE = SECURE_COOKIES
CSRF_COOKIE_SECURE = SECURE_COOKIES
# With an https address every page is on https; whether a request came that way is told by the server or the proxy that
# it trusts.
SECURE_SSL_REDIRECT = SECURE_COOKIES
SECURE_HSTS_SECONDS = 60 * 60 * 24 * 365 if SECURE_COOKIES else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = _env("HSTS_SUBDOMAINS", "0") == "1"
SILENCED_SYSTEM_CHECKS = [
    # Whether the other names below the same domain are on https, too, is for whoever runs it to say
    # (MEZZAVOCE_HSTS_SUBDOMAINS).
    "security.W005",
    "security.W021",
    # Links that open nothing are counted in the database, which all web processes share; one more or less does not
    # matter.
    "django_ratelimit.E003",
    "django_ratelimit.W001",
]
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:"],
        "media-src": [SELF, "blob:"],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

LANGUAGE_CODE = "en-gb"
TIME_ZONE = _env("TIME_ZONE", "UTC")
USE_TZ = True
USE_I18N = False

STATIC_URL = "/static/"
STATICFILES_DIRS = [ROOT / "src" / "mezzavoce" / "static"]
STATIC_ROOT = DATA_DIR / "static"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": DATA_DIR / "files"}},
    "staticfiles": {
        "BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"
        if _env("PLAIN_STATIC", "0") == "1"
        else "mezzavoce.config.staticfiles.HashedModules"
    },
}
# Where the core process works and where uploads grow before they are whole.
WORK_DIR = DATA_DIR / "work"
UPLOAD_DIR = DATA_DIR / "uploads"
# Where the demo's stand-in mailbox keeps its mails.
MAILBOX_DIR = DATA_DIR / "mailbox"
UPLOAD_MAX_BYTES = int(_env("UPLOAD_MAX_GIB", "64")) * 1024**3
# Left free on the disk for measuring and for what is made of files; an upload that would take it is refused beforehand.
SPACE_RESERVE_BYTES = int(_env("SPACE_RESERVE_GIB", "2")) * 1024**3
# With less room than this the ingest page says so before the disk is full.
LOW_ROOM_BYTES = int(_env("LOW_ROOM_GIB", "10")) * 1024**3
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 * 1024 * 1024

EMAIL_HOST = _env("SMTP_HOST", "127.0.0.1")
EMAIL_PORT = int(_env("SMTP_PORT", "25"))
EMAIL_HOST_USER = _env("SMTP_USER", "")
EMAIL_HOST_PASSWORD = _env("SMTP_PASSWORD", "")
EMAIL_USE_TLS = _env("SMTP_TLS", "0") == "1"
EMAIL_TIMEOUT = 20
DEFAULT_FROM_EMAIL = _env("MAIL_FROM", "Mezzavoce <review@mezzavoce.example>")
LINK_DAYS = int(_env("LINK_DAYS", "60"))
# Stands for the personal link in a prepared letter until it is sent.
LINK_PLACE = "https://personal-link.invalid/"
# After this long a conversation with the mail server is broken off, seconds.
MAIL_LIMIT_S = 240

CELERY_BROKER_URL = _env("BROKER_URL", "redis://127.0.0.1:8479/0")
CELERY_TASK_IGNORE_RESULT = True
CELERY_TASK_ACKS_LATE = True
CELERY_TASK_REJECT_ON_WORKER_LOST = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
CELERY_BROKER_TRANSPORT_OPTIONS = {
    "visibility_timeout": 60 * 60 * 12,
    "socket_connect_timeout": 2,
    "socket_timeout": 30,
    # Whoever wakes workers does not wait for a queue that is away: the next sweep finds the row.
    "max_retries": 1,
    "interval_start": 0,
    "interval_step": 0.1,
}
CELERY_TASK_DEFAULT_QUEUE = "errands"
# Quick errands do not wait behind film that is being made ready for the browser.
CELERY_TASK_ROUTES = {
    "mezzavoce.measuring.tasks.wake": {"queue": "measuring"},
    "mezzavoce.transcoding.tasks.make_playbacks": {"queue": "films"},
    "mezzavoce.measuring.tasks.compare_pictures": {"queue": "films"},
    "mezzavoce.dispatch.tasks.cut_excerpts": {"queue": "films"},
}
SWEEP_S = float(_env("SWEEP_S", "10"))
CELERY_BEAT_SCHEDULE = {
    "measuring": {"task": "mezzavoce.measuring.tasks.wake", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "judging": {"task": "mezzavoce.measuring.tasks.judge_stale", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "missed": {"task": "mezzavoce.measuring.tasks.find_stale", "schedule": 600.0, "options": {"expires": 600}},
    "files": {"task": "mezzavoce.library.tasks.look_at_files", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "tidying": {"task": "mezzavoce.library.tasks.tidy_up", "schedule": 3600.0, "options": {"expires": 3600}},
    "playback": {
        "task": "mezzavoce.transcoding.tasks.make_playbacks",
        "schedule": SWEEP_S,
        "options": {"expires": SWEEP_S},
    },
    "mail": {"task": "mezzavoce.dispatch.tasks.send_mail", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "links": {"task": "mezzavoce.people.tasks.send_links", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "reminders": {"task": "mezzavoce.dispatch.tasks.remind", "schedule": 600.0, "options": {"expires": 600}},
    "pictures": {
        "task": "mezzavoce.measuring.tasks.compare_pictures",
        "schedule": SWEEP_S,
        "options": {"expires": SWEEP_S},
    },
    "excerpts": {"task": "mezzavoce.dispatch.tasks.cut_excerpts", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
}
# How many measurements with their judgements a web process keeps in memory, so that correcting one by hand takes no
# reading.
JUDGED_KEPT = int(_env("JUDGED_KEPT", "4"))
# Whoever asks for figures from another machine says this token; without one nobody else may.
FIGURES_TOKEN = _env("FIGURES_TOKEN", "")
LEASE_S = float(_env("LEASE_S", "30"))
# Limits of the core process: address space, processor time and wall time beside the duration of the material.
CORE_MEMORY_MIB = int(_env("CORE_MEMORY_MIB", "6144"))
CORE_SECONDS = int(_env("CORE_SECONDS", "300"))
CORE_SECONDS_PER_SECOND = 2
# How many core processes pages may have at once, for listening and for samples.
CORE_SLOTS = int(_env("CORE_SLOTS", "3"))
CORE_THREADS = int(_env("CORE_THREADS", "2"))

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(levelname)s %(name)s %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    "root": {"handlers": ["console"], "level": _env("LOG_LEVEL", "WARNING")},
}
