"""All settings, taken from the environment. ``docs/architecture.md`` lists the variables."""

import os
from pathlib import Path

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[3]


def _env(name: str, default: str | None = None) -> str:
    value = os.environ.get(f"MEZZAVOCE_{name}", default)
    if value is None:
        message = f"The environment variable MEZZAVOCE_{name} is missing; bin/demo sets it, or set it yourself."
        raise RuntimeError(message)
    return value


DATA_DIR = Path(_env("DATA_DIR", str(ROOT / ".local" / "data")))
SECRET_KEY = _env("SECRET_KEY")
DEBUG = _env("DEBUG", "0") == "1"
DEMO = _env("DEMO", "0") == "1"
BASE_URL = _env("BASE_URL", "http://127.0.0.1:8400").rstrip("/")
ALLOWED_HOSTS = _env("HOSTS", "127.0.0.1,localhost").split(",")
CSRF_TRUSTED_ORIGINS = [BASE_URL]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.humanize",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "csp",
    "mezzavoce.accounts",
    "mezzavoce.library",
    "mezzavoce.measuring",
    "mezzavoce.notes",
    "mezzavoce.dispatch",
    "mezzavoce.screens",
    *(["mezzavoce_demo"] if DEMO else []),
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "mezzavoce.config.refusals.RefusalMiddleware",
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
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.Person"
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
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "SAMEORIGIN"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:"],
        "media-src": [SELF, "blob:"],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [SELF],
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
        "BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage" if _env("PLAIN_STATIC", "0") == "1" else "mezzavoce.config.staticfiles.HashedModules"
    },
}
# Where the core process works and where uploads grow before they are whole.
WORK_DIR = DATA_DIR / "work"
UPLOAD_DIR = DATA_DIR / "uploads"
# Where the demo's stand-in mailbox keeps its mails.
MAILBOX_DIR = DATA_DIR / "mailbox"
UPLOAD_MAX_BYTES = int(_env("UPLOAD_MAX_GIB", "64")) * 1024**3
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 * 1024 * 1024

EMAIL_HOST = _env("SMTP_HOST", "127.0.0.1")
EMAIL_PORT = int(_env("SMTP_PORT", "8425"))
EMAIL_HOST_USER = _env("SMTP_USER", "")
EMAIL_HOST_PASSWORD = _env("SMTP_PASSWORD", "")
EMAIL_USE_TLS = _env("SMTP_TLS", "0") == "1"
EMAIL_TIMEOUT = 20
DEFAULT_FROM_EMAIL = _env("MAIL_FROM", "Mezzavoce <review@mezzavoce.example>")
LINK_DAYS = int(_env("LINK_DAYS", "60"))

CELERY_BROKER_URL = _env("BROKER_URL", "redis://127.0.0.1:8479/0")
CELERY_TASK_IGNORE_RESULT = True
CELERY_TASK_ACKS_LATE = True
CELERY_TASK_REJECT_ON_WORKER_LOST = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
CELERY_BROKER_TRANSPORT_OPTIONS = {"visibility_timeout": 60 * 60 * 12}
CELERY_TASK_DEFAULT_QUEUE = "errands"
CELERY_TASK_ROUTES = {"mezzavoce.measuring.tasks.wake": {"queue": "measuring"}}
SWEEP_S = float(_env("SWEEP_S", "10"))
CELERY_BEAT_SCHEDULE = {
    "measuring": {"task": "mezzavoce.measuring.tasks.wake", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "judging": {"task": "mezzavoce.measuring.tasks.judge_stale", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "playback": {"task": "mezzavoce.library.tasks.sweep_playback", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
    "mail": {"task": "mezzavoce.dispatch.tasks.sweep_deliveries", "schedule": SWEEP_S, "options": {"expires": SWEEP_S}},
}
LEASE_S = float(_env("LEASE_S", "30"))
# Limits of the core process: address space, processor time and wall time beside the duration of the material.
CORE_MEMORY_MIB = int(_env("CORE_MEMORY_MIB", "6144"))
CORE_SECONDS = int(_env("CORE_SECONDS", "300"))
CORE_SECONDS_PER_SECOND = 2
CORE_THREADS = int(_env("CORE_THREADS", "2"))

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(levelname)s %(name)s %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    "root": {"handlers": ["console"], "level": _env("LOG_LEVEL", "WARNING")},
}
