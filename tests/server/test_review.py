"""Review links: what they open, that nothing else is behind them, and what comes back by them."""

from __future__ import annotations

import io
import secrets
from datetime import timedelta
from typing import Any

import numpy as np
import pytest
import soundfile
from django.conf import settings
from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.utils import timezone

from janoglot.core.speech.intelligibility import error_rate
from janoglot.productions.models import Line, Production
from janoglot.review import links_api
from janoglot.review.models import Remark, ReviewLink
from tests.server.conftest import Call, content, edition_path


@pytest.fixture(autouse=True)
def fresh_counts() -> None:
    cache.clear()


@pytest.fixture
def place(production: Production, call: Call) -> str:
    """A production whose Spanish edition is mixed."""
    path = edition_path(production)
    call("owner", "post", f"{path}castings/", {})
    call("owner", "post", f"{path}voicings/", {})
    call("owner", "post", f"{path}mixes/", {})
    return f"/api/productions/{production.pk}/"


def link(call: Call, place: str, **more: Any) -> Any:
    made = call("owner", "post", f"{place}links/", {"name": "Marisol", "languages": ["es-MX"], "interface": "es", **more})
    assert made.status_code == 201, made.content
    return made.json()


def opened(told: Any) -> str:
    return f"/api/review/{told['address'].rpartition('/')[2]}/"


def say(page: str, body: Any, client: Client | None = None) -> Any:
    return (client or Client()).post(f"{page}remarks/", body, content_type="application/json")


def test_a_reviewer_hears_says_and_approves_with_no_account(place: str, call: Call, production: Production) -> None:
    told = link(call, place)
    page, nobody = opened(told), Client()
    about = nobody.get(page).json()
    assert (about["production"], about["locked"], about["interface"]) == ("The Night Ferry", False, "es")
    edition = nobody.get(f"{page}editions/es-MX/").json()
    first = edition["lines"][0]
    assert (first["speaker"], first["original"], first["words"]) == (
        "Pilot", "The tide is turning.", "La marea está cambiando.")
    sound = nobody.get(f"{page}editions/es-MX/{edition['sound']}", HTTP_RANGE="bytes=0-99")
    assert (sound.status_code, content(sound)[4:8]) == (206, b"ftyp")
    assert content(nobody.get(f"{page}editions/es-MX/captions.vtt")).startswith(b"WEBVTT")
    made = say(page, {"language": "es-MX", "line": first["id"], "kind": "words", "at": 1.2, "text": "Too stiff.",
                      "proposed": "Ya cambia la marea."})
    assert made.status_code == 201, made.content
    assert nobody.put(f"{page}editions/es-MX/approval/", {"approved": True}, content_type="application/json").json()["approved"]
    remark, = call("reader", "get", f"{place}remarks/").json()
    assert (remark["by"], remark["stage"], remark["about"]) == ("Marisol", "adapt", "La marea está cambiando.")
    assert call("owner", "get", f"{place}links/").json()[0]["approved"] == ["es-MX"]
    # It is taken over, and the reviewer sees what became of it.
    assert call("reader", "post", f"{place}remarks/{remark['id']}/taking/").status_code == 403
    assert call("editor", "post", f"{place}remarks/{remark['id']}/taking/").json()["state"] == "taken"
    words = call("owner", "get", edition_path(production)).json()["lines"][0]["words"]
    assert words == "Ya cambia la marea."
    call("editor", "patch", f"{place}remarks/{remark['id']}/", {"answer": "Gracias."})
    again = nobody.get(f"{page}editions/es-MX/").json()["remarks"][0]
    assert (again["state"], again["answer"]) == ("taken", "Gracias.")
    assert call("editor", "post", f"{place}undo/").status_code == 200
    assert call("owner", "get", edition_path(production)).json()["lines"][0]["words"] == "La marea está cambiando."
    text = call("reader", "get", f"{place}remarks.csv").content.decode("utf-8-sig")
    assert "Marisol" in text and "Ya cambia la marea." in text and "Gracias." in text


def test_a_remark_is_an_open_point_until_it_is_done(place: str, call: Call, production: Production) -> None:
    page = opened(link(call, place))
    line = Client().get(f"{page}editions/es-MX/").json()["lines"][0]["id"]
    say(page, {"language": "es-MX", "line": line, "kind": "timing"})
    package = {"package": {"name": "x", "items": [{"kind": "track"}]}, "languages": ["es-MX"]}

    def points() -> dict[str, Any]:
        rows = call("owner", "post", f"{place}standing/", package).json()[0]["points"]
        return {one["code"]: one["lines"] for one in rows}

    assert points()["review_open"] == [line]
    report = call("owner", "get", f"{edition_path(production)}quality/").json()
    assert next(row for row in report["lines"] if row["id"] == line)["said"] == ["Marisol, timing"]
    remark = Remark.objects.get()
    call("editor", "patch", f"{place}remarks/{remark.pk}/", {"state": "done"})
    assert "review_open" not in points()


def test_what_was_said_of_an_edition_comes_back_with_it(place: str, call: Call, production: Production) -> None:
    page = opened(link(call, place))
    line = Client().get(f"{page}editions/es-MX/").json()["lines"][0]["id"]
    say(page, {"language": "es-MX", "line": line, "kind": "timing", "text": "Late."})
    assert call("owner", "delete", f"{edition_path(production)}removal/").status_code < 300
    assert call("owner", "get", f"{place}remarks/").json() == []
    assert Client().get(f"{page}editions/es-MX/").status_code == 404
    assert call("owner", "post", f"{place}undo/").status_code == 200
    assert [(one["line"], one["text"]) for one in call("owner", "get", f"{place}remarks/").json()] == [(line, "Late.")]
    # A line that is taken out takes nothing of it along.
    assert call("owner", "post", f"{place}script/remove/", {"lines": [line]}).status_code < 300
    assert [one["text"] for one in call("owner", "get", f"{place}remarks/").json()] == ["Late."]
    assert "Late." in call("owner", "get", f"{place}remarks.csv").content.decode("utf-8-sig")


def test_a_line_is_fine_until_something_is_said_of_it(place: str, call: Call) -> None:
    page = opened(link(call, place))
    line = Client().get(f"{page}editions/es-MX/").json()["lines"][1]["id"]
    say(page, {"language": "es-MX", "line": line, "kind": "fine"})
    say(page, {"language": "es-MX", "line": line, "kind": "name", "text": "It is Marisol."})
    assert [one.kind for one in Remark.objects.all()] == ["name"]
    say(page, {"language": "es-MX", "line": line, "kind": "fine"})
    assert [one.kind for one in Remark.objects.all()] == ["fine"]
    made = say(page, {"language": "es-MX", "kind": "sound", "text": "The whole is a little quiet."}).json()
    assert Client().delete(f"{page}remarks/{made['id']}/").status_code == 204
    assert say(page, {"language": "es-MX", "kind": "sound"}).status_code == 400, "of what?"


def test_a_remark_can_be_spoken(place: str, call: Call, django_capture_on_commit_callbacks: Any) -> None:
    page = opened(link(call, place))
    wav = io.BytesIO()
    soundfile.write(wav, (0.1 * np.sin(np.arange(24_000) / 9)).astype(np.float32), 24_000, format="WAV")
    with django_capture_on_commit_callbacks(execute=True):
        answer = Client().post(f"{page}remarks/", {"language": "es-MX", "kind": "delivery", "at": "2", "sound":
                                                   SimpleUploadedFile("said.wav", wav.getvalue())})
    assert answer.status_code == 201, answer.content
    assert answer.json()["spoken"]
    remark, = call("owner", "get", f"{place}remarks/").json()
    heard, _ = soundfile.read(io.BytesIO(content(call("owner", "get", f"{place}remarks/{remark['id']}/spoken.flac"))))
    assert len(heard) == 24_000
    bad = Client().post(f"{page}remarks/", {"language": "es-MX", "kind": "delivery", "at": "2", "sound":
                                            SimpleUploadedFile("said.wav", b"no sound at all")})
    assert bad.status_code == 400


def test_what_was_spoken_is_read_too(place: str, call: Call, django_capture_on_commit_callbacks: Any) -> None:
    page = opened(link(call, place, interface="es"))
    line = Client().get(f"{page}editions/es-MX/").json()["lines"][0]["id"]
    guide = SimpleUploadedFile("said.flac", (settings.HOME / "demo" / "guide-39.flac").read_bytes())
    with django_capture_on_commit_callbacks(execute=True):
        told = Client().post(f"{page}remarks/", {"language": "es-MX", "kind": "delivery", "at": "2", "line": line, "sound": guide})
    assert told.status_code == 201
    remark, = call("owner", "get", f"{place}remarks/").json()
    # It was said in English, whatever the page's language is.
    assert remark["heard_in"] == "en"
    assert error_rate("There. Eleven years old, and she has read the whole manual.", remark["heard"], "en") < 0.3
    assert remark["heard"] in call("owner", "get", f"{place}remarks.csv").content.decode("utf-8-sig")
    assert any(remark["heard"] in said for row in call("owner", "get", f"{place}editions/es-MX/quality/").json()["lines"]
               for said in row["said"])


def test_what_was_understood_just_now_is_not_saved_over(place: str, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    """A worker writes what it heard of a spoken remark while somebody answers it."""
    page = opened(link(call, place))
    assert say(page, {"language": "es-MX", "kind": "whole", "text": "Lovely."}).status_code == 201
    remark, = call("owner", "get", f"{place}remarks/").json()
    looked = links_api.RemarkChangeSerializer.is_valid

    def while_it_is_looked_at(self: Any, **more: Any) -> bool:
        Remark.objects.filter(pk=remark["id"]).update(heard="Lovely, and a little loud.", heard_in="en")
        return looked(self, **more)

    monkeypatch.setattr(links_api.RemarkChangeSerializer, "is_valid", while_it_is_looked_at)
    assert call("owner", "patch", f"{place}remarks/{remark['id']}/", {"answer": "Thank you."}).status_code == 200
    after, = call("owner", "get", f"{place}remarks/").json()
    assert (after["answer"], after["heard"], after["heard_in"], after["answered_by"]) == ("Thank you.", "Lovely, and a little loud.", "en", "owner")


@pytest.mark.parametrize("how", ["expired", "withdrawn", "deleted production", "another signature", "nothing"])
def test_a_link_that_leads_nowhere_tells_nothing(how: str, place: str, call: Call, production: Production) -> None:
    told = link(call, place)
    page = opened(told)
    if how == "expired":
        ReviewLink.objects.update(expires=timezone.now() - timedelta(seconds=1))
    elif how == "withdrawn":
        assert call("owner", "patch", f"{place}links/{told['id']}/", {"withdrawn": True}).json()["open"] is False
    elif how == "deleted production":
        assert call("owner", "delete", place).status_code < 300
    elif how == "another signature":
        page = page[:-3] + ("xy/" if not page.endswith("xy/") else "yx/")
    else:
        page = "/api/review/nothing/"
    for path in ("", "editions/es-MX/", "editions/es-MX/mix.wav", "editions/es-MX/captions.vtt", "source/sound.flac"):
        answer = Client().get(f"{page}{path}")
        assert answer.status_code == 404
        assert "Ferry" not in answer.content.decode()
    assert say(page, {"language": "es-MX", "kind": "fine"}).status_code == 404
    assert not Remark.objects.exists()


def test_nothing_else_is_behind_a_link(place: str, call: Call, production: Production) -> None:
    told = link(call, place)
    page, nobody = opened(told), Client()
    assert nobody.get(f"{page}editions/fr-FR/").status_code == 404
    assert nobody.get(f"{page}editions/en-GB/mix.wav").status_code == 404
    assert nobody.get(f"{page}editions/es-MX/track.mp3").status_code == 404, "it was not said that it may be kept"
    assert say(page, {"language": "fr-FR", "kind": "fine"}).status_code == 404
    for path in ("", "links/", "remarks/", "parcels/", "editions/es-MX/"):
        assert nobody.get(f"{place}{path}").status_code == 401
    # Who listens only says nothing, and sees nothing of what others said.
    heard = opened(link(call, place, purpose="listen", download=True))
    assert say(heard, {"language": "es-MX", "kind": "fine"}).status_code == 403
    assert nobody.put(f"{heard}editions/es-MX/approval/", {"approved": True}, content_type="application/json").status_code == 403
    say(page, {"language": "es-MX", "kind": "sound", "text": "quiet"})
    assert nobody.get(f"{heard}editions/es-MX/").json()["remarks"] == []
    assert nobody.get(f"{opened(link(call, place, name='Other'))}editions/es-MX/").json()["remarks"] == []
    assert content(nobody.get(f"{heard}editions/es-MX/track.mp3"))[:3] in (b"ID3", b"\xff\xfb\x94", b"\xff\xfb\x90")
    other = Remark.objects.get()
    assert nobody.delete(f"{heard}remarks/{other.pk}/").status_code == 404
    for who, status in (("stranger", 404), ("reader", 403), ("editor", 200)):
        assert call(who, "get", f"{place}links/").status_code == status
        assert call(who, "get", f"{place}links/{told['id']}/code.svg").status_code == status


def test_ten_thousand_guesses_find_nothing(place: str, call: Call) -> None:
    page = opened(link(call, place))
    good = page.split("/")[3]
    nonce, _, signature = good.partition("~")
    client, seen = Client(), set()
    for number in range(10_000):
        guess = (f"{secrets.token_urlsafe(24)}~{signature}", f"{nonce}~{secrets.token_urlsafe(32)}",
                 secrets.token_urlsafe(40))[number % 3]
        seen.add(client.get(f"/api/review/{guess}/").status_code)
        if number == 200:
            # From here on nobody even looks.
            assert client.get(f"/api/review/{guess}/").status_code == 429
    assert seen <= {404, 429}
    assert ReviewLink.objects.get().opened is None


def test_a_passphrase_is_asked_for_and_not_guessed(place: str, call: Call) -> None:
    page = opened(link(call, place, passphrase="low water"))
    client = Client()
    about = client.get(page).json()
    assert (about["locked"], about["production"], about["editions"]) == (True, "", [])
    assert client.get(f"{page}editions/es-MX/").status_code == 403
    assert client.get(f"{page}editions/es-MX/mix.wav").status_code == 403

    def try_(text: str) -> int:
        return int(client.post(page, {"passphrase": text}, content_type="application/json").status_code)

    assert try_("high water") == 403
    assert try_("low water") == 204
    assert client.get(f"{page}editions/es-MX/").status_code == 200
    assert Client().get(f"{page}editions/es-MX/").status_code == 403, "on another machine it is asked for again"
    assert 429 in [try_(f"guess {number}") for number in range(15)]


def test_a_link_is_for_an_edition_that_is_there(place: str, call: Call) -> None:
    answer = call("owner", "post", f"{place}links/", {"name": "x", "languages": ["xx-XX"]})
    assert answer.status_code == 400
    code = call("owner", "get", f"{place}links/{link(call, place)['id']}/code.svg")
    assert code.status_code == 200 and b"<svg" in code.content


def test_what_was_opened_is_what_is_heard_and_approved_whatever_is_mixed_since(place: str, call: Call, production: Production) -> None:
    page, nobody = opened(link(call, place)), Client()
    first = nobody.get(f"{page}editions/es-MX/").json()["recipe"]
    heard = content(nobody.get(f"{page}editions/es-MX/heard.m4a?of={first}"))
    call("owner", "patch", place, {"target_lufs": -20})
    call("owner", "post", f"{edition_path(production)}mixes/", {})
    newest = nobody.get(f"{page}editions/es-MX/").json()
    assert newest["recipe"] != first
    assert content(nobody.get(f"{page}editions/es-MX/heard.m4a?of={first}")) == heard
    assert content(nobody.get(f"{page}editions/es-MX/heard.m4a?of={newest['recipe']}")) != heard
    answer = nobody.put(f"{page}editions/es-MX/approval/", {"approved": True, "recipe": first}, content_type="application/json").json()
    assert (answer["approved"], answer["approved_recipe"]) == (False, first), "a yes to what was heard is none to what was not"


def test_words_that_are_newer_than_a_proposal_are_not_written_over_in_silence(place: str, call: Call, production: Production) -> None:
    page = opened(link(call, place))
    first = Client().get(f"{page}editions/es-MX/").json()["lines"][0]
    remark = say(page, {"language": "es-MX", "line": first["id"], "kind": "words", "proposed": "Ya cambia la marea."}).json()["id"]
    path = edition_path(production)
    revision = call("owner", "get", path).json()["lines"][0]["revision"]
    call("owner", "put", f"{path}wordings/{first['id']}/", {"text": "La marea cambió.", "revision": revision})
    refused = call("editor", "post", f"{place}remarks/{remark}/taking/", {})
    assert (refused.status_code, "La marea cambió." in refused.json()["message"]) == (409, True)
    assert call("owner", "get", path).json()["lines"][0]["words"] == "La marea cambió."
    assert call("editor", "post", f"{place}remarks/{remark}/taking/", {"anyway": True}).json()["state"] == "taken"
    assert call("owner", "get", path).json()["lines"][0]["words"] == "Ya cambia la marea."


def test_a_line_that_is_gone_takes_no_remark_and_no_proposal_with_it(place: str, call: Call, production: Production) -> None:
    page = opened(link(call, place))
    line = Client().get(f"{page}editions/es-MX/").json()["lines"][0]["id"]
    remark = say(page, {"language": "es-MX", "line": line, "kind": "words", "proposed": "Otra."}).json()["id"]
    Line.objects.filter(pk=line).delete()
    refused = say(page, {"language": "es-MX", "line": line, "kind": "timing", "text": "Late."})
    assert (refused.status_code, "not there any more" in refused.json()["message"]) == (400, True)
    taken = call("editor", "post", f"{place}remarks/{remark}/taking/", {})
    assert (taken.status_code, "gone" in taken.json()["message"]) == (400, True)


def test_what_somebody_has_answered_stays_when_the_line_is_fine(place: str, call: Call) -> None:
    page = opened(link(call, place))
    line = Client().get(f"{page}editions/es-MX/").json()["lines"][0]["id"]
    kept = say(page, {"language": "es-MX", "line": line, "kind": "timing", "text": "Late."}).json()["id"]
    say(page, {"language": "es-MX", "line": line, "kind": "sound", "text": "A hum."})
    call("editor", "patch", f"{place}remarks/{kept}/", {"answer": "By half a second, and on purpose."})
    say(page, {"language": "es-MX", "line": line, "kind": "fine"})
    assert sorted(Remark.objects.values_list("kind", flat=True)) == ["fine", "timing"]
