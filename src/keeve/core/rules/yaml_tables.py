"""The tables beside the code: YAML that ships with it."""

import json
from pathlib import Path
from typing import Any

import yaml

# The parser in C where there is one: it takes a tenth of the time, and the tables are read at every start.
Loader: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


def read_table(file: Path) -> Any:
    """What a table holds, as plain values."""
    text = file.read_text(encoding="utf-8")
    # A device without signal is given them as JSON, which it reads in a hundredth of the time.
    return json.loads(text) if text.startswith(("{", "[")) else yaml.load(text, Loader)
