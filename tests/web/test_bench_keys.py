"""The keys of the bench: one meaning each, whatever is open; none for what a fold holds; none in a name.

A second press of a letter once did what its fold held: D D lost 200 mL of water, X X a load. Every mix is run from its
start to its end, and every bench on the way is read.
"""

from collections import Counter
from collections.abc import Iterator
from html.parser import HTMLParser
from uuid import UUID

import pytest
from helpers import a_job_of, raw_event

from keeve.core.mixes import library
from web.conftest import Client, Clock
from web.test_loads_by_http import begun, do_step, running

VOID = {"input", "br", "img", "meta", "link", "hr"}


class Keys(HTMLParser):
    """The keys of a page by the folds they lie in, from the outermost; a fold's own line lies outside of it."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.open: list[tuple[str, int]] = []
        self.folds: list[int] = []
        self.found: list[tuple[str, tuple[int, ...]]] = []
        self.count, self.caps = 0, 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = dict(attrs)
        if tag == "details":
            self.count += 1
            self.folds.append(self.count)
        if tag == "kbd":
            self.caps += given.get("aria-hidden") != "true"
        if key := given.get("data-key"):
            assert given.get("aria-keyshortcuts") == key.upper()
            inside = self.folds[:-1] if tag == "summary" else self.folds
            self.found.append((key, tuple(inside)))
        if tag not in VOID:
            self.open.append((tag, self.count))

    def handle_endtag(self, tag: str) -> None:
        if tag == "details":
            self.folds.pop()

    def together(self) -> Iterator[list[str]]:
        """The keys that are seen at once: with all folds shut, and with each of them open."""
        for path in {path for _, path in self.found} | {()}:
            yield [key for key, inside in self.found if inside == path[: len(inside)]]


def keys_of(client: Client, load_id: UUID) -> Keys:
    keys = Keys()
    keys.feed(client.get(f"/bench/{load_id}/act").text)
    return keys


def check(client: Client, load_id: UUID) -> None:
    keys = keys_of(client, load_id)
    assert keys.caps == 0
    for together in keys.together():
        assert [key for key, number in Counter(together).items() if number > 1] == []


@pytest.mark.parametrize("mix_id", list(library()))
def test_no_key_has_two_meanings_at_any_step_of_any_mix(client: Client, clock: Clock, mix_id: str) -> None:
    _, load_id = begun(client, **a_job_of(mix_id, library()[mix_id].procedures[0].mixer))
    check(client, load_id)
    while (act := running(client, load_id).situation(clock.now).act) != "place":
        do_step(client, clock, load_id)
        check(client, load_id)
        assert act
    for kind, figures in (("placed", {"volume_l": 1.0}), ("discarded", {"reason": "Not needed"})):
        clock.turn(1)
        event = raw_event(kind, clock.now, **figures)
        if client.post(f"/bench/{load_id}/events", json=event).status_code == 200:
            check(client, load_id)


@pytest.mark.parametrize("reading", ["too-dry", "too-wet", "not-mixed-yet"])
def test_no_key_has_two_meanings_after_any_reading(client: Client, clock: Clock, reading: str) -> None:
    _, load_id = begun(client)
    while (now := running(client, load_id).situation(clock.now)).act != "judge":
        do_step(client, clock, load_id)
    judged = raw_event("judged", clock.now, reading=reading, step=now.position)
    assert client.post(f"/bench/{load_id}/events", json=judged).status_code == 200
    check(client, load_id)


def test_what_a_fold_holds_has_no_letter(client: Client, clock: Clock) -> None:
    """A spill, a load thrown away, a note: each is opened by its letter, and done by Enter or a tap."""
    _, load_id = begun(client)
    do_step(client, clock, load_id)
    letters = [key for key, inside in keys_of(client, load_id).found if inside and key.isalpha()]
    assert letters == []
