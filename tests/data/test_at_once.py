"""What several do at one moment is done once, and nobody is told of a fault."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from uuid import uuid4

from helpers import NOON, job
from people import PASSWORD, new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix
from keeve.data import crews, jobs, mixes, plans, recovery, sessions, sharing
from keeve.data.accounts import Visitor
from keeve.data.database import ChangedMeanwhile
from keeve.data.guessing import SignInRefused

AT_ONCE = 5


def together(act: Callable[[int], Any]) -> list[Any]:
    """What each of several who do it at once is answered: what it gives, or the code of a refusal."""

    def answered(number: int) -> Any:
        try:
            return act(number)
        except InputError as refusal:
            return refusal.code
        except SignInRefused:
            return "refused"

    with ThreadPoolExecutor(AT_ONCE) as pool:
        return list(pool.map(answered, range(AT_ONCE)))


def test_a_name_is_taken_once(engine: Engine, visitor: Visitor) -> None:
    name = f"wanted-{uuid4().hex[:8]}"

    def take(number: int) -> str | None:
        if number % 2:
            crews.start_crew(engine, sign_in_name=name, name=name, password=PASSWORD, crew_name="")
            return "made"
        link = crews.invite(engine, visitor, "mixer", NOON)
        crews.join_as_new(engine, link, sign_in_name=name, name=name, password=PASSWORD, now=NOON)
        return "made"

    assert sorted(together(take)) == ["made"] + ["name_taken"] * (AT_ONCE - 1)


def test_an_invitation_is_taken_up_once_and_a_place_held_once(engine: Engine, visitor: Visitor) -> None:
    one, guest = crews.invite(engine, visitor, "mixer", NOON), new_visitor(engine)[0]
    others = [new_visitor(engine)[0] for _ in range(AT_ONCE)]
    joined = together(lambda number: crews.join(engine, others[number], one, NOON))
    assert [crew for crew in joined if crew] == [visitor.crew_id]
    links = [crews.invite(engine, visitor, "reader", NOON) for _ in range(AT_ONCE)]
    assert set(together(lambda number: crews.join(engine, guest, links[number], NOON))) == {visitor.crew_id}
    assert len(crews.members(engine, visitor)) == 3


def test_roles_and_removals_at_once_leave_a_lead(engine: Engine, visitor: Visitor) -> None:
    leads = [visitor]
    for _ in range(AT_ONCE - 1):
        other, _ = new_visitor(engine)
        crews.join(engine, other, crews.invite(engine, visitor, "lead", NOON), NOON)
        leads.append(other)

    def leave(number: int) -> bool:
        who = leads[number].account_id
        if number % 2:
            return crews.remove(engine, visitor, who, NOON)
        return crews.set_role(engine, visitor, who, "reader", NOON)

    assert sorted(map(str, together(leave))) == ["True"] * (AT_ONCE - 1) + ["last_lead"]
    assert sum(member.role == "lead" for member in crews.members(engine, visitor)) == 1
    gone = leads[1].account_id
    assert all(answer is not None for answer in together(lambda _: crews.remove(engine, visitor, gone, NOON)))


def test_the_same_thing_said_at_once_is_said_once(engine: Engine, visitor: Visitor) -> None:
    assert set(together(lambda _: mixes.set_favourite(engine, visitor, "mortar-general", is_on=True))) == {
        True
    }
    assert mixes.favourites(engine, visitor) == ["mortar-general"]
    own = get_mix("mortar-general").model_copy(update={"id": "our-mortar", "name": "Our mortar"})
    assert set(together(lambda _: mixes.save_mix(engine, visitor, own))) <= {1, "saved_meanwhile"}
    assert len(mixes.versions(engine, visitor, "our-mortar")) == 1
    plan_id = plans.save_plan(engine, visitor, job())
    assert len(set(together(lambda _: sharing.share(engine, visitor, plan_id, NOON)))) == 1
    assert set(together(lambda _: jobs.delete(engine, visitor, plan_id, NOON))) <= {True, False}


def test_a_recovery_code_opens_once(engine: Engine) -> None:
    name = f"lost-{uuid4().hex[:8]}"
    _, code = crews.start_crew(engine, sign_in_name=name, name=name, password=PASSWORD, crew_name="")

    def recover(number: int) -> str:
        given = {"sign_in_name": name, "code": code, "password": f"password {number} of mine"}
        recovery.recover(engine, **given, address=name, now=NOON)
        return "opened"

    assert sorted(together(recover)) == ["opened"] + ["refused"] * (AT_ONCE - 1)


def test_a_password_is_changed_while_somebody_signs_in(engine: Engine, visitor: Visitor) -> None:
    def act(number: int) -> Any:
        if number % 2:
            return sessions.sign_in(
                engine, sign_in_name=visitor.name, password=PASSWORD, address=visitor.name, now=NOON
            )
        try:
            return sessions.change_password(engine, visitor, old=PASSWORD, new="a newer long one", now=NOON)
        except ChangedMeanwhile:
            return "changed_meanwhile"

    together(act)
    assert sessions.sign_in(
        engine, sign_in_name=visitor.name, password="a newer long one", address="home", now=NOON
    )
