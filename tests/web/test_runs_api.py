"""
Runs through the API: the ledger, review, files at addresses that stay, tokens, comparison, checks while designing.
"""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.runs import Services, execute
from bouquet.store import runs as ledger
from bouquet.web.ranges import wanted_range
from tests.conftest import NOW

SignIn = Callable[[str], TestClient]
API = "/api/v1"

WARDS: dict[str, Any] = {
    "name": "Wards",
    "records": "ward",
    "columns": [
        {"id": "a", "heading": "Code", "value": {"field": "code"}},
        {"id": "b", "heading": "Ward", "value": {"field": "name"}},
    ],
    "output": {"name": "wards"},
}
HOLD = [{"file": "rows", "least": 100, "severity": "hold"}]


def post(client: TestClient, path: str, status: int = 200, **body: Any) -> Any:
    answer = client.post(API + path, json=body)
    assert answer.status_code == status, answer.text
    return answer.json()


def template(client: TestClient, document: dict[str, Any] = WARDS) -> int:
    made: int = post(client, "/templates", 201, document=document, everyday=False, free_name=True)["id"]
    return made


def run(services: Services, client: TestClient, **body: Any) -> dict[str, Any]:
    asked = post(client, "/runs", 202, **{"use": "draft", **body})
    execute(services, asked["id"])
    done: dict[str, Any] = client.get(f"{API}/runs/{asked['id']}").json()
    return done


def test_the_ledger_is_narrowed_totalled_and_goes_out_as_csv(services: Services, sign_in: SignIn) -> None:
    """The list, its totals and its CSV, made by the same engine as any other run, say the same."""
    client = sign_in("ines")
    own = template(client)
    ready = run(services, client, template_id=own)
    held = run(services, client, document={**WARDS, "name": "Held", "checks": HOLD})
    mine = {"name": "Reports", "records": "resident_report", "columns": [{"id": "a", "heading": "Who", "value": {"field": "resident"}}]}  # fmt: skip
    personal = run(services, client, document=mine, purpose="a test")

    def listed(**query: Any) -> list[int]:
        return [r["id"] for r in client.get(f"{API}/runs", params=query).json()["runs"]]

    assert listed() == [personal["id"], held["id"], ready["id"]]
    assert listed(status="held") == listed(found="yes") == [held["id"]]
    assert listed(personal="yes") == listed(records="resident_report") == [personal["id"]]
    assert listed(template_id=own) == [ready["id"]]
    assert listed(search="reports") == [personal["id"]]
    assert listed(since=(NOW + timedelta(days=1)).isoformat()) == []
    assert len(listed(until=(NOW + timedelta(days=1)).isoformat(), asked_by="ines")) == 3
    totals = client.get(f"{API}/runs/totals").json()
    rows = sum(r["rows_written"] for r in (ready, held, personal))
    assert (totals["runs"], totals["rows"], totals["held"], totals["personal"]) == (3, rows, 1, 1)
    assert totals["bytes"] == sum(f["size"] for r in (ready, held, personal) for f in r["files"])

    asked = client.post(f"{API}/runs/export", params={"records": "ward"}).json()
    execute(services, asked["id"])
    done = client.get(f"{API}/runs/{asked['id']}").json()
    text = client.get(f"{API}/runs/{done['id']}/files/{done['files'][0]['id']}").text
    found = list(csv.DictReader(io.StringIO(text)))
    assert [(int(r["Run"]), r["Template"], r["Status"], int(r["Rows written"])) for r in found] == [
        (held["id"], "Held", "held", 12),
        (ready["id"], "Wards", "ready", 12),
    ]
    assert found[0]["Gravest check"] == "hold"
    assert done["slip"]["source"] == "Bouquet’s ledger"
    assert not {"document", "slip", "password"} & set(found[0])


def test_review_needs_the_right_and_a_reason(services: Services, sign_in: SignIn) -> None:
    """An auditor may look, not decide; whoever releases says why; a discarded file is gone for good."""
    client = sign_in("ines")
    held = [run(services, client, document={**WARDS, "checks": HOLD}) for _ in range(2)]
    sign_in("oskar")
    seen = client.get(f"{API}/runs/{held[0]['id']}").json()
    assert not seen["may_review"]
    assert post(client, f"/runs/{held[0]['id']}/release", 403, reason="no")["type"].endswith("not_allowed")
    sign_in("marta")
    post(client, f"/runs/{held[0]['id']}/release", 422, reason="")
    released = post(client, f"/runs/{held[0]['id']}/release", reason="twelve is right")
    assert (released["status"], released["reviewed_by"], released["review_reason"]) == (
        "ready",
        "Marta Lindqvist",
        "twelve is right",
    )
    assert "is ready" in post(client, f"/runs/{held[0]['id']}/release", 409, reason="again")["detail"]
    discarded = post(client, f"/runs/{held[1]['id']}/discard", reason="wrong")
    file = f"{API}/runs/{held[1]['id']}/files/{held[1]['files'][0]['id']}"

    assert discarded["status"] == "discarded"
    assert "expired or was discarded" in client.get(file).json()["detail"]
    assert client.get(f"{API}/runs/{held[1]['id']}/archive").status_code == 404


def test_an_earlier_run_again(services: Services, sign_in: SignIn) -> None:
    """As it was: the same document and as-of; as its template is: what stands in it now."""
    client = sign_in("ines")
    own = template(client)
    before = run(services, client, template_id=own)
    revision = client.get(f"{API}/templates/{own}").json()["revision"]
    changed = {**WARDS, "columns": WARDS["columns"][:1]}
    client.put(f"{API}/templates/{own}/draft", json=changed, headers={"If-Match": f'"{revision}"'}).raise_for_status()
    was = run(services, client, again=before["id"], as_it="was")
    now = run(services, client, again=before["id"], as_it="is")

    assert [c["heading"] for c in was["slip"]["columns"]] == ["Code", "Ward"]
    assert [c["heading"] for c in now["slip"]["columns"]] == ["Code"]
    assert was["as_of"] == before["as_of"]
    history = client.get(f"{API}/runs/{now['id']}/history").json()
    assert [h["id"] for h in history] == [before["id"], was["id"], now["id"]]
    assert [h["rows"] for h in history] == [12, 12, 12]


# Files


def test_a_file_by_ranges_and_not_twice(services: Services, sign_in: SignIn) -> None:
    """ETag, 304, single ranges, a range beyond the end, HEAD; and all files as one zip."""
    client = sign_in("ines")
    own = template(client, {**WARDS, "output": {"name": "wards", "split": {"rows": 5}, "companions": ["slip"]}})
    newest = f"{API}/templates/{own}/newest"
    assert "no good run" in client.get(newest).json()["detail"]
    done = run(services, client, template_id=own)
    whole = client.get(newest)
    etag = whole.headers["ETag"]

    assert etag == f'"{done["files"][0]["sha256"]}"'
    assert (whole.headers["X-Run"], whole.headers["X-Parts"]) == (str(done["id"]), "3")
    assert whole.headers["Content-Disposition"].startswith('attachment; filename="wards-1.csv"')
    assert client.get(newest, params={"part": 3}).text.count("\r\n") == 3
    assert client.get(newest, params={"part": 4}).status_code == 404
    assert client.get(newest, headers={"If-None-Match": etag}).status_code == 304
    part = client.get(newest, headers={"Range": "bytes=2-5"})
    assert (part.status_code, part.content, part.headers["Content-Range"]) == (
        206,
        whole.content[2:6],
        f"bytes 2-5/{len(whole.content)}",
    )
    other = client.get(newest, headers={"Range": "bytes=2-5", "If-Range": '"other"'})
    assert (other.status_code, other.content) == (200, whole.content)
    assert client.get(newest, headers={"Range": "bytes=99999-"}).status_code == 416
    head = client.head(newest)
    assert (head.status_code, head.content, head.headers["Content-Length"]) == (200, b"", str(len(whole.content)))

    archive = client.get(f"{API}/runs/{done['id']}/archive")
    with zipfile.ZipFile(io.BytesIO(archive.content)) as made:
        assert made.testzip() is None
        assert made.namelist() == ["wards-1.csv", "wards-2.csv", "wards-3.csv", "wards-slip.json"]


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ("", (0, 10)),
        ("bytes=0-3", (0, 4)),
        ("bytes=4-", (4, 6)),
        ("bytes=-3", (7, 3)),
        ("bytes=-30", (0, 10)),
        ("bytes=8-99", (8, 2)),
        ("bytes=10-", None),
        ("bytes=-0", None),
        ("bytes=5-2", (0, 10)),
        ("bytes=0-1,4-5", (0, 10)),
        ("rows=1-2", (0, 10)),
        ("bytes=-", (0, 10)),
        (f"bytes={'9' * 5000}-", (0, 10)),
        ("bytes=٣-", (0, 10)),
    ],
)
def test_ranges(asked: str, found: tuple[int, int] | None) -> None:
    """As RFC 9110 has it; what cannot be read is answered with the whole."""
    assert wanted_range({"Range": asked} if asked else {}, 10, '"e"') == found


def test_the_newest_good_file_is_of_my_part_of_the_source(services: Services, sign_in: SignIn) -> None:
    """Who may see two wards is not given the file of all; their own run is their newest."""
    client = sign_in("ines")
    own = template(client)
    run(services, client, template_id=own)
    sign_in("tobin")
    assert client.get(f"{API}/templates/{own}/newest").status_code == 404
    mine = run(services, client, template_id=own)

    assert mine["rows_written"] == 2
    assert client.get(f"{API}/templates/{own}/newest").headers["X-Run"] == str(mine["id"])


# Tokens


def test_a_program_acts_by_a_token(services: Services, sign_in: SignIn) -> None:
    """Shown once, kept as a digest; reads, and runs only if it may; expires; is taken back at once."""
    client = sign_in("ines")
    own = template(client)
    run(services, client, template_id=own)
    reads = post(client, "/tokens", 201, name="load", acts=["look"])
    runs = post(client, "/tokens", 201, name="nightly", acts=["run"], days=2)
    listed = client.get(f"{API}/tokens").json()
    assert [t["secret"] for t in listed] == [None, None]
    assert listed[0]["hint"] == runs["secret"][: len(listed[0]["hint"])]
    client.cookies.clear()

    def bearer(token: dict[str, Any]) -> dict[str, str]:
        return {"Authorization": f"Bearer {token['secret']}"}

    newest = f"{API}/templates/{own}/newest"
    assert client.get(newest).status_code == 401
    assert client.get(newest, headers=bearer(reads)).status_code == 200
    assert client.get(newest, auth=("anything", reads["secret"])).status_code == 200
    assert client.get(newest, headers={"Authorization": "Basic !"}).status_code == 401
    body = {"template_id": own, "use": "draft"}
    refused = client.post(f"{API}/runs", json=body, headers=bearer(reads))
    assert (refused.status_code, refused.json()["detail"]) == (403, "This token may not run templates.")
    keyed = {**bearer(runs), "Idempotency-Key": "monday"}
    first, again = (client.post(f"{API}/runs", json=body, headers=keyed).json() for _ in range(2))
    assert (first["id"], first["via"], first["asked_by"]) == (again["id"], "script", "Ines Harrow, by a program")
    assert client.put(f"{API}/templates/{own}/draft", json=WARDS, headers=bearer(runs)).status_code in (403, 428)
    assert client.post(f"{API}/tokens", json={"name": "x", "acts": ["look"]}, headers=bearer(runs)).status_code == 403
    services.clock = lambda: NOW + timedelta(days=3)
    assert client.get(newest, headers=bearer(runs)).status_code == 401
    assert client.get(newest, headers=bearer(reads)).status_code == 200
    sign_in("ines")
    assert client.get(f"{API}/tokens").json()[1]["last_used_at"] is not None
    assert client.delete(f"{API}/tokens/{reads['id']}").status_code == 204
    client.cookies.clear()
    assert client.get(newest, headers=bearer(reads)).status_code == 401


def test_nobody_sees_anothers_tokens(sign_in: SignIn) -> None:
    """They are not listed, and cannot be taken back."""
    client = sign_in("ines")
    token = post(client, "/tokens", 201, name="mine", acts=["look"])
    sign_in("marta")

    assert client.get(f"{API}/tokens").json() == []
    assert client.delete(f"{API}/tokens/{token['id']}").status_code == 404


# Comparing and checking


def test_two_runs_are_compared_and_a_file_is_given_back(services: Services, sign_in: SignIn) -> None:
    """By the key that the catalogue proposes; who may see less is refused."""
    client = sign_in("ines")
    editable = [{**WARDS["columns"][0]}, {**WARDS["columns"][1], "editable": True}]
    own = template(client, {**WARDS, "columns": editable})
    whole = run(services, client, template_id=own)
    part = run(services, client, template_id=own, also={"path": "residents", "is": "at_least", "value": 12_000})
    found = post(client, f"/runs/{part['id']}/compare", before=whole["id"])

    assert (found["status"], found["key"], found["added"], found["changed"]) == ("ready", ["Ward"], 0, 0)
    assert found["gone"] == 12 - part["rows_written"]
    assert client.get(f"{API}/comparisons/{found['id']}").json() == found
    assert client.get(f"{API}/runs/{part['id']}/compare/{whole['id']}/key").json() == ["Ward"]
    assert post(client, f"/runs/{part['id']}/compare", 422, before=part["id"])["type"].endswith("same_run")

    content = client.get(f"{API}/runs/{whole['id']}/files/{whole['files'][0]['id']}").content
    given = content.decode().replace("Quay", "Quayside")
    answer = client.post(
        f"{API}/runs/given-back", params={"name": "a.csv", "run_id": whole["id"]}, content=given.encode()
    ).json()
    assert (answer["run"]["id"], answer["rows"], answer["unknown"], answer["same"]) == (whole["id"], 12, 1, 11)
    strange = client.post(f"{API}/runs/given-back", params={"name": "x.csv"}, content=b"a,b\n1,2\n")
    assert strange.status_code == 422
    assert "Say which run" in strange.json()["detail"]
    sign_in("tobin")
    assert post(client, f"/runs/{part['id']}/compare", 403, before=whole["id"])["type"].endswith("out_of_scope")
    assert client.get(f"{API}/runs/{whole['id']}").json()["findings"] == []


def test_checks_while_designing(services: Services, sign_in: SignIn, query: Any) -> None:
    """The number of rows that would object, some of them, and the cells that are tinted."""
    client = sign_in("ines")
    document = {
        "name": "Trees",
        "records": "tree",
        "columns": [
            {"id": "a", "heading": "Tag", "value": {"field": "tag"}},
            {"id": "b", "heading": "Girth", "value": {"field": "t_girth"}},
            {"id": "c", "heading": "Status", "value": {"field": "status"}},
        ],
        "checks": [
            {"file": "rows", "greatest": 10},
            {"column": "b", "must": "filled", "severity": "hold"},
            {"formula": "{Girth} < 100000"},
            {"column": "c", "must": "unique"},
        ],
    }
    counts = post(client, "/design/checks", document=document)
    look = post(client, "/design/look", document=document, limit=200)
    ((blank, rows),) = query("SELECT count(*) FILTER (WHERE t_girth IS NULL), count(*) FROM tree")

    assert counts["rows"] == rows
    assert [(c["place"], c["objections"], c["whole"]) for c in counts["checks"]] == [
        ("checks[0]", 1, True),
        ("checks[1]", blank, False),
        ("checks[2]", blank, False),
        ("checks[3]", rows - query("SELECT count(*) FROM tree WHERE t_st IS NULL")[0][0], False),
    ]
    assert counts["checks"][0]["saw"] == f"it has {rows:,} rows"
    assert len(counts["checks"][1]["rows"]) == 5
    empty = [n for n, r in enumerate(look["rows"]) if r[1] is None]
    assert empty
    assert [m["row"] for m in look["marks"] if m["column"] == 1] == empty
    assert [m["row"] for m in look["marks"] if m["column"] is None] == empty
    assert len([m for m in look["marks"] if m["column"] == 2]) == sum(r[2] is not None for r in look["rows"])
    wrong = {**document, "checks": [{"column": "b", "must": "between"}]}
    assert [p["place"] for p in post(client, "/design/look", document=wrong)["problems"]] == ["checks[0].least"]


def test_what_a_run_will_be_is_told_before(services: Services, sign_in: SignIn) -> None:
    """By earlier runs where there are any, by the usual pace where not."""
    client = sign_in("ines")
    own = template(client)
    ask = f"{API}/templates/{own}/expected"
    rough = client.get(ask, params={"rows": 1_000_000}).json()
    done = run(services, client, template_id=own)
    with services.store.session() as session:
        made = ledger.get_run(session, done["id"])
        made.finished_at = NOW + timedelta(seconds=3)
    known = client.get(ask, params={"rows": 24}).json()

    assert rough["runs"] == 0
    assert rough["seconds"] > 0.5
    assert (known["runs"], known["bytes"], known["seconds"]) == (1, 2 * done["files"][0]["size"], 6.0)


def test_a_bundle_by_the_api(services: Services, sign_in: SignIn) -> None:
    """Templates and whole record types; a record type that is not there is told."""
    client = sign_in("ines")
    own = template(client)
    done = run(services, client, bundle={"name": "Both", "templates": [own], "records": ["crew"]}, use="saved")

    assert (done["bundle"], done["status"], [f["role"] for f in done["files"]]) == (True, "ready", ["archive"])
    again = run(services, client, again=done["id"], as_it="was")
    assert again["rows_written"] == done["rows_written"]
    wrong = post(client, "/runs", 422, bundle={"name": "X", "records": ["nothing"]})
    assert wrong["errors"][0]["place"] == "bundle.records"


def test_a_clerk_of_two_wards_exports_their_own_ledger(services: Services, sign_in: SignIn) -> None:
    """A scope speaks of the application's records, not of the ledger; other people's runs are not in it."""
    client = sign_in("ines")
    others = run(services, client, document=WARDS)
    client = sign_in("tobin")
    asked = client.post(f"{API}/runs/export")
    assert asked.status_code == 202, asked.text
    execute(services, asked.json()["id"])
    done = client.get(f"{API}/runs/{asked.json()['id']}").json()
    lines = client.get(f"{API}/runs/{done['id']}/files/{done['files'][0]['id']}").text.splitlines()

    assert done["status"] == "ready"
    assert not any(line.startswith(f"{others['id']},") for line in lines)


def test_a_run_that_was_asked_for_once_is_kept_as_a_template(services: Services, sign_in: SignIn) -> None:
    """With what limited it for once, in its format, under a free name; its next run has the same rows."""
    client = sign_in("ines")
    once = run(services, client, template_id=template(client), only=[["1"], ["2"]], format="jsonl")
    kept = post(client, f"/templates/from-run/{once['id']}", 201)
    again = run(services, client, template_id=kept["id"], use="draft")

    assert (once["rows_written"], again["rows_written"]) == (2, 2)
    assert (kept["document"]["output"]["format"], kept["name"] != once["name"]) == ("jsonl", True)
    assert sign_in("tobin").post(f"{API}/templates/from-run/{once['id']}").status_code == 403


def test_one_template_runs_with_the_columns_of_a_view(services: Services, sign_in: SignIn) -> None:
    """For this once; a view of others, or of other records, is none; personal data of it is asked for, too."""
    client = sign_in("ines")
    own = template(client)
    codes = {**WARDS, "name": "Codes", "columns": [{"id": "a", "heading": "Only the code", "value": {"field": "code"}}]}
    trees = {"name": "t", "records": "tree", "columns": [{"id": "a", "heading": "T", "value": {"field": "tag"}}]}
    view = client.put(f"{API}/records/ward/views", json={"name": "codes", "document": codes}).json()["id"]
    other = client.put(f"{API}/records/tree/views", json={"name": "tags", "document": trees}).json()["id"]

    done = run(services, client, template_id=own, view=view)
    assert [c["heading"] for c in done["slip"]["columns"]] == ["Only the code"]
    assert (done["template_id"], done["version"]) == (own, None)
    assert [c["heading"] for c in run(services, client, template_id=own)["slip"]["columns"]] == ["Code", "Ward"]
    ordered = template(client, {**WARDS, "name": "Ordered", "order": [{"column": "b"}]})
    kept = run(services, client, template_id=ordered, view=view)
    assert [c["heading"] for c in kept["slip"]["columns"]] == ["Only the code", "Ward"], "what it is ordered by stays"
    assert post(client, "/runs", 409, template_id=own, view=other)["type"].endswith("not_possible")
    client = sign_in("marta")
    post(client, "/runs", 404, template_id=own, view=view)


def test_records_open_with_the_view_that_a_person_likes(client: TestClient, sign_in: SignIn) -> None:
    """It is theirs, by source and record type; what is no view's number is refused."""
    sign_in("ines")
    client.put(f"{API}/session/preferences", json={"views": {"/ward": 7}}).raise_for_status()
    assert client.get(f"{API}/session").json()["preferences"]["views"] == {"/ward": 7}
    assert client.put(f"{API}/session/preferences", json={"views": {"/ward": -1}}).status_code == 422


def test_a_run_is_limited_to_one_list_or_to_several_together(services: Services, sign_in: SignIn) -> None:
    """A record that is in both goes out once; a list that is not there is named."""
    client = sign_in("ines")
    own = template(client)
    for name, keys in (("north", ["1", "2"]), ("south", ["2", "3"])):
        client.put(f"{API}/picks/{name}", json={"records": "ward", "keys": [[k] for k in keys]}).raise_for_status()

    assert run(services, client, template_id=own, picks="north")["rows_written"] == 2
    assert run(services, client, template_id=own, picks=["north", "south"])["rows_written"] == 3
    assert "nowhere" in post(client, "/runs", 422, template_id=own, picks=["north", "nowhere"])["errors"][0]["message"]
