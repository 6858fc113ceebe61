"""The stockpile on the pages: six loads of a drying stockpile on the bench, and the yard by taps."""

import re
from itertools import count
from uuid import UUID

from helpers import job, raw_event
from playwright.sync_api import Browser, expect
from sqlalchemy import Engine

from keeve.core.loads.running_load import RunningLoad
from keeve.data import loads, plans
from web.conftest import Client, Clock, visiting
from web.walking import name_job, pick, unfold


class Shift:
    """Somebody mixes the loads of one plan, each with the water its sand truly takes."""

    def __init__(self, client: Client, engine: Engine, clock: Clock) -> None:
        self.client, self.engine, self.clock = client, engine, clock
        job_of_six = job(need={"volume_m3": 0.34}, mixer={"kind": "tilting-drum", "working_l": 66})
        self.plan_id = plans.save_plan(engine, client.visitor, job_of_six)
        self.sequence = count(1)

    def do(self, load_id: UUID, kind: str, minutes: float = 1.0, **what: object) -> RunningLoad:
        self.clock.turn(minutes)
        event = raw_event(kind, self.clock.now, device_seq=next(self.sequence), **what)
        assert self.client.post(f"/bench/{load_id}/events", json=event).status_code == 200
        return self.at(load_id)

    def at(self, load_id: UUID) -> RunningLoad:
        running = loads.running_load(self.engine, self.client.visitor, load_id)
        assert running is not None
        return running

    def begin(self, number: int) -> UUID:
        load_id = loads.begin_load(self.engine, self.client.visitor, self.plan_id, number, self.clock.now)
        assert load_id is not None
        if number == 1:
            self.do(load_id, "accepted")
        return load_id

    def mix(self, load_id: UUID, dry_share: float) -> None:
        """To judged right with what a stockpile takes that holds that much less water than planned, and placed."""
        running = self.at(load_id)
        needs_l = running.load.water.target_l + dry_share * running.load.charge("sand").dry_kg
        while (now := running.situation(self.clock.now)).act not in ("judge", "place"):
            assert now.step
            what: dict[str, object] = {"step": now.step.plan.step}
            if now.act == "water":
                running = self.do(load_id, "water_added", **what, water_l=now.step.water_l)
            elif now.act == "charge":
                charged = {"material": now.step.plan.material, "mass_kg": now.step.mass_kg}
                running = self.do(load_id, "charged", **what, **charged)
            else:
                running = self.do(load_id, "mixed", now.step.plan.minutes[0], **what)
        while (short_l := needs_l - running.state.water_l) > 0.2:
            self.do(load_id, "judged", reading="too-dry")
            self.do(load_id, "water_added", water_l=short_l)
            running = self.do(load_id, "mixed", 2)
        self.do(load_id, "judged", reading="right")
        self.do(load_id, "placed", volume_l=running.situation(self.clock.now).remaining_l)


def test_six_loads_of_a_drying_stockpile_on_the_bench(client: Client, engine: Engine, clock: Clock) -> None:
    shift = Shift(client, engine, clock)
    offered, pages = [], []
    for number in range(6):
        load_id = shift.begin(number + 1)
        pages.append(client.get(f"/bench/{load_id}").text)
        found = re.search(r"About\s+(?:<[^>]+>)*([\d.]+).{1,40}in total", pages[-1])
        offered.append(float(found[1]) if found else None)
        shift.mix(load_id, dry_share=0.003 * number - 0.012)
        clock.turn(5)
    assert offered[0] is None
    later = [figure for figure in offered[1:] if figure is not None]
    assert len(later) == 5
    assert later == sorted(later)
    assert later[-1] > later[0] + 0.5
    assert "The pile is drying: " in pages[-1]
    assert "The last load took" in pages[-1]
    assert "<svg" in client.get(f"/bench/{load_id}/stockpile-chart").text
    yard = client.get("/yard").text
    assert yard.count("The pile is drying: ") == 1


def test_another_moisture_than_before_is_asked_about_at_the_bench(
    client: Client, engine: Engine, clock: Clock
) -> None:
    """Four loads say 5 %; the next job was typed 12 %: it asks before the water, and goes by the answer."""
    shift = Shift(client, engine, clock)
    for number in range(4):
        shift.mix(shift.begin(number + 1), dry_share=-0.01)
        clock.turn(5)
    wet = job(materials={"sand": {"moisture_fraction": 0.12}, "cement": {"bag_kg": 25}})
    shift.plan_id = plans.save_plan(engine, client.visitor, wet)
    load_id = shift.begin(1)

    def page() -> str:
        return client.get(f"/bench/{load_id}").text

    asked = page()
    assert "Same pile as before?" in asked
    start_l = shift.at(load_id).situation(clock.now).window.start_l
    event = raw_event("pile", clock.now, plan_id=str(shift.plan_id), is_same=True)
    answer = client.post(f"/bench/{load_id}/stockpile", json=event)
    assert answer.status_code == 200
    assert "Same pile as before?" not in answer.text
    assert shift.at(load_id).situation(clock.now).window.start_l > start_l + 1
    assert "Same pile as before" in client.get("/yard").text


def test_the_yard_by_taps(browser: Browser, engine: Engine, origin: str, clock: Clock) -> None:
    with visiting(browser, engine, origin, viewport={"width": 390, "height": 800}) as visit:
        page = visit.page
        visit.sign_in()
        name_job(page, "Sill bed")
        page.get_by_role("button", name="Make mix cards").click()
        page.get_by_role("link", name="Our kit").click()
        expect(page.get_by_text("No loads judged and no pan test yet")).to_be_visible()
        visit.check()
        page.locator("summary", has_text="Update").first.click()
        page.get_by_role("button", name="It rained").click()
        expect(page.locator(".stockpile-events li")).to_have_count(1)
        page.locator("summary", has_text="Update").first.click()
        page.locator("summary", has_text="Pan test").click()
        for label, figure in (
            ("Damp, with its pan", "1.0"),
            ("Dried, with its pan", "1.1"),
            ("Pan alone", "0.1"),
        ):
            page.get_by_label(label).first.fill(figure)
        page.get_by_role("button", name="Save").locator("visible=true").click()
        expect(page.get_by_role("alert")).to_be_visible()
        expect(page.get_by_label("Damp, with its pan").first).to_have_value("1.0")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        page.get_by_label("Damp, with its pan").first.fill("1.16")
        page.get_by_role("button", name="Save").locator("visible=true").click()
        expect(page.get_by_text("Pan test: 6.0\u202f% total")).to_be_visible()
        visit.check()
        page.locator("summary", has_text="Update").first.click()
        page.locator("summary", has_text="Bulking test").click()
        page.get_by_label("Height damp").first.fill("150")
        page.get_by_label("Height flooded and settled").first.fill("125")
        page.get_by_role("button", name="Save").locator("visible=true").click()
        expect(page.get_by_text("Bulks by 20\u202f%")).to_be_visible()
        page.locator("summary", has_text="Update").first.click()
        page.get_by_role("button", name="Cover", exact=True).first.click()
        expect(page.locator(".stockpile-events li")).to_have_count(4)
        page.locator("summary", has_text="Update").first.click()
        page.locator("summary", has_text="Enter moisture").click()
        visit.check()
        page.get_by_role("button", name="Wet, about 7\u202f%").first.click()
        expect(page.get_by_text("Hand test: wet, about 7\u202f%")).to_be_visible()
        page.locator("summary", has_text="Update").first.click()
        page.locator("summary", has_text="Jar test").click()
        visit.check()
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
        page.get_by_role("button", name="Cloudy").click()
        expect(page.get_by_text("Use another sand, or have it tested.")).to_be_visible()
        page.get_by_role("button", name="Undo").first.click()
        expect(page.locator(".stockpile-events li")).to_have_count(5)


def test_what_we_own_is_written_down_and_begins_a_job(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, viewport={"width": 1280, "height": 800}) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("link", name="Our kit").click()
        page.get_by_role("link", name="Mixers, buckets, scales").click()
        page.get_by_role("link", name="Add bucket").click()
        page.get_by_label("Name", exact=True).fill("quay bucket")
        page.get_by_label("Or weight, filled with water").fill("6 lb")
        page.get_by_label("Empty weight").fill("3")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("Weigh both again")).to_be_visible()
        expect(page.get_by_label("Or weight, filled with water")).to_have_value("6 lb")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        page.get_by_label("Or weight, filled with water").fill("12.7")
        page.get_by_label("Empty weight").fill("0.7")
        visit.check()
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_role("link", name="Quay bucket")).to_be_visible()
        visit.check()
        page.get_by_role("link", name="Plan", exact=True).click()
        expect(page.locator(".result")).to_contain_text("quay buckets")
        expect(page.locator("summary", has_text="Your buckets")).to_contain_text("quay bucket")
        pick(page, "need.0.kind", "floor")
        page.get_by_role("button", name="Add room").click()
        page.get_by_label("Length", exact=True).nth(1).fill("8' 6\"")
        page.get_by_role("button", name="Add another").click()
        expect(page.get_by_role("group", name="Item 2")).to_be_visible()
        pick(page, "need.1.kind", "coat")
        if (line := page.locator(".bar-words")).is_visible():
            line.click()
        expect(page.locator(".sketches figure")).to_have_count(2)
        expect(page.locator(".sketches")).to_contain_text("to coat")
        visit.check()
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
        page.get_by_role("button", name="Make mix cards").click()
        page.wait_for_url("**/load/1")
        card = page.url
        page.get_by_role("button", name="Mix this load").click()
        expect(page.locator("#act-title")).to_be_visible()
        page.goto(card)
        page.get_by_role("link", name="Close out job").click()
        expect(page.get_by_text("Nothing placed yet")).to_be_visible()
        visit.check()


def test_a_slip_is_mended_by_one_tap(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, viewport={"width": 1280, "height": 800}) as visit:
        page = visit.page
        visit.sign_in()
        thickness = page.get_by_label("Thickness", exact=True)
        thickness.fill("400")
        page.get_by_role("button", name="Thickness: 40 mm").click()
        expect(thickness).to_have_value("40")
        expect(page.get_by_text("thicker than")).to_have_count(0)
        unfold(page, "Site check")
        page.get_by_label("Cement: printed on the bag").select_option("masonry mortar")
        # A hazard is not tapped away: what to fetch is said.
        expect(page.get_by_text("Get a bag of cement")).to_be_visible()
        expect(page.get_by_role("button", name="Cement: printed on the bag")).to_have_count(0)
        visit.check()
        page.get_by_label("Cement: printed on the bag").select_option("cement")
        # A size that makes thousands of loads is refused; the tap stands beside its field.
        page.get_by_label("Length", exact=True).fill("300")
        page.get_by_label("Width", exact=True).fill("250")
        page.get_by_role("button", name="Length: 3 m").last.click()
        expect(page.get_by_label("Length", exact=True)).to_have_value("3")
        page.get_by_role("button", name="Width: 2.5 m").first.click()
        expect(page.locator(".figure-of-merit")).to_contain_text("4 loads")
        # Sent as it is, the refusal comes back with its tap.
        page.get_by_label("Length", exact=True).fill("30000")
        page.get_by_role("button", name="Make mix cards").click()
        page.wait_for_url("**/plan")
        page.locator("[data-field='need.0.length_m']").get_by_role("button", name="Length: 30 m").click()
        expect(page.locator(".figure-of-merit")).to_contain_text("37 loads")
        visit.wrong.clear()  # the browser notes the refusal's status, 422


def test_where_it_is_dug_and_what_a_laboratory_reports(client: Client, engine: Engine, clock: Clock) -> None:
    plans.save_plan(engine, client.visitor, job())
    given = {"id": str(UUID(int=1)), "kind": "report", "report_number": "S 12", "fines_fraction": "6"}
    wrong = {**given, "fines_fraction": "", "fineness_modulus": "fine"}
    refused = client.post("/yard/building-sand", data=wrong)
    assert refused.status_code == 422
    assert re.search(r'value="fine"\s+aria-invalid="true"', refused.text)
    assert 'value="S 12"' in refused.text
    assert client.post("/yard/building-sand", data=given).status_code == 303
    dug = {"id": str(UUID(int=2)), "kind": "dug", "part": "bottom"}
    assert client.post("/yard/building-sand", data=dug).status_code == 303
    page = client.get("/yard").text
    assert "Lab report S 12" in page
    assert "for concrete use another sand" in page
    assert page.count("Digging from the bottom") >= 2
    assert client.post("/yard/building-sand", data={**dug, "part": "side"}).status_code == 422
