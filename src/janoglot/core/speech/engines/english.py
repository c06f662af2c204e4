"""English words that are written alike and said in two ways, where the formant engine's own rules take the wrong one.

It knows most of them (use, house, live, record, present …) by the words beside them. Here are those that it misses,
each with what must stand around it for the rarer reading. The rules are ours and few; a lexicon is for the rest.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from janoglot.core.speech.engines.formant import SaidWord

LANGUAGE = "en"
READING = "heteronyms 1"
"""Part of the recipe of what is read so: another reading is another take."""

_VERB = (r"(?:will|would|shall|should|can|could|may|might|must|to|do|does|did|don't|didn't|doesn't|won't|wouldn't|"
         r"can't|couldn't|cannot|never|please|let's|let (?:me|us|him|her|them)|help(?:ed)? (?:me|us|him|her|them))"
         r"(?: (?:\w+ly|not|you|we|i|they|he|she))?")
_OBJECT = r"(?:the|a|an|it|its|this|that|these|those|my|your|his|her|our|their|every|all|both|each|him|them|me|us)\b"
_DONE = r"(?:have|has|had|having|was|were|been|being|is|are|be|'ve|i've|you've|we've|they've|hasn't|haven't|hadn't)"
_BEGINS = r"(?:^|[,;:—] ?(?:and |then )?|\band )"
_SAID_BEFORE = r"(?:last|yesterday|ago|earlier|already|once|that (?:day|night|morning|evening|year|summer|winter))"
_AFLOAT = r"(?:boat|ship|stern|deck|anchor|sail|hull|ferry|barge|vessel|wave|mast|tiller|keel|rudder)s?"
_QUARREL = r"(?:terrible|awful|huge|blazing|dreadful|furious|big|loud|bitter|flaming|family|nasty|violent)"
_ADVERB = r"(?: (?:\w+ly|just|not|never|always|once|already|it))?"

# The word; what stands before it and behind it in its sentence, in lower case; American and British sounds. The first
# that fits is taken.
_RULES: tuple[tuple[str, str, str, str, str], ...] = (
    ("read", rf"\b{_DONE}{_ADVERB} $", "", "ɹˈɛd", "ɹˈɛd"),
    ("read", r"\b(?:he|she|it|who) $", "", "ɹˈɛd", "ɹˈɛd"),
    ("read", r"(?:^|.* )(?:i|we|they|you) $", rf".*\b{_SAID_BEFORE}\b", "ɹˈɛd", "ɹˈɛd"),
    ("read", rf".*\b{_SAID_BEFORE}\b.* (?:i|we|they|you) $", "", "ɹˈɛd", "ɹˈɛd"),
    ("lead", r"\b(?:of|molten|liquid|like|from|in melted|heavy as) $", r"(?!role|singer|actor|time|position)", "lˈɛd",
     "lˈɛd"),
    ("lead", "", r" (?:pipe|roof|weight|paint|glass|shot|poison|pencil|coffin|box|lined|seal|sinker)", "lˈɛd", "lˈɛd"),
    ("close", rf"\b{_VERB} $", r" (?!to\b)", "klˈoʊz", "klˈəʊz"),
    ("close", rf"{_BEGINS}$", rf" {_OBJECT}", "klˈoʊz", "klˈəʊz"),
    ("close", r"\b(?:i|we|they|you) $", rf" {_OBJECT}", "klˈoʊz", "klˈəʊz"),
    ("bow", rf"\b{_VERB} $", "", "bˈaʊ", "bˈaʊ"),
    ("bow", r"(?!.*\b(?:tie|tied|ribbon|hair|arrow|violin|string)).*\b(?:the|her|its|their|our) $",
     rf".*\b{_AFLOAT}\b", "bˈaʊ", "bˈaʊ"),
    ("bow", rf".*\b{_AFLOAT}(?:'s)?\b.*$", r"(?!.*\b(?:ribbon|hair|arrow|violin))", "bˈaʊ", "bˈaʊ"),
    ("row", rf"\b(?:a|the|another|that|this|their|our) {_QUARREL} $", "", "ɹˈaʊ", "ɹˈaʊ"),
    ("row", r"\b(?:had|have|having|has) a $", r"(?! of)", "ɹˈaʊ", "ɹˈaʊ"),
    ("excuse", rf"\b{_VERB} $", "", "ɛkskjˈuːz", "ɛkskjˈuːz"),
    ("excuse", rf"{_BEGINS}$", rf" {_OBJECT}", "ɛkskjˈuːz", "ɛkskjˈuːz"),
    ("minute", r"\b(?:a|the|most|such|so|very|in|some|many|few) $",
     r" (?:crack|detail|particle|amount|quantit|hole|trace|scratch|speck|difference|movement|grain|piece|drop|gap)",
     "maɪnˈuːt", "maɪnjˈuːt"),
    ("wound", r"(?<!\bthe )(?<!\ba )(?<!\bhis )(?<!\bher )(?<!\bmy )(?<!\bthat )(?<!\bdeep )(?<!\bopen )(?<!\bto )$",
     r" (?:up|down|round|around|through|along|back|it|the (?:clock|watch|rope|thread|handle|spring)|its)\b",
     "wˈaʊnd", "wˈaʊnd"),
    ("wound", r"\b(?:i|he|she|we|they|who|you) $", rf" {_OBJECT} (?:clock|watch|rope|scarf|thread|spring|handle|chain)",
     "wˈaʊnd", "wˈaʊnd"),
    ("separate", rf"\b{_VERB} $", "", "sˈɛpɚɹˌeɪt", "sˈɛpəɹˌeɪt"),
    ("separate", r"\b(?:we|they|you|i) $", rf" {_OBJECT}", "sˈɛpɚɹˌeɪt", "sˈɛpəɹˌeɪt"),
    ("winds", r"\b(?:that|which|who|whom)(?: (?:the|a|my|our|his|her) \w+| he| she| it)? $", "", "wˈaɪndz", "wˈaɪndz"),
    ("winds", r"\b(?:he|she|it|nobody|somebody|everybody) $", "", "wˈaɪndz", "wˈaɪndz"),
)
_WORDS = {rule[0] for rule in _RULES}
_WORD = re.compile(rf"\b(?:{'|'.join(sorted(_WORDS))})\b", re.IGNORECASE)
_SENTENCE = re.compile(r"[.!?…\n]+")


def has_heteronyms(words: str) -> bool:
    """Whether ``words`` hold any word that these rules are about."""
    return _WORD.search(words) is not None


def with_heteronyms(words: str, said: Sequence[SaidWord], locale: str) -> list[SaidWord]:
    """``said`` with the rarer reading of each word that the words around it ask for."""
    found = {}
    for match in _WORD.finditer(words):
        begin = max((end.end() for end in _SENTENCE.finditer(words, 0, match.start())), default=0)
        ahead = _SENTENCE.search(words, match.end())
        before = words[begin: match.start()].lower().replace("’", "'").lstrip()
        behind = words[match.end(): ahead.start() if ahead else len(words)].lower().replace("’", "'")
        for word, first, after, american, british in _RULES:
            if word == match[0].lower() and re.search(first, before) and re.match(after, behind):
                found[match.start()] = american if locale.startswith("en-US") else british
                break
    # A word that the engine says together with another is left as it is.
    return [replace(one, ipa=found[one.at]) if one.at in found and _WORD.fullmatch(words, one.at, one.at + one.length)
            else one for one in said]
