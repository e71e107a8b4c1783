"""Words that screens share with the core: schools, states, reasons, kinds, channels with their units."""

from __future__ import annotations

from answering import Out
from django.http import HttpRequest
from ninja import Router
from rennbahn.capture.columns import CHANNELS, units_of
from rennbahn.capture.words import CHANNEL_WORDS
from rennbahn.checks import CHECKS
from rennbahn.checks.words import check_words, likely_reason
from rennbahn.comparing.sentences import MISSING_WORDS
from rennbahn.comparing.words import DID_NOT_RUN_REASONS, PASS_REASONS, REJECTED_REASONS, SCHOOL_WORDS

from studies.models import PassRole, StudyKind

router = Router(tags=["words"])

#: States of a pass, as what they ask of the reader.
STATES = {
    "planned": "to run",
    "recorded": "to decide",
    "accepted": "accepted",
    "rejected": "rejected",
    "did_not_run": "did not run",
}


class Word(Out):
    """A name as it is kept, with its words."""

    name: str
    words: str


class ChannelWords(Out):
    """A channel that a column may be taken for, with the units it may have."""

    channel: str
    words: str
    units: list[str]


class WordsOut(Out):
    """Everything that is said the same on every screen."""

    schools: dict[str, str]
    states: dict[str, str]
    roles: dict[str, str]
    kinds: dict[str, str]
    reasons: dict[str, str]
    rejected_for: list[Word]
    did_not_run_for: list[Word]
    #: What each check asks, and what it is called.
    checks: dict[str, str]
    called: dict[str, str]
    #: For which reason a pass that it doubts is rejected likeliest.
    likely: dict[str, str]
    #: Why a cell is missing from a finding.
    missing: dict[str, str]
    channels: list[ChannelWords]


@router.get("/words", response=WordsOut)
def words(request: HttpRequest) -> WordsOut:
    """Words that are the same everywhere."""
    return all_words()


def all_words() -> WordsOut:
    """The same for a page that is drawn here."""
    return WordsOut(
        schools=SCHOOL_WORDS,
        states=STATES,
        roles={role.value: role.label.lower() for role in PassRole},
        kinds={kind.value: kind.label if kind == StudyKind.A_B else kind.label.lower() for kind in StudyKind},
        reasons=PASS_REASONS,
        rejected_for=[Word(name=code, words=PASS_REASONS[code]) for code in REJECTED_REASONS],
        checks={check.id: check.asks for check in CHECKS},
        called={check.id: check_words(check.id) for check in CHECKS},
        likely={check.id: likely_reason(check.id) for check in CHECKS},
        missing=MISSING_WORDS,
        did_not_run_for=[Word(name=code, words=PASS_REASONS[code]) for code in DID_NOT_RUN_REASONS],
        channels=[
            ChannelWords(channel=name, words=CHANNEL_WORDS[name], units=list(units_of(name))) for name in CHANNELS
        ],
    )
