"""Every key that the list of keys names does what it says: after a click with the mouse, and come to by Tab."""

from __future__ import annotations

import itertools
import json
import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import HOME, go_to, open_at, production_of, written
from tests.e2e.program import Program, until

SCRIPT = """speaker,in,out,en-GB,es-MX
Pilot,0:01,0:03,The tide is turning.,La marea está cambiando.
Cook,0:03.5,0:05,Then the soup must wait.,Entonces la sopa debe esperar mucho más tiempo del que nadie aquí querría esperar jamás.
Pilot,0:06,0:08,Everything waits for the 3 tides.,Todo espera a las mareas.
Cook,0:08.5,0:10,Even the soup.,
Pilot,0:11,0:13,Even the soup of Mondays.,Hasta la sopa de los lunes.
"""
NAMED = json.loads((HOME / "web" / "src" / "shared" / "words" / "en.json").read_text("utf-8"))["keys"]

UNSAID = itertools.count(11)


def ids(page: Page) -> list[int]:
    return [line["id"] for line in Program.of(page).edition(production_of(page), "en-GB")["lines"]]


def line(page: Page, number: int) -> dict[str, object]:
    found: dict[str, object] = Program.of(page).edition(production_of(page), "es-MX")["lines"][number - 1]
    return found


def state(page: Page, number: int) -> str:
    """How far the words of a line are."""
    told = Program.of(page).get(f"/api/productions/{production_of(page)}/editions/es-MX/wordings/")["wordings"]
    return next(str(one["state"]) for one in told if one["line"] == ids(page)[number - 1])


def pick(page: Page, number: int) -> None:
    """Choose a line with the mouse."""
    choose = page.get_by_role("button", name=f"Choose line {number}", exact=True)
    row = page.locator(f"[data-line='{ids(page)[number - 1]}']").first
    expect(choose.or_(row).first).to_be_visible()
    if choose.count():
        choose.click()
    else:
        row.click(**({} if "/time" in page.url else {"position": {"x": 8, "y": 8}}))
    expect(page).to_have_url(re.compile(f"line={ids(page)[number - 1]}"))


def at_line(page: Page, number: int) -> None:
    expect(page).to_have_url(re.compile(f"line={ids(page)[number - 1]}(&|$)"))


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)


def dialog(page: Page, key: str) -> None:
    press(page, key)
    expect(page.get_by_role("dialog")).to_be_visible()
    press(page, "Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def plays(page: Page) -> None:
    press(page, "Space")
    expect(page.get_by_role("button", name="Pause", exact=True)).to_be_visible()
    press(page, "Space")
    expect(page.get_by_role("button", name=re.compile("^Play"))).to_be_visible()


def steps(page: Page, forth: str, back: str) -> None:
    press(page, forth)
    at_line(page, 3)
    press(page, back)
    at_line(page, 2)


def several(page: Page) -> None:
    press(page, "Shift+ArrowDown")
    expect(page.get_by_text("2 lines chosen").first).to_be_visible()
    press(page, "Escape")


def kind_and_back(page: Page) -> None:
    """O, then undo and redo, each seen on the line."""
    sign = page.locator("[aria-current=true]").get_by_role("img", name=re.compile("^On screen"))
    press(page, "o")
    expect(sign).to_be_visible()
    written(page)
    press(page, "Control+z")
    expect(sign).to_have_count(0)
    written(page)
    press(page, "Control+Shift+z")
    expect(sign).to_be_visible()
    written(page)
    press(page, "o")
    expect(sign).to_have_count(0)
    written(page)


def sight(page: Page) -> None:
    seen = page.locator("[aria-current=true]").get_by_role("img", name=re.compile("[Mm]outh"))
    press(page, "i")
    expect(seen).to_be_visible()
    press(page, "i")
    press(page, "i")
    expect(seen).to_have_count(0)
    written(page)


def moved(page: Page) -> None:
    second, third = ids(page)[1:3]
    press(page, "Alt+ArrowDown")
    until(lambda: ids(page)[1:3] == [third, second], "the line below")
    press(page, "Alt+ArrowUp")
    until(lambda: ids(page)[1:3] == [second, third], "the line back")


def stages(page: Page) -> None:
    names = ["Script", "Cast", "Adapt", "Direct", "Time", "Mix", "Deliver"]
    for number, name in enumerate(names, 1):
        press(page, str(number))
        expect(page.get_by_role("navigation", name="Stages").get_by_role("button", name=name, exact=True)).to_have_attribute("aria-current", "page")
    press(page, "1")


def typed_and_cut(page: Page) -> None:
    """Enter types in the line, cuts it at the caret; Backspace at its start joins it again."""
    field = page.get_by_role("textbox", name="Words of line 2")
    press(page, "Enter")
    expect(field).to_be_focused()
    press(page, "Home", *["ArrowRight"] * 8, "Enter")
    until(lambda: len(ids(page)) == 6, "a line more")
    second = page.get_by_role("textbox", name="Words of line 3")
    expect(second).to_be_focused()
    written(page)
    press(page, "Home", "Backspace")
    until(lambda: len(ids(page)) == 5, "one line again")
    written(page)
    press(page, "Escape")


def same_field(page: Page) -> None:
    notes = page.get_by_role("textbox", name=re.compile("^Note"))
    notes.first.focus()
    press(page, "Control+ArrowDown")
    at_line(page, 3)
    expect(page.locator("[aria-current=true]").get_by_role("textbox", name=re.compile("^Note"))).to_be_focused()
    press(page, "Control+ArrowUp")
    at_line(page, 2)
    press(page, "Escape")


def finds(page: Page) -> None:
    press(page, "Control+f")
    expect(page.get_by_label("Find", exact=True).first).to_be_visible()


def gives(page: Page) -> None:
    press(page, "g")
    expect(page.get_by_text("One key gives the line to")).to_be_visible()
    press(page, "Escape")


def to_speaker(page: Page) -> None:
    press(page, "s")
    until(lambda: page.evaluate("document.activeElement.tagName") == "INPUT", "a field to write the speaker in")
    press(page, "Escape")
    page.evaluate("document.activeElement.blur()")
    press(page, "Escape")


def panels(page: Page) -> None:
    where = "() => { const one = document.activeElement?.closest('header, nav, main, aside, footer, [role=list], [role=grid]'); return one ? one.tagName + (one.getAttribute('aria-label') ?? '') : '' }"
    before = page.evaluate(where)
    press(page, "F6")
    assert page.evaluate(where) != before
    press(page, "Shift+F6")


def voices(page: Page) -> None:
    field = page.get_by_role("textbox", name="Line 2 in Español (México)")
    # Words that nobody has said yet: else there is nothing to voice.
    number = next(UNSAID)
    Program.of(page).call("put", f"/api/productions/{production_of(page)}/editions/es-MX/wordings/{ids(page)[1]}/", {
        "text": f"Entonces la sopa debe esperar {number}.", "revision": line(page, 2)["revision"], "reopen": False})
    expect(field).to_have_value(re.compile(rf"esperar {number}\.$"))
    assert line(page, 2)["state"] != "current"
    press(page, "v")
    until(lambda: line(page, 2)["state"] == "current", "the line voiced")


def goes_to_what_is_open(page: Page) -> None:
    for key, number in (("e", 4), ("l", 2), ("c", 5), ("d", 3)):
        press(page, key)
        at_line(page, number)
        # It is typed in now.
        press(page, "Escape")
    press(page, "r")
    at_line(page, 3)
    pick(page, 2)


def approves(page: Page) -> None:
    press(page, "a")
    until(lambda: state(page, 2) == "approved", "approved")
    press(page, "a")
    until(lambda: state(page, 2) != "approved", "not approved any more")
    page.get_by_role("textbox", name="Line 2 in Español (México)").focus()
    press(page, "Control+Enter")
    until(lambda: state(page, 2) == "approved", "approved while typing")
    press(page, "Escape")
    page.evaluate("document.activeElement.blur()")
    written(page)
    pick(page, 2)
    press(page, "a")
    until(lambda: state(page, 2) != "approved", "not approved again")


def board(page: Page) -> None:
    button = page.get_by_role("toolbar", name="Adapt").get_by_role("button", name=re.compile("languages|Lines")).first
    before = button.get_attribute("aria-pressed")
    press(page, "b")
    expect(button).not_to_have_attribute("aria-pressed", str(before))
    press(page, "b")
    expect(button).to_have_attribute("aria-pressed", str(before))


def hears(page: Page) -> None:
    source = page.locator("footer").get_by_role("radio", name=re.compile("^Source|English"))
    before = source.get_attribute("aria-checked")
    press(page, "h")
    expect(source).not_to_have_attribute("aria-checked", str(before))
    press(page, "h")
    expect(source).to_have_attribute("aria-checked", str(before))


def nudges(page: Page) -> None:
    start = float(str(line(page, 2)["start"]))
    press(page, "Alt+ArrowDown")
    until(lambda: abs(float(str(line(page, 2)["start"])) - start) > 0.005, "10 ms later")
    written(page)
    press(page, "Control+z")
    until(lambda: abs(float(str(line(page, 2)["start"])) - start) < 0.005, "where it was")
    written(page)


def misfits(page: Page) -> None:
    pick(page, 1)
    press(page, "x")
    at_line(page, 2)


def cures(page: Page) -> None:
    before = line(page, 2)
    press(page, "c")
    until(lambda: line(page, 2) != before, "a cure")
    written(page)
    press(page, "Control+z")
    until(lambda: [line(page, 2)[one] for one in ("words", "start", "own")] == [before[one] for one in ("words", "start", "own")], "as it was")
    written(page)


def zooms(page: Page) -> None:
    drawn = page.locator(f"[data-line='{ids(page)[1]}']").first

    def height() -> float:
        # Of the line alone: what the panel beside it holds comes when it comes.
        box = drawn.bounding_box()
        return box["height"] if box else 0.0
    before = height()
    press(page, "+")
    until(lambda: height() > before, "nearer")
    press(page, "-")
    until(lambda: height() == pytest.approx(before, rel=0.05), "as before")
    press(page, "0")


DONE: dict[str, tuple[str, Callable[[Page], None]]] = {
    "arrows": ("Adapt", lambda page: steps(page, "ArrowDown", "ArrowUp")), "comma": ("Adapt", lambda page: steps(page, ".", ",")),
    "shiftArrows": ("Script", several), "space": ("Adapt", plays), "ab": ("Adapt", hears), "o": ("Script", kind_and_back),
    "undo": ("Script", kind_and_back), "redo": ("Script", kind_and_back), "i": ("Script", sight), "altArrows": ("Script", moved),
    "digits": ("Script", stages), "help": ("Mix", lambda page: dialog(page, "?")), "panels": ("Script", panels),
    "enter": ("Script", typed_and_cut), "backspace": ("Script", typed_and_cut), "find": ("Script", finds), "g": ("Script", gives),
    "s": ("Script", to_speaker), "sameField": ("Script", same_field),
    "adaptNext": ("Adapt", goes_to_what_is_open), "adaptApprove": ("Adapt", approves), "board": ("Adapt", board),
    "altNudge": ("Time", nudges), "nextBad": ("Time", misfits), "cure": ("Time", cures), "zoom": ("Time", zooms), "v": ("Adapt", voices)}


def test_every_key_of_the_list_is_tried() -> None:
    assert set(DONE) == set(NAMED)


USED_BY_CONTROLS = {"arrows", "shiftArrows", "space", "enter", "backspace", "altArrows", "altNudge", "sameField", "cure", "zoom"}
"""What a control that one has come to by Tab may use itself."""


def tab_to_a_control(page: Page) -> None:
    """By Tab from where the mouse was, to the next that nothing is typed in."""
    for _ in range(40):
        press(page, "Tab")
        if page.evaluate("() => document.activeElement !== document.body && !document.activeElement.closest('input, textarea, select')"):
            return
    raise AssertionError("there is nothing to come to by Tab")


def focused(page: Page) -> str:
    return str(page.evaluate("() => document.activeElement.outerHTML.slice(0, 160)"))


def begin(page: Page) -> int:
    program = Program.of(page)
    production = program.bring_in(SCRIPT, "Every key")
    source = program.edition(production, "en-GB")["lines"][4]
    for language in ("en-GB", "es-MX"):
        program.voice(production, language)
    program.call("put", f"/api/productions/{production}/editions/en-GB/wordings/{source['id']}/", {
        "text": "Even the soup of Tuesdays.", "revision": source["revision"], "reopen": False})
    return production


@pytest.mark.parametrize("stage", ["Script", "Adapt", "Time", "Mix"])
def test_keys_do_what_the_list_says(page: Page, stage: str) -> None:
    production = begin(page)
    open_at(page, production, "es-MX", stage)
    tried: set[Callable[[Page], None]] = set()
    for name, (where, act) in DONE.items():
        if where != stage or act in tried:
            continue
        tried.add(act)
        for by_tab in (False, True):
            if stage != "Mix":
                pick(page, 2)
            if by_tab:
                if name in USED_BY_CONTROLS:
                    continue
                tab_to_a_control(page)
            try:
                act(page)
            except AssertionError as fault:
                raise AssertionError(f"{name} ({NAMED[name]['key']}), {'come to by Tab' if by_tab else 'after a click'}, with {focused(page)}: {fault}") from fault
            go_to(page, stage)
