"""The templates of every page, their filters and names: the server draws with them, and a device without signal."""

from collections.abc import Mapping
from hashlib import sha256
from pathlib import Path
from typing import Any

from jinja2 import (
    ChoiceLoader,
    Environment,
    FileSystemBytecodeCache,
    FileSystemLoader,
    ModuleLoader,
    PrefixLoader,
    StrictUndefined,
    pass_context,
)
from jinja2.runtime import Context

from keeve.core.mixes.mixers import MIXED_IN, MIXER_NAMES, ORDER_NAMES
from keeve.core.mixes.model import READING_NAMES, RETEMPERING_NAMES
from keeve.core.planning.plan import Plan
from keeve.figures.event_words import RESULT_NAMES, event_words
from keeve.figures.labels import RULE_TITLES
from keeve.web.filters import FILTERS, quantity

_HERE = Path(__file__).parent
# A device without signal compiles them once, as modules: nothing else of them is there then.
PREPARED = _HERE / "prepared"


def _as_written() -> dict[str, Any]:
    """The templates as files; the templates of a screen lie in its folder, and go by the name of it: bench/act.html."""
    of_screens = {
        folder.parent.name: FileSystemLoader(folder)
        for folder in sorted((_HERE.parent / "screens").glob("*/templates"))
    }
    # One compiled before knows which filters take the context, and how its tags are read: of others it is of no use.
    sources = [_HERE / name for name in ("filters.py", "environment.py")]
    version = sha256(b"".join(path.read_bytes() for path in sources if path.exists())).hexdigest()[:12]
    return {
        "loader": ChoiceLoader([FileSystemLoader(_HERE / "templates"), PrefixLoader(of_screens)]),
        "bytecode_cache": FileSystemBytecodeCache(pattern=f"keeve_{version}_%s.cache"),
    }


environment = Environment(
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
    auto_reload=False,
    cache_size=-1,
    **({"loader": ModuleLoader(PREPARED)} if PREPARED.is_dir() else _as_written()),
)
environment.filters.update(FILTERS)


# The next act of a load, as the words on the way to it.
_NEXT_WORDS: Mapping[str, str] = {
    "accept": "Check first",
    "charge": "Add material",
    "water": "Add water",
    "admix": "Add admixture",
    "rest": "Let it rest",
    "mix": "Keep mixing",
    "judge": "Judge it",
    "add_water": "Add water",
    "ceiling": "At max water",
    "correct": "Correct it",
    "top_up": "Top it up",
    "place": "Place it",
    "dead": "Throw it away",
    "clean": "Clean up",
    "stored": "Stored",
    "strip": "In the mould",
    "dry": "Weigh it",
    "done": "Open in log",
    "taken_back": "Cancelled",
}

# What limits the size of a load, in a sentence.
_LIMITS: Mapping[str, str] = {
    "mixer": "Load size is limited by the mixer.",
    "rim": "Load size is limited by the drum. The dry materials fill it.",
    "bag": "Load size is set by whole bags.",
    "life": "Load size is limited by the working time.",
    "crew": "Load size is limited by how fast you place.",
    "pack": "Load size is set by the colour or tint pack: one pack to its bags.",
}


@pass_context
def words_of_event(context: Context, event: Any, plan: Plan) -> str:
    """An event of a load in words, in the units of the reader."""
    return event_words(event, plan, lambda value, kind: quantity(context, value, kind))


environment.globals.update(
    event_words=words_of_event,
    LIMITS=_LIMITS,
    MIXED_IN=MIXED_IN,
    MIXER_NAMES=MIXER_NAMES,
    ORDER_NAMES=ORDER_NAMES,
    RESULT_NAMES=RESULT_NAMES,
    READING_NAMES=READING_NAMES,
    RETEMPERING_NAMES=RETEMPERING_NAMES,
    RULE_TITLES=RULE_TITLES,
    NEXT_WORDS=_NEXT_WORDS,
)
