"""A sound world around the voices: laid under them, ducked, tied, cut anew for another language, and heard at once."""

from __future__ import annotations

import io
import re
from typing import Any

import numpy as np
import soundfile
from playwright.sync_api import Page, expect

from tests.e2e.conftest import check_accessibility, choose_edition, go_to, open_production, ready, written
from tests.e2e.program import Program

OWN_STACK = True

LISTEN = """() => {
  const made = window.AudioContext;
  window.heard = { contexts: [], changes: [] };
  window.AudioContext = class extends made {
    constructor(options) { super(options); window.heard.contexts.push(this); }
    createGain() {
      const node = super.createGain();
      const set = node.gain.setTargetAtTime.bind(node.gain);
      node.gain.setTargetAtTime = (to, at, over) => { window.heard.changes.push({ to, at, now: performance.now() }); return set(to, at, over); };
      return node;
    }
  };
}"""

RENDERED = """() => {
  window.rendered = null;
  window.AudioContext = class extends OfflineAudioContext {
    constructor() { super(2, 8 * 48_000, 48_000); window.rendered = this; this.begun = []; }
    resume() { return Promise.resolve(); }
    createBufferSource() {
      const node = super.createBufferSource();
      const start = node.start.bind(node);
      node.start = (at, into) => { this.begun.push([at, into]); start(at, into); };
      return node;
    }
  };
}"""
COMPARED = """async (mix) => {
  // It begins with the chosen line, in the first ten seconds: where that is in the mix.
  const [at, into] = window.rendered.begun[0];
  const from = Math.round((into - at) * 48_000);
  const heard = await window.rendered.startRendering();
  const whole = await heard_as(await (await fetch(mix)).arrayBuffer());
  function heard_as(bytes) { return new OfflineAudioContext(2, 1, 48_000).decodeAudioData(bytes); }
  let apart = 0, all = 0;
  // Levels glide to where they are for the first hundredths of a second.
  for (let side = 0; side < 2; side += 1)
    for (let now = 12_000; now + from < 9.9 * 48_000; now += 1) {
      const one = whole.getChannelData(side)[now + from], other = heard.getChannelData(side)[now];
      apart += (one - other) ** 2;
      all += one ** 2;
    }
  return 10 * Math.log10(apart / all);
}"""

SLOWLY = """() => {
  const send = window.fetch;
  window.fetch = async (asked, more) => {
    if (asked.method === "PUT") await new Promise((over) => setTimeout(over, 1_500));
    return send(asked, more);
  };
}"""


def made(page: Page) -> Any:
    """The mix that the page shows, as it sounds."""
    found = re.search(r"/productions/(\d+)/([\w-]+)/", page.url)
    assert found
    path = f"/api/productions/{found[1]}/editions/{found[2]}"
    # What was changed last has arrived, and the mix of that is made.
    written(page)
    recipe = Program.of(page).mix(int(found[1]), found[2])
    samples, _ = soundfile.read(io.BytesIO(page.request.get(f"{path}/mixes/{recipe}/sound.wav").body()), always_2d=True)
    return samples, page.request.get(f"{path}/layers/").json()


def level(samples: Any, start: float, end: float) -> float:
    return float(10 * np.log10((samples[round(start * 48_000): round(end * 48_000)] ** 2).mean() + 1e-12))


def add_sound(page: Page, text: str, variation: int) -> None:
    page.get_by_role("button", name="Add a sound").click()
    page.get_by_label("What is to be heard").fill(text)
    page.get_by_role("button", name=f"Add variation {variation}").click()


def test_music_under_a_part_fits_another_language(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Español", "Cast")
    ready(page)
    go_to(page, "Mix")
    expect(page.get_by_role("list", name="Layers")).to_be_visible()
    # The demo's own world is there: a theme that was cut, ambience by part.
    theme = page.get_by_role("button", name=re.compile(r"^Music, calm, at"))
    expect(theme).to_be_visible(timeout=120_000)
    # Music that is composed here lies under the first part, to its end, and gives way.
    page.get_by_role("button", name="Add a sound").click()
    page.get_by_role("tab", name="Music").click()
    page.get_by_label("Mood").select_option("hopeful")
    page.get_by_role("button", name="Add variation 2").click()
    panel = page.get_by_role("region", name="The sound “Music, hopeful”")
    panel.get_by_label("From where Music, hopeful is heard").select_option(label="“The Clock Room” begins")
    panel.get_by_label("Until when Music, hopeful is heard").select_option(label="“The Clock Room” ends")
    panel.get_by_label("Cut to end with the cue").check()
    expect(panel.get_by_text(re.compile(r"cut from 1:00\.0 to 1:\d\d\.\d with \d join"))).to_be_visible(timeout=120_000)
    expect(panel.get_by_role("button", name=re.compile("^Hear way"))).to_have_count(3)
    check_accessibility(page)
    spanish = next(one for one in made(page)[1]["cues"] if one["joins"] and one["sound_seconds"] == 60 and one["layer"] == "music" and 60 < one["start"] < 110)
    # In German it is as long as that part is there: cut anew, by itself, and told.
    choose_edition(page, "Deutsch")
    ready(page)
    go_to(page, "Mix")
    expect(page.get_by_text(re.compile(r"pieces of music were cut anew for Deutsch"))).to_be_visible(timeout=120_000)
    german = next(one for one in made(page)[1]["cues"] if one["id"] == spanish["id"])
    assert german["cut"] and german["seconds"] != spanish["seconds"]


def test_it_gives_way_moves_with_its_line_and_is_undone(page: Page) -> None:
    open_production(page, "Harbour Museum phone prompts", "English", "Cast")
    ready(page)
    go_to(page, "Mix")
    add_sound(page, "heavy rain on a tin roof", 1)
    waterline = page.get_by_role("group", name="Voices over the sounds under them, in time")
    cue = waterline.get_by_role("button", name=re.compile("^heavy rain on a tin roof, at 0:00"))
    expect(cue).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Choose Ambience").click()
    duck = page.get_by_role("slider", name="Ambience gives way by")
    duck.focus()
    for _ in range(14):
        page.keyboard.press("ArrowRight")
    expect(duck).to_have_attribute("aria-valuenow", "18")
    samples, told = made(page)
    curve = next(layer["curve"] for layer in told["layers"] if layer["name"] == "ambience")
    assert min(db for _, db in curve) == -18
    # A knock is tied to the third line by keyboard alone, and moved by a tenth and a second.
    page.keyboard.press("Escape")
    page.locator("[data-line='3']").click()
    add_sound(page, "three knocks", 2)
    knock = waterline.get_by_role("button", name=re.compile("^three knocks, at"))
    expect(knock).to_be_visible(timeout=60_000)
    third = next(one for one in made(page)[1]["cues"] if one["layer"] == "effects")
    knock.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowLeft")
    expect(page.get_by_label("Seconds from there")).to_have_value("-0.9")
    moved = next(one for one in made(page)[1]["cues"] if one["layer"] == "effects")
    assert moved["start"] == round(third["start"] - 0.9, 3)
    # What is written slowly is taken back all the same.
    page.evaluate(f"({SLOWLY})()")
    knock.focus()
    page.keyboard.press("Delete")
    expect(knock).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(waterline.get_by_role("button", name=re.compile("^three knocks, at"))).to_be_visible(timeout=30_000)
    # The prompts sound like a telephone: nothing of them is over its band.
    page.get_by_role("button", name=re.compile("^Do not hear Ambience")).click()
    page.get_by_role("button", name=re.compile("^Do not hear Effects")).click()
    samples, _ = made(page)
    spectrum = np.abs(np.fft.rfft(samples[:, 0])) ** 2
    hz = np.fft.rfftfreq(len(samples), 1 / 48_000)
    assert 10 * np.log10(spectrum[(hz > 6_000)].sum() / spectrum[(hz > 500) & (hz < 3_000)].sum()) < -25


def test_levels_are_heard_while_they_are_moved(page: Page) -> None:
    page.add_init_script(f"({LISTEN})()")
    page.reload()
    open_production(page, "The Tidewater Clock", "English", "Cast")
    ready(page)
    go_to(page, "Mix")
    expect(page.get_by_role("button", name=re.compile(r"^distant surf, at"))).to_be_visible(timeout=120_000)
    page.get_by_role("button", name="Play", exact=True).click()
    expect(page.get_by_role("button", name="Pause", exact=True)).to_be_visible(timeout=60_000)
    page.wait_for_function("() => window.heard.contexts.some((one) => one.state === 'running')")
    clock = page.locator("footer").get_by_text(re.compile(r"^0:"))
    expect(clock).not_to_have_text(clock.inner_text())
    # From the key to the sound: what is set and when, on the sound's own clock.
    slider = page.get_by_role("slider", name="Level of Ambience")
    slider.focus()
    page.evaluate("() => { window.pressed = 0; window.addEventListener('keydown', () => { window.pressed = performance.now(); }, true); }")
    # What it takes when nothing else is in the way: the machine may be busy with something else at any of them.
    soon = 50 - 1_000 * page.evaluate("() => window.heard.contexts[0].baseLatency")
    took: list[float] = []
    while min(took, default=soon) >= soon and len(took) < 40:
        page.evaluate("() => { window.heard.changes = []; }")
        page.keyboard.press("ArrowRight" if len(took) % 2 else "ArrowLeft")
        page.wait_for_function("() => window.heard.changes.length > 0")
        took.append(page.evaluate("() => window.heard.changes[0].now - window.pressed"))
    assert min(took) < soon, took
    page.evaluate("() => { window.heard.changes = []; }")
    page.get_by_role("button", name="Do not hear Narrator").click()
    page.wait_for_function("() => window.heard.changes.some((one) => one.to === 0)")
    # It goes on from where it was, and a line that is chosen is where it begins next.
    page.keyboard.press("Escape")
    play, pause = (page.get_by_role("button", name=name, exact=True) for name in ("Play", "Pause"))
    expect(play.or_(pause)).to_be_visible()
    if play.is_visible():
        # On a very busy machine it has come to its end meanwhile.
        play.click()
    pause.click(timeout=60_000)
    expect(play).to_be_visible()


def test_what_is_heard_layer_by_layer_is_the_mix(page: Page) -> None:
    """Rendered by the browser itself: sounds of two sides and voices of one, all to a side."""
    program = Program.of(page)
    production = program.demo()
    program.ready(production, "en-GB")
    world = program.get(f"/api/productions/{production}/sounds/")
    world["layers"] = [{**layer, "pan": 0.7} for layer in world["layers"]]
    world["voices"] = {**world.get("voices", {}), "pan": 0}
    speaker = program.get(f"/api/productions/{production}/")["speakers"][0]
    world["speakers"] = [{"speaker": f"#{speaker['id']}", "pan": -0.6}]
    program.call("put", f"/api/productions/{production}/sounds/", world)
    recipe = program.mix(production, "en-GB")
    page.add_init_script(f"({RENDERED})()")
    page.reload()
    open_production(page, "The Tidewater Clock", "English", "Mix")
    expect(page.get_by_role("button", name=re.compile(r"^distant surf, at"))).to_be_visible(timeout=120_000)
    page.get_by_role("button", name="Play", exact=True).click()
    expect(page.get_by_role("button", name="Pause", exact=True)).to_be_visible(timeout=60_000)
    page.wait_for_function("() => window.rendered && window.rendered.begun.length > 2")
    apart = page.evaluate(COMPARED, f"/api/productions/{production}/editions/en-GB/mixes/{recipe}/sound.wav")
    assert apart < -30, apart


def test_the_speaker_is_taken_out_of_the_bed(page: Page) -> None:
    open_production(page, "The Tidewater Clock", "Français", "Cast")
    ready(page)
    go_to(page, "Mix")
    page.get_by_role("button", name="The source’s sound").click()
    page.get_by_label("The source’s sound: Everywhere").select_option("voices out")
    # Just the bed: everything else is silent.
    page.get_by_role("button", name="Hear source alone").click()
    without, told = made(page)
    assert "source" in {layer["name"] for layer in told["layers"]}
    # Ten seconds of it are heard before and after, as soon as there is something to hear.
    page.get_by_role("button", name="Get tidewater-clock.mp4 ready").click()
    for name, file in (("as it came", "sound.flac"), ("as it lies under the voices", "piece.flac")):
        expect(page.get_by_role("button", name=name)).to_be_visible(timeout=60_000)
        with page.expect_response(re.compile(file)) as answer:
            page.get_by_role("button", name=name).click()
        assert answer.value.ok
    page.get_by_label("The source’s sound: Everywhere").select_option("keep")
    whole, _ = made(page)
    # In step with the picture: the source's first line lies where it is said, and most of it is gone.
    gain = level(whole, 18.0, 21.0) - level(without, 18.0, 21.0)
    assert level(whole, 8.2, 11.4) - level(without, 8.2, 11.4) - gain > 8
