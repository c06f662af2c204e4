"""The Django project: settings, addresses, jobs and storage."""

from janoglot.server.celery import app as celery_app

__all__ = ["celery_app"]
