"""Handing over: a package of five editions of the demo from mixes that are ready, and two hours of picture with eight
dubs as tracks."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from bench.result import Result
from janoglot.launcher.services import die_with_parent

HOME = Path(__file__).resolve().parents[1]
LANGUAGES = ("es-MX", "fr-FR", "de-DE", "pt-BR", "hi-IN")
DUBS = ("es-MX", "fr-FR", "de-DE", "pt-BR", "it-IT", "nl-NL", "ca-ES", "hi-IN")


def listening_copies() -> tuple[float, float]:
    """Seconds until the package is there, its items made by as many workers as there are cores; and until it is there
    again with nothing changed."""
    from janoglot.core.deliver.package import PACKAGES, files_of_package, make_wanted, put_together, wanted_of
    from janoglot.core.dubbing import materials_of
    from janoglot.core.script.formats import read_script

    script = read_script((HOME / "demo" / "tidewater-clock.csv").read_bytes(), "tidewater-clock.csv")
    with tempfile.TemporaryDirectory() as folder:
        languages = [one for one in LANGUAGES if one in script.languages]
        materials, stores = materials_of(script, "en-GB", languages, {}, "The Tidewater Clock", Path(folder) / "store",
                                         quality="sketch")
        assert len(materials) == len(LANGUAGES)
        assert stores.handed is not None
        handed = stores.handed
        package = next(one for one in PACKAGES if one.name == "listening copy")
        took = []
        for number in range(2):
            began = time.perf_counter()
            wanted = wanted_of(package, materials)
            with ThreadPoolExecutor(os.cpu_count()) as pool:
                list(pool.map(lambda one: make_wanted(package, one, stores, handed), wanted))
            put_together(package, files_of_package(package, wanted, "The Tidewater Clock", handed), handed,
                         Path(folder) / f"{number}.zip", {})
            took.append(time.perf_counter() - began)
    return took[0], took[1]


def many_tracks() -> tuple[float, float]:
    """Seconds and MB (of all processes) until two hours of picture with eight encoded dubs are one file, and are
    checked."""
    from janoglot.core.deliver.deliverable import Stores
    from janoglot.core.deliver.encoding import AudioFormat
    from janoglot.core.deliver.picture_items import PICTURES
    from janoglot.core.graph import recipe_hash
    from janoglot.core.store import FolderStore

    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        store = FolderStore(root / "store")
        ffmpeg = ["ffmpeg", "-v", "error", "-y"]
        minute = root / "minute.mp4"
        subprocess.run([*ffmpeg, "-f", "lavfi", "-i", "testsrc2=s=640x360:r=25:d=60", "-c:v", "libx264", "-preset",
                        "ultrafast", "-b:v", "900k", "-pix_fmt", "yuv420p", str(minute)], check=True)
        sound = root / "minute.m4a"
        subprocess.run([*ffmpeg, "-f", "lavfi", "-i", "anoisesrc=c=pink:a=0.2:d=60:r=48000", "-ac", "2", "-c:a", "aac",
                        "-b:a", "160k", "-f", "ipod", str(sound)], check=True)

        def looped(source: Path, place: Path, muxer: str) -> None:
            subprocess.run([*ffmpeg, "-stream_loop", "119", "-i", str(source), "-t", "7200", "-c", "copy", "-f", muxer,
                            str(place)],
                           check=True)

        store.write("film.mp4", lambda place: looped(minute, place, "mp4"))
        form = AudioFormat("aac")
        editions: list[dict[str, Any]] = []
        for number, language in enumerate(DUBS):
            key = f"{recipe_hash('encoded', mix=f'mix {number}', form=form.as_json())}.m4a"
            store.write(key, lambda place: looped(sound, place, "ipod"))
            editions.append({"language": language, "name": language, "mix": f"mix {number}", "lufs": -16.0,
                             "seconds": 7200.0, "is_source": False, "captions": None})
        picture = {"key": "film.mp4", "name": "film.mp4", "seconds": 7200.0, "fps": 25.0, "has_sound": False}
        order = {"picture": picture, "holds": [], "editions": editions, "container": "mkv", "source": False, "kbps": 0,
                 "title": "Film", "source_language": "en-GB", "default": "es-MX"}
        out = root / "out"
        out.mkdir()
        began = time.perf_counter()
        made = PICTURES.make(order, Stores(store, store, store, store), out)
        PICTURES.check(order, out / made[0].path, made[0])
        took = time.perf_counter() - began
    memory = max(resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)) / 1024
    return took, memory


def _child(what: str) -> list[float]:
    out = subprocess.run([sys.executable, "-m", "bench.packages", what], capture_output=True, text=True, check=True,
                         preexec_fn=die_with_parent).stdout
    return [float(one) for one in out.split()]


def run() -> list[Result]:
    first, again = _child("copies")
    took, memory = _child("tracks")
    return [
        Result("a listening copy of five editions of the demo, from mixes that are ready", first, "s", 20),
        Result("… once more, with nothing changed", again, "s", 2),
        Result("two hours of picture with eight encoded dubs in one MKV, the picture copied", took, "s", 60),
        Result("… the most memory of any process", memory, "MB", 300),
    ]


if __name__ == "__main__":
    print(*(listening_copies() if sys.argv[1] == "copies" else many_tracks()))
