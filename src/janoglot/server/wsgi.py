"""The web server's way in."""

from __future__ import annotations

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "janoglot.server.settings")
application = get_wsgi_application()

# Read once before the server's processes part, so that nobody's first request waits for it.
from janoglot.core.speech.catalogue import catalogue  # noqa: E402

catalogue()
