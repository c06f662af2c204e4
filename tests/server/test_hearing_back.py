"""Finished lines are heard back behind everything else; what is not heard right is shown until somebody says it is."""

from __future__ import annotations

from typing import Any

import pytest

from janoglot.core.speech.takes import read_sound, write_sound
from janoglot.direct.hearing import unheard
from janoglot.editions.state import EditionState
from janoglot.productions.models import Edition, HeardBack, Job, Production
from janoglot.server.storage import takes
from tests.server.conftest import Call, edition_path, lines


@pytest.fixture
def finished(production: Production, call: Call) -> Edition:
    """The Spanish edition with three lines finished by natives, and nothing heard yet."""
    path = edition_path(production)
    for speaker, voice in zip(production.speakers.order_by("id"), ("ruisenor", "mirlo"), strict=True):
        assert call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice}).status_code < 300
    call("owner", "post", f"{path}voicings/")
    call("owner", "post", f"{path}voicings/", {"kind": "finish"})
    return production.editions.get(language="es-MX")


def doubts(call: Call, production: Production) -> dict[int, Any]:
    found = call("reader", "get", f"{edition_path(production)}doubts/").json()["doubts"]
    return {one["line"]: one["heard"] for one in found if one["heard"]}


def hear(call: Call, production: Production, settings: Any) -> None:
    """Finish the edition once more, and what comes behind that."""
    settings.HEAR_BACK = True
    line = lines(call, production)[0]
    call("owner", "put", f"{edition_path(production)}wordings/{line['id']}/", {"text": "La marea está subiendo.", "revision": line["revision"]})
    call("owner", "post", f"{edition_path(production)}voicings/")
    call("owner", "post", f"{edition_path(production)}voicings/", {"kind": "finish"})


def test_what_is_finished_is_heard_once_and_good_lines_raise_no_doubt(finished: Edition, production: Production, call: Call, settings: Any) -> None:
    assert HeardBack.objects.count() == 0
    hear(call, production, settings)
    assert unheard(EditionState.load(finished)) == []
    rows = list(HeardBack.objects.all())
    assert len(rows) == 3
    assert all(row.text and row.error < 0.16 and row.language == "es-MX" for row in rows), [(row.text, row.error) for row in rows]
    assert doubts(call, production) == {}
    job = Job.objects.get(kind="hear")
    assert (job.state, job.queue, job.faults) == ("done", "hear", {})


def test_a_planted_fault_is_found_shown_and_said_to_be_right(finished: Edition, production: Production, call: Call, settings: Any) -> None:
    state = EditionState.load(finished)
    first, second = sorted(state.finish_keys)[1:3]
    # The sound of another line lies where this one's should.
    write_sound(takes(), state.finish_keys[second], *read_sound(takes(), state.finish_keys[first]))
    hear(call, production, settings)
    found = doubts(call, production)
    assert set(found) == {second}
    assert found[second]["error"] > 0.4
    assert "sopa" in found[second]["text"].lower()
    assert found[second]["otherwise"]
    path = f"{edition_path(production)}lines/{second}/heard/"
    told = call("reader", "get", path).json()
    assert (told["text"], told["right_by"]) == (found[second]["text"], None)
    assert call("reader", "put", path, {"right": True}).status_code == 403
    assert call("editor", "put", path, {"right": True}).status_code == 204
    assert doubts(call, production) == {}
    assert call("reader", "get", path).json()["right_by"] == "editor"
    call("editor", "put", path, {"right": False})
    assert set(doubts(call, production)) == {second}


def test_what_is_a_sketch_again_says_nothing_of_what_was_heard(finished: Edition, production: Production, call: Call, settings: Any) -> None:
    hear(call, production, settings)
    line = lines(call, production)[1]
    call("owner", "put", f"{edition_path(production)}wordings/{line['id']}/", {"text": "La sopa espera.", "revision": line["revision"]})
    assert call("owner", "get", f"{edition_path(production)}lines/{line['id']}/heard/").status_code == 404


def test_without_a_recogniser_nothing_is_begun(finished: Edition, production: Production, call: Call, settings: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JANOGLOT_RECOGNISER", "/nowhere")
    hear(call, production, settings)
    assert not Job.objects.filter(kind="hear").exists()
    assert not HeardBack.objects.exists()


def test_of_the_source_only_what_was_not_heard_right_is_told(production: Production, call: Call, settings: Any) -> None:
    path = edition_path(production, "en-GB")
    for speaker, voice in zip(production.speakers.order_by("id"), ("hobby", "blackcap"), strict=True):
        call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice})
    call("owner", "post", f"{path}voicings/")
    call("owner", "post", f"{path}voicings/", {"kind": "finish"})
    source = production.editions.get(language="en-GB")
    line, key = next(iter(EditionState.load(source).finish_keys.items()))
    assert call("reader", "get", f"{path}doubts/").json()["doubts"] == []
    HeardBack.objects.create(key=key, take_id=EditionState.load(source).by_id[line][0].take.hash, language="en-GB",
                             text="Something else.", error=0.8, otherwise=[[0, 3, "some"]], version="test")
    assert [(one["line"], one["heard"]["text"], one["misspelt"], one["terms"])
            for one in call("reader", "get", f"{path}doubts/").json()["doubts"]] == [(line, "Something else.", [], [])]
