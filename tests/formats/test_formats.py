"""Job files, schemas, the plan as text, the log as CSV."""

import csv
import json
from pathlib import Path

import pytest
from helpers import job, plan, raw_job

from keeve.core.errors import InputError
from keeve.core.planning.make_plan import make_plan
from keeve.formats.csv_table import csv_lines
from keeve.formats.error_codes import coded, error_codes_text
from keeve.formats.job_file import parse_job
from keeve.formats.plan_text import plan_text
from keeve.formats.schemas import schemas
from keeve.screens.log.view import LOG_COLUMNS

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


def test_the_list_of_error_codes_is_current_and_holds_what_is_raised() -> None:
    assert (DOCS / "error-codes.md").read_text() == error_codes_text()
    codes = {item.code for item in coded()}
    with pytest.raises(InputError) as fault:
        parse_job("{")
    assert fault.value.code in codes
    warned = {item.code for item in make_plan(job(need={"area_m2": 6, "depth_mm": 400})).warnings}
    assert warned
    assert warned <= codes


@pytest.mark.parametrize("name", schemas())
def test_the_shipped_schemas_are_current(name: str) -> None:
    assert json.loads((DOCS / name).read_text()) == json.loads(json.dumps(schemas()[name]))


def test_plan_as_text_names_what_matters() -> None:
    text = plan_text(plan())
    assert "0.25 m3 needed, 0.275 m3 with waste, in 4 loads" in text
    assert "Loads 1 to 4: 68.8 L each" in text
    assert "plasticiser see the label" in text
    assert text.rstrip().endswith("local codes and licensed professionals decide.")


def test_csv_is_safe_in_a_spreadsheet() -> None:
    harmful = ['=HYPERLINK("x")', "+1", "-1", "@x", "\tx", "plain, with a comma"]
    lines = list(csv_lines(LOG_COLUMNS, [[*harmful, None, 1.5, -2, "", ""]]))
    header, row = csv.reader("".join(lines).splitlines())
    assert tuple(header) == LOG_COLUMNS
    assert row[:5] == [f"'{cell}" for cell in harmful[:5]]
    assert row[5:] == ["plain, with a comma", "", "1.5", "-2", "", ""]
