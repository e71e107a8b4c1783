"""Sentences in parts: what one claims, what it stands on, what it does without, and what they name.

What people copy must be true, whole, and say of what. So a sentence names its group of tests wherever a study has
several, says which of the planned tests and lanes are not in it and why, and carries what it claims as parts that can
be held against a truth.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from rennbahn.comparing.composition import Composition
from rennbahn.comparing.model import AVERAGE, Study
from rennbahn.display import signed_percent

#: So many tests are named one by one; the rest is counted.
_NAMED = 3
_LANES = "lanes"


@dataclass(frozen=True)
class Claim:
    """What a sentence claims, by ids: it `says` something of `lanes` (of a pair the one over the other) in a figure.

    `tests` are those that it is claimed of, `among` the lanes that it holds itself against. `low` and `high` are the
    interval of a size, `level` a rate, a level or a name that it is about. `of_all` is a claim about all planned tests
    or lanes.
    """

    says: str
    lanes: tuple[str, ...]
    tests: tuple[str, ...]
    figure: str
    group: str | None = None
    among: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None
    level: float | str | None = None
    of_all: bool = False


@dataclass(frozen=True)
class Sentence:
    """An answer in parts: `answer` is what it says in two words, within its claim; `basis` is what it stands on.

    `but` tells what its mean hides, `otherwise` what other groups of tests say, `lacks` what is not in it and why.
    `claims` are the same for a machine; `empty` says that there is nothing to tell yet. `brief` is its gist where its
    first words alone are none.
    """

    before: str
    answer: str
    after: str
    basis: str
    but: str = ""
    otherwise: str = ""
    lacks: str = ""
    claims: tuple[Claim, ...] = field(default=(), repr=False)
    empty: bool = False
    brief: str = ""

    @property
    def claim(self) -> str:
        """The sentence without its basis and without an end."""
        return f"{self.before}{self.answer}{self.after}"

    @property
    def gist(self) -> str:
        """What it says in a few words, for a mention beside another: its two words with what goes before."""
        return self.brief or f"{self.before}{self.answer}"

    @property
    def stance(self) -> tuple[str, tuple[str, ...]] | None:
        """What it says first, apart from sizes: two sentences that say otherwise differ in it."""
        return (self.claims[0].says, self.claims[0].lanes) if self.claims else None

    @property
    def text(self) -> str:
        """The whole sentence, with all that goes with it."""
        first = f"{self.claim} ({self.basis})." if self.basis else f"{self.claim}."
        return " ".join(filter(None, (first, self.but, self.otherwise, self.lacks)))


@dataclass(frozen=True)
class Naming:
    """What lanes, tests and groups of a study are called, by id; `groups` is empty where there is but one."""

    lanes: Mapping[str, str]
    tests: Mapping[str, str]
    groups: Mapping[str, str]

    @classmethod
    def of(cls, study: Study) -> Naming:
        """The names of a study. A test is called by its game, with its scene where a game has several."""
        scenes = {scene.id: scene for scene in study.scenes}
        games = Counter(scene.game for scene in study.scenes)
        named = {
            key: one.game or one.name or key if games[one.game] == 1 else ", ".join(filter(None, (one.game, one.name)))
            for key, one in scenes.items()
        }
        groups = {key: study.group_words.get(key, key) for key in study.groups} if len(study.groups) > 1 else {}
        return cls(
            {lane.id: lane.name for lane in study.lanes}, {test.id: named[test.scene] for test in study.tests}, groups
        )

    def __getitem__(self, lane: str) -> str:
        """A lane."""
        return self.lanes[lane]

    def at(self, group: str | None) -> str:
        """Of which group something is said, to be put behind it; empty where there is but one."""
        words = self.groups.get(group or "", "")
        if not words:
            return ""
        return f" at {words}" if words[:1].isdigit() else f" with {words}"

    def figure(self, figure: str, group: str | None) -> str:
        """A figure with the group that it is told of: `average fps at 2560 x 1440, high`."""
        return f"{figure_words(figure)}{self.at(group)}"

    def within(self, figure: str, group: str | None) -> str:
        """The same after its preposition."""
        return f"in {self.figure(figure, group)}"


def figure_words(figure: str) -> str:
    """A figure as a reader calls it, with the school of its low (`low_0.1.percentile`) or without (`low_0.1`)."""
    if figure == AVERAGE:
        return "average fps"
    share, _, school = figure.removeprefix("low_").rpartition(".")
    return f"{share if school.isidentifier() and share else figure.removeprefix('low_')}% low"


def tests_words(count: int) -> str:
    """`1 test`, `12 tests`."""
    return f"{count} test" if count == 1 else f"{count} tests"


def lanes_words(count: int) -> str:
    """`1 lane`, `12 lanes`."""
    return f"{count} lane" if count == 1 else f"{count} lanes"


def listed(words: Sequence[str]) -> str:
    """`a`, `a and b`, `a, b and c`."""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def raised(text: str) -> str:
    """Words as a sentence begins with them."""
    return text[:1].upper() + text[1:]


def some(names: Sequence[str], what: str = "tests") -> str:
    """Some names, and how many more where there are many; `what` says of what they are."""
    if len(names) <= _NAMED + 1:
        return listed(names)
    return f"{', '.join(names[:_NAMED])} and {len(names) - _NAMED} more {what}"


def of_planned(made: Composition) -> str:
    """How many tests an answer stands on: `12 tests`, or `11 of 12 tests` where some are not in it."""
    count, planned = len(made.tests), len(made.planned)
    return tests_words(count) if count == planned else f"{count} of {tests_words(planned)}"


#: Reasons in which a decision is wanted, and those in which a run is.
_DECIDE, _RUN = ("recorded",), ("planned", "not_tested", "rejected", "odd", "wrong_setting", "interrupted", "other")


def lacks_words(made: Composition, names: Naming) -> str:
    """Which of the planned tests and lanes are not in an answer, for whom and why, and what would bring them in.

    Empty where everything is in it and no pass waits for a decision.
    """
    why_of: dict[str, dict[str, list[str]]] = {}
    for gap in made.gaps:
        lanes = why_of.setdefault(gap.test, {}).setdefault(gap.reason, [])
        lanes += [] if gap.lane is None else [names[gap.lane]]
    tests_of: dict[str, list[str]] = {}
    for test, reasons in why_of.items():
        # What is so in every lane is said without them.
        told = [
            f"{f'{some(lanes, _LANES)}: ' if 0 < len(lanes) < len(made.lanes) else ''}{missing_words(reason)}"
            for reason, lanes in reasons.items()
        ]
        tests_of.setdefault(", ".join(told), []).append(names.tests[test])
    named = list(tests_of.items())
    # Of a study that has only begun each test lacks other lanes: what most tests lack is named, the rest counted.
    named.sort(key=lambda one: -len(one[1]))
    shown = named if len(named) <= _NAMED + 1 else named[:_NAMED]
    parts = [f"{some(tests)} ({why})" for why, tests in shown]
    rest = sum(len(tests) for _, tests in named[len(shown) :])
    parts += [f"{rest} more tests for one lane or another"] if rest else []
    lanes_of: dict[str, list[str]] = {}
    for lane, reason in made.absent:
        lanes_of.setdefault(reason, []).append(names[lane])
    parts += [f"{some(lanes, _LANES)} altogether ({missing_words(why)})" for why, lanes in lanes_of.items()]
    lacking = f"Not in this: {'; '.join(parts)}." if parts else ""
    all_reasons = {gap.reason for gap in made.gaps} | {reason for _, reason in made.absent}
    ways = [
        *(["decide on what waits"] if all_reasons & {*_DECIDE} else []),
        *(["run what is missing"] if all_reasons & {*_RUN} else []),
    ]
    wanted = f"{raised(' and '.join(ways))}: it can change this answer." if ways else ""
    waits = ""
    if made.waiting and not all_reasons & {*_DECIDE}:
        passes = "1 pass in it waits" if made.waiting == 1 else f"{made.waiting} passes in it wait"
        waits = f"{passes} for a decision."
    return " ".join(filter(None, (lacking, wanted, waits)))


#: Why a cell is missing, in a word or two.
MISSING_WORDS = {
    "recorded": "not decided yet",
    "planned": "not run yet",
    "not_tested": "not run",
    "rejected": "rejected",
    "odd": "rejected as odd",
    "wrong_setting": "rejected, wrong setting",
    "interrupted": "rejected, interrupted",
    "other": "rejected",
    "did_not_run": "did not run",
    "did_not_launch": "did not launch",
    "crashed": "crashed",
    "unstable": "unstable",
    "below_floor": "below the playable floor",
    "capped": "capped",
    "sources_differ": "frames in one lane, the game’s own report in another",
    "not_reported": "not in the game’s own report",
}


def missing_words(reason: str) -> str:
    """Why a cell is missing, in a word or two; any other reason as it was written."""
    return MISSING_WORDS.get(reason, reason.replace("_", " "))


def otherwise_words(own: Sentence, others: Sequence[tuple[str | None, Sentence]], names: Naming) -> str:
    """What other groups of tests say otherwise than a sentence, in its own two words; empty where none does."""
    told = [
        f"{names.at(group).strip()} ({sentence.gist.strip()})"
        for group, sentence in others
        if sentence.stance not in (own.stance, None)
    ]
    return f"Not so {listed(told)}." if told and own.stance else ""


def but_words(verdict: str | None, tests: Sequence[tuple[str, float, str | None]], names: Naming) -> str:
    """Tests that say otherwise than their mean: each by id with its margin and verdict. Empty where none does.

    Of an even mean those that are ahead or behind, of any other those on the other side.
    """
    hidden = {"ahead": ("behind",), "behind": ("ahead",), "even": ("ahead", "behind")}.get(verdict or "", ())
    found = [(names.tests[test], margin) for test, margin, own in tests if own in hidden]
    if not found:
        return ""
    found.sort(key=lambda one: -abs(one[1]))
    named = some([f"{name}, {signed(margin)}" for name, margin in found])
    way = "not even" if verdict == "even" else "the other way round"
    return f"{raised(_count(len(found)))} of {tests_words(len(tests))} {way}: {named}."


def _count(number: int) -> str:
    return {1: "one", 2: "two", 3: "three"}.get(number, str(number))


def signed(share: float) -> str:
    """A margin with its sign, in percent: `+9.1%`, `−0.4%`."""
    return f"{signed_percent(share)}%".replace("-", "−")
