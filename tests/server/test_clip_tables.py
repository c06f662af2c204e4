"""Templates by the interface for programs: values brought in, a clip for each row, and only what is new is made."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import pytest
import soundfile
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from openpyxl import Workbook

from janoglot.core.script.formats import read_script
from janoglot.direct import clip_making
from janoglot.productions.actions.create_production import create_production
from janoglot.productions.actions.duplicate import duplicate_production
from janoglot.productions.models import ClipTable, Edition, Line, Production, Speaker, Wording
from janoglot.productions.taking_out import production_script
from tests.server.conftest import Call, content, edition_path, handed, lines

TABLE = "clip;time;weekday;weekday es-MX\nmonday;7:15;Monday;lunes\ntuesday;8:05;Tuesday;martes\nnoon;12:00;Friday;\n"


@pytest.fixture
def template(production: Production, call: Call) -> tuple[str, str, int]:
    """The path of the Spanish edition and of the table, and the line, whose speakers are cast with light voices."""
    line = Line.objects.filter(production=production).first()
    assert line is not None
    for language, words in (("en-GB", "High water at {time} on {weekday}."), ("es-MX", "El {weekday}, pleamar a las {time}.")):
        Wording.objects.filter(line=line, edition__language=language).update(text=words)
        for speaker, voice in zip(Speaker.objects.filter(production=production), ("azor", "abubilla"), strict=False):
            call("owner", "put", f"{edition_path(production, language)}castings/{speaker.pk}/", {"voice": voice})
    return edition_path(production), f"/api/productions/{production.pk}/lines/{line.pk}/table/", line.pk


def bring(call: Call, table: str, data: bytes = TABLE.encode(), name: str = "tides.csv", query: str = "", who: str = "owner") -> Any:
    return call(who, "post", f"{table}brought/{query}", {"file": SimpleUploadedFile(name, data)}, format="multipart")


def clips(call: Call, path: str, line: int) -> dict[str, Any]:
    found: dict[str, Any] = call("owner", "get", f"{path}lines/{line}/clips/").json()
    return found


def test_a_line_is_a_template_once_it_has_a_table_and_is_no_part_of_the_track(call: Call, production: Production, template: tuple[str, str, int]) -> None:
    path, table, line = template
    before = clips(call, path, line)
    assert before["slots"] == ["weekday", "time"] and before["table"] is None and before["clips"] == []
    assert bring(call, table).status_code == 200
    told = clips(call, path, line)
    assert [(one["name"], one["words"], one["missing"], one["made"]) for one in told["clips"]] == [
        ("monday", "El lunes, pleamar a las 7:15.", [], False), ("tuesday", "El martes, pleamar a las 8:05.", [], False),
        ("noon", "El Friday, pleamar a las 12:00.", [], False)]
    assert told["table"]["columns"] == ["time", "weekday", "weekday es-mx"] and told["table"]["reference"] == "monday"
    assert [one["state"] for one in lines(call, production)] == ["template", "unvoiced", "unvoiced"]
    assert call("owner", "get", path).json()["edition"]["counts"]["template"] == 1
    call("owner", "post", f"{path}voicings/", {})
    assert [one["state"] for one in lines(call, production)] == ["template", "current", "current"]
    assert call("owner", "post", f"{path}mixes/", {}).json()["recipe"] != ""


def test_only_new_rows_are_made_and_all_are_handed_over(call: Call, production: Production, template: tuple[str, str, int], monkeypatch: pytest.MonkeyPatch) -> None:
    path, table, line = template
    bring(call, table)
    made: list[str] = []
    speak = clip_making.kept_take
    monkeypatch.setattr(clip_making, "kept_take", lambda recipe, store: made.append(recipe.words) or speak(recipe, store))
    assert handed(call, path, "template-clips.zip").status_code == 400
    assert call("editor", "post", f"{path}lines/{line}/clips/").status_code == 202
    assert len(made) == 3 and all(one["made"] and one["seconds"] > 0.5 for one in clips(call, path, line)["clips"])
    bring(call, table, b"clip,time,weekday\nnight,23:40,Sunday\n")
    assert [one["made"] for one in clips(call, path, line)["clips"]] == [True, True, True, False]
    call("owner", "post", f"{path}lines/{line}/clips/")
    assert len(made) == 4 and "23:40" in made[3]
    assert call("owner", "post", f"{path}lines/{line}/clips/").status_code == 400, "there is nothing left to make"
    with zipfile.ZipFile(io.BytesIO(content(handed(call, path, "template-clips.zip")))) as archive:
        assert archive.namelist() == [f"001/{name}_es-MX.wav" for name in ("monday", "tuesday", "noon", "night")]
        info = soundfile.info(io.BytesIO(archive.read("001/night_es-MX.wav")))
        assert info.samplerate == 48_000 and info.duration > 0.5
    sound = call("reader", "get", f"{path}lines/{line}/clips/night.wav")
    assert sound.status_code == 200 and content(sound)[:4] == b"RIFF"
    assert call("owner", "get", f"{path}lines/{line}/clips/nobody.wav").status_code == 404
    # Another wording makes all of them anew; undo has them back as they are.
    wording = Wording.objects.get(line=line, edition__language="es-MX")
    call("owner", "put", f"{path}wordings/{line}/", {"text": "Pleamar: {time}, {weekday}.", "revision": wording.revision})
    assert not any(one["made"] for one in clips(call, path, line)["clips"])
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert all(one["made"] for one in clips(call, path, line)["clips"])


def test_a_package_of_prompts_has_templates_clips_at_its_rate_and_loudness_a_folder_for_each_codec(call: Call, template: tuple[str, str, int]) -> None:
    path, table, line = template
    bring(call, table)
    call("owner", "post", f"{path}lines/{line}/clips/")
    call("owner", "post", f"{path}voicings/", {})
    call("owner", "post", f"{path}mixes/", {})
    production = path.partition("editions/")[0]
    package = next(one for one in call("owner", "get", "/api/packages/").json()["packages"] if one["name"] == "phone prompts")
    answer = call("owner", "post", f"{production}parcels/", {"package": {name: package[name] for name in ("name", "items")}, "languages": ["es-MX"], "reason": "a test"})
    told = call("owner", "get", f"{production}parcels/{answer.json()['id']}/").json()
    assert told["state"] == "ready", told["fault"]
    with zipfile.ZipFile(io.BytesIO(content(call("reader", "get", f"{production}parcels/{told['id']}/content")))) as archive:
        found = {name: soundfile.info(io.BytesIO(archive.read(name))) for name in archive.namelist() if name.endswith(".wav")}
    assert {name.split("/")[1] for name in found} == {"ulaw", "wav16"}
    for name, info in found.items():
        assert (info.samplerate, info.subtype, info.channels) == ((8_000, "ULAW", 1) if "/ulaw/" in name else (16_000, "PCM_16", 1))
    prompts = [name for name in found if "monday" in name or "noon" in name]
    assert prompts == ["es-MX/ulaw/001_monday_es-MX.wav", "es-MX/ulaw/001_noon_es-MX.wav", "es-MX/wav16/001_monday_es-MX.wav", "es-MX/wav16/001_noon_es-MX.wav"]
    for row in told["files"]:
        if row["item"] == "templates' clips" and row["report"]["seconds"] > 1.5:
            assert row["report"]["lufs"] == pytest.approx(-18, abs=0.5), row


def test_values_are_typed_read_as_what_they_are_and_one_row_is_the_measure(call: Call, template: tuple[str, str, int]) -> None:
    path, table, line = template
    rows = [{"name": "a", "time": "7:15", "weekday": "lunes"}, {"time": "8:30", "weekday": ""}]
    told = call("owner", "put", table, {"rows": rows, "kinds": {"time": "time"}}).json()
    assert told["rows"] == [{"name": "a", "time": "7:15", "weekday": "lunes"}, {"name": "8-30", "time": "8:30"}]
    assert told["kinds"] == {"time": "time"} and clips(call, path, line)["clips"][1]["missing"] == ["weekday"]
    assert call("owner", "put", table, {"reference": "8-30"}).json()["reference"] == "8-30"
    assert call("owner", "put", table, {"reference": "zz"}).status_code == 400
    assert call("owner", "put", table, {"kinds": {"time": "alias"}}).status_code == 400
    assert call("reader", "put", table, {"rows": rows}).status_code == 403
    assert call("owner", "delete", table).status_code == 204 and not ClipTable.objects.exists()
    call("owner", "post", f"/api/productions/{path.split('/')[3]}/undo/", {})
    assert ClipTable.objects.get().core.reference.name == "8-30"


def test_from_a_spreadsheet_with_real_times(call: Call, template: tuple[str, str, int]) -> None:
    import datetime

    _, table, _ = template
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["Name", "Time", "Weekday"], ["one", datetime.time(7, 5), "lunes"], ["two", datetime.time(22, 40), 3.0]):
        sheet.append(row)
    data = io.BytesIO()
    book.save(data)
    told = bring(call, table, data.getvalue(), "tides.xlsx").json()
    assert told["rows"] == [{"name": "one", "time": "7:05", "weekday": "lunes"}, {"name": "two", "time": "22:40", "weekday": "3"}]


@pytest.mark.parametrize("data", [b"", b"time\n", b"colour,size\nred,4\n", b"PK\x03\x04xx", b"\x00\x01\x02" * 50])
def test_what_is_no_table_of_values_is_refused(call: Call, template: tuple[str, str, int], data: bytes) -> None:
    assert bring(call, template[1], data).status_code == 400 and not ClipTable.objects.exists()


def test_it_goes_out_with_the_production_and_comes_in_again(call: Call, production: Production, template: tuple[str, str, int]) -> None:
    bring(call, template[1])
    data = content(handed(call, f"/api/productions/{production.pk}/", "script.json"))
    owner = User.objects.get(username="owner")
    again = create_production(owner, "Again", read_script(data, "x.json"), "en-GB")
    assert production_script(again).lines[0].clips == production_script(production).lines[0].clips is not None
    duplicate_production(owner, production, "Twice")
    assert ClipTable.objects.count() == 3


def test_an_edition_with_nobody_cast_says_so(call: Call, production: Production, template: tuple[str, str, int]) -> None:
    _, table, line = template
    bring(call, table)
    french = edition_path(production, "fr-FR")
    Wording.objects.filter(line=line, edition=Edition.objects.get(production=production, language="fr-FR")).update(text="À {time}, {weekday}.")
    told = clips(call, french, line)
    assert told["cast"] is False and told["clips"] == []
    assert call("owner", "post", f"{french}lines/{line}/clips/").status_code == 400


def test_a_cell_is_changed_where_it_is_and_nothing_beside_it(call: Call, template: tuple[str, str, int]) -> None:
    _, table, _ = template
    bring(call, table)
    put = lambda **change: call("editor", "put", table, change)  # noqa: E731
    assert put(cells=[{"row": "monday", "column": "time", "value": "7:30"}]).status_code == 200
    told = put(kinds={"time": "time"}).json()
    assert told["kinds"] == {"time": "time"} and told["rows"][0]["time"] == "7:30" and told["rows"][0]["weekday es-mx"] == "lunes"
    told = put(kinds={"weekday": "date"}, add=[{"name": "monday", "time": "9"}], remove=["noon", "gone already"]).json()
    assert told["kinds"] == {"time": "time", "weekday": "date"}
    assert [row["name"] for row in told["rows"]] == ["monday", "tuesday", "monday-2"]
    told = put(cells=[{"row": "tuesday", "column": "name", "value": "the second"}], reference="the-second").json()
    assert [row["name"] for row in told["rows"]] == ["monday", "the-second", "monday-2"] and told["reference"] == "the-second"
    refused = put(cells=[{"row": "tuesday", "column": "time", "value": "1"}])
    assert refused.status_code == 400 and "tuesday" in refused.json()["message"]
    assert put(kinds={"time": ""}).json()["kinds"] == {"weekday": "date"}
    assert put(rows=[{"name": "only"}]).json()["rows"] == [{"name": "only"}], "all of them anew"
