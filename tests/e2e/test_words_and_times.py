"""A translation that was cut otherwise becomes a dub that lies in its slots; wordings go out and come back; lines are
moved on the ladder."""

from __future__ import annotations

import random
import re
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
import srt as srt_library
from playwright.sync_api import Locator, Page, expect
from playwright.sync_api import TimeoutError as PlaywrightTimeout
from translate.storage import xliff

from janoglot.core.script.formats import read_script
from tests.core.test_aligning import variant
from tests.e2e.conftest import HOME, check_accessibility, choose_edition, go_to, make_ready, open_production, ready
from tests.e2e.program import Program
from tests.e2e.test_journey import take_away

OWN_STACK = True

DEMO = HOME / "demo" / "tidewater-clock.csv"
SCRIPT = read_script(DEMO.read_bytes(), DEMO.name)


def answers(page: Page, path: str) -> Any:
    return Program.of(page).get(f"/api/{path}")


def field(page: Page, number: int) -> Locator:
    return page.get_by_role("textbox", name=re.compile(rf"^Line {number} in "))


def speech(place: Path) -> list[tuple[float, float]]:
    """Where there is sound in a track, by the track alone: runs above −50 dB of its loudest, in seconds."""
    samples, rate = soundfile.read(place, dtype="float32")
    mono = np.abs(samples if samples.ndim == 1 else samples.max(axis=1))
    size = rate // 200
    level = np.pad(mono, (0, -len(mono) % size)).reshape(-1, size).max(axis=1)
    loud = np.concatenate([[False], level > level.max() * 10 ** (-50 / 20), [False]])
    edges = np.flatnonzero(loud[1:] != loud[:-1])
    return [(a / 200, b / 200) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def test_a_foreign_cut_translation_is_aligned_cured_and_delivered_within_its_slots(page: Page, tmp_path: Path) -> None:
    truth, cues, offset, _ = variant(random.Random(11), "de-DE", {"merged", "split", "shifted", "jitter"})
    file = tmp_path / "foreign.srt"
    import datetime

    file.write_text(srt_library.compose([
        srt_library.Subtitle(n, datetime.timedelta(seconds=max(0.0, cue.start or 0.0)),
                             datetime.timedelta(seconds=max(0.1, cue.end or 0.0)), cue.text)
        for n, cue in enumerate(sorted(cues, key=lambda cue: cue.start or 0.0), 1) if (cue.start or 0.0) >= 0]), "utf-8")
    open_production(page, "The Tidewater Clock", "Deutsch", "Adapt")
    page.get_by_role("button", name="Bring in", exact=True).click()
    page.get_by_role("menuitem", name="Translated captions").click()
    sheet = page.get_by_role("dialog", name=re.compile("Captions in"))
    sheet.locator("input[type=file]").set_input_files(file)
    expect(sheet.get_by_label("Offset")).to_have_value(re.compile(rf"^{round(offset)}|{int(offset)}"))
    check_accessibility(page)
    sheet.get_by_role("button", name=re.compile(r"^Write \d+ lines")).click()
    expect(sheet).to_be_hidden()

    # What is doubtful is looked at, put right where it is wrong, and approved, by keyboard.
    tools = page.get_by_role("toolbar", name="Adapting")
    following = tools.get_by_role("button", name=re.compile("^Next doubtful"))
    expect(following).to_have_text(re.compile(r"doubtful \d+"))
    for _ in range(60):
        if not following.count():
            break
        try:
            before = following.inner_text(timeout=5_000)
            following.click(timeout=5_000)
        except PlaywrightTimeout:
            # The last one was approved, and what is doubtful has been counted again meanwhile.
            if following.count():
                raise
            break
        current = page.locator("textarea:focus")
        expect(current).to_have_count(1)
        number = int(re.findall(r"\d+", current.get_attribute("aria-label") or "")[0])
        if current.input_value().split() != truth[number - 1].split():
            current.fill(truth[number - 1])
        current.press("Control+Enter")
        expect(tools.get_by_role("button", name=f"Next doubtful: {before.split()[-1]}", exact=True)).to_have_count(0)
    expect(following).to_have_count(0)
    wrong = [n for n, line in enumerate(answers(page, "productions/1/editions/de-DE/")["lines"])
             if line["words"].split() != truth[n].split()]
    assert not wrong

    # Only half a second of the silence after a slot may be used; then what does not fit is cured, one key each.
    make_ready(page)
    go_to(page, "Time")
    panel = page.get_by_role("complementary", name="How the chosen line sits")
    expect(panel.get_by_text(re.compile("Every voiced line fits|do(es)? not fit"))).to_be_visible()
    silence = panel.get_by_role("slider", name="Silence that may be used")
    silence.focus()
    silence.press("Home")
    expect(silence).to_have_attribute("aria-valuetext", "0.00 s")
    for _ in range(5):
        silence.press("ArrowRight")
    expect(silence).to_have_attribute("aria-valuetext", "0.50 s")
    expect(panel.get_by_role("status").filter(has_text="beyond comfort")).to_have_count(0)
    heading = panel.get_by_role("heading", name=re.compile("Every voiced line fits|not fit"))
    applied = 0
    for _ in range(60):
        if heading.inner_text() == "Every voiced line fits.":
            break
        page.locator("body").press("x")
        expect(panel.get_by_text(re.compile("Ways to make it fit|Nothing here helps enough|Every voiced line fits")).first).to_be_visible()
        if heading.inner_text() == "Every voiced line fits.":
            break
        if not panel.locator("button:has(kbd)").count():
            # Nothing gentle is left for this one: it may be said faster than is usual.
            fastest = panel.get_by_role("slider", name="Never faster than")
            if fastest.get_attribute("aria-valuetext") == "×1.60":
                break
            fastest.focus()
            before_it = heading.inner_text()
            fastest.press("End")
            expect(heading).not_to_have_text(before_it)
            expect(fastest).to_have_attribute("aria-valuetext", "×1.60")
            fastest.blur()
            continue
        before = sum(line["harm"] for line in answers(page, "productions/1/editions/de-DE/")["lines"])
        with page.expect_response(re.compile("timing/lines/$")):
            page.locator("body").press("c")
        # What was promised to help did.
        assert sum(line["harm"] for line in answers(page, "productions/1/editions/de-DE/")["lines"]) < before
        applied += 1
    assert applied > 0
    for _ in range(10):
        if heading.inner_text() == "Every voiced line fits.":
            break
        # What neither room nor speed can do is for the words.
        page.locator("body").press("x")
        expect(panel.get_by_text(re.compile("Ways to make it fit|Nothing here helps enough|Every voiced line fits")).first).to_be_visible()
        if heading.inner_text() == "Every voiced line fits.":
            break
        trim = panel.get_by_role("button", name=re.compile("^Trim about"))
        if not trim.count():
            continue  # one that is late because of another
        trim.click()
        current = page.locator("[role=row][aria-current=true] textarea")
        expect(current).to_be_visible()
        if page.get_by_role("button", name="Change it").is_visible():
            page.get_by_role("button", name="Change it").click()
        words = current.input_value().split()
        current.fill(" ".join(words[: max(1, round(len(words) * 0.6))]).rstrip(",;:") + ".")
        current.press("Enter")
        voice = page.get_by_role("banner").get_by_role("button", name=re.compile("^Voice"))
        voice.click()
        expect(voice).to_have_count(0, timeout=60_000)
        go_to(page, "Time")
        expect(heading).to_be_visible()
    expect(heading).to_have_text("Every voiced line fits.")
    check_accessibility(page)

    # Where speech is heard is looked for in the file: nothing else is to be heard in it.
    Program.of(page).call("put", "/api/productions/1/sounds/", {"layers": [], "cues": []})
    ready(page, finish=True)
    expect(heading).to_be_visible()
    placed = answers(page, "productions/1/editions/de-DE/")["lines"]
    go_to(page, "Deliver")
    wav = take_away(page, "Deutsch", "WAV", tmp_path)
    allowed = []
    for line, row in zip(placed, SCRIPT.lines, strict=True):
        own = line["timing"]
        assert row.start is not None
        assert row.end is not None
        early = own.get("early", 0.25)
        allowed.append((row.start - early - 0.03, row.end + own.get("run_on", 0.5) + 0.03))
    heard = speech(wav)
    outside = [(a, b) for a, b in heard if not any(low <= a and b <= high for low, high in allowed)
               and not all(any(low <= at <= high for low, high in allowed) for at in np.arange(a, b, 0.01))]
    assert not outside
    # And every line is heard in its own.
    for line, (low, high) in zip(placed, allowed, strict=True):
        assert any(low <= a < high for a, _ in heard), line["number"]
    # It goes on as long as the recording that it is for, after the last word.
    recorded = next(one["seconds"] for one in answers(page, "productions/1/media/") if one["played"])
    assert recorded > (SCRIPT.lines[-1].end or 0)
    info = soundfile.info(wav)
    assert info.duration == pytest.approx(recorded, abs=0.1)


def test_empty_lines_are_drafted_gauged_while_typing_and_sent_out_and_back(page: Page, tmp_path: Path) -> None:
    open_production(page, "The Tidewater Clock", "Français", "Adapt")
    check_accessibility(page)
    for number, left in ((1, 47), (3, 46)):
        field(page, number).fill("")
        field(page, number).press("Enter")
        expect(page.get_by_text(f"{left} of 48 lines have words")).to_be_visible()
    page.get_by_role("button", name="Draft 2 empty lines").click()
    expect(page.get_by_text("2 lines drafted: 0 the same as before, 0 nearly, 2 by the engine.")).to_be_visible(timeout=60_000)
    tools = page.get_by_role("toolbar", name="Adapting")
    expect(tools.get_by_role("button", name=re.compile("^Next doubtful: 2"))).to_be_visible()
    expect(page.get_by_role("row").filter(has=field(page, 1)).get_by_text("draft", exact=True)).to_be_visible()

    # The gauge moves with the words, and is the length of the take that comes of them.
    third = field(page, 3)
    third.click()
    gauge = page.get_by_role("status", name="How long it will be")
    expect(gauge).to_be_visible()
    third.fill("Attention à la troisième marche, elle bouge depuis l'hiver, et personne ne l'a jamais réparée depuis que le gardien est parti de la maison du port.")
    expect(gauge).to_have_attribute("data-standing", "over")
    expect(gauge.get_by_text(re.compile(r"about \d+ syllables? less"))).to_be_visible()
    third.fill("Attention à la troisième marche, elle bouge.")
    expect(gauge).to_have_attribute("data-standing", re.compile("fits|spare"))
    expect(gauge).to_have_attribute("data-exact", "true")
    told = gauge.get_attribute("data-natural")
    third.press("Control+Enter")
    expect(page.get_by_role("row").filter(has=third).get_by_text("approved", exact=True)).to_be_visible()
    ready(page)
    line = answers(page, "productions/1/editions/fr-FR/")["lines"][2]
    assert line["natural"] == pytest.approx(float(told or 0), rel=0.05)

    # What is approved is not changed by a slip of the hand.
    go_to(page, "Adapt")
    third.click()
    expect(third).not_to_be_editable()
    page.get_by_role("button", name="Change it").click()
    expect(third).to_be_editable()
    third.press("Escape")

    # Out to a translator whose program is another's, and back.
    page.get_by_role("button", name="Hand out").click()
    with page.expect_download() as waiting:
        page.get_by_role("menuitem", name="Wordings, XLIFF 1.2").click()
    store = xliff.xlifffile.parsestring(Path(waiting.value.path()).read_bytes())
    units = [unit for unit in store.units if unit.source]
    units[0].target = "Au bout du mur, une maison sans porte."
    units[2].target = "Attention à la marche."
    back = tmp_path / "back.xlf"
    back.write_bytes(bytes(store))
    page.locator("input[type=file][accept*=xlf]").set_input_files(back)
    sheet = page.get_by_role("dialog", name=re.compile("Wordings that came back"))
    expect(sheet.get_by_text("approved here")).to_be_visible()
    check_accessibility(page)
    sheet.get_by_role("button", name="Write 1 line").click()
    expect(field(page, 1)).to_have_value("Au bout du mur, une maison sans porte.")
    expect(third).to_have_value("Attention à la troisième marche, elle bouge.")

    # The other program marks what it was given as approved, beside the line that was.
    page.get_by_role("button", name="All languages").click()
    expect(page.get_by_role("button", name=re.compile("The Stair Français.*: approved 2 . 14"))).to_be_visible()
    check_accessibility(page)
    page.get_by_role("button", name=re.compile("The Stair Français.*: approved 2 . 14")).click()
    # It opens what it counts, and nothing else until all is asked for again.
    wordings = page.get_by_role("textbox", name=re.compile("^Line .* in Français"))
    expect(wordings).to_have_count(2)
    page.get_by_role("button", name="The Stair: approved, 2: show all lines again").click()
    expect(field(page, 2)).to_be_visible()

    # Several lines chosen together are drafted and approved together; the others are left alone.
    for number in (4, 6):
        field(page, number).fill("")
        field(page, number).press("Enter")
    expect(page.get_by_text("46 of 48 lines have words")).to_be_visible()
    page.get_by_role("button", name="Choose line 4", exact=True).click()
    page.get_by_role("button", name="Choose line 5", exact=True).click(modifiers=["Shift"])
    bar = page.get_by_role("toolbar", name="2 lines chosen")
    check_accessibility(page)
    bar.get_by_role("button", name="Draft 1 empty line").click()
    expect(page.get_by_text("47 of 48 lines have words")).to_be_visible(timeout=60_000)
    expect(field(page, 6)).to_have_value("")
    bar.get_by_role("button", name="Approve 2 lines").click()
    expect(page.get_by_role("row").filter(has=field(page, 4)).get_by_text("approved", exact=True)).to_be_visible()
    expect(bar.get_by_role("button", name=re.compile("^Approve"))).to_have_count(0)
    bar.get_by_role("button", name="Let go of them").click()
    expect(bar).to_have_count(0)

    # What is typed in a row that is scrolled out of sight is kept and saved.
    field(page, 6).fill("Il t'a parlé de moi ?")
    page.get_by_role("table", name=re.compile("Wordings")).evaluate("box => { box.scrollTop = box.scrollHeight; }")
    expect(field(page, 48)).to_be_visible()
    expect(page.get_by_text("48 of 48 lines have words")).to_be_visible()


def test_terms_are_kept_and_a_bad_word_is_found_without_knowing_the_language(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Português", "Adapt")
    page.get_by_role("button", name="Terms", exact=True).click()
    sheet = page.get_by_role("dialog", name=re.compile("Terms and notes"))
    sheet.get_by_label("People are addressed").select_option("informal")
    sheet.get_by_label("In the source").fill("step")
    sheet.get_by_label("Said as").fill("patamar")
    sheet.get_by_role("button", name="Add", exact=True).click()
    expect(sheet.get_by_role("cell", name="patamar")).to_be_visible()
    check_accessibility(page)
    page.keyboard.press("Escape")
    third = field(page, 3)
    third.fill("Cuidado com a merda do degrau, está solto desde o invreno.")
    third.press("Enter")
    page.get_by_role("row").filter(has=third).click()
    look = page.get_by_role("complementary", name="A closer look")
    expect(look.get_by_text("“step” is to be said as “patamar”.")).to_be_visible()
    look.get_by_role("button", name="m••••").click()
    expect(look.get_by_text("This may be a rude word.")).to_be_visible()
    look.get_by_role("button", name="invreno").click()
    expect(look.get_by_text(re.compile("Perhaps:.*inverno"))).to_be_visible()


def test_lines_are_dragged_nudged_and_put_back_on_the_ladder(page: Page, tmp_path: Path) -> None:
    open_production(page, "The Tidewater Clock", "Español (México)", "Time")
    ready(page)
    block = page.get_by_role("button", name=re.compile("^Line 2, Narrator"))
    box = block.bounding_box()
    assert box
    start = answers(page, "productions/1/editions/es-MX/")["lines"][1]["start"]
    page.mouse.move(box["x"] + 120, box["y"] + 12)
    page.mouse.down()
    page.mouse.move(box["x"] + 120, box["y"] + 60, steps=5)
    page.mouse.up()
    panel = page.get_by_role("complementary", name="How the chosen line sits")
    expect(panel.get_by_role("radio", name="Pinned")).to_have_attribute("data-state", "on")
    moved = answers(page, "productions/1/editions/es-MX/")["lines"][1]
    assert moved["start"] > start + 0.3
    block = page.get_by_role("button", name=re.compile("^Line 2, Narrator"))
    block.focus()
    with page.expect_response(re.compile("timing/lines")):
        block.press("Alt+ArrowDown")
    with page.expect_response(re.compile("timing/lines")):
        block.press("Alt+Shift+ArrowUp")
    assert answers(page, "productions/1/editions/es-MX/")["lines"][1]["start"] == pytest.approx(moved["start"] - 0.09, abs=0.003)
    panel.get_by_role("radio", name="Hold").click()
    expect(panel.get_by_role("radio", name="Hold")).to_have_attribute("data-state", "on")
    held = answers(page, "productions/1/editions/es-MX/")["lines"][1]
    if "short" not in held["flags"]:
        assert held["start"] + held["seconds"] == pytest.approx(held["slot"][1], abs=0.011)
    page.get_by_role("button", name=re.compile("^Undo")).click()
    expect(panel.get_by_role("radio", name="Hold")).to_have_attribute("data-state", "off")
    page.locator("body").press("0")
    expect(page.get_by_role("listitem")).to_have_count(48)

    # A part that may grow is held, and the list of it can be taken away; the source's picture is in a window.
    video = tmp_path / "clock.mp4"
    subprocess.run(["ffmpeg", "-nostdin", "-loglevel", "error", "-y", "-f", "lavfi", "-i",
                    "testsrc2=size=320x180:rate=25:duration=90", "-f", "lavfi", "-i", "sine=frequency=220:duration=90",
                    "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "aac", str(video)], check=True)
    page.locator("input[type=file][accept*=video]").set_input_files(video)
    expect(page.get_by_text("clock.mp4", exact=True)).to_be_visible(timeout=60_000)
    picture = page.get_by_test_id("picture")
    expect(picture).to_be_visible(timeout=60_000)
    page.get_by_role("button", name=re.compile("^Line 4, Imka")).click()
    page.locator("body").press("Space")
    page.wait_for_function("() => { const v = document.querySelector('video'); return !v.paused && v.currentTime > 28; }", timeout=60_000)
    away = page.evaluate("""async () => {
        const wait = ms => new Promise(done => setTimeout(done, ms));
        await wait(1500);
        const clock = () => [...document.querySelectorAll('footer span')].map(one => one.textContent).find(text => /^\\d+:\\d\\d\\.\\d$/.test(text));
        const found = [];
        for (let n = 0; n < 12; n++) {
            const [m, s] = clock().split(':');
            found.push(Math.abs(document.querySelector('video').currentTime - (60 * m + Number(s))));
            await wait(90);
        }
        return found.sort((a, b) => a - b)[6];
    }""")
    # The clock on the screen has tenths; within them the picture is in step.
    assert away < 0.12
    page.locator("body").press("Space")
    # Another recording comes beside it and is played; the one with the picture is chosen again.
    sound = tmp_path / "harbour.wav"
    subprocess.run(["ffmpeg", "-nostdin", "-loglevel", "error", "-y", "-f", "lavfi", "-i", "sine=frequency=300:duration=90", str(sound)], check=True)
    page.locator("input[type=file][accept*=video]").set_input_files(sound)
    recordings = page.get_by_role("button", name="Source recordings")
    expect(recordings).to_have_text("harbour.wav", timeout=60_000)
    expect(picture).to_have_count(0)
    recordings.click()
    # The menu alone: lines that were dragged close are as near to each other as their times are.
    check_accessibility(page, "[role=menu]")
    expect(page.get_by_role("menuitemradio")).to_have_text([re.compile("tidewater-clock.mp4"), re.compile("clock.mp4"), re.compile("harbour.wav")])
    page.get_by_role("menuitemradio", name=re.compile(r"^clock\.mp4")).click()
    expect(recordings).to_have_text("clock.mp4")
    expect(picture).to_be_visible(timeout=60_000)
    # Without playing, the picture is where the selected line begins.
    page.get_by_role("button", name=re.compile("^Line 9, Keeper")).click()
    ninth = answers(page, "productions/1/editions/es-MX/")["lines"][8]["start"]
    page.wait_for_function("at => Math.abs(document.querySelector('video').currentTime - at) < 0.04", arg=ninth)
    choose_edition(page, "English")
    choose_edition(page, "Español (México)")
    expect(picture).to_be_visible()


def test_a_picture_is_held_where_a_part_grows_and_two_dubs_are_heard_in_step(page: Page) -> None:
    """Goes on with the recording that the journey before brought in."""
    # Every sound that the page makes is kept where it can be looked at.
    page.add_init_script("""window.sounds = []; window.Audio = class extends Audio {
        constructor(src) { super(src); window.sounds.push(this); } };""")
    page.reload()
    open_production(page, "The Tidewater Clock", "Français", "Time")
    ready(page)
    path = "/api/productions/1/editions/es-MX/"
    line = next(one for one in answers(page, path[5:])["lines"] if one["number"] == 14)
    Program.of(page).call("patch", f"/api/parts/{line['part']}/", {"end": 76.0, "may_grow": True})
    # The last line of its part is a sentence longer than there is room: the picture must wait.
    choose_edition(page, "Español (México)")
    text = line["words"] + " Y además lo repito con calma, para que nadie lo olvide nunca, ni hoy ni mañana."
    Program.of(page).call("put", f"{path}wordings/{line['id']}/", {"text": text, "revision": line["revision"]})
    ready(page)
    (hold,) = answers(page, path[5:])["holds"]
    assert hold["at"] == 76.0 and hold["seconds"] > 0.5
    page.goto(f"/productions/1/es-MX/time?line={line['id']}")
    expect(page.get_by_text(re.compile("picture held"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Heard together")).click()
    page.get_by_role("menuitemcheckbox", name="Français").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Play", exact=True).click()
    page.wait_for_function("() => { const v = document.querySelector('video'); return !v.paused && v.currentTime > 72; }", timeout=60_000)
    # Looked at until the hold is over: the picture's time, and how far every sound has come.
    seen = page.evaluate("""async until => {
        const video = document.querySelector('video'), found = [];
        while (video.currentTime < until) {
            found.push([video.currentTime, ...window.sounds.filter(one => one.src).map(one => one.paused ? null : one.currentTime)]);
            await new Promise(done => setTimeout(done, 40));
        }
        return found;
    }""", 76.6)
    playing = [one for one in seen if len([at for at in one[1:] if at is not None]) >= 1]
    still = [one for one in playing if 75.9 < one[0] < 76.0]
    # The part's own last frame, for as long as the hold lasts; a follower is never a frame beyond it meanwhile.
    lasted = [max(at for at in one[1:] if at is not None) for one in still if one[0] >= 75.96]
    assert lasted[-1] - lasted[0] == pytest.approx(hold["seconds"], abs=0.25)
    # The other dub has no hold: it is in step with the picture a second after it began, and waits with it.
    before = [one for one in playing if one[0] < 75.5 and all(at is not None for at in one[1:])]
    before = [one for one in before if one[0] > before[0][0] + 1]
    assert before and np.median([abs(one[1] - one[2]) for one in before]) < 0.06
    assert any(None in one[1:] for one in still)

    page.get_by_role("button", name="Heard together: 2").click()
    page.get_by_role("menuitemradio", name="Français (France) alone").click()
    page.keyboard.press("Escape")
    assert page.evaluate("() => window.sounds.filter(one => one.src).map(one => one.muted ? 0 : one.volume)") == [0, 1]
    page.get_by_role("button", name="Pause", exact=True).click()


UNTIMED = """PELL: The water is nine minutes late again.
KEEPER: Then so are we. Sit down, there is soup.
PELL: I came to mend a clock, not to eat.
KEEPER: The clock has eaten. It is you who looks slow.
PELL: Where does the air come in?
KEEPER: Through the rock, twice a day, whether you ask it or not.
"""


def test_a_script_without_times_is_paced_by_its_pauses_and_made_to_a_length(page: Page, tmp_path: Path) -> None:
    page.get_by_role("button", name="Bring in a script").first.click()
    sheet = page.get_by_role("dialog", name="Bring in a script")
    sheet.locator("input[type=file]").set_input_files(
        {"name": "soup.txt", "mimeType": "text/plain", "buffer": UNTIMED.encode()})
    expect(sheet.get_by_text("6 lines").first).to_be_visible()
    sheet.get_by_label("Name", exact=True).fill("Soup at high water")
    sheet.get_by_label("Name", exact=True).press("Enter")
    expect(page.get_by_role("list", name="The script")).to_be_visible()
    path = re.sub(r"^.*(productions/\d+)/([^/]+)/.*$", r"\1/editions/\2/", page.url)
    make_ready(page)
    go_to(page, "Time")

    def placed() -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = answers(page, path)["lines"]
        return found

    def gaps() -> list[float]:
        lines = placed()
        return [after["start"] - before["start"] - before["seconds"] for before, after in zip(lines, lines[1:], strict=False)]

    natural = gaps()
    assert all(0.05 < gap < 2 for gap in natural)
    # Unhurried and brisk are the same speech with longer and shorter pauses.
    with page.expect_response(re.compile("/timing/$")):
        page.get_by_role("radio", name="Unhurried").click()
    slow = gaps()
    with page.expect_response(re.compile("/timing/$")):
        page.get_by_role("radio", name="Brisk").click()
    quick = gaps()
    assert all(a > b > c for a, b, c in zip(slow, natural, quick, strict=True))
    assert {line["rate"] for line in placed()} == {1.0}
    with page.expect_response(re.compile("/timing/$")):
        page.get_by_role("radio", name="Natural").click()

    # A pause below nothing: he talks into the end of what she says.
    page.get_by_role("button", name=re.compile("^Line 3, ")).click()
    pause = page.get_by_label("Pause before it")
    expect(pause).to_have_value(f"{natural[1]:.2f}")
    with page.expect_response(re.compile("/timing/lines/$")):
        pause.fill("-0.3")
        pause.press("Enter")
    assert gaps()[1] == pytest.approx(-0.3, abs=0.01)
    assert [gap for n, gap in enumerate(gaps()) if n != 1] == pytest.approx([gap for n, gap in enumerate(natural) if n != 1], abs=0.01)

    # Made to a length that is not the one it has.
    whole = answers(page, path)["seconds"]
    wanted = round(whole * 1.12)
    page.get_by_label("Make it last").fill(f"0:{wanted}")
    with page.expect_response(re.compile("/timing/$")):
        page.get_by_role("button", name="Aim", exact=True).click()
    assert answers(page, path)["seconds"] == pytest.approx(wanted, abs=0.5)
    assert gaps()[1] == pytest.approx(-0.3, abs=0.01)
    check_accessibility(page)

    # And it is so in the sound: as long as was asked for, and no silence where one talks into the other.
    make_ready(page, finish=True)
    go_to(page, "Deliver")
    runs = speech(take_away(page, "English", "WAV", tmp_path))
    lines = placed()
    assert runs[0][0] == pytest.approx(lines[0]["start"], abs=0.15)
    assert runs[-1][1] == pytest.approx(lines[-1]["start"] + lines[-1]["seconds"], abs=0.3)

    def silence_before(line: dict[str, Any]) -> float:
        """The longest silence within half a second before the line and the first tenth of it."""
        edges = [0.0, *(edge for run in runs for edge in run)]
        between = zip(edges[::2], edges[1::2], strict=False)
        return max((min(b, line["start"] + 0.1) - max(a, line["start"] - 0.5) for a, b in between), default=0.0)

    assert silence_before(lines[2]) < 0.15 < silence_before(lines[1])
