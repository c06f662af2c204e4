"""Installs what is missing: Debian packages, the virtual environment, npm packages, the built front end."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path

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
MEDIA = ("ffmpeg",)
TESTS = ("chromium",)


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
    stamp = _digest(locks, sys.version)
    place = VENV / ".janoglot-installed"
    have = place.read_text().split() if place.exists() else []
    if stamp in have and PYTHON.exists():
        return
    if not PYTHON.exists() or not (VENV / "bin" / "pip").exists():
        say("making the virtual environment")
        _run([sys.executable, "-m", "venv", "--clear", str(VENV)])
    say("installing Python packages")
    command = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
    for lock in locks:
        command += ["-r", str(lock)]
    _run(command)
    # A fuller set-up covers the smaller one.
    covered = {_digest([HOME / "requirements" / "base.txt"], sys.version), stamp}
    place.write_text("\n".join(sorted(covered)))


def rich_voices(again: bool = False) -> None:
    """The rich voices' runtime and weights, and the network made ready from them.

    Where they cannot be had everything else works: that is said, and not tried at every start again.
    """
    lock = HOME / "requirements" / "rich.txt"
    recipe = HOME / "src" / "janoglot" / "core" / "speech" / "engines" / "neural_graph.py"
    stamp = _digest([lock, recipe], sys.version + os.environ.get("JANOGLOT_RICH_MODEL", ""))
    place = VENV / ".janoglot-rich"
    have = place.read_text().split() if place.exists() else []
    made = any((VAR / "rich").glob("*/sound.onnx"))
    if have[:1] == [stamp] and not again and (made or have[1:] == ["missing"]):
        return
    say("installing the rich voices")
    command = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", "--retries", "1", "-r",
               str(lock)]
    environment = {**os.environ, "PYTHONPATH": str(HOME / "src"), "JANOGLOT_VAR": str(VAR)}
    ready = [str(PYTHON), "-m", "janoglot.cli.main", "prepare-rich"]
    if _run(command, check=False) == 0 and _run(ready, environment, check=False) == 0:
        place.write_text(stamp)
        return
    place.write_text(f"{stamp} missing")
    say("the rich voices cannot be had here (why is above). Everything else works, with light voices. "
        "To try again: ./janoglot rich")


def web_packages() -> None:
    """npm packages, with the npm that came into the virtual environment."""
    stamp = _digest([WEB / "package-lock.json"], "")
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
    sources += [WEB / name for name in ("index.html", "vite.config.ts", "package-lock.json", "tsconfig.json")]
    stamp = _digest(sources, "")
    # Beside what is served, not in it.
    place = VENV / ".janoglot-web-built"
    if place.exists() and place.read_text() == stamp and (WEB / "dist" / "index.html").exists():
        return
    say("building the front end")
    npm(["run", "-s", "build"])
    place.write_text(stamp)


def npm(arguments: Sequence[str], check: bool = True) -> int:
    path = f"{VENV / 'bin'}{os.pathsep}{os.environ.get('PATH', '')}"
    return _run([str(VENV / "bin" / "npm"), *arguments], {**os.environ, "PATH": path}, WEB, check)


def var_folder() -> None:
    for name in ("log", "run", "takes", "mixes"):
        (VAR / name).mkdir(parents=True, exist_ok=True)


def _digest(files: Sequence[Path], extra: str) -> str:
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
