"""Every rule over HTTP: the same answer as the command line, the same refusals, all of it described."""

import json
from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine

from keeve.app import create_app
from keeve.core.errors import InputError
from keeve.core.rules.calc import all_rules, calc
from keeve.core.rules.registry import parse_json
from keeve.web.api import create_api


@pytest.fixture(scope="module")
def api() -> Iterator[TestClient]:
    with TestClient(create_api()) as client:
        yield client


@pytest.mark.parametrize("rule_id", all_rules())
def test_each_rule_answers_as_calc_does_and_is_described(api: TestClient, rule_id: str) -> None:
    given = all_rules()[rule_id].example.given
    assert api.post(f"/rules/{rule_id}", json=given).json() == calc(rule_id, given)
    assert api.post(f"/rules/{rule_id}", json=[given, given]).json() == [calc(rule_id, given)] * 2
    described = api.get("/openapi.json").json()
    gauged = described["paths"][f"/rules/{rule_id}"]["post"]
    asked = gauged["requestBody"]["content"]["application/json"]["schema"]["anyOf"][0]["$ref"]
    schema = described["components"]["schemas"][asked.rpartition("/")[2]]
    assert set(schema["properties"]) == set(all_rules()[rule_id].inputs.model_fields)
    assert all_rules()[rule_id].source in gauged["description"]


@pytest.mark.parametrize(
    "text",
    [
        "", "{", "3", "null", "[" * 5000, '{"length_m": NaN, "width_m": 2, "thickness_m": 1}',
        '{"length_m": 1e999, "width_m": 2, "thickness_m": 1}', '{"length_m": "3", "width_m": 2, "thickness_m": 1}',
        '{"length_m": true, "width_m": 2, "thickness_m": 1}', '{"length_m": -3, "width_m": 2, "thickness_m": 1}',
        '{"length_m": 3, "width_m": 2}', '{"length_m": 3, "width_m": 2, "thickness_m": 1, "colour": 1}',
        '[{"length_m": 3}]', '{"length_m": 1e308, "width_m": 1e308, "thickness_m": 1}',
    ],
)  # fmt: skip
def test_bad_input_is_refused_in_the_words_of_the_core(api: TestClient, text: str) -> None:
    answer = api.post("/rules/slab-volume", content=text)
    assert answer.status_code == 422
    with pytest.raises(InputError) as refused:
        calc("slab-volume", parse_json(text))
    assert answer.json() == refused.value.as_json()


def test_it_stands_under_the_application_without_sign_in(engine: Engine) -> None:
    stranger = TestClient(create_app(engine), base_url="http://127.0.0.1")
    given = {"length_m": 3, "width_m": 2, "thickness_m": 0.1}
    answer = stranger.post("/api/v1/rules/slab-volume", json=given)
    assert answer.json()["volume_m3"] == pytest.approx(0.6)
    assert "default-src 'none'" in answer.headers["content-security-policy"]
    assert stranger.get("/api/v1/openapi.json").status_code == 200


def test_what_is_no_rule_no_text_or_too_much(api: TestClient) -> None:
    unknown = api.post("/rules/slab", json={})
    assert (unknown.status_code, unknown.json()["error"]["code"]) == (404, "unknown_rule")
    assert "slab-volume" in unknown.json()["error"]["message"]
    assert api.get("/rules/slab-volume").status_code == 405
    assert api.post("/rules/slab-volume", content=b"\xff\xfe").status_code == 422
    many = json.dumps([{"net_m3": 1.0}] * 1_001)
    assert api.post("/rules/order-volume", content=many).json()["error"]["code"] == "too_many"
