"""Tables: CSV and TSV with a header in any usual words, case and order."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from janoglot.core.errors import BadInput, Problem
from janoglot.core.languages import tag_of_heading
from janoglot.core.script.directions import PAUSE, apart
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.formats.frames import timed
from janoglot.core.script.limits import check_rows
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.times import write_time

# Of the whole process, and so once: no cell that is not refused as a line is longer.
csv.field_size_limit(2**31 - 1)
_ROOM = 100
"""Rows that are no lines: headings, and what stands about them."""
_SEPARATOR = re.compile(r"^\ufeff?[\"']?sep=(.)[\"']?[ \t]*\n", re.IGNORECASE)
_ABOVE = 15
"""Rows that may stand above the header: titles, dates, who made it."""
_HEADING = 20_000
"""Characters of a table's first row that are looked at to see what it is."""
ROLES = ("speaker", "words", "start", "end", "duration", "notes", "part", "kind", "delivery")

_SYNONYMS = {
    "speaker": "speaker speakers character name role who person speaker_name character_name talent part_of "
               "sprecher sprecherin figur rolle personaje hablante personnage locuteur personagem falante personaggio "
               "話者 登場人物 役名 角色 人物 说话人 वक्ता पात्र المتحدث الشخصية персонаж роль",
    "words": "words text line lines dialogue dialog source source_text script transcript sentence utterance content "
             "original copy texto texte testo dialog_text spoken_text words_to_speak diálogo dialogo réplique battuta "
             "fala "
             "台詞 セリフ 原文 台词 对白 文本 संवाद पाठ النص الحوار текст реплика",
    "start": "in in_time intime start start_time starttime time_in timein tc_in tcin begin from onset in_point "
             "timecode_in time timecode inicio début debut entrée entree entrada entrata início beginn anfang "
             "von ab desde tc_ein ein "
             "開始 开始 शुरू आरंभ البداية начало",
    "end": "out out_time outtime end end_time endtime time_out timeout tc_out tcout stop to offset out_point "
           "timecode_out fin fim sortie salida saída saida uscita ende bis hasta tc_aus aus "
           "終了 结束 अंत समाप्ति النهاية конец",
    "duration": "duration length dur seconds duración durée dauer "
                "長さ 尺 时长 अवधि المدة длительность",
    "notes": "notes note comment comments direction directions stage_direction stage_directions remark remarks context "
             "notas nota remarque remarques anmerkung anmerkungen regie "
             "hinweis hinweise bemerkung bemerkungen notiz notizen observación observaciones commentaire commentaires "
             "osservazioni osservazione observação observações opmerking opmerkingen "
             "備考 ト書き 备注 टिप्पणी ملاحظات примечание примечания",
    "part": "part scene chapter section act reel room sequence szene kapitel scène chapitre acte escena capítulo parte "
            "場面 シーン 场景 दृश्य المشهد сцена",
    "kind": "kind line_kind line_type type typ tipo zeilenart "
            "art 種類 类型 प्रकार النوع тип",
    "delivery": "delivery mood moods manner how said_how emotion tone "
                "感情 语气 भाव الأداء интонация",
    "": "# no nr number index id line_no line_number row nº n° núm numéro número numero nummer zeile "
        "番号 编号 क्रमांक الرقم номер",
}
_ROLE_OF = {word: role for role, words in _SYNONYMS.items() for word in words.split()}
# A spreadsheet takes a cell that starts so for a formula. Written with an apostrophe, read without.
_FORMULA = re.compile(r"^'*[=+\-@\t\r]")
_ESCAPED = re.compile(r"^'+[=+\-@\t\r]")
_ON_SCREEN = frozenset((
    "on screen", "onscreen", "screen", "graphic", "sign", "title", "caption", "insert", "einblendung", "bildschirm",
    "texttafel", "im bild", "en pantalla", "pantalla", "rótulo", "cartel", "à l'écran", "écran", "carton",
    "incrustation", "in sovrimpressione", "sovrimpressione", "cartello", "na tela", "tela", "letreiro", "in beeld",
    "画面", "テロップ", "屏幕", "स्क्रीन पर", "على الشاشة", "на экране"))


def safe_cell(text: str) -> str:
    """``text`` as a cell that no spreadsheet takes for a formula; :func:`plain_cell` undoes it."""
    return f"'{text}" if _FORMULA.match(text) else text


def plain_cell(text: str) -> str:
    return text[1:] if _ESCAPED.match(text) else text


def is_on_screen(kind: str) -> bool:
    """Whether a cell says that a line is read on the screen."""
    plain = re.sub(r"[\s_-]+", " ", kind.strip().lower())
    return plain in _ON_SCREEN


def role_of_header(header: str) -> str | None:
    """What a column headed so holds: a role, a BCP 47 tag, ``""`` (known, of no use), or None (unknown)."""
    plain = header.strip().lstrip("\ufeff").strip("*: ")
    key = re.sub(r"[\s_./-]+", "_", plain.lower()).strip("_")
    if plain == "#":
        return ""
    if key in _ROLE_OF:
        return _ROLE_OF[key]
    # Two-letter words such as "no" and "to" are roles above before they are languages here.
    for candidate in (plain, re.sub(r"(?i)\b(translation|target|wording|text|words|dub)\b[:\s_-]*", "", plain)):
        tag = tag_of_heading(candidate.strip(" :_-()[]"))
        if tag:
            return tag
    return None


@dataclass(frozen=True)
class _Layout:
    roles: list[str]
    headers: list[str]
    has_header: bool


class Table:
    def __init__(self, format_id: str, name: str, suffixes: tuple[str, ...], delimiter: str) -> None:
        self.id, self.name, self.suffixes, self._delimiter = format_id, name, suffixes, delimiter
        self.expects = "The first row should name the columns, with one for the speaker and one for the words."

    def certain(self, text: str) -> bool:
        first = _first_row(text)
        cells = next(csv.reader([first], delimiter=_delimiter_of(text)), [])
        if (_delimiter_of(text) == "\t") != (self._delimiter == "\t"):
            return False
        roles = [role_of_header(cell) for cell in cells]
        return len(cells) > 1 and "speaker" in roles and sum(role is not None for role in roles) > 1

    def read(self, text: str, hints: Hints) -> Script:
        named = _SEPARATOR.match(text)
        delimiter = named[1] if named else _delimiter_of(text)
        # The row that only names the separator keeps its number.
        text = "\n" + text[named.end():] if named else text
        reader = csv.reader(io.StringIO(text.lstrip("\ufeff")), delimiter=delimiter, skipinitialspace=True)
        rows: list[tuple[int, list[str]]] = []
        try:
            before = 0
            for cells in reader:
                check_rows(len(rows) - _ROOM)
                if any(cell.strip() for cell in cells):
                    rows.append((before + 1, [plain_cell(cell.strip()) for cell in cells]))
                before = reader.line_num
        except csv.Error as error:
            raise BadInput("Row {row}: the table cannot be read on from here ({why}). Is a quotation mark open?",
                           row=reader.line_num, why=str(error)) from error
        return self.read_rows(rows, hints)

    def read_rows(self, rows: Sequence[tuple[int, list[str]]], hints: Hints) -> Script:
        """A script from rows of cells, each with its number in the file from 1. Raises BadInput."""
        script = Script(fps=hints.fps)
        above = header_at(rows)
        if above:
            script.problems.append(Problem(
                "above_table", "{count} rows stand above the table, beginning with “{text}”: passed over.",
                {"count": above, "text": next(cell for cell in rows[0][1] if cell)[:40]}, rows[0][0], "note"))
            rows = rows[above:]
        layout = _layout(rows, hints, script)
        script.columns = list(zip(layout.headers, layout.roles, strict=True))
        script.languages = list(dict.fromkeys(role for role in layout.roles if role not in (*ROLES, "")))
        if script.source_language in script.languages:
            script.languages.remove(script.source_language)
        before: list[str] = []
        for row, cells in rows[1 if layout.has_header else 0:]:
            made = len(script.lines)
            alone = self._read_row(script, layout, row, cells, hints.directions)
            if len(script.lines) > made and before:
                script.lines[-1].notes = "; ".join(filter(None, [*before, script.lines[-1].notes]))
                script.lines[-1].directions[:0] = before
                before = []
            before += alone
        _tell_of_brackets(script, hints)
        return script

    def _read_row(self, script: Script, layout: _Layout, row: int, cells: list[str], directions: bool) -> list[str]:
        """Gives directions that stand alone in a row: they are of what comes next."""
        def problem(code: str, template: str, **fields: object) -> None:
            script.problems.append(Problem(code, template, fields, row))

        if len(cells) > len(layout.roles):
            extra = [cell for cell in cells[len(layout.roles):] if cell]
            if extra:
                problem("extra_cells", "{count} more cells than the header names, from “{first}”: left out. "
                        "Words that hold the separator need quotation marks.", count=len(extra), first=extra[0][:30])
        values: dict[str, str] = {}
        for role, cell in zip(layout.roles, cells, strict=False):
            if role and cell:
                values[role] = f"{values[role]} {cell}" if role in values else cell
        words = values.get("words", "")
        if script.source_language and not words:
            words = values.get(script.source_language, "")
        wordings = {tag: values[tag] for tag in script.languages if tag in values}
        if not words and not wordings:
            if "speaker" in values:
                problem("no_words", "No words for {name}: left out.", name=values["speaker"])
            elif any(cells):
                problem("no_words", "No words in this row, only “{text}”: left out.",
                        text=next(cell for cell in cells if cell)[:40])
            return []
        said = {tag: apart(text) for tag, text in {"": words, **wordings}.items()}
        directed = next((found for _, found in said.values() if found), [])
        if directed:
            script.brackets = directions
            script.found_directions += [(row, one.text) for one in directed]
        if directed and directions:
            words, wordings = said[""][0], {tag: said[tag][0] for tag in wordings}
            if not words and not any(wordings.values()):
                return [one.text for one in directed]
        else:
            directed = []
        if not words:
            problem("no_source_words", "A translation without its source words: kept, with empty words.")
        speaker = values.get("speaker", "")
        if not speaker and not is_on_screen(values.get("kind", "")):
            problem("no_speaker", "No speaker for “{words}”: given to “{unnamed}”.", words=words[:40], unnamed=UNNAMED)
        start, end = self._slot(values, problem, script)
        notes = "; ".join(filter(None, [values.get("notes", ""), *(one.text for one in directed)]))
        delivery = values.get("delivery", "")
        pauses = {tag: (told, found) for tag, (told, among) in said.items() if directed and (found := [
            one.word for one in among if one.meant == PAUSE and 0 < one.word < len(told.split())])}
        script.lines.append(ScriptLine(speaker or UNNAMED, words, start, end, notes, values.get("part", ""), row,
                                       wordings, is_on_screen(values.get("kind", "")), delivery=delivery,
                                       pauses=pauses, directions=[one.text for one in directed]))
        return []

    @staticmethod
    def _slot(values: dict[str, str], problem: object, script: Script) -> tuple[float | None, float | None]:
        times: dict[str, float] = {}
        for role in ("start", "end", "duration"):
            if role in values:
                seconds = timed(values[role], script)
                if seconds is None:
                    problem("bad_time", "“{text}” is not a time: the line is kept without its slot. "  # type: ignore[operator]
                            "Write 1:02.5, 00:01:02,500, 00:01:02:12 or seconds.", text=values[role])
                    return None, None
                times[role] = seconds
        if "start" not in times:
            return None, None
        end = times.get("end")
        if end is None and "duration" in times:
            end = times["start"] + times["duration"]
        if end is None:
            problem("no_out_time", "An in-time without an out-time: the line is kept without its slot.")  # type: ignore[operator]
            return None, None
        if end <= times["start"]:
            problem("slot_backwards", "The out-time {end:g} s is not after the in-time {start:g} s: the line is "  # type: ignore[operator]
                    "kept without its slot.", end=end, start=times["start"])
            return None, None
        return times["start"], end

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        out = io.StringIO()
        writer = csv.writer(out, delimiter=self._delimiter, lineterminator="\r\n")
        writer.writerows(self.rows_of(script, source_language))
        return out.getvalue()

    @staticmethod
    def rows_of(script: Script, source_language: str) -> Iterator[list[str]]:
        """The header and the rows, safe in any spreadsheet."""
        with_part = any(line.part for line in script.lines)
        with_notes = any(line.notes for line in script.lines)
        with_kind = any(line.on_screen for line in script.lines)
        with_delivery = any(line.delivery for line in script.lines)
        timed = script.timed
        header = [*(["part"] if with_part else []), "speaker", *(["in", "out"] if timed else []),
                  *(["kind"] if with_kind else []), *(_heading(tag) for tag in (source_language, *script.languages)),
                  *(["notes"] if with_notes else []), *(["delivery"] if with_delivery else [])]
        yield header
        for line in script.lines:
            times = [write_time(t) if t is not None else "" for t in (line.start, line.end)]
            kind = "on screen" if line.on_screen else "spoken"
            cells = [*([line.part] if with_part else []), line.speaker, *(times if timed else []),
                     *([kind] if with_kind else []), line.words,
                     *(line.wordings.get(tag, "") for tag in script.languages),
                     *([line.notes] if with_notes else []), *([line.delivery] if with_delivery else [])]
            yield [safe_cell(cell) for cell in cells]


def _tell_of_brackets(script: Script, hints: Hints) -> None:
    found = script.found_directions
    if found and hints.directions:
        script.problems.append(Problem(
            "directions_apart", "{count} directions stand among the words, the first “{text}”: they are not said, and "
            "kept as notes.", {"count": len(found), "text": found[0][1][:40]}, found[0][0], "note"))


def _heading(tag: str) -> str:
    """What stands above the column of a language, so that it is read again as just that: "id" alone is a number's."""
    return tag if role_of_header(tag) == tag else f"text ({tag})"


def _first_row(text: str) -> str:
    """The beginning of the first row that is not empty."""
    return text[:_HEADING * 4].lstrip("\ufeff\n ").split("\n", 1)[0][:_HEADING]


def _delimiter_of(text: str) -> str:
    """The separator that cuts the header into the most known columns."""
    first = _first_row(text)

    def score(delimiter: str) -> tuple[int, int]:
        cells = next(csv.reader([first], delimiter=delimiter), [])
        return sum(role_of_header(cell) is not None for cell in cells) if len(cells) > 1 else 0, len(cells)

    return max("\t;,", key=score)


def header_at(rows: Sequence[tuple[int, list[str]]]) -> int:
    """How many rows stand above the one that heads the columns; 0 where none of the first ones does."""
    for at, (_, cells) in enumerate(rows[:_ABOVE]):
        roles = {role for cell in cells if (role := role_of_header(cell))}
        if len(roles) > 1 and (roles & {"speaker", "words"} or roles - set(ROLES)):
            return at
    return 0


def _is_heading(cells: Sequence[str]) -> bool:
    """Whether a row of which one cell alone is known looks as headings do: short, all different, no sentences."""
    filled = [cell for cell in cells if cell]
    return len(filled) > 1 and len(set(filled)) == len(filled) and all(
        len(cell) <= 30 and cell[-1] not in ".!?…" for cell in filled) and any(
        role_of_header(cell) in ("speaker", "words") for cell in filled)


def _layout(rows: Sequence[tuple[int, list[str]]], hints: Hints, script: Script) -> _Layout:
    if not rows:
        return _Layout([], [], False)
    first = rows[0][1]
    guesses = [role_of_header(cell) for cell in first]
    known = sum(guess is not None for guess in guesses)
    has_header = known >= 2 or (known == 1 and (len(first) <= 2 or _is_heading(first))) or bool(hints.columns)
    if not has_header:
        width = max(len(cells) for _, cells in rows)
        if width < 2:
            raise BadInput("The table has one column only. It needs one for the speaker and one for the words.")
        guesses = ["speaker", "words", *[None] * (width - 2)]
        script.problems.append(Problem(
            "no_header", "The first row names no columns: the first was taken for the speaker, the second for "
            "the words.", {}, rows[0][0]))
        first = [f"column {n + 1}" for n in range(width)]
    headers = [cell or f"column {n + 1}" for n, cell in enumerate(first)]
    roles: list[str] = []
    for place, guess in enumerate(guesses):
        role = hints.columns.get(place, guess)
        if role is None:
            script.problems.append(Problem("unknown_column", "The column “{name}” was not understood: passed over.",
                                           {"name": headers[place]}, rows[0][0] if has_header else None))
        elif role and role in roles and role != "notes":
            script.problems.append(Problem("column_twice", "A second column for {role}, “{name}”: passed over.",
                                           {"name": headers[place], "role": role}, rows[0][0]))
            role = ""
        roles.append(role or "")
    languages = [role for role in roles if role not in (*ROLES, "")]
    script.source_language = hints.source_language or None
    if "words" not in roles:
        if not languages:
            raise BadInput("No column holds the words. Found: {found}. Head one “words” or with its language.",
                           found=", ".join(headers))
        # Without a column of words the source is the language asked for, or the first one.
        script.source_language = script.source_language if script.source_language in languages else languages[0]
    return _Layout(roles, headers, has_header)


CSV = Table("csv", "CSV", (".csv",), ",")
TSV = Table("tsv", "TSV", (".tsv", ".tab"), "\t")
