"""``./janoglot test``: every check and test by parts, those side by side that each keep one core busy."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO

from janoglot.launcher import changed, install, proof
from janoglot.launcher.places import CACHE, HOME, PYTHON, VAR, VENV, Trouble
from janoglot.launcher.services import die_with_parent
from janoglot.launcher.stack import data_services

PARTS = ("checks", "core", "web", "server", "e2e")
_BESIDE = ("server",)
"""Parts that run beside the others, in processes of their own."""
_ALONE = "e2e"
"""The part that waits until all others have ended: it keeps every core busy by itself."""
_IN_ANOTHER = "JANOGLOT_PART_OF_A_RUN"
_ANSWERS = CACHE / "answers"
_ANSWERED_BY = ("answers.py", "speech/recogniser.py", "speech/engines/rich.py", "speech/engines/neural_graph.py",
                "speech/engines/rich_frames.py", "mix/speech_filter.py")
"""Under ``core``: what asks networks. Changed, nothing that was kept counts any more."""
_KEPT_FOR = 14 * 86_400


def run(only: Sequence[str], afresh: bool = False) -> int:
    """Run the parts ``only`` names, or all. The exit status of the whole."""
    unknown = set(only) - set(PARTS)
    if unknown:
        raise Trouble(f"There are no tests “{', '.join(sorted(unknown))}”. Choose from: {' '.join(PARTS)}.")
    install.web_packages()
    if _IN_ANOTHER not in os.environ:
        proof.begin()
        _make_answers_ready(afresh)
    parts: dict[str, Callable[[], int]] = {
        "checks": checks, "core": lambda: pytest_part("core"), "web": web_tests, "server": server_tests,
        "e2e": journeys}
    wanted = [name for name in PARTS if name in only or not only]
    taken: list[proof.Part] = []
    whole = time.monotonic()
    with contextlib.ExitStack() as ending:
        beside = [ending.enter_context(_beside(name)) for name in wanted if name in _BESIDE and len(wanted) > 1]
        apart = {one.name for one in beside}
        for name in wanted:
            if name in apart:
                continue
            if name == _ALONE:
                taken += [one.finish() for one in beside]
                beside = []
            began = time.monotonic()
            print(f"\n── {name}", flush=True)
            passed = parts[name]() == 0
            taken.append(proof.Part(name, time.monotonic() - began, passed))
            print(f"── {name}: {'passed' if passed else 'failed'}, {taken[-1].seconds:.0f} s", flush=True)
        taken += [one.finish() for one in beside]
    if _IN_ANOTHER not in os.environ:
        print(proof.told(taken, time.monotonic() - whole), flush=True)
    failed = [one.name for one in taken if not one.passed]
    print(f"\njanoglot: {'failed: ' + ', '.join(failed) if failed else 'everything passed'}", flush=True)
    return 1 if failed else 0


class _Beside:
    """A part in a process of its own; what it says is shown when it has ended."""

    def __init__(self, name: str, out: IO[bytes], extra: Mapping[str, str]) -> None:
        self.name = name
        self._out = out
        self._seconds = 0.0
        self._began = time.monotonic()
        self._process = subprocess.Popen(
            [sys.executable, "-m", "janoglot.launcher", "test", name], cwd=HOME, stdout=out, stderr=subprocess.STDOUT,
            env={**os.environ, **extra, _IN_ANOTHER: "1"}, process_group=0, preexec_fn=die_with_parent)
        self._watch = threading.Thread(target=self._wait, daemon=True)
        self._watch.start()

    def _wait(self) -> None:
        self._process.wait()
        self._seconds = time.monotonic() - self._began

    def finish(self) -> proof.Part:
        self._watch.join()
        self._out.seek(0)
        sys.stdout.write(self._out.read().decode(errors="replace"))
        sys.stdout.flush()
        return proof.Part(self.name, self._seconds, self._process.returncode == 0)

    def end(self) -> None:
        for ending in (signal.SIGTERM, signal.SIGKILL):
            if self._process.poll() is None:
                with contextlib.suppress(ProcessLookupError):
                    os.killpg(self._process.pid, ending)
                with contextlib.suppress(subprocess.TimeoutExpired):
                    self._process.wait(20)


@contextlib.contextmanager
def _beside(name: str, extra: Mapping[str, str] | None = None) -> Iterator[_Beside]:
    with tempfile.TemporaryFile() as out:
        part = _Beside(name, out, extra or {})
        try:
            yield part
        finally:
            part.end()


# ── what a change can affect

_FOR_CORE, _FOR_SERVER, _FOR_JOURNEYS = 50.0, 50.0, 60.0
"""Seconds of tests, by the record; what does not fit is left out and said."""


def run_changed(base: str) -> int:
    """Checks, and the tests that what has changed since ``base`` can affect, in about three minutes. The exit status.
    """
    install.web_packages()
    proof.begin()
    _make_answers_ready(False)
    change, reach = changed.change_since(base), changed.Reach.read()
    if not change.files:
        print(f"janoglot: nothing is otherwise than at {base}")
        return 0
    print(f"janoglot: {len(change.files)} files and {sum(map(len, change.functions.values()))} functions are otherwise "
          f"than at {base}", flush=True)
    tests = change.tests(reach)
    left: list[str] = []
    chosen: dict[str, list[str]] = {}
    for part, seconds in (("core", _FOR_CORE), ("server", _FOR_SERVER)):
        chosen[part], over = changed.within((one for one in tests if one.startswith(f"tests/{part}/")), reach, seconds)
        left += over
    walks: list[str] = []
    full = 0.0
    for file in change.journeys():
        takes = sum(taken for test, taken in reach.seconds.items() if test.startswith(f"{file}::")) or _FOR_JOURNEYS
        if full + takes <= _FOR_JOURNEYS:
            walks.append(file)
            full += takes
        else:
            left += [test for test in reach.seconds if test.startswith(f"{file}::")] or [file]
    began = time.monotonic()
    steps: list[tuple[str, bool, Callable[[], int]]] = [
        ("checks", True, lambda: checks(change.of_python, change.of_the_page)),
        ("web", change.of_the_page, lambda: web_tests("--changed", base)),
        ("core", bool(chosen["core"]), lambda: pytest_part("core", *chosen["core"])),
        ("server", bool(chosen["server"]), lambda: server_tests(*chosen["server"])),
        ("e2e", bool(walks), lambda: journeys(*walks))]
    taken = []
    for name, wanted, step in steps:
        if wanted:
            print(f"\n── {name}: {len(chosen[name])} tests" if name in chosen else f"\n── {name}", flush=True)
            start = time.monotonic()
            taken.append(proof.Part(name, 0.0, step() == 0))
            taken[-1] = proof.Part(name, time.monotonic() - start, taken[-1].passed)
    print(proof.told(taken, time.monotonic() - began), flush=True)
    print(changed.told_of(left, reach), flush=True)
    failed = [one.name for one in taken if not one.passed]
    print(f"\njanoglot: {'failed: ' + ', '.join(failed) if failed else 'what was run passed; CI runs everything'}",
          flush=True)
    return 1 if failed else 0


def record() -> int:
    """Run core and server side by side, and record which functions each test runs through. The exit status."""
    proof.begin()
    _make_answers_ready(False)
    with tempfile.TemporaryDirectory(prefix="janoglot-reach-") as folder:
        with _beside("server", {"JANOGLOT_REACH": str(Path(folder) / "server.json")}) as server:
            status = pytest_part("core", options=("-p", "tests.reaching"),
                                 extra={"JANOGLOT_REACH": str(Path(folder) / "core.json")})
            status = max(status, 0 if server.finish().passed else 1)
        functions: dict[str, set[str]] = {}
        for part in ("core", "server"):
            for name, tests in json.loads((Path(folder) / f"{part}.json").read_text()).items():
                functions.setdefault(name, set()).update(tests)
    changed.Reach.write(functions, {test: seconds for part in PARTS for test, seconds in proof.tests_of(part).items()})
    return status


# ── the parts


def checks(of_python: bool = True, of_the_page: bool = True) -> int:
    results = [0]
    if of_python:
        results += [tool("ruff", "check", "."), tool("mypy"), tool("lint-imports", "--no-cache")]
    if of_the_page:
        results += [install.npm(["run", "-s", "lint"], check=False), install.npm(["run", "-s", "check"], check=False)]
    return max(results)


def web_tests(*arguments: str) -> int:
    report = proof.environment("web")["JANOGLOT_MEASURED"]
    return install.npm(["test", "-s", "--", "--reporter=default", "--reporter=json", f"--outputFile.json={report}",
                        *arguments], check=False)


def server_tests(*chosen: str) -> int:
    with (
        tempfile.TemporaryDirectory(prefix="janoglot-test-") as folder,
        data_services(Path(folder)) as (_, environment, _),
    ):
        # Where it runs beside what is recorded, it is recorded itself.
        recorded = ("-p", "tests.reaching") if "JANOGLOT_REACH" in os.environ else ()
        return pytest_part("server", *chosen, options=recorded, extra=environment)


def journeys(*chosen: str) -> int:
    install.web_build()
    # By file: journeys of one file may go on from one another, on a server that is theirs alone.
    return pytest_part("e2e", *chosen, options=("-n", "2", "--dist", "loadfile", "--no-loadscope-reorder"))


def pytest_part(part: str, *chosen: str, options: Sequence[str] = (), extra: Mapping[str, str] | None = None) -> int:
    """The tests of a part, or those that are ``chosen`` of it: files, and tests by their names."""
    if chosen:
        # By a list, not on the command line: of a test that is there no more nothing is run, and all others are.
        place = proof.FOLDER / f"{part}.chosen"
        place.write_text("\n".join(chosen))
        extra = {**(extra or {}), "JANOGLOT_CHOSEN": str(place)}
    files = sorted({name.partition("::")[0] for name in chosen}) or [f"tests/{part}"]
    return python(["-m", "pytest", "-q", "-p", "tests.measuring", *options, *files],
                  {**proof.environment(part), "JANOGLOT_ANSWERS": str(answers_folder()), **(extra or {})})


# ── what is kept from one run to the next


def answers_folder() -> Path:
    """Where what networks answered is kept between runs: of the same code and packages, and of this week.

    So each week's first run, and the first one after what asks a network or what runs it has changed, asks everything
    afresh, on CI as anywhere.
    """
    core = HOME / "src" / "janoglot" / "core"
    locks = [HOME / "requirements" / f"{name}.txt" for name in ("base", "rich", "hear")]
    digest = install.digest([*(core / name for name in _ANSWERED_BY), *locks], sys.version)
    return _ANSWERS / f"{time.strftime('%G-w%V')}-{digest[:16]}"


def _make_answers_ready(afresh: bool) -> None:
    folder = answers_folder()
    if afresh:
        shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True, exist_ok=True)
    os.utime(folder)
    for other in _ANSWERS.iterdir():
        if time.time() - other.stat().st_mtime > _KEPT_FOR:
            shutil.rmtree(other, ignore_errors=True)


# ── running


def tool(name: str, *arguments: str) -> int:
    print(f"$ {name}", flush=True)
    return subprocess.run([str(VENV / "bin" / name), *arguments], cwd=HOME, env=environment()).returncode


def python(arguments: Sequence[str], extra: Mapping[str, str] | None = None) -> int:
    return run_to_its_end([str(PYTHON), *arguments], {**environment(), **(extra or {})})


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


def environment() -> dict[str, str]:
    install.var_folder()
    return {**os.environ, "PYTHONPATH": f"{HOME / 'src'}{os.pathsep}{HOME}", "JANOGLOT_HOME": str(HOME),
            "JANOGLOT_VAR": str(VAR), "JANOGLOT_RICH_ROOT": str(VAR),
            "DJANGO_SETTINGS_MODULE": "janoglot.server.settings", "OMP_NUM_THREADS": "1",
            # What a test has made need not outlive a failure of power.
            "JANOGLOT_SYNC": "0"}
