"""What ships from the npm registry is what VENDOR.toml says, and nothing else."""

import hashlib
import tomllib
from pathlib import Path

import pytest

import keeve.web

VENDORED = [Path(keeve.web.__file__).parent / "static" / "vendor", Path(__file__).parent / "vendor"]


@pytest.mark.parametrize("folder", VENDORED, ids=["application", "tests"])
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
