"""What a process keeps in memory: no more than it may, and what is asked for longest."""

from hypothesis import given
from hypothesis import strategies as st

from keeve.figures.kept import Itself, Kept


@given(st.integers(1, 40), st.lists(st.tuples(st.booleans(), st.integers(0, 9), st.integers(1, 12))))
def test_what_was_asked_for_least_lately_leaves_first(most: int, turns: list[tuple[bool, int, int]]) -> None:
    kept: Kept[int, str] = Kept(most, len)
    known: list[tuple[int, str]] = []  # as a list would have it: the last asked for at its end
    for is_kept, key, size in turns:
        before = next((thing for name, thing in known if name == key), None)
        if not is_kept:
            assert kept.get(key) == before
            if before is not None:
                known.remove((key, before))
                known.append((key, before))
            continue
        assert kept.keep(key, "x" * size) == (before or "x" * size)
        if before is None:
            known.append((key, "x" * size))
        while sum(len(thing) for _, thing in known) > most:
            known.pop(0)
    assert [key for key in range(10) if kept.get(key)] == sorted(key for key, _ in known)


def test_a_thing_is_the_same_only_as_itself() -> None:
    one, other = [1], [1]
    assert Itself(one) == Itself(one)
    assert Itself(one) != Itself(other)
    assert len({Itself(one), Itself(one), Itself(other)}) == 2
    assert Itself(one) != one
