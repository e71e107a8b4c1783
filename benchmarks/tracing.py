"""The trace in the browser: twelve passes of a hundred thousand frames over each other, panned and zoomed.

How many pictures a second the page draws while every picture asks for another stretch, beside an empty page that only
counts its own pictures in the same browser: what a machine without a display can show is its bound.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

REPOSITORY = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(REPOSITORY / "e2e"))

from browser import Page, start_chromium  # noqa: E402 - its folder is no package
from client import Client  # noqa: E402
from serving import PASSWORD, serving  # noqa: E402

PASSES = 12
FRAMES = 100_000
SECONDS = 3.0

_COUNT = """
const [css, seconds, done] = arguments;
const chart = document.querySelector(css);
const begin = performance.now();
let last = begin, count = 0, longest = 0;
const many = (count, key) => Array(count).fill(key);
const keys = [...many(10, '+'), ...many(25, 'ArrowRight'), ...many(15, 'ArrowLeft'), ...many(10, '-')];
const next = (now) => {
  longest = Math.max(longest, now - last);
  last = now;
  if (now - begin > 1000 * seconds) return done([count / ((now - begin) / 1000), longest]);
  if (chart) chart.dispatchEvent(new KeyboardEvent('keydown', {key: keys[count % keys.length], bubbles: true}));
  count += 1;
  requestAnimationFrame(next);
};
requestAnimationFrame(next);
"""


def main() -> int:
    """Fill a study, look at it, count pictures."""
    with serving("rennbahn_bench_trace", demo=False) as address, tempfile.TemporaryDirectory() as downloads:
        study, test = filled(address)
        driver = start_chromium(Path(downloads))
        try:
            page = Page(driver, address)
            driver.set_script_timeout(60)
            page.sign_in("mara", PASSWORD)
            bound, _ = counted(driver, "#no-such-thing")
            page.open(f"/studies/{study}/passes/{test}?over=all&layers=stutters,low 1%")
            page.see("Distribution")
            chart = "[aria-label^='Frame times over time']"
            page.wait(
                lambda: driver.find_elements("css selector", f"{chart} canvas[data-traces='{PASSES}']"), "every trace"
            )
            cold, _ = counted(driver, chart)
            counted(driver, chart)
            found, longest = counted(driver, chart)
        finally:
            driver.quit()
    print(
        f"\n{PASSES} traces of {FRAMES:,} frames: {found:5.1f} pictures a second while panning and zooming (wanted: 50)"
    )
    print(f"  in the first three seconds, while the parts looked at come in: {cold:.1f}")
    print(f"  the longest wait for one {longest:.0f} ms; an empty page here: {bound:.1f} a second")
    return 0


def counted(driver: Any, css: str) -> tuple[float, float]:
    """Pictures a second, and the longest time between two in ms."""
    rate, longest = driver.execute_async_script(_COUNT, css, SECONDS)
    return float(rate), float(longest)


def filled(address: str) -> tuple[int, int]:
    """A study with twelve long passes of one test."""
    client = Client(address)
    study = client.post(
        "/studies",
        {
            "question": "How long is a long trace?",
            "factor": "Case",
            "lanes": [
                {"name": name, "setup": {"name": f"Long box, {name}", "parts": [{"kind": "case", "name": name}]}}
                for name in ("open", "shut")
            ],
            "tests": [{"game": "Glass Caravan", "scene": "long way", "condition": "1440 high"}],
            "passes_wanted": PASSES // 2,
        },
    )
    test = study["tests_full"][0]["id"]
    for lane in study["lanes_full"]:
        for number in range(1, PASSES // 2 + 1):
            rng = np.random.default_rng([lane["id"], number])
            frames = 8.0 * np.exp(rng.normal(0.0, 0.06, FRAMES))
            frames[rng.integers(0, FRAMES, 60)] = 60.0
            log = "frame_time_ms\n" + "\n".join(f"{one:.3f}" for one in frames) + "\n"
            arrival = client.upload(f"/studies/{study['id']}/files", f"{lane['id']}-{number}.csv", log.encode())
            place = {"arrival_id": arrival["id"], "lane_id": lane["id"], "test_id": test, "number": number}
            client.post(f"/studies/{study['id']}/take", {"columns": arrival["columns"], "assignments": [place]})
    return int(study["id"]), int(test)


if __name__ == "__main__":
    sys.exit(main())
