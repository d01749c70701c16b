"""
Design without training: the errands of people who never read a manual, and one of them without the mouse.
"""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.acts import Query, file_of, pick_narrowing
from tests.browser.conftest import House
from tests.browser.test_errands import add_by_search, heading, headings, new_template, wait_for_rows

pytestmark = pytest.mark.browser


HEADER = (
    "TREE_REF;SPECIES_LATIN;GIRTH_MM;INSP_DATE;INSPECTOR;WARD_CODE;LAT;LON;RISK_CODE;AUTHORITY_ID;CLIMBED;REMARKS\n"
    "MB-04417;Tilia cordata;6750;22/11/2026;O. Vale;07;51.22071;-1.04130;L;;Y;none"
)

STANDING = "deleted_at IS NULL AND t_st = 'S'"

#: Inspections of the last thirty days, today not among them.
RECENT = "i_on >= (now() AT TIME ZONE 'Europe/London')::date - 30 AND i_on < (now() AT TIME ZONE 'Europe/London')::date"


def test_from_a_header_row_to_a_run(page: Page, query: Query) -> None:
    """(a) Twelve names are pasted, matched, checked, the open ones filled; the run's file has exactly these headings."""
    page.get_by_role("link", name="Start from a header row").click()
    page.get_by_label("One row per").select_option("inspection")
    page.get_by_label("Header row").fill(HEADER)
    rows = page.locator(".match-table tbody tr")
    expect(rows).to_have_count(12)
    expect(rows.nth(0)).to_contain_text("Tree › Tag")
    expect(rows.nth(3)).to_contain_text("written dd/MM/yyyy")
    rows.nth(9).click()
    expect(rows.nth(9)).to_contain_text("open")
    page.get_by_role("button", name="one fixed text").click()
    page.get_by_label("The fixed text").fill("A-7")
    rows.nth(2).focus()
    page.keyboard.press("Space")
    expect(rows.nth(2)).to_contain_text("sure")
    page.get_by_role("button", name=re.compile("To the bench with 12")).click()
    expect(page.locator(".sheet thead .head-pick")).to_have_count(12)
    page.get_by_role("tab", name="File").click()
    page.get_by_label("Separator", exact=True).select_option(";")
    page.get_by_role("button", name="Run", exact=True).click()
    with page.expect_download() as downloading:
        page.locator(".outcome").get_by_role("link", name="Download").click()
    content = Path(downloading.value.path()).read_text(encoding="utf-8")
    table = list(csv.reader(io.StringIO(content, newline=""), delimiter=";"))

    assert table[0] == HEADER.split("\n")[0].split(";")
    ((expected,),) = query("SELECT count(*) FROM inspection")
    assert len(table) - 1 == expected
    ((tag, girth, day),) = query(
        "SELECT t_tag, round(t_girth * 10)::text, to_char(i_on, 'DD/MM/YYYY') FROM inspection i JOIN tree t"
        " ON t.t_id = i.t_id WHERE t_girth IS NOT NULL ORDER BY i_id LIMIT 1"
    )
    found = next(r for r in table[1:] if r[0] == tag and r[3] == day)
    assert found[2].split(".")[0] == girth
    assert found[9] == "A-7"


def standing_only(page: Page) -> None:
    pick_narrowing(page, "status", "Status")
    page.get_by_role("dialog").get_by_role("checkbox", name="Standing S", exact=True).check()
    page.get_by_role("dialog").get_by_role("checkbox", name=re.compile("^Dead, standing")).uncheck()
    page.keyboard.press("Escape")


def narrowed_to_recent(page: Page) -> None:
    """Standing trees, one row per inspection of the last thirty days, by mouse."""
    new_template(page, "tree")
    for text in ("tag", "botanical"):
        add_by_search(page, text)
    standing_only(page)
    page.get_by_role("button", name="tree: change", exact=True).click()
    page.get_by_role("dialog").get_by_label(re.compile("^one row per inspection")).check()
    page.get_by_role("dialog").get_by_label(re.compile("^keep trees without any")).check()
    expect(page.get_by_role("dialog").get_by_role("figure")).to_contain_text("repeats")
    page.keyboard.press("Escape")
    add_by_search(page, "inspected on")
    pick_narrowing(page, "inspected on", "Inspected on")
    expect(page.get_by_role("dialog")).to_contain_text("the last 30 days")
    page.keyboard.press("Escape")


def rows_with_parents(query: Query) -> int:
    ((rows,),) = query(
        f"SELECT sum(greatest(n, 1))::int FROM (SELECT count(i_id) n FROM tree t LEFT JOIN inspection i"
        f" ON i.t_id = t.t_id AND {RECENT} WHERE {STANDING} GROUP BY t.t_id) c"
    )
    return int(rows)


def test_children_with_their_parents_kept_and_then_folded(page: Page, query: Query) -> None:
    """(b) One row per inspection of standing trees, trees without any kept; then the same folded into one row each."""
    narrowed_to_recent(page)
    wait_for_rows(page, rows_with_parents(query))
    sentence = page.get_by_label("The template in words")
    expect(sentence).to_contain_text("One row per inspection of each tree, with a row for trees without any")
    ((without,),) = query(
        f"SELECT count(*) FROM tree t WHERE {STANDING} AND NOT EXISTS"
        f" (SELECT FROM inspection i WHERE i.t_id = t.t_id AND {RECENT})"
    )
    expect(page.locator(".tally")).to_contain_text(f"{without:,} without any")

    page.get_by_role("button", name="inspection: change", exact=True).click()
    page.get_by_role("dialog").get_by_label("one row per tree", exact=True).check()
    page.keyboard.press("Escape")
    ((standing,),) = query(f"SELECT count(*) FROM tree WHERE {STANDING}")
    wait_for_rows(page, standing)
    expect(sentence).to_contain_text(
        "“Latest inspected on of inspections” only of those where inspected on is in the last 30 days"
    )
    heading(page, "Latest inspected on of inspections").click()
    page.get_by_role("tab", name="This column").click()
    page.get_by_label("Of its inspections").select_option("count")
    page.get_by_label("Heading", exact=True).fill("Inspections")
    page.get_by_role("button", name="Run", exact=True).click()
    table = file_of(page)
    assert table[0] == ["Tag", "Botanical name", "Inspections"]
    ((inspections,),) = query(
        f"SELECT count(*) FROM inspection i JOIN tree t ON t.t_id = i.t_id WHERE {STANDING} AND {RECENT}"
    )
    assert len(table) - 1 == standing
    assert sum(int(row[2]) for row in table[1:]) == inspections


def test_the_field_by_a_value_known(page: Page, query: Query) -> None:
    """(c) Nobody knows what the field is called, but a value of it; the shelf says where it is kept, and how often."""
    ((register,),) = query("SELECT t_reg FROM tree WHERE t_reg IS NOT NULL ORDER BY t_id DESC LIMIT 1")
    new_template(page, "tree")
    page.keyboard.press("/")
    page.get_by_label("Search fields").fill(str(register))
    hits = page.get_by_label("Fields that hold this value")
    expect(hits.locator(".shelf-field").first).to_contain_text("Register number")
    hits.locator(".shelf-field").first.dblclick()
    expect(heading(page, "Register number")).to_be_visible()
    page.get_by_label("Search fields").fill("")
    expect(page.get_by_label("Recently used")).to_contain_text("Register number")


def test_why_is_it_missing_and_then_it_is_in(page: Page, query: Query) -> None:
    """(d) A tree is missing: the trace says which step stopped it, one button cures it, and it is in the file."""
    ((tag, number),) = query(
        f"SELECT t.t_tag, t.t_id FROM tree t JOIN site s ON s.s_id = t.s_id WHERE {STANDING} AND s.ward_id IS NULL"
        " ORDER BY t.t_id LIMIT 1"
    )
    new_template(page, "tree")
    add_by_search(page, "tag")
    standing_only(page)
    pick_narrowing(page, "ward name", "Name Site › Ward")
    page.get_by_role("dialog").get_by_label("Comparison").select_option("one_of")
    page.get_by_role("dialog").get_by_label("Values, one a line").fill("Northgate\nQuay")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Trace a record").click()
    page.get_by_label("Key or title of a record").fill(tag)
    trace = page.get_by_role("region", name="Trace")
    expect(trace).to_contain_text("Not in the file")
    expect(trace.locator(".trace-path .stopped")).to_contain_text("ward is one of")
    expect(trace.locator(".trace-path .stopped")).to_contain_text("empty")
    trace.get_by_role("button", name=re.compile("^See the")).click()
    expect(trace.locator(".left-out li").first).to_be_visible()
    trace.get_by_label("Key or title of a record").fill(tag)
    trace.get_by_role("button", name="Keep those with no ward").click()
    expect(trace).to_contain_text("In the file")
    page.get_by_role("button", name="Run", exact=True).click()
    assert [tag] in file_of(page)
    assert number


def test_a_runner_answers_on_a_phone(browser: Browser, house: House, query: Query) -> None:
    """(e) Pick, answer, get the file: on a window no wider than a hand, without a line running out of it."""
    context = browser.new_context(viewport={"width": 390, "height": 800}, locale="en-GB", accept_downloads=True)
    page = context.new_page()
    page.goto(house.address)
    page.get_by_label("E-mail address").fill("ines@marrowby.example")
    page.get_by_label("Password").fill("damson-and-lime")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name=re.compile("^Run Order lines of a contractor")).click()
    page.get_by_role("checkbox", name="Hollin Tree Care").uncheck()
    expect(page.get_by_role("status").filter(has_text="Answer what is asked")).to_be_visible()
    expect(page.get_by_role("button", name="Get the file")).to_be_disabled()
    page.get_by_role("checkbox", name="Ashgate Arbor").check()
    page.get_by_label("Raised when?").select_option(label="all time")
    page.get_by_label("As", exact=True).select_option(label="CSV")
    ((rows,),) = query(
        "SELECT sum(greatest(n, 1))::int FROM (SELECT count(l.wl_id) n FROM work_order w JOIN contractor c"
        " ON c.co_id = w.co_id LEFT JOIN wo_line l ON l.wo_id = w.wo_id WHERE c.co_name = 'Ashgate Arbor'"
        " GROUP BY w.wo_id) x"
    )
    expect(page.locator(".runner-count")).to_contain_text(f"{rows:,} row")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("button", name="Get the file").click()
    table = file_of(page, ".runner")
    assert len(table) - 1 == rows
    assert {row[0] for row in table[1:]} == {"Ashgate Arbor"}
    page.reload()
    expect(page.get_by_role("checkbox", name="Ashgate Arbor")).to_be_checked()
    context.close()


def test_all_of_it_without_the_mouse(page: Page, query: Query) -> None:
    """(f) The errand of parents and children by keyboard alone, from the library to the count."""
    page.get_by_role("button", name="New template").focus()
    page.keyboard.press("Enter")
    page.get_by_role("radio", name=re.compile("^tree about")).focus()
    page.keyboard.press("Space")
    page.get_by_label("Start with an empty sheet").focus()
    page.keyboard.press("Space")
    page.get_by_role("button", name="Open the bench").focus()
    page.keyboard.press("Enter")
    page.locator(".shelf-field").first.wait_for()
    for text in ("tag", "botanical"):
        page.keyboard.press("/")
        expect(page.get_by_label("Search fields")).to_be_focused()
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        expect(page.get_by_label("Search fields")).to_have_value("")
        page.keyboard.press("Escape")
        page.evaluate("document.activeElement.blur()")
    page.keyboard.press("n")
    page.keyboard.type("status")
    page.keyboard.press("Enter")
    page.get_by_role("checkbox", name="Standing S", exact=True).focus()
    page.keyboard.press("Space")
    dead = page.get_by_role("checkbox", name=re.compile("^Dead, standing"))
    if dead.is_checked():
        dead.focus()
        page.keyboard.press("Space")
    page.keyboard.press("Escape")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("r")
    page.get_by_label(re.compile("^one row per inspection")).focus()
    page.keyboard.press("Space")
    page.get_by_label(re.compile("^keep trees without any")).focus()
    page.keyboard.press("Space")
    page.keyboard.press("Escape")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("/")
    page.keyboard.type("inspected on")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("n")
    page.keyboard.type("inspected on")
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_contain_text("the last 30 days")
    page.keyboard.press("Escape")
    wait_for_rows(page, rows_with_parents(query))
    assert headings(page) == ["Tag", "Botanical name", "Inspected on"]


def test_narrowings_are_regrouped_and_asked(page: Page, query: Query) -> None:
    """Two narrowings become either-or by the arrange list; a third is left open and asked before the run."""
    new_template(page, "tree")
    add_by_search(page, "tag")
    pick_narrowing(page, "girth", "Girth")
    page.get_by_role("dialog").get_by_label("Comparison").select_option("at_least")
    page.get_by_role("dialog").get_by_label("Value").fill("400")
    page.keyboard.press("Escape")
    pick_narrowing(page, "height", "Height")
    page.get_by_role("dialog").get_by_label("Comparison").select_option("at_least")
    page.get_by_role("dialog").get_by_label("Value").fill("25")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Arrange the narrowings").click()
    page.get_by_role("button", name=re.compile("^either height is at least 25")).click()
    page.keyboard.press("Escape")
    expect(page.get_by_label("The template in words")).to_contain_text(
        "(girth is at least 400 or height is at least 25)"
    )
    either = "deleted_at IS NULL AND (t_girth >= 400 OR t_height >= 25)"
    ((rows,),) = query(f"SELECT count(*) FROM tree WHERE {either}")
    wait_for_rows(page, rows)

    pick_narrowing(page, "status", "Status")
    page.get_by_role("dialog").get_by_role("button", name="Ask each time").click()
    page.get_by_label("Asked at each run").fill("Which states?")
    page.keyboard.press("Escape")
    expect(page.get_by_label("The template in words")).to_contain_text("ask each time")
    page.get_by_role("button", name="Run", exact=True).click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Which states?")
    for box in dialog.get_by_role("checkbox").all():
        box.uncheck()
    dialog.get_by_role("checkbox", name="Standing", exact=True).check()
    ((standing,),) = query(f"SELECT count(*) FROM tree WHERE {either} AND t_st = 'S'")
    expect(dialog).to_contain_text(f"{standing:,} row")
    dialog.get_by_role("button", name="Run").click()
    assert len(file_of(page)) - 1 == standing


def test_formats_by_example_and_formulas(page: Page) -> None:
    """A cell is typed as it should look and the format is found; a formula completes, and says what is wrong where."""
    new_template(page, "tree")
    for text in ("tag", "planted on"):
        add_by_search(page, text)
    cell = page.locator(".sheet tbody tr td:nth-child(3):not(.empty)").first
    expect(cell).to_have_text(re.compile(r"^\d{4}-\d\d-\d\d$"))
    year, month, day = (cell.text_content() or "").split("-")
    cell.dblclick()
    page.get_by_label("How this cell should look").fill(f"{day}.{month}.{year}")
    page.keyboard.press("Enter")
    choices = page.get_by_role("dialog").locator(".option")
    shown = page.locator(".sheet thead", has_text="dd.MM.yyyy")
    expect(shown.or_(choices.first).first).to_be_visible()
    if choices.count():
        choices.first.click()
    expect(page.locator(".sheet thead")).to_contain_text("dd.MM.yyyy")

    page.get_by_role("button", name="a formula").click()
    formula = page.get_by_label("Formula", exact=True)
    formula.fill("")
    formula.press_sequentially("=LEF")
    page.get_by_role("option", name=re.compile("^LEFT")).click()
    formula.press_sequentially("{tag")
    page.get_by_role("option", name=re.compile(r"^\{tag\}")).click()
    formula.press_sequentially("; 2")
    expect(page.locator(".first-values")).to_contain_text("MB")
    formula.fill("=LEFTY({tag}; 2)")
    expect(page.locator(".formula-marks u")).to_have_text("LEFTY")
    expect(page.get_by_role("alert").first).to_contain_text("LEFTY")
