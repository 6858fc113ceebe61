"""Without signal, in Chromium: what a device fetches once, how it starts, and a tap that only it answers."""

import contextlib
import os
import signal
import threading
import time
from collections.abc import Iterator, Mapping, Sequence
from statistics import median, quantiles
from uuid import UUID

import httpx2
from felt import NEXT_STEP, SLOWER, Felt, context_of, resident_mb, sent_bytes
from playwright.sync_api import Browser, Page

_READY_S = 300.0
_TAPS_A_LOAD = 5
_SLICE_S = 0.002
# Started anew, as on another page; what was made once for later starts is dropped for a first one.
_START = """async isFirst => {
  onDevice.worker.terminate();
  [onDevice.starting, onDevice.isReady] = [null, false];
  if (isFirst) {
    const files = await caches.open("keeve-files");
    for (const { url } of await files.keys()) if (/snapshot|prepared/.test(url)) await files.delete(url);
  }
  const began = performance.now();
  await onDevice.start();
  if (!await onDevice.part(location.pathname + "/act")) throw new Error("nothing was drawn");
  return (performance.now() - began) / 1000;
}"""


def without_signal(
    chromium: Browser, origin: str, headers: Mapping[str, str], load_ids: Sequence[UUID]
) -> Iterator[Felt]:
    """Everything that is measured without signal.

    Args:
        chromium: the browser.
        origin: where the application is.
        headers: of whoever mixes.
        load_ids: loads of that person's to tap on.
    """
    yield _size(origin, headers)
    half = len(load_ids) // 2
    with context_of(chromium, origin, headers) as context:
        page = context.new_page()
        began = time.perf_counter()
        page.goto(f"{origin}/bench/{load_ids[0]}")
        # The content policy allows no condition that is evaluated in the page.
        while not page.evaluate("onDevice.isReady") and time.perf_counter() - began < _READY_S:
            page.wait_for_timeout(50)
        ready_s = time.perf_counter() - began
        while not page.evaluate("read(PREPARED, '')") and time.perf_counter() - began < _READY_S:
            page.wait_for_timeout(50)
        yield Felt("fetched and made ready, beside the work", "none, once", f"{ready_s:.1f} s", True)
        renderer = _renderer(chromium, page)
        later_s = page.evaluate(_START, False)
        yield Felt("start of the interpreter, later", "under 3 s", f"{later_s:.1f} s", later_s < 3)
        first_s = page.evaluate(_START, True)
        yield Felt("start of the interpreter, first", "under 5 s", f"{first_s:.1f} s", first_s < 5)
        page.context.set_offline(True)
        yield _taps(page, load_ids[:half], 60, "")
        with _slowed(renderer):
            yield _taps(page, load_ids[half:], 250, f", processor slowed {SLOWER}×")
        yield Felt("memory of the tab", "told", f"{resident_mb(renderer):.0f} MB", True)


def _size(origin: str, headers: Mapping[str, str]) -> Felt:
    client = httpx2.Client(base_url=origin, headers={**headers, "Accept-Encoding": "gzip"})
    device = client.get("/device.json").json()
    total = sum(sent_bytes(client, f"/device/{device['version']}/{name}") for name in device["files"])
    return Felt("what a device fetches", "10 MB", f"{total / 1e6:.1f} MB as sent", total <= 10e6)


def _taps(page: Page, load_ids: Sequence[UUID], most_ms: float, how: str) -> Felt:
    """From a tap until the next step is drawn, with nobody to ask; the first of a load takes its page apart."""
    taken = []
    for load_id in load_ids:
        page.evaluate("path => onDevice.go(path)", f"/bench/{load_id}")
        for _ in range(_TAPS_A_LOAD):
            page.wait_for_timeout(300)
            if page.locator(".main-act button:not([disabled])").count():
                taken.append(page.evaluate(NEXT_STEP))
    if not taken or None in taken:
        return Felt(f"tap without signal{how}", f"p95 under {most_ms:.0f} ms", "no step came", False)
    p95 = quantiles(taken, n=20)[-1]
    measured = f"p50 {median(taken):.0f} ms, p95 {p95:.0f} ms of {len(taken)}"
    return Felt(f"tap without signal{how}", f"p95 under {most_ms:.0f} ms", measured, p95 < most_ms)


def _renderer(chromium: Browser, page: Page) -> int:
    """The process of a page: of those that draw, the one that has worked most."""
    page.bring_to_front()
    processes = chromium.new_browser_cdp_session().send("SystemInfo.getProcessInfo")["processInfo"]
    drawing = [process for process in processes if process["type"] == "renderer"]
    return int(max(drawing, key=lambda process: process["cpuTime"])["id"])


@contextlib.contextmanager
def _slowed(process: int) -> Iterator[None]:
    """A process with a part of its time, all its threads: the browser's own throttle leaves workers at full speed."""
    is_over = threading.Event()

    def hold() -> None:
        while not is_over.is_set():
            os.kill(process, signal.SIGSTOP)
            time.sleep(_SLICE_S * (SLOWER - 1))
            os.kill(process, signal.SIGCONT)
            time.sleep(_SLICE_S)

    thread = threading.Thread(target=hold)
    thread.start()
    try:
        yield
    finally:
        is_over.set()
        thread.join()
