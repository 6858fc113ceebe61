"""A crew's own mixes beside the library: kept version by version, never changed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import Engine, bindparam, delete, select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.exc import IntegrityError

from keeve.core.errors import InputError
from keeve.core.mixes import library, materials, with_library
from keeve.core.mixes.model import Mix
from keeve.core.planning.sample_plans import cubic_metre
from keeve.data.accounts import Visitor
from keeve.data.plans import mixes_used_last
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

# Names of pages under /mixes, which a mix cannot have.
_TAKEN = frozenset({"compare", "open"})


@dataclass(frozen=True)
class VersionLine:
    """One version of a mix: its number, when it was kept and by whom."""

    version: int
    made_at: datetime
    made_by: str


_NEWEST = (
    select(models.MixVersion.mix_id, models.MixVersion.content)
    .ext(distinct_on(models.MixVersion.mix_id))
    .order_by(models.MixVersion.mix_id, models.MixVersion.version.desc())
)


def own_mixes(engine: Engine, visitor: Visitor | None) -> dict[str, Mix]:
    """The newest version of each of the crew's own mixes, by id; a stranger has none."""
    if visitor is None:
        return {}
    with crew_reading(engine, visitor.crew_id) as session:
        return {mix_id: Mix.model_validate(content) for mix_id, content in session.execute(_NEWEST)}


def every_mix(engine: Engine, visitor: Visitor | None) -> dict[str, Mix]:
    """The library and the crew's own mixes, by id, in the order of their names."""
    return with_library(own_mixes(engine, visitor))


def find_mix(engine: Engine, visitor: Visitor | None, mix_id: str, version: int | None = None) -> Mix | None:
    """A mix of the library or of the crew's own, the newest version unless one is asked for."""
    if mix_id in library():
        return library()[mix_id] if version is None else None
    if visitor is None:
        return None
    wanted = select(models.MixVersion.version, models.MixVersion.content).where(
        models.MixVersion.mix_id == mix_id
    )
    if version is not None:
        wanted = wanted.where(models.MixVersion.version == version)
    with crew_reading(engine, visitor.crew_id) as session:
        found = session.execute(wanted.order_by(models.MixVersion.version.desc()).limit(1)).first()
    return None if found is None else Mix.model_validate(found.content)


def known_mixes(engine: Engine, visitor: Visitor | None, mix_id: str) -> Mapping[str, Mix]:
    """The library, and the crew's mix of that id where it is none of the library's."""
    own = None if mix_id in library() else find_mix(engine, visitor, mix_id)
    return library() if own is None else {**library(), mix_id: own}


def versions(engine: Engine, visitor: Visitor | None, mix_id: str) -> list[VersionLine]:
    """Every version of a mix of the crew's own, the newest first."""
    if visitor is None:
        return []
    rows = (
        select(models.MixVersion.version, models.MixVersion.made_at, models.Account.name)
        .join(models.Account, models.Account.id == models.MixVersion.made_by)
        .where(models.MixVersion.mix_id == mix_id)
        .order_by(models.MixVersion.version.desc())
    )
    with crew_reading(engine, visitor.crew_id) as session:
        return [VersionLine(*row) for row in session.execute(rows)]


def save_mix(engine: Engine, visitor: Visitor, mix: Mix) -> int:
    """Keep a mix as the crew's own, as the next version of its id; gives the version.

    A mix that is the same as the newest version is that version.

    Raises:
        InputError: its id is one of Keeve's, a part is of a material without default figures, or it cannot be
            planned.
    """
    if mix.id in library() or mix.id in _TAKEN:
        raise InputError(
            "taken_id", f"id {mix.id} is one of Keeve's own. Give your mix another name.", ["id"]
        )
    for index, part in enumerate(mix.parts):
        if part.material not in materials():
            raise InputError(
                "unknown_material",
                f"parts.{index}.material {part.material!r} isn't known. Use one of {', '.join(materials())}.",
                [f"parts.{index}.material"],
            )
    cubic_metre(mix)  # what cannot be planned is not kept
    kept = [line.version for line in versions(engine, visitor, mix.id)]
    if kept and find_mix(engine, visitor, mix.id) == mix:
        return kept[0]
    version = max(kept, default=0) + 1
    row = models.MixVersion(
        mix_id=mix.id, version=version, content=mix.model_dump(mode="json"), made_by=visitor.account_id
    )
    try:
        with crew_session(engine, visitor.crew_id) as session:
            session.add(row)
    except IntegrityError:
        raise InputError(
            "saved_meanwhile",
            "Someone in your crew just saved this mix. Check it and save again.",
            ["id"],
        ) from None
    return version


_FAVOURITES = (
    select(models.FavouriteMix.mix_id)
    .where(models.FavouriteMix.account_id == bindparam("account_id"))
    .order_by(models.FavouriteMix.mix_id)
)


def favourites(engine: Engine, visitor: Visitor | None) -> list[str]:
    """The ids of the mixes the visitor wants on top, by id; a stranger has none."""
    if visitor is None:
        return []
    with crew_reading(engine, visitor.crew_id) as session:
        return list(session.scalars(_FAVOURITES, {"account_id": visitor.account_id}))


class Preferred(NamedTuple):
    """The ids of the mixes that somebody is likely to choose: favourites, and those the crew planned with last."""

    favourites: Sequence[str]
    used_last: Sequence[str]


def preferred(engine: Engine, visitor: Visitor | None) -> Preferred:
    """The mixes that the visitor is likely to choose, in one reading; a stranger has used none."""
    if visitor is None:
        return Preferred([], [])
    with crew_reading(engine, visitor.crew_id):
        return Preferred(favourites(engine, visitor), mixes_used_last(engine, visitor))


def set_favourite(engine: Engine, visitor: Visitor, mix_id: str, *, is_on: bool) -> bool:
    """Put a mix on top, or not any more. Whether the crew has the mix."""
    if find_mix(engine, visitor, mix_id) is None:
        return False
    favourite = models.FavouriteMix
    with crew_session(engine, visitor.crew_id) as session:
        if is_on:
            row = {"account_id": visitor.account_id, "mix_id": mix_id}
            session.execute(insert(favourite).values(row).on_conflict_do_nothing())
        else:
            own = (favourite.account_id == visitor.account_id, favourite.mix_id == mix_id)
            session.execute(delete(favourite).where(*own))
    return True
