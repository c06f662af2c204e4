"""Files that are not as they were written: noticed, made again where they can be, and named where not."""

from __future__ import annotations

import json
import os
import time
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command
from django.utils import timezone

from janoglot.core.store import FolderStore
from janoglot.productions import keeping
from janoglot.productions.actions.delete_production import purge_deleted
from janoglot.productions.damage import damaged
from janoglot.productions.keeping import tidy
from janoglot.productions.models import LineRecording, Production, Speaker, Take
from janoglot.server import storage
from tests.server.conftest import Call, content, edition_path, handed, lines
from tests.server.test_empty_recordings import line_of
from tests.server.test_making import cast_and_voice
from tests.server.test_media import bring, played


def cut_off(place: Path) -> None:
    """As a full disk, or a failing one, leaves a file."""
    with place.open("r+b") as file:
        file.truncate(place.stat().st_size // 2)


def spoil(place: Path) -> None:
    """A byte in its middle is another."""
    at = place.stat().st_size // 2
    with place.open("r+b") as file:
        file.seek(at)
        byte = file.read(1)
        file.seek(at)
        file.write(bytes([byte[0] ^ 0x55]))


def mixed(call: Call, path: str) -> tuple[str, bytes]:
    recipe = call("owner", "post", f"{path}mixes/", {}).json()["recipe"]
    assert call("owner", "get", f"{path}mixes/").json()["state"] == "ready"
    return recipe, content(call("owner", "get", f"{path}mixes/{recipe}/sound.wav"))


class TestAStore:
    def test_what_was_cut_off_is_not_there(self, tmp_path: Path) -> None:
        one, other = FolderStore(tmp_path), FolderStore(tmp_path)
        place = one.write("abcd.wav", lambda half: _bytes(half, b"x" * 1000))
        assert one.has("abcd.wav") and other.has("abcd.wav") and other.is_whole("abcd.wav")
        cut_off(place)
        for store in (one, other):
            assert not store.has("abcd.wav")
            for ask in (store.path, store.size, lambda key, store=store: list(store.blocks(key, 0, 9))):
                with pytest.raises(FileNotFoundError):
                    ask("abcd.wav")
        one.write("abcd.wav", lambda half: _bytes(half, b"another length"))
        assert one.size("abcd.wav") == other.size("abcd.wav") == 14, "what others have written is known, too"
        spoil(place)
        assert one.has("abcd.wav") and one.is_whole("abcd.wav") is False

    def test_what_nobody_noted_is_taken_as_it_is(self, tmp_path: Path) -> None:
        (tmp_path / "ab").mkdir()
        _bytes(tmp_path / "ab" / "abcd.wav", b"of an older version")
        store = FolderStore(tmp_path)
        assert store.has("abcd.wav") and store.is_whole("abcd.wav") is None
        (tmp_path / "ab" / ".sums").write_bytes(b"abcd.wav nonsense\n\xff\xfe\nabcd.wav 1\nabcd.wav 5 zzzzzzzz\n")
        assert store.has("abcd.wav")

    def test_what_was_noted_of_files_that_are_gone_is_forgotten(self, tmp_path: Path) -> None:
        store = FolderStore(tmp_path)
        for name in ("ab01.wav", "ab02.wav"):
            store.write(name, lambda half: _bytes(half, b"x" * 10))
        store.remove("ab01.wav")
        store.forget_sums()
        assert (tmp_path / "ab" / ".sums").read_text().split()[0] == "ab02.wav"
        assert store.is_whole("ab02.wav")

    def test_bytes_are_on_the_disk_before_the_name_and_of_what_lasts_the_name_too(self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        done: list[str] = []
        sync, replace = os.fsync, os.replace
        monkeypatch.setenv("JANOGLOT_SYNC", "1")
        monkeypatch.setattr(os, "fsync", lambda opened: done.append(Path(os.readlink(f"/proc/self/fd/{opened}")).name[:6]) or sync(opened))
        monkeypatch.setattr(os, "replace", lambda old, new: done.append("named") or replace(old, new))
        FolderStore(tmp_path).write("abcd.wav", lambda half: _bytes(half, b"x"))
        assert done == [".half-", "named"]
        done.clear()
        FolderStore(tmp_path, lasting=True).write("abce.wav", lambda half: _bytes(half, b"x"))
        assert done == [".half-", "named", "ab"]


def _bytes(place: Path, data: bytes) -> None:
    place.write_bytes(data)


class TestMadeAgain:
    @pytest.mark.parametrize("hurt", [cut_off, lambda place: place.unlink()], ids=["cut off", "gone"])
    def test_a_block_of_a_mix(self, hurt: Any, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        recipe, before = mixed(call, path)
        blocks = [kept.key for kept in storage.mixes().all() if kept.key.endswith(".f32")]
        hurt(storage.mixes().path(max(blocks, key=storage.mixes().size)))
        assert call("owner", "get", f"{path}mixes/").json()["state"] == "absent"
        assert call("owner", "get", f"{path}mixes/{recipe}/sound.wav").status_code == 404
        assert mixed(call, path) == (recipe, before)

    @pytest.mark.parametrize("ending", [".mix", ".plan", ".wav"])
    def test_what_a_mix_is_read_from(self, ending: str, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        recipe, before = mixed(call, path)
        for store in (storage.mixes(), storage.takes()):
            for kept in list(store.all()):
                if kept.key.endswith((ending, ".f32", ".facts")):
                    cut_off(store.path(kept.key))
        assert mixed(call, path) == (recipe, before)

    def test_a_take_that_is_listened_to(self, production: Production, call: Call) -> None:
        path, line = cast_and_voice(call, production), line_of(production).pk
        heard = lambda: call("owner", "get", f"{path}lines/{line}/take.wav")  # noqa: E731
        before = content(heard())
        for kept in list(storage.takes().all()):
            if kept.key.endswith(".wav"):
                cut_off(storage.takes().path(kept.key))
        assert heard().status_code == 404
        call("owner", "post", f"{path}voicings/", {})
        assert content(heard()) == before

    def test_a_copy_of_a_recording(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/media/"
        bring(call, path)
        copies = [kept.key for kept in storage.media().all() if "sound" in kept.key]
        assert copies
        cut_off(storage.media().path(copies[0]))
        assert played(call, path)["state"] != "ready"
        (found,) = damaged()
        assert (found.store, found.what, found.again) == ("media", "cut off", True)

    def test_what_is_handed_over(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/"
        first = content(handed(call, path, "script.csv"))
        (kept,) = storage.handed().all()
        cut_off(storage.handed().path(kept.key))
        assert content(handed(call, path, "script.csv")) == first


class TestTheCheck:
    def test_says_what_is_changed_and_has_it_made_again(self, production: Production, call: Call, capsys: pytest.CaptureFixture[str]) -> None:
        path = cast_and_voice(call, production)
        recipe, before = mixed(call, path)
        call_command("check_files")
        assert "Everything is as it was written." in capsys.readouterr().out
        block = max((kept for kept in storage.mixes().all() if kept.key.endswith(".f32")), key=lambda kept: kept.size)
        spoil(storage.mixes().path(block.key))
        call_command("check_files", "--only-say", "--json")
        (told,) = json.loads(capsys.readouterr().out)
        assert (told["store"], told["key"], told["what"], told["again"]) == ("mixes", block.key, "changed", True)
        assert storage.mixes().has(block.key), "nothing is taken out by only saying so"
        call_command("check_files")
        assert "1 damaged: 1 made again when wanted, 0 to be brought in again." in capsys.readouterr().out
        assert mixed(call, path) == (recipe, before)

    def test_names_what_has_to_be_brought_in_again(self, production: Production, call: Call, capsys: pytest.CaptureFixture[str]) -> None:
        path = f"/api/productions/{production.pk}/media/"
        bring(call, path)
        original = played(call, path)
        (key,) = production.media.values_list("key", flat=True)
        spoil(storage.media().path(key))
        with pytest.raises(SystemExit):
            call_command("check_files")
        told = capsys.readouterr().out
        assert original["name"] in told and "The Night Ferry" in told and "Bring it in again" in told
        assert storage.media().has(key), "what cannot be made is left for whoever can mend it"
        storage.media().remove(key)
        with pytest.raises(SystemExit):
            call_command("check_files")
        assert "is gone" in capsys.readouterr().out


class TestWhatIsFreed:
    @pytest.fixture(autouse=True)
    def at_once(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(keeping, "_GRACE", 0.0)

    def age(self) -> None:
        """All of it was made long ago."""
        Take.objects.update(made=timezone.now() - timedelta(days=400))
        for name in storage.STORES:
            store = storage.store_named(name)
            for kept in list(store.all()):
                os.utime(store.path(kept.key), (1_000, 1_000))

    def sounds(self) -> list[str]:
        return [kept.key for name in ("takes", "mixes") for kept in storage.store_named(name).all() if not kept.key.endswith(".json")]

    def test_a_production_that_was_let_go_takes_its_sound_with_it(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        mixed(call, path)
        self.age()
        tidy()
        assert Take.objects.exists() and any(key.endswith(".f32") for key in self.sounds()), "what is in use stays"
        assert call("owner", "get", f"{path}mixes/").json()["state"] == "ready"
        call("owner", "delete", f"/api/productions/{production.pk}/")
        tidy()
        assert Take.objects.exists(), "it can be brought back"
        Production.objects.update(deleted=timezone.now() - timedelta(days=31))
        assert purge_deleted() == 1
        told = {one.store: one for one in tidy(really=False)}
        assert told["takes"].files > 0 and told["mixes"].files > 0
        tidy()
        assert not Take.objects.exists() and self.sounds() == []

    def test_takes_that_nothing_has_for_long_go_and_are_made_again(self, production: Production, call: Call) -> None:
        path, line = cast_and_voice(call, production), lines(call, production)[0]
        call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "Otra cosa.", "revision": line["revision"]})
        call("owner", "post", f"{path}voicings/", {})
        made = Take.objects.count()
        tidy()
        assert Take.objects.count() == made, "undo leads back to it"
        self.age()
        tidy()
        assert Take.objects.count() == made - 1
        assert {one["state"] for one in lines(call, production)} == {"current"}
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert sorted(one["state"] for one in lines(call, production)) == ["current", "current", "out_of_date"]
        call("owner", "post", f"{path}voicings/", {})
        assert {one["state"] for one in lines(call, production)} == {"current"}

    @pytest.mark.parametrize("rich", [True, False])
    def test_a_sound_that_is_damaged_is_wanted_again(self, rich: bool, production: Production, call: Call) -> None:
        path = edition_path(production)
        for speaker, voice in zip(Speaker.objects.filter(production=production), ("azor", "abubilla"), strict=True):
            call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice} if not rich else {})
        call("owner", "post", f"{path}castings/", {})
        call("owner", "post", f"{path}voicings/", {})
        assert {one["state"] for one in lines(call, production)} == {"current"}
        before = sorted((kept.key, kept.size) for kept in storage.takes().all() if kept.key.endswith(".wav"))
        hurt = before[0][0]
        spoil(storage.takes().path(hurt))
        assert [one.key for one in damaged()] == [hurt]
        assert sorted(one["state"] for one in lines(call, production)).count("current") == (3 if rich else 2)
        call("owner", "post", f"{path}voicings/", {})
        assert {one["state"] for one in lines(call, production)} == {"current"} and damaged() == []
        assert sorted((kept.key, kept.size) for kept in storage.takes().all() if kept.key.endswith(".wav")) == before

    def test_what_a_killed_process_left(self, production: Production) -> None:
        store = storage.takes()
        assert isinstance(store, FolderStore)
        store.write("abcd.json", lambda half: _bytes(half, b"{}"))
        folder = store.root / "ab"
        _bytes(folder / ".half-99-1.wav", b"x" * 500)
        (folder / "tmpabc").mkdir()
        _bytes(folder / "tmpabc" / "inner.wav", b"x" * 700)
        _bytes(store.root / "tmpxyz", b"x" * 300)
        told = {one.store: one for one in tidy(really=False)}["takes"]
        assert (told.files, told.size) == (3, 1500)
        tidy()
        assert sorted(place.name for place in folder.iterdir()) == [".sums", "abcd.json"] and not (store.root / "tmpxyz").exists()

    def test_what_a_reviewer_took_back(self, production: Production) -> None:
        _write = storage.handed().write
        _write("abcd.remark.flac", lambda half: _bytes(half, b"said"))
        _write("parcel-999999.orders", lambda half: _bytes(half, b"{}"))
        os.utime(storage.handed().path("abcd.remark.flac"), (time.time() - 60,) * 2)
        tidy()
        assert [kept.key for kept in storage.handed().all()] == []
        assert LineRecording.objects.count() == 0
