"""What the server says: every sentence is in the catalogue, counts agree with their nouns, nothing names the command line."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from django.utils import translation
from django.utils.translation import trans_real

from janoglot.productions.models import Production
from janoglot.server.messages import PLACE, catalogue, written
from tests.server.conftest import Call, handed, lines
from tests.server.test_making import cast_and_voice


def test_the_catalogue_is_up_to_date() -> None:
    """Run ./janoglot api where this fails."""
    assert PLACE.read_text() == written()


def test_nothing_that_is_said_names_the_command_line() -> None:
    for message in catalogue():
        texts = message.id if isinstance(message.id, tuple) else (message.id,)
        assert not any("./janoglot" in text for text in texts), message.id


@pytest.fixture
def esperanto(tmp_path: Path, settings: Any) -> Any:
    """A translation of everything: each sentence in brackets, its fields as they are."""
    made = Catalog(locale="eo", charset="utf-8")
    for message in catalogue():
        if message.id:
            texts = message.id if isinstance(message.id, tuple) else (message.id,)
            told = tuple(f"⟦{text}⟧" for text in texts)
            made.add(message.id, told if len(told) > 1 else told[0])
    folder = tmp_path / "locale" / "eo" / "LC_MESSAGES"
    folder.mkdir(parents=True)
    with (folder / "django.mo").open("wb") as file:
        write_mo(file, made)
    settings.LOCALE_PATHS = [tmp_path / "locale"]
    settings.LANGUAGES = [("en", "English"), ("eo", "Esperanto")]
    trans_real._translations.clear()  # type: ignore[attr-defined]
    yield
    translation.activate("en")
    trans_real._translations.clear()  # type: ignore[attr-defined]


@pytest.mark.usefixtures("esperanto")
def test_what_goes_wrong_is_said_in_the_readers_language(production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    line = lines(call, production)[0]
    asked: list[tuple[str, str, str, Any]] = [
        ("owner", "post", f"{path}voicings/", {}), ("owner", "patch", f"/api/productions/{production.pk}/", {"target_lufs": 3}),
        ("owner", "put", f"{path}castings/0/", {}), ("owner", "post", f"/api/productions/{production.pk}/undo/", {"x": 1}),
        ("reader", "patch", f"/api/productions/{production.pk}/", {"name": "x"}), ("owner", "post", f"{path}files/", {"file": "mix.wav"}),
        ("owner", "post", "/api/imports/", {"text": ""}), ("owner", "post", f"{path}replace/", {"find": "(", "regular": True}),
        ("owner", "patch", f"{path}timing/lines/", {"lines": [line["id"]], "own": {"mode": "pinned"}}),
        ("owner", "post", f"/api/productions/{production.pk}/editions/", {"language": "es-MX"}),
    ]
    for who, method, address, body in asked:
        answer = call(who, method, address, body, headers={"Accept-Language": "eo"})
        if answer.status_code >= 400:
            assert answer.json()["message"].startswith("⟦"), (address, answer.json())


@pytest.mark.parametrize(("count", "said"), [(1, "1 line has changed since it was voiced. Voice it again."),
                                             (2, "2 lines have changed since they were voiced. Voice them again.")])
def test_counts_agree_with_what_is_counted(count: int, said: str, production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    for line in lines(call, production)[:count]:
        call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "Cambia.", "revision": line["revision"]})
    assert handed(call, path, "captions.srt").json()["message"] == said
