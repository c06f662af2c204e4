"""``django prepare``: bring the database up to date and load the demo."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand

from janoglot.demo.demo import load_demo, voice_demo


class Command(BaseCommand):
    help = "Migrates the database and loads what is missing of the demo."

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        if settings.DEMO:
            for production in load_demo():
                self.stdout.write(f"janoglot: demo production “{production.name}” is ready")
                if settings.VOICE_DEMO:
                    voice_demo(production)
