"""Actions: a new one is a new file, and every one has words and a reason where it may not be taken."""

from pathlib import Path

import pytest
from helpers import EVERY_PROCEDURE, NOON, Run, a_job_of, plan, raw_event

from keeve.core.loads import actions
from keeve.core.loads.fold import fold
from keeve.core.loads.offers import offers

SPLASH = '''
"""Splash."""

from typing import Literal

from keeve.core.loads.actions.action import ALWAYS, Action
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import Litres, LoadEvent


class Splashed(LoadEvent):
    """It was splashed."""

    kind: Literal["splashed"]
    water_l: Litres


class Splash(Action[Splashed]):
    """Splash it."""

    id, event = "splash", Splashed

    def offers(self, at):
        """At any time, a litre."""
        litre = Amount("water_l", 0.5, 0.0, 1.0, ("too_much", "That is no splash."))
        yield Offer(self.id, {"kind": "splashed"}, amounts=(litre,), still=ALWAYS)

    def apply(self, load, state, event):
        """Count it."""
        return state._replace(went_in_l=state.went_in_l + event.water_l)
'''


def test_a_new_action_is_one_new_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "splash.py").write_text(SPLASH)
    monkeypatch.setattr(actions, "__path__", [*actions.__path__, str(tmp_path)])
    found = actions._actions()
    monkeypatch.setitem(actions.ACTIONS, "splashed", found["splashed"])  # type: ignore[arg-type]
    monkeypatch.setattr(actions, "_READER", actions._reader(found))
    run = Run(plan())
    (offer,) = [offer for offer in run.offers if offer.action == "splash"]
    assert offer.filled == {"kind": "splashed", "water_l": 0.5}
    with pytest.raises(Exception, match="no splash"):
        run.do("splashed", water_l=2.0)
    event = run.do("splashed", water_l=0.75)
    assert run.state.went_in_l == 0.75
    assert fold(run.load, [actions.parse_event(event.model_dump(by_alias=True))]).went_in_l == 0.75


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_no_two_offers_are_of_one_target(mix: str, mixer: str) -> None:
    run = Run(plan(**a_job_of(mix, mixer)))
    for _ in range(12):
        keys = [(offer.action, offer.target) for offer in offers(run.plan, run.state, run.now)]
        assert len(keys) == len(set(keys))
        assert {offer.event["kind"] for offer in run.offers} <= set(actions.ACTIONS)
        if run.now.act not in ("charge", "water", "admix", "mix", "rest"):
            break
        run.step()


def test_what_the_server_records_by_itself_nobody_sends() -> None:
    run = Run(plan())
    with pytest.raises(Exception, match="recorded by Keeve itself"):
        run.record(raw_event("begun", NOON, checks=[]))
