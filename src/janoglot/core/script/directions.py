"""Stage directions among the words of a line: told from words that stand in brackets, taken out, and understood.

Square brackets, the ideographic ones and asterisks hold directions by custom. Round ones hold asides and years as well:
these stay words. What is in round ones is a direction where it stands as one does, before a sentence or after it,
short, without a figure and no sentence of its own; or, wherever it stands, where it is a word that directions are made
of, in any language of the table below.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

_BRACKETED = re.compile(
    r"\(([^()]*)\)|\[([^\[\]]*)\]|（([^（）]*)）|［([^［］]*)］|【([^【】]*)】|(?<![\w*])\*([^\s*](?:[^*]*[^\s*])?)\*(?![\w*])")
_ROUND = (1, 3)
_ENDS = ".!?…。！？»”\"'’"
_MOST_WORDS = 5
_LONGEST = 60
PAUSE = "pause"
_SAID: dict[str, str] = {
    "whispering": (
        "whispering whispers whispered whisper susurrando susurra susurrado chuchotant chuchote "
        "murmurant flüsternd flüstert flüstern geflüstert sussurrando sussurra sussurrato "
        "cochichando sussurrado fluisterend fluistert هامسا همسا फुसफुसाकर ささやいて 小声 耳语"
    ),
    "shouting": (
        "shouting shouts shouted yelling gritando grita gritado a-gritos criant crie hurlant "
        "schreiend schreit rufend ruft gridando grida aos-gritos schreeuwend roepend صارخا "
        "चिल्लाकर 叫んで 大声 喊"
    ),
    "softly": (
        "softly quietly gently suavemente en-voz-baja bajito doucement à-voix-basse tout-bas "
        "leise sanft piano sottovoce a-bassa-voce baixinho em-voz-baixa zacht بهدوء धीरे 静かに"
    ),
    "laughing": (
        "laughing laughs riendo ríe riéndose riant rit lachend lacht ridendo ride rindo ri ضاحكا "
        "हँसते-हुए 笑って 笑"
    ),
    "sad": (
        "crying cries sobbing sad sadly llorando sollozando triste tristemente pleurant "
        "tristement weinend weint traurig piangendo chorando huilend باكيا रोते-हुए 泣いて"
    ),
    "angry": (
        "angry angrily furious enojado enojada enfadado enfadada furioso furiosa fâché fâchée "
        "en-colère wütend zornig arrabbiato arrabbiata zangado zangada boos غاضبا गुस्से-से 怒って"
    ),
    "tired": (
        "sighing sighs tired tiredly suspira suspirando cansado cansada soupire soupirant fatigué "
        "fatiguée seufzt seufzend müde sospira stanco stanca suspirando zuchtend moe متعبا थककर"
    ),
    "afraid": (
        "afraid frightened scared nervous nervously asustado asustada nervioso nerviosa effrayé "
        "effrayée ängstlich spaventato spaventata assustado assustada bang خائفا डरकर"
    ),
    "calm": (
        "calm calmly ruhig gelassen calme calmement tranquilo tranquila tranquilamente con-calma "
        "calmo calma calmamente tranquillo tranquilla rustig kalm بهدوء-تام शांति-से 落ち着いて 平静"
    ),
    "joyful": (
        "happy happily joyful cheerful cheerfully fröhlich freudig joyeux joyeuse joyeusement gai "
        "alegre alegremente contento contenta allegro allegra allegramente felice vrolijk blij "
        "فرحا سعيدا खुशी-से 嬉しそうに 高兴"
    ),
    "urgent": (
        "urgent urgently dringend hastig gehetzt urgemment pressé pressée urgente con-urgencia "
        "con-prisa con-urgenza in-fretta com-urgência gehaast مستعجلا जल्दी-से 急いで 急切"
    ),
    "excited": (
        "excited excitedly aufgeregt begeistert excité excitée enthousiaste emocionado emocionada "
        "entusiasmado entusiasmada eccitato eccitata animado animada opgewonden متحمسا उत्साह-से 興奮して"
    ),
    "stern": (
        "stern sternly streng sévère sévèrement severo severa secco severamente con-severidad "
        "strikt صارما सख्ती-से 厳しく 严厉"
    ),
    PAUSE: (
        "pause beat silence pausa silencio silêncio silenzio stille pauze stilte توقف صمت विराम 間 "
        "停顿"
    ),
    "": (
        "off offstage aside v.o. vo o.s. os aparte en-aparté beiseite a-parte à-parte"
    ),
}
_HEARD_FROM: dict[str, str] = {
    "telephone": (
        "on-the-phone on-phone over-the-phone by-phone on-the-telephone phone telephone al-teléfono "
        "por-teléfono au-téléphone am-telefon al-telefono ao-telefone aan-de-telefoon "
        "عبر-الهاتف على-الهاتف फ़ोन-पर फोन-पर 電話で 電話越しに 电话里 在电话里"
    ),
    "two-way radio": (
        "into-the-radio on-the-radio over-the-radio by-radio por-radio por-la-radio à-la-radio "
        "par-radio über-funk am-funk alla-radio via-radio pelo-rádio over-de-radio 無線で 对讲机"
    ),
    "loudspeaker": (
        "over-the-loudspeaker over-loudspeakers over-the-speakers por-megafonía "
        "por-los-altavoces au-haut-parleur par-haut-parleur über-lautsprecher "
        "dall'altoparlante pelo-alto-falante door-de-luidspreker スピーカーで 广播"
    ),
    "next door": (
        "from-the-next-room from-next-door through-the-door behind-the-door tras-la-puerta "
        "desde-la-otra-habitación derrière-la-porte de-la-pièce-voisine durch-die-tür "
        "hinter-der-tür aus-dem-nebenzimmer da-dietro-la-porta atrás-da-porta achter-de-deur"
    ),
    "across the room": "from-across-the-room across-the-room desde-el-otro-lado-de-la-sala de-l'autre-bout-de-la-pièce",
    "outside": "from-outside outside desde-fuera du-dehors von-draußen da-fuori de-fora van-buiten",
    "in the head": (
        "in-her-head in-his-head in-their-head thinking thinks pensando piensa en-su-cabeza "
        "il-pense elle-pense denkt in-gedanken pensa"
    ),
}
"""By a room (:data:`janoglot.core.mix.rooms.ROOM_NAMES`)."""


def _table(said: dict[str, str]) -> dict[str, str]:
    return {word.replace("-", " "): meant for meant, words in said.items() for word in words.split()}


_MEANT = _table(_SAID)
_ROOMS = _table(_HEARD_FROM)
_BEFORE_PAUSE = re.compile(
    r"^(?:(?:an?|una|une|eine|uma|een|long|short|brief|slight|larga|breve|longue|courte|lange|kurze|lunga|longa)\s+)+")
_AFTER_PAUSE = re.compile(r"\s+(?:larga|breve|longue|courte|lunga|longa)$")


@dataclass(frozen=True, slots=True)
class Direction:
    """``text`` as it stood between its brackets; ``meant`` in plain English, "" where that is not known; ``word``: how
    many words of what is said stand before it."""

    text: str
    meant: str
    word: int


def mood_meant(text: str) -> str:
    """What a direction says of how somebody speaks, in plain English; "" where that is not known."""
    meant = _meaning(text) or ""
    return "" if meant == PAUSE else meant


def room_meant(text: str) -> str:
    """Where a direction has a voice heard from; "" where it says nothing of that."""
    return _ROOMS.get(_plain(text), "")


def is_known(text: str) -> bool:
    """Whether it is what directions are made of, wherever it stands."""
    return _meaning(text) is not None or bool(room_meant(text))


def is_pause(text: str) -> bool:
    """Whether a direction asks for a pause.

    >>> is_pause("A long pause"), is_pause("she pauses the film")
    (True, False)
    """
    return _meaning(text) == PAUSE


def apart(text: str) -> tuple[str, list[Direction]]:
    """The words to be spoken, and the directions that stood among them.

    >>> apart("(softly) Mind the step. [a pause] There. (1912)")[0]
    'Mind the step. There. (1912)'
    """
    if not any(sign in text for sign in "([（［【*"):
        return text, []
    pieces: list[str] = []
    found: list[Direction] = []
    at = 0
    for begin, end, inner in _directions(text):
        pieces.append(text[at:begin])
        at = end
        found.append(Direction(inner, _meaning(inner) or "", len("".join(pieces).split())))
    if not found:
        return text, []
    said = " ".join("".join([*pieces, text[at:]]).split())
    return re.sub(r" ([,.;:!?…])", r"\1", said) if " " in said else said, found


def _directions(text: str) -> Iterator[tuple[int, int, str]]:
    """From where to where each direction stands, with its brackets, and what is in them."""
    for match in _BRACKETED.finditer(text):
        group = match.lastindex or 0
        inner = " ".join((match[group] or "").split()) if group else ""
        if not inner:
            continue
        if is_known(inner) or (
                _looks_like_one(inner) and (group not in _ROUND or _stands_apart(text, match.start(), match.end()))):
            yield match.start(), match.end(), inner


def _meaning(inner: str) -> str | None:
    """None of what is not in the table."""
    plain = _plain(inner)
    if plain in _MEANT:
        return _MEANT[plain]
    short = _AFTER_PAUSE.sub("", _BEFORE_PAUSE.sub("", plain))
    return PAUSE if _MEANT.get(short) == PAUSE else None


def _plain(inner: str) -> str:
    return inner.casefold().strip(" .,:;!?…-–—")


def _looks_like_one(inner: str) -> bool:
    """Short, without a figure, and no sentence of its own."""
    words = inner.split()
    if len(inner) > _LONGEST or len(words) > _MOST_WORDS or any(character.isdigit() for character in inner):
        return False
    if inner[-1] in ".!?…。！？":
        return False
    first = inner[0]
    return not first.isupper() or inner.isupper()


def _stands_apart(text: str, begin: int, end: int) -> bool:
    """Before a sentence or after it, not within one."""
    before, after = text[:begin].rstrip(), text[end:].lstrip()
    # "We left (and never came back)." is said: the sentence ends behind it.
    return bool(after and after[0] not in ",.;:!?…" if not before else before[-1] in _ENDS)
