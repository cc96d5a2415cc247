"""Tokens made and taken back on the page."""

import urllib.request
from urllib.error import HTTPError

import pytest
from playwright.sync_api import Page, expect

from conftest import House

pytestmark = pytest.mark.e2e


def status(house: House, token: str) -> int:
    asked = urllib.request.Request(f"{house.address}/api/v1/clips", headers={"Authorization": f"Bearer {token}"})
    try:
        return int(urllib.request.urlopen(asked, timeout=30).status)
    except HTTPError as error:
        return error.code


def test_a_token_is_shown_once_lets_in_and_is_taken_back(page: Page, house: House) -> None:
    page.goto("/footage")
    page.get_by_role("link", name="Scripts").click()
    long = "night queue of the large machine in the cellar, which has a very long name"
    page.get_by_label("A token for").fill(long)
    page.keyboard.press("Enter")
    token = page.locator("#made").inner_text()
    assert status(house, token) == 200
    page.get_by_label("A token for").fill(long)
    page.get_by_role("button", name="Make it").click()
    expect(page.locator("#says")).to_contain_text("There is a token called")
    page.reload()
    expect(page.locator("#made")).to_have_count(0)
    row = page.locator("#list li").filter(has_text=long)
    expect(row).to_contain_text("last used")
    page.on("dialog", lambda dialog: dialog.accept())
    row.get_by_role("button", name="Take back").click()
    expect(row).to_have_count(0)
    assert status(house, token) == 401
