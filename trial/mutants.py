"""``./janoglot trial mutants``: modules changed in small ways, one at a time, to see whether their tests notice.

By mutmut, which is installed for it beside the environment at the first call. Of each module some of its mutants are
taken, spread evenly over it and always the same ones, so that two runs can be compared.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import venv
from collections.abc import Sequence
from pathlib import Path

from janoglot.launcher.places import HOME, VAR
from janoglot.launcher.stack import data_services

MUTMUT = "mutmut==3.8.1"
CORE = {
    "core/timing/placing.py": ("core/test_placing.py", "core/test_runs.py", "core/test_cures.py"),
    "core/mix/blocks.py": ("core/test_blocks.py",),
    "core/script/naming.py": ("core/test_naming.py", "core/test_correcting.py", "core/test_files_as_people_have_them.py"),
    "core/speech/ssml.py": ("core/test_ssml.py",),
    "core/mix/cues.py": ("core/test_under_voices.py", "core/test_rooms.py", "core/test_blocks.py", "core/test_bed.py"),
}
SERVER = {
    "productions/recorder.py": ("server/test_undo.py", "server/test_belonging.py", "server/test_at_once.py"),
    "productions/permissions.py": ("server/test_permissions.py", "server/test_keeping_productions.py"),
    "deliver/packing.py": ("server/test_packages.py",),
}
"""By module, the tests that are to hold it."""
_KILLED = {1, 3, 24, 152, 255, -24, 36}
"""Exit statuses of mutmut's runs: a test failed, or it never ended."""


def main(count: int, only: Sequence[str] = (), tests_of: str = "") -> int:
    """Try ``count`` mutants of each module, or of those whose names hold one of ``only``; print the shares killed.
    ``tests_of``: a commit whose tests are to hold today's modules, so that two states of the tests can be compared."""
    runner = _runner()
    told: dict[str, tuple[int, int]] = {}
    survivors: list[str] = []
    for group, needs_services in ((CORE, False), (SERVER, True)):
        modules = {name: tests for name, tests in group.items() if not only or any(one in name for one in only)}
        if not modules:
            continue
        folder = VAR / "mutants" / ("server" if needs_services else "core")
        if needs_services:
            with data_services(VAR / "mutants" / "services") as (_, environment, _):
                _try(runner, folder, modules, count, {**environment, "JANOGLOT_VAR": str(VAR)}, told, survivors,
                     tests_of, in_processes=True)
        else:
            _try(runner, folder, modules, count, {"JANOGLOT_VAR": str(VAR)}, told, survivors, tests_of)
    print(f"\n{'module':<32}{'tried':>7}{'killed':>8}{'share':>8}")
    for name, (tried, killed) in told.items():
        print(f"{name:<32}{tried:>7}{killed:>8}{killed / max(1, tried):>8.0%}")
    print("\nsurvivors:", *survivors, sep="\n  ")
    (VAR / "mutants.json").write_text(json.dumps({"shares": told, "survivors": survivors}, indent=1))
    return 0


def _runner() -> Path:
    """mutmut's own environment, with ours beside it."""
    place = VAR / "mutants" / "environment"
    if not (place / "bin" / "mutmut").exists():
        venv.create(place, clear=True, with_pip=True)
        inside = next((place / "lib").glob("python*")) / "site-packages"
        ours = next((HOME / ".venv" / "lib").glob("python*")) / "site-packages"
        (inside / "ours.pth").write_text(f"{ours}\n")
        subprocess.run([place / "bin" / "pip", "install", "-q", "--disable-pip-version-check", MUTMUT], check=True)
    return place / "bin" / "mutmut"


def _try(runner: Path, folder: Path, modules: dict[str, tuple[str, ...]], count: int, extra: dict[str, str],
         told: dict[str, tuple[int, int]], survivors: list[str], tests_of: str = "",
         in_processes: bool = False) -> None:
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    files = subprocess.run(["git", "ls-files"], cwd=HOME, capture_output=True, text=True, check=True).stdout.splitlines()
    for name in files:
        if name.startswith(("src/", "tests/", "demo/", "docs/", "pyproject")) and (HOME / name).is_file():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(HOME / name, folder / name)
    for name in {f"tests/{one}" for some in modules.values() for one in some} if tests_of else ():
        then = subprocess.run(["git", "show", f"{tests_of}:{name}"], cwd=HOME, capture_output=True)
        (folder / name).unlink(missing_ok=True)
        if then.returncode == 0:
            (folder / name).write_bytes(then.stdout)
    # Both come with the copy of the tests: neither is to be made here.
    tests = sorted({f"tests/{one}" for some in modules.values() for one in some if (folder / "tests" / one).exists()})
    listed = "".join(f"\n    src/janoglot/{name}" for name in modules)
    (folder / "setup.cfg").write_text(
        f"[mutmut]\nsource_paths=src\nonly_mutate={listed}\nalso_copy=\n    demo\n    docs\n"
        "pytest_add_cli_args_test_selection=" + "".join(f"\n    {one}" for one in tests)
        + "\npytest_add_cli_args=\n    -p\n    no:cacheprovider\n    --reuse-db\nuse_setproctitle=false\n")
    environment = {**os.environ, **extra, "JANOGLOT_RICH_ROOT": str(VAR), "JANOGLOT_HOME": str(folder / "mutants"),
                   "DJANGO_SETTINGS_MODULE": "janoglot.server.settings", "OMP_NUM_THREADS": "1", "PYTHONPATH": ""}

    def run(*names: str) -> None:
        subprocess.run([str(runner), "run", "--max-children", "1", *names], cwd=folder, env=environment,
                       stdout=sys.stdout, stderr=subprocess.STDOUT)

    # The first run makes the mutants and finds out which tests run through what.
    run("none of them*")
    metas = {name: folder / "mutants" / "src" / "janoglot" / f"{name}.meta" for name in modules}
    chosen: dict[str, list[str]] = {}
    for name, meta in metas.items():
        every = sorted(json.loads(meta.read_text())["exit_code_by_key"])
        step = max(1.0, len(every) / count)
        chosen[name] = [every[int(at * step)] for at in range(min(count, len(every)))]
    if in_processes:
        codes = _in_processes(runner, folder / "mutants", environment, [one for some in chosen.values() for one in some])
    else:
        run(*(one for some in chosen.values() for one in some))
        codes = {key: code for meta in metas.values()
                 for key, code in json.loads(meta.read_text())["exit_code_by_key"].items() if code is not None}
    for name in metas:
        tried = [one for one in chosen[name] if one in codes]
        lived = [one for one in tried if codes[one] not in _KILLED]
        told[name] = (len(tried), len(tried) - len(lived))
        survivors += lived


def _in_processes(runner: Path, folder: Path, environment: dict[str, str], mutants: Sequence[str]) -> dict[str, int]:
    """Exit statuses of the tests that run through each mutant, the quick ones first, each in a process of its own: what
    mutmut forks has its parent's connection to the database, on which every test fails, whatever it is of."""
    found = json.loads((folder / "mutmut-stats.json").read_text())
    seconds: dict[str, float] = found["duration_by_test"]

    def tests(mutant: str, of: Sequence[str]) -> int:
        ran = subprocess.run(
            [str(runner.parent / "python"), "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", "--reuse-db", *of],
            cwd=folder, env={**environment, "MUTANT_UNDER_TEST": mutant}, capture_output=True, timeout=900)
        return ran.returncode

    if mutants and (wrong := tests("", sorted(seconds, key=lambda test: seconds[test])[:40])):
        raise SystemExit(f"The tests fail with nothing changed, too: {wrong}.")
    codes: dict[str, int] = {}
    for one in mutants:
        of = sorted(found["tests_by_mangled_function_name"].get(one.rpartition("__mutmut_")[0], []),
                    key=lambda test: seconds.get(test, 0.0))
        # Nothing runs through it: it lives.
        codes[one] = tests(one, of) if of else 0
        print(f"{'killed' if codes[one] in _KILLED else 'lived '} {one} ({len(of)} tests)", flush=True)
    return codes


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), sys.argv[3:], sys.argv[2]))
