"""`rennbahn figures`, `study`, `doubts`, `history`, `latency`, `tuning`, `sums` and `verify`: the core alone."""

from __future__ import annotations

import argparse
import sys
import textwrap
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from rennbahn.capture import ColumnMap, propose_columns, read_capture
from rennbahn.checks import Context, Doubt, context_from_json, doubts_of, repeats_of
from rennbahn.commands import history, latency, sums, tuning
from rennbahn.commands.files import REFUSED, emit, load
from rennbahn.comparing import Study, compare_study
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.comparing.pair_sentences import pair_sentences
from rennbahn.comparing.sentences import raised
from rennbahn.comparing.study import Comparison
from rennbahn.comparing.words import (
    games_interval_words,
    level_sentence,
    level_words,
    reason_words,
    slow_drift_words,
    verdict_words,
)
from rennbahn.display import fps, ms, signed_percent
from rennbahn.errors import CaptureRefused, RennbahnError
from rennbahn.kinds import answer_of, tells_limits
from rennbahn.measures import Figures, Settings, figures_of
from rennbahn.measures.rates import Low
from rennbahn.packages import Verified, verify
from rennbahn.tables import aligned, answer_parts

#: Of `verify`: something is not as it was published.
DIFFERS = 1


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line and return its exit code: 0, or 2 where any file was refused."""
    parser = _parser()
    arguments = parser.parse_args(argv)
    try:
        code: int = arguments.run(arguments)
    except BrokenPipeError:  # the reader of a pipe had enough
        sys.stderr.close()
        return 0
    return code


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="rennbahn", description="Figures of captures, and comparisons of lanes.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    figures = commands.add_parser("figures", help="figures of one or more captures")
    figures.add_argument(
        "files", nargs="+", metavar="FILE", help="captures: delimited text, JSON Lines, Parquet, Arrow"
    )
    figures.add_argument("--columns", metavar="COLUMNS.json", help="column map; proposed from the file without one")
    figures.add_argument("--settings", metavar="SETTINGS.json", help="target rate, limit, known caps")
    figures.add_argument("--window", nargs=2, type=float, metavar=("FROM", "TO"), help="seconds to look at")
    figures.add_argument("--json", action="store_true", help="one JSON object a line and file")
    figures.set_defaults(run=_figures)

    study = commands.add_parser("study", help="compare the lanes of a study")
    study.add_argument(
        "files", nargs="+", metavar="STUDY.json", help="lanes, scenes, tests, passes and pairs to compare"
    )
    study.add_argument(
        "--json", action="store_true", help="one JSON object; of several files one a line, with its file"
    )
    study.set_defaults(run=_study)

    doubts = commands.add_parser("doubts", help="which passes deserve another look, and why")
    doubts.add_argument(
        "files",
        nargs="+",
        metavar="CONTEXT.json",
        help="scenes, tests, lanes, and passes with their captures beside it",
    )
    doubts.add_argument(
        "--json", action="store_true", help="one JSON object; of several files one a line, with its file"
    )
    doubts.set_defaults(run=_doubts)

    history.add_to(commands)
    latency.add_to(commands)
    tuning.add_to(commands)
    sums.add_to(commands)

    check = commands.add_parser("verify", help="compute every number of a data package again from its captures")
    check.add_argument("files", nargs="+", metavar="PACKAGE.zip", help="data packages of studies")
    check.add_argument(
        "--json", action="store_true", help="one JSON object; of several files one a line, with its file"
    )
    check.set_defaults(run=_verify)
    return parser


# --- figures ----------------------------------------------------------------------------------------------


def _figures(arguments: argparse.Namespace) -> int:
    try:
        columns = ColumnMap.from_json(_part(load(arguments.columns), "columns")) if arguments.columns else None
        settings = Settings.from_json(_part(load(arguments.settings), "settings")) if arguments.settings else Settings()
    except RennbahnError as error:
        print(f"{arguments.columns or arguments.settings}: {error.message}", file=sys.stderr)
        return REFUSED
    if arguments.window and not arguments.window[0] < arguments.window[1]:
        print("--window: FROM must lie before TO", file=sys.stderr)
        return REFUSED
    refused = False
    table: list[list[str]] = []
    notes: list[str] = []
    for name in arguments.files:
        try:
            found, taken = _figures_of_file(name, columns, settings, arguments.window)
        except CaptureRefused as error:
            refused = True
            print(f"{name}: {error.sentence()}", file=sys.stderr)
            if arguments.json:
                facts = {"reason": error.reason, "row": error.row, "line": error.line, "message": error.message}
                emit({"file": name, "error": facts})
            continue
        if arguments.json:
            emit({"file": name, "figures": found.as_json()})
        else:
            table.append(_figures_row(name, found))
            notes += [f"  {name}: {note}" for note in taken]
    if table:
        print(aligned(_FIGURE_HEADS, table))
        if any("*" in cell for row in table for cell in row):
            print("\n  * thin: stands on fewer than 10 frames")
        if notes:
            print("\nTaken for what (no --columns given):")
            print("\n".join(notes))
    return REFUSED if refused else 0


def _figures_of_file(
    name: str, columns: ColumnMap | None, settings: Settings, window: Sequence[float] | None
) -> tuple[Figures, Sequence[str]]:
    try:
        data = Path(name).read_bytes()
    except OSError as error:
        raise CaptureRefused("unreadable", f"cannot be opened: {error.strerror}") from None
    taken: Sequence[str] = ()
    if columns is None:
        proposal = propose_columns(data)
        if proposal.columns is None:
            asked = " ".join(proposal.questions) or "no column looks like frame times, timestamps or rates"
            raise CaptureRefused("missing_column", asked, hint="Say what the columns are with --columns.")
        columns, taken = proposal.columns, proposal.reasons
    capture = read_capture(data, columns)
    return figures_of(capture.trimmed(window[0], window[1]) if window else capture, settings), taken


_FIGURE_HEADS = (
    "file", "frames", "s", "average", "1% low", "0.1% low", "median ms", "99% ms", "stutters", "bound by", "cap",
    "flags",
)  # fmt: skip


def _figures_row(name: str, found: Figures) -> list[str]:
    if found.rates is None or found.lows is None or found.smoothness is None or found.limits is None:
        return [name, "0", *["–"] * 9, ", ".join(found.flags)]
    cap = found.limits.cap
    return [
        name,
        f"{found.frames:,}",
        f"{found.duration_s:.1f}",
        fps(found.rates.average_fps),
        _low(found.lows["1"]["percentile"]),
        _low(found.lows["0.1"]["percentile"]),
        ms(found.rates.percentile_ms["50"]),
        ms(found.rates.percentile_ms["99"]),
        str(found.smoothness.stutters.count),
        found.limits.bound_by.label or "–",
        "–" if cap.state == "none" or cap.lock_fps is None else f"{cap.state} at {fps(cap.lock_fps)} ({cap.name})",
        ", ".join(found.flags) or "–",
    ]


def _low(low: Low) -> str:
    return fps(low.fps) + ("*" if low.thin else "")


# --- study ------------------------------------------------------------------------------------------------


def _study(arguments: argparse.Namespace) -> int:
    refused = False
    for number, name in enumerate(arguments.files):
        try:
            data = load(name)
            study = Study.from_json(data)
            sheet = Sheet(study)
            result, answer = compare_study(study, sheet), answer_of(sheet)
        except RennbahnError as error:
            refused = True
            print(f"{name}: {error.message}", file=sys.stderr)
            continue
        if arguments.json:
            # Plain margins of rates alone, of a file that names no kind, have nothing to say of limits.
            told = answer.as_json() if "kind" in data or tells_limits(study) else {}
            emit(({"file": name} if len(arguments.files) > 1 else {}) | result.as_json() | told)
        else:
            parts = [*answer_parts(study, answer), *(_comparison_text(sheet, one) for one in result.compare)]
            print(("\n\n" if number else "") + "\n\n".join(parts))
    return REFUSED if refused else 0


def _comparison_text(sheet: Sheet, comparison: Comparison) -> str:
    study = sheet.study
    names = {lane.id: lane.name for lane in study.lanes}
    scenes = {scene.id: scene for scene in study.scenes}
    tests = {test.id: test for test in study.tests}
    name_a, name_b = names[comparison.a], names[comparison.b]
    parts = [f"{study.name}: {name_b} against {name_a} (baseline)"]
    # Groups are never pooled into one sentence: each has its own.
    figures = (AVERAGE, low_figure("1", study.method.low_school))
    said = pair_sentences(sheet, (comparison.a, comparison.b), figures)
    for group, of_group in (comparison.groups or {"": comparison}).items():
        suites, heading = of_group.suite, f"{group}: " if group else ""
        parts += [one.text for one in said[group]]
        if AVERAGE in suites:
            parts.append(f"{heading}{raised(games_interval_words(suites[AVERAGE]))}.")
    parts += [f"{level_sentence(study.method)}"] if study.method.looks else []
    drift = comparison.drift.get(AVERAGE)
    if drift is not None:
        parts.append(slow_drift_words(drift))
    for figure in figures:
        found = comparison.tests.get(figure, [])
        counted = sorted((m for m in found if m.left_out is None), key=lambda m: -m.b_over_a)
        rows = []
        for margin in [*counted, *(m for m in found if m.left_out is not None)]:
            scene = scenes[tests[margin.test].scene]
            where = f"{scene.game}, {scene.name}".strip(", ") or margin.test
            if margin.left_out is not None:
                lane = f"{names[margin.left_out.lane]} " if margin.left_out.lane else ""
                rows.append([where, "", "", "", "", "", f"left out: {lane}{reason_words(margin.left_out.reason)}"])
                continue
            low, high = margin.interval or (float("nan"), float("nan"))
            rows.append(
                [
                    where,
                    fps(margin.a),
                    fps(margin.b),
                    f"{signed_percent(margin.b_over_a)}%",
                    f"{signed_percent(low)}% to {signed_percent(high)}%" if margin.interval else "–",
                    f"{margin.n_a} + {margin.n_b}",
                    verdict_words(margin, name_a),
                ]
            )
        heads = (figure, name_a, name_b, "margin", level_words(study.method), "passes", "verdict")
        parts.append(aligned(heads, rows))
    flips = [
        f"{kind}{f' in {group}' if group else ''}"
        for group, of_group in (comparison.groups or {"": comparison}).items()
        for kind, agreement in of_group.agreement.items()
        if agreement.depends_on_method
    ]
    if flips:
        parts.append("Depends on the method: another school gives another verdict for " + ", ".join(flips) + ".")
    return "\n\n".join(parts)


# --- doubts -----------------------------------------------------------------------------------------------


def _doubts(arguments: argparse.Namespace) -> int:
    refused = False
    for number, name in enumerate(arguments.files):
        try:
            context = context_from_json(load(name), partial(_bytes, Path(name).parent))
            found = doubts_of(context)
        except RennbahnError as error:
            refused = True
            sentence = error.sentence() if isinstance(error, CaptureRefused) else error.message
            print(f"{name}: {sentence}", file=sys.stderr)
            continue
        if arguments.json:
            heading = {"file": name} if len(arguments.files) > 1 else {}
            repeats = {"repeats": [one.as_json() for one in repeats_of(context)]} if _asks_repeats(context) else {}
            emit(heading | {"doubts": [doubt.as_json() for doubt in found]} | repeats)
        else:
            print(("\n" if number else "") + _doubts_text(context, found))
    return REFUSED if refused else 0


def _asks_repeats(context: Context) -> bool:
    """Whether a pass says that it was run to repeat another."""
    return any(one.repeats is not None for one in context.passes)


def _bytes(folder: Path, name: str) -> bytes:
    try:
        return (folder / name).read_bytes()
    except OSError as error:
        raise CaptureRefused("unreadable", f"{name} cannot be opened: {error.strerror}") from None


def _doubts_text(context: Context, found: Sequence[Doubt]) -> str:
    doubted = len({doubt.on for doubt in found if doubt.on is not None})
    total = len(context.passes)
    if not found:
        return f"No doubt about any of {total} passes."
    numbers = {one.id: one.number for one in context.passes}
    rows = []
    for doubt in found:
        lane = context.lane_by_id[doubt.lane].name if doubt.lane is not None else "all lanes"
        test = context.test_words(doubt.test) if doubt.test is not None else "all tests"
        which = f"{doubt.on} (pass {numbers[doubt.on]})" if doubt.on is not None else "all"
        rows.append([lane, test, which, doubt.check + (" (unsure)" if doubt.weak else ""), doubt.words])
    lines = [f"{doubted} of {total} passes deserve another look."]
    for lane, test, which, check, words in rows:
        lines += ["", f"{lane} · {test} · {which} · {check}", *_wrapped(words)]
    return "\n".join(lines)


def _wrapped(words: str) -> list[str]:
    return textwrap.wrap(words, 100, initial_indent="  ", subsequent_indent="  ")


# --- verify -----------------------------------------------------------------------------------------------


def _verify(arguments: argparse.Namespace) -> int:
    code = 0
    for name in arguments.files:
        try:
            found = verify(name)
        except RennbahnError as error:
            code = REFUSED
            print(f"{name}: {error.message}", file=sys.stderr)
            continue
        code = max(code, 0 if found.holds else DIFFERS)
        if arguments.json:
            emit(({"file": name} if len(arguments.files) > 1 else {}) | found.as_json())
        else:
            print(_verified_text(name, found))
    return code


def _verified_text(name: str, found: Verified) -> str:
    rows = [[one.what, _published(one.published), _published(one.computed)] for one in found.numbers]
    faults = [[one.file, one.fault] for one in found.files]
    parts = [aligned(("number", "published", "computed"), rows)] if rows else []
    parts += [aligned(("file", "fault"), faults)] if faults else []
    numbers = f"{len(found.numbers):,} of {found.counted_numbers:,} numbers differ"
    files = f"{len(found.files):,} of {found.counted_files:,} files are not as they were listed"
    held = f"all {found.counted_numbers:,} numbers and {found.counted_files:,} files are as published"
    return "\n\n".join([*parts, f"{name}: {held if found.holds else f'{numbers}, {files}'}."])


def _published(value: float | str | None) -> str:
    return "–" if value is None else value if isinstance(value, str) else repr(value)


# --- shared -----------------------------------------------------------------------------------------------


def _part(data: Any, name: str) -> Any:
    """The object called `name`, whether the file holds it alone or among others."""
    return data[name] if isinstance(data, dict) and isinstance(data.get(name), dict) else data


if __name__ == "__main__":
    sys.exit(main())
