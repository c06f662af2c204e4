"""Set-up and services, as far as they can be tried without installing anything."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from janoglot.launcher import install
from janoglot.launcher.places import Trouble
from janoglot.launcher.services import Ports, Service, Supervisor, require_free, secrets_of


def test_who_may_not_install_is_given_the_one_line_to_run(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(install, "_installed", lambda name: name != "redis-server")
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setattr(shutil, "which", lambda name: None if name == "sudo" else f"/usr/bin/{name}")
    with pytest.raises(Trouble, match=r"apt-get update && apt-get install -y --no-install-recommends redis-server$"):
        install.debian_packages(install.SERVICES)


def test_nothing_is_installed_where_nothing_is_missing(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(install, "_installed", lambda name: True)
    monkeypatch.setattr(install, "_run", lambda *_: pytest.fail("something was run"))
    install.debian_packages(install.SERVICES)


def test_a_taken_port_is_said_plainly() -> None:
    with socket.socket() as holder:
        holder.bind(("127.0.0.1", 0))
        holder.listen()
        port = holder.getsockname()[1]
        with pytest.raises(Trouble, match=rf"Port {port}, meant for Redis, is taken.*--redis-port {port + 1}"):
            require_free(port, "Redis", "--redis-port")
    require_free(port, "Redis", "--redis-port")
    assert len(set(vars(Ports.free()).values())) == 3


def test_passwords_are_made_once_and_are_nobody_elses(tmp_path: Path) -> None:
    words = secrets_of(tmp_path / "var")
    assert secrets_of(tmp_path / "var") == words
    assert len(set(words.values())) == 4
    assert (tmp_path / "var" / "secrets.json").stat().st_mode & 0o077 == 0


def service(folder: Path, *command: str, ready: bool = True) -> Service:
    return Service("sleeper", command, lambda: ready, folder / "log" / "sleeper.log", patience=5)


def test_what_a_killed_run_left_is_ended_and_nothing_else(tmp_path: Path) -> None:
    left = service(tmp_path, "/bin/sleep", "60")
    left.start()
    assert left.process is not None
    again = service(tmp_path, "/bin/sleep", "60")
    again.end_leftover()
    assert left.process.wait(10) != 0
    # The same number in the file, but of another process: it is left alone.
    other = subprocess.Popen(["/bin/sleep", "60"])
    again.pid_file.write_text(f"{other.pid}\n12345")
    again.end_leftover()
    assert other.poll() is None
    other.kill()
    other.wait()


def test_a_service_that_does_not_start_says_why(tmp_path: Path) -> None:
    broken = service(tmp_path, "/bin/sh", "-c", "echo the tide is out; exit 3", ready=False)
    with pytest.raises(Trouble, match="the tide is out"):
        broken.start()


def test_services_end_with_whoever_started_them_however_it_ends(tmp_path: Path) -> None:
    code = ("from tests.core.test_launcher import service; from pathlib import Path; import os, time; "
            f"s = service(Path({str(tmp_path)!r}), '/bin/sleep', '60'); s.start(); "
            "print(s.process.pid, flush=True); time.sleep(60)")
    home = Path(__file__).resolve().parents[2]
    parent = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, cwd=home,
                              env={**os.environ, "PYTHONPATH": f"{home / 'src'}{os.pathsep}{home}"})
    assert parent.stdout is not None
    child = int(parent.stdout.readline())
    parent.kill()
    parent.wait()
    limit = time.monotonic() + 10
    while Path(f"/proc/{child}").exists() and "Z" not in Path(f"/proc/{child}/stat").read_text().split()[2]:
        assert time.monotonic() < limit, "the service outlived whoever started it"
        time.sleep(0.02)


def test_where_rich_voices_cannot_be_had_that_is_said_once_and_the_rest_goes_on(
        tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    monkeypatch.setattr(install, "PYTHON", Path("/bin/false"))
    monkeypatch.setattr(install, "VENV", tmp_path)
    monkeypatch.setattr(install, "VAR", tmp_path)
    install.rich_voices()
    assert "Everything else works" in capsys.readouterr().out
    install.rich_voices()
    assert capsys.readouterr().out == ""
    install.rich_voices(again=True)
    assert "./janoglot rich" in capsys.readouterr().out


class TestSupervising:
    def watched(self, folder: Path, name: str, ready: bool = True, command: tuple[str, ...] = ("/bin/sleep", "60")) -> Service:
        return Service(name, command, lambda: ready, folder / "log" / f"{name}.log", patience=60)

    def look_until(self, supervisor: Supervisor, condition: Callable[[], bool], most: float = 10.0) -> None:
        until = time.monotonic() + most
        while not condition():
            assert time.monotonic() < until
            supervisor.look()
            time.sleep(0.02)

    def test_two_that_fall_together_come_back_in_the_order_of_needs(self, tmp_path: Path) -> None:
        answers = {"redis": True, "now": False, "mariadb": True}
        services = {name: Service(name, ("/bin/sleep", "60"), lambda name=name: answers[name],  # type: ignore[misc]
                                  tmp_path / "log" / f"{name}.log", patience=60) for name in answers}
        said: list[str] = []
        try:
            for one in services.values():
                one.spawn()
            supervisor = Supervisor(list(services.values()), said.append)
            for name in ("now", "redis"):
                process = services[name].process
                assert process is not None
                process.kill()
                process.wait()
            began = time.monotonic()
            supervisor.look()
            assert time.monotonic() - began < 0.5, "nothing is waited for"
            self.look_until(supervisor, lambda: services["redis"].alive and services["now"].alive)
            assert [text for text in said if "ended" in text] == [
                "redis ended by itself; starting it again.", "now ended by itself; starting it again."]
            # While one still starts, another may fall, and is seen to.
            process = services["mariadb"].process
            assert process is not None
            process.kill()
            process.wait()
            self.look_until(supervisor, lambda: services["mariadb"].alive)
            answers["now"] = True
            self.look_until(supervisor, lambda: all(one.up for one in supervisor.watched.values()))
        finally:
            for one in services.values():
                one.stop()

    def test_one_that_cannot_live_is_given_up_alone(self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        now = [1000.0]
        monkeypatch.setattr("janoglot.launcher.services.time.monotonic", lambda: now[0])
        broken, good = (self.watched(tmp_path, "redis", command=("/bin/false",)), self.watched(tmp_path, "mariadb"))
        said: list[str] = []
        try:
            good.spawn()
            broken.spawn()
            supervisor = Supervisor([good, broken], said.append)
            for _ in range(200):
                if broken.process:
                    broken.process.wait()
                now[0] += 1.0
                supervisor.look()
                if supervisor.watched["redis"].given_up:
                    break
            assert supervisor.watched["redis"].given_up
            assert good.alive
            assert sum("starting it again" in text for text in said) == 5
            assert "everything else goes on" in said[-1]
        finally:
            good.stop()
            broken.stop()


def test_what_is_interrupted_leaves_nothing_behind(tmp_path: Path) -> None:
    note = tmp_path / "grandchild"
    inside = f"import subprocess, time; p = subprocess.Popen(['/bin/sleep', '300']); open({str(note)!r}, 'w').write(str(p.pid)); time.sleep(300)"
    outside = ("import os, sys; from janoglot.launcher.testing import run_to_its_end; "
               "run_to_its_end([sys.executable, '-c', sys.argv[1]], dict(os.environ), 2.0)")
    process = subprocess.Popen([sys.executable, "-c", outside, inside], stderr=subprocess.DEVNULL)
    until = time.monotonic() + 20
    while not (note.exists() and note.read_text()):
        assert time.monotonic() < until
        time.sleep(0.02)
    grandchild = Path(f"/proc/{note.read_text()}/stat")
    process.send_signal(signal.SIGTERM)
    process.wait(20)
    while grandchild.exists() and grandchild.read_text().rsplit(")", 1)[1].split()[0] != "Z":
        assert time.monotonic() < until + 20
        time.sleep(0.02)
