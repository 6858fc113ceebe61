"""What ships from the registries is what VENDOR.toml says, and nothing else."""

import hashlib
import tomllib
from pathlib import Path

import pydantic_core
import pytest

import keeve

_KEEVE = Path(keeve.__file__).parent
VENDORED = {
    "pages": _KEEVE / "web" / "static" / "vendor",
    "device": _KEEVE / "screens" / "without_signal" / "vendor",
    "tests": Path(__file__).parent / "vendor",
}


@pytest.mark.parametrize("folder", VENDORED.values(), ids=VENDORED)
def test_vendored_files_are_listed_unchanged_and_licensed(folder: Path) -> None:
    listed = tomllib.loads((folder / "VENDOR.toml").read_text())["file"]
    for item in listed:
        assert hashlib.sha256((folder / item["name"]).read_bytes()).hexdigest() == item["sha256"], item[
            "name"
        ]
        assert item["package"] and item["version"] and item["licence"]  # noqa: PT018
    licences = {item["licence_file"] for item in listed if "licence_file" in item}
    assert {path.name for path in folder.iterdir()} == {
        "VENDOR.toml",
        *licences,
        *(item["name"] for item in listed),
    }


def test_the_device_runs_the_version_of_the_server() -> None:
    listed = tomllib.loads((VENDORED["device"] / "VENDOR.toml").read_text())["file"]
    (compiled,) = (item for item in listed if item["package"] == "pydantic-core")
    assert compiled["version"] == pydantic_core.__version__
    assert f"-{compiled['version']}-" in compiled["name"]
