"""Packages over the interface: what stands in their way, how they are made, and that nothing is made twice."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from dataclasses import replace
from typing import Any

import pytest

from janoglot.core.errors import BadInput
from janoglot.deliver import packing
from janoglot.deliver.models import Parcel
from janoglot.productions import jobs
from janoglot.productions.models import Production
from janoglot.server.storage import handed, takes
from tests.server.conftest import Call, content, edition_path
from tests.server.conftest import handed as taken

COPY = {"name": "a copy", "items": [{"kind": "track", "choices": {"codec": "flac"}},
                                    {"kind": "captions", "choices": {"format": "vtt"}}]}
SHEETS = {"name": "sheets", "items": [{"kind": "wordings", "choices": {"format": "csv"}}]}


@pytest.fixture
def voiced(production: Production, call: Call) -> str:
    """The Spanish edition with its takes; the production's address."""
    path = edition_path(production)
    call("owner", "post", f"{path}castings/", {})
    call("owner", "post", f"{path}voicings/", {})
    return f"/api/productions/{production.pk}/"


def give(call: Call, place: str, package: Any, languages: list[str] | None = None, who: str = "owner", **more: Any) -> Any:
    return call(who, "post", f"{place}parcels/", {"package": package, "languages": languages or ["es-MX"],
                                                  "reason": "a first look", **more})


def archive(call: Call, place: str, told: Any) -> zipfile.ZipFile:
    answer = call("reader", "get", f"{place}parcels/{told['id']}/content")
    assert answer.status_code == 200, answer.content
    return zipfile.ZipFile(io.BytesIO(content(answer)))


def test_a_package_is_made_with_its_mix_and_tells_of_itself(voiced: str, call: Call) -> None:
    answer = give(call, voiced, COPY)
    assert answer.status_code == 202, answer.content
    told = call("owner", "get", f"{voiced}parcels/{answer.json()['id']}/").json()
    assert (told["state"], told["fault"], told["items"], told["made_new"]) == ("ready", "", 2, 2)
    assert told["editions"] == [{"language": "es-MX", "made": 2, "all": 2}]
    with archive(call, voiced, told) as made:
        manifest = json.loads(made.read("manifest.json"))
        assert [one["path"] for one in manifest["files"]] == [
            "es-MX/The-Night-Ferry_es-MX.flac", "es-MX/The-Night-Ferry_es-MX.vtt"]
        for one in manifest["files"]:
            assert hashlib.sha256(made.read(one["path"])).hexdigest() == one["sha256"]
        assert manifest["reason"] == "a first look"
        assert set(manifest["mixes"]) == {"es-MX"}
        assert manifest["files"][0]["report"]["lufs"] == pytest.approx(-16, abs=0.5)
    one = call("reader", "get", f"{voiced}parcels/{told['id']}/files/es-MX/The-Night-Ferry_es-MX.vtt")
    assert content(one).startswith(b"WEBVTT")
    with archive(call, voiced, told) as made:
        whole = made.read("es-MX/The-Night-Ferry_es-MX.flac")
    some = call("reader", "get", f"{voiced}parcels/{told['id']}/files/es-MX/The-Night-Ferry_es-MX.flac", HTTP_RANGE="bytes=1000-1999")
    assert (some.status_code, content(some)) == (206, whole[1000:2000])
    assert json.loads(content(call("reader", "get", f"{voiced}parcels/{told['id']}/files/manifest.json")))["files"]
    assert call("reader", "get", f"{voiced}parcels/{told['id']}/files/../secrets.json").status_code == 404


def test_what_is_open_asks_for_a_reason_and_what_cannot_be_is_refused(voiced: str, call: Call) -> None:
    standing = call("reader", "post", f"{voiced}standing/", {"package": COPY, "languages": ["es-MX", "fr-FR"]}).json()
    spanish, french = ({point["code"]: point for point in row["points"]} for row in standing)
    assert not spanish["not_approved"]["hard"]
    assert len(spanish["not_approved"]["lines"]) == 3
    assert any(point["hard"] for point in french.values())
    assert [row["state"] for row in standing[0]["items"]] == ["to make", "to make"]
    assert standing[0]["items"][0]["names"] == ["es-MX/The-Night-Ferry_es-MX.flac"]
    refused = call("owner", "post", f"{voiced}parcels/", {"package": COPY, "languages": ["es-MX"]})
    assert (refused.status_code, refused.json()["code"]) == (400, "not_ready")
    refused = give(call, voiced, COPY, ["fr-FR"])
    assert refused.status_code == 400
    assert not Parcel.objects.exists()
    give(call, voiced, COPY)
    standing = call("reader", "post", f"{voiced}standing/", {"package": COPY, "languages": ["es-MX"]}).json()
    assert [row["state"] for row in standing[0]["items"]] == ["ready", "ready"]


def test_only_what_changed_is_made_again(voiced: str, call: Call, production: Production) -> None:
    first = give(call, voiced, COPY).json()["id"]
    again = give(call, voiced, COPY).json()["id"]
    assert [call("owner", "get", f"{voiced}parcels/{one}/").json()["made_new"] for one in (first, again)] == [2, 0]
    line = production.lines.first()
    assert line
    call("owner", "put", f"{edition_path(production)}wordings/{line.pk}/", {"text": "La marea cambia ya.", "revision": 1})
    call("owner", "post", f"{edition_path(production)}voicings/", {})
    package = {"name": "both", "items": [*COPY["items"], {"kind": "script", "choices": {"format": "json"}},
                                         {"kind": "on-screen texts"}]}
    other = call("owner", "get", f"{voiced}parcels/{give(call, voiced, package).json()['id']}/").json()
    assert other["made_new"] == 4
    keys = {one.pk: {row["key"] for row in one.wanted} for one in Parcel.objects.all()}
    assert keys[first] == keys[again] and not keys[first] & keys[other["id"]]


def test_it_is_made_again_as_it_was(voiced: str, call: Call, production: Production) -> None:
    told = give(call, voiced, COPY).json()
    before = content(call("owner", "get", f"{voiced}parcels/{told['id']}/content"))
    parcel = Parcel.objects.get(pk=told["id"])
    line = production.lines.first()
    assert line
    call("owner", "put", f"{edition_path(production)}wordings/{line.pk}/", {"text": "Otra cosa.", "revision": 1})
    for key in [parcel.key, *(row["key"] for row in parcel.wanted)]:
        handed().remove(key)
    assert call("owner", "get", f"{voiced}parcels/{told['id']}/").json()["state"] == "gone"
    assert call("owner", "get", f"{voiced}parcels/{told['id']}/").json()["share"] == 0
    assert call("owner", "get", f"{voiced}parcels/{told['id']}/content").status_code == 400
    assert call("reader", "post", f"{voiced}parcels/{told['id']}/").status_code == 403
    call("owner", "post", f"{voiced}parcels/{told['id']}/")
    after = content(call("owner", "get", f"{voiced}parcels/{told['id']}/content"))
    rows = [json.loads(zipfile.ZipFile(io.BytesIO(data)).read("manifest.json"))["files"] for data in (before, after)]
    assert [one["sha256"] for one in rows[0]] == [one["sha256"] for one in rows[1]]


def test_a_mix_that_still_waits_is_made_by_whoever_packs(voiced: str, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    """No worker has got to the mix that was asked for first: the package does not wait for one."""
    def nobody(piece: jobs.Piece) -> None:
        raise jobs.Stopped

    monkeypatch.setattr(jobs, "_kinds", {**jobs._kinds, "mix": replace(jobs._kinds["mix"], work=nobody)})
    told = call("owner", "get", f"{voiced}parcels/{give(call, voiced, COPY).json()['id']}/").json()
    assert (told["state"], told["fault"], told["left"]) == ("ready", "", [])


def test_what_is_otherwise_since_is_told_line_by_line_and_handed_over_alone(voiced: str, call: Call, production: Production) -> None:
    both = {"name": "two", "items": [{"kind": "track", "choices": {"codec": "flac"}}, {"kind": "wordings", "choices": {"format": "csv"}}]}
    first = give(call, voiced, both).json()["id"]
    parcels = lambda: call("reader", "get", f"{voiced}parcels/").json()  # noqa: E731
    assert parcels()[0]["changed"] == []
    refused = give(call, voiced, both, than=first)
    assert (refused.status_code, "otherwise" in refused.json()["message"]) == (400, True)
    lines = [line.pk for line in production.lines.all()]
    path = edition_path(production)
    call("owner", "patch", f"{path}timing/lines/", {"lines": [lines[1]], "own": {"mode": "run"}})
    call("owner", "put", f"{path}lines/{lines[1]}/direction/", {"level_db": -3})
    assert parcels()[0]["changed"] == [{"language": "es-MX", "lines": [lines[1]]}]
    second = give(call, voiced, both, than=first).json()["id"]
    told = parcels()
    assert (told[0]["id"], told[0]["changed"], told[1]["changed"][0]["lines"]) == (second, [], [lines[1]])
    assert [file["item"] for file in told[0]["files"]] == ["track"], "its words are as they were"
    with archive(call, voiced, told[0]) as made:
        assert json.loads(made.read("manifest.json"))["only_changed_since"]
    # Words that nobody has voiced yet are otherwise, too.
    call("owner", "put", f"{path}wordings/{lines[0]}/", {"text": "Otra cosa.", "revision": 1})
    assert lines[0] in parcels()[0]["changed"][0]["lines"]


def test_what_is_gone_is_said_and_hands_over_nothing(voiced: str, call: Call) -> None:
    told = give(call, voiced, COPY).json()
    parcel = Parcel.objects.get(pk=told["id"])
    for key in [parcel.key, parcel.orders_key, *(row["key"] for row in parcel.wanted)]:
        handed().remove(key)
    for kept in list(takes().all()):
        takes().remove(kept.key)
    Parcel.objects.filter(pk=parcel.pk).update(wanted=parcel.wanted)
    call("owner", "post", f"{voiced}parcels/{told['id']}/")
    after = call("owner", "get", f"{voiced}parcels/{told['id']}/").json()
    assert after["state"] in ("failed", "ready")
    if after["state"] == "failed":
        assert after["fault"]


def test_packages_of_ones_own_are_kept_changed_and_deleted(production: Production, call: Call) -> None:
    told = call("editor", "get", "/api/packages/").json()
    assert [one["name"] for one in told["packages"]][:2] == ["listening copy", "broadcast file"]
    assert "track" in [one["kind"] for one in told["kinds"]]
    made = call("editor", "post", "/api/packages/", COPY)
    assert made.status_code == 201
    place = f"/api/packages/{made.json()['id']}/"
    assert call("editor", "post", "/api/packages/", COPY).status_code == 400
    assert call("editor", "post", "/api/packages/", {**COPY, "name": "listening copy"}).status_code == 400
    assert call("owner", "put", place, SHEETS).status_code == 404, "it is somebody else's"
    assert call("editor", "put", place, SHEETS).json()["name"] == "sheets"
    assert "sheets" in [one["name"] for one in call("editor", "get", "/api/packages/").json()["packages"]]
    assert call("editor", "delete", place).status_code == 204
    bad = {"name": "x", "items": [{"kind": "track", "choices": {"codec": "opus", "rate": 44_100}}]}
    assert "44100" in call("editor", "post", "/api/packages/", bad).json()["message"]


def test_sheets_need_no_sound(production: Production, call: Call) -> None:
    place = f"/api/productions/{production.pk}/"
    answer = give(call, place, SHEETS, ["fr-FR"])
    assert answer.status_code == 202, answer.content
    with archive(call, place, answer.json()) as made:
        assert "La marée tourne." in made.read("fr-FR/The-Night-Ferry_fr-FR_wordings.csv").decode()


def test_a_commercial_package_is_stopped_by_a_right_that_is_not_there(voiced: str, call: Call,
                                                                     production: Production) -> None:
    from janoglot.productions.models import Media

    Media.objects.create(production=production, key="ab.mp4", name="ferry.mp4", facts={
        "seconds": 9.0, "has_sound": True, "has_picture": True, "fps": 25.0, "width": 64, "height": 36, "container": "mp4"})
    ask = {"package": {**COPY, "commercial": True}, "languages": ["es-MX"]}
    codes = [point["code"] for point in call("owner", "post", f"{voiced}standing/", ask).json()[0]["points"]]
    assert "no_right" in codes
    rows = call("reader", "get", f"{edition_path(production)}rights/").json()
    assert [(row["what"], row["name"]) for row in rows if row["missing"]] == [("picture", "ferry.mp4")]
    note = {"what": "picture", "name": "ferry.mp4", "licence": "ours", "commercial": True, "consent": "letter 7", "until": "2099-01-01"}
    assert call("reader", "put", f"{edition_path(production)}rights/", note).status_code == 403
    rows = call("owner", "put", f"{edition_path(production)}rights/", note).json()
    assert not any(row["missing"] for row in rows)
    assert next(row for row in rows if row["what"] == "picture")["consent"] == "letter 7"
    codes = [point["code"] for point in call("owner", "post", f"{voiced}standing/", ask).json()[0]["points"]]
    assert "no_right" not in codes
    assert b"letter 7" in content(taken(call, edition_path(production), "rights.csv"))
    assert content(taken(call, edition_path(production), "rights.pdf")).startswith(b"%PDF")
    # A consent that has run out counts for nothing.
    rows = call("owner", "put", f"{edition_path(production)}rights/", {**note, "until": "2020-01-01"}).json()
    assert [row["name"] for row in rows if row["missing"]] == ["ferry.mp4"]


def test_the_quality_report_names_the_lines_to_look_at(voiced: str, call: Call, production: Production) -> None:
    from janoglot.editions.state import EditionState
    from janoglot.productions.models import HeardBack

    call("owner", "post", f"{edition_path(production)}mixes/", {})
    state = EditionState.load(production.editions.get(language="es-MX"))
    lines = [one.id for one in state.lines]
    for line, error in zip(lines, (0.0, 0.6, 0.02), strict=True):
        one = state.by_id[line][0]
        HeardBack.objects.create(key=state.finish_keys[line], take_id=one.wanted, language="es-MX",
                                 text="otra cosa" if error > 0.5 else one.words, error=error,
                                 otherwise=[[0, 8, "otra"]] if error else [], version="x")
    told = call("reader", "get", f"{edition_path(production)}quality/").json()
    assert told["worst"][0] == lines[1]
    bad = next(row for row in told["lines"] if row["id"] == lines[1])
    assert (bad["agrees"], bad["heard"]) == (0.4, "otra cosa")
    assert "heard" in bad["faults"]
    assert bad["back"], "what it means, in the source's language"
    figures = {one["name"]: one for one in told["figures"]}
    assert figures["lufs"]["kept"] is True
    assert figures["not_heard"]["found"] == 1
    assert figures["listened"]["found"] == 3
    # Who says that it is right as it sounds is believed, and named.
    call("editor", "put", f"{edition_path(production)}lines/{lines[1]}/heard/", {"right": True})
    after = next(row for row in call("reader", "get", f"{edition_path(production)}quality/").json()["lines"] if row["id"] == lines[1])
    assert (after["agrees"], after["right_by"], after["faults"]) == (1.0, "editor", [])
    call("editor", "put", f"{edition_path(production)}lines/{lines[1]}/heard/", {"right": False})
    # The same as files, by themselves.
    assert content(taken(call, edition_path(production), "quality.pdf")).startswith(b"%PDF")
    told = json.loads(content(taken(call, edition_path(production), "quality.json")))
    assert told["worst"][0] == lines[1]
    assert b"otra cosa" in content(taken(call, edition_path(production), "quality.csv"))
    assert taken(call, edition_path(production, "fr-FR"), "quality.pdf").status_code == 400
    # Of an edition of which nothing is voiced there is a report, too.
    french = call("reader", "get", f"{edition_path(production, 'fr-FR')}quality/").json()
    assert {one["name"]: one["kept"] for one in french["figures"]}["voiced"] is False


class TestWhatIsHandedOver:
    """It is what it was when it was asked for, and one item that cannot be had leaves the others."""

    def asked_and_held_up(self, call: Call, voiced: str, monkeypatch: pytest.MonkeyPatch, meanwhile: Any) -> Any:
        """Asked for while the workers have other things to do."""
        begun: list[Any] = []
        begin = packing.start_behind
        monkeypatch.setattr(packing, "start_behind", lambda *told, **more: begun.append((told, more)))
        answer = give(call, voiced, COPY)
        assert answer.status_code == 202, answer.content
        meanwhile()
        monkeypatch.setattr(packing, "start_behind", begin)
        for told, more in begun:
            begin(*told, **more)
        return call("owner", "get", f"{voiced}parcels/{answer.json()['id']}/").json()

    @pytest.mark.parametrize("mixed_before", [True, False])
    def test_a_colleague_moves_a_level_and_words_meanwhile(
            self, mixed_before: bool, voiced: str, call: Call, production: Production, monkeypatch: pytest.MonkeyPatch,
            django_capture_on_commit_callbacks: Any) -> None:
        path = edition_path(production)
        if mixed_before:
            call("owner", "post", f"{path}mixes/", {})
        recipe = call("owner", "get", path).json()["mix_recipe"]
        line = production.lines.first()
        assert line

        def meanwhile() -> None:
            assert call("editor", "patch", f"/api/productions/{production.pk}/", {"target_lufs": -20}).status_code == 200
            if mixed_before:
                call("editor", "put", f"{path}wordings/{line.pk}/", {"text": "Otra cosa.", "revision": 1})

        with django_capture_on_commit_callbacks(execute=True):
            told = self.asked_and_held_up(call, voiced, monkeypatch, meanwhile)
        told = call("owner", "get", f"{voiced}parcels/{told['id']}/").json()
        assert (told["state"], told["fault"], told["left"]) == ("ready", "", [])
        with archive(call, voiced, told) as made:
            manifest = json.loads(made.read("manifest.json"))
            assert manifest["mixes"] == {"es-MX": recipe}
            assert "Otra cosa" not in made.read("es-MX/The-Night-Ferry_es-MX.vtt").decode()
            assert manifest["files"][0]["report"]["lufs"] == pytest.approx(-16, abs=0.5)

    def test_what_is_not_here_is_left_out_and_told(self, voiced: str, call: Call) -> None:
        package = {"name": "all of it", "items": [{"kind": "hold list"}, {"kind": "picture"}, *COPY["items"], {"kind": "clips", "choices": {"codec": "mp3"}}]}
        told = give(call, voiced, package).json()
        told = call("owner", "get", f"{voiced}parcels/{told['id']}/").json()
        assert (told["state"], told["fault"]) == ("ready", "")
        assert [(one["item"], one["languages"]) for one in told["left"]] == [("hold list", ["es-MX"]), ("picture", ["es-MX"])]
        with archive(call, voiced, told) as made:
            assert [one["item"] for one in json.loads(made.read("manifest.json"))["left_out"]] == ["hold list", "picture"]

    def test_one_that_fails_while_it_is_made_leaves_the_others(self, voiced: str, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
        make = packing.make_wanted

        def fails(package: Any, one: Any, stores: Any, handed: Any) -> bool:
            if package.items[one.number].kind == "track":
                raise BadInput("It came out wrong.")
            return make(package, one, stores, handed)

        monkeypatch.setattr(packing, "make_wanted", fails)
        told = give(call, voiced, COPY).json()
        told = call("owner", "get", f"{voiced}parcels/{told['id']}/").json()
        assert (told["state"], [one["why"] for one in told["left"]]) == ("ready", ["It came out wrong."])
        with archive(call, voiced, told) as made:
            assert made.namelist() == ["es-MX/The-Night-Ferry_es-MX.vtt", "manifest.json"]

    def test_nothing_of_it_is_said_at_once(self, voiced: str, call: Call) -> None:
        call("owner", "post", f"{voiced}editions/es-MX/mixes/", {})
        refused = give(call, voiced, {"name": "held", "items": [{"kind": "hold list"}]})
        assert refused.status_code == 400 and "held" in refused.json()["message"]
        assert not Parcel.objects.exists()
