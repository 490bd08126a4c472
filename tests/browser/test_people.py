"""A Pamble reached from other machines: sign in, share a study by link, look at it without an account."""

import re

import pytest
from playwright.sync_api import expect

from tests.conftest import RunningPamble, peopled


@pytest.fixture
def reached():
    running = RunningPamble(False, "--host", "0.0.0.0", "--no-demo")
    peopled(running.folder, {name: f"the password of {name}" for name in ("olive", "bay")})
    running.start()
    yield running
    running.close()


def test_one_signs_in_makes_a_study_shares_it_and_others_look_at_it(page, browser, reached):
    page.goto(reached.url)
    page.get_by_role("textbox", name="Name").fill("bay")
    page.get_by_role("textbox", name="Password").fill("not the password")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not go together")
    page.get_by_role("textbox", name="Password").fill("the password of bay")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("No study yet")).to_be_visible()
    page.get_by_label("Name of the new study").fill("Ewer")
    page.get_by_role("button", name="New study").click()
    expect(page.get_by_text("step 0 · stored")).to_be_visible()
    page.get_by_label("Pamble, all studies").click()
    page.get_by_label("Share Ewer").click()
    page.get_by_label("Name of a guest").fill("fern")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("There is no account fern")
    page.get_by_label("Name of a guest").fill("olive")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_label("Close it to olive")).to_be_visible()
    page.get_by_role("button", name="Make a link").click()
    link = page.get_by_label("The link").input_value()

    other = browser.new_context(viewport={"width": 1280, "height": 800})
    passer = other.new_page()
    passer.goto(link)
    expect(passer.get_by_text("look only")).to_be_visible()
    passer.get_by_text("Ewer").click()
    passer.get_by_label("Name of the study").fill("Mine")
    passer.keyboard.press("Enter")
    expect(passer.get_by_text("You may look at this study, and not change it.")).to_be_visible()
    page.get_by_role("button", name="Take it back").click()
    expect(page.get_by_role("button", name="Make a link")).to_be_visible()
    passer.reload()
    expect(passer.get_by_role("heading", name="Sign in")).to_be_visible()
    other.close()

    page.keyboard.press("Escape")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    page.goto(re.sub("/$", "", reached.url))
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
