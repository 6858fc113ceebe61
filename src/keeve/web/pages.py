"""Rendering pages: the templates, and what every page has."""

from collections.abc import Mapping
from hashlib import sha256
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import (
    ChoiceLoader,
    Environment,
    FileSystemBytecodeCache,
    FileSystemLoader,
    PrefixLoader,
    StrictUndefined,
    pass_context,
)
from jinja2.runtime import Context
from starlette.templating import Jinja2Templates

from keeve.core.mixes.mixers import MIXED_IN, MIXER_NAMES, ORDER_NAMES
from keeve.core.mixes.model import READING_NAMES, RETEMPERING_NAMES
from keeve.core.planning.plan import Plan
from keeve.data.accounts import LEAST_PASSWORD, MOST_PASSWORD, Visitor, token_hash
from keeve.figures.event_words import RESULT_NAMES, event_words
from keeve.figures.labels import RULE_TITLES
from keeve.web.filters import FILTERS, quantity
from keeve.web.security import (
    FORM_FIELD,
    HOLDER_COOKIE,
    form_token,
    has_demo,
    set_cookie,
    tie_to_browser,
    units_of,
    zone_of,
)
from keeve.web.static_files import address_of_file

# A compiled template knows which filters take the context, and how its tags are read: one of others is of no use.
_HERE = Path(__file__).parent
_OF_THESE = sha256(b"".join((_HERE / name).read_bytes() for name in ("filters.py", "pages.py"))).hexdigest()[
    :12
]
_HELD_FOR_S = 365 * 86_400
# The templates of a screen lie in its folder, and go by the name of it: bench/act.html.
_OF_SCREENS = {
    folder.parent.name: FileSystemLoader(folder)
    for folder in sorted((_HERE.parent / "screens").glob("*/templates"))
}
environment = Environment(
    loader=ChoiceLoader([FileSystemLoader(_HERE / "templates"), PrefixLoader(_OF_SCREENS)]),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
    auto_reload=False,
    cache_size=-1,
    bytecode_cache=FileSystemBytecodeCache(pattern=f"keeve_{_OF_THESE}_%s.cache"),
)
environment.filters.update(FILTERS)
_templates = Jinja2Templates(env=environment)


def load_templates() -> None:
    """Load every template now, so that the first visitors do not wait while all of them compile the same ones."""
    for name in environment.list_templates():
        environment.get_template(name)


def page(request: Request, template: str, status: int = 200, **values: Any) -> HTMLResponse:
    """A page or a part of one."""
    visitor = request.state.visitor
    holder = holder_of(visitor)
    answer = _templates.TemplateResponse(
        request,
        template,
        {
            "visitor": visitor,
            "holder": holder,
            "units": units_of(request),
            "zone": zone_of(request),
            "may_mix": visitor is None or visitor.may_mix,
            "open_to_all": request.app.state.open_to_all,
            "has_demo": has_demo(request),
            "form_field": FORM_FIELD,
            "form_token": form_token(request),
            **values,
        },
        status_code=status,
        headers={"Keeve-Holder": holder},
    )
    tie_to_browser(request, answer)
    if request.cookies.get(HOLDER_COOKIE, "") != holder:
        # Of a request that came with both: an answer late for whoever signed in meanwhile says nothing of them.
        set_cookie(answer, HOLDER_COOKIE, holder, max_age=_HELD_FOR_S, is_for_scripts=True)
    return answer


def holder_of(visitor: Visitor | None) -> str:
    """The holder of a browser, a person in a crew, by a name that says nothing; empty for nobody.

    The browser keeps things under it, and shows and sends them only as theirs.
    """
    return token_hash(f"{visitor.account_id} {visitor.crew_id}").hex()[:24] if visitor else ""


def address_of_site(request: Request) -> str:
    """The address of this Keeve, for links and codes that leave it: as it was started, whatever a request says."""
    address: str = request.app.state.address
    return address


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
def _event_words(context: Context, event: Any, plan: Plan) -> str:
    """An event of a load in words, in the units of the reader."""
    return event_words(event, plan, lambda value, kind: quantity(context, value, kind))


environment.globals.update(
    event_words=_event_words,
    file=address_of_file,
    LEAST_PASSWORD=LEAST_PASSWORD,
    LIMITS=_LIMITS,
    MIXED_IN=MIXED_IN,
    MIXER_NAMES=MIXER_NAMES,
    MOST_PASSWORD=MOST_PASSWORD,
    ORDER_NAMES=ORDER_NAMES,
    RESULT_NAMES=RESULT_NAMES,
    READING_NAMES=READING_NAMES,
    RETEMPERING_NAMES=RETEMPERING_NAMES,
    RULE_TITLES=RULE_TITLES,
    NEXT_WORDS=_NEXT_WORDS,
)
