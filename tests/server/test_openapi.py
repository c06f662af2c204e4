from __future__ import annotations

import os
import subprocess
from pathlib import Path

from django.core.management import call_command

from janoglot.server import page_settings

HOME = Path(__file__).resolve().parents[2]


def test_the_document_and_the_clients_types_are_up_to_date(tmp_path: Path) -> None:
    """Run ./janoglot api where this fails."""
    place = tmp_path / "openapi.yaml"
    call_command("spectacular", file=str(place), validate=True, fail_on_warn=True)
    assert place.read_text() == (HOME / "docs" / "openapi.yaml").read_text()
    path = f"{HOME / '.venv' / 'bin'}{os.pathsep}{os.environ['PATH']}"
    types = tmp_path / "types.ts"
    subprocess.run([str(HOME / "web" / "node_modules" / ".bin" / "openapi-typescript"), str(place), "-o", str(types)],
                   check=True, capture_output=True, env={**os.environ, "PATH": path})
    assert types.read_text() == (HOME / "web" / "src" / "shared" / "api" / "schema.generated.ts").read_text()


def test_what_the_page_knows_of_settings_is_up_to_date() -> None:
    """Run ./janoglot api where this fails."""
    assert page_settings.PLACE.read_text() == page_settings.written()


def test_migrations_are_up_to_date(db: None) -> None:
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)
