"""A whole Janoglot of its own, and Debian's Chromium to use it with."""

from __future__ import annotations

import fcntl
import os
import re
import shutil
import subprocess
from collections.abc import Generator, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
import soundfile
from playwright.sync_api import Browser, Page, Playwright, Request, expect, sync_playwright
from playwright.sync_api import Error as PlaywrightError

from janoglot.launcher.places import CHROMIUM, PYTHON, VAR
from janoglot.launcher.services import manage
from janoglot.launcher.stack import Stack, data_services, running_stack
from janoglot.tally import tally
from tests.e2e.program import Program

# A busy machine is no fault of the page.
expect.set_options(timeout=15_000)
HOME = Path(__file__).resolve().parents[2]
FLAGS = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-sync",
         "--disable-component-update", "--autoplay-policy=no-user-gesture-required", "--mute-audio",
         "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"]


SEEN: pytest.StashKey[tuple[Page, list[str], Stack]] = pytest.StashKey()
WRITING: dict[Page, set[Request]] = {}
"""By page, what it has sent to be written and has no answer to yet."""
BROKEN: pytest.StashKey[bool] = pytest.StashKey()
KEPT = VAR / "proof" / "broken"
"""What is kept of journeys that broke off: a trace for Playwright's viewer, the services' logs, the queue."""


LONGEST_FIRST = ("test_words_and_times.py", "test_services_fall.py", "test_review.py", "test_sound_world.py", "test_journey.py", "test_nothing_lost.py")
"""So that no process is left with a long file when the other is done."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    place = {name: number for number, name in enumerate(LONGEST_FIRST)}
    items.sort(key=lambda one: place.get(one.path.name, len(place)))


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    """What was to be seen where a journey broke off, and what everything behind it said: a machine far away shows nothing else."""
    report = yield
    if report.failed and SEEN in item.stash and BROKEN not in item.stash:
        item.stash[BROKEN] = True
        page, faults, stack = item.stash[SEEN]
        try:
            seen = page.locator("body").inner_text(timeout=2_000)[:2_000]
        except PlaywrightError as error:
            seen = str(error)
        report.sections.append(("page", f"{page.url}\n{seen}\n{faults[-20:]}"))
        report.sections.append(("behind it", _behind(stack, _kept(item))))
    return report


def _kept(item: pytest.Item) -> Path:
    folder = KEPT / re.sub(r"[^\w-]+", "_", item.nodeid)[-120:]
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _behind(stack: Stack, folder: Path) -> str:
    """Keeps the services' logs and the queue, and gives the ends of them."""
    ends = []
    for log in sorted((stack.var / "log").glob("*.log")):
        shutil.copyfile(log, folder / log.name)
        last = log.read_text(errors="replace").splitlines()[-8:]
        ends += [f"{log.name}: {line[:300]}" for line in last]
    jobs = ("from janoglot.productions.models import Job; import json; "
            "print(json.dumps([[j.pk, j.kind, j.queue, j.state, j.tries, j.share, j.fault, str(j.heartbeat)] "
            "for j in Job.objects.order_by('-pk')[:20]]))")
    asked = subprocess.run([str(PYTHON), "-m", "django", "shell", "-v", "0", "-c", jobs], capture_output=True, text=True, timeout=60,
                           env={**os.environ, **stack.environment})
    queue = asked.stdout.strip() or asked.stderr.strip()[-500:]
    (folder / "queue.json").write_text(queue)
    return "\n".join([*ends, f"jobs: {queue[:2_000]}"])


@pytest.fixture(scope="session")
def prepared(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the demo in its database, at rest: made once for all processes of a run, and copied from."""
    root = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        root = root.parent
    var = root / "prepared"
    with (root / "prepared.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (var / "ready").exists():
            with data_services(var) as (_, environment, _):
                manage(["prepare"], environment)
            (var / "ready").touch()
    return var


@contextmanager
def stack_of(prepared: Path, var: Path, **more: str) -> Iterator[Stack]:
    """A Janoglot of its own, with the demo as it comes."""
    shutil.copytree(prepared, var, symlinks=True)
    # Rich voices take their time: a journey that is about them asks for them.
    with running_stack(var, {"JANOGLOT_FINISH_BEHIND": "0", **more}, prepared=True) as running:
        yield running
    shutil.rmtree(var, ignore_errors=True)


@pytest.fixture(scope="session")
def shared(prepared: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    with stack_of(prepared, tmp_path_factory.mktemp("var") / "of") as running:
        yield running


@pytest.fixture(scope="module")
def stack(request: pytest.FixtureRequest, prepared: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    """Files of journeys that change the demo have one of their own (``OWN_STACK``); those that make what they need share
    one. So what a journey of one file leaves, no other finds, in whatever order they run."""
    if not getattr(request.module, "OWN_STACK", False):
        yield request.getfixturevalue("shared")
        return
    with stack_of(prepared, tmp_path_factory.mktemp("var") / "of") as running:
        yield running


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as running:
        yield running


@pytest.fixture(scope="session")
def browser(playwright: Playwright, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Browser]:
    # What its microphone hears is the demo's guide.
    heard = tmp_path_factory.mktemp("microphone") / "guide.wav"
    samples, rate = soundfile.read(HOME / "demo" / "guide-39.flac")
    soundfile.write(heard, samples, rate, subtype="PCM_16")
    chromium = playwright.chromium.launch(executable_path=CHROMIUM,
                                          args=[*FLAGS, f"--use-file-for-fake-audio-capture={heard}"])
    tally("browser started")
    yield chromium
    chromium.close()


@pytest.fixture
def page(stack: Stack, browser: Browser, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A signed-in demo user at the list of productions. A script error anywhere fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True, base_url=stack.address)
    context.set_default_timeout(30_000)
    context.tracing.start(snapshots=True)
    made = context.new_page()
    faults: list[str] = []
    request.node.stash[SEEN] = (made, faults, stack)
    WRITING[made] = set()
    made.on("request", lambda one: WRITING[made].add(one) if one.method != "GET" else None)
    made.on("requestfinished", lambda one: WRITING[made].discard(one))
    made.on("requestfailed", lambda one: WRITING[made].discard(one))
    made.on("pageerror", lambda error: faults.append(str(error)))
    made.on("console", lambda message: faults.append(message.text) if message.type == "error" else None)
    made.goto("/")
    made.get_by_role("button", name="Look around as the demo user").click()
    expect(made.get_by_role("heading", name="Productions")).to_be_visible()
    yield made
    if BROKEN in request.node.stash:
        context.tracing.stop(path=_kept(request.node) / "trace.zip")
    context.close()
    expected = [fault for fault in faults if not re.search(r"status of (400|409|503)|ERR_INTERNET_DISCONNECTED", fault)]
    assert not expected


def open_at(page: Page, production: int, language: str, stage: str) -> None:
    """Go straight to a stage of an edition, by its address."""
    page.goto(f"/productions/{production}/{language}/{stage.lower()}")
    button = page.get_by_role("navigation", name="Stages").get_by_role("button", name=stage, exact=True)
    expect(button).to_have_attribute("aria-current", "page")


def production_of(page: Page) -> int:
    found = re.search(r"/productions/(\d+)", page.url)
    assert found
    return int(found[1])


def open_production(page: Page, name: str, edition: str, stage: str) -> None:
    page.get_by_role("link", name=re.compile(name)).click()
    choose_edition(page, edition)
    go_to(page, stage)


def choose_edition(page: Page, edition: str) -> None:
    tab = page.get_by_role("tab", name=edition)
    tab.click()
    expect(tab).to_have_attribute("aria-selected", "true")


def go_to(page: Page, stage: str) -> None:
    page.get_by_role("navigation", name="Stages").get_by_role("button", name=stage, exact=True).click()


def open_view(page: Page, view: str) -> None:
    """One part of Deliver: Packages, Quality report, Review, Rights, Single files."""
    tab = page.get_by_role("tab", name=view)
    if tab.get_attribute("aria-selected") != "true":
        tab.click()


def make_ready(page: Page, finish: bool = False) -> None:
    """Press the main button until there is a mix: of sketches, or of what is finished, ready to hand over."""
    main = page.get_by_role("banner")
    button = main.get_by_role("button", name=re.compile("^(Give|Voice|Finish|Make the mix|Mix|Hand over)"))
    # How far a mix is told counts as a look, too.
    for _ in range(80):
        expect(button).to_be_enabled(timeout=900_000)
        label = button.inner_text()
        if label == "Hand over":
            return
        if label.startswith("Mixing") or ("sketches" in label and not label.startswith("Finish")):
            # It is being finished or mixed just now, and something else could be done meanwhile.
            expect(main.get_by_role("button", name=label, exact=True)).to_have_count(0, timeout=900_000)
            continue
        if label.startswith("Finish") and not finish:
            go_to(page, "Mix")
            make = page.get_by_role("main").get_by_role("button", name=re.compile("^(Make the mix|Mix now)"))
            expect(make.or_(page.get_by_text(re.compile("^Programme −"))).first).to_be_visible()
            if make.is_visible():
                make.click()
            expect(page.get_by_text(re.compile("^Programme −"))).to_be_visible(timeout=900_000)
            return
        button.click()
        expect(main.get_by_role("button", name=label, exact=True)).to_have_count(0, timeout=900_000)
    raise AssertionError("there is still something to do before handing over")


def ready(page: Page, finish: bool = False) -> None:
    """The edition that the page shows, voiced and mixed behind it, and shown again: for journeys about something else."""
    language = re.search(r"/productions/\d+/([\w-]+)", page.url)
    assert language
    Program.of(page).ready(production_of(page), language[1], finish)
    page.reload()
    expect(page.get_by_role("navigation", name="Stages")).to_be_visible()


def written(page: Page) -> None:
    """Wait until what was done on the page has been written: nothing is on its way, nor sets off in the next moment."""
    quiet = 0
    for _ in range(600):
        page.evaluate("() => new Promise((done) => setTimeout(done, 50))")
        quiet = 0 if WRITING[page] else quiet + 1
        if quiet == 3:
            return
    raise AssertionError(f"still writing: {[one.url for one in WRITING[page]]}")


def check_accessibility(page: Page, within: str = "html") -> None:
    """No serious fault by axe-core's rules for WCAG 2.2 AA, in the elements ``within``."""
    page.evaluate((HOME / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text())
    found = page.evaluate(
        "within => axe.run(within, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']})", within)
    serious = [(v["id"], v["nodes"][0]["html"][:160], v["nodes"][0]["failureSummary"][:300])
               for v in found["violations"] if v["impact"] in ("serious", "critical")]
    assert not serious, serious
