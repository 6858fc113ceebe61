"""Headers, forms from elsewhere, the wrong crew on every route."""

import json
import re
from io import BytesIO
from typing import Any
from uuid import UUID

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from helpers import NOON, raw_event
from httpx2 import Response
from people import PASSWORD
from PIL import Image
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError
from starlette.routing import Match

from keeve.app import SCREENS, create_app
from keeve.core.loads.actions import parse_event
from keeve.core.loads.actions.place import Placed
from keeve.data import crews, loads, log_imports, photos, pours
from keeve.formats.photo import photo_of as read_photo
from keeve.store.database import crew_session
from keeve.web.security import FORM_HEADER, SESSION_COOKIE, STRANGER_COOKIE, masked
from web.conftest import Client, Clock

OPEN_ROUTES = {
    ("GET", "/sign-in"), ("POST", "/sign-in"), ("GET", "/sign-in/code"), ("POST", "/sign-in/code"),
    ("GET", "/invitation/{token}"), ("POST", "/invitation/{token}"),
    ("GET", "/new-account"), ("POST", "/new-account"),
    ("GET", "/forgotten"), ("POST", "/forgotten"),
    ("GET", "/reset/{token}"), ("POST", "/reset/{token}"),
    ("POST", "/demo"), ("POST", "/units"), ("GET", "/shared/{token}"), ("GET", "/service-worker.js"),
    ("GET", "/device.json"), ("GET", "/device/{version}/{name}"),
    ("GET", "/calendar/{token}.ics"),
}  # fmt: skip
# What a stranger may use: it shows nothing of any crew's.
QUICK_ROUTES = {
    ("GET", "/"), ("GET", "/plan"), ("POST", "/plan"), ("GET", "/plan/quick"), ("POST", "/plan/preview"),
    ("POST", "/plan/mesh"), ("GET", "/plan/units"), ("POST", "/plan/units"), ("GET", "/plan/open"),
    ("POST", "/plan/open"), ("GET", "/mixes"), ("GET", "/mixes/compare"), ("GET", "/mixes/{mix_id}"),
    ("GET", "/mixes/{mix_id}/mix.yaml"), ("GET", "/rules"), ("GET", "/rules/{rule_id}"),
    ("POST", "/rules/{rule_id}/try"), ("GET", "/mixes/{mix_id}/table"), ("GET", "/plan/quick/table"),
    ("GET", "/pack.json"), ("GET", "/without-signal"),
}  # fmt: skip
# What somebody who only looks on may still send: nothing of it changes the crew's work.
READERS_POSTS = {
    "/sign-in", "/sign-in/code", "/sign-out", "/units", "/plan/units", "/plan/open", "/plan/preview", "/crew/switch",
    "/account/sessions/{session_id}/end", "/account/second-step", "/account/second-step/on",
    "/account/second-step/off", "/account/second-step/keep", "/account/password", "/account/sign-out-everywhere",
    "/account/recovery-code",
    "/invitation/{token}", "/mixes/{mix_id}/favourite",
    "/rules/{rule_id}/try", "/new-account", "/forgotten", "/reset/{token}", "/demo", "/demo/afresh",
    "/cure/calendar", "/cure/calendar/withdraw",
}  # fmt: skip
# Pages that lead only to what a reader may not do, or that only a lead reads.
# What a reader has no use for, or what there is nothing of yet.
NOT_HERE = {("GET", "/plan/quick"), ("GET", "/plan/quick/table"), ("GET", "/log/charts/{name}.csv")}
EDITING = {"/mixes/{mix_id}/own", "/yard/new/{kind}", "/crew/security"}


def a_load(client: Client) -> dict[str, str]:
    """A plan and a begun load of the client's crew, as path parameters."""
    saved = client.post("/plan", data={"title": "Bed", "mixer.working_l": "60"})
    plan_id = saved.headers["location"].split("/")[2]
    begun = client.post(f"/plan/{plan_id}/load/1/begin")
    load_id = begun.headers["location"].split("/")[2]
    running = loads.running_load(client.engine, client.visitor, UUID(load_id))
    placed = parse_event(raw_event("placed", client.clock.now, volume_l=1.0))
    assert running is not None
    assert isinstance(placed, Placed)
    with crew_session(client.engine, client.visitor.crew_id) as session:
        pours.note_placed(session, client.visitor, running, placed)
    account_id = str(client.visitor.account_id)
    scale = {"name": "scale", "capacity_kg": "30", "division_g": "5"}
    assert client.post("/yard/new/scale", data=scale).status_code == 303
    things = re.findall(r"/yard/own/([0-9a-f-]+)", client.get("/kit").text)
    own = client.post("/mixes/mortar-general/own", data={"name": "Wall mortar"})
    return {
        "mix_id": own.headers["location"].split("/")[2],
        "rule_id": "slab-volume",
        "version": "0badc0de",
        "stockpile_id": "building-sand",
        "plan_id": plan_id,
        "job_id": plan_id,
        "number": "1",
        "load_id": load_id,
        "event_id": str(running.events[0].id),
        "check": "edges-whole",
        "name": "ratio",
        "photo_id": photo_of(client, load_id),
        "import_id": an_import(client),
        "form": "csv",
        "account_id": account_id,
        "link_id": "0badc0de",
        "session_id": "0badc0de",
        "kind": "scale",
        "thing_id": things[0],
        "token": "guessed",
        "day": str(client.clock.now.date()),
    }


def photo_of(client: Client, load_id: str) -> str:
    out = BytesIO()
    Image.new("RGB", (40, 30)).save(out, "PNG")
    photos.keep(
        client.engine, client.visitor, UUID(load_id), None, read_photo(out.getvalue()), client.clock.now
    )
    (taken,) = photos.photos_of(client.engine, client.visitor, UUID(load_id))[None]
    return str(taken.id)


def an_import(client: Client) -> str:
    table = [["Day", "Job"], ["2026-03-01", "Kerb"]]
    return str(log_imports.begin(client.engine, client.visitor, "old.csv", table, client.clock.now))


def every_route() -> list[tuple[str, str]]:
    routes = [route for screen in SCREENS for route in screen.router.routes if isinstance(route, APIRoute)]
    return [(method, route.path) for route in routes for method in sorted(route.methods)]


def ask(client: Client, method: str, path: str) -> Response:
    body: dict[str, Any] = {"json": raw_event("note", text="mine")} if path.endswith("/events") else {}
    if path.endswith("/stockpile"):
        body = {"json": raw_event("rain")}
    return client.request(method, path, **body)


def test_no_address_is_taken_by_a_screen_that_stands_before_its_own(engine: Engine, clock: Clock) -> None:
    routes = [route for route in create_app(engine, clock).router.routes if isinstance(route, APIRoute)]
    assert len(routes) > 100
    for place, route in enumerate(routes):
        path = re.sub(r"\{\w+(:\w+)?\}", "a", route.path)
        for method in route.methods:
            scope = {"type": "http", "path": path, "method": method, "root_path": "", "headers": []}
            takers = [other.path for other in routes[:place] if other.matches(scope)[0] is Match.FULL]
            assert takers == [], (method, route.path)


def test_signed_out_reaches_nothing(engine: Engine, clock: Clock, client: Client) -> None:
    ids = a_load(client)
    stranger = Client(engine, clock, signed_in=False)
    stranger.headers.update({"Cookie": f"{STRANGER_COOKIE}=token", FORM_HEADER: masked("token")})
    for method, path in every_route():
        if (method, path) in QUICK_ROUTES:
            shown = ask(stranger, method, path.format(**ids)).text
            assert all(known not in shown for known in (ids["plan_id"], ids["load_id"], "Wall mortar")), path
        elif (method, path) not in OPEN_ROUTES:
            answer = ask(stranger, method, path.format(**ids))
            assert answer.status_code == (401 if path.endswith(("/events", "/stockpile")) else 303), path
            assert answer.headers.get("location", "/sign-in").startswith("/sign-in")


def test_another_crew_reaches_nothing(engine: Engine, clock: Clock, client: Client) -> None:
    ids = a_load(client)
    stranger = Client(engine, clock)
    for method, path in every_route():
        if "{" in path and not any(
            name in path for name in ("{rule_id}", "{stockpile_id}", "{kind}", "/day/{day}", "{form}")
        ):
            assert ask(stranger, method, path.format(**ids)).status_code == 404, path
    assert stranger.get(f"/plan?again={ids['plan_id']}").status_code == 404
    assert "Wall mortar" in client.get("/mixes").text
    for path in ("/mixes", "/plan", f"/mixes/compare?mix={ids['mix_id']}&mix=mortar-general"):
        assert "Wall mortar" not in stranger.get(path).text
    for path in ("/plan", "/log", "/log.csv", "/bench"):
        assert ids["load_id"] not in stranger.get(path).text
        assert ids["plan_id"] not in stranger.get(path).text
    assert client.get(f"/log/{ids['load_id']}").status_code == 200


def test_a_reader_changes_nothing(engine: Engine, clock: Clock, client: Client) -> None:
    ids = a_load(client)
    reader = Client(engine, clock)
    crews.join(engine, reader.visitor, crews.invite(engine, client.visitor, "reader", NOON), NOON)
    assert reader.post("/crew/switch", data={"crew_id": str(client.visitor.crew_id)}).status_code == 303
    for method, path in every_route():
        if path in EDITING:
            assert ask(reader, method, path.format(**ids)).status_code == 403, path
        elif method == "GET" and (method, path) not in {*OPEN_ROUTES, *NOT_HERE}:
            assert reader.get(path.format(**ids)).status_code in (200, 303), path
        if method == "POST" and path not in READERS_POSTS:
            assert ask(reader, method, path.format(**ids)).status_code == 403, path
    # Nor is a control shown that would be refused.
    card, bench = (f"/plan/{ids['plan_id']}/load/2", f"/bench/{ids['load_id']}")
    assert "Mix this load" in client.get(card).text
    assert "Mix this load" not in reader.get(card).text
    assert "data-event" in client.get(bench).text
    assert "data-event" not in reader.get(bench).text
    assert "Make mix cards" not in reader.get("/plan").text
    assert "Nothing added yet" in client.get(f"/log/{ids['load_id']}").text


def test_a_mixer_mixes_and_does_not_lead(engine: Engine, clock: Clock, client: Client) -> None:
    ids = a_load(client)
    mixer = Client(engine, clock)
    crews.join(engine, mixer.visitor, crews.invite(engine, client.visitor, "mixer", NOON), NOON)
    mixer.post("/crew/switch", data={"crew_id": str(client.visitor.crew_id)})
    assert ask(mixer, "POST", f"/bench/{ids['load_id']}/events").status_code == 200
    members = "/crew/members/{account_id}"
    for path in ("/crew/invitations", f"{members}/role", f"{members}/remove", "/crew/reset-links"):
        assert mixer.post(path.format(**ids), data={"role": "reader"}).status_code == 403


def test_a_form_from_elsewhere_changes_nothing(client: Client) -> None:
    for method, path in every_route():
        if method == "POST":
            for headers in ({FORM_HEADER: ""}, {FORM_HEADER: "guess"},
                            {FORM_HEADER: masked("guess")}, {"Sec-Fetch-Site": "cross-site"},
                            {"Origin": "http://elsewhere.example"}):  # fmt: skip
                names = (
                    "plan_id",
                    "job_id",
                    "number",
                    "load_id",
                    "event_id",
                    "import_id",
                    "form",
                    "photo_id",
                    "check",
                    "name",
                    "account_id",
                    "link_id",
                    "session_id",
                    "token",
                    "day",
                    "mix_id",
                    "rule_id",
                    "stockpile_id",
                    "thing_id",
                    "kind",
                )
                ids = dict.fromkeys(names, "1")
                answer = client.post(path.format(**ids), headers=headers)
                assert answer.status_code == 403, (path, headers)


def test_sign_in_sets_a_guarded_cookie_and_leads_only_home(
    engine: Engine, clock: Clock, client: Client
) -> None:
    browser = Client(engine, clock, signed_in=False)
    for away in (
        "//elsewhere.example",
        "/%5Celsewhere.example",
        "/%09/elsewhere.example",
        "http://elsewhere.example",
    ):
        first = browser.get(f"/sign-in?next={away}")
        assert 'name="next" value="/"' in first.text
    token = first.headers["set-cookie"].split("=")[1].split(";")[0]
    cookie = {"Cookie": f"{STRANGER_COOKIE}={token}"}
    form = {"form_token": masked(token), "name": client.visitor.name, "password": PASSWORD, "next": "/log"}
    wrong = browser.post("/sign-in", data={**form, "password": "wrong"}, headers=cookie)
    assert wrong.status_code == 401
    assert client.visitor.name in wrong.text
    right = browser.post("/sign-in", data=form, headers=cookie)
    assert (right.status_code, right.headers["location"]) == (303, "/log")
    session = right.headers["set-cookie"]
    assert session.startswith(SESSION_COOKIE)
    assert all(guard in session for guard in ("HttpOnly", "Secure", "SameSite=lax", "Path=/"))


def test_signing_out_ends_the_session(client: Client) -> None:
    assert client.post("/sign-out").status_code == 303
    assert client.get("/log").headers["location"].startswith("/sign-in")


@pytest.mark.parametrize(
    "path", ["/static/", "/static/vendor/", "/static/../app.py", "/static/%2e%2e/app.py"]
)
def test_files_are_answered_from_a_fixed_list(client: Client, path: str) -> None:
    assert client.get(path).status_code == 404


def test_every_answer_is_guarded(client: Client) -> None:
    for path in ("/plan", "/nothing-here", "/static/keeve.css", "/log.csv"):
        headers = client.get(path).headers
        policy = headers["content-security-policy"]
        assert "script-src 'self';" in policy
        assert "unsafe" not in policy
        assert headers["x-content-type-options"] == "nosniff"
        assert ("no-store" in headers.get("cache-control", "")) != path.startswith("/static/")


@pytest.mark.parametrize(
    "body",
    ["{", "[]", "NaN", '{"kind": NaN}', json.dumps(raw_event("note")).replace("note", "dance"), "1" * 5000],
)
def test_broken_events_get_a_sentence(client: Client, body: str) -> None:
    path = f"/bench/{a_load(client)['load_id']}/events"
    answer = client.post(path, content=body, headers={"Content-Type": "application/json"})
    assert answer.status_code == 422
    assert answer.json()["error"]["message"]


def test_where_a_certificate_is_used_a_browser_comes_by_no_other_way(engine: Engine, clock: Clock) -> None:
    for address, said in (("https://keeve.example.org", True), ("http://127.0.0.1", False)):
        browser = TestClient(create_app(engine, clock, address=address), base_url="http://127.0.0.1")
        assert ("strict-transport-security" in browser.get("/sign-in").headers) == said


def test_what_was_asked_of_the_database_stays_out_of_its_faults(engine: Engine) -> None:
    with pytest.raises(DBAPIError) as fault, engine.connect() as connection:
        connection.execute(text("select cast(:name as integer)"), {"name": "a secret"})
    assert "parameters hidden" in str(fault.value)


def test_the_log_as_csv(client: Client) -> None:
    a_load(client)
    lines = client.get("/log.csv").text.splitlines()
    assert lines[0].startswith("begun_at,job,load,mix")
    assert lines[1].split(",")[1:4] == ["Bed", "1", "Bricklaying mortar"]
