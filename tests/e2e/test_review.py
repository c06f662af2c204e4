"""A producer hands over and asks; a reviewer with no account says what is wrong and approves; both see the other."""

from __future__ import annotations

import json
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from janoglot.launcher.stack import Stack
from tests.e2e.conftest import HOME, check_accessibility, go_to, open_at, open_view, production_of, ready
from tests.e2e.program import Program, until

SCRIPT = """Character;Line;Start;Stop;Español (México);العربية
Harbourmaster;The ferry leaves at the turn of the tide.;0:01;0:04,2;El ferry sale con el cambio de la marea.;تغادر العبارة مع تحول المد.
Deckhand;Which tide?;0:04,6;0:05,8;¿Qué marea?;أي مد؟
Harbourmaster;The next one. There is always a next one.;0:06;0:09;La próxima. Siempre hay una próxima.;القادم. هناك دائما قادم.
"""


@pytest.fixture
def ferry(page: Page) -> Page:
    """A small production of one's own, its Spanish edition mixed, at Deliver."""
    program = Program.of(page)
    production = program.bring_in(SCRIPT, "tide ferry")
    program.ready(production, "es-MX")
    open_at(page, production, "es-MX", "Deliver")
    return page


@pytest.fixture
def phone(stack: Stack, browser: Browser) -> Iterator[Page]:
    """Somebody else's telephone, with no account."""
    context = browser.new_context(viewport={"width": 390, "height": 844}, base_url=stack.address, has_touch=True, permissions=["microphone"])
    made = context.new_page()
    faults: list[str] = []
    made.on("pageerror", lambda error: faults.append(str(error)))
    yield made
    context.close()
    assert not faults


def invite(page: Page, name: str, **told: Any) -> str:
    open_view(page, "Review")
    page.get_by_role("button", name="Invite somebody").click()
    page.get_by_label("For whom").fill(name)
    if "interface" in told:
        page.get_by_label("Language of the page").select_option(told["interface"])
    if "purpose" in told:
        page.get_by_label("What for").select_option(told["purpose"])
    if "also" in told:
        page.get_by_label(told["also"]).check()
    page.get_by_role("button", name="Make the link").click()
    expect(page.get_by_text(name, exact=True).first).to_be_visible()
    links = page.request.get(f"/api/productions/{production_of(page)}/links/").json()
    return str(next(one["address"] for one in links if one["name"] == name))


def test_a_review_on_a_telephone_goes_there_and_back(ferry: Page, phone: Page) -> None:
    phone.goto(invite(ferry, "Marisol"))
    expect(phone.get_by_role("heading", name="tide ferry")).to_be_visible()
    # Her own language, and the first line in large type with its source above.
    expect(phone.get_by_text("Para Marisol")).to_be_visible()
    expect(phone.get_by_text("The ferry leaves at the turn of the tide.")).to_be_visible()
    check_accessibility(phone)
    phone.get_by_role("button", name="Reproducir").click()
    expect(phone.get_by_role("button", name="Pausa")).to_be_visible()
    # It ends with the line, and is judged.
    expect(phone.get_by_role("button", name="Reproducir")).to_be_visible(timeout=15_000)
    phone.get_by_role("button", name="Bien").click()
    expect(phone.get_by_text("Línea 2 de 3")).to_be_visible()
    phone.get_by_role("button", name="Palabras equivocadas").click()
    phone.get_by_label("Una observación").fill("Demasiado corto.")
    phone.get_by_label("Un texto mejor").fill("¿Y cuál marea?")
    check_accessibility(phone)
    phone.get_by_role("button", name="Enviar").first.click()
    expect(phone.get_by_text("Enviado. Gracias.")).to_be_visible()
    phone.get_by_role("button", name="Línea siguiente").click()
    phone.get_by_role("button", name="Mal dicho").click()
    phone.get_by_role("button", name="Decirlo").click()
    # As long as people speak: more than a form's worth of sound. The recorder has no clock to be seen.
    phone.wait_for_timeout(9_000)
    phone.get_by_role("button", name="Detener la grabación").click()
    expect(phone.get_by_text("Hay una observación hablada")).to_be_visible()
    phone.get_by_role("button", name="Enviar").first.click()
    expect(phone.get_by_text("Enviado. Gracias.")).to_be_visible()

    # The producer finds both where they belong, and takes the better wording over by one key.
    ferry.reload()
    go_to(ferry, "Adapt")
    expect(ferry.get_by_role("button", name="1 remark of reviewers is open here")).to_be_visible()
    ferry.get_by_role("button", name="1 remark of reviewers is open here").click()
    bar = ferry.get_by_role("region", name="Reviewers’ remarks")
    bar.get_by_role("button", name="Go there").click()
    expect(bar.get_by_text("Demasiado corto.")).to_be_visible()
    check_accessibility(ferry)
    ferry.locator("body").press("y")
    expect(ferry.get_by_text("Taken over: the line says what was proposed.")).to_be_visible()
    words = ferry.request.get(f"/api/productions/{production_of(ferry)}/editions/es-MX/").json()["lines"][1]["words"]
    assert words == "¿Y cuál marea?"
    go_to(ferry, "Direct")
    ferry.get_by_role("button", name="1 remark of reviewers is open here").click()
    # What she said is there to be read as well.
    expect(bar.get_by_text(re.compile("whole manual")).first).to_be_visible(timeout=90_000)
    bar.get_by_role("button", name="Answer").click()
    bar.get_by_label("Answer").fill("La diremos más despacio.")
    bar.get_by_role("button", name="Send").click()
    expect(bar.get_by_text("La diremos más despacio.")).to_be_visible()
    ready(ferry)

    # She sees what became of it, hears the new take, and approves.
    phone.reload()
    expect(phone.get_by_text("¿Y cuál marea?").first).to_be_visible()
    phone.get_by_role("button", name="Línea siguiente").click()
    expect(phone.get_by_text("(su texto se ha adoptado)").first).to_be_visible()
    phone.get_by_role("button", name="Línea siguiente").click()
    expect(phone.get_by_text("Respuesta: La diremos más despacio.").first).to_be_visible()
    # All of it is sketches still: that is said before her yes counts.
    phone.get_by_role("button", name="Apruebo esta edición").click()
    expect(phone.get_by_role("alert")).to_have_text("No todas las líneas están valoradas o terminadas.")
    phone.get_by_role("button", name="Aprobar de todos modos").click()
    expect(phone.get_by_text("Aprobada")).to_be_visible()
    go_to(ferry, "Deliver")
    open_view(ferry, "Review")
    ferry.reload()
    open_view(ferry, "Review")
    expect(ferry.get_by_text(re.compile("approved: es-MX"))).to_be_visible()

    # Withdrawn, it says so by itself.
    ferry.get_by_role("button", name="Withdraw").click()
    expect(ferry.get_by_text(re.compile("^withdrawn"))).to_be_visible()
    expect(phone.get_by_text(re.compile("no lleva a ninguna parte|leads nowhere"))).to_be_visible()


def test_on_a_slow_line_little_is_waited_for(ferry: Page, phone: Page) -> None:
    """400 kbit/s, and 400 ms to there and back: the page is a few seconds of that, and so is a line that is touched."""
    address = invite(ferry, "Marisol")
    edition = f"/api/review/{address.rpartition('/')[2]}/editions/es-MX/"
    until(lambda: ferry.request.get(edition).json()["sound"] == "heard.m4a", "the small sound")
    session = phone.context.new_cdp_session(phone)
    session.send("Network.enable")
    session.send("Network.emulateNetworkConditions", {
        "offline": False, "latency": 400, "downloadThroughput": 50_000, "uploadThroughput": 50_000})
    came: list[int] = []
    session.on("Network.loadingFinished", lambda told: came.append(round(told["encodedDataLength"])))
    sizes: dict[str, int] = {}
    phone.on("response", lambda answer: sizes.update({answer.url.partition("?")[0]: int(answer.headers.get("content-length", 0))}))
    phone.goto(address, wait_until="commit")
    expect(phone.get_by_role("button", name="Bien")).to_be_visible()
    # Three and a half seconds of the line; what is behind the page is for nobody here.
    assert sum(came) < 175_000, came
    phone.get_by_text("La próxima. Siempre hay una próxima.").click()
    until(lambda: phone.evaluate("() => [...document.querySelectorAll('audio')].some((one) => !one.paused && one.currentTime > 0)"),
          "the sound of a line", 30)
    alone = [size for address, size in sizes.items() if "/lines/" in address]
    assert alone and max(alone) < 60_000, sizes


def test_a_reviewer_in_arabic_by_keys_alone(ferry: Page, browser: Browser, stack: Stack) -> None:
    address = invite(ferry, "Salma", interface="ar")
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=stack.address)
    page = context.new_page()
    page.goto(address)
    expect(page.get_by_text("إلى Salma")).to_be_visible()
    assert page.evaluate("document.documentElement.dir") == "rtl"
    check_accessibility(page)
    expect(page.get_by_text("السطر 1 من 3")).to_be_visible()
    # It reads from the right: what comes next lies to the left.
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_text("السطر 2 من 3")).to_be_visible()
    page.keyboard.press("5")
    page.get_by_label("ملاحظة").fill("متأخر قليلا")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="إرسال").first.click()
    expect(page.get_by_text("أُرسلت. شكرًا لك.")).to_be_visible()
    said = ferry.request.get(f"/api/productions/{production_of(ferry)}/remarks/").json()
    assert [(one["kind"], one["stage"], one["text"]) for one in said] == [("timing", "time", "متأخر قليلا")]
    context.close()


def test_a_client_listens_to_editions_side_by_side(ferry: Page, browser: Browser, stack: Stack) -> None:
    address = invite(ferry, "The museum", interface="en", purpose="listen", also="English (United Kingdom)")
    context = browser.new_context(viewport={"width": 900, "height": 800}, base_url=stack.address)
    page = context.new_page()
    page.goto(address)
    page.get_by_role("button", name="Español (México)").click()
    check_accessibility(page)
    page.get_by_role("button", name="Play").click()
    expect(page.get_by_text("El ferry sale con el cambio de la marea.")).to_be_visible(timeout=15_000)
    expect(page.get_by_role("link", name="Download")).to_have_count(0)
    context.close()


def test_a_package_is_made_in_front_of_one(ferry: Page, tmp_path: Path) -> None:
    expect(ferry.get_by_role("button", name=re.compile("3 lines are not approved"))).to_be_visible()
    check_accessibility(ferry)
    # One of one's own, like one that comes with it.
    ferry.get_by_role("button", name="Make one like Listening copy").click()
    sheet = ferry.get_by_role("dialog", name="New package")
    sheet.get_by_label("Name", exact=True).fill("Für das Museum")
    first = sheet.get_by_role("listitem", name="Item 1: track")
    first.get_by_label("Format").select_option("flac")
    first.get_by_label("Names of files").fill("{language}/{speaker}/track {production}")
    check_accessibility(ferry)
    sheet.get_by_role("button", name="Keep").click()
    give = ferry.get_by_role("button", name="Hand over 1 edition")
    expect(give).to_be_disabled()
    ferry.get_by_label("Why it is handed over all the same").fill("a first look")
    give.click()
    download = ferry.get_by_role("link", name=re.compile("^Download, "))
    expect(download).to_be_visible(timeout=90_000)
    with ferry.expect_download() as waiting:
        download.click()
    waiting.value.save_as(tmp_path / "package.zip")
    with zipfile.ZipFile(tmp_path / "package.zip") as archive:
        manifest = json.loads(archive.read("manifest.json"))
        assert [one["path"] for one in manifest["files"]] == ["es-MX/track-tide-ferry.flac", "es-MX/tide-ferry_es-MX.srt", "es-MX/tide-ferry_es-MX.vtt"]
        assert manifest["reason"] == "a first look"
    open_view(ferry, "Quality report")
    expect(ferry.get_by_text("Español (México), figure by figure")).to_be_visible()
    check_accessibility(ferry)
    open_view(ferry, "Rights")
    expect(ferry.get_by_role("button", name=re.compile("^Note the right to use")).first).to_be_visible()
    check_accessibility(ferry)


def test_a_stream_plays_and_switches_its_language(page: Page, browser: Browser, stack: Stack) -> None:
    """By an independent player in Chromium."""
    program = Program.of(page)
    production = program.demo()
    for language in ("fr-FR", "de-DE"):
        program.ready(production, language)
    package = {"name": "stream", "items": [{"kind": "stream", "choices": {}}]}
    parcel = program.call("post", f"/api/productions/{production}/parcels/",
                          {"package": package, "languages": ["fr-FR", "de-DE"], "reason": "to be heard"})["id"]
    place = f"/api/productions/{production}/parcels/{parcel}/"
    until(lambda: program.get(place)["state"] not in ("mixing", "making", "packing"), "the stream")
    told = program.get(place)
    assert told["state"] == "ready", told["fault"]
    master = next(one["path"] for one in told["files"] if one["path"].endswith("index.m3u8"))
    context = browser.new_context(base_url=stack.address, bypass_csp=True, storage_state=page.context.storage_state())
    player = context.new_page()
    player.goto("/")
    player.add_script_tag(path=HOME / "web" / "node_modules" / "hls.js" / "dist" / "hls.min.js")
    heard = player.evaluate("""async (address) => {
      const video = document.createElement("video");
      video.muted = true;
      document.body.append(video);
      const hls = new Hls({ enableWorker: false });
      const ready = new Promise((done, fail) => {
        hls.on(Hls.Events.MANIFEST_PARSED, done);
        hls.on(Hls.Events.ERROR, (_, fault) => fault.fatal && fail(new Error(fault.details)));
      });
      hls.loadSource(address);
      hls.attachMedia(video);
      await ready;
      const names = hls.audioTracks.map((one) => one.lang);
      await video.play();
      const past = (seconds) => new Promise((done, fail) => {
        const over = setTimeout(() => fail(new Error(`stands still at ${video.currentTime}`)), 20000);
        const look = setInterval(() => { if (video.currentTime > seconds) { clearInterval(look); clearTimeout(over); done(); } }, 50);
      });
      await past(1);
      const switched = new Promise((done) => hls.on(Hls.Events.AUDIO_TRACK_SWITCHED, (_, one) => done(one.id)));
      hls.audioTrack = 1;
      const now = await switched;
      await past(3);
      return { names, now, subtitles: hls.subtitleTracks.map((one) => one.lang), width: video.videoWidth };
    }""", f"/api/productions/{production}/parcels/{parcel}/files/{master}")
    assert heard["names"] == ["fr-FR", "de-DE"]
    assert heard["now"] == 1
    assert heard["subtitles"] == ["fr-FR", "de-DE"]
    assert heard["width"] > 100
    context.close()
