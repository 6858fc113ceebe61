"""The lines on which requests come: a head has its time and its size, or the line is closed."""

import asyncio

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

# The largest head of a browser of ours is a few kilobytes, and comes at once.
MOST_HEAD_BYTES, SECONDS_FOR_HEAD = 32_768, 15.0
# So many lines are open at once in a process, fifty benches take a few hundred; then the one silent longest goes.
MOST_LINES = 800


class BoundedLine(HttpToolsProtocol):
    """A line that is closed where a request's head does not come, or does not end, or where too many are open."""

    _waits: asyncio.TimerHandle | None = None
    _head_bytes = 0
    _is_in_head = True
    _heard_at = 0.0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Wait for the first head, in the place of the line that was silent longest where there are too many."""
        super().connection_made(transport)
        self._heard_at = self.loop.time()
        self._wait()
        if len(self.connections) > MOST_LINES:
            idle = [line for line in self.connections if isinstance(line, BoundedLine) and line.is_idle]
            min(idle, key=lambda line: line._heard_at).transport.close()

    def connection_lost(self, exc: Exception | None) -> None:
        """Wait no more."""
        self._wait_no_more()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Read on; close the line where its head grows too large."""
        self._heard_at = self.loop.time()
        super().data_received(data)
        if not self._is_in_head or self.transport.is_closing():
            return
        self._head_bytes += len(data)
        if self._head_bytes > MOST_HEAD_BYTES:
            self.send_400_response("The head of the request is too large.")

    @property
    def is_idle(self) -> bool:
        """Whether nothing is answered on it just now: it is between requests, or one has not come whole."""
        return self.cycle is None or self.cycle.response_complete or self.cycle.more_body

    def on_message_begin(self) -> None:
        """Wait for the rest of a head."""
        super().on_message_begin()
        self._is_in_head, self._head_bytes = True, 0
        self._wait()

    def on_headers_complete(self) -> None:
        """Go on with a head that is whole."""
        self._is_in_head = False
        self._wait_no_more()
        super().on_headers_complete()

    def _wait(self) -> None:
        self._wait_no_more()
        self._waits = self.loop.call_later(SECONDS_FOR_HEAD, self.transport.close)

    def _wait_no_more(self) -> None:
        if self._waits is not None:
            self._waits.cancel()
            self._waits = None
