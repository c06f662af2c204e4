"""Sounds of somebody's library are theirs: by no way into a production does a number make them anybody else's."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import soundfile
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.productions.models import LibrarySound, Membership, Production, Role, SoundWorld
from janoglot.productions.sounds_in_plans import kept_in, without_foreign_sounds
from tests.server.conftest import Call, user


@pytest.fixture
def bell(production: Production, call: Call) -> int:
    """A sound that the owner brought in; the editor is a member of one of the owner's productions, the stranger of none."""
    file = io.BytesIO()
    soundfile.write(file, (0.2 * np.sin(np.arange(96_000) / 20)).astype(np.float32), 48_000, format="WAV")
    answer = call("owner", "post", "/api/library/sounds/", {"file": SimpleUploadedFile("bell.wav", file.getvalue()), "kind": "effects"},
                  format="multipart")
    assert answer.status_code == 202, answer.content
    number: int = answer.json()["sound"]["kept"]
    return number


def cue(kept: Any, name: str = "x") -> dict[str, Any]:
    return {"id": name, "layer": "effects", "sound": {"kept": kept}, "at": {"seconds": 0}}


LAYERS = [{"name": "effects", "kind": "effects", "level_db": -8, "pan": 0, "mute": False, "duck": {"amount_db": 0, "lead": 0, "hold": 1, "release": 1}}]
MADE = {"id": "x", "layer": "effects", "sound": {"made": "big bell"}, "at": {"seconds": 0}}


def own_production(call: Call, who: str) -> int:
    draft = call(who, "post", "/api/imports/", {"text": "speaker,en-GB\nPilot,Hello.\n"}).json()["draft"]
    number: int = call(who, "post", f"/api/imports/{draft}/production/", {"name": "Mine"}).json()["id"]
    return number


def brought_in(call: Call, who: str, sounds: dict[str, Any]) -> Any:
    """In our own format, which anybody can write."""
    mine = own_production(call, who)
    answer = call(who, "post", f"/api/productions/{mine}/files/", {"file": "script.json"}).json()
    script = json.loads(b"".join(call(who, "get", f"/api/productions/{mine}/files/{answer['id']}/content").streaming_content))
    text = json.dumps({**script, "sounds": sounds})
    draft = call(who, "post", "/api/imports/", {"file": SimpleUploadedFile("mine.json", text.encode())}, format="multipart").json()["draft"]
    return call(who, "post", f"/api/imports/{draft}/production/", {"name": "Theirs"})


def put(call: Call, who: str, sounds: dict[str, Any]) -> Any:
    return call(who, "put", f"/api/productions/{own_production(call, who)}/sounds/", sounds)


WAYS: dict[str, Callable[[Call, str, int], Any]] = {
    "brought in": lambda call, who, kept: brought_in(call, who, {"layers": LAYERS, "cues": [cue(kept)]}),
    "brought in over an edition": lambda call, who, kept: brought_in(
        call, who, {"layers": LAYERS, "cues": [MADE], "editions": {"en-GB": {"cues": {"x": {"sound": {"kept": kept}}}}}}),
    "put": lambda call, who, kept: put(call, who, {"layers": LAYERS, "cues": [cue(kept)]}),
    "put over an edition": lambda call, who, kept: put(
        call, who, {"layers": LAYERS, "cues": [MADE], "editions": {"en-GB": {"cues": {"x": {"sound": {"kept": kept}}}}}}),
    "put over an edition that is none": lambda call, who, kept: put(
        call, who, {"layers": LAYERS, "cues": [MADE], "editions": {"fr-FR": {"cues": {"x": {"sound": {"kept": kept}}}}}}),
}


def hears(call: Call, who: str | None, kept: int) -> int:
    source = json.dumps({"kept": kept})
    status: int = call(who, "get", f"/api/sounds/whole.flac?source={source}").status_code
    return status


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("who", ["stranger", "editor"])
def test_a_number_makes_nobodys_sound_ones_own(way: str, who: str, bell: int, call: Call) -> None:
    answer = WAYS[way](call, who, bell)
    assert answer.status_code < 500
    worlds = SoundWorld.objects.filter(production__memberships__user__username=who, production__memberships__role=Role.OWNER)
    assert not any(kept_in(world.plan) for world in worlds)
    assert hears(call, who, bell) == 400
    assert [row["name"] for row in call(who, "get", "/api/library/sounds/").json() if row["origin"] == "brought in"] == []
    assert hears(call, None, bell) == 401


@pytest.mark.parametrize("way", WAYS)
def test_ones_own_lies_wherever_one_puts_it(way: str, bell: int, call: Call) -> None:
    answer = WAYS[way](call, "owner", bell)
    assert answer.status_code < 300, answer.content
    assert any(kept_in(world.plan) == {bell} for world in SoundWorld.objects.all())
    assert hears(call, "owner", bell) == 200


def test_what_lies_in_a_production_is_its_members_to_hear_and_to_copy(bell: int, production: Production, call: Call) -> None:
    assert call("owner", "put", f"/api/productions/{production.pk}/sounds/", {"layers": LAYERS, "cues": [cue(bell)]}).status_code == 200
    assert [hears(call, who, bell) for who in ("owner", "editor", "reader", "stranger", None)] == [200, 200, 200, 400, 401]
    copy = call("editor", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Copy"})
    assert copy.status_code == 201, copy.content
    assert kept_in(SoundWorld.objects.get(production=copy.json()["id"]).plan) == {bell}
    assert hears(call, "stranger", bell) == 400
    # Who left has it no more, but for the copy that is theirs.
    user("later")
    Membership.objects.create(production=production, user=User.objects.get(username="later"), role=Role.READER)
    assert hears(call, "later", bell) == 200
    Membership.objects.filter(user__username="later").delete()
    assert hears(call, "later", bell) == 400


@pytest.mark.parametrize("told", [True, 1.0, "1", [1], {"kept": 1}, -1, 10**30])
def test_what_is_no_number_of_a_sound_is_refused(told: Any, production: Production, call: Call) -> None:
    LibrarySound.objects.create(pk=1, owner=User.objects.get(username="stranger"), name="x", kind="effects", key="x.flac", seconds=1, lufs=-20,
                                true_peak_db=-1)
    answer = call("editor", "put", f"/api/productions/{production.pk}/sounds/", {"layers": LAYERS, "cues": [cue(told)]})
    assert answer.status_code == 400, answer.content
    assert call("editor", "get", f"/api/sounds/whole.flac?source={json.dumps({'kept': told})}").status_code == 400


def test_cues_that_may_not_be_are_left_out_and_the_rest_stays(bell: int) -> None:
    told = {"layers": LAYERS, "cues": [cue(bell, "a"), MADE], "editions": {"en-GB": {"cues": {"a": {"gain_db": 3}, "x": {"sound": {"kept": bell}}}}}}
    kept, count = without_foreign_sounds(User.objects.get(username="stranger"), told)
    assert (count, kept["cues"], kept["editions"]) == (2, [MADE], {"en-GB": {"cues": {}}})
    assert without_foreign_sounds(User.objects.get(username="owner"), told) == (told, 0)
