"""``./janoglot``: start · test · dub · deliver · voices · measure-voices · measure-moods · measure-directing · sound
· tidy · check · rich · shots · bench · trial · api · lock."""

from __future__ import annotations

import argparse
import fcntl
import json
import os
import signal
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

from janoglot.launcher import install
from janoglot.launcher.places import HOME, PYTHON, VAR, Trouble
from janoglot.launcher.services import (
    Ports,
    Service,
    manage,
    mariadb,
    now_worker,
    redis,
    require_free,
    server_environment,
    soon_worker,
    start_together,
    stop_together,
    supervise,
    web_server,
    worker,
)
from janoglot.launcher.stack import data_services

_CORE = ("dub", "deliver", "voices", "measure-voices", "measure-moods", "measure-directing", "sound", "drafting")


def main(arguments: Sequence[str]) -> int:
    if arguments and arguments[0] in _CORE:
        return _core(arguments)
    parser = argparse.ArgumentParser(prog="./janoglot", description="Dubbed speech tracks from scripts.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="command")
    start = commands.add_parser("start", help="install what is missing and bring everything up")
    start.add_argument("--port", type=int, default=8321, help="of the web server (otherwise 8321)")
    start.add_argument("--db-port", type=int, default=33321, help="of MariaDB (otherwise 33321)")
    start.add_argument("--redis-port", type=int, default=36321, help="of Redis (otherwise 36321)")
    test = commands.add_parser("test", help="run every check and test, as CI does")
    test.add_argument("only", nargs="*", help="checks · core · server · web · e2e; without any, all of them")
    test.add_argument("--changed", nargs="?", const="HEAD", metavar="BASE",
                      help="only what the change since BASE (otherwise the last commit) can affect")
    test.add_argument("--record", action="store_true", help="record which functions each test runs through")
    test.add_argument("--afresh", action="store_true", help="ask networks everything again, kept answers or not")
    for name, words in (("dub", "make every edition of a script, without a server"),
                        ("deliver", "make a package of editions, without a server"),
                        ("voices", "list the catalogue of voices"),
                        ("measure-voices", "measure one language's voices"),
                        ("measure-moods", "measure every mood on one voice's sound"),
                        ("measure-directing", "measure whether what is directed of words is heard"),
                        ("sound", "make a sound from a description"),
                        ("drafting", "list what drafts translations")):
        commands.add_parser(name, help=words)
    tidy = commands.add_parser("tidy", help="say what is kept that nothing needs, and what deleting it would free")
    tidy.add_argument("--really", action="store_true", help="delete it, not only say so")
    tidy.add_argument("--json", action="store_true", help="for programs")
    check = commands.add_parser("check", help="read all that is kept: say what is damaged, have it made again")
    check.add_argument("--only-say", action="store_true", help="take nothing out to be made again")
    check.add_argument("--json", action="store_true", help="for programs")
    commands.add_parser("rich", help="try again to install the rich voices")
    commands.add_parser("shots", help="take the pictures in docs/screenshots again")
    bench = commands.add_parser("bench", help="measure the benchmarks")
    bench.add_argument("only", nargs="*")
    trial = commands.add_parser("trial", help="put mangled files through the readers, mangled modules through tests; "
                                         "everything done by eight at once, or with services killed; casts heard")
    trial.add_argument("what", choices=["files", "mutants", "races", "kills", "casts"])
    trial.add_argument("only", nargs="*", help="of mutants: modules whose names hold one of these; of races: actions; "
                                               "of casts: languages")
    trial.add_argument("--count", type=int, default=20_000, help="how many files, mutants of each module, or kills")
    trial.add_argument("--tests-of", default="", metavar="COMMIT", help="of mutants: held by that commit's tests")
    trial.add_argument("--first", type=int, default=0, help="number of the first file; it is the same file every time")
    commands.add_parser("api", help="write the OpenAPI document and the client's types again")
    commands.add_parser("lock", help="lock the Python packages' versions again")
    options = parser.parse_args(arguments)
    if options.command == "start":
        return _start(Ports(options.port, options.db_port, options.redis_port))
    if options.command == "rich":
        install.debian_packages((*install.SPEECH, *install.COMPILE))
        install.environment(tests=False)
        install.rich_voices(again=True)
        install.recogniser(again=True)
        return 0
    if options.command == "tidy":
        return _managed(["tidy", *(f"--{name}" for name in ("really", "json") if getattr(options, name))])
    if options.command == "check":
        return _managed(["check_files", *(["--only-say"] if options.only_say else []),
                         *(["--json"] if options.json else [])])
    from janoglot.launcher import chores

    return chores.run(options)


def _core(arguments: Sequence[str]) -> int:
    install.debian_packages((*install.SPEECH, *install.COMPILE))
    install.environment(tests="--recognise" in arguments)
    install.rich_voices()
    install.recogniser()
    environment = {**os.environ, "PYTHONPATH": str(HOME / "src"), "JANOGLOT_VAR": str(VAR), "OMP_NUM_THREADS": "1"}
    os.execve(PYTHON, [str(PYTHON), "-m", "janoglot.cli.main", *arguments], environment)


def _managed(command: Sequence[str]) -> int:
    """With the database of whatever runs from this folder, or with one of our own for the while."""
    install.debian_packages((*install.SPEECH, *install.SERVICES, *install.COMPILE))
    install.environment(tests=False)
    install.var_folder()
    with (VAR / "run" / "start.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            ports = Ports(**json.loads((VAR / "run" / "ports.json").read_text()))
            return manage(command, server_environment(VAR, ports), check=False)
        with data_services(VAR) as (_, environment, _):
            manage(["migrate", "--verbosity", "0"], environment)
            return manage(command, environment, check=False)


def _start(ports: Ports) -> int:
    install.debian_packages((*install.SPEECH, *install.LANGUAGES, *install.MEDIA, *install.SERVICES, *install.COMPILE))
    install.environment(tests=False)
    install.rich_voices()
    install.recogniser()
    install.web_build()
    install.var_folder()
    lock = (VAR / "run" / "start.lock").open("a+")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.seek(0)
        raise Trouble(f"Janoglot is running from this folder already: {lock.read().strip()}") from None
    environment = {**server_environment(VAR, ports), "JANOGLOT_VOICE_DEMO": "1"}
    services: list[Service] = []
    # Set, not only defaulted: a shell starts background jobs with the interrupt ignored.
    for ending in (signal.SIGINT, signal.SIGTERM):
        signal.signal(ending, signal.default_int_handler)
    try:
        made = [mariadb(VAR, ports.database), redis(VAR, ports.redis), web_server(VAR, ports, environment)]
        for service in made:
            service.end_leftover()
        for port, what, option in (
            (ports.database, "MariaDB", "--db-port"),
            (ports.redis, "Redis", "--redis-port"),
            (ports.web, "the web server", "--port"),
        ):
            require_free(port, what, option)
        services += made[:2]
        start_together(services)
        manage(["prepare"], environment)
        services += [worker(VAR, environment), made[2]]
        start_together(services[2:])
        # Nobody waits for these: until they are up, the other workers take what is asked for now.
        for made_later in (now_worker(VAR, environment), soon_worker(VAR, environment)):
            services.append(made_later)
            made_later.spawn()
        address = f"http://127.0.0.1:{ports.web}/"
        (VAR / "run" / "ports.json").write_text(json.dumps(asdict(ports)))
        lock.truncate(0)
        lock.write(address)
        lock.flush()
        print(f"\nJanoglot is at {address}   (Ctrl-C ends it)\n", flush=True)
        supervise(services)
    except KeyboardInterrupt:
        print("\njanoglot: ending", flush=True)
    finally:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        stop_together(services)
    return 0


if __name__ == "__main__":
    try:
        sys.exit(main(sys.argv[1:]))
    except Trouble as trouble:
        print(f"janoglot: {trouble}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        sys.exit(130)
    except subprocess.CalledProcessError as error:
        print(f"janoglot: {Path(error.cmd[0]).name} failed with status {error.returncode}", file=sys.stderr)
        sys.exit(1)
