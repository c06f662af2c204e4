"""Settings, all of them from the environment, so that the same code runs on one machine or on many."""

from __future__ import annotations

import os
from pathlib import Path

from csp.constants import NONE, SELF

HOME = Path(os.environ.get("JANOGLOT_HOME") or Path(__file__).resolve().parents[3])
VAR = Path(os.environ.get("JANOGLOT_VAR") or HOME / "var")

DEBUG = False
NO_SECRET = "not-for-serving-only-for-checks"
SECRET_KEY = os.environ.get("JANOGLOT_SECRET_KEY") or NO_SECRET
# Behind a proxy, name its public hosts here, by comma.
PUBLIC_HOSTS = [host for host in os.environ.get("JANOGLOT_HOSTS", "").split(",") if host]
ALLOWED_HOSTS = ["127.0.0.1", "localhost", *PUBLIC_HOSTS]
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in PUBLIC_HOSTS]
ROOT_URLCONF = "janoglot.server.urls"
WSGI_APPLICATION = "janoglot.server.wsgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "rest_framework",
    "drf_spectacular",
    "csp",
    "janoglot.productions",
    "janoglot.media",
    "janoglot.editions",
    "janoglot.script",
    "janoglot.adapt",
    "janoglot.cast",
    "janoglot.direct",
    "janoglot.timing",
    "janoglot.mix",
    "janoglot.review",
    "janoglot.deliver",
    "janoglot.demo",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "janoglot.server.compression.CompressText",
    "janoglot.server.private_answers.PrivateAnswers",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.locale.LocaleMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "janoglot.server.body_size.BoundedBodies",
    "janoglot.productions.attempts.Attempts",
    "janoglot.server.once_more.OnceMore",
    "janoglot.productions.attempts.AttemptsKept",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [], "APP_DIRS": False,
              "OPTIONS": {}}]

PATIENCE = int(os.environ.get("JANOGLOT_DATABASE_PATIENCE", "20"))
"""Seconds that one statement may take."""
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": os.environ.get("JANOGLOT_DATABASE", "janoglot"),
        "USER": os.environ.get("JANOGLOT_DATABASE_USER", "janoglot"),
        "PASSWORD": os.environ.get("JANOGLOT_DATABASE_PASSWORD", ""),
        "HOST": os.environ.get("JANOGLOT_DATABASE_HOST", "127.0.0.1"),
        "PORT": os.environ.get("JANOGLOT_DATABASE_PORT", "33321"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "init_command": "SET sql_mode='STRICT_ALL_TABLES,NO_ZERO_DATE,ERROR_FOR_DIVISION_BY_ZERO', "
                            f"innodb_strict_mode=1, innodb_lock_wait_timeout={max(1, PATIENCE // 2)}",
            "isolation_level": "read committed",
            # A database that stands still is one that is away: whoever waits for it is told so.
            "connect_timeout": 5, "read_timeout": PATIENCE, "write_timeout": PATIENCE,
        },
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_unicode_ci"},
    }
}

REDIS = os.environ.get("JANOGLOT_REDIS", "redis://127.0.0.1:36321")
CACHES = {"default": {"BACKEND": "django.core.cache.backends.redis.RedisCache", "LOCATION": f"{REDIS}/1"}}
SESSION_ENGINE = "django.contrib.sessions.backends.db"
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = bool(PUBLIC_HOSTS)
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if PUBLIC_HOSTS else None
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
# Over HTTPS alone, once it was reached so.
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if PUBLIC_HOSTS else 0
# The one-click demo user: on this machine alone, unless JANOGLOT_DEMO=1 says that others may look around too.
DEMO = os.environ.get("JANOGLOT_DEMO", "0" if PUBLIC_HOSTS else "1") == "1"
DEMO_USER = "demo"

# Whether the demo is voiced behind the page at its first start, so that it can be listened to.
VOICE_DEMO = os.environ.get("JANOGLOT_VOICE_DEMO", "0") == "1"

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        # Radix places its popovers by style attributes.
        "style-src": [SELF, "'unsafe-inline'"],
        "img-src": [SELF, "data:"],
        "media-src": [SELF, "blob:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

LANGUAGE_CODE = "en"
LANGUAGES = [("en", "English")]
LOCALE_PATHS = [Path(__file__).parent / "locale"]
USE_I18N = True
USE_TZ = True
TIME_ZONE = "UTC"

STATIC_URL = "/static/"
WEB_DIST = HOME / "web" / "dist"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_INDEX_FILE = False
# The front end's files carry a hash in their names.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"
DATA_UPLOAD_MAX_MEMORY_SIZE = 6 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 6 * 1024 * 1024

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["janoglot.server.authentication.SessionSignIn"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["janoglot.server.rendering.QuickJSONRenderer"],
    "DEFAULT_PARSER_CLASSES": [
        "janoglot.server.parsing.BoundedJSONParser", "janoglot.server.parsing.PlainMultiPartParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "janoglot.server.faults.answer",
    "DEFAULT_THROTTLE_RATES": {
        "sign-in": "20/min", "review": "1200/min", "review-miss": "30/min", "review-passphrase": "10/min"},
    # How many proxies of ours stand before this: what anybody else wrote into X-Forwarded-For counts for nothing.
    "NUM_PROXIES": int(os.environ.get("JANOGLOT_PROXIES", "1" if PUBLIC_HOSTS else "0")),
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Janoglot",
    "VERSION": "1",
    "DESCRIPTION": "Productions, editions, castings, takes, mixes and what is handed over.",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums", "janoglot.server.openapi.with_faults"],
    "ENUM_NAME_OVERRIDES": {
        "RoleEnum": "janoglot.productions.models.Role",
        "TakeStateEnum": "janoglot.editions.state.TAKE_STATES",
        "MixStateEnum": "janoglot.mix.making.MIX_STATES",
        "WordingStateEnum": "janoglot.productions.models.Wording.State",
        "SetStateEnum": "janoglot.adapt.api.SETTABLE",
        "JobStateEnum": "janoglot.productions.models.JOB_STATES",
        "JobKindEnum": "janoglot.editions.jobs_api.JOB_KINDS",
        "MarkKindEnum": "janoglot.direct.direction_api.MARK_CHOICES",
        "ReadingKindEnum": "janoglot.direct.lexicon_api.READING_CHOICES",
        "DialKindEnum": "janoglot.direct.moods_api.DIAL_CHOICES",
        "VoicingKindEnum": "janoglot.direct.api.VOICING_KINDS",
        "LineKindEnum": "janoglot.productions.models.Line.Kind",
        "LayerKindEnum": "janoglot.mix.sounds_api.LAYER_CHOICES",
        "SoundUseEnum": "janoglot.mix.library_api.SOUND_USES",
        "EdgeEnum": "janoglot.mix.sounds_api.EDGES",
        "QualityEnum": "janoglot.productions.models.QUALITIES",
        "ItemKindEnum": "janoglot.deliver.packages_api.ITEM_KINDS",
        "OpenPointCodeEnum": "janoglot.deliver.packages_api.POINT_CODES",
        "ItemStateEnum": "janoglot.deliver.packages_api.ITEM_STATES",
        "ParcelStateEnum": "janoglot.deliver.packing.PARCEL_STATES",
        "MediaPurposeEnum": "janoglot.productions.models.Media.Purpose",
        "LinkPurposeEnum": "janoglot.review.links_api.PURPOSES",
        "RemarkKindEnum": "janoglot.review.links_api.REMARK_KINDS",
        "RemarkStateEnum": "janoglot.review.links_api.REMARK_STATES",
    },
}

CELERY_BROKER_URL = CELERY_RESULT_BACKEND = f"{REDIS}/0"
CELERY_RESULT_EXPIRES = 600
CELERY_TASK_ACKS_LATE = True
CELERY_TASK_REJECT_ON_WORKER_LOST = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_TASK_DEFAULT_QUEUE = "bulk"
CELERY_TASK_SERIALIZER = "json"
CELERY_ACCEPT_CONTENT = ["json"]
CELERY_WORKER_HIJACK_ROOT_LOGGER = False
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
# What is asked for now goes before what runs in the background.
CELERY_TASK_SOFT_TIME_LIMIT = 3600
CELERY_TASK_TIME_LIMIT = CELERY_TASK_SOFT_TIME_LIMIT + 60
CELERY_BROKER_TRANSPORT_OPTIONS = {
    "queue_order_strategy": "priority",
    # Longer than any task can be: what is in somebody's hand is not given to another.
    "visibility_timeout": CELERY_TASK_TIME_LIMIT + 600,
    "socket_connect_timeout": 2, "socket_timeout": 20,
}
# Who asks is told at once where the queue is away.
CELERY_TASK_PUBLISH_RETRY = False
CELERY_BROKER_CONNECTION_TIMEOUT = 2
# Starting a speech engine takes its time beside much else.
CELERY_WORKER_PROC_ALIVE_TIMEOUT = 180

# Bytes of recordings that one person's own productions may hold.
MEDIA_QUOTA = int(float(os.environ.get("JANOGLOT_MEDIA_QUOTA_GB", "20")) * 1024**3)
# Where made things are kept: the folders under VAR, or a bucket of an object storage that speaks the S3 protocol,
# “s3://bucket/prefix”; its address where it is not the provider's own. Credentials come as boto3 takes them.
_STORE = os.environ.get("JANOGLOT_STORE", "").removeprefix("s3://")
STORE_BUCKET, _, STORE_PREFIX = _STORE.partition("/")
STORE_ENDPOINT = os.environ.get("JANOGLOT_STORE_ENDPOINT", "")
# Bytes that the folder before a bucket may hold.
STORE_NEAR = int(float(os.environ.get("JANOGLOT_STORE_NEAR_GB", "20")) * 1024**3)
# The internal address at which a web server before this one serves VAR's files (X-Accel-Redirect), “/kept/”.
ACCEL = os.environ.get("JANOGLOT_ACCEL", "")
# What was taken out can be brought back for so long.
KEPT_DAYS = 30

# Seconds: how often work in hand says that it is. What says nothing for three times as long is handed out again.
HEARTBEAT = float(os.environ.get("JANOGLOT_HEARTBEAT", "10"))
# Whether rich voices are finished behind the sketches by themselves, or when somebody asks for it.
FINISH_BEHIND = os.environ.get("JANOGLOT_FINISH_BEHIND", "1") == "1"
# Whether finished lines are heard back behind one's back, where there is a recogniser.
HEAR_BACK = os.environ.get("JANOGLOT_HEAR_BACK", "1" if FINISH_BEHIND else "0") == "1"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"json": {"()": "pythonjsonlogger.json.JsonFormatter",
                            "format": "%(asctime)s %(levelname)s %(name)s %(message)s"}},
    "handlers": {"standard": {"class": "logging.StreamHandler", "formatter": "json"}},
    "root": {"handlers": ["standard"], "level": "INFO"},
    "loggers": {"django.request": {"level": "ERROR"}, "celery": {"level": "WARNING"}},
}
