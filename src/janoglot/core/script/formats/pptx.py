"""Presentations (Office Open XML, ECMA-376): a part for each slide, its speaker notes the narration."""

from __future__ import annotations

import io
import itertools

import pptx
from pptx.slide import Slide

from janoglot.core.errors import Problem
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.packages import holds, opened
from janoglot.core.script.markup import take_directions
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.naming import Names


class Presentation:
    id = "pptx"
    name = "PPTX"
    suffixes: tuple[str, ...] = (".pptx",)
    expects = "The words to be spoken are taken from the speaker notes under the slides."

    def certain(self, data: bytes) -> bool:
        return holds(data, "ppt/presentation.xml")

    def read(self, data: bytes, hints: Hints) -> Script:
        script = Script()
        with opened(data, self.name) as file:
            slides = [_title_and_notes(slide, number) for number, slide in enumerate(pptx.Presentation(file).slides, 1)]
        names = Names((row for _, rows in slides for row in rows), told=hints.labels)
        for number, (part, rows) in enumerate(slides, 1):
            before = len(script.lines)
            for row in rows:
                speech = names.split(row, number)
                words, notes, pauses = take_directions(speech.words if speech else row)
                notes = ([speech.aside] if speech and speech.aside else []) + notes
                if words:
                    line = ScriptLine(speech.name if speech else hints.narrator, "", part=part, row=number)
                    line.say(words, notes, pauses)
                    script.lines.append(line)
            if len(script.lines) == before:
                script.problems.append(Problem("no_notes", "Slide {number} has no speaker notes: nothing is said.",
                                               {"number": number}, number, "note"))
        script.problems += names.problems
        script.labels = names.decided
        return script

    def write(self, script: Script, source_language: str, language: str | None = None) -> bytes:
        """A slide with each part's title, and its lines as notes."""
        deck = pptx.Presentation()
        for part, lines in itertools.groupby(script.lines, key=lambda line: line.part):
            slide = deck.slides.add_slide(deck.slide_layouts[5])
            if slide.shapes.title:
                slide.shapes.title.text_frame.text = part
            rows = []
            for line in lines:
                words = script.wording(line, language or source_language, source_language)
                if words:
                    rows.append(f"{line.label}: {f'({line.notes}) ' if line.notes else ''}{words}")
            frame = slide.notes_slide.notes_text_frame
            if frame:
                frame.text = "\n".join(rows)
        out = io.BytesIO()
        deck.save(out)
        return out.getvalue()


def _title_and_notes(slide: Slide, number: int) -> tuple[str, list[str]]:
    """A slide's title and the rows of its speaker notes that hold something."""
    title = " ".join(slide.shapes.title.text_frame.text.split()) if slide.shapes.title else ""
    frame = slide.notes_slide.notes_text_frame if slide.has_notes_slide else None
    rows = (frame.text if frame else "").replace("\v", "\n").split("\n")
    return title or f"Slide {number}", [row.strip() for row in rows if row.strip()]


FORMAT = Presentation()
