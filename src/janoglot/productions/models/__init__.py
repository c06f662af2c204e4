"""The tables that everything reads: what is said, by whom, how, when, and what was made of it."""

from janoglot.productions.models.castings import Casting, LineCasting
from janoglot.productions.models.lines import Line, Part, Speaker, line_numbers
from janoglot.productions.models.media import MEDIA_STATES, SourceMedia
from janoglot.productions.models.production import ADDRESSES, Edition, Membership, Production, Role
from janoglot.productions.models.records import ActionRecord
from janoglot.productions.models.takes import QUALITIES, Sound, Take
from janoglot.productions.models.timings import LineTiming
from janoglot.productions.models.wordings import LONGEST, ORIGINS, Wording

__all__ = [
    "ADDRESSES", "LONGEST", "MEDIA_STATES", "ORIGINS", "QUALITIES", "ActionRecord", "Casting", "Edition", "Line",
    "LineCasting", "LineTiming", "Membership", "Part", "Production", "Role", "Sound", "SourceMedia", "Speaker", "Take",
    "Wording", "line_numbers",
]
