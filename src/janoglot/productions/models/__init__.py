"""The tables that everything reads: what is said, by whom, how, when, and what was made of it."""

from janoglot.productions.models.attempts import Attempt
from janoglot.productions.models.castings import Casting, LineCasting
from janoglot.productions.models.clip_tables import ClipTable
from janoglot.productions.models.directions import (
    LexiconEntry,
    LineDirection,
    PartDirection,
    checked_takes,
    lexicon_for,
)
from janoglot.productions.models.guides import GuideRead
from janoglot.productions.models.jobs import JOB_STATES, Job
from janoglot.productions.models.library_sounds import FavouriteSound, LibrarySound
from janoglot.productions.models.lines import Line, Part, Speaker, line_numbers
from janoglot.productions.models.media import COPIES, SENT, Media, original_stem
from janoglot.productions.models.production import ADDRESSES, Edition, Membership, Production, Role
from janoglot.productions.models.recordings import LineRecording, WaitingRecording
from janoglot.productions.models.records import ActionRecord
from janoglot.productions.models.sound_worlds import SoundWorld
from janoglot.productions.models.takes import QUALITIES, HeardBack, Sound, Take
from janoglot.productions.models.timings import LineTiming
from janoglot.productions.models.voices import KeptVoice, kept_among
from janoglot.productions.models.wordings import LONGEST, ORIGINS, Wording

__all__ = [
    "ADDRESSES",
    "SENT",
    "COPIES",
    "JOB_STATES",
    "LONGEST",
    "ORIGINS",
    "QUALITIES",
    "ActionRecord",
    "Attempt",
    "Casting",
    "ClipTable",
    "Edition",
    "FavouriteSound",
    "GuideRead",
    "HeardBack",
    "Job",
    "KeptVoice",
    "LexiconEntry",
    "LibrarySound",
    "Line",
    "LineCasting",
    "LineDirection",
    "LineRecording",
    "LineTiming",
    "Media",
    "Membership",
    "Part",
    "PartDirection",
    "Production",
    "Role",
    "Sound",
    "SoundWorld",
    "Speaker",
    "Take",
    "WaitingRecording",
    "Wording",
    "checked_takes",
    "kept_among",
    "lexicon_for",
    "line_numbers",
    "original_stem",
]
