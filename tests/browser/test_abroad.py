"""
The interface in German and in French: every place is theirs, fits the screen, and stays open to everybody.
"""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import House
from tests.browser.test_access import violations

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

#: What stands on the first page, and the names of the places, in each language.
WORDS = {
    "de": ("Anmelden", ["Vorlagen", "Läufe", "Runden", "Empfänger", "Datensätze"], "Ausführen", "Bitte melden Sie sich an."),
    "fr": ("Se connecter", ["Modèles", "Exécutions", "Tournées", "Destinataires", "Enregistrements"], "Exécuter", "Veuillez vous connecter."),
}  # fmt: skip

PLACES = (
    "/templates",
    "/templates/match",
    "/runs",
    "/runs/given-back",
    "/rounds",
    "/recipients",
    "/records/tree",
    "/guide",
)


@pytest.fixture(params=["de", pytest.param("fr", marks=pytest.mark.thorough)])
def abroad(request: pytest.FixtureRequest, browser: Browser, house: House) -> Iterator[tuple[str, Page]]:
    """(language, page signed in) in a browser that asks for that language."""
    name = request.param
    context = browser.new_context(viewport={"width": 1280, "height": 800}, locale=f"{name}-{name.upper()}")
    page = context.new_page()
    page.goto(house.address)
    page.locator("input[type=email]").fill("ines@marrowby.example")
    page.locator("input[type=password]").fill("damson-and-lime")
    page.get_by_role("button", name=WORDS[name][0], exact=True).click()
    page.get_by_role("link", name=WORDS[name][1][0], exact=True).wait_for()
    yield name, page
    context.close()


def test_every_place_speaks_the_browsers_language(abroad: tuple[str, Page], house: House) -> None:
    """Names of places, and what the server says; nothing is wider than the screen, and axe finds nothing wrong."""
    name, page = abroad
    _, places, *_ = WORDS[name]

    assert page.locator("html").get_attribute("lang") == name
    for place in places:
        expect(page.get_by_role("navigation").get_by_role("link", name=place, exact=True)).to_be_visible()
    found = {}
    for place in PLACES:
        page.goto(f"{house.address}{place}")
        page.locator("main h1, .page h1").first.wait_for()
        page.wait_for_load_state("networkidle")
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), place
        found[place] = violations(page)
    assert {place: wrong for place, wrong in found.items() if wrong} == {}


def test_the_sentence_on_the_bench_is_of_that_language(abroad: tuple[str, Page]) -> None:
    """Its rows, its windows with their dates, and what can be done with it."""
    name, page = abroad
    page.get_by_role("link", name="Standing-tree inspections, rolling month").click()
    page.locator(".sheet tbody tr").nth(5).wait_for()

    sentence = page.locator(".sentence")
    expect(sentence).to_contain_text({"de": "Eine Zeile je", "fr": "Une ligne par"}[name])
    expect(sentence).to_contain_text({"de": "die letzten 30 Tage", "fr": "les 30 derniers jours"}[name])
    expect(page.get_by_role("button", name=WORDS[name][2]).first).to_be_visible()
    assert violations(page) == []


def test_somebody_chooses_a_language_of_their_own(browser: Browser, house: House) -> None:
    """Whatever the browser asks for: from then on it is theirs, also at another browser."""

    def signed_in() -> Page:
        page = browser.new_context(viewport={"width": 1280, "height": 800}, locale="en-GB").new_page()
        page.goto(house.address)
        page.get_by_label("E-mail address").fill("marta@marrowby.example")
        page.get_by_label("Password").fill("oak-before-ash")
        page.get_by_role("button", name="Sign in", exact=True).click()
        return page

    page = signed_in()
    page.get_by_role("button", name="Marta Lindqvist").click()
    page.get_by_label("Language", exact=True).select_option("de")
    page.get_by_role("link", name="Vorlagen", exact=True).wait_for()

    other = signed_in()
    other.get_by_role("link", name="Vorlagen", exact=True).wait_for()

    other.get_by_role("button", name="Marta Lindqvist").click()
    other.get_by_label("Sprache", exact=True).select_option("")
    other.get_by_role("link", name="Templates", exact=True).wait_for()
    page.context.close()
    other.context.close()
