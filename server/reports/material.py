"""What the blocks of a report show, as the findings of their studies stand, and the numbers that prose may say."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from typing import Any

from bench.queries import description_of
from findings.answers import kind_answer
from findings.facts import prices_of
from findings.queries import Asked, findings_of
from findings.record import StudyRecord, record_of, state_of
from findings.worth import worth_of
from intake.excerpts import PrintedTrace
from packages.making import compared
from page_marks import mark_of
from problems import Problem
from readers.models import Reader
from rennbahn.comparing.sentences import tests_words
from rennbahn.errors import RennbahnError
from rennbahn.quoting import Bare, Quote, bare_numbers, quotes_of
from rennbahn.running import cautions_in_print
from studies.models import StudyKind
from studies.queries import one_study
from tuning.marks import marks

from reports import prose
from reports.eyes import EyeLook, eye_mark, eye_shown
from reports.house import House, HouseBlock, house_block
from reports.models import OF_THE_HOUSE, Block, BlockKind, Shown
from reports.traces import printed_trace, traces_printed

#: What of the findings changes without any number changing.
_VOLATILE = ("stale", "state", "groups")
_SAYS_NOTHING: dict[str, Any] = {
    "text": "", "verdict": "", "fault": "", "by_method": [], "below_floor": [], "uncounted": [], "unworded": False,
}  # fmt: skip
_FIGURES = (("average", "average fps"), ("low_1", "1% low"))


@dataclass(frozen=True)
class Look:
    """What is looked at of a study: the answer of its own kind, or one lane over another, in which group."""

    own: bool = False
    baseline: int | None = None
    other: int | None = None
    group: str | None = None
    figure: str = ""
    targets: tuple[float, ...] = ()
    trace: PrintedTrace | None = None
    eye: EyeLook | None = None
    house: House | None = None

    @classmethod
    def of(cls, content: dict[str, Any]) -> Look:
        """As it is kept with a block."""
        told = content.get("look", {})
        house = House.of_look(told)
        if house is not None:
            return cls(house=house)
        trace = printed_trace(told["trace"]) if "trace" in told else None
        eye = EyeLook(**told["eye"]) if "eye" in told else None
        return cls(**{**told, "targets": tuple(told.get("targets", ())), "trace": trace, "eye": eye})

    @property
    def asked(self) -> Asked:
        """As findings are asked for it."""
        return Asked(self.baseline, self.other, self.group)


class Studies:
    """The studies of a report, each as its record stands now."""

    def __init__(self) -> None:
        self._quotes: dict[int, dict[str, Quote]] = {}
        self._records: dict[int, StudyRecord] = {}
        self._failed: dict[int, list[str]] = {}
        self._house: dict[str, HouseBlock] = {}

    def record(self, study: int) -> StudyRecord:
        """A study's record, one state of it for all that is asked here. Raises :class:`NotFound`."""
        if study not in self._records:
            self._records[study] = record_of(study)
        return self._records[study]

    def quotes(self, study: int) -> dict[str, Quote]:
        """The numbers of a study that prose may say, by key. Raises :class:`NotFound`."""
        if study not in self._quotes:
            record = self.record(study)
            self._quotes[study] = record.answered("quotes", lambda: _quotes(record))
        return self._quotes[study]

    def material(self, kind: str, study: int, look: Look) -> dict[str, Any]:
        """What a block shows, in the form of `MaterialOut`. Raises :class:`NotFound`, :class:`Problem`."""
        shown: dict[str, Any] = {"study": None, "house": None, "findings": None, "answer": None, "readers": [],
                                 "trace": None, "eye": None}  # fmt: skip
        if look.house is not None:
            return {**shown, "house": self.house(look.house).dict()}
        shown["study"] = one_study(study).dict()
        if look.eye is not None:
            shown["eye"] = eye_shown(study, look.eye)
        elif look.trace is not None:
            shown["trace"] = traces_printed(self.record(study).study, look.trace)
        elif kind == BlockKind.READERS:
            shown["readers"] = [
                {"name": reader.name, "for_reader": worth_of(study, reader.pk, look.asked)}
                for reader in Reader.objects.all()
            ]
        elif kind == BlockKind.METHOD:
            shown["findings"] = _together(self.every_group(study))
        elif look.own and shown["study"]["kind"] != StudyKind.A_B:
            shown["answer"] = kind_answer(study, look.targets)
        else:
            shown["findings"] = findings_of(study, look.asked)
        return shown

    def house(self, which: House) -> HouseBlock:
        """What a block of what the house keeps shows now. Raises :class:`NotFound`, :class:`Problem`."""
        if which.mark not in self._house:
            self._house[which.mark] = house_block(which)
        return self._house[which.mark]

    def cautions(self, blocks: Iterable[Block]) -> list[str]:
        """The cautions that are printed with what blocks tell, and which setups of their studies failed."""
        told: dict[str, None] = {}
        blocks = list(blocks)
        for study in used_studies(blocks):
            record = self.record(study)
            told |= dict.fromkeys(record.answered("cautions", partial(_cautions, record)))
            told |= dict.fromkeys(self.failed(study))
        for house in houses_of(blocks):
            with suppress(Problem, RennbahnError):
                told |= dict.fromkeys(self.house(house).cautions)
        return list(told)

    def failed(self, study: int) -> list[str]:
        """Lanes of a study whose setup failed stability somewhere, with where; no record of a study knows of it."""
        if study not in self._failed:
            found = {one.version_id: one.words for one in reversed(marks(study))}
            self._failed[study] = [
                f"The setup of {lane.name} is not stable everywhere: it {found[lane.setup_version_id]}."
                for lane in self.record(study).lanes
                if lane.setup_version_id in found
            ]
        return self._failed[study]

    def says(self, block: Shown) -> dict[str, Any]:
        """What a block comes to now: in words, and a mark of all that it shows. Looked at anew where its study, or a
        reader, is another than last time.
        """
        return self.claim(block.kind, block.study_id or 0, Look.of(block.content))

    def claim(self, kind: str, study: int, look: Look) -> dict[str, Any]:
        """The same of a block of this kind, whether there is one or not."""
        if look.house is not None:
            return self._of_the_house(look.house)
        readers = list(Reader.objects.order_by("pk").values_list()) if kind == BlockKind.READERS else []
        seen = [] if look.eye is None else eye_mark(study, look.eye)
        asked = ("says", kind, look, mark_of([readers, seen]))
        found: dict[str, Any] = self.record(study).answered(asked, lambda: self._says(kind, study, look))
        return found

    def every_group(self, study: int) -> list[dict[str, Any]]:
        """The findings of a study in each group of its tests, the one that is looked at first before all."""
        record = self.record(study)
        keys = sorted((group.key for group in record.groups), key=lambda key: key != record.asked_group)
        return [findings_of(study, Asked(group=key)) for key in keys]

    def _of_the_house(self, house: House) -> dict[str, Any]:
        kind = BlockKind(house.kind).label
        try:
            shown = self.house(house)
        except (Problem, RennbahnError) as problem:
            return _SAYS_NOTHING | {"label": kind, "fault": problem.message, "mark": mark_of(problem.message)}
        return _SAYS_NOTHING | {"label": f"{kind}: {shown.title}", "text": shown.text, "mark": shown.mark}

    def _says(self, kind: str, study: int, look: Look) -> dict[str, Any]:
        try:
            material = self.material(kind, study, look)
        except Problem as problem:
            # A study can come to have no answer of its kind: the report it stands in is read all the same.
            label = f"{BlockKind(kind).label}: {self.record(study).study.question}"
            return _SAYS_NOTHING | {"label": label, "fault": problem.message, "mark": mark_of(problem.message)}
        data = {name: material[name] for name in ("answer", "readers", "trace", "eye")}
        findings = {key: one for key, one in (material["findings"] or {}).items() if key not in _VOLATILE}
        shows = _SAYS_NOTHING | sentence_of(kind, material, look) | {"label": label_of(kind, material)}
        shows["below_floor"] = [
            f"for {one['name']}, {tests_words(below)} {'is' if below == 1 else 'are'} below the floor in both lanes"
            for one in material["readers"]
            if (below := one["for_reader"]["counts"]["both_below"])
        ]
        shows["unworded"] = material["eye"] is not None and not material["eye"]["words"].strip()
        traced = material["trace"]["passes"] if material["trace"] is not None else []
        shows["uncounted"] = [one["said"] for one in traced if one["uncounted"]]
        if kind != BlockKind.METHOD and findings:
            shows["by_method"] = [words for name, words in _FIGURES if findings[name]["depends_on_method"]]
        return shows | {"mark": mark_of([data, findings])}

    def bare(self, doc: prose.Node, studies: Iterable[int]) -> list[tuple[Bare, int]]:
        """The bare numbers of prose, each with the study that its guesses are of (the first that has any; else 0)."""
        typed = prose.typed_text(doc)
        plain = bare_numbers(typed)
        if not plain:
            return []
        guessed = [(study, bare_numbers(typed, self.quotes(study).values())) for study in studies]
        best = []
        for at, one in enumerate(plain):
            found = next(((all_of[at], pk) for pk, all_of in guessed if all_of[at].guesses), (one, 0))
            best.append(found)
        return best

    def named(self, said: prose.Said) -> prose.Said:
        """A live number by the words of its study: what it is of is not for whoever writes to say."""
        quote = self.quotes(said.study).get(said.key)
        return said if quote is None else prose.Said(said.study, said.key, quote.of, said.text)

    def now(self, said: prose.Said) -> prose.Said | None:
        """A live number as it is now; None where the study has no such number any more."""
        quote = self.quotes(said.study).get(said.key)
        return None if quote is None else prose.Said(said.study, said.key, quote.of, quote.text)


def _together(groups: list[dict[str, Any]]) -> dict[str, Any]:
    """How a study was measured: what stands of it group by group in one."""
    first, *_ = groups
    lists = {name: [one for group in groups for one in group[name]] for name in ("rejected", "missing")}
    return {**first, **lists, "accepted_passes": sum(group["accepted_passes"] for group in groups)}


def sentence_of(kind: str, material: dict[str, Any], look: Look) -> dict[str, str]:
    """The sentence that a block comes to, and its verdict where it has one."""
    for shown in (material["trace"], material["eye"]):
        if shown is not None:
            return {"text": shown["text"], "verdict": ""}
    if kind == BlockKind.READERS:
        told = [one["for_reader"]["sentence"]["text"] for one in material["readers"]]
        return {"text": "\n".join(told), "verdict": ""}
    if material["answer"] is not None:
        answer = material["answer"]
        blocks = answer[answer["kind"]]
        own = [
            one
            for one in blocks
            if look.group in (None, one.get("group") or "") and look.figure in ("", one.get("figure") or "")
        ]
        sentence = own[0]["sentence"] if own else answer["sentence"]
        return {"text": sentence["text"] if sentence else "", "verdict": ""}
    findings = material["findings"]
    leading = findings["average" if findings["method"]["leading"] == "average_fps" else "low_1"]
    return {"text": leading["sentence"]["text"], "verdict": leading.get("verdict") or ""}


def label_of(kind: str, material: dict[str, Any]) -> str:
    """What a block is of, in a line."""
    if material["house"] is not None:
        return f"{BlockKind(kind).label}: {material['house']['title']}"
    if material["trace"] is not None:
        told = material["trace"]
        return f"{BlockKind(kind).label}: {told['test']}, {'; '.join(one['said'] for one in told['passes'])}"
    if material["eye"] is not None:
        return f"{BlockKind(kind).label}: {material['eye']['step']}"
    question = material["study"]["question"]
    if kind in (BlockKind.METHOD, BlockKind.READERS) or material["findings"] is None:
        return f"{BlockKind(kind).label}: {question}"
    found = material["findings"]
    group = next((one["words"] for one in found["groups"] if one["key"] == found["group"]), "")
    at = f", {group}" if len(found["groups"]) > 1 else ""
    return f"{BlockKind(kind).label}: {found['other']['name']} over {found['baseline']['name']}{at}"


def used_studies(blocks: Iterable[Block]) -> list[int]:
    """The studies that blocks show or say something of, in their order."""
    used: dict[int, None] = {}
    for block in blocks:
        if block.kind == BlockKind.PROSE:
            used |= dict.fromkeys(one.study for one in prose.numbers_in(block.content["doc"]))
        elif block.study_id is not None:
            used[block.study_id] = None
    return list(used)


def houses_of(blocks: Iterable[Block]) -> list[House]:
    """What the house keeps of which blocks show something, each once, in their order."""
    looks = [Look.of(one.content).house for one in blocks if one.kind in OF_THE_HOUSE]
    return list({one.mark: one for one in looks if one is not None}.values())


def states_of(studies: Iterable[int]) -> dict[int, str]:
    """In what state the record of each study is."""
    return {study: state_of(study) for study in studies}


def eyes_of(blocks: Iterable[Block]) -> list[Any]:
    """In what state the notes on what the eye gets are: no record knows of them."""
    looks = [(one.study_id, Look.of(one.content).eye) for one in blocks if one.kind == BlockKind.EYE]
    return [eye_mark(study, eye) for study, eye in looks if study is not None and eye is not None]


def _cautions(record: StudyRecord) -> tuple[str, ...]:
    return cautions_in_print([description_of(lane.setup_version) for lane in record.lanes])


def _quotes(record: StudyRecord) -> dict[str, Quote]:
    return {one.key: one for one in quotes_of(compared(record), prices_of(record.lanes)[1])}
