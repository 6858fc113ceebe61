"""The security page says only what a test shows, or that none does."""

import re

import pytest

from keeve.launch.system import ROOT

PAGE = (ROOT / "docs" / "security.md").read_text()
ROWS = [line for line in PAGE.splitlines() if re.match(r"\| \d", line)]


@pytest.mark.parametrize(
    "row", [row for row in ROWS if "| holds |" in row], ids=lambda row: row.split(" | ")[0][2:]
)
def test_a_row_that_holds_names_its_test(row: str) -> None:
    assert re.search(r"`tests/|by no test|the test command", row)


def test_every_test_that_is_named_is_there() -> None:
    named = re.findall(r"`(tests/[\w/.]+)`", PAGE)
    assert len(named) > 30
    assert [name for name in named if not (ROOT / name).is_file()] == []
