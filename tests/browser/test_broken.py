"""What breaks is said, and what can go on goes on: the server gone, the graphics lost, a study deleted."""

import contextlib
import json
import os
import re
import signal
import urllib.request

from playwright.sync_api import expect

from pamble.core.exchange.step import write_step
from pamble.demo import demo_faces
from tests.browser.steps import line_of
from tests.server.test_live import children
from tests.server.test_work import worker_of


def test_a_step_in_work_outlives_other_changes_and_another_stage(desk):
    page = desk.page
    page.keyboard.press("b")
    desk.button("Crown, v end").click()
    desk.button("Flank, v start").click()
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
    desk.button("Hide Flank").click()
    desk.stored(1)
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
    desk.button("Check").click()
    expect(page.get_by_label("Card of Blend")).to_be_visible()
    page.keyboard.press("Enter")
    expect(line_of(page, "Blend")).to_be_visible()


def test_a_lost_connection_is_told_with_what_is_not_stored_and_comes_back(desk):
    page = desk.page
    page.keyboard.press("b")
    desk.button("Crown, v end").click()
    desk.button("Flank, v start").click()
    expect(desk.row("Blend · Crown")).to_be_visible()
    page.context.set_offline(True)
    page.evaluate("pambleDrop()")
    expect(page.get_by_role("alert").filter(has_text="cannot be reached")).to_contain_text(
        "“Blend”, in work, is not yet"
    )
    expect(page.get_by_text("not connected")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_text("There is no connection to the server at the moment").first).to_be_visible()
    expect(page.get_by_label("Card of Blend")).to_be_visible()
    page.context.set_offline(False)
    desk.stored(0)
    page.keyboard.press("Enter")
    desk.stored(1)
    expect(line_of(page, "Blend")).to_be_visible()


def test_a_file_that_waits_for_its_worker_is_told_of_and_stopped(desk, pamble, tmp_path):
    page, worker = desk.page, worker_of(pamble)
    write_step(demo_faces("mirror-cap"), tmp_path / "cap.step")
    os.kill(worker, signal.SIGSTOP)
    try:
        page.locator("input[aria-label='STEP file']").set_input_files(tmp_path / "cap.step")
        told = page.get_by_role("status", name="Work in progress")
        expect(told).to_contain_text("Reading cap.step")
        told.get_by_role("button", name="Stop").click()
        expect(page.get_by_text("Stopped. Nothing was changed.")).to_be_visible()
        expect(told).to_have_count(0)
    finally:
        os.kill(worker, signal.SIGCONT)
    page.locator("input[aria-label='STEP file']").set_input_files(tmp_path / "cap.step")
    expect(line_of(page, "Crown 2")).to_be_visible()
    desk.stored(1)


def test_lost_graphics_are_told_and_come_back(desk):
    page = desk.page
    page.evaluate(
        """() => { const gl = document.querySelector('.part-canvas').getContext('webgl2');
        window.lost = gl.getExtension('WEBGL_lose_context'); window.lost.loseContext(); }"""
    )
    told = page.get_by_role("alert").filter(has_text="The part cannot be drawn")
    expect(told).to_contain_text("Nothing is lost")
    line_of(page, "Crown").click()
    expect(page.get_by_label("Card of Crown")).to_be_visible()
    page.evaluate("window.lost.restoreContext()")
    expect(told).to_have_count(0)


def test_a_study_that_is_deleted_elsewhere_is_told_once_and_leads_back(desk, pamble):
    page = desk.page
    request = urllib.request.Request(f"{pamble.url}/api/studies/{desk.url.rsplit('/', 1)[1]}", method="DELETE")
    urllib.request.urlopen(request)
    page.reload()
    told = page.get_by_role("alert")
    expect(told).to_contain_text("This study is no longer there")
    told.get_by_role("button", name="All studies").click()
    expect(page.get_by_role("heading", name="Studies")).to_be_visible()
    assert json.loads(urllib.request.urlopen(f"{pamble.url}/api/health").read())["status"] == "ok"


def test_a_kernel_that_dies_in_the_middle_of_a_drag_comes_back_and_the_next_change_is_stored(desk, pamble):
    page = desk.page
    desk.blend()
    line_of(page, "Crown").click()
    page.keyboard.press("c")
    start = desk.centre(desk.button("CV 3, 3 of Crown"))
    desk.drag(start, (0, -20), release=False)
    for kernel in [pid for child in children(pamble.process.pid) for pid in children(child)]:
        with contextlib.suppress(ProcessLookupError):  # one that has ended by itself meanwhile
            os.kill(kernel, signal.SIGKILL)
    page.mouse.move(start[0], start[1] - 30, steps=4)
    page.wait_for_timeout(1500)
    page.mouse.move(start[0], start[1] - 40, steps=4)
    page.mouse.up()
    page.wait_for_timeout(1500)
    # Whether that change came before or after: the part stands, and the next one is stored.
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
    before = page.get_by_text(re.compile(r"step \d+ · stored")).inner_text()
    desk.button("Hide Flank").click()
    expect(page.get_by_text(re.compile(r"step \d+ · stored"))).not_to_have_text(before)
    page.reload()
    expect(page.get_by_role("button", name="Show Flank")).to_be_visible()
