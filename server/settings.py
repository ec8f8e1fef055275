"""Settings. Whatever differs between places comes from the environment; docs/running.md lists it."""

from __future__ import annotations

import os
import warnings
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("COINBELL_VAR", ROOT / "var"))


def _needed(name: str, what: str) -> str:
    value = os.environ.get(name, "")
    if not value:
        raise ImproperlyConfigured(f"set {name}: {what}")
    return value


SECRET_KEY = _needed("COINBELL_SECRET_KEY", "a long random text that signs the sessions")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("COINBELL_HOSTS", "127.0.0.1,localhost").split(",")
BEHIND_HTTPS = os.environ.get("COINBELL_HTTPS") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "drf_spectacular_sidecar",
    "channels",
    "axes",
    "csp",
    "server.accounts",
    "server.workshops",
    "server.crafts",
    "server.bench",
    "server.proofs",
    "server.parts",
    "server.captures",
    "server.tap",
    "server.shelf",
    "server.demo",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "server.urls"
ASGI_APPLICATION = "server.asgi.application"
# WhiteNoise hands Django its files piece by piece in a way that suits threads; Django says so, and serves them all the same.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True, "OPTIONS": {}}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "HOST": os.environ.get("COINBELL_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("COINBELL_DB_PORT", "3306"),
        "NAME": os.environ.get("COINBELL_DB_NAME", "coinbell"),
        "USER": os.environ.get("COINBELL_DB_USER", "coinbell"),
        "PASSWORD": os.environ.get("COINBELL_DB_PASSWORD", ""),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "isolation_level": "read committed",
            "init_command": "SET sql_mode='STRICT_ALL_TABLES'",
            "connect_timeout": 3,
        },
        "TEST": {"NAME": "test_coinbell", "CHARSET": "utf8mb4"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["server.accounts.hashing.QueuedArgon2"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "server.accounts.api.locked_out"

SIGN_INS_BY_ADDRESS = (30, 30)  # at once, and a minute
SIGN_INS_BY_NAME = (15, 10)

SESSION_COOKIE_NAME = "coinbell_session"
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = BEHIND_HTTPS
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if BEHIND_HTTPS else None
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'self'"],
        "style-src": ["'self'", "'unsafe-inline'"],  # the component library writes its styles at run time
        "img-src": ["'self'", "data:"],
        "connect-src": ["'self'"],
        "object-src": ["'none'"],
        "base-uri": ["'self'"],
        "frame-ancestors": ["'none'"],
    }
}

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["server.parsing.StrictJSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "server.problems.handler",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Coin Bell",
    "DESCRIPTION": "Crafts, their drafts and revisions, and captures. The live bench speaks over a WebSocket at /ws/crafts/ID/bench.",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "SERVE_PERMISSIONS": ["rest_framework.permissions.IsAuthenticated"],
    "SWAGGER_UI_DIST": "SIDECAR",
    "SWAGGER_UI_FAVICON_HREF": "SIDECAR",
    "POSTPROCESSING_HOOKS": ["drf_spectacular.hooks.postprocess_schema_enums", "server.openapi.add_core_models"],
    "COMPONENT_SPLIT_REQUEST": False,
}

REDIS_URL = os.environ.get("COINBELL_REDIS_URL", "")
# The layer waits five seconds for a message; the client library must not give up sooner.
CHANNEL_LAYERS = {
    "default": (
        {"BACKEND": "channels_redis.core.RedisChannelLayer", "CONFIG": {"hosts": [{"address": REDIS_URL, "socket_timeout": 30}], "capacity": 500}}
        if REDIS_URL
        else {"BACKEND": "channels.layers.InMemoryChannelLayer", "CONFIG": {"capacity": 500}}
    )
}

HELPER_PROCESS = "server.apart.process"
MOST_BENCHES = int(os.environ.get("COINBELL_MOST_BENCHES", "12"))  # live in one server process; further ones wait for room
BENCH_BUDGET_S = float(os.environ.get("COINBELL_BENCH_BUDGET_S", "2"))  # of computing for one request; the dearest that is known takes an eighth
SNAPSHOTS_GIVE_WAY = True  # where the machine has its hands full: fewer of them, before time slips
BENCH_CLOCK = "server.running.clock.RealClock"
BENCH_TICKS = float(os.environ.get("COINBELL_TICKS", "25"))  # looks at a bench on which something moves, each told as a snapshot; a second
BENCH_REPORTS = float(os.environ.get("COINBELL_REPORTS", "5"))  # what is worked out from it; a second

STATIC_URL = "/static/"
STATIC_ROOT = VAR / "static"
WEB_DIST = ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_INDEX_FILE = False
WHITENOISE_USE_FINDERS = True
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[0-9A-Za-z_-]{8}\.\w+$"  # the build names files by their content

MAX_UPLOAD_BYTES = int(os.environ.get("COINBELL_MAX_UPLOAD_MB", "200")) << 20
WORKSHOP_QUOTA_BYTES = int(os.environ.get("COINBELL_QUOTA_MB", "2048")) << 20  # recordings and images of a workshop
SOCKETS_BY_SESSION, SOCKETS_BY_ADDRESS = (60, 60), (600, 1200)
TOUCHES_BY_PERSON, TOUCHES_BY_CRAFT = (80, 1200), (80, 1200)
ACTS_BY_PERSON, ACTS_BY_CRAFT = (40, 120), (40, 120)  # at once, and a minute
LINES_KEPT_BY_PERSON, LINES_KEPT_BY_CRAFT = (6, 12), (8, 20)
FILE_UPLOAD_TEMP_DIR = None
# What a tap may open: "local" (serial devices of this machine and loopback), more addresses with commas between, or "off".
TAP_ALLOWS = {each.strip() for each in os.environ.get("COINBELL_TAP", "local").split(",") if each.strip() not in ("", "off")}
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"
USE_I18N = False
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "filters": {"outages": {"()": "server.outage.NoTracebackOfOutages"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain", "filters": ["outages"]}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"django.request": {"level": "ERROR"}},  # a refused request is told to who asked, not to the console
}
