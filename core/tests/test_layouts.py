"""Logs as many loggers might write them: most are understood, what is unsure is asked, almost none is taken wrongly."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import pytest
from rennbahn.capture import ColumnMap, propose_columns, read_capture
from rennbahn.errors import CaptureRefused

RNG = np.random.default_rng(31)
COUNT = 400
FRAME_MS = np.round(np.clip(RNG.normal(9.5, 1.1, COUNT), 5, 40), 4)
CLOCK_S = np.cumsum(FRAME_MS) / 1000.0
#: What columns hold, by what they are; a unit of time scales them.
SCALE = {"s": 1e-3, "ms": 1.0, "us": 1e3, "ns": 1e6}


def column(kind: str, unit: str = "ms") -> list[str]:
    """The values of a column of a kind, as text."""
    walk = np.cumsum(RNG.normal(0, 0.05, COUNT))
    made: dict[str, Callable[[], np.ndarray]] = {
        "frame_time": lambda: FRAME_MS * SCALE[unit],
        "timestamp": lambda: (CLOCK_S * 1000 + 4000) * SCALE[unit],
        "fps": lambda: 1000 / FRAME_MS,
        "smoothed": lambda: 1000 / np.convolve(np.pad(FRAME_MS, (30, 0), mode="edge"), np.full(31, 1 / 31), "valid"),
        "gpu_busy_ms": lambda: FRAME_MS * RNG.uniform(0.8, 0.97, COUNT) * SCALE[unit],
        "cpu_busy_ms": lambda: FRAME_MS * RNG.uniform(0.4, 0.7, COUNT) * SCALE[unit],
        "latency": lambda: FRAME_MS * 2.6 + RNG.normal(0, 0.5, COUNT),
        "part": lambda: FRAME_MS * RNG.uniform(0.3, 0.6, COUNT),
        "gpu_power_w": lambda: 180 + walk,
        "cpu_power": lambda: 65 + walk,
        "gpu_temp_c": lambda: np.round(61 + walk / 3),
        "cpu_temp": lambda: np.round(72 + walk / 3),
        "gpu_hotspot_c": lambda: np.round(75 + walk / 3),
        "gpu_clock_mhz": lambda: np.round(2400 + 10 * walk),
        "other_clock": lambda: np.round(4800 + 10 * walk),
        "memory_clock": lambda: np.full(COUNT, 2250.0) + np.round(walk / 9),
        "gpu_util_pct": lambda: np.clip(np.round(96 + walk), 1, 100),
        "cpu_util_pct": lambda: np.clip(np.round(45 + walk), 1, 100),
        "fan_rpm": lambda: np.round(1300 + 5 * walk),
        "vram_used_mib": lambda: np.round(7300 + walk),
        "ticks": lambda: np.round(CLOCK_S * 1e7 + 5e11),
        "index": lambda: np.arange(COUNT, dtype=float),
        "seconds": lambda: np.arange(COUNT, dtype=float) + 1,
        "second_fps": lambda: np.round(105 + walk),
        "plain_60": lambda: np.round(RNG.normal(64, 4, COUNT), 2),
    }
    return [repr(round(float(x), 6)).removesuffix(".0") for x in made[kind]()]


@dataclass(frozen=True)
class Layout:
    """A log: its columns as (name, kind, unit), how it is written, and what the map should be; None is to be asked."""

    name: str
    columns: Sequence[tuple[str, str, str]]
    wanted: dict[str, tuple[str, str]] | None
    delimiter: str = ","
    decimal: str = "."
    before: tuple[str, ...] = ()
    units: bool = False
    groups: tuple[str, ...] = ()
    after: tuple[str, ...] = ()

    def text(self) -> bytes:
        """The file."""
        d = self.delimiter
        cells = [[x.replace(".", self.decimal) for x in column(kind, unit or "ms")] for _, kind, unit in self.columns]
        lines = [*self.before]
        if self.groups:
            lines.append(d.join(self.groups))
        lines.append(d.join(name for name, _, _ in self.columns))
        if self.units:
            lines.append(d.join(unit or "-" for _, _, unit in self.columns))
        lines += [d.join(row) for row in zip(*cells, strict=True)]
        return ("\n".join([*lines, *self.after]) + "\n").encode()


def plain(*columns: str) -> list[tuple[str, str, str]]:
    """Columns written as `name|kind|unit`."""
    found = []
    for one in columns:
        name, kind, *unit = one.split("|")
        found.append((name, kind, unit[0] if unit else ""))
    return found


def layout(name: str, *columns: str, wanted: str | None = "", **rest: object) -> Layout:
    """A layout whose wanted map is `column=channel:unit` joined by semicolons; None where it should be asked."""
    uses = None
    if wanted is not None:
        uses = {}
        for one in wanted.split(";"):
            at, _, what = one.rpartition("=")
            channel, _, unit = what.partition(":")
            uses[channel] = (at, unit or "ms")
    return Layout(name, plain(*columns), uses, **rest)  # type: ignore[arg-type]


FT = "Frame time (ms)|frame_time"
LAYOUTS = [
    layout("plain", "frametime_ms|frame_time", wanted="frametime_ms=frame_time"),
    layout("camel", "MsBetweenPresents|frame_time", wanted="MsBetweenPresents=frame_time"),
    layout("german", "Bildzeit (ms)|frame_time", wanted="Bildzeit (ms)=frame_time", delimiter=";", decimal=","),
    layout("german seconds", "Bildabstand [s]|frame_time|s", wanted="Bildabstand [s]=frame_time:s"),
    layout("us", "frame_us|frame_time|us", wanted="frame_us=frame_time:us"),
    layout("ns", "frame interval ns|frame_time|ns", wanted="frame interval ns=frame_time:ns"),
    layout("unnamed ms", "frame|frame_time", wanted="frame=frame_time"),
    layout("unnamed s", "delta|frame_time|s", wanted="delta=frame_time:s"),
    layout("unnamed us", "frametime|frame_time|us", wanted="frametime=frame_time:us"),
    layout("rate", "FPS|fps", wanted="FPS=fps:fps"),
    layout("per second", "frames per second|fps", wanted="frames per second=fps:fps"),
    layout("pro sekunde", "Bilder pro Sekunde|fps", wanted="Bilder pro Sekunde=fps:fps"),
    layout("bilder/s", "Bilder/s|fps", wanted="Bilder/s=fps:fps", delimiter=";", decimal=","),
    layout("frames/s", "frames/s|fps", wanted="frames/s=fps:fps"),
    layout("framerate", "Framerate (Hz)|fps", wanted="Framerate (Hz)=fps:fps"),
    layout("bildrate", "Bildrate|fps", wanted="Bildrate=fps:fps"),
    layout("smoothed and instant", "fps_smooth|smoothed", "fps|fps", wanted="fps=fps:fps"),
    layout("average first", "Average FPS|smoothed", FT, wanted="Frame time (ms)=frame_time"),
    layout("average only", "Average FPS|smoothed", wanted=None),
    layout("geglättet", "FPS geglättet|smoothed", wanted=None),
    layout("rolling", "rolling_fps|smoothed", wanted=None),
    layout("clock s", "time_s|timestamp|s", wanted="time_s=timestamp:s"),
    layout("clock ms", "elapsed ms|timestamp|ms", wanted="elapsed ms=timestamp:ms"),
    layout("clock us", "timestamp (us)|timestamp|us", wanted="timestamp (us)=timestamp:us"),
    layout("zeit", "Zeit (s)|timestamp|s", wanted="Zeit (s)=timestamp:s", delimiter=";", decimal=","),
    layout("bare time s", "Time|timestamp|s", wanted="Time=timestamp:s"),
    layout("zeitstempel", "Zeitstempel_ms|timestamp|ms", wanted="Zeitstempel_ms=timestamp:ms", delimiter="\t"),
    layout("clock and frame", "time (s)|timestamp|s", FT, wanted="Frame time (ms)=frame_time"),
    layout("clock tells unit", "time|timestamp|s", "frame|frame_time|ms", wanted="frame=frame_time"),
    layout("clock disagrees", "time (ms)|timestamp|s", "frame time (ms)|frame_time|ms", wanted=None),
    layout("ticks", "ticks|ticks", wanted=None),
    layout("qpc", "QPC|ticks", wanted=None),
    layout("ticks beside", "qpc|ticks", FT, wanted="Frame time (ms)=frame_time"),
    layout("latency too", "latency (ms)|latency", FT, wanted="Frame time (ms)=frame_time"),
    layout("latency first", "Display latency ms|latency", "frame ms|frame_time", wanted="frame ms=frame_time"),
    layout("latency alone", "Click latency (ms)|latency", wanted=None),
    layout("simulation", "simulation ms|part", "frame ms|frame_time", wanted="frame ms=frame_time"),
    layout("simulation alone", "simulation time (ms)|part", wanted=None),
    layout("until", "ms until displayed|latency", "ms between presents|frame_time",
           wanted="ms between presents=frame_time"),
    layout("input", "Input delay (ms)|latency", "Frametime|frame_time", wanted="Frametime=frame_time"),
    layout("sides", "CPU frame time (ms)|cpu_busy_ms", "GPU frame time (ms)|gpu_busy_ms", FT,
           wanted="Frame time (ms)=frame_time;GPU frame time (ms)=gpu_busy_ms;CPU frame time (ms)=cpu_busy_ms"),
    layout("one side alone", "GPU time (ms)|gpu_busy_ms", wanted=None),
    layout("busy", FT, "GPU busy (ms)|gpu_busy_ms", "CPU busy (ms)|cpu_busy_ms",
           wanted="Frame time (ms)=frame_time;GPU busy (ms)=gpu_busy_ms;CPU busy (ms)=cpu_busy_ms"),
    layout("busy us", "frame_us|frame_time|us", "card_busy_us|gpu_busy_ms|us",
           wanted="frame_us=frame_time:us;card_busy_us=gpu_busy_ms:us"),
    layout("grafikkarte", "Bildzeit ms|frame_time", "Grafikkarte ms|gpu_busy_ms", "Prozessor ms|cpu_busy_ms",
           wanted="Bildzeit ms=frame_time;Grafikkarte ms=gpu_busy_ms;Prozessor ms=cpu_busy_ms"),
    layout("gpu wait", FT, "GPU wait (ms)|part", "GPU busy (ms)|gpu_busy_ms",
           wanted="Frame time (ms)=frame_time;GPU busy (ms)=gpu_busy_ms"),
    layout("bare sides", "ms|frame_time", "gpu|gpu_busy_ms", "cpu|cpu_busy_ms",
           wanted="ms=frame_time;gpu=gpu_busy_ms;cpu=cpu_busy_ms"),
    layout("power of both", FT, "CPU power (W)|cpu_power", "GPU power (W)|gpu_power_w",
           wanted="Frame time (ms)=frame_time;GPU power (W)=gpu_power_w:W"),
    layout("package power", FT, "Package power W|cpu_power", wanted="Frame time (ms)=frame_time"),
    layout("leistung", "Bildzeit (ms)|frame_time", "Leistung Grafikkarte (W)|gpu_power_w",
           wanted="Bildzeit (ms)=frame_time;Leistung Grafikkarte (W)=gpu_power_w:W"),
    layout("wall", FT, "Wall power (W)|gpu_power_w", wanted="Frame time (ms)=frame_time;Wall power (W)=wall_power_w:W"),
    layout("temps", FT, "CPU temp|cpu_temp", "GPU temp|gpu_temp_c", "GPU hotspot|gpu_hotspot_c",
           wanted="Frame time (ms)=frame_time;GPU temp=gpu_temp_c:C;GPU hotspot=gpu_hotspot_c:C"),
    layout("cpu temp alone", FT, "CPU temperature|cpu_temp", wanted="Frame time (ms)=frame_time"),
    layout("temperatur", FT, "Temperatur Prozessor|cpu_temp", "Temperatur Grafikkarte|gpu_temp_c",
           wanted="Frame time (ms)=frame_time;Temperatur Grafikkarte=gpu_temp_c:C"),
    layout("memory temp", FT, "GPU memory temperature|cpu_temp", "GPU temperature|gpu_temp_c",
           wanted="Frame time (ms)=frame_time;GPU temperature=gpu_temp_c:C"),
    layout("room temp", FT, "Room temp|cpu_temp", wanted="Frame time (ms)=frame_time"),
    layout("clocks", FT, "GPU memory clock (MHz)|memory_clock", "GPU core clock (MHz)|gpu_clock_mhz",
           wanted="Frame time (ms)=frame_time;GPU core clock (MHz)=gpu_clock_mhz:MHz"),
    layout("memory clock alone", FT, "Memory clock (MHz)|memory_clock", wanted="Frame time (ms)=frame_time"),
    layout("cpu clock", FT, "CPU clock (MHz)|other_clock", "GPU clock (MHz)|gpu_clock_mhz",
           wanted="Frame time (ms)=frame_time;GPU clock (MHz)=gpu_clock_mhz:MHz"),
    layout("takt", "Bildzeit (ms)|frame_time", "Takt Prozessor (MHz)|other_clock",
           "Takt Grafikkarte (MHz)|gpu_clock_mhz",
           wanted="Bildzeit (ms)=frame_time;Takt Grafikkarte (MHz)=gpu_clock_mhz:MHz"),
    layout("loads", FT, "CPU load %|cpu_util_pct", "GPU load %|gpu_util_pct",
           wanted="Frame time (ms)=frame_time;GPU load %=gpu_util_pct:%;CPU load %=cpu_util_pct:%"),
    layout("auslastung", FT, "Auslastung GPU (%)|gpu_util_pct", "Auslastung CPU (%)|cpu_util_pct",
           wanted="Frame time (ms)=frame_time;Auslastung GPU (%)=gpu_util_pct:%;Auslastung CPU (%)=cpu_util_pct:%"),
    layout("memory load", FT, "GPU memory usage %|gpu_util_pct", wanted="Frame time (ms)=frame_time"),
    layout("vram", FT, "VRAM used (MB)|vram_used_mib",
           wanted="Frame time (ms)=frame_time;VRAM used (MB)=vram_used_mib:MiB"),
    layout("ram", FT, "RAM used (MB)|vram_used_mib", wanted="Frame time (ms)=frame_time"),
    layout("fan", FT, "Fan (RPM)|fan_rpm", wanted="Frame time (ms)=frame_time;Fan (RPM)=fan_rpm:rpm"),
    layout("fan percent", FT, "GPU fan %|gpu_util_pct", wanted="Frame time (ms)=frame_time"),
    layout("index first", "frame|index", "ms|frame_time", wanted="ms=frame_time"),
    layout("plain 60", "value|plain_60", wanted=None),
    layout("frame 60", "frame|plain_60", wanted=None),
    layout("a row a second", "time (s)|seconds", "fps|second_fps", wanted=None),
    layout("a row a second, bare", "second|seconds", "fps|second_fps", wanted=None),
    layout("preamble", FT, wanted="Frame time (ms)=frame_time",
           before=("Game: Moss Republic", "Resolution: 2560 x 1440", "")),
    layout("preamble, delimiters", FT, "GPU busy (ms)|gpu_busy_ms",
           wanted="Frame time (ms)=frame_time;GPU busy (ms)=gpu_busy_ms",
           before=("Game,Moss Republic", "Width,2560", "Card,Ostrane V5", "Date,2026-09-01")),
    layout("preamble, wide", FT, "GPU busy (ms)|gpu_busy_ms", "CPU busy (ms)|cpu_busy_ms",
           wanted="Frame time (ms)=frame_time;GPU busy (ms)=gpu_busy_ms;CPU busy (ms)=cpu_busy_ms",
           before=("Logger 3,,", "Machine,Hollin Neun,")),
    layout("comments", FT, wanted="Frame time (ms)=frame_time", before=("# logger 4", "# card, driver, 42")),
    layout("unit row", "frame time|frame_time|ms", "GPU power|gpu_power_w|W", units=True,
           wanted="frame time ms=frame_time;GPU power W=gpu_power_w:W"),
    layout("unit row, time", "time|timestamp|s", "frame|frame_time|ms", units=True, wanted="frame ms=frame_time"),
    layout("unit row, german", "Bildzeit|frame_time|ms", "Grafikkarte|gpu_busy_ms|ms", units=True, delimiter=";",
           decimal=",", wanted="Bildzeit ms=frame_time;Grafikkarte ms=gpu_busy_ms"),
    layout("groups", "time (ms)|frame_time", "busy (ms)|gpu_busy_ms", "busy (ms)|cpu_busy_ms",
           groups=("Frame", "GPU", "CPU"),
           wanted="Frame time (ms)=frame_time;GPU busy (ms)=gpu_busy_ms;CPU busy (ms)=cpu_busy_ms"),
    layout("groups, spread", "frame (ms)|frame_time", "busy (ms)|gpu_busy_ms", "power (W)|gpu_power_w",
           "busy (ms)|cpu_busy_ms", groups=("", "GPU", "", "CPU"),
           wanted="frame (ms)=frame_time;GPU busy (ms)=gpu_busy_ms;GPU power (W)=gpu_power_w:W;"
           "CPU busy (ms)=cpu_busy_ms"),
    layout("summary", FT, "GPU busy (ms)|gpu_busy_ms", wanted=None, after=("", "Average FPS: 104", "1% low: 81")),
    layout("summary, delimited", FT, "GPU busy (ms)|gpu_busy_ms", wanted=None,
           after=("Average,9.5", "Frames,400,done")),
    layout("semicolons", "Frame time (ms)|frame_time", wanted="Frame time (ms)=frame_time", delimiter=";"),
    layout("pipes", "frame|frame_time", "gpu busy|gpu_busy_ms", wanted="frame=frame_time;gpu busy=gpu_busy_ms",
           delimiter="|"),
    layout("everything", "No.|index", "Time (s)|timestamp|s", "FPS|fps", "Avg FPS|smoothed",
           "Frame time (ms)|frame_time", "GPU busy (ms)|gpu_busy_ms", "CPU busy (ms)|cpu_busy_ms",
           "Latency (ms)|latency", "GPU power (W)|gpu_power_w",
           "CPU power (W)|cpu_power", "GPU temp (°C)|gpu_temp_c", "CPU temp (°C)|cpu_temp",
           "GPU clock (MHz)|gpu_clock_mhz", "GPU usage (%)|gpu_util_pct", "CPU usage (%)|cpu_util_pct",
           "Fan (rpm)|fan_rpm",
           wanted="Frame time (ms)=frame_time;GPU busy (ms)=gpu_busy_ms;CPU busy (ms)=cpu_busy_ms;"
           "GPU power (W)=gpu_power_w:W;GPU temp (°C)=gpu_temp_c:C;GPU clock (MHz)=gpu_clock_mhz:MHz;"
           "GPU usage (%)=gpu_util_pct:%;CPU usage (%)=cpu_util_pct:%;Fan (rpm)=fan_rpm:rpm"),
]  # fmt: skip


def outcome(one: Layout) -> str:
    """`right`, `asked` or `wrong`: what the proposal makes of a layout."""
    try:
        proposal = propose_columns(one.text())
    except CaptureRefused:
        return "asked"
    if proposal.columns is None:
        return "right" if one.wanted is None else "asked"
    uses = {use.channel: (use.column, use.unit) for use in proposal.columns.uses}
    return "right" if uses == one.wanted else "wrong"


def test_most_layouts_are_understood_and_hardly_any_wrongly() -> None:
    found = {one.name: outcome(one) for one in LAYOUTS}
    assert len(found) == len(LAYOUTS)
    wrong = [name for name, what in found.items() if what == "wrong"]
    asked = [name for name, what in found.items() if what == "asked"]
    assert wrong == []
    assert len(found) - len(asked) >= 0.95 * len(found), asked


@pytest.mark.parametrize("one", [one for one in LAYOUTS if one.wanted is not None], ids=lambda one: one.name)
def test_what_is_understood_is_read(one: Layout) -> None:
    proposal = propose_columns(one.text())
    columns = proposal.columns or proposal.guess
    assert columns is not None
    capture = read_capture(one.text(), columns)
    assert len(capture) in (COUNT, COUNT - 1)
    assert capture.duration_s == pytest.approx(FRAME_MS[-len(capture) :].sum() / 1000, rel=1e-3)


@pytest.mark.parametrize("after", [("", "Average: 104"), ("Average,9.5", "Frames,400,done")])
def test_a_summary_at_the_end_is_refused_by_row_and_left_out_once_somebody_said_so(after: tuple[str, ...]) -> None:
    one = Layout("", plain(FT, "GPU busy (ms)|gpu_busy_ms"), None, after=after)
    proposal = propose_columns(one.text())
    assert proposal.columns is None
    assert proposal.guess is not None
    assert proposal.guess.skip_last_lines == 2
    assert "look like a summary" in proposal.questions[0]
    assert len(read_capture(one.text(), proposal.guess)) == COUNT
    told = ColumnMap(proposal.guess.uses)
    with pytest.raises(CaptureRefused) as refused:
        read_capture(one.text(), told)
    assert (refused.value.row, refused.value.line) == (COUNT + 1, COUNT + 2)
    assert "leave them out: 2 in" in (refused.value.hint or "")


def test_a_map_of_two_header_lines_and_of_last_lines_is_kept_as_it_is() -> None:
    one = next(one for one in LAYOUTS if one.name == "unit row")
    columns = propose_columns(one.text()).columns
    assert columns is not None
    assert columns.as_json()["header_lines"] == 2
    assert ColumnMap.from_json(columns.as_json()) == columns
    plain_map = propose_columns(LAYOUTS[0].text()).columns
    assert plain_map is not None
    assert {"header_lines", "skip_last_lines"} & set(plain_map.as_json()) == set()


def test_rows_a_second_apart_by_the_time_of_day_are_no_frames() -> None:
    rows = "\n".join(f"2026-09-01 10:{i // 60:02}:{i % 60:02},{60 + i % 7}.{i % 9}" for i in range(100))
    proposal = propose_columns(f"when,fps\n{rows}\n".encode())
    assert proposal.columns is None
    assert "a row is no frame" in " ".join(proposal.questions)


def log(names: str, *columns: np.ndarray) -> bytes:
    """A log of columns of numbers."""
    rows = "\n".join(",".join(f"{float(x):.6g}" for x in row) for row in zip(*columns, strict=True))
    return f"{names}\n{rows}\n".encode()


@pytest.mark.parametrize(
    "data",
    [
        log("fps", 1000.0 / FRAME_MS[:60]),
        log("second,fps", np.arange(1.0, 401.0), 1000.0 / FRAME_MS),
        log("Zeit (s),Bildrate", np.arange(0.0, 90.0), 1000.0 / FRAME_MS[:90]),
        log("elapsed,framerate,GPU usage (%)", np.arange(0.0, 120.0), 1000.0 / FRAME_MS[:120], np.full(120, 97.0)),
    ],
)
def test_rates_of_seconds_are_never_taken_for_frames(data: bytes) -> None:
    proposal = propose_columns(data)
    assert proposal.columns is None
    assert proposal.questions


@pytest.mark.parametrize(("rate", "unit"), [(3.0, "ms"), (2400.0, "ms"), (2400.0, "us"), (3.0, "s")])
def test_a_unit_in_the_name_is_believed_over_the_values(rate: float, unit: str) -> None:
    ms = 1000.0 / rate * RNG.normal(1.0, 0.05, COUNT)
    columns = propose_columns(log(f"frame_{unit}", ms * SCALE[unit])).columns
    assert columns is not None
    assert [(use.channel, use.unit) for use in columns.uses] == [("frame_time", unit)]


@pytest.mark.parametrize("name", ["energy_j", "GPU energy (J)", "joules", "Energie", "package kWh"])
def test_what_a_meter_adds_up_is_no_clock(name: str) -> None:
    joules = np.cumsum(FRAME_MS * 0.2)
    assert propose_columns(log(f"frametime_ms,{name}", FRAME_MS, joules)).columns is not None
    proposal = propose_columns(log(f"{name},note", joules / 1000.0, np.ones(COUNT)))
    assert proposal.columns is None
    assert proposal.guess is None


@pytest.mark.parametrize("scale", [1.0, 4.0, 9.0])
def test_frametime_alone_needs_no_question_where_one_unit_is_possible(scale: float) -> None:
    columns = propose_columns(log("frametime", scale * FRAME_MS)).columns
    assert columns is not None
    assert [(use.channel, use.unit) for use in columns.uses] == [("frame_time", "ms")]
