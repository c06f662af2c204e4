"""Places of lines, cutting and joining, and labels of one person."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.script.cutting import ends_sentence, joined, sentences, share_at, split_at, split_like, split_slot
from janoglot.core.script.labels import name_and_aside, same_person
from janoglot.core.script.order import between, places, several_between


class TestPlaces:
    def test_they_are_in_order(self) -> None:
        found = places(20_000)
        assert found == sorted(found)
        assert len(set(found)) == 20_000

    @given(st.lists(st.tuples(st.integers(0, 400), st.booleans()), max_size=120))
    def test_there_is_always_room(self, moves: list[tuple[int, bool]]) -> None:
        have = places(3)
        for at, first in moves:
            at = 0 if first else at % (len(have) + 1)
            have.insert(at, between(have[at - 1] if at else "", have[at] if at < len(have) else None))
        assert have == sorted(have)
        assert len(set(have)) == len(have)
        assert not any(one.endswith("0") for one in have)

    def test_typing_for_a_day_at_one_place_keeps_them_short(self) -> None:
        first, last = places(2)
        longest, before = 0, first
        for _ in range(2000):
            before = between(before, last)
            longest = max(longest, len(before))
        assert longest <= 250

    def test_the_wrong_way_round_is_refused(self) -> None:
        with pytest.raises(ValueError, match="does not come before"):
            between("V", "A")

    def test_several_at_once(self) -> None:
        found = several_between("0001V", "0002V", 50)
        assert ["0001V", *found, "0002V"] == sorted({"0001V", *found, "0002V"})


class TestSentences:
    @pytest.mark.parametrize(("text", "count"), [
        ("One. Two. Three.", 3), ("Dr. Ash has it. He left.", 2), ("J. Marlow keeps it. Ask her.", 2),
        ("It rose 3.5 m. Nobody saw.", 2), ("Wait… what? No!", 2), ("Come at 9 p.m. or not at all.", 1),
        ("Come at 9 p.m. Then go.", 2), ("Frau Dr. Keel kommt ca. um neun. Gut.", 2), ("“Stop!” he said. She did.", 3),  # a shout ends its own
        ("Der 3. Tag war lang. Ende.", 3),  # an ordinal before a capital cannot be told from an end
        ("He said no. Then he left.", 2), ("Look at no. 4 first. Good.", 2), ("Rope, tar, etc. Then we sailed.", 2), ("时钟停了。谁来？没有人。", 3), ("no marks at all", 1), ("", 0), ("…", 1),
        ("¿Quién? Nadie. El Sr. Faro.", 3), ("Go… and then stop.", 1), ("See fig. 3 there. Fine.", 2),
    ])
    def test_cases(self, text: str, count: int) -> None:
        assert len(sentences(text)) == count, sentences(text)

    @given(st.text(alphabet="ab .!?…AB\n。", max_size=60))
    def test_nothing_is_lost(self, text: str) -> None:
        assert "".join("".join(sentences(text)).split()) == "".join(text.split())


class TestCutting:
    def test_words_at_the_caret(self) -> None:
        assert split_at("Mind the step.  It is loose.", 14) == ("Mind the step.", "It is loose.")

    def test_a_translation_is_cut_between_sentences(self) -> None:
        assert split_like("Cuidado con el escalón. Está suelto.", 0.5) == ("Cuidado con el escalón.", "Está suelto.", True)

    @pytest.mark.parametrize(("text", "share", "inside", "halves"), [
        # One sentence is cut where its source was, between clauses or words, and that is a proposal.
        ("Cuidado con el escalón, que está suelto", 0.5, True, ("Cuidado con el escalón,", "que está suelto")),
        ("Cuidado con el escalón suelto", 0.5, False, ("Cuidado con el", "escalón suelto")),
        # The source was cut inside its second sentence: the end of the first is not meant.
        ("Espera. Si la marea sube, nadie pasa por la puerta del faro.", 0.45, True, ("Espera. Si la marea sube,", "nadie pasa por la puerta del faro.")),
        ("足元に気をつけて、階段は古いから。", 0.5, True, ("足元に気をつけて、", "階段は古いから。")),
        ("港口的尽头有一座旧钟楼", 0.45, True, ("港口的尽头", "有一座旧钟楼")),
        ("احذر الدرجة، إنها مخلخلة", 0.5, True, ("احذر الدرجة،", "إنها مخلخلة")),
        ("Sí", 0.5, True, ("Sí", "")), ("", 0.5, True, ("", ""))])
    def test_a_cut_inside_a_sentence_is_proposed(self, text: str, share: float, inside: bool, halves: tuple[str, str]) -> None:
        assert split_like(text, share, inside) == (*halves, False)

    @pytest.mark.parametrize(("text", "ends"), [("Mind the step.", True), ("Mind the step, ", False), ("“Why?”", True), ("終わり。", True), ("Dr", False), ("", True)])
    def test_where_a_sentence_ends(self, text: str, ends: bool) -> None:
        assert ends_sentence(text) is ends

    def test_times_follow_the_words(self) -> None:
        assert split_slot((10.0, 14.0), 0.25) == ((10.0, 11.0), (11.0, 14.0))
        assert split_slot((10.0, 14.0), 0.0) == ((10.0, 10.2), (10.2, 14.0))
        assert share_at("abcd efgh", 5) == 0.5
        assert share_at("abcd efgh", 5, [(0.0, 0.9, 0, 4), (1.5, 2.0, 5, 4)]) == 0.75
        assert share_at("…", 1) == 0.5

    @given(st.floats(0, 100), st.floats(0.01, 50), st.floats(-1, 2))
    def test_slots_stay_inside(self, start: float, length: float, share: float) -> None:
        (a, b), (c, d) = split_slot((start, start + length), share)
        assert a == start
        assert d == start + length
        assert b == c
        assert a <= b + 0.0006
        assert c <= d + 0.0006

    @pytest.mark.parametrize(("one", "other", "both"), [
        ("Mind", "the step", "Mind the step"), ("", "x", "x"), ("x ", "", "x"), ("時計", "塔", "時計塔"), ("a", "塔", "a 塔"),
    ])
    def test_joining(self, one: str, other: str, both: str) -> None:
        assert joined(one, other) == both


class TestLabels:
    @pytest.mark.parametrize(("label", "name", "aside"), [
        ("KEEPER (O.S.)", "KEEPER", "O.S."), ("Keeper:", "Keeper", ""), ("keeper", "keeper", ""),
        ("Imka [on the stairs] :", "Imka", "on the stairs"), ("PELL (CONT'D)", "PELL", ""), ("(all)", "(all)", "all"),
    ])
    def test_name_and_aside(self, label: str, name: str, aside: str) -> None:
        assert name_and_aside(label) == (name, aside)

    def test_labels_of_one_person(self) -> None:
        groups = same_person(["KEEPER (O.S.)", "Keeper:", "keeper", "Keeper", "Imka", "Narrator", "Narator", "Guard 1", "Guard 2"])
        assert groups == [["Keeper", "keeper", "Keeper:", "KEEPER (O.S.)"], ["Narator", "Narrator"]]

    @pytest.mark.parametrize("labels", [["Ann", "Anna"], ["Guard 1", "Guard 2"], ["Pell", "Bell"], ["Marlow", "Harrow"], []])
    def test_who_is_somebody_else(self, labels: list[str]) -> None:
        assert same_person(labels) == []
