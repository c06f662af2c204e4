"""The web server's way in."""

from __future__ import annotations

import os

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "janoglot.server.settings")
if settings.SECRET_KEY == settings.NO_SECRET:
    raise ImproperlyConfigured("Give a secret key in JANOGLOT_SECRET_KEY: without one anybody could forge a session.")
application = get_wsgi_application()

# Read once before the server's processes part, so that nobody's first request waits for it.
from janoglot.core.speech.catalogue import catalogue  # noqa: E402

catalogue()
