"""EBU STL (EBU Tech 3264) and SCC (CEA-608), made here byte by byte as their standards say."""

from __future__ import annotations

import random

import pytest

from janoglot.core.errors import BadInput
from janoglot.core.script.formats import read_script

Caption = tuple[tuple[int, int, int, int], tuple[int, int, int, int], bytes]
CAPTIONS: list[Caption] = [((10, 0, 1, 0), (10, 0, 2, 12), b"KEEPER: Mind the\x8athird step."),
                           ((10, 0, 3, 0), (10, 0, 4, 0), b"(softly) Which one?"),
                           ((10, 0, 5, 0), (10, 0, 6, 0), b"\xc3Etes-vous l\xc1a ?"),
                           ((10, 0, 7, 0), (10, 0, 8, 0), b"KEEPER: Here.")]


def stl(captions: list[Caption], language: bytes = b"09", begins: bytes = b"10000000", rate: bytes = b"25") -> bytes:
    """A file of open captions in the Latin table (ISO 6937)."""
    header = bytearray(b" " * 1024)
    for at, field in ((0, b"850"), (3, b"STL" + rate + b".01"), (11, b"0"), (12, b"00"), (14, language), (238, f"{len(captions):05}".encode()),
                      (243, f"{len(captions):05}".encode()), (248, b"001"), (251, b"40"), (253, b"23"), (255, b"1"), (256, begins), (264, begins)):
        header[at: at + len(field)] = field
    blocks = []
    for number, (start, end, text) in enumerate(captions, 1):
        blocks.append(bytes([0, number % 256, number // 256, 255, 0, *start, *end, 20, 2, 0]) + text.ljust(112, b"\x8f"))
    return bytes(header) + b"".join(blocks)


def coded(text: str) -> str:
    """Characters as pairs of bytes with odd parity."""
    codes = [ord(ch) | (0 if bin(ord(ch)).count("1") % 2 else 128) for ch in text + " " * (len(text) % 2)]
    return " ".join(f"{one:02x}{two:02x}" for one, two in zip(codes[::2], codes[1::2], strict=True))


def scc(*captions: tuple[str, str, tuple[str, ...]]) -> str:
    """Pop-on captions: loaded, shown at the first time, gone at the second."""
    rows = ["Scenarist_SCC V1.0", ""]
    for shown, gone, texts in captions:
        words = " ".join(f"{place} {place} {coded(text)}" for place, text in zip(("1340", "13e0")[-len(texts):], texts, strict=True))
        rows += [f"{shown}\t9420 9420 94ae 94ae {words} 942f 942f", "", f"{gone}\t942c 942c", ""]
    return "\n".join(rows)


class TestStl:
    def test_words_names_directions_and_times_from_the_start_of_the_programme(self) -> None:
        script = read_script(stl(CAPTIONS), "a.stl")
        assert (script.format, script.source_language) == ("stl", "en")
        assert [(line.speaker, line.words, line.notes, line.slot) for line in script.lines] == [
            ("KEEPER", "Mind the third step.", "", (1.0, 2.48)), ("Unnamed", "Which one?", "softly", (3.0, 4.0)),
            ("Unnamed", "Êtes-vous là ?", "", (5.0, 6.0)), ("KEEPER", "Here.", "", (7.0, 8.0))]
        assert "programme_start" in {problem.code for problem in script.problems}

    def test_times_before_the_programme_leave_all_as_they_are(self) -> None:
        early = [((9, 59, 50, 0), (9, 59, 52, 0), b"Listen."), *CAPTIONS]
        assert read_script(stl(early), "a.stl").lines[1].slot == (36001.0, 36002.48)

    def test_what_runs_backwards_or_is_cut_off_is_told(self) -> None:
        script = read_script(stl([*CAPTIONS, ((10, 0, 9, 0), (10, 0, 8, 0), b"Never.")]) + b"\x00\x06\x00\xff", "a")
        assert len(script.lines) == 4
        assert {"bad_cue_time", "cut_short"} <= {problem.code for problem in script.problems}

    def test_one_caption_of_all_blocks_is_refused_soon(self) -> None:
        data = bytearray(stl(CAPTIONS * 2000))
        data[1027::128] = b"\x00" * len(data[1027::128])
        with pytest.raises(BadInput, match="240"):
            read_script(bytes(data), "a.stl")

    @pytest.mark.parametrize("seed", range(12))
    def test_broken_bytes_are_a_sentence_or_a_script(self, seed: int) -> None:
        chance = random.Random(seed)
        data = bytearray(stl(CAPTIONS * 20))
        for _ in range(40):
            data[chance.randrange(11, len(data))] = chance.randrange(256)
        try:
            assert read_script(bytes(data), "a.stl").lines
        except BadInput as error:
            assert str(error)


class TestScc:
    def test_words_names_and_times(self) -> None:
        script = read_script(scc(("00:00:01:00", "00:00:03:00", ("KEEPER: Mind the", "third step.")),
                                 ("00:00:04:00", "00:00:05:15", ("(softly) Which one?",)), ("00:00:06;00", "00:00:07;00", ("KEEPER: This one.",))), "a.scc")
        assert script.format == "scc"
        assert [(line.speaker, line.words, line.notes) for line in script.lines] == [
            ("KEEPER", "Mind the third step.", ""), ("Unnamed", "Which one?", "softly"), ("KEEPER", "This one.", "")]
        # Shown at the end of its codes, of which there is one pair a frame; at 30,000/1,001 frames a second.
        starts = [line.start for line in script.lines]
        assert starts == [pytest.approx(one, abs=0.8) for one in (1.0, 4.0, 6.0)]
        assert all(line.slot for line in script.lines)

    @pytest.mark.parametrize("text", ["Scenarist_SCC V1.0\n\n00:00:01:00\tzzzz 9420\n", "Scenarist_SCC V1.0\n\n99:99:99:99\t9420 942f\n",
                                      "Scenarist_SCC V1.0\n\n00:00:01:00\t" + "9420 " * 30_000, "Scenarist_SCC V1.0"])
    def test_what_holds_no_words_is_told(self, text: str) -> None:
        with pytest.raises(BadInput):
            read_script(text, "a.scc")
