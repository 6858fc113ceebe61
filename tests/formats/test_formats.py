"""Job files, schemas, the plan as text, the log as CSV."""

import csv
import json
from pathlib import Path

import pytest
from helpers import job, plan, raw_job

from keeve.core.errors import InputError
from keeve.formats.csv_table import LOG_COLUMNS, csv_lines
from keeve.formats.job_file import parse_job, schemas
from keeve.formats.plan_text import plan_text

DOCS = Path(__file__).parents[2] / "docs"


def test_a_job_file_there_and_back() -> None:
    text = json.dumps(job().model_dump(mode="json", exclude_none=True))
    assert parse_job(text) == job()


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("", "input"),
        ("[]", ""),
        (json.dumps(raw_job()).replace("0.25", "NaN"), "need.volume_m3"),
        (json.dumps(raw_job()).replace("0.25", "1e999"), "need.volume_m3"),
    ],
)
def test_a_broken_job_file(text: str, field: str) -> None:
    with pytest.raises(InputError) as refused:
        parse_job(text)
    assert refused.value.fields == [field]


@pytest.mark.parametrize("name", schemas())
def test_the_shipped_schemas_are_current(name: str) -> None:
    assert json.loads((DOCS / name).read_text()) == json.loads(json.dumps(schemas()[name]))


def test_plan_as_text_names_what_matters() -> None:
    text = plan_text(plan())
    assert "Net 0.250 m3, to make 0.275 m3, in 4 loads" in text
    assert "Loads 1 to 4: 68.8 L each" in text
    assert "plasticiser by its label" in text
    assert text.rstrip().endswith("local codes and licensed practice decide.")


def test_csv_is_safe_in_a_spreadsheet() -> None:
    harmful = ['=HYPERLINK("x")', "+1", "-1", "@x", "\tx", "plain, with a comma"]
    lines = list(csv_lines(LOG_COLUMNS, [[*harmful, None, 1.5, -2, "", ""]]))
    header, row = csv.reader("".join(lines).splitlines())
    assert tuple(header) == LOG_COLUMNS
    assert row[:5] == [f"'{cell}" for cell in harmful[:5]]
    assert row[5:] == ["plain, with a comma", "", "1.5", "-2", "", ""]
