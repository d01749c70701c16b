"""
Help while designing, the library and the records over the API, against hand-written SQL.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import openpyxl
from fastapi.testclient import TestClient

from bouquet.runs import Services, execute
from bouquet.store.runs import last_delivered, last_rows

Query = Callable[[str], list[tuple[Any, ...]]]
SignIn = Callable[[str], TestClient]

STANDING: dict[str, Any] = {
    "name": "Standing",
    "records": "tree",
    "columns": [
        {"id": "t", "heading": "Tag", "value": {"field": "tag"}},
        {"id": "g", "heading": "Girth", "value": {"field": "t_girth"}},
    ],
    "filter": {
        "all": [
            {"path": "deleted_at", "is": "blank"},
            {"path": "status", "is": "one_of", "values": ["S"]},
            {"path": "site.ward.name", "is": "is", "value": "Quay"},
        ]
    },
}
IN_QUAY = (
    "FROM tree t LEFT JOIN site s ON s.s_id = t.s_id LEFT JOIN ward w ON w.w_id = s.ward_id"
    " WHERE t.deleted_at IS NULL AND t.t_st = 'S'"
)


def post(client: TestClient, path: str, /, **body: Any) -> Any:
    answer = client.post(f"/api/v1{path}", json=body)
    assert answer.status_code < 300, answer.text
    return answer.json()


def test_a_look_at_single_records_brings_their_keys(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Keys come with the rows; with `only` the same template shows these records alone, its narrowings kept."""
    sign_in("ines")
    look = post(client, "/design/look", document=STANDING, keys=True, limit=5)
    tags = [row[0] for row in look["rows"]]
    assert [t for (t,) in query(f"SELECT t_tag {IN_QUAY} AND w_name = 'Quay' ORDER BY t_id LIMIT 5")] == tags
    again = post(client, "/design/look", document=STANDING, only=[look["keys"][3], look["keys"][1]])
    assert [row[0] for row in again["rows"]] == [tags[1], tags[3]]
    ((felled,),) = query("SELECT min(t_id) FROM tree WHERE t_st = 'F'")
    assert post(client, "/design/look", document=STANDING, only=[[str(felled)]])["rows"] == []


def test_rows_per_unit(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Counts per ward of records, of children with their parents kept, and of groups equal hand-written SQL."""
    sign_in("ines")
    wide = {**STANDING, "filter": {"all": STANDING["filter"]["all"][:2]}}
    found = post(client, "/design/per-value", document=wide, path="site.ward.name")
    expected = query(f"SELECT w_name, count(*) {IN_QUAY} GROUP BY 1")
    assert {(v["value"], v["rows"]) for v in found} == set(expected)
    assert [v["rows"] for v in found] == sorted((v["rows"] for v in found), reverse=True)

    order = [{"path": "t_girth", "direction": "descending"}]
    found = post(client, "/design/per-value", document={**wide, "order": order, "at_most": 50}, path="site.ward.name")
    expected = query(
        f"SELECT w_name, count(*) FROM (SELECT w_name {IN_QUAY} ORDER BY t_girth DESC NULLS LAST, t_id LIMIT 50) x GROUP BY 1"
    )
    assert {(v["value"], v["rows"]) for v in found} == set(expected)

    children = {**wide, "rows": {"per": "child", "path": "inspections", "parents_without": "keep"}}
    found = post(client, "/design/per-value", document=children, path="site.ward.name")
    expected = query(
        "SELECT w_name, count(*) FROM tree t LEFT JOIN inspection i ON i.t_id = t.t_id LEFT JOIN site s ON s.s_id = t.s_id"
        " LEFT JOIN ward w ON w.w_id = s.ward_id WHERE t.deleted_at IS NULL AND t.t_st = 'S' GROUP BY 1"
    )
    assert {(v["value"], v["rows"]) for v in found} == set(expected)


def test_left_out_records_with_what_was_seen_of_them(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Each record left out comes with its value at the failing step; parents without children have a place, too."""
    sign_in("ines")
    found = post(client, "/design/left-out", document=STANDING, place="filter.all[2]", limit=500)
    expected = query(f"SELECT t_tag, w_name {IN_QUAY} AND w_name IS DISTINCT FROM 'Quay' ORDER BY t_id LIMIT 500")
    assert [(r["title"], r["saw"][0]["value"]) for r in found["records"]] == expected
    assert found["more"]
    document = {**STANDING, "rows": {"per": "child", "path": "inspections"}}
    found = post(client, "/design/left-out", document=document, place="rows", limit=500)
    childless = query(
        f"SELECT t_tag {IN_QUAY} AND w_name = 'Quay' AND NOT EXISTS (SELECT FROM inspection i WHERE i.t_id = t.t_id)"
        " ORDER BY t.t_id LIMIT 500"
    )
    assert [(r["title"],) for r in found["records"]] == childless
    assert client.post("/api/v1/design/left-out", json={"document": STANDING, "place": "rows"}).status_code == 404


def test_a_format_by_example_on_a_real_row(client: TestClient, sign_in: SignIn) -> None:
    """A girth in metres with a comma is worked out on the row pointed at, and shown on the rows behind it."""
    sign_in("ines")
    girth = float(post(client, "/design/look", document=STANDING, limit=1)["rows"][0][1])
    wanted = f"{girth / 100:.2f} m".replace(".", ",")
    found = post(client, "/design/format", document=STANDING, column="g", text=wanted, row=0)
    assert found["shows"][0] == {"decimals": 2, "factor": "0.01", "decimal_mark": ",", "suffix": " m"}
    assert len(found["others"][0]) == 4
    assert post(client, "/design/format", document=STANDING, column="g", text="thick", row=0)["shows"] == []
    missing = client.post("/api/v1/design/format", json={"document": STANDING, "column": "zz", "text": "x"})
    assert missing.status_code == 404


def test_the_first_lines_are_the_files(client: TestClient, sign_in: SignIn) -> None:
    """Separator, quotation marks and titles stand as the writer writes them."""
    sign_in("ines")
    output = {"csv": {"separator": ";", "quoting": "everything", "line_end": "LF"}}
    text = post(client, "/design/first-lines", document={**STANDING, "output": output})["text"]
    lines = text.split("\n")
    assert lines[0] == '"Tag";"Girth"'
    assert len(lines) == 7
    assert lines[-1] == ""
    assert post(client, "/design/first-lines", document={**STANDING, "output": {"format": "xlsx"}})["text"] == ""


def test_a_header_row_from_a_spreadsheet(client: TestClient, sign_in: SignIn) -> None:
    """Its first rows come as text; a file that is none is said to be none."""
    sign_in("ines")
    book = openpyxl.Workbook()
    assert book.active is not None
    book.active.append(["TREE_REF", "PLANTED"])
    book.active.append(["MB-00001", 12])
    file = io.BytesIO()
    book.save(file)
    headers = {"Content-Type": "application/octet-stream"}
    answer = client.post("/api/v1/design/header-of-file", content=file.getvalue(), headers=headers)
    assert answer.json()["text"] == "TREE_REF\tPLANTED\nMB-00001\t12"
    answer = client.post("/api/v1/design/header-of-file", content=b"nothing of the kind", headers=headers)
    assert answer.status_code == 422
    assert "spreadsheet" in answer.json()["detail"]


def make(client: TestClient, **document: Any) -> int:
    return int(post(client, "/templates", everyday=False, document={**STANDING, **document})["id"])


def test_a_template_of_ones_own_is_nobody_elses(client: TestClient, sign_in: SignIn) -> None:
    """Only its owner, keepers and auditors see it; sharing is the owner's, the house's standard a keeper's."""
    sign_in("ines")
    id = make(client, name="Mine alone")
    assert client.patch(f"/api/v1/templates/{id}", json={"standing": "own"}).json()["standing"] == "own"
    refused = client.patch(f"/api/v1/templates/{id}", json={"standing": "house"})
    assert refused.status_code == 403
    assert "administrator" in refused.json()["detail"]
    sign_in("tobin")
    assert id not in [t["id"] for t in client.get("/api/v1/templates").json()]
    assert client.get(f"/api/v1/templates/{id}").status_code == 404
    assert client.get(f"/api/v1/templates/{id}/questions").status_code == 404
    assert client.post("/api/v1/runs", json={"template_id": id}).status_code == 404
    sign_in("marta")
    assert client.patch(f"/api/v1/templates/{id}", json={"standing": "house"}).json()["standing"] == "house"


def test_pins_are_a_persons_and_labels_everybodys(client: TestClient, sign_in: SignIn) -> None:
    """Labels are tidied; a pin of one person is not another's."""
    sign_in("ines")
    id = make(client, name="Filed")
    labels = client.patch(f"/api/v1/templates/{id}", json={"labels": [" month   end", "audit", "audit", ""]}).json()
    assert labels["labels"] == ["audit", "month end"]
    assert client.put(f"/api/v1/templates/{id}/pin", json={"pinned": True}).status_code == 204
    row = next(t for t in client.get("/api/v1/templates").json() if t["id"] == id)
    assert row["pinned"]
    assert "Girth" in row["fields"]
    sign_in("marta")
    assert not next(t for t in client.get("/api/v1/templates").json() if t["id"] == id)["pinned"]


def test_a_template_whose_field_is_gone_is_broken(client: TestClient, sign_in: SignIn) -> None:
    """The library says which field is missing; a document from elsewhere is taken in with it, nothing dropped."""
    sign_in("ines")
    columns = [*STANDING["columns"], {"id": "x", "heading": "Gone", "value": {"field": "t_girht"}}]
    id = make(client, name="From elsewhere", columns=columns)
    row = next(t for t in client.get("/api/v1/templates").json() if t["id"] == id)
    assert "t_girht" in row["broken"]
    assert "t_girth" in row["broken"]
    document = client.get(f"/api/v1/templates/{id}/document")
    assert "attachment" in document.headers["content-disposition"]
    assert len(document.json()["columns"]) == 3


def test_versions_are_compared_in_words(client: TestClient, sign_in: SignIn) -> None:
    """From a version to the draft, and between versions; one that is not there is said to be none."""
    sign_in("ines")
    id = make(client, name="Compared")
    revision = client.get(f"/api/v1/templates/{id}").json()["revision"]
    headers = {"If-Match": f'"{revision}"'}
    assert client.post(f"/api/v1/templates/{id}/versions", json={"note": ""}, headers=headers).status_code == 201
    changed = {**STANDING, "name": "Compared", "at_most": 5}
    client.put(f"/api/v1/templates/{id}/draft", json=changed, headers=headers).raise_for_status()
    found = client.get(f"/api/v1/templates/{id}/compare", params={"before": 1}).json()
    assert [(c["what"], c["after"]) for c in found] == [("rows at most", "the first 5 rows")]
    assert client.get(f"/api/v1/templates/{id}/compare", params={"before": 9}).status_code == 404
    assert client.get(f"/api/v1/templates/{id}/versions/1").json()["document"]["name"] == "Compared"


def test_a_runner_is_asked_and_remembered(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Choices come from the records, the answers given last are offered again, a window changes for this once."""
    sign_in("ines")
    asked = {
        "all": [
            {"path": "site.ward.name", "is": "one_of", "ask": "wards"},
            {"path": "planted_on", "is": "in_window", "window": {"type": "previous", "unit": "year"}},
        ]
    }
    asks = [{"name": "wards", "label": "Which wards?", "kind": "choices", "default": ["Quay"]}]
    id = make(client, name="Asking", filter=asked, asks=asks)
    known = client.get(f"/api/v1/templates/{id}/questions").json()
    wards = [w for (w,) in query("SELECT w_name FROM ward ORDER BY lower(w_name)")]
    assert [c["code"] for c in known["asks"][0]["choices"]] == wards
    assert known["asks"][0]["answer"] == ["Quay"]
    assert known["periods"][0]["place"] == "filter.all[1]"
    window = {"type": "between", "first": "2000-01-01", "last": "2000-12-31"}
    run = post(
        client,
        "/runs",
        template_id=id,
        use="draft",
        answers={"wards": ["Salter"]},
        windows={"filter.all[1]": window},
        purpose="the year book",
    )
    assert run["purpose"] == "the year book"
    assert run["version"] is None
    again = client.get(f"/api/v1/templates/{id}/questions").json()
    assert again["asks"][0]["answer"] == ["Salter"]
    assert client.get(f"/api/v1/templates/{id}").json()["document"]["filter"]["all"][1]["window"]["type"] == "previous"
    wrong = client.post(
        "/api/v1/runs", json={"template_id": id, "answers": {"wards": ["Quay"]}, "windows": {"filter.all[0]": window}}
    )
    assert wrong.status_code == 422


def test_lists_from_what_is_seen_and_where_a_record_is_used(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """All that match become a list; a record says which lists hold it, and which templates let it pass or stop it."""
    sign_in("ines")
    made = client.put("/api/v1/picks/Quay%20trees", json={"records": "tree", "document": STANDING}).json()
    ((size,),) = query(f"SELECT count(*) {IN_QUAY} AND w_name = 'Quay'")
    assert made["size"] == size
    ((felled,),) = query("SELECT min(t_id) FROM tree WHERE t_st = 'F' AND deleted_at IS NULL")
    ((standing,),) = query(f"SELECT min(t_id) {IN_QUAY} AND w_name = 'Quay'")
    make(client, name="Standing in Quay")
    uses = client.get("/api/v1/records/tree/uses", params={"key": str(felled)}).json()
    assert uses["picks"] == []
    use = next(t for t in uses["templates"] if t["name"] == "Standing in Quay")
    assert (use["is_in"], use["stopped_by"]) == (False, "status is one of Standing")
    uses = client.get("/api/v1/records/tree/uses", params={"key": str(standing)}).json()
    assert uses["picks"] == ["Quay trees"]
    other = client.put("/api/v1/picks/x", json={"records": "site", "document": STANDING})
    assert other.status_code == 422


def test_a_document_that_is_no_template_can_be_run(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """What is seen in Records is run as it is; a template runs on single records, on a list, on what is seen."""
    sign_in("ines")
    assert post(client, "/runs", document={**STANDING, "name": "Trees as seen"})["template_id"] is None
    id = make(client, name="On some")
    ((one,),) = query(f"SELECT min(t_id) {IN_QUAY} AND w_name = 'Quay'")
    for limit in ({"only": [[str(one)]]}, {"also": {"path": "t_girth", "is": "at_least", "value": 300}}):
        assert post(client, "/runs", template_id=id, **limit)["status"] == "asked"
    unknown = client.post("/api/v1/runs", json={"template_id": id, "picks": "no such list"})
    assert unknown.status_code == 422
    assert client.post("/api/v1/runs", json={}).status_code == 422


def test_a_run_on_a_part_counts_for_nothing_later(client: TestClient, sign_in: SignIn, services: Services) -> None:
    """One on single records neither moves "since the last run" nor stands in the library; answers given before stay."""
    sign_in("ines")
    id = make(client, name="Tried")
    whole = post(client, "/runs", template_id=id, use="draft", format="xlsx")
    part = post(client, "/runs", template_id=id, use="draft", only=[["8"]])
    assert (whole["via"], part["via"]) == ("hand", "once")
    for run in (whole, part):
        execute(services, run["id"])
    with services.store.session() as session:
        assert last_delivered(session, id)[1] == 1
        assert len(last_rows(session, [id])[id]) == 1
    assert client.get(f"/api/v1/templates/{id}/questions").json()["format"] == "xlsx"


def test_personal_data_leaves_for_a_purpose(client: TestClient, sign_in: SignIn) -> None:
    """Also folded or in a formula; without saying what for, nothing is entered, and the columns are named."""
    sign_in("ines")
    reports = {
        "name": "Callers",
        "records": "resident_report",
        "columns": [
            {"id": "n", "heading": "Number", "value": {"field": "number"}},
            {"id": "w", "heading": "Who", "value": {"formula": "UPPER({resident})"}},
        ],
    }
    assert post(client, "/design/look", document=reports)["personal"] == ["Who"]
    refused = client.post("/api/v1/runs", json={"document": reports})
    assert refused.status_code == 422
    assert "Who" in refused.json()["errors"][0]["message"]
    assert post(client, "/runs", document=reports, purpose="the ward desk")["purpose"] == "the ward desk"


def test_a_name_that_is_taken_can_be_left_to_the_store(client: TestClient, sign_in: SignIn) -> None:
    """The next free name is taken where that is asked for, and refused where it is not."""
    sign_in("ines")
    make(client, name="Twice")
    body = {"everyday": False, "document": {**STANDING, "name": "Twice"}}
    assert client.post("/api/v1/templates", json=body).status_code == 409
    assert client.post("/api/v1/templates", json={**body, "free_name": True}).json()["name"] == "Twice 2"


def test_views_are_ones_own_until_shared(client: TestClient, sign_in: SignIn) -> None:
    """A view is saved, replaced by its name, seen by others once shared, and removed by its owner alone."""
    sign_in("ines")
    body = {"name": "street check", "document": STANDING}
    first = client.put("/api/v1/records/tree/views", json=body).json()
    again = client.put("/api/v1/records/tree/views", json={**body, "name": "Street check", "shared": False}).json()
    assert again["id"] == first["id"]
    sign_in("marta")
    assert client.get("/api/v1/records/tree/views").json() == []
    assert client.delete(f"/api/v1/records/views/{first['id']}").status_code == 404
    sign_in("ines")
    client.put("/api/v1/records/tree/views", json={**body, "shared": True}).raise_for_status()
    sign_in("marta")
    (view,) = client.get("/api/v1/records/tree/views").json()
    assert (view["owner"], view["mine"]) == ("Ines Harrow", False)
    sign_in("ines")
    assert client.delete(f"/api/v1/records/views/{first['id']}").status_code == 204


def test_likes_change_one_by_one(client: TestClient, sign_in: SignIn) -> None:
    """A theme changes without the locale; what is no locale is refused."""
    sign_in("ines")
    client.put("/api/v1/session/preferences", json={"theme": "dark"}).raise_for_status()
    client.put("/api/v1/session/preferences", json={"locale": "de-DE"}).raise_for_status()
    known = client.get("/api/v1/session").json()["preferences"]
    assert (known["theme"], known["locale"], known["hints"]) == ("dark", "de-DE", True)
    assert client.put("/api/v1/session/preferences", json={"locale": "not a locale"}).status_code == 422


def test_a_persons_part_stays_their_part(client: TestClient, sign_in: SignIn, query: Query) -> None:
    """Tobin's two wards hold in counts per unit, formats, first lines, matched values and records, too."""
    sign_in("tobin")
    wide = {**STANDING, "filter": {"all": STANDING["filter"]["all"][:2]}}
    wards = {w for (w,) in query("SELECT w_name FROM ward WHERE w_code IN ('03', '07')")}
    assert {v["value"] for v in post(client, "/design/per-value", document=wide, path="site.ward.name")} == wards
    own = {t for (t,) in query(f"SELECT t_tag {IN_QUAY} AND w_code IN ('03', '07')")}
    lines = post(client, "/design/first-lines", document=wide)["text"].split("\r\n")[1:-1]
    assert {line.split(",")[0] for line in lines} <= own
    match = post(client, "/design/match", records="tree", text="Tag")
    ((tag,),) = query(
        "SELECT t_tag FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id"
        " WHERE w_code IN ('03', '07') ORDER BY t_id LIMIT 1"
    )
    assert match["headings"][0]["candidates"][0]["value"] == tag
    ((foreign,),) = query(f"SELECT min(t_id) {IN_QUAY} AND w_code NOT IN ('03', '07')")
    assert post(client, "/design/look", document=wide, only=[[str(foreign)]])["rows"] == []
