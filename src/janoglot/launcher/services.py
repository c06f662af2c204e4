"""MariaDB, Redis, the web server and the worker: started on loopback, watched, and ended."""

from __future__ import annotations

import contextlib
import ctypes
import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from janoglot.launcher.places import HOME, PYTHON, VAR, Trouble
from janoglot.tally import tally

_PR_SET_PDEATHSIG = 1


@dataclass
class Ports:
    web: int
    database: int
    redis: int

    @classmethod
    def free(cls) -> Ports:
        """Three ports that nobody listens on just now."""
        found = []
        holders = [socket.socket() for _ in range(3)]
        for holder in holders:
            holder.bind(("127.0.0.1", 0))
            found.append(holder.getsockname()[1])
        for holder in holders:
            holder.close()
        return cls(*found)


def require_free(port: int, what: str, option: str) -> None:
    """Raises Trouble, plainly, where something listens on ``port``."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as error:
            raise Trouble(f"Port {port}, meant for {what}, is taken by another program. Choose another one: "
                          f"./janoglot start {option} {port + 1}") from error


def secrets_of(var: Path) -> dict[str, str]:
    """The passwords of this checkout's own services, made once, readable by this user only."""
    place = var / "secrets.json"
    if not place.exists():
        var.mkdir(parents=True, exist_ok=True)
        made = {name: secrets.token_urlsafe(64 if name == "django" else 32)
                for name in ("database", "database_root", "redis", "django")}
        handle = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "w") as file:
            json.dump(made, file)
    loaded: dict[str, str] = json.loads(place.read_text())
    return loaded


@dataclass
class Service:
    """One process of ours. It dies with us, however we die."""

    name: str
    command: Sequence[str]
    ready: Callable[[], bool]
    log: Path
    environment: Mapping[str, str] = field(default_factory=dict)
    stop_signal: int = signal.SIGTERM
    patience: float = 60.0
    process: subprocess.Popen[bytes] | None = None

    @property
    def pid_file(self) -> Path:
        return self.log.parent.parent / "run" / f"{self.name}.pid"

    def start(self) -> None:
        """Start and wait until it answers. Raises Trouble with the end of its log where it does not."""
        self.spawn()
        self.wait()

    def spawn(self) -> None:
        self.log.parent.mkdir(parents=True, exist_ok=True)
        self.pid_file.parent.mkdir(parents=True, exist_ok=True)
        self.end_leftover()
        tally(f"service started: {self.name}")
        with self.log.open("ab") as log:
            # A group of its own, but no session: between sessions the system's scheduler does not heed niceness.
            self.process = subprocess.Popen(
                self.command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, cwd=HOME, process_group=0,
                env={**os.environ, **self.environment}, preexec_fn=die_with_parent)
        self.pid_file.write_text(f"{self.process.pid}\n{_started(self.process.pid)}")

    def wait(self) -> None:
        limit = time.monotonic() + self.patience
        while not self.ready():
            if not self.alive or time.monotonic() > limit:
                tail = self.last_words()
                self.stop()
                raise Trouble(f"{self.name} did not start. The end of {self.log}:\n  " + "\n  ".join(tail))
            time.sleep(0.05)

    def last_words(self) -> list[str]:
        """The end of its log."""
        try:
            return self.log.read_text(errors="replace").splitlines()[-6:]
        except OSError:
            return []

    def kill(self) -> None:
        """End it at once, without waiting for it."""
        if self.process and self.process.poll() is None:
            self.process.kill()

    def end_leftover(self) -> None:
        """End what a killed run of ours left behind: only the very process that we noted, by id and start."""
        try:
            pid_text, started = self.pid_file.read_text().split("\n")
        except (FileNotFoundError, ValueError):
            return
        pid = int(pid_text)
        if started and _started(pid) == started:
            os.kill(pid, signal.SIGTERM)
            limit = time.monotonic() + 30
            while _started(pid) == started and time.monotonic() < limit:
                time.sleep(0.05)
            if _started(pid) == started:
                os.kill(pid, signal.SIGKILL)
        self.pid_file.unlink(missing_ok=True)

    @property
    def alive(self) -> bool:
        return self.process is not None and self.process.poll() is None

    def end(self) -> None:
        """End it and all that it started at once, whatever becomes of its data."""
        if self.process and self.process.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()
        self.pid_file.unlink(missing_ok=True)

    def ask_to_stop(self) -> None:
        if self.process and self.process.poll() is None:
            self.process.send_signal(self.stop_signal)

    def stop(self) -> None:
        if self.process and self.process.poll() is None:
            self.ask_to_stop()
            try:
                self.process.wait(30)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        self.pid_file.unlink(missing_ok=True)


def die_with_parent() -> None:
    """For a child between fork and exec: be ended when whoever made it ends, however that is."""
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def _started(pid: int) -> str:
    """When a process began, in the kernel's ticks; "" where there is none. Tells a reused id from ours."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    except (FileNotFoundError, ProcessLookupError):
        return ""
    return "" if fields[0] == "Z" else fields[19]


def mariadb(var: Path, port: int) -> Service:
    """MariaDB on loopback, its data under ``var``. Made at the first call."""
    data = var / "mariadb"
    as_root = ["--user=root"] if os.geteuid() == 0 else []
    words = secrets_of(var)
    if not (data / "mysql").is_dir():
        half = var / "mariadb.half"
        shutil.rmtree(half, ignore_errors=True)
        made = subprocess.run(
            ["mariadb-install-db", "--no-defaults", f"--datadir={half}", "--auth-root-authentication-method=normal",
             "--skip-test-db", *as_root], capture_output=True, text=True)
        if made.returncode:
            raise Trouble(f"MariaDB's data folder could not be made:\n{made.stdout[-800:]}{made.stderr[-800:]}")
        shutil.rmtree(data, ignore_errors=True)
        half.rename(data)
    grants = var / "mariadb-init.sql"
    user = "'janoglot'@'127.0.0.1'"
    handle = os.open(grants, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{words['database_root']}';\n"
            f"CREATE USER IF NOT EXISTS {user} IDENTIFIED BY '{words['database']}';\n"
            f"GRANT ALL ON `janoglot%`.* TO {user};\nGRANT ALL ON `test_janoglot%`.* TO {user};\n"
            "CREATE DATABASE IF NOT EXISTS janoglot CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\n")
    sock = var / "run" / "mariadb.sock"
    sock.parent.mkdir(parents=True, exist_ok=True)
    if len(str(sock)) > 100:  # the kernel takes 107
        sock = Path(tempfile.mkdtemp(prefix="janoglot-")) / "mariadb.sock"
    server = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
    return Service("mariadb", [
        server, "--no-defaults", *as_root, f"--datadir={data}", "--bind-address=127.0.0.1", f"--port={port}",
        f"--socket={sock}", f"--pid-file={var / 'run' / 'mariadbd.pid'}", f"--init-file={grants}",
        "--skip-name-resolve", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci",
        "--innodb-buffer-pool-size=256M", "--max-connections=80", "--max-allowed-packet=64M",
    ], lambda: _greets(port), var / "log" / "mariadb.log")


def _greets(port: int) -> bool:
    try:
        with socket.create_connection(("127.0.0.1", port), 1) as connection:
            connection.settimeout(1)
            # The server speaks first: length, number, then protocol version 10.
            return connection.recv(5)[4:5] == b"\x0a"
    except OSError:
        return False


def redis(var: Path, port: int) -> Service:
    """Redis on loopback, keeping its queue on disk under ``var``."""
    folder = var / "redis"
    folder.mkdir(parents=True, exist_ok=True)
    word = secrets_of(var)["redis"]
    settings = var / "redis.conf"
    handle = os.open(settings, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(f'bind 127.0.0.1\nport {port}\ndir "{folder}"\nappendonly yes\nsave ""\nrequirepass {word}\n'
                   "daemonize no\n")

    def ready() -> bool:
        try:
            with socket.create_connection(("127.0.0.1", port), 1) as connection:
                connection.settimeout(1)
                connection.sendall(f"AUTH {word}\r\nPING\r\n".encode())
                answer = b""
                while answer.count(b"\r\n") < 2 and (piece := connection.recv(200)):
                    answer += piece
                return b"+PONG" in answer
        except OSError:
            return False

    return Service("redis", [shutil.which("redis-server") or "/usr/bin/redis-server", str(settings)], ready,
                   var / "log" / "redis.log")


def server_environment(var: Path, ports: Ports, database: str = "janoglot") -> dict[str, str]:
    """What the Django project needs to find its services."""
    words = secrets_of(var)
    return {
        "DJANGO_SETTINGS_MODULE": "janoglot.server.settings",
        "PYTHONPATH": str(HOME / "src"),
        "JANOGLOT_HOME": str(HOME),
        "JANOGLOT_VAR": str(var),
        "JANOGLOT_RICH_ROOT": str(VAR),
        "JANOGLOT_DATABASE": database,
        "JANOGLOT_DATABASE_PORT": str(ports.database),
        "JANOGLOT_DATABASE_PASSWORD": words["database"],
        "JANOGLOT_REDIS": f"redis://:{words['redis']}@127.0.0.1:{ports.redis}",
        "JANOGLOT_SECRET_KEY": words["django"],
        # One thread in each process: the processes are the parallelism.
        "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1",
    }


def web_server(var: Path, ports: Ports, environment: Mapping[str, str]) -> Service:
    return Service("web", [
        str(PYTHON), "-m", "gunicorn", "janoglot.server.wsgi:application",
        "--config", "python:janoglot.server.web_workers", "--bind", f"127.0.0.1:{ports.web}",
        "--workers", "2", "--threads", "6", "--worker-class", "janoglot.server.web_workers.EvenWorker", "--preload",
        # Its control socket would have one path for all of this user's; none of ours is spoken to through it.
        "--timeout", "120", "--graceful-timeout", "5", "--no-control-socket",
    ], lambda: _answers(ports.web), var / "log" / "web.log",
        environment)


def _answers(port: int) -> bool:
    try:
        with socket.create_connection(("127.0.0.1", port), 1) as connection:
            connection.settimeout(2)
            connection.sendall(b"GET /health/ HTTP/1.0\r\nHost: 127.0.0.1\r\n\r\n")
            return b" 200 " in connection.recv(64)
    except OSError:
        return False


def worker(var: Path, environment: Mapping[str, str], processes: int | None = None) -> Service:
    """What works in the background: a process for each core, giving way to whoever asks for something now."""
    return _celery("worker", var, environment, processes or os.cpu_count() or 1, "now,sketch,soon,bulk,finish,hear",
                   niceness=10)


def now_worker(var: Path, environment: Mapping[str, str]) -> Service:
    """One process for what is listened to and sketched, so that it waits for nothing that is finished."""
    return _celery("now", var, environment, 1, "now,sketch", niceness=0)


def soon_worker(var: Path, environment: Mapping[str, str]) -> Service:
    """One process for the finished sound of what somebody has just asked to hear."""
    return _celery("soon", var, {**environment, "JANOGLOT_RICH_THREADS": str(os.cpu_count() or 1)}, 1, "soon",
                   niceness=0)


_KEPT_MEMORY = {"MALLOC_MMAP_THRESHOLD_": str(64 << 20), "MALLOC_TRIM_THRESHOLD_": str(128 << 20)}
"""For the C library: memory of the size of a line's sound is kept and used again. Had it from the system each
time and cleared, it costs as much as the arithmetic that is done in it."""


def _celery(name: str, var: Path, environment: Mapping[str, str], processes: int, queues: str,
            niceness: int) -> Service:
    note = var / "run" / f"{name}.ready"
    note.unlink(missing_ok=True)
    return Service(name, [
        "nice", "-n", str(niceness), str(PYTHON), "-m", "celery", "-A", "janoglot.server.celery", "worker", "-n",
        f"{name}@%h", "--concurrency", str(processes), "-O", "fair", "--prefetch-multiplier", "1", "-Q", queues,
        "--loglevel", "warning", "--without-gossip", "--without-mingle",
    ], note.exists, var / "log" / f"{name}.log",
        {**environment, **_KEPT_MEMORY, "JANOGLOT_WORKER_READY": str(note), "JANOGLOT_WORKER": name},
        # On a machine with much else to do, who gives way takes his time to start.
        patience=180.0)


def manage(arguments: Sequence[str], environment: Mapping[str, str], check: bool = True) -> int:
    """Run one of Django's commands: its exit status, which ``check`` raises Trouble for where it fails."""
    # A migration of a large table may take its time.
    patient = {"JANOGLOT_DATABASE_PATIENCE": "86400"}
    done = subprocess.run([str(PYTHON), "-m", "django", *arguments], env={**os.environ, **patient, **environment},
                          cwd=HOME)
    if check and done.returncode:
        raise Trouble(f"“django {' '.join(arguments)}” failed; what it said is above.")
    return done.returncode


def start_together(services: Sequence[Service]) -> None:
    """Start services that do not wait for each other. Raises the first Trouble.

    From one thread: a process of ours is ended when the thread that made it ends.
    """
    for service in services:
        service.spawn()
    for service in services:
        service.wait()


def stop_together(services: Sequence[Service]) -> None:
    """Stop services, those first that rest on others; what rests on nothing of the rest waits for nobody."""
    for level in (True, False):
        some = [one for one in services if (one.name in NEEDS) is level]
        for service in some:
            service.ask_to_stop()
        for service in some:
            service.stop()


NEEDS = {"web": ("mariadb", "redis"), "worker": ("mariadb", "redis"), "now": ("mariadb", "redis"),
         "soon": ("mariadb", "redis")}
"""By service, what must be up before it is started again."""
_MOST_TRIES = 5
_HEALTHY_AFTER = 60.0
"""Seconds. Whatever stayed up so long may fail as often again."""


@dataclass
class Watched:
    """One service as it is looked after: never waited for."""

    service: Service
    starting: float | None = None
    """When it was started again; None once it answers."""
    since: float = 0.0
    tries: int = 0
    next_try: float = 0.0
    given_up: bool = False

    @property
    def up(self) -> bool:
        return self.service.alive and self.starting is None


class Supervisor:
    """Starts again whatever ends by itself: in the order of needs, without waiting for one while another falls, and
    giving up on one alone."""

    def __init__(self, services: Sequence[Service], say: Callable[[str], None] | None = None) -> None:
        self.watched = {service.name: Watched(service, since=time.monotonic()) for service in services}
        self._say = say or (lambda text: print(f"janoglot: {text}", file=sys.stderr, flush=True))

    def look(self) -> None:
        """One look at all of them."""
        for one in self.watched.values():
            if one.given_up:
                continue
            if one.service.alive:
                self._look_at_living(one)
            elif all(self.watched[name].up for name in NEEDS.get(one.service.name, ()) if name in self.watched):
                self._start_again(one)

    def _look_at_living(self, one: Watched) -> None:
        now = time.monotonic()
        if one.starting is None:
            if now - one.since > _HEALTHY_AFTER:
                one.tries = 0
        elif one.service.ready():
            one.starting, one.since = None, now
            self._say(f"{one.service.name} is back.")
        elif now - one.starting > one.service.patience:
            self._say(f"{one.service.name} does not answer; ending it.")
            one.service.kill()

    def _start_again(self, one: Watched) -> None:
        now = time.monotonic()
        if now < one.next_try:
            return
        if one.tries >= _MOST_TRIES:
            one.given_up = True
            self._say(f"{one.service.name} has ended {one.tries + 1} times in a row and is left alone; everything else "
                      f"goes on. The end of {one.service.log}:\n  " + "\n  ".join(one.service.last_words()))
            return
        one.tries += 1
        one.next_try, one.starting = now + 2.0 ** one.tries / 2, now
        self._say(f"{one.service.name} ended by itself; starting it again.")
        note = one.service.environment.get("JANOGLOT_WORKER_READY")
        if note:
            Path(note).unlink(missing_ok=True)
        try:
            one.service.spawn()
        except OSError as error:
            self._say(f"{one.service.name} cannot be started: {error}")


def supervise(services: Sequence[Service]) -> None:
    """Start again whatever of ``services`` ends by itself, until a signal comes."""
    supervisor = Supervisor(services)
    while True:
        time.sleep(0.5)
        supervisor.look()
