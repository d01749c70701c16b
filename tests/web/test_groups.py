"""
Groups of people, what personal data and record types somebody sees, sharing, and looking through somebody's eyes.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.rights import RightsDiffer, joined_rights
from bouquet.runs import Services, execute

API = "/api/v1"
COLUMNS = [{"id": "a", "heading": "Ward", "value": {"field": "name"}}]
SignIn = Callable[[str], TestClient]
CALLERS = {
    "name": "Callers", "records": "resident_report", "order": [{"path": "number"}],
    "columns": [
        {"id": "n", "heading": "No.", "value": {"field": "number"}},
        {"id": "w", "heading": "Who", "value": {"field": "resident"}},
    ],
}  # fmt: skip


def ok(answer: Any, status: int = 200) -> Any:
    assert answer.status_code == status, answer.text
    return answer.json() if answer.content else None


def person(client: TestClient, name: str) -> dict[str, Any]:
    found: dict[str, Any] = next(p for p in ok(client.get(f"{API}/people")) if p["name"].startswith(name))
    return found


def change(client: TestClient, name: str, **changes: Any) -> dict[str, Any]:
    found: dict[str, Any] = ok(client.patch(f"{API}/people/{person(client, name)['id']}", json=changes))
    return found


def saved(client: TestClient, document: dict[str, Any]) -> int:
    number: int = ok(client.post(f"{API}/templates", json={"document": document}), 201)["id"]
    ok(client.post(f"{API}/templates/{number}/versions", json={}, headers={"If-Match": '"1"'}), 201)
    return number


# What comes of several rights

WARD3 = {"records": "ward", "field": "code", "values": ["03"]}
WARD7 = {"records": "ward", "field": "code", "values": ["07"]}


@pytest.mark.parametrize(
    ("rights", "joined"),
    [
        ([None, WARD3], None),
        ([WARD3, WARD7], {**WARD3, "values": ["03", "07"]}),
        ([{**WARD3, "types": ["tree"]}, {**WARD3, "types": ["site"]}], {**WARD3, "types": ["site", "tree"]}),
        ([{"personal": {"*": "hidden"}}, {"personal": {"*": "masked", "health": "hidden"}}], {"personal": {"*": "masked", "health": "hidden"}}),
        ([{"personal": {"*": "hidden"}}, {"personal": {"name": "masked"}}], {"personal": {"*": "seen", "name": "masked"}}),
        ([], {"types": [], "personal": {"*": "hidden"}}),
    ],
)  # fmt: skip
def test_rights_are_joined_in_one_respect(rights: list[dict[str, Any] | None], joined: dict[str, Any] | None) -> None:
    """Whatever one of them leaves; nothing where there is none."""
    assert joined_rights(rights) == joined


@pytest.mark.parametrize(
    "rights",
    [
        [WARD3, {"records": "site", "field": "name", "values": ["x"]}],
        [WARD3, {**WARD7, "source": "other"}],
        [WARD3, {"types": ["tree"]}],
        [{**WARD3, "types": ["tree"]}, {**WARD7, "types": ["site"]}],
        [{**WARD3, "personal": {"*": "hidden"}}, WARD7],
    ],
)
def test_rights_that_would_leave_more_when_joined_are_refused(rights: list[dict[str, Any]]) -> None:
    """Ward 3 with names and ward 7 without are not both wards with names."""
    with pytest.raises(RightsDiffer):
        joined_rights(rights)


_TREATED = st.sampled_from(["seen", "masked", "hidden"])
_RIGHT = st.fixed_dictionaries(
    {},
    optional={
        "types": st.lists(st.sampled_from(["tree", "site", "ward"]), unique=True),
        "personal": st.dictionaries(st.sampled_from(["*", "name", "contact"]), _TREATED, min_size=1),
    },
)


@given(st.lists(_RIGHT, min_size=1, max_size=3))
def test_what_is_joined_gives_each_thing_that_one_right_gives_and_no_other(rights: list[dict[str, Any]]) -> None:
    """Of record types and classes, pair by pair."""

    def gives(right: dict[str, Any] | None, record_type: str, name: str) -> int:
        if right is None:
            return 2
        if "types" in right and record_type not in right["types"]:
            return -1
        personal = right.get("personal", {})
        return {"hidden": 0, "masked": 1, "seen": 2}[personal.get(name, personal.get("*", "seen"))]

    try:
        joined = joined_rights(rights)
    except RightsDiffer:
        return
    for record_type in ("tree", "site", "ward"):
        for name in ("name", "contact", "health"):
            assert gives(joined, record_type, name) == max(gives(r, record_type, name) for r in rights)


# Groups


def test_a_group_gives_its_members_what_it_may_and_sees(sign_in: SignIn) -> None:
    """Roles are added to their own; what they see is their own, or their groups'."""
    marta = sign_in("marta")
    tobin = person(marta, "Tobin")["id"]
    made = ok(marta.post(f"{API}/groups", json={
        "name": "Parks office", "roles": ["designer"], "scope": WARD3, "members": [tobin]
    }), 201)  # fmt: skip
    assert made["words"].startswith("May design templates; sees what belongs to ward Salter")
    known = person(marta, "Tobin")
    assert (known["roles"], known["own_roles"], known["groups"]) == (
        ["runner", "designer"], ["runner"], [{"id": made["id"], "name": "Parks office"}]
    )  # fmt: skip
    assert known["scope"]["values"] == ["03", "07"]
    as_groups = change(marta, "Tobin", as_groups=True)
    assert as_groups["scope"]["values"] == ["03"]
    ok(marta.delete(f"{API}/groups/{made['id']}"), 204)
    alone = person(marta, "Tobin")
    assert (alone["roles"], alone["scope"]["types"]) == (["runner"], [])


def test_groups_that_cannot_be_joined_are_refused_at_once(sign_in: SignIn) -> None:
    """Nothing of such a change is kept."""
    marta = sign_in("marta")
    tobin = person(marta, "Tobin")["id"]
    for name, scope in (("A", WARD3), ("B", {**WARD7, "personal": {"*": "hidden"}})):
        ok(marta.post(f"{API}/groups", json={"name": name, "roles": [], "scope": scope, "members": [tobin]}), 201)
    refused = marta.patch(f"{API}/people/{tobin}", json={"as_groups": True})

    assert (refused.status_code, refused.json()["type"]) == (409, "/problems/rights_differ")
    assert person(marta, "Tobin")["as_groups"] is False


def test_the_last_administrator_stays_one(sign_in: SignIn) -> None:
    """Also where it was a group that made them one."""
    marta = sign_in("marta")
    number = person(marta, "Marta")["id"]
    group = ok(marta.post(f"{API}/groups", json={"name": "Keepers", "roles": ["keeper"], "members": [number]}), 201)
    change(marta, "Marta", roles=["designer"])
    refused = marta.delete(f"{API}/groups/{group['id']}")

    assert refused.status_code == 409
    assert "keeper" in person(marta, "Marta")["roles"]


# What is seen


def test_what_is_hidden_is_nowhere(sign_in: SignIn, services: Services) -> None:
    """Not in the shelf, the sentence, a file, a record, an error or the library's search."""
    number = saved(sign_in("ines"), {**CALLERS, "filter": {"path": "resident", "is": "not_blank"}})
    columns = saved(sign_in("ines"), {**CALLERS, "name": "Callers, all"})
    change(sign_in("marta"), "Tobin", scope={"personal": {"*": "hidden"}})
    tobin = sign_in("tobin")
    shelf = tobin.get(f"{API}/record-types/resident_report").text
    library = {t["id"]: t for t in ok(tobin.get(f"{API}/templates"))}
    run = ok(tobin.post(f"{API}/runs", json={"template_id": columns}), 202)
    execute(services, run["id"])
    made = ok(tobin.get(f"{API}/runs/{run['id']}"))
    file = tobin.get(f"{API}/runs/{run['id']}/files/{made['files'][0]['id']}").text
    refused = tobin.post(f"{API}/runs", json={"template_id": number})

    assert '"Resident"' not in shelf
    assert '"resident"' not in shelf
    assert "1 part you may not see" in library[number]["sentence"]
    assert "resident" not in library[columns]["fields"].lower()
    assert file.splitlines()[0].strip("\ufeff") == "No."
    assert [c["heading"] for c in made["slip"]["columns"]] == ["No."]
    assert refused.status_code == 422
    facts = tobin.get(f"{API}/record-types/resident_report/facts/resident")
    assert facts.status_code == 404


def test_what_is_masked_is_masked_in_files_and_on_screen(sign_in: SignIn, services: Services) -> None:
    """The same mask in the preview and in the file; and it is still personal data, that a purpose is asked for."""
    number = saved(sign_in("ines"), CALLERS)
    change(sign_in("marta"), "Tobin", scope={"personal": {"name": "masked"}})
    tobin = sign_in("tobin")
    seen = ok(tobin.post(f"{API}/design/look", json={"document": CALLERS}))
    refused = tobin.post(f"{API}/runs", json={"template_id": number})
    run = ok(tobin.post(f"{API}/runs", json={"template_id": number, "purpose": "calling back"}), 202)
    execute(services, run["id"])
    made = ok(tobin.get(f"{API}/runs/{run['id']}"))
    lines = tobin.get(f"{API}/runs/{run['id']}/files/{made['files'][0]['id']}").text.splitlines()

    assert refused.json()["errors"][0]["place"] == "purpose"
    names = [line.split(",")[1] for line in lines[1:20]]
    assert all(len(name) <= 5 and name.endswith(".") for name in names if name), names
    assert [row[1] for row in seen["rows"][:15]] == names[:15]


def test_a_run_is_only_for_who_sees_the_same(sign_in: SignIn, services: Services) -> None:
    """Who sees names masked does not open a file with names."""
    ines = sign_in("ines")
    number = saved(ines, CALLERS)
    run = ok(ines.post(f"{API}/runs", json={"template_id": number, "purpose": "x"}), 202)["id"]
    execute(services, run)
    file = ok(ines.get(f"{API}/runs/{run}"))["files"][0]["id"]
    change(sign_in("marta"), "Tobin", scope={"personal": {"name": "masked"}})
    tobin = sign_in("tobin")

    assert tobin.get(f"{API}/runs/{run}/files/{file}").status_code == 403
    assert run not in [r["id"] for r in ok(tobin.get(f"{API}/runs"))["runs"]]


def test_a_closed_record_type_and_its_templates_are_not_there(sign_in: SignIn) -> None:
    """Nor can anything be joined to it."""
    number = saved(sign_in("ines"), CALLERS)
    change(sign_in("marta"), "Tobin", scope={"types": ["tree", "site", "ward"]})
    tobin = sign_in("tobin")
    trees = {"name": "x", "records": "tree", "columns": [
        {"id": "s", "heading": "S", "value": {"field": "species.botanical_name"}}
    ]}  # fmt: skip

    assert {t["name"] for t in ok(tobin.get(f"{API}/record-types"))} == {"tree", "site", "ward"}
    assert number not in [t["id"] for t in ok(tobin.get(f"{API}/templates"))]
    assert not ok(tobin.post(f"{API}/design/look", json={"document": trees}))["rows"]
    assert tobin.post(f"{API}/runs", json={"template_id": number, "purpose": "x"}).status_code == 422
    assert tobin.get(f"{API}/record-types/resident_report").status_code == 404


def test_a_right_speaks_of_what_there_is(sign_in: SignIn) -> None:
    """A slip of the pen would close everything."""
    marta = sign_in("marta")
    number = person(marta, "Tobin")["id"]
    for scope, place in (({"types": ["nothing"]}, "scope.types"), ({"records": "ward"}, "scope.field")):
        refused = marta.patch(f"{API}/people/{number}", json={"scope": scope})
        assert (refused.status_code, refused.json()["errors"][0]["place"]) == (422, place)
    assert marta.patch(f"{API}/people/{number}", json={"scope": {"personal": {"x": "seen"}}}).status_code == 422
    assert change(marta, "Tobin", scope={"personal": {"*": "seen"}})["scope"] is None


def test_what_a_right_leaves_is_counted(sign_in: SignIn, query: Callable[[str], list[tuple[Any, ...]]]) -> None:
    """Records against hand-written SQL; templates that work, lack a column, or are closed."""
    ines = sign_in("ines")
    lacks = saved(ines, CALLERS)
    closed = saved(ines, {**CALLERS, "name": "Callers by name", "order": [{"path": "resident"}]})
    marta = sign_in("marta")
    change(marta, "Tobin", scope={**WARD3, "personal": {"*": "hidden"}})
    left = ok(marta.get(f"{API}/people/{person(marta, 'Tobin')['id']}/leaves"))
    types = {t["name"]: t for t in left["types"]}
    trees = query(
        "SELECT count(*), (SELECT count(*) FROM tree) FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w.w_code = '03'"
    )[0]
    states = {t["id"]: (t["state"], t["lacks"]) for t in left["templates"]}

    assert (types["tree"]["rows"], types["tree"]["of"]) == trees
    assert types["resident_report"]["hidden"] == 4
    assert (states[lacks], states[closed]) == (("lacks", 1), ("closed", 0))


# Sharing


def test_a_template_of_ones_own_is_shared_with_some(sign_in: SignIn, services: Services) -> None:
    """With a person, or with a group; its runs are seen by the same."""
    ines = sign_in("ines")
    number = saved(ines, {"name": "Wards", "records": "ward", "columns": [
        {"id": "a", "heading": "Ward", "value": {"field": "name"}}
    ]})  # fmt: skip
    ok(ines.patch(f"{API}/templates/{number}", json={"standing": "own"}))
    names = ok(ines.get(f"{API}/people/names"))
    tobin = next(p["id"] for p in names["people"] if p["name"].startswith("Tobin"))
    marta = sign_in("marta")
    group = ok(marta.post(f"{API}/groups", json={"name": "Quay", "roles": [], "members": [tobin]}), 201)["id"]
    assert sign_in("tobin").get(f"{API}/templates/{number}").status_code == 404
    for entry in ({"person": tobin}, {"group": group}):
        ok(sign_in("ines").patch(f"{API}/templates/{number}", json={"shared_with": [entry]}))
        assert ok(sign_in("tobin").get(f"{API}/templates/{number}"))["shared_with"] == [
            {"person": None, "group": None, **entry}
        ]
        assert number in [t["id"] for t in ok(sign_in("tobin").get(f"{API}/templates"))]
    ok(sign_in("marta").delete(f"{API}/groups/{group}"), 204)
    assert sign_in("tobin").get(f"{API}/templates/{number}").status_code == 404


def test_a_view_of_ones_own_is_shared_with_some(sign_in: SignIn) -> None:
    """With Tobin by name, with Oskar as one of a group until that is removed; with whom, only its owner reads."""
    marta = sign_in("marta")
    oskar, tobin = (person(marta, name)["id"] for name in ("Oskar", "Tobin"))
    group = ok(marta.post(f"{API}/groups", json={"name": "Readers", "members": [oskar]}), 201)["id"]
    entries = [{"person": tobin}, {"group": group}]
    body = {"name": "Bare", "document": {"columns": COLUMNS}, "shared_with": entries}
    ines = sign_in("ines")
    view = ok(ines.put(f"{API}/records/ward/views", json=body))
    nobody = ines.put(f"{API}/records/ward/views", json={**body, "shared_with": [{"group": 999_999}]})
    assert [{k: v for k, v in e.items() if v} for e in view["shared_with"]] == entries
    assert nobody.status_code == 404

    def seen(who: str) -> list[tuple[str, list[Any]]]:
        return [(v["name"], v["shared_with"]) for v in ok(sign_in(who).get(f"{API}/records/ward/views"))]

    assert (seen("tobin"), seen("oskar"), seen("marta")) == ([("Bare", [])], [("Bare", [])], [])
    ok(sign_in("marta").delete(f"{API}/groups/{group}"), 204)
    assert (seen("oskar"), seen("tobin")) == ([], [("Bare", [])])


def test_only_its_owner_shares_a_template_or_hands_it_over(sign_in: SignIn) -> None:
    """To somebody who may design; afterwards it is theirs to share."""
    marta = sign_in("marta")
    made = ok(marta.post(f"{API}/people", json={
        "name": "Kim Hale", "email": "kim@line.example", "roles": ["designer"]
    }), 201)  # fmt: skip
    kim, tobin = made["person"]["id"], person(marta, "Tobin")["id"]
    number = saved(sign_in("ines"), CALLERS)
    assert sign_in("ines").patch(f"{API}/templates/{number}", json={"owner_id": tobin}).status_code == 409
    assert ok(sign_in("ines").patch(f"{API}/templates/{number}", json={"owner_id": kim}))["owner"] == "Kim Hale"
    for wanted in ({"owner_id": tobin}, {"shared_with": [{"person": tobin}]}):
        assert sign_in("ines").patch(f"{API}/templates/{number}", json=wanted).status_code == 403


# Through somebody's eyes


def test_a_keeper_looks_through_somebodys_eyes(sign_in: SignIn) -> None:
    """They see what that person sees, change nothing, take nothing, and it is in the journal."""
    marta = sign_in("marta")
    tobin = person(marta, "Tobin")["id"]
    ok(marta.post(f"{API}/people/{tobin}/eyes"), 204)
    eyes = {"Bouquet-Eyes": str(tobin)}
    session = ok(marta.get(f"{API}/session", headers=eyes))
    document = {"name": "x", "records": "ward", "columns": [{"id": "a", "heading": "A", "value": {"field": "code"}}]}
    seen = ok(marta.post(f"{API}/design/look", json={"document": document}, headers=eyes))
    refused = [
        marta.get(f"{API}/people", headers=eyes),
        marta.post(f"{API}/runs", json={"document": document}, headers=eyes),
        marta.get(f"{API}/runs/1/archive", headers=eyes),
        marta.put(f"{API}/session/preferences", json={"theme": "dark"}, headers=eyes),
    ]
    entries = ok(marta.get(f"{API}/journal"))

    assert (session["person"]["name"], session["person"]["through"]) == ("Tobin Reyes", True)
    assert [row[0] for row in seen["rows"]] == ["03", "07"]
    assert [r.status_code for r in refused] == [403] * 4
    assert "looked through somebody’s eyes" in str(entries)


def test_nobody_else_looks_through_anybodys_eyes(sign_in: SignIn) -> None:
    """Not a designer, not a keeper of nobody's."""
    ines = sign_in("ines")
    assert ines.get(f"{API}/session", headers={"Bouquet-Eyes": "1"}).status_code == 403
    marta = sign_in("marta")
    assert marta.get(f"{API}/session", headers={"Bouquet-Eyes": "999999"}).status_code == 404
    assert marta.get(f"{API}/session", headers={"Bouquet-Eyes": "x"}).status_code == 403
