"""The command line: answers on standard output, faults as exit 2 with the field's name."""

import io
import json
from pathlib import Path

import pytest
from helpers import raw_job

from keeve.cli import main


@pytest.fixture
def typed(monkeypatch: pytest.MonkeyPatch) -> "Typed":
    return Typed(monkeypatch)


class Typed:
    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self._monkeypatch = monkeypatch

    def __call__(self, text: str, *arguments: str) -> int:
        self._monkeypatch.setattr("sys.stdin", io.StringIO(text))
        return main(arguments)


def test_calc(typed: Typed, capsys: pytest.CaptureFixture[str]) -> None:
    assert typed('{"length_m": 3, "width_m": 2, "thickness_m": 0.1}', "calc", "slab-volume") == 0
    assert json.loads(capsys.readouterr().out)["volume_m3"] == pytest.approx(0.6, abs=1e-9)
    assert typed('[{"net_m3": 1}, {"net_m3": 2}]', "calc", "order-volume") == 0
    assert len(json.loads(capsys.readouterr().out)) == 2


@pytest.mark.parametrize(
    ("rule", "text", "field"),
    [
        ("slab-volume", '{"length_m": NaN, "width_m": 2, "thickness_m": 0.1}', "length_m"),
        ("slab-volume", "", "input"),
        ("slab", "{}", "rule"),
    ],
)
def test_calc_refuses(
    typed: Typed, capsys: pytest.CaptureFixture[str], rule: str, text: str, field: str
) -> None:
    assert typed(text, "calc", rule) == 2
    fault = json.loads(capsys.readouterr().out)["error"]
    assert set(fault) == {"code", "message", "fields"}
    assert fault["fields"] == [field]


def test_plan_as_text_and_as_json(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "job.json"
    file.write_text(json.dumps(raw_job()))
    assert main(["plan", str(file)]) == 0
    assert "in 4 loads" in capsys.readouterr().out
    assert main(["plan", str(file), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert sum(load["yield_l"] for load in found["loads"]) == pytest.approx(275)
    shape = {
        "volume": ("net_m3", "order_m3"),
        "loads": ("number", "yield_l", "charges", "water", "admixtures"),
        "shopping": ("material", "mass_kg", "bags"),
        "procedure": ("step",),
        "cautions": ("code", "text"),
        "warnings": ("code", "message", "field", "suggestion"),
        "workings": ("rule", "inputs", "outputs", "source"),
    }
    for name, fields in shape.items():
        first = found[name][0] if isinstance(found[name], list) else found[name]
        assert set(fields) <= set(first), name
    assert {"start_l", "target_l", "ceiling_l"} <= set(found["loads"][0]["water"])
    assert {"material", "mass_kg", "volume_l", "vessels"} <= set(found["loads"][0]["charges"][0])
    assert found["tests"]


def test_plan_refuses(typed: Typed, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    spoiled = json.dumps(raw_job(mixer={"kind": "tilting-drum", "working_l": -1}))
    assert typed(spoiled, "plan", "-", "--json") == 2
    assert json.loads(capsys.readouterr().out)["error"]["fields"] == ["mixer.working_l"]
    assert typed(spoiled, "plan", "-") == 2
    assert capsys.readouterr().err == "keeve: mixer.working_l must be more than 0.\n"
    assert main(["plan", str(tmp_path / "nowhere.json")]) == 2
    assert "cannot be read" in capsys.readouterr().err
