"""Felt by a person, in Chromium: a tap until the next step, typing until the answer, a cold page on a phone's line."""

import contextlib
import re
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from statistics import median
from typing import Any, NamedTuple
from uuid import UUID

import httpx2
from playwright.sync_api import Browser, BrowserContext, Page, sync_playwright

_CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
# A phone in the field: 1.6 Mbit/s, 150 ms, a processor a quarter as quick.
_PHONE = {"offline": False, "latency": 150, "downloadThroughput": 1.6e6 / 8, "uploadThroughput": 0.75e6 / 8}
SLOWER = 4
_VIEW = {"width": 390, "height": 844}
# Painted, moved and blocked, from the first byte on.
_WATCH = """() => {
  window.felt = { paint: 0, shift: 0, blocked: 0 };
  const watch = (type, each) => new PerformanceObserver(list => list.getEntries().forEach(each))
    .observe({ type, buffered: true });
  watch("largest-contentful-paint", entry => { felt.paint = entry.startTime; });
  watch("layout-shift", entry => { if (!entry.hadRecentInput) felt.shift += entry.value; });
  watch("longtask", entry => { felt.blocked += Math.max(entry.duration - 50, 0); });
}"""
# From a tap on the main button until what comes next is drawn: the frame that has it is over. In ms.
NEXT_STEP = """() => { const act = document.querySelector("#act-title");
  const began = performance.now();
  document.querySelector(".main-act button:not([disabled])").click();
  return new Promise(done => {
    const look = () => document.querySelector("#act-title") === act
      ? (performance.now() - began > 8000 ? done(null) : requestAnimationFrame(look))
      : setTimeout(() => done(performance.now() - began));
    requestAnimationFrame(look); }); }"""
_TAPS, _KEYS = 6, 6


class Felt(NamedTuple):
    """One line of the table."""

    what: str
    bar: str
    measured: str
    met: bool


def sent_bytes(client: httpx2.Client, path: str) -> int:
    """The size of an answer as it travels."""
    with client.stream("GET", path) as answer:
        return sum(len(chunk) for chunk in answer.iter_raw())


def resident_mb(process: int) -> float:
    """The memory a process holds, MB."""
    found = re.search(r"VmRSS:\s+(\d+)", Path(f"/proc/{process}/status").read_text())
    return int(found[1]) / 1000 if found else 0.0


@contextlib.contextmanager
def a_browser() -> Iterator[Browser]:
    """Chromium, as long as it is measured in."""
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=_CHROMIUM)
        yield chromium
        chromium.close()


def in_browser(
    chromium: Browser,
    origin: str,
    paths: Mapping[str, tuple[str, Any]],
    mixer: Mapping[str, str],
    load_ids: Sequence[UUID],
) -> Iterator[Felt]:
    """Everything that is measured in a browser while there is signal.

    Args:
        chromium: the browser.
        origin: where the application is.
        paths: main pages by name: their address, and whose they are.
        mixer: the headers of whoever mixes.
        load_ids: loads of that person's to tap on.
    """
    yield _tapping(chromium, origin, mixer, load_ids[0], on_phone=False)
    yield _tapping(chromium, origin, mixer, load_ids[1], on_phone=True)
    yield _typing(chromium, origin, paths["Plan"][1].headers)
    for name, (path, who) in paths.items():
        yield _cold(chromium, origin, name, path, who.headers)


def context_of(chromium: Browser, origin: str, headers: Mapping[str, str]) -> BrowserContext:
    """A phone of somebody signed in."""
    context = chromium.new_context(viewport=_VIEW)  # type: ignore[arg-type]
    name, _, value = headers["Cookie"].partition("=")
    where = origin.replace("http:", "https:")
    context.add_cookies([{"name": name, "value": value, "url": where, "secure": True}])
    return context


def _slow(page: Page) -> None:
    session = page.context.new_cdp_session(page)
    session.send("Network.enable")
    session.send("Network.emulateNetworkConditions", _PHONE)
    session.send("Emulation.setCPUThrottlingRate", {"rate": SLOWER})


def _tapping(
    chromium: Browser, origin: str, headers: Mapping[str, str], load_id: UUID, *, on_phone: bool
) -> Felt:
    """From a tap on the main button until what comes next is drawn."""
    with context_of(chromium, origin, headers) as context:
        page = context.new_page()
        page.goto(f"{origin}/bench/{load_id}")
        if on_phone:
            _slow(page)
        taken = []
        for _ in range(_TAPS):
            button = page.locator(".main-act button:not([disabled])").first
            if not button.count():
                break
            drawn = page.evaluate(NEXT_STEP)
            if drawn is None:
                break
            taken.append(drawn)
        what = "tap to the next step, " + ("a phone's line" if on_phone else "at the desk")
        most = 600 if on_phone else 150
        if not taken:
            return Felt(what, f"under {most} ms", "no step came", False)
        return Felt(
            what, f"under {most} ms", f"p50 {median(taken):.0f} ms of {len(taken)}", median(taken) < most
        )


def _typing(chromium: Browser, origin: str, headers: Mapping[str, str]) -> Felt:
    """From the last key in a size until the answer has changed."""
    with context_of(chromium, origin, headers) as context:
        page = context.new_page()
        page.goto(f"{origin}/plan")
        field = page.locator("input[name^='need.0.'][inputmode='decimal']").first
        taken = []
        for number in range(_KEYS):
            field.fill("")
            page.wait_for_timeout(600)
            taken.append(
                page.evaluate(
                    """([name, text]) => { const field = document.querySelector(`[name="${name}"]`);
                      const result = document.querySelector(".plan-result"), before = result.innerHTML;
                      const began = performance.now();
                      field.value = text; field.dispatchEvent(new Event("input", { bubbles: true }));
                      return new Promise(done => {
                        const look = () => result.innerHTML === before && performance.now() - began < 5000
                          ? requestAnimationFrame(look) : done(performance.now() - began);
                        look(); }); }""",
                    [field.get_attribute("name"), f"{3 + number}.5"],
                )
            )
        return Felt(
            "typing to the new answer", "under 500 ms", f"p50 {median(taken):.0f} ms", median(taken) < 500
        )


def _cold(chromium: Browser, origin: str, name: str, path: str, headers: Mapping[str, str]) -> Felt:
    """A page on a phone's line, with nothing of it kept."""
    with context_of(chromium, origin, headers) as context:
        page = context.new_page()
        page.add_init_script(f"({_WATCH})()")
        _slow(page)
        page.goto(f"{origin}{path}", wait_until="load")
        page.wait_for_timeout(800)
        felt = page.evaluate("felt")
        met = felt["paint"] <= 1500 and felt["shift"] < 0.01 and felt["blocked"] <= 200
        measured = f"{felt['paint']:.0f} ms, shift {felt['shift']:.2f}, blocked {felt['blocked']:.0f} ms"
        return Felt(f"{name}, cold on a phone's line", "1500 ms, none, 200 ms", measured, met)
