"""``./janoglot trial kills``: services killed again and again while people write and workers work.

Six people write into one production and keep what was confirmed to them; a job voices another; one of the services is
killed (``SIGKILL``) every few seconds, sometimes two, and comes back by itself. In the end everything that was
confirmed is there, once, and no job is left standing.
"""

from __future__ import annotations

import itertools
import json
import random
import signal
import sys
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from typing import Any

from janoglot.launcher.places import VAR
from janoglot.launcher.services import Supervisor
from janoglot.launcher.stack import Stack
from trial.people import Answer, Somebody, janoglot, new_production, signed_in, still_running

PEOPLE = 6
HEARTBEAT = 4.0
BETWEEN = (2.0, 6.0)
"""Seconds between a service's return and the next kill."""
_LINES = 60


@dataclass
class Written:
    """What was confirmed: terms, and the newest wording of each line, by whoever alone writes it."""

    terms: list[str] = field(default_factory=list)
    wordings: dict[int, str] = field(default_factory=dict)
    unsure: dict[int, str] = field(default_factory=dict)
    """Sent after the newest that was confirmed, and nobody answered: there or not."""
    asked: int = 0
    refused: Counter[int] = field(default_factory=Counter)
    faults: set[str] = field(default_factory=set)
    """What was said with a 5xx other than 503."""

    def refuse(self, answer: Answer) -> None:
        self.refused[answer.status] += 1
        if answer.status >= 500 and answer.status != 503:
            self.faults.add(f"{answer.status} {answer.text}")


def main(count: int) -> int:
    """Kill ``count`` times. Exit status: 0 where nothing was lost, nothing is twice, nothing stands."""
    with janoglot(JANOGLOT_HEARTBEAT=str(HEARTBEAT), JANOGLOT_DATABASE_PATIENCE="8") as stack:
        owner, editor = signed_in(stack, "owner"), signed_in(stack, "editor")
        production, voiced = new_production("Written"), _long(owner)
        path = f"/api/productions/{production.pk}/editions/es-MX/"
        lines = [row["id"] for row in owner.ask("get", path).told["lines"]]
        written = [Written() for _ in range(PEOPLE)]
        over = threading.Event()
        threads = [threading.Thread(target=_write, args=(one, path, number, lines, written[number], over))
                   for number, one in enumerate([owner, editor] * (PEOPLE // 2))]
        job = owner.ask("post", f"{voiced}voicings/", {}).told["id"]
        for thread in threads:
            thread.start()
        killed = _kill(stack, count)
        over.set()
        for thread in threads:
            thread.join(120)
        lost, twice = _missing(owner, path, written)
        stuck = still_running(240)
        state = owner.ask("get", f"/api/jobs/{job}/").told["state"]
    confirmed = sum(len(one.terms) for one in written) + sum(one.asked for one in written)
    print(f"\n{count} kills ({', '.join(f'{name} {n}' for name, n in sorted(killed.items()))}), "
          f"{confirmed} confirmed writes by {PEOPLE} people; the voicing: {state}")
    refused = sum((one.refused for one in written), Counter())
    print("not confirmed:", ", ".join(f"{status or 'no answer'}: {n}" for status, n in sorted(refused.items())) or "none")
    wrong = sorted(set().union(*(one.faults for one in written)))
    found: dict[str, list[Any]] = {"lost": lost, "twice": twice, "stuck": stuck, "5xx but 503": wrong}
    for name, rows in found.items():
        print(f"{name}: {len(rows)}", *rows[:20], sep="\n  ")
    (VAR / "kills.json").write_text(json.dumps({"kills": dict(killed), "confirmed": confirmed, "refused": refused, **found},
                                               indent=1))
    return 1 if any(found.values()) or state != "done" else 0


def _long(owner: Somebody) -> str:
    """An edition with something to voice: its path."""
    text = "speaker\ten-GB\tes-MX\n" + "".join(
        f"Keeper\tUnder room {n} the water turned.\tBajo el cuarto {n} el agua cambió de rumbo.\n" for n in range(_LINES))
    draft = owner.ask("post", "/api/imports/", {"text": text}).told["draft"]
    number = owner.ask("post", f"/api/imports/{draft}/production/", {"name": "Voiced"}).told["id"]
    path = f"/api/productions/{number}/editions/es-MX/"
    owner.ask("post", f"{path}castings/", {})
    return path


def _write(one: Somebody, path: str, number: int, lines: list[int], written: Written, over: threading.Event) -> None:
    """Terms of one's own; and whoever has a line to themselves, its words. What nobody answered is sent again, as the
    page does, under the same key."""
    line = lines[number] if number < len(lines) else None
    for turn in itertools.count():
        if over.is_set():
            return
        term = f"tide {number} {turn}"
        while True:
            answer = one.ask("post", f"{path}terms/", {"original": term, "text": f"marea {turn}"}, key=term, patience=15)
            if answer.status == 201:
                written.terms.append(term)
                break
            written.refuse(answer)
            time.sleep(0.3)
            if over.is_set():
                return
        if line is not None:
            _word(one, path, line, f"Frase {number} {turn}.", written)


def _word(one: Somebody, path: str, line: int, text: str, written: Written) -> None:
    seen = one.ask("get", path, patience=15)
    row = next((row for row in seen.told["lines"] if row["id"] == line), None) if seen.status == 200 else None
    if row is None:
        written.refuse(seen)
        return
    answer = one.ask("put", f"{path}wordings/{line}/", {"text": text, "revision": row["revision"]}, patience=15)
    if answer.status == 200:
        written.wordings[line] = text
        written.unsure.pop(line, None)
        written.asked += 1
    else:
        written.refuse(answer)
        if answer.status in (0, 500, 502, 503, 504):
            written.unsure[line] = text


def _kill(stack: Stack, count: int) -> Counter[str]:
    """… and look after what comes back, as the start command does."""
    supervisor = Supervisor(list(stack.services.values()), lambda text: print(text, flush=True))
    chance, killed = random.Random(1), Counter[str]()
    names = ("mariadb", "redis", "worker", "now", "web")
    while sum(killed.values()) < count:
        pause = time.monotonic() + chance.uniform(*BETWEEN)
        while time.monotonic() < pause:
            supervisor.look()
            time.sleep(0.1)
        for name in chance.sample(names, 2 if chance.random() < 0.25 else 1):
            process = stack.services[name].process
            assert process is not None
            process.send_signal(signal.SIGKILL)
            process.wait()
            killed[name] += 1
        until = time.monotonic() + 90
        supervisor.look()
        while not all(one.up for one in supervisor.watched.values()):
            assert time.monotonic() < until, "something does not come back"
            supervisor.look()
            time.sleep(0.1)
    return killed


def _missing(owner: Somebody, path: str, written: list[Written]) -> tuple[list[str], list[str]]:
    there = Counter(row["original"] for row in owner.ask("get", f"{path}terms/").told)
    told = [term for one in written for term in one.terms]
    lost = [term for term in told if not there[term]]
    twice = [f"{term} × {there[term]}" for term in told if there[term] > 1]
    words = {row["id"]: row["words"] for row in owner.ask("get", path).told["lines"]}
    for one in written:
        lost += [f"line {line}: {text!r}, and not {words[line]!r}" for line, text in one.wordings.items()
                 if words[line] not in (text, one.unsure.get(line))]
    return lost, twice


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1])))
