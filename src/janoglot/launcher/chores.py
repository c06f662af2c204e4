"""Tests, pictures, benchmarks, and what is generated: everything but starting."""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO

from janoglot.launcher import install, proof
from janoglot.launcher.places import HOME, PYTHON, VAR, VENV, Trouble
from janoglot.launcher.services import die_with_parent
from janoglot.launcher.stack import data_services

_PARTS = ("checks", "core", "web", "server", "e2e")
_BESIDE, _ALONE = "server", "e2e"
_BESIDE_ANOTHER = "JANOGLOT_BESIDE_ANOTHER"


def beside_another() -> bool:
    """Whether this run is one part of another, which tells of it."""
    return _BESIDE_ANOTHER in os.environ


def run(options: argparse.Namespace) -> int:
    """Set up for the chore, then do it. The exit status of the whole."""
    install.debian_packages((*install.SPEECH, *install.LANGUAGES, *install.MEDIA, *install.SERVICES,
                             *install.COMPILE, *install.TESTS))
    install.environment(tests=True)
    install.rich_voices()
    install.recogniser()
    if options.command == "test":
        return _test(options.only)
    if options.command == "shots":
        install.web_build()
        return _python(["-m", "tests.e2e.shots"])
    if options.command == "bench":
        return _python(["-m", "bench", *options.only])
    if options.command == "trial":
        return _python(["-W", "ignore", "-m", "trial.files", str(options.count), str(options.first)])
    if options.command == "api":
        return _api()
    return _lock()


def _test(only: Sequence[str]) -> int:
    unknown = set(only) - set(_PARTS)
    if unknown:
        raise Trouble(f"There are no tests “{', '.join(sorted(unknown))}”. Choose from: {' '.join(_PARTS)}.")
    install.web_packages()
    parts: dict[str, Callable[[], int]] = {
        "checks": _checks,
        "core": lambda: _pytest("core"),
        "web": _web_tests,
        "server": _server_tests,
        "e2e": _e2e,
    }
    failed: list[str] = []
    taken: list[proof.Part] = []
    whole = time.monotonic()
    if not only:
        proof.begin()
    # Of two cores each part but the last keeps one busy: one of them runs beside the others.
    with _beside(_BESIDE, not only) as beside:
        for name, part in parts.items():
            if (only and name not in only) or (beside and name == _BESIDE):
                continue
            if beside and name == _ALONE:
                if beside.finish():
                    failed.append(_BESIDE)
                taken.append(proof.Part(_BESIDE, beside.seconds, _BESIDE not in failed))
            began = time.monotonic()
            print(f"\n── {name}", flush=True)
            if part():
                failed.append(name)
            print(f"── {name}: {'failed' if name in failed else 'passed'}, {time.monotonic() - began:.0f} s",
                  flush=True)
            taken.append(proof.Part(name, time.monotonic() - began, name not in failed))
    if not beside_another():
        print(proof.told(taken, time.monotonic() - whole), flush=True)
    print(f"\njanoglot: {'failed: ' + ', '.join(failed) if failed else 'everything passed'}", flush=True)
    return 1 if failed else 0


class _Beside:
    """A part of the tests in a process of its own; what it says is shown when it has ended."""

    def __init__(self, name: str, out: IO[bytes]) -> None:
        self._out = out
        self.seconds = 0.0
        self._began = time.monotonic()
        self._process = subprocess.Popen(
            [sys.executable, "-m", "janoglot.launcher", "test", name], cwd=HOME, stdout=out, stderr=subprocess.STDOUT,
            env={**os.environ, _BESIDE_ANOTHER: "1"}, process_group=0, preexec_fn=die_with_parent)
        self._watch = threading.Thread(target=self._wait, daemon=True)
        self._watch.start()

    def _wait(self) -> None:
        self._process.wait()
        self.seconds = time.monotonic() - self._began

    def finish(self) -> int:
        self._watch.join()
        status = self._process.returncode
        self._out.seek(0)
        sys.stdout.write(self._out.read().decode(errors="replace"))
        sys.stdout.flush()
        return status

    def end(self) -> None:
        for ending in (signal.SIGTERM, signal.SIGKILL):
            if self._process.poll() is None:
                with contextlib.suppress(ProcessLookupError):
                    os.killpg(self._process.pid, ending)
                with contextlib.suppress(subprocess.TimeoutExpired):
                    self._process.wait(20)


@contextlib.contextmanager
def _beside(name: str, wanted: bool) -> Iterator[_Beside | None]:
    if not wanted:
        yield None
        return
    with tempfile.TemporaryFile() as out:
        part = _Beside(name, out)
        try:
            yield part
        finally:
            part.end()


def _checks() -> int:
    results = [
        _tool("ruff", "check", "."),
        _tool("mypy"),
        _tool("lint-imports", "--no-cache"),
        install.npm(["run", "-s", "lint"], check=False),
        install.npm(["run", "-s", "check"], check=False),
    ]
    return max(results)


def _server_tests() -> int:
    with (
        tempfile.TemporaryDirectory(prefix="janoglot-test-") as folder,
        data_services(Path(folder)) as (_, environment, _),
    ):
        return _pytest("server", environment)


def _e2e() -> int:
    install.web_build()
    return _pytest("e2e")


def _web_tests() -> int:
    report = proof.environment("web")["JANOGLOT_MEASURED"]
    return install.npm(["test", "-s", "--", "--reporter=default", "--reporter=json", f"--outputFile.json={report}"],
                       check=False)


def _pytest(part: str, extra: Mapping[str, str] | None = None) -> int:
    return _python(["-m", "pytest", "-q", "-p", "tests.measuring", f"tests/{part}"],
                   {**proof.environment(part), **(extra or {})})


def _tool(name: str, *arguments: str) -> int:
    print(f"$ {name}", flush=True)
    return subprocess.run([str(VENV / "bin" / name), *arguments], cwd=HOME, env=_environment()).returncode


def _python(arguments: Sequence[str], extra: dict[str, str] | None = None) -> int:
    return run_to_its_end([str(PYTHON), *arguments], {**_environment(), **(extra or {})})


def run_to_its_end(command: Sequence[str], environment: Mapping[str, str], patience: float = 20.0) -> int:
    """Run ``command`` and give its status. Interrupted, everything that it started is ended with it."""
    before = signal.signal(signal.SIGTERM, signal.default_int_handler)
    # A group of its own, that can be ended whole.
    process = subprocess.Popen(command, cwd=HOME, env=environment, process_group=0, preexec_fn=die_with_parent)
    try:
        return process.wait()
    except KeyboardInterrupt:
        for ending in (signal.SIGINT, signal.SIGKILL):
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, ending)
            try:
                process.wait(patience)
            except subprocess.TimeoutExpired:
                continue
        raise
    finally:
        signal.signal(signal.SIGTERM, before)


def _environment() -> dict[str, str]:
    install.var_folder()
    return {**os.environ, "PYTHONPATH": f"{HOME / 'src'}{os.pathsep}{HOME}", "JANOGLOT_HOME": str(HOME),
            "JANOGLOT_VAR": str(VAR), "JANOGLOT_RICH_ROOT": str(VAR),
            "DJANGO_SETTINGS_MODULE": "janoglot.server.settings", "OMP_NUM_THREADS": "1"}


def _api() -> int:
    code = _python(["-m", "django", "spectacular", "--file", "docs/openapi.yaml", "--validate", "--fail-on-warn"])
    code = code or _python(["-m", "janoglot.server.messages"])
    code = code or _python(["-m", "janoglot.server.page_settings"])
    install.web_packages()
    return code or install.npm(["run", "-s", "api"], check=False)


def _lock() -> int:
    results = []
    for name in ("base", "rich", "hear", "dev"):
        results.append(subprocess.run(
            [str(VENV / "bin" / "pip-compile"), "-q", "--strip-extras", "--allow-unsafe", "--no-emit-index-url",
             "--no-emit-find-links", "--no-emit-trusted-host", "--no-emit-options", f"{name}.in", "-o", f"{name}.txt"],
            cwd=HOME / "requirements").returncode)
    return max(results)
