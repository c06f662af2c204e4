"""The stave of a line through the interface for programs."""

from __future__ import annotations

from janoglot.productions.models import Production, Speaker
from tests.server.conftest import Call, edition_path, lines


def cast(call: Call, production: Production, voice: str) -> None:
    for speaker in Speaker.objects.filter(production=production):
        call("editor", "put", f"{edition_path(production)}castings/{speaker.pk}/", {"voice": voice})


def test_a_line_lies_on_its_stave_before_it_is_voiced_and_moves_with_what_is_directed(production: Production, call: Call) -> None:
    cast(call, production, "ruisenor")
    line = lines(call, production)[0]
    path = f"{edition_path(production)}lines/{line['id']}/"
    before = call("reader", "get", f"{path}stave/").json()
    assert before["known"]
    assert [word["text"] for word in before["words"]] == line["words"].split()
    assert len(before["hz"]) == round(before["seconds"] / before["step"])
    assert max(before["hz"]) > 80
    told = call("editor", "put", f"{path}direction/", {"marks": [{"kind": "pace", "word": 1, "amount": 0.7}, {"kind": "lift", "word": 1, "amount": 4}]})
    assert told.status_code == 200 and len(told.json()["marks"]) == 2
    after = call("reader", "get", f"{path}stave/").json()
    long, short = ((one["words"][1]["end"] - one["words"][1]["start"]) for one in (after, before))
    assert long > 1.2 * short
    assert max(after["hz"]) > max(before["hz"])
    call("editor", "post", f"/api/productions/{production.pk}/undo/")
    assert call("reader", "get", f"{path}stave/").json() == before


def test_without_a_voice_or_words_there_is_nothing_on_it(production: Production, call: Call) -> None:
    line = lines(call, production)[0]
    path = f"{edition_path(production)}lines/{line['id']}/stave/"
    assert call("reader", "get", path).json()["known"] is False
    cast(call, production, "quetzal")
    assert call("reader", "get", path).json()["known"] is False
    assert call("reader", "get", f"{edition_path(production)}lines/999999/stave/").status_code == 404
