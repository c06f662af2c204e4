"""Tests, pictures, benchmarks, and what is generated: everything but starting."""

from __future__ import annotations

import argparse
import subprocess

from janoglot.launcher import install, testing
from janoglot.launcher.places import HOME, VENV
from janoglot.launcher.testing import python


def run(options: argparse.Namespace) -> int:
    """Set up for the chore, then do it. The exit status of the whole."""
    install.debian_packages((*install.SPEECH, *install.LANGUAGES, *install.MEDIA, *install.SERVICES,
                             *install.COMPILE, *install.TESTS))
    install.environment(tests=True)
    install.rich_voices()
    install.recogniser()
    if options.command == "test":
        if options.record:
            return testing.record()
        return testing.run_changed(options.changed) if options.changed else testing.run(options.only, options.afresh)
    if options.command == "shots":
        install.web_build()
        return python(["-m", "tests.e2e.shots"])
    if options.command == "bench":
        return python(["-m", "bench", *options.only])
    if options.command == "trial":
        if options.what == "mutants":
            return python(["-m", "trial.mutants", str(min(options.count, 1_000)), options.tests_of,
                           *options.only])
        if options.what in ("races", "kills"):
            install.web_build()
            return python(["-m", f"trial.{options.what}", *(options.only if options.what == "races" else
                                                            [str(options.count if options.count < 1_000 else 12)])])
        if options.what == "casts":
            folder = testing.answers_folder()
            folder.mkdir(parents=True, exist_ok=True)
            return python(["-m", "trial.casts", *options.only], {"JANOGLOT_ANSWERS": str(folder)})
        return python(["-W", "ignore", "-m", "trial.files", str(options.count), str(options.first)])
    if options.command == "api":
        return _api()
    return _lock()


def _api() -> int:
    code = python(["-m", "django", "spectacular", "--file", "docs/openapi.yaml", "--validate", "--fail-on-warn"])
    code = code or python(["-m", "janoglot.server.messages"])
    code = code or python(["-m", "janoglot.server.page_settings"])
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
