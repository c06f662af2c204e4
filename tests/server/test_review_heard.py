"""What reviewers hear, which lines of it they are asked about, and what their yes is worth."""

from __future__ import annotations

import io
import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from janoglot.mix.models import Mix
from janoglot.productions import jobs
from janoglot.productions.keeping import unneeded
from janoglot.productions.models import Job, Line, Production
from janoglot.review.models import Remark, ReviewLink
from janoglot.review.streams import stream_key
from janoglot.server.storage import handed
from tests.server.conftest import Call, content, edition_path
from tests.server.test_review import fresh_counts, link, opened, place, say

__all__ = ["fresh_counts", "place"]


def probed(data: bytes, folder: Path) -> dict[str, Any]:
    file = folder / "heard.m4a"
    file.write_bytes(data)
    told: dict[str, Any] = json.loads(subprocess.run(
        ["ffprobe", "-v", "error", "-show_format", "-show_streams", "-of", "json", str(file)], capture_output=True, check=True).stdout)
    return told


def test_what_is_heard_is_small_and_begins_at_once(place: str, call: Call, tmp_path: Path) -> None:
    page = opened(link(call, place))
    edition = Client().get(f"{page}editions/es-MX/").json()
    assert edition["sound"] == "heard.m4a"
    data = content(Client().get(f"{page}editions/es-MX/heard.m4a?of={edition['recipe']}"))
    told = probed(data, tmp_path)
    assert told["streams"][0]["codec_name"] == "aac" and int(told["format"]["bit_rate"]) <= 80_000
    assert float(told["format"]["duration"]) == pytest.approx(edition["seconds"], abs=0.1)
    assert data.index(b"moov") < data.index(b"mdat"), "its index comes first"
    assert Client().get(f"{page}editions/es-MX/mix.wav").status_code == 404, "the master is for who may keep it"


def test_a_line_is_heard_alone_in_a_few_kilobytes(place: str, call: Call, tmp_path: Path) -> None:
    page = opened(link(call, place))
    edition = Client().get(f"{page}editions/es-MX/").json()
    small = tmp_path / "small.m4a"
    small.write_bytes(content(Client().get(f"{page}editions/es-MX/heard.m4a")))
    for line in edition["lines"]:
        answer = Client().get(f"{page}editions/es-MX/lines/{line['id']}.aac?of={edition['recipe']}")
        assert answer.status_code == 200 and len(answer.content) < 12_000 * (line["end"] - line["start"]) + 3_000
        alone = tmp_path / "alone.aac"
        alone.write_bytes(answer.content)
        heard, whole = (decoded(file) for file in (alone, small))
        wanted = whole[round(line["start"] * 48_000): round(line["end"] * 48_000)]
        # A decoder gives a frame or two more on either side.
        lag = int(np.argmax(np.correlate(heard, wanted[4_800:24_000], "valid"))) - 4_800
        assert -100 <= lag <= 3 * 1024, lag
        assert len(heard) >= len(wanted)
    assert Client().get(f"{page}editions/es-MX/lines/987654.aac").status_code == 404


def decoded(file: Path) -> Any:
    done = subprocess.run(["ffmpeg", "-v", "error", "-i", str(file), "-f", "f32le", "-ac", "1", "-ar", "48000", "-"], capture_output=True, check=True)
    return np.frombuffer(done.stdout, "<f4")


def test_until_it_is_made_the_whole_is_heard(place: str, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as no_worker:
        no_worker.setattr(jobs, "hand_out", lambda *_, **__: None)
        page = opened(link(call, place))
    assert Client().get(f"{page}editions/es-MX/").json()["sound"] == "mix.wav"
    assert content(Client().get(f"{page}editions/es-MX/mix.wav"))[:4] == b"RIFF"
    assert Client().get(f"{page}editions/es-MX/heard.m4a").status_code == 404


def test_it_is_made_with_every_mix_that_a_link_opens_and_kept_as_long(place: str, call: Call, production: Production) -> None:
    french = edition_path(production, "fr-FR")
    told = link(call, place)
    call("owner", "patch", place, {"target_lufs": -20})
    call("owner", "post", f"{edition_path(production)}mixes/", {})
    newest = Mix.objects.filter(edition__language="es-MX").first()
    assert newest is not None and handed().has(stream_key(newest))
    for path in ("castings/", "voicings/", "mixes/"):
        call("owner", "post", f"{french}{path}", {})
    other = Mix.objects.filter(edition__language="fr-FR").first()
    assert other is not None and not handed().has(stream_key(other)), "no link opens it"
    assert stream_key(newest) not in {kept.key for _, kept in unneeded()}
    call("owner", "patch", f"{place}links/{told['id']}/", {"withdrawn": True})
    assert stream_key(newest) in {kept.key for _, kept in unneeded()}


def test_a_file_to_keep_is_made_by_a_worker_alone(place: str, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as patch:
        patch.setattr(jobs, "hand_out", lambda *_, **__: None)
        page = opened(link(call, place, purpose="listen", download=True))
        told = Client().get(f"{page}editions/es-MX/").json()
        assert told["recipe"] and told["track"] is False
        assert Client().get(f"{page}editions/es-MX/track.mp3").status_code == 404
    for job in Job.objects.filter(kind="stream", state="running"):
        jobs.begin(job)
    assert Client().get(f"{page}editions/es-MX/").json()["track"] is True
    assert content(Client().get(f"{page}editions/es-MX/track.mp3"))[:3] in (b"ID3", b"\xff\xfb\x94", b"\xff\xfb\x90")
    # Where none may be kept none is told of, though it is there.
    assert Client().get(f"{opened(link(call, place))}editions/es-MX/").json()["track"] is False


def test_a_link_to_some_lines_asks_about_these_alone(place: str, call: Call) -> None:
    lines = list(Line.objects.values_list("id", flat=True))
    page = opened(link(call, place, lines=lines[1:2]))
    assert [one["id"] for one in Client().get(f"{page}editions/es-MX/").json()["lines"]] == lines[1:2]
    assert say(page, {"language": "es-MX", "line": lines[1], "kind": "fine"}).status_code == 201
    refused = say(page, {"language": "es-MX", "line": lines[0], "kind": "timing", "text": "Late."})
    assert (refused.status_code, refused.json()["code"]) == (400, "line_gone")
    assert call("owner", "post", f"{place}links/", {"name": "x", "languages": ["es-MX"], "lines": [987_654]}).status_code == 400


def points(call: Call, place: str) -> dict[str, list[int]]:
    package = {"name": "x", "items": [{"kind": "wordings"}]}
    row, = call("owner", "post", f"{place}standing/", {"package": package, "languages": ["es-MX"]}).json()
    return {one["code"]: one["lines"] for one in row["points"]}


def test_a_yes_counts_for_the_lines_that_it_was_given_to(place: str, call: Call, production: Production) -> None:
    lines = list(Line.objects.filter(production=production).values_list("id", flat=True))
    assert points(call, place)["not_approved"] == lines
    page = opened(link(call, place, lines=lines[:2]))
    recipe = Client().get(f"{page}editions/es-MX/").json()["recipe"]
    Client().put(f"{page}editions/es-MX/approval/", {"approved": True, "recipe": recipe}, content_type="application/json")
    assert points(call, place)["not_approved"] == lines[2:]
    # Of words that are others by now it says nothing.
    call("owner", "put", f"{edition_path(production)}wordings/{lines[0]}/", {"text": "Otra cosa.", "revision": 1})
    assert points(call, place)["not_approved"] == [lines[0], lines[2]]


def test_what_was_approved_and_is_otherwise_since_is_told_line_by_line(place: str, call: Call, production: Production) -> None:
    lines = list(Line.objects.filter(production=production).values_list("id", flat=True))
    page = opened(link(call, place))
    recipe = Client().get(f"{page}editions/es-MX/").json()["recipe"]
    Client().put(f"{page}editions/es-MX/approval/", {"approved": True, "recipe": recipe}, content_type="application/json")

    def told() -> tuple[list[str], list[dict[str, Any]]]:
        one, = call("owner", "get", f"{place}links/").json()
        return one["approved"], one["changed"]

    assert told() == (["es-MX"], [])
    # A sound under all of it, and no line is otherwise; then one that is louder by a little.
    call("owner", "put", f"{place}sounds/", {"layers": [], "cues": [{"layer": "effects", "sound": {"made": "a bell"}, "at": {"seconds": 1}}]})
    assert told() == (["es-MX"], [{"language": "es-MX", "lines": []}])
    call("owner", "put", f"{edition_path(production)}lines/{lines[1]}/direction/", {"marks_added": [{"kind": "level", "word": 0, "amount": 2.0}], "marks_removed": []})
    assert told() == (["es-MX"], [{"language": "es-MX", "lines": [lines[1]]}])


def test_a_link_like_another_asks_for_the_same_passphrase(place: str, call: Call) -> None:
    call("owner", "post", f"{place}links/", {"name": "x", "languages": ["es-MX"], "passphrase": "low tide"})
    first, = call("owner", "get", f"{place}links/").json()
    made = call("owner", "post", f"{place}links/", {"name": "x", "languages": ["es-MX"], "like": first["id"]}).json()
    assert made["passphrase"] is True
    page = opened(made)
    assert Client().get(page).json()["locked"] is True
    assert Client().post(page, {"passphrase": "low tide"}, content_type="application/json").status_code < 300
    assert call("owner", "post", f"{place}links/", {"name": "x", "languages": ["es-MX"], "like": 987_654}).status_code == 400


def test_what_is_said_of_the_whole_is_no_matter_of_the_sound(place: str, call: Call) -> None:
    page = opened(link(call, place))
    assert say(page, {"language": "es-MX", "kind": "whole", "text": "Lovely."}).status_code == 201
    remark, = call("owner", "get", f"{place}remarks/").json()
    assert (remark["kind"], remark["stage"], remark["line"]) == ("whole", "", None)


@pytest.mark.parametrize(("given", "typed"), [(" low water ", "low water"), ("low water", " low water ")])
def test_spaces_around_a_passphrase_count_for_nothing(given: str, typed: str, place: str, call: Call) -> None:
    page = opened(link(call, place, passphrase=given))
    assert Client().post(page, {"passphrase": typed}, content_type="application/json").status_code == 204


def test_nothing_is_heard_in_silence(place: str, call: Call, django_capture_on_commit_callbacks: Any) -> None:
    page = opened(link(call, place))
    made = io.BytesIO()
    soundfile.write(made, 1e-4 * np.random.default_rng(1).standard_normal(72_000), 24_000, format="WAV")
    with django_capture_on_commit_callbacks(execute=True):
        Client().post(f"{page}remarks/", {"language": "es-MX", "kind": "delivery", "at": "2",
                                          "sound": SimpleUploadedFile("said.wav", made.getvalue())})
    remark = Remark.objects.get()
    assert (remark.heard, remark.unreadable) == ("", False)


def test_a_page_is_in_japanese_too(place: str, call: Call) -> None:
    assert Client().get(opened(link(call, place, interface="ja"))).json()["interface"] == "ja"
    assert ReviewLink.objects.get().interface == "ja"


def test_how_much_of_it_is_sketches_is_told(place: str, call: Call) -> None:
    assert Client().get(f"{opened(link(call, place))}editions/es-MX/").json()["sketches"] == 3


def test_what_the_page_of_a_link_asks_for_first_comes_with_it(tmp_path: Path, settings: Any) -> None:
    settings.WEB_DIST = tmp_path
    for name in ("index.html", "review.html"):
        (tmp_path / name).write_text(f"<!doctype html><title>{name}</title>")
    hinted = {path: Client().get(path).headers.get("Link") for path in ("/review/ab-c_D~1", "/listen/ab", "/review/a%22b", "/review/", "/", "/productions/1/en/mix")}
    assert hinted == {"/review/ab-c_D~1": "</api/review/ab-c_D~1/>; rel=preload; as=fetch; crossorigin",
                      "/listen/ab": "</api/review/ab/>; rel=preload; as=fetch; crossorigin",
                      "/review/a%22b": None, "/review/": None, "/": None, "/productions/1/en/mix": None}
