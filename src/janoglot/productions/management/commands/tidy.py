"""``django tidy``: what nothing needs any more, and how much room it takes."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from janoglot.productions.keeping import Tidied, tidy

_NAMES = {"media": "recordings and their copies", "takes": "sounds", "mixes": "mixes",
          "handed": "what was handed over"}


class Command(BaseCommand):
    help = "Says what nothing needs any more; with --really, deletes it."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--really", action="store_true", help="delete it, not only say so")
        parser.add_argument("--json", action="store_true", help="for programs")

    def handle(self, *args: Any, **options: Any) -> None:
        found = tidy(options["really"])
        if options["json"]:
            self.stdout.write(json.dumps([asdict(one) for one in found]))
            return
        done = "freed" if options["really"] else "would free"
        for one in found:
            self.stdout.write(_said(one, done))
        if not options["really"] and any(one.files for one in found):
            self.stdout.write("Nothing was deleted. With --really it is.")


def _said(one: Tidied, done: str) -> str:
    files = f"{one.files} file{'' if one.files == 1 else 's'}"
    text = f"{_NAMES[one.store]}: hold {_size(one.held)}; {done} {_size(one.size)} in {files}"
    return f"{text}; {_size(one.kept_for_undo)} kept for undo alone" if one.kept_for_undo else text


def _size(count: float) -> str:
    for unit in ("bytes", "KB", "MB"):
        if count < 1024:
            return f"{count:.0f} {unit}" if unit == "bytes" else f"{count:.1f} {unit}"
        count /= 1024
    return f"{count:.2f} GB"
