"""``django check_files``: reads all that is kept, says what is damaged, and has made again what can be."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from janoglot.productions.damage import Damage, damaged

_NAMES = {"media": "a recording", "takes": "a sound", "mixes": "a piece of a mix", "handed": "a file to hand over"}


class Command(BaseCommand):
    help = "Reads every file that is kept and says which is not as it was written; what can be is made again."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--only-say", action="store_true", help="take nothing out to be made again")
        parser.add_argument("--json", action="store_true", help="for programs")

    def handle(self, *args: Any, **options: Any) -> None:
        found = damaged(not options["only_say"])
        if options["json"]:
            self.stdout.write(json.dumps([asdict(one) for one in found]))
        else:
            for one in found:
                self.stdout.write(_said(one))
            lost = sum(not one.again for one in found)
            self.stdout.write("Everything is as it was written." if not found else
                              f"{len(found)} damaged: {len(found) - lost} made again when wanted, {lost} to be brought "
                              "in again.")
        if any(not one.again for one in found):
            raise SystemExit(1)


def _said(one: Damage) -> str:
    where = f": {'; '.join(one.used)}" if one.used else ""
    return f"{_NAMES[one.store]} ({one.key}) is {one.what}{where}. " + (
        "It is made again when it is wanted." if one.again else "Bring it in again, or from a backup.")
