"""
Errands with recipients: from a sample of theirs to a file that arrived, and a link opened by somebody without sign-in.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote

import pytest
from playwright.sync_api import Browser, Page, expect

from bouquet.demo.post_room import Room, StandIn, sftp_stand_in, webhook_stand_in
from tests.browser.conftest import House, enter

pytestmark = [pytest.mark.browser, pytest.mark.thorough]


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[tuple[Room, StandIn]]:
    room = Room(tmp_path / "room")
    made = webhook_stand_in(room, "")
    yield room, made
    made.stop()


@pytest.fixture
def keeper(browser: Browser, house: House) -> Iterator[Page]:
    """Marta, signed in."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, locale="en-GB")
    context.set_default_timeout(30_000)
    page = context.new_page()
    enter(page, house, "marta@marrowby.example", "oak-before-ash")
    yield page
    context.close()


def add_way(page: Page, kind: str, name: str, **fields: str) -> None:
    page.get_by_role("link", name="Set-up").click()
    page.get_by_role("link", name="Ways out").click()
    add = page.get_by_role("button", name="Add a way out")
    add.or_(page.get_by_label("By", exact=True)).first.wait_for()
    if add.is_visible():
        add.click()
    page.get_by_label("By", exact=True).select_option(label=kind)
    page.get_by_label("Call it").fill(name)
    for label, text in fields.items():
        page.get_by_label(label.replace("_", " ")).fill(text)


def send(page: Page, template: str, recipient: str) -> None:
    """Set a round that waits to be called for a template and a recipient, and call it."""
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("button", name="New round").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Template").select_option(label=template)
    dialog.get_by_label("It runs").select_option(label="when it is called")
    dialog.get_by_label(recipient, exact=True).check()
    dialog.get_by_role("button", name="Set this round").click()
    expect(dialog).to_be_hidden()
    line = page.locator(".fortnight tr", has_text=recipient)
    line.get_by_role("button", name=f"More for {template}").click()
    page.get_by_role("button", name="Call now").click()


def test_from_a_sample_of_theirs_to_a_file_that_arrived(keeper: Page, desk: tuple[Room, StandIn]) -> None:
    """A layout, two missing columns of which one is filled on the bench and one is not asked for, a round, the file."""
    page, (room, stand_in) = keeper, desk
    url = stand_in.settings["url"]
    add_way(page, "A program (webhook)", "Desk", Address=url, Networks_inside_this_house="127.0.0.0/8")
    page.get_by_role("button", name="Try it").click()
    expect(page.locator(".source-steps")).to_contain_text("it answered 204")
    page.get_by_role("button", name="Keep it").click()
    expect(page.locator("table.board")).to_contain_text("Desk")

    page.get_by_role("link", name="Recipients", exact=True).click()
    page.get_by_role("button", name="New recipient").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name", exact=True).fill("Order Desk")
    dialog.get_by_label("It goes by").select_option(label="Desk (a program (webhook))")
    dialog.get_by_role("button", name="Layout from a sample").click()
    dialog.get_by_label("Their header row").fill("ORDER;TREE_NO;PRIORITY;CLOSED\nWO-1;T-7;2;2026-11-02")
    dialog.get_by_role("button", name="Take these columns").click()
    expect(dialog.get_by_label("Heading")).to_have_count(4)
    dialog.get_by_label("Kind of CLOSED").select_option("any")
    dialog.get_by_label("Kind of PRIORITY").select_option("any")
    dialog.get_by_role("button", name="Add", exact=True).click()
    page.get_by_role("heading", name="Order Desk").wait_for()
    page.get_by_label("Held against").select_option(label="Work orders closed this week")
    expect(page.get_by_label("Their layout")).to_contain_text("3 of 4 columns are met, 1 missing")
    page.get_by_role("link", name="Fill what is missing").click()

    page.get_by_role("button", name="Hold it against a recipient").click()
    dialog.get_by_label("Recipient").select_option(label="Order Desk")
    dialog.locator("tr", has_text="PRIORITY").get_by_role("button").first.click()
    expect(dialog).to_contain_text("Order Desk takes a CSV")
    expect(dialog.locator("tr", has_text="PRIORITY").locator(".tag")).to_have_text("wrong place")
    page.keyboard.press("Escape")
    expect(page.locator(".outcome")).to_contain_text("all 4 columns are met")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_role("dialog")).to_be_hidden()

    send(page, "Work orders closed this week", "Order Desk")
    page.get_by_role("link", name="Recipients", exact=True).click()
    page.get_by_role("link", name="Order Desk").click()
    expect(page.locator(".deliveries")).to_contain_text("arrived", timeout=40_000)
    page.get_by_role("link", name="Rounds", exact=True).click()
    page.locator(".fortnight tr", has_text="Order Desk").get_by_role("link").first.click()
    expect(page.get_by_label("What came of it").get_by_role("row")).to_have_count(2)
    (arrival,) = room.arrivals
    first = next(csv.reader(io.StringIO(arrival.beginning), delimiter=";"))
    assert first == ["ORDER", "TREE_NO", "PRIORITY", "CLOSED"]


@pytest.fixture
def drop(tmp_path: Path) -> Iterator[tuple[Room, StandIn]]:
    room = Room(tmp_path / "drop")
    made = sftp_stand_in(room, "paper-and-ink")
    yield room, made
    made.stop()


@pytest.mark.thorough
def test_a_server_that_breaks_off_is_tried_again_until_the_file_is_there(
    keeper: Page, drop: tuple[Room, StandIn]
) -> None:
    """The server's key is pinned while the way is tried; the recipient's page says what went wrong, and that it went."""
    page, (room, stand_in) = keeper, drop
    at = stand_in.settings
    add_way(page, "SFTP", "Drop", Host=at["host"], Port=str(at["port"]), User=at["user"])
    page.get_by_label("Password, or private key").fill("paper-and-ink")
    page.get_by_label("Networks inside this house").fill("127.0.0.0/8")
    page.get_by_role("button", name="Try it").click()
    page.get_by_role("button", name="This is their key; pin it").click()
    page.get_by_role("button", name="Try again").click()
    expect(page.locator(".source-steps")).to_contain_text("sign in")
    page.get_by_role("button", name="Keep it").click()
    page.get_by_role("link", name="Recipients", exact=True).click()
    page.get_by_role("button", name="New recipient").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name", exact=True).fill("Paper Desk")
    dialog.get_by_label("It goes by").select_option(label="Drop (sftp)")
    dialog.get_by_role("button", name="Add", exact=True).click()
    page.get_by_role("heading", name="Paper Desk").wait_for()

    room.tell("sftp", "cut", 1)
    send(page, "Work orders closed this week", "Paper Desk")
    page.get_by_role("link", name="Recipients", exact=True).click()
    page.get_by_role("link", name="Paper Desk").click()
    expect(page.locator(".deliveries")).to_contain_text("trying again", timeout=40_000)
    expect(page.locator(".deliveries")).to_contain_text("arrived", timeout=60_000)
    assert [a.name.endswith(".csv") for a in room.arrivals] == [True]


#: Three of the contractors are nobody's recipients.
WITHOUT = 3


def add_contractors(page: Page) -> list[str]:
    """A recipient for each contractor but a few, added by a program; the names of all, those without first."""
    return list(
        page.evaluate(
            """async (without) => {
              const ask = async (path, body) => {
                const answer = await fetch("/api/v1" + path, body && {
                  method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body),
                });
                if (!answer.ok) throw new Error(path + " " + (await answer.text()));
                return answer.json();
              };
              const means = (await ask("/means")).find((m) => m.name === "Billing desk");
              const list = await ask("/templates");
              const billing = list.find((t) => t.name === "Contractor billing lines");
              const { document } = await ask("/templates/" + billing.id);
              const columns = [document.columns.find((c) => c.id === "c3")];
              const rows = { per: "group", by: [{ path: columns[0].value.field }] };
              const look = await ask("/design/look", {
                document: { ...document, columns, rows, order: [], checks: [], output: {} }, limit: 200,
              });
              const names = look.rows.map((row) => row[0]);
              for (const [n, name] of names.slice(without).entries())
                await ask("/recipients", {
                  name: `Office ${n}`, means_id: means.id, address: { path: encodeURIComponent(name) },
                  acceptance: { personal: true, facts: { contractor: name }, csv: { separator: ";" } },
                });
              return names;
            }""",
            WITHOUT,
        )
    )


def test_each_contractor_gets_their_own_lines_and_nobody_anothers(keeper: Page, desk: tuple[Room, StandIn]) -> None:
    """Before it is set the round says how many have a recipient, and who has none; what is nobody's is kept."""
    page, (room, stand_in) = keeper, desk
    url = stand_in.settings["url"]
    add_way(page, "A program (webhook)", "Billing desk", Address=url, Networks_inside_this_house="127.0.0.0/8")
    page.get_by_role("button", name="Keep it").click()
    expect(page.locator("table.board")).to_contain_text("Billing desk")
    names = add_contractors(page)

    page.get_by_role("link", name="Rounds", exact=True).click()
    page.get_by_role("button", name="New round").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Template").select_option(label="Contractor billing lines")
    dialog.get_by_label("It runs").select_option(label="when it is called")
    dialog.get_by_label("Whether each gets their own part").select_option(
        label="each gets the part with their contractor"
    )
    dialog.get_by_label("What becomes of parts that nobody receives").select_option("keep")
    expect(dialog).to_contain_text(f"{len(names)} parts now: {len(names) - WITHOUT} have a recipient, none has")
    for name in names[:WITHOUT]:
        expect(dialog).to_contain_text(name)
    dialog.get_by_role("button", name="Set this round").click()
    expect(dialog).to_be_hidden()
    line = page.locator(".fortnight tr", has_text="each their own part, by contractor")
    line.get_by_role("button", name="More for Contractor billing lines").click()
    page.get_by_role("button", name="Call now").click()
    page.get_by_role("link", name="Runs", exact=True).click()
    # Not the one that waits there already: the page may be faster than the run.
    row = page.locator("table.board tbody tr", has_text="called by Marta Lindqvist").first
    expect(row).to_contain_text("waiting for review", timeout=60_000)
    row.get_by_role("link", name="Contractor billing lines").click()
    page.get_by_role("button", name="Release").click()
    dialog.get_by_label("Why").fill("three months, as they asked")
    dialog.get_by_role("button", name="Release it").click()
    page.get_by_role("link", name="Runs", exact=True).click()
    expect(row).to_contain_text(f"arrived with {len(names) - WITHOUT} of {len(names) - WITHOUT}", timeout=60_000)

    got = {}
    for arrival in room.arrivals:
        heading, *lines = csv.reader(io.StringIO(arrival.beginning), delimiter=";")
        whole = [line for line in lines if len(line) == len(heading)]
        got[unquote(unquote(arrival.facts["target"].rpartition("/")[2]))] = {
            w[heading.index("Contractor")] for w in whole
        }
    assert got == {name: {name} for name in names[WITHOUT:]}


def test_a_link_is_opened_on_a_phone_by_somebody_who_never_signs_in(
    keeper: Page, browser: Browser, tmp_path: Path
) -> None:
    page = keeper
    add_way(page, "A link", "Links")
    page.get_by_role("button", name="Keep it").click()
    page.get_by_role("link", name="Recipients", exact=True).click()
    page.get_by_role("button", name="New recipient").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name", exact=True).fill("Hollin Tree Care")
    dialog.get_by_label("It goes by").select_option(label="Links (a link)")
    dialog.get_by_label("Passphrase that is asked for").fill("oak & ash")
    dialog.get_by_label("May receive personal data").check()
    dialog.get_by_role("button", name="Add", exact=True).click()
    page.get_by_role("heading", name="Hollin Tree Care").wait_for()
    send(page, "Planting season plan", "Hollin Tree Care")
    page.get_by_role("link", name="Recipients", exact=True).click()
    page.get_by_role("link", name="Hollin Tree Care").click()
    page.get_by_role("button", name="Show the link").click(timeout=40_000)
    address = page.get_by_label("The link").input_value()

    phone = browser.new_context(viewport={"width": 390, "height": 844}, is_mobile=True, accept_downloads=True)
    theirs = phone.new_page()
    theirs.goto(address)
    assert "Planting" not in theirs.content()
    theirs.get_by_label("Passphrase").fill("oak & ash")
    theirs.get_by_role("button", name="Show the files").click()
    theirs.get_by_role("heading", name="Planting season plan").wait_for()
    assert theirs.evaluate("document.documentElement.scrollWidth") <= 390
    with theirs.expect_download() as download:
        theirs.get_by_role("button", name="Fetch").click()
    assert download.value.suggested_filename.endswith(".xlsx")
    assert (size := Path(download.value.path()).stat().st_size) > 1_000, size
    phone.close()
    expect(page.locator(".deliveries")).to_contain_text("arrived", timeout=40_000)
