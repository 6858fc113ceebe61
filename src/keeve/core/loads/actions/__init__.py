"""Everything that may be done with a load, an action a file; each is found by the kind of its event.

A new action is a new file here: it is offered, checked, stored and counted by that alone.
"""

from collections.abc import Mapping
from importlib import import_module
from pkgutil import iter_modules
from typing import Annotated, Any, Union

from pydantic import Field, TypeAdapter

from keeve.core.errors import validated
from keeve.core.loads.actions.action import Action
from keeve.core.loads.event import LoadEvent


def _actions() -> Mapping[str, Action[Any]]:
    """Each action by the kind of its event."""
    found = {}
    for module in iter_modules(__path__):
        for thing in vars(import_module(f"{__name__}.{module.name}")).values():
            if isinstance(thing, type) and issubclass(thing, Action) and "event" in vars(thing):
                kind: str = thing.event.model_fields["kind"].annotation.__args__[0]  # type: ignore[union-attr]
                found[kind] = thing()
    return found


def _reader(actions: Mapping[str, Action[Any]]) -> TypeAdapter[LoadEvent]:
    """The reader of the events of these actions."""
    event: Any = Union[tuple(action.event for action in actions.values())]  # noqa: UP007
    return TypeAdapter(Annotated[event, Field(discriminator="kind")])


ACTIONS = _actions()
_READER = _reader(ACTIONS)


def parse_event(raw: Any) -> LoadEvent:
    """An event from plain JSON values.

    Raises:
        InputError: a field that is wrong, named.
    """
    return validated(_READER, raw)
