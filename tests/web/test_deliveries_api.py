"""
Means, recipients, rounds that send, deliveries and links over the wire.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient

from bouquet.delivery import deliver_due
from bouquet.demo.post_room import Room, StandIn, webhook_stand_in
from bouquet.runs import Services, execute
from bouquet.store.models import Means, Recipient

SignIn = Callable[[str], TestClient]

WARDS: dict[str, Any] = {
    "name": "Wards",
    "records": "ward",
    "columns": [
        {"id": "a", "heading": "Ward", "value": {"field": "name"}},
        {"id": "b", "heading": "Code", "value": {"field": "code"}},
    ],
    "output": {"name": "wards"},
}


@pytest.fixture
def desk(tmp_path: Any) -> Iterator[tuple[Room, StandIn]]:
    room = Room(tmp_path / "room")
    made = webhook_stand_in(room, "a key")
    yield room, made
    made.stop()


def ok(answer: Any, status: int = 200) -> Any:
    assert answer.status_code == status, answer.text
    return answer.json() if answer.content else None


def means(client: TestClient, kind: str, settings: dict[str, Any], secret: str = "") -> int:
    body = {"name": f"By {kind}", "kind": kind, "settings": settings, "secret": secret}
    return int(ok(client.post("/api/v1/means", json=body), 201)["id"])


def recipient(client: TestClient, means_id: int, name: str = "Desk", **more: Any) -> dict[str, Any]:
    body = {"name": name, "means_id": means_id, **more}
    found: dict[str, Any] = ok(client.post("/api/v1/recipients", json=body), 201)
    return found


def saved(client: TestClient) -> int:
    number = ok(client.post("/api/v1/templates", json={"document": WARDS}), 201)["id"]
    ok(client.post(f"/api/v1/templates/{number}/versions", json={}, headers={"If-Match": '"1"'}), 201)
    return int(number)


def sent_round(client: TestClient, services: Services, recipients: list[int]) -> dict[str, Any]:
    """A called round that sends to these, called and carried out; its run."""
    template = saved(client)
    body = {"template_id": template, "trigger": "called", "recipients": [{"recipient_id": r} for r in recipients]}
    round_id = ok(client.post("/api/v1/rounds", json=body), 201)["id"]
    run = ok(client.post(f"/api/v1/rounds/{round_id}/call"), 202)
    execute(services, run["id"])
    for number in recipients:
        deliver_due(services, number)
    found: dict[str, Any] = ok(client.get(f"/api/v1/runs/{run['id']}"))
    return found


def test_what_a_keeper_sets_up_a_designer_sends_by(
    services: Services, sign_in: SignIn, desk: tuple[Room, StandIn]
) -> None:
    room, stand_in = desk
    client = sign_in("marta")
    number = means(client, "webhook", stand_in.settings, stand_in.secret)
    (listed,) = ok(client.get("/api/v1/means"))
    assert (listed["has_secret"], "a key" in str(listed)) == (True, False)
    with services.store.session() as session:
        assert "a key" not in session.get_one(Means, number).secret
    client = sign_in("ines")
    (seen,) = ok(client.get("/api/v1/means"))
    assert seen["settings"] == {}
    assert client.post("/api/v1/means", json={"name": "x", "kind": "folder"}).status_code == 403
    made = recipient(client, number, acceptance={"format": "csv", "columns": [{"heading": "Code"}]})
    assert made["sentence"].startswith(
        "Desk takes a CSV, with 1 column in this order and no others, by a request to http"
    )
    run = sent_round(client, services, [made["id"]])
    (delivery,) = ok(client.get(f"/api/v1/deliveries?run={run['id']}"))["deliveries"]
    (round_,) = ok(client.get("/api/v1/rounds"))
    one = ok(client.get(f"/api/v1/rounds/{round_['id']}"))

    assert ([r["name"] for r in one["recipients"]], one["remembers"], one["folder"]) == (["Desk"], False, "")
    assert (delivery["state"], delivery["files"]) == ("arrived", ["wards.csv"])
    assert room.arrivals[0].beginning.splitlines()[0] == "Code"
    assert [e["state"] for e in delivery["events"]] == ["waiting", "sending", "arrived"]


def test_what_a_recipient_was_sent_is_looked_at_and_sent_again_for_them_alone(
    services: Services, sign_in: SignIn
) -> None:
    """One of two takes only what is new; the round says so in its document, and remembers it for that one."""
    client = sign_in("marta")
    number = means(client, "folder", {})
    whole, new = (recipient(client, number, name, address={"folder": name})["id"] for name in ("Whole", "New"))
    template = saved(client)
    wants = [{"recipient_id": whole}, {"recipient_id": new, "only": "new"}]
    body = {"template_id": template, "trigger": "called", "recipients": wants}
    round_ = ok(client.post("/api/v1/rounds", json=body), 201)
    files = []
    for again in (False, True):
        run = ok(client.post(f"/api/v1/rounds/{round_['id']}/call"), 202)["id"]
        execute(services, run)
        for one in (whole, new):
            deliver_due(services, one)
        files += [
            [(f["name"], f["rows"]) for f in r["files"]]
            for r in ok(client.get(f"/api/v1/runs/{run}"))["slip"]["recipients"]
        ]
        whose = {"round_id": round_["id"], "recipient_id": new}
        path = f"/api/v1/templates/{template}/memory"
        assert ok(client.get(path, params=whose))["records"] == 12
        if not again:
            assert ok(client.post(f"{path}/forget", params=whose, json={"keys": [["1"], ["2"]]}))["records"] == 2

    sent = ok(client.get(f"/api/v1/deliveries?run={run}"))["deliveries"]
    assert {d["recipient"]: d["rows"] for d in sent} == {"Whole": 12, "New": 2}
    assert [r["remembers"] for r in ok(client.get(f"/api/v1/rounds/{round_['id']}"))["recipients"]] == [False, True]
    document = ok(client.get(f"/api/v1/rounds/{round_['id']}/document"))
    assert document["recipients"] == [{"recipient": "Whole"}, {"recipient": "New", "only": "new"}]
    assert files == [[], [("wards.csv", 12)], [], [("wards.csv", 2)]]
    for whose in ({"recipient_id": new}, {"round_id": round_["id"], "recipient_id": 999}):
        assert client.get(path, params=whose).status_code == 404


def test_who_wants_only_what_is_new_needs_records_that_can_be_told_apart(services: Services, sign_in: SignIn) -> None:
    """Of a template of groups, it is refused when the round is set."""
    client = sign_in("marta")
    made = recipient(client, means(client, "folder", {}), address={"folder": "x"})
    grouped = {**WARDS, "name": "Groups", "rows": {"per": "group", "by": [{"path": "name"}]}}
    grouped["columns"] = [{"id": "a", "heading": "Ward", "value": {"field": "name"}}]
    number = ok(client.post("/api/v1/templates", json={"document": grouped}), 201)["id"]
    ok(client.post(f"/api/v1/templates/{number}/versions", json={}, headers={"If-Match": '"1"'}), 201)
    body = {"template_id": number, "trigger": "called", "recipients": [{"recipient_id": made["id"], "only": "new"}]}
    answer = client.post("/api/v1/rounds", json=body)

    assert answer.status_code == 422, answer.text
    assert "A group is no record" in answer.text


def test_trying_means_says_what_happened_at_each_step(sign_in: SignIn, desk: tuple[Room, StandIn]) -> None:
    client = sign_in("marta")
    body = {"kind": "webhook", "settings": desk[1].settings, "secret": "a key"}
    said = client.post("/api/v1/means/try", json=body).text
    assert re.findall(r'"mark":"(\w+)"', said) == ["care", "good", "good"]
    assert desk[0].arrivals == []
    wrong = {"kind": "webhook", "settings": {**desk[1].settings, "url": "http://127.0.0.1:9/x"}}
    assert '"mark":"wrong"' in client.post("/api/v1/means/try", json=wrong).text


def test_a_template_is_held_against_a_layout_from_a_header_row(sign_in: SignIn) -> None:
    client = sign_in("marta")
    number = means(client, "folder", {})
    text = "CODE;Ward;Trees;Opened\n03;Quay;0012;2026-01-02\n07;Salter;0007;2026-02-03"
    layout = ok(client.post("/api/v1/recipients/layout", json={"text": text}))["acceptance"]
    kinds = [c.get("kind") for c in layout["columns"]]
    made = recipient(client, number, acceptance=layout)
    fits = ok(client.post(f"/api/v1/recipients/{made['id']}/fit", json={"document": WARDS}))

    assert (kinds, layout["csv"]["separator"]) == (["text", "text", "text", "date"], ";")
    assert [(c["heading"], c["state"]) for c in fits["columns"]] == [
        ("CODE", "wrong place"),
        ("Ward", "wrong place"),
        ("Trees", "missing"),
        ("Opened", "missing"),
    ]
    assert fits["words"] == "2 of 4 columns are met, 2 missing"
    published = {
        "tableSchema": {"columns": [{"name": "ward", "required": True}, {"name": "trees", "datatype": "integer"}]}
    }
    read = ok(client.post("/api/v1/recipients/layout", json={"text": json.dumps(published)}))["acceptance"]
    refused = client.post("/api/v1/recipients/layout", json={"text": "{}"})
    assert [(c["heading"], c["kind"]) for c in read["columns"]] == [("ward", "text"), ("trees", "whole number")]
    assert (refused.status_code, refused.json()["errors"][0]["place"]) == (422, "tableSchema")


def test_what_is_wrong_is_said_when_it_is_saved(services: Services, sign_in: SignIn) -> None:
    client = sign_in("marta")
    number = means(client, "mail", {"host": "mail.example", "sender": "a@house.example"})
    for more, said in (
        ({"address": {}}, "to"),
        ({"address": {"to": ["nobody"]}}, "no e-mail address"),
        (
            {"address": {"to": ["a@b.example"]}, "acceptance": {"columns": [{"heading": "A"}, {"heading": "A"}]}},
            "called",
        ),
        (
            {"address": {"to": ["a@b.example"]}, "acceptance": {"columns": [{"heading": "A", "pattern": "("}]}},
            "pattern",
        ),
        ({"address": {"to": ["a@b.example"]}, "acceptance": {"anything": 1}}, "anything"),
    ):
        answer = client.post("/api/v1/recipients", json={"name": "X", "means_id": number, **more})
        assert (answer.status_code, said in answer.text) == (422, True), answer.text
    template = saved(client)
    sheets = {**WARDS, "name": "Sheets", "output": {"format": "xlsx", "split": {"by": "code", "into": "sheets"}}}
    book = ok(client.post("/api/v1/templates", json={"document": sheets}), 201)["id"]
    ok(client.post(f"/api/v1/templates/{book}/versions", json={}, headers={"If-Match": '"1"'}), 201)
    asked = {"template_id": book, "format": "xlsx", "own_part": {"fact": "code"}}
    assert "sheets of one file" in client.post("/api/v1/rounds", json=asked).text
    alone = client.post("/api/v1/rounds", json={"template_id": template})
    parts = client.post("/api/v1/rounds", json={"template_id": template, "own_part": {"fact": "code"}})
    assert (alone.status_code, "would lie here unseen" in alone.text) == (422, True)
    assert (parts.status_code, "Split the file by a value first" in parts.text) == (422, True)


def offered(client: TestClient, services: Services, **address: Any) -> tuple[str, dict[str, Any]]:
    number = means(client, "link", {"most": 2})
    made = recipient(client, number, address=address)
    run = sent_round(client, services, [made["id"]])
    (delivery,) = ok(client.get(f"/api/v1/deliveries?run={run['id']}"))["deliveries"]
    link = ok(client.get(f"/api/v1/deliveries/{delivery['id']}/link"))
    return link["address"].partition("/take/")[2], delivery


def test_a_link_is_looked_at_by_anybody_and_fetched_by_a_button(services: Services, sign_in: SignIn) -> None:
    """A look never counts: programs that read mails follow addresses."""
    client = sign_in("marta")
    secret, delivery = offered(client, services)
    assert delivery["state"] == "offered"
    client.cookies.clear()
    page = client.get(f"/take/{secret}")
    (action,) = re.findall(r'action="(/take/[0-9a-f]{40}/\d+)"', page.text)
    again = client.get(f"/take/{secret}")
    first = client.post(action)
    second, third = client.post(action), client.post(action)

    assert (page.status_code, again.text) == (200, page.text)
    assert "wards.csv" in page.text
    assert "One row per ward" in page.text
    assert "Sent by Bouquet for Marta Lindqvist;" in page.text
    assert first.text.splitlines()[0] == "Ward,Code"
    assert [r.status_code for r in (first, second, third)] == [200, 200, 404]
    assert page.headers["Referrer-Policy"] == "same-origin"
    assert ok(sign_in("marta").get(f"/api/v1/deliveries/{delivery['id']}"))["state"] == "arrived"
    told = ok(client.get("/api/v1/journal?act=fetched a file by a link"))["entries"]
    assert [(e["via"], e["name"], e["thing_id"]) for e in told] == [("link", "wards.csv", str(delivery["id"]))] * 2


def test_whoever_follows_a_link_reads_its_pages_in_their_language(services: Services, sign_in: SignIn) -> None:
    """No word of ours is left in English; what the house calls its things stays."""
    client = sign_in("marta")
    secret, _ = offered(client, services, passphrase="oak & ash")
    german = {"Accept-Language": "de"}
    pages = [
        client.get(f"/take/{secret}", headers=german),
        client.post(f"/take/{secret}", data={"passphrase": "elm"}, headers=german),
        client.post(f"/take/{secret}", data={"passphrase": "oak & ash"}, headers=german),
        client.get("/take/" + "0" * 40, headers=german),
    ]
    words = " ".join(re.sub("<style>.*?</style>|<[^>]*>", " ", page.text) for page in pages)

    assert all('lang="de"' in page.text for page in pages)
    assert ["Kennwort" in words, "noch 2-mal abzuholen" in words, "Der Link gilt bis" in words] == [True] * 3
    assert re.findall(r"\b(?:for|Fetch|link|passphrase|files|is not)\b", words) == []


def test_a_passphrase_is_asked_for_and_guessing_closes_the_link(services: Services, sign_in: SignIn) -> None:
    client = sign_in("marta")
    secret, _ = offered(client, services, passphrase="oak & ash")
    assert "wards" not in client.get(f"/take/{secret}").text
    right = client.post(f"/take/{secret}", data={"passphrase": "oak & ash"})
    assert "wards.csv" in right.text
    strange = {"Content-Type": "application/x-www-form-urlencoded"}
    for form in ("passphrase=elm", "a=1&" * 20, "a=1&" * 2_000, "passphrase=%ff%00", *["passphrase=elm"] * 6):
        assert client.post(f"/take/{secret}", content=form, headers=strange).status_code == 403
    assert client.post(f"/take/{secret}", data={"passphrase": "oak & ash"}).status_code == 404


def test_what_is_withdrawn_cannot_be_fetched(services: Services, sign_in: SignIn) -> None:
    client = sign_in("marta")
    secret, delivery = offered(client, services)
    path = f"/api/v1/deliveries/{delivery['id']}"
    assert client.post(path, json={"act": "withdraw"}).status_code == 422
    ok(client.post(path, json={"act": "withdraw", "reason": "sent to the wrong desk"}))
    assert client.get(f"/take/{secret}").status_code == 404
    assert client.get("/take/" + "0" * 40).status_code == 404


def test_the_ledger_says_what_became_of_what_was_sent(
    services: Services, sign_in: SignIn, desk: tuple[Room, StandIn]
) -> None:
    """Of each recipient the newest delivery; in the list, in its filter and in its export."""
    client = sign_in("marta")
    works = means(client, "webhook", desk[1].settings, desk[1].secret)
    ones = [recipient(client, works, "Desk")["id"], recipient(client, means(client, "link", {}), "Visitor")["id"]]
    run = sent_round(client, services, ones)

    def listed(**wanted: Any) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = ok(client.get("/api/v1/runs", params=wanted))["runs"]
        return found

    (shown,) = listed()
    assert shown["sent"] == {"arrived": 1, "under_way": 1, "failed": 0, "given_up": 0}
    (offered,) = ok(client.get("/api/v1/deliveries?state=offered"))["deliveries"]
    assert [r["id"] for r in listed(sent="under_way")] == [run["id"]]
    assert listed(sent="failed") == []
    ok(client.post(f"/api/v1/deliveries/{offered['id']}", json={"act": "withdraw", "reason": "by telephone"}))
    assert listed(sent="under_way") == []
    asked = ok(client.post("/api/v1/runs/export", params={"sent": "arrived"}), 202)
    execute(services, asked["id"])
    done = ok(client.get(f"/api/v1/runs/{asked['id']}"))
    text = client.get(f"/api/v1/runs/{done['id']}/files/{done['files'][0]['id']}").text
    (row,) = csv.DictReader(io.StringIO(text))
    assert (row["Run"], row["Recipients it arrived with"], row["Recipients for whom it was given up"]) == (
        str(run["id"]), "1", "1",
    )  # fmt: skip


def test_a_clerk_of_two_wards_sees_only_deliveries_of_what_is_theirs(services: Services, sign_in: SignIn) -> None:
    client = sign_in("marta")
    made = recipient(client, means(client, "folder", {}))
    run = sent_round(client, services, [made["id"]])
    (delivery,) = ok(client.get("/api/v1/deliveries"))["deliveries"]
    tobin = sign_in("tobin")

    assert ok(tobin.get("/api/v1/deliveries"))["deliveries"] == []
    assert tobin.get(f"/api/v1/deliveries/{delivery['id']}").status_code == 403
    assert tobin.post(f"/api/v1/deliveries/{delivery['id']}", json={"act": "again"}).status_code == 403
    assert run["status"] == "ready"


def test_while_a_round_is_set_it_says_which_parts_nobody_receives(sign_in: SignIn) -> None:
    """Codes that only look alike are not the same."""
    client = sign_in("marta")
    number = means(client, "folder", {})
    for name, ward in (("Three", "03"), ("Trois", "3"), ("Seven", "07 ")):
        recipient(client, number, name, acceptance={"facts": {"ward": ward}})
    split = {**WARDS, "name": "Split", "output": {"name": "w_{value:code}", "split": {"by": "code"}}}
    template = ok(client.post("/api/v1/templates", json={"document": split}), 201)["id"]
    body = {"template_id": template, "trigger": "called", "own_part": {"fact": "ward"}}
    planned = ok(client.post("/api/v1/rounds/preview", json=body))

    assert planned["parts"] == 12
    assert len(planned["parts_of_nobody"]) == 11
    assert "03" not in planned["parts_of_nobody"]
    assert "07" in planned["parts_of_nobody"]


def test_an_address_that_was_kept_before_it_was_refused_is_listed_and_told(
    services: Services, sign_in: SignIn, desk: tuple[Room, StandIn]
) -> None:
    marta = sign_in("marta")
    made = recipient(marta, means(marta, "webhook", desk[1].settings, desk[1].secret))
    with services.store.session() as session:
        session.get_one(Recipient, made["id"]).address = {"path": "%2e%2e/other"}
    (listed,) = ok(marta.get("/api/v1/recipients"))
    assert "Nothing is sent: path: The path does not lead upwards" in listed["sentence"]


def test_a_recipient_receives_by_several_ways(sign_in: SignIn, desk: tuple[Room, StandIn]) -> None:
    """Each is read, changed and refused at its place; what somebody receives by cannot be removed."""
    marta = sign_in("marta")
    by_desk = means(marta, "webhook", desk[1].settings, desk[1].secret)
    by_link = means(marta, "link", {})
    made = recipient(marta, by_desk, more_ways=[{"means_id": by_link, "address": {"passphrase": "reed"}}])
    assert [(w["means"], w["address"]) for w in made["more_ways"]] == [("By link", {"passphrase": "reed"})]
    assert "by a request to" in made["sentence"]
    assert " and by " in made["sentence"]
    entry = ok(marta.get("/api/v1/journal"))["entries"][0]
    assert (entry["act"], entry["facts"]["ways"]) == ("added a recipient", ["By webhook", "By link"])
    assert "reed" not in json.dumps(entry)
    assert marta.delete(f"/api/v1/means/{by_link}").status_code == 409
    body = {"name": "Desk", "means_id": by_desk}
    wrong = {**body, "more_ways": [{"means_id": by_link, "address": {"days": 3}}]}
    refused = marta.put(f"/api/v1/recipients/{made['id']}", json=wrong)
    assert refused.status_code == 422
    assert "Way 2, By link" in refused.json()["detail"]
    many = {**body, "more_ways": [{"means_id": by_link}] * 6}
    assert marta.put(f"/api/v1/recipients/{made['id']}", json=many).status_code == 422
    assert ok(marta.put(f"/api/v1/recipients/{made['id']}", json=body))["more_ways"] == []
    ok(marta.delete(f"/api/v1/means/{by_link}"), 204)
