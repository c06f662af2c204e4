"""A whole Janoglot of its own, on free ports and in a folder of its own: for tests, pictures, benchmarks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from janoglot.launcher.services import (
    Ports,
    Service,
    manage,
    mariadb,
    now_worker,
    redis,
    server_environment,
    soon_worker,
    start_together,
    web_server,
    worker,
)


@dataclass
class Stack:
    """What is running: its address, its folder, and the environment that reaches its services."""

    address: str
    var: Path
    environment: Mapping[str, str]
    services: dict[str, Service]


@contextmanager
def data_services(var: Path) -> Iterator[tuple[Ports, dict[str, str], list[Service]]]:
    """MariaDB and Redis alone: their ports, the environment that reaches them, and themselves."""
    ports = Ports.free()
    started = [mariadb(var, ports.database), redis(var, ports.redis)]
    try:
        start_together(started)
        yield ports, server_environment(var, ports), started
    finally:
        for service in reversed(started):
            service.stop()


@contextmanager
def running_stack(var: Path, extra: Mapping[str, str] | None = None, prepared: bool = False) -> Iterator[Stack]:
    """Everything, with the demo data, until the block ends; what it has made is for nobody then, and nothing is waited
    for. ``prepared``: the folder is a copy of one where that is."""
    with data_services(var) as (ports, environment, data):
        environment = {**environment, **(extra or {})}
        if not prepared:
            manage(["prepare"], environment)
        services = {"worker": worker(var, environment), "now": now_worker(var, environment),
                    "soon": soon_worker(var, environment), "web": web_server(var, ports, environment)}
        try:
            start_together(list(services.values()))
            yield Stack(f"http://127.0.0.1:{ports.web}", var, environment, {
                **{one.name: one for one in data}, **services})
        finally:
            for service in services.values():
                service.end()
