"""Where things are kept: the same in a folder and in a bucket; how they are served; what goes when nothing needs it."""

from __future__ import annotations

import json
import logging
import os
import threading
import urllib.request
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command
from django.test import RequestFactory
from django.utils import timezone

from janoglot.core.store import FolderStore, Store, StoreFull
from janoglot.productions import keeping
from janoglot.productions.keeping import NoRoom, require_room, tidy, undoable_media
from janoglot.productions.models import ActionRecord, Media, Production
from janoglot.server import storage
from janoglot.server.object_store import ObjectStore, StoreAway
from tests.server.conftest import Call, content, edition_path, handed
from tests.server.test_making import cast_and_voice
from tests.server.test_media import bring, played

BUCKET = "harbour"
Write = Callable[[str, bytes], Path]


@pytest.fixture(scope="session")
def object_storage() -> Iterator[str]:
    """The address of an object storage on this machine, with a bucket in it."""
    import boto3
    from moto.server import ThreadedMotoServer

    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    address = f"http://{host}:{port}"
    with pytest.MonkeyPatch.context() as patch:
        for name, value in CREDENTIALS.items():
            patch.setenv(name, value)
        boto3.client("s3", endpoint_url=address).create_bucket(Bucket=BUCKET)
    yield address
    server.stop()


CREDENTIALS = {"AWS_ACCESS_KEY_ID": "harbour", "AWS_SECRET_ACCESS_KEY": "only-for-tests", "AWS_DEFAULT_REGION": "us-east-1"}


@pytest.fixture(params=["folder", "bucket"])
def kept_in(request: pytest.FixtureRequest, settings: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    """Everything that is made is kept there, one after the other."""
    where: str = request.param
    if where == "bucket":
        for name, value in CREDENTIALS.items():
            monkeypatch.setenv(name, value)
        settings.STORE_ENDPOINT = request.getfixturevalue("object_storage")
        # Each test has its own part of the bucket.
        settings.STORE_BUCKET, settings.STORE_PREFIX = BUCKET, tmp_path.name
    storage.forget_stores()
    return where


@pytest.fixture
def store(kept_in: str) -> Store:
    return storage.takes()


def put(store: Store, key: str, data: bytes) -> Path:
    return store.write(key, lambda place: place.write_bytes(data) and None)


class TestAStore:
    def test_keeps_what_is_written_and_lets_it_go(self, store: Store) -> None:
        assert not store.has("ab12.wav")
        assert put(store, "ab12.wav", b"tide").read_bytes() == b"tide"
        assert store.has("ab12.wav")
        assert (store.size("ab12.wav"), store.path("ab12.wav").read_bytes()) == (4, b"tide")
        assert [(kept.key, kept.size) for kept in store.all()] == [("ab12.wav", 4)]
        store.remove("ab12.wav")
        store.remove("ab12.wav")
        assert not store.has("ab12.wav")
        assert list(store.all()) == []

    @pytest.mark.parametrize("ask", ["path", "size", "blocks"])
    def test_says_what_is_not_there(self, store: Store, ask: str) -> None:
        with pytest.raises(FileNotFoundError):
            getattr(store, ask)("ab12.wav", *((0, 1) if ask == "blocks" else ()))

    @pytest.mark.parametrize(("first", "last"), [(0, 9), (3, 5), (9, 9), (0, 0)])
    def test_gives_just_the_bytes_that_are_asked_for(self, store: Store, first: int, last: int) -> None:
        put(store, "ab12.wav", b"0123456789")
        assert b"".join(store.blocks("ab12.wav", first, last)) == b"0123456789"[first:last + 1]

    def test_keeps_nothing_of_what_was_written_by_half(self, store: Store) -> None:
        def broken(place: Path) -> None:
            place.write_bytes(b"half")
            raise RuntimeError("the pen broke")

        with pytest.raises(RuntimeError):
            store.write("ab12.wav", broken)
        assert not store.has("ab12.wav")
        assert list(store.all()) == []

    def test_says_that_the_disk_is_full(self, store: Store) -> None:
        def full(place: Path) -> None:
            raise OSError(28, "No space left on device")

        with pytest.raises(StoreFull):
            store.write("ab12.wav", full)


class TestABucket:
    @pytest.fixture
    def bucket(self, object_storage: str, settings: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Callable[[str], ObjectStore]:
        for name, value in CREDENTIALS.items():
            monkeypatch.setenv(name, value)
        settings.STORE_ENDPOINT = object_storage
        storage.forget_stores()
        return lambda name: ObjectStore(storage._client(), BUCKET, tmp_path.name, FolderStore(tmp_path / name))

    def test_is_one_for_many_machines(self, bucket: Callable[[str], ObjectStore]) -> None:
        here, there = bucket("here"), bucket("there")
        put(here, "ab12.wav", b"tide")
        assert there.path("ab12.wav").read_bytes() == b"tide"
        here.remove("ab12.wav")
        assert not there.has("ab12.wav"), "a file near by is no reason to say that it is kept"

    def test_is_let_go_of_near_by_what_was_used_longest_ago(self, bucket: Callable[[str], ObjectStore], monkeypatch: pytest.MonkeyPatch) -> None:
        here = bucket("here")
        for number, key in enumerate(("aa11.wav", "bb22.wav", "cc33.wav")):
            place = put(here, key, b"x" * 10)
            os.utime(place, (1_000 + number, 1_000 + number))
        here.path("aa11.wav")
        assert here.trim(20) == 10
        assert {kept.key for kept in here.near.all()} == {"aa11.wav", "cc33.wav"}
        assert here.path("bb22.wav").read_bytes() == b"x" * 10, "and fetched again"

    def test_that_is_away_is_said(self, tmp_path: Path, settings: Any, monkeypatch: pytest.MonkeyPatch) -> None:
        for name, value in CREDENTIALS.items():
            monkeypatch.setenv(name, value)
        settings.STORE_ENDPOINT = "http://127.0.0.1:9"
        storage.forget_stores()
        away = ObjectStore(storage._client(), BUCKET, "", FolderStore(tmp_path))
        for ask in (lambda: away.has("ab12.wav"), lambda: put(away, "ab12.wav", b"tide")):
            with pytest.raises(StoreAway, match="cannot be reached"):
                ask()
        assert not away.near.has("ab12.wav")


class TestServing:
    def asked(self, store: Store, **headers: str) -> Any:
        request = RequestFactory().get("/", headers=headers)
        return storage.serve(request, store, "ab12.wav", "Flut.wav")

    def test_one_range(self, store: Store) -> None:
        put(store, "ab12.wav", b"0123456789")
        for asked, status, body in (("bytes=2-4", 206, b"234"), ("bytes=7-", 206, b"789"), ("bytes=-2", 206, b"89"), ("bytes=8-99", 206, b"89"),
                                    ("bytes=10-", 416, b""), ("bytes=5-2", 416, b""), ("lines=1-2", 200, b"0123456789"), ("bytes=-", 200, b"0123456789")):
            answer = self.asked(store, Range=asked)
            assert (answer.status_code, content(answer)) == (status, body), asked
        part = self.asked(store, Range="bytes=2-4")
        assert (part["Content-Range"], part["Content-Length"], part["Accept-Ranges"]) == ("bytes 2-4/10", "3", "bytes")
        assert self.asked(store, Range="bytes=2-4", **{"If-Range": '"other"'}).status_code == 200
        assert self.asked(store, **{"If-None-Match": '"ab12"'}).status_code == 304

    def test_what_is_not_there(self, store: Store) -> None:
        with pytest.raises(FileNotFoundError):
            self.asked(store)

    def test_a_download(self, store: Store, kept_in: str) -> None:
        """From the folder by us; from a bucket by a link that is signed, where ranges are served too."""
        put(store, "ab12.wav", b"0123456789")
        answer = storage.serve(RequestFactory().get("/"), store, "ab12.wav", "Flut für.wav", download=True)
        if kept_in == "folder":
            assert (answer.status_code, content(answer)) == (200, b"0123456789")
            assert "attachment" in answer["Content-Disposition"]
            return
        assert answer.status_code == 302
        request = urllib.request.Request(answer["Location"], headers={"Range": "bytes=2-4"})
        with urllib.request.urlopen(request, timeout=5) as told:
            assert (told.status, told.read()) == (206, b"234")
        with urllib.request.urlopen(answer["Location"], timeout=5) as told:
            assert told.headers["Content-Disposition"] == storage.content_disposition("attachment", "Flut für.wav")
        assert storage.serve(RequestFactory().head("/"), store, "ab12.wav", "Flut.wav", download=True)["Content-Length"] == "10"

    def test_by_the_web_server_that_stands_before(self, settings: Any, tmp_path: Path) -> None:
        settings.ACCEL = "/kept/"
        storage.forget_stores()
        put(storage.takes(), "ab12.wav", b"0123456789")
        answer = self.asked(storage.takes())
        assert (answer["X-Accel-Redirect"], content(answer), answer["Content-Type"]) == ("/kept/takes/ab/ab12.wav", b"", "audio/wav")


def test_the_whole_way_from_words_to_files(kept_in: str, production: Production, call: Call) -> None:
    path = cast_and_voice(call, production)
    call("owner", "post", f"{path}mixes/", {})
    recipe = call("owner", "get", f"{path}mixes/").json()["recipe"]
    sound = call("reader", "get", f"{path}mixes/{recipe}/sound.wav", headers={"Range": "bytes=0-3"})
    assert (sound.status_code, content(sound)) == (206, b"RIFF")
    answer = handed(call, path, "clips.zip", sketch=True)
    assert answer.status_code == (200 if kept_in == "folder" else 302), answer
    media = f"/api/productions/{production.pk}/media/"
    bring(call, media)
    assert played(call, media)["state"] == "ready"


class TestWhatNothingNeeds:
    @pytest.fixture(autouse=True)
    def at_once(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(keeping, "_GRACE", 0.0)

    def files(self) -> set[str]:
        return {kept.key.partition(".")[0][:4] for kept in storage.media().all()}

    def test_what_a_production_has_or_undo_brings_back_stays(self, kept_in: str, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/media/"
        own = bring(call, path)["id"]
        stem = Media.objects.get().stem[:4]
        put(storage.media(), "zz99-sound.flac", b"nobody's")
        told = {one.store: one for one in tidy(really=False)}
        assert (told["media"].files, told["media"].size, told["media"].kept_for_undo) == (1, 8, 0)
        assert self.files() == {stem, "zz99"}, "nothing is deleted by only saying so"
        call("editor", "delete", f"{path}{own}/")
        told = {one.store: one for one in tidy()}
        assert told["media"].kept_for_undo > 60_000
        assert self.files() == {stem}
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert played(call, path)["state"] == "ready"
        # Brought in, taken back, and something else done since: nothing can bring that back.
        assert call("editor", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
        tidy()
        assert self.files() == {stem}, "redo would"
        call("editor", "patch", f"/api/productions/{production.pk}/", {"name": "Later"})
        tidy()
        assert self.files() == set()

    def test_what_went_long_ago_is_undone_no_more_and_goes(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/media/"
        own = bring(call, path)["id"]
        call("editor", "delete", f"{path}{own}/")
        call("editor", "patch", f"/api/productions/{production.pk}/", {"name": "Later"})
        assert len(undoable_media()) == 1
        ActionRecord.objects.update(at=timezone.now() - timedelta(days=31))
        assert sum(one.files for one in tidy()) == 3
        assert undoable_media() == []
        history = call("editor", "get", f"/api/productions/{production.pk}/history/").json()
        assert "take_out_source_media" in json.dumps(history), "what was done is told as before"
        # Undo passes over it.
        for _ in range(1):
            assert call("editor", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
        production.refresh_from_db()
        assert production.name == "The Night Ferry"
        assert not Media.objects.exists()

    def test_what_is_so_new_that_it_may_be_on_its_way_stays(self, production: Production, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(keeping, "_GRACE", 3600.0)
        put(storage.media(), "zz99.wav", b"coming")
        assert all(one.files == 0 for one in tidy())
        assert self.files() == {"zz99"}

    def test_sounds_of_takes_stay_and_those_of_none_go(self, production: Production, call: Call) -> None:
        cast_and_voice(call, production)
        before = {kept.key for kept in storage.takes().all()}
        for key in ("zz99.wav", "zz99.peaks", "yy88.json"):
            put(storage.takes(), key, b"x")
        put(storage.takes(), "xx77.wav", b"lately")
        before.add("xx77.wav")
        for kept in storage.takes().all():
            if kept.key != "xx77.wav":
                os.utime(storage.takes().path(kept.key), (1_000, 1_000))
        tidy()
        assert {kept.key for kept in storage.takes().all()} == before | {"yy88.json"}, "measures are no sounds"
        assert {line["state"] for line in call("owner", "get", edition_path(production)).json()["lines"]} == {"current"}

    def test_what_was_handed_over_goes_after_a_week_and_is_made_again(self, production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
        path = f"/api/productions/{production.pk}/"
        first = content(handed(call, path, "script.csv"))
        tidy()
        assert len(list(storage.handed().all())) == 1
        monkeypatch.setattr(keeping, "_TAKEN_AWAY", -1.0)
        tidy()
        assert list(storage.handed().all()) == []
        told = call("owner", "get", f"{path}files/").json()
        assert [(one["file"], one["state"], one["by"]) for one in told] == [("script.csv", "absent", "owner")]
        gone = call("owner", "get", f"{path}files/{told[0]['id']}/content")
        assert (gone.status_code, "ask for it again" in gone.json()["message"]) == (400, True)
        assert content(handed(call, path, "script.csv")) == first

    def test_the_command_says_it_and_deletes_only_when_told(self, production: Production, capsys: pytest.CaptureFixture[str]) -> None:
        put(storage.media(), "zz99.wav", b"x" * 2048)
        call_command("tidy")
        told = capsys.readouterr().out
        assert "recordings and their copies: hold 2.0 KB; would free 2.0 KB in 1 file" in told
        assert "With --really it is." in told
        assert self.files() == {"zz99"}
        call_command("tidy", "--really", "--json")
        assert json.loads(capsys.readouterr().out)[2]["size"] == 2048
        assert self.files() == set()


class TestTheQuota:
    def test_what_is_there_counts_once_for_each_file(self, production: Production, call: Call, settings: Any) -> None:
        path = f"/api/productions/{production.pk}/media/"
        bring(call, path)
        bring(call, path)
        size = Media.objects.first().size  # type: ignore[union-attr]
        settings.MEDIA_QUOTA = 2 * size
        require_room(production, size)
        with pytest.raises(NoRoom, match="Take one out first"):
            require_room(production, size + 1)

    def test_what_only_undo_holds_makes_room_the_oldest_first(self, production: Production, call: Call, settings: Any) -> None:
        path = f"/api/productions/{production.pk}/media/"
        for seconds in (2.0, 3.0):
            call("editor", "delete", f"{path}{bring(call, path, seconds=seconds)['id']}/")
        sizes = [keeping._size(key) for one in undoable_media() for key in one.keys]
        settings.MEDIA_QUOTA = sum(sizes) + 10
        require_room(production, 10)
        assert len(undoable_media()) == 2
        require_room(production, 11)
        assert [keeping._size(key) for one in undoable_media() for key in one.keys] == sizes[1:]


def test_many_at_once_write_the_same(store: Store) -> None:
    """Two machines that make the same thing: whoever is last changes nothing."""
    threads = [threading.Thread(target=put, args=(store, "ab12.wav", b"tide" * 1000)) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert store.path("ab12.wav").read_bytes() == b"tide" * 1000
    assert len(list(store.all())) == 1
