"""What a change can affect: the functions that are otherwise than at a base, and the tests that run through them.

Which test runs through which function is recorded by name (``./janoglot test --record``), so that the record serves for
long: tests that it does not know yet are run for having changed themselves.
"""

from __future__ import annotations

import ast
import gzip
import json
import subprocess
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from janoglot.launcher.places import HOME, Trouble

RECORD = HOME / "tests" / "reach.json.gz"
MODULE = "*"
"""In the place of a function's name: what stands outside all of them."""
JOURNEYS = {
    "script": ("test_script_and_cast.py", "test_nothing_lost.py"), "cast": ("test_script_and_cast.py",),
    "adapt": ("test_words_and_times.py", "test_nothing_lost.py"), "direct": ("test_directing.py", "test_recordings.py"),
    "timing": ("test_words_and_times.py",), "time": ("test_words_and_times.py",), "mix": ("test_sound_world.py",),
    "deliver": ("test_review.py", "test_journey.py"), "review": ("test_review.py",),
    "media": ("test_words_and_times.py",),
    "editions": ("test_nothing_lost.py",), "productions": ("test_nothing_lost.py",),
    "frame": ("test_journey.py", "test_keys.py"),
    "server": ("test_journey.py", "test_services_fall.py"), "launcher": ("test_services_fall.py",),
    "demo": ("test_journey.py",),
}
"""By stage, which journeys walk it."""
_UNKNOWN_SECONDS = 1.0


@dataclass
class Reach:
    """The record: by function (``path::name``) the tests that ran through it, and how many seconds each test took."""

    tests: Mapping[str, frozenset[str]]
    seconds: Mapping[str, float]

    @classmethod
    def read(cls, place: Path = RECORD) -> Reach:
        """Raises Trouble where there is none."""
        try:
            told: dict[str, Any] = json.loads(gzip.decompress(place.read_bytes()))
        except FileNotFoundError:
            raise Trouble(
                "There is no record yet of what tests run through. Make it: ./janoglot test --record") from None
        names = told["tests"]
        return cls({function: frozenset(names[number] for number in numbers)
                    for function, numbers in told["functions"].items()}, dict(zip(names, told["seconds"], strict=True)))

    @staticmethod
    def write(functions: Mapping[str, Iterable[str]], seconds: Mapping[str, float], place: Path = RECORD) -> None:
        """The same record is the same bytes."""
        # Journeys run through everything: of them it is only known how long they take.
        names = sorted({test for tests in functions.values() for test in tests}
                       | {test for test in seconds if test.startswith("tests/e2e/")})
        number = {name: at for at, name in enumerate(names)}
        text = json.dumps({
            "tests": names, "seconds": [round(seconds.get(name, _UNKNOWN_SECONDS), 1) for name in names],
            "functions": {function: sorted(number[test] for test in tests)
                          for function, tests in sorted(functions.items())}}, separators=(",", ":"))
        place.write_bytes(gzip.compress(text.encode(), 9, mtime=0))

    def of(self, path: str, names: Iterable[str]) -> set[str]:
        """Tests that ran through these functions of a file; through any of it where what stands outside is changed."""
        wanted = set(names)
        if MODULE in wanted:
            return {test for function, tests in self.tests.items() if function.startswith(f"{path}::")
                    for test in tests}
        return {test for name in wanted for test in self.tests.get(f"{path}::{name}", ())}


def functions_in(source: str) -> dict[str, str]:
    """By name, what each function of a module is, comments and docstrings left aside; what stands outside as MODULE.

    Raises SyntaxError.
    """
    found: dict[str, str] = {}

    def within(node: ast.AST, name: str) -> None:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
                inner = f"{name}.{child.name}" if name else child.name
                if not isinstance(child, ast.ClassDef):
                    found[inner] = found.get(inner, "") + ast.dump(child)
                within(child, inner)
            else:
                within(child, name)

    tree = ast.parse(source)
    for node in ast.walk(tree):
        if isinstance(node, (ast.Module, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)) and node.body:
            first = node.body[0]
            if isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) \
                    and isinstance(first.value.value, str):
                node.body = node.body[1:] or [ast.Pass()]
    within(tree, "")
    for node in ast.walk(tree):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            node.body = [ast.Pass()]
    found[MODULE] = ast.dump(tree)
    return found


def function_at(source: str) -> dict[int, str]:
    """By line, the innermost function whose body the line stands in."""
    found: dict[int, str] = {}

    def within(node: ast.AST, name: str) -> None:
        for child in ast.iter_child_nodes(node):
            inner = name
            if isinstance(child, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
                inner = f"{name}.{child.name}" if name else child.name
                if not isinstance(child, ast.ClassDef):
                    first, last = child.body[0].lineno, child.end_lineno or child.lineno
                    found.update(dict.fromkeys(range(first, last + 1), inner))
            within(child, inner)

    within(ast.parse(source), "")
    return found


def otherwise(before: str | None, now: str | None) -> set[str]:
    """Names of the functions that two versions of a module do not have alike; None where a version is not there."""
    try:
        old, new = functions_in(before or ""), functions_in(now or "")
    except SyntaxError:
        return {MODULE}
    return {name for name in old.keys() | new.keys() if old.get(name) != new.get(name)}


# ── against a base


@dataclass
class Change:
    """What is otherwise than at ``base``: files, and of Python files the functions."""

    base: str
    files: list[str]
    functions: dict[str, set[str]] = field(default_factory=dict)

    @property
    def of_the_page(self) -> bool:
        return any(name.startswith("web/") for name in self.files)

    @property
    def of_python(self) -> bool:
        return any(name.endswith(".py") for name in self.files)

    def tests(self, reach: Reach) -> set[str]:
        """What of core and server it can affect: tests that run through it, and files of tests that are changed."""
        found = {name for name in self.files if name.startswith("tests/") and Path(name).name.startswith("test_")
                 and (HOME / name).exists() and not name.startswith("tests/e2e/")}
        for path, names in self.functions.items():
            found |= reach.of(path, names)
        for name in self.files:
            # Data that lies beside code is whatever the modules are that name it.
            if name.startswith(("src/", "demo/")) and not name.endswith(".py"):
                for module in _naming(Path(name).name):
                    found |= reach.of(module, {MODULE})
            if name.startswith(("tests/core/", "tests/server/")) and not Path(name).name.startswith("test_"):
                folder = str(Path(name).parent)
                found |= {test for tests in reach.tests.values() for test in tests if test.startswith(folder)}
        return {test for test in found if (HOME / test.partition("::")[0]).exists()}

    def journeys(self) -> list[str]:
        """Files of journeys that walk what is changed."""
        found = [name for name in self.files if name.startswith("tests/e2e/test_") and (HOME / name).exists()]
        for name in self.files:
            if name.startswith(("web/src/", "src/janoglot/")) and not name.endswith((".test.ts", ".test.tsx")):
                for step in Path(name).parts[1:]:
                    found += [f"tests/e2e/{one}" for one in JOURNEYS.get(step, ())]
        return list(dict.fromkeys(name for name in found if (HOME / name).exists()))


def change_since(base: str) -> Change:
    """Raises Trouble where ``base`` is nothing that git knows."""
    if _git("rev-parse", "--verify", "--quiet", f"{base}^{{commit}}") is None:
        raise Trouble(f"“{base}” is no commit of this repository.")
    files = sorted({*(_git("diff", "--name-only", base) or "").splitlines(),
                    *(_git("ls-files", "--others", "--exclude-standard") or "").splitlines()})
    found = Change(base, files)
    for name in files:
        if name.startswith("src/") and name.endswith(".py"):
            place = HOME / name
            names = otherwise(_git("show", f"{base}:{name}"), place.read_text("utf-8") if place.exists() else None)
            if names:
                found.functions[name] = names
    return found


def _git(*arguments: str) -> str | None:
    done = subprocess.run(["git", *arguments], cwd=HOME, capture_output=True, text=True)
    return done.stdout if done.returncode == 0 else None


def _naming(name: str) -> list[str]:
    return (_git("grep", "-l", "--fixed-strings", name, "--", "src/*.py") or "").splitlines()


def within(tests: Iterable[str], reach: Reach, seconds: float) -> tuple[list[str], list[str]]:
    """The tests that fit into a time, and those that do not: who runs through least first, for what a change is to them
    it is to few. Files of tests that were changed always fit."""
    breadth: dict[str, int] = {}
    for through in reach.tests.values():
        for test in through:
            breadth[test] = breadth.get(test, 0) + 1
    chosen, left, full = [], [], 0.0
    for test in sorted(tests, key=lambda one: (breadth.get(one, 0), one)):
        takes = reach.seconds.get(test, _UNKNOWN_SECONDS)
        if "::" not in test or full + takes <= seconds:
            chosen.append(test)
            full += takes
        else:
            left.append(test)
    return chosen, left


def told_of(left: Sequence[str], reach: Reach) -> str:
    """What was left out, for people."""
    if not left:
        return ""
    minutes = sum(reach.seconds.get(test, _UNKNOWN_SECONDS) for test in left) / 60
    files: dict[str, int] = {}
    for test in left:
        name = test.partition("::")[0]
        files[name] = files.get(name, 0) + 1
    rows = "".join(f"\n  {count:>5}  {name}" for name, count in sorted(files.items(), key=lambda one: -one[1])[:12])
    return f"left out, though the change can reach them: {len(left)} tests, {minutes:.0f} min{rows}"
