"""
Setting the demonstration up: database, Marrowby, people, templates with a past.

Everything here can be repeated; what is there already is left as it is.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from functools import partial
from importlib.resources import files
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import psycopg
import sqlalchemy as sa

from bouquet.core.template import read_document
from bouquet.core.wording.sentence import Sentence
from bouquet.delivery import deliver_due
from bouquet.demo.cluster import Cluster, port_is_free
from bouquet.demo.handing_over import seed_handing_over
from bouquet.demo.issuer import CLIENT, Guest, Issuer
from bouquet.demo.marrowby.generate import fill_marrowby
from bouquet.demo.post_room import (
    Room,
    StandIn,
    mail_stand_in,
    sftp_stand_in,
    store_stand_in,
    webhook_stand_in,
)
from bouquet.demo.recipients import seed_means, send_rounds
from bouquet.rounds import rhythm_of, run_now, tick_rounds
from bouquet.runs import Queue, Services, ask_for_run, execute
from bouquet.settings import Settings
from bouquet.store import groups, people
from bouquet.store import templates as shelf
from bouquet.store.deliveries import due_lines
from bouquet.store.models import Delivery, Notice, Person, Round, Run, TemplateRecord
from bouquet.store.secrets import new_key

__all__ = ["PEOPLE", "Demo", "seed_people", "seed_templates"]

ZONE = ZoneInfo("Europe/London")

#: What Tobin's rights leave: two wards.
TOBINS_WARDS = {"records": "ward", "field": "code", "values": ["03", "07"]}

#: (name, address, roles, password)
PEOPLE = (
    ("Ines Harrow", "ines@marrowby.example", ["designer"], "damson-and-lime"),
    ("Tobin Reyes", "tobin@marrowby.example", ["runner"], "quay-and-salter"),
    ("Marta Lindqvist", "marta@marrowby.example", ["keeper"], "oak-before-ash"),
    ("Oskar Vale", "oskar@marrowby.example", ["auditor"], "ledger-and-slip"),
)

#: Whom the town hall's sign-in knows.
GUESTS = (
    Guest("Kim Hale", "kim@marrowby.example", ("parks-office",)),
    Guest("Ines Harrow", "ines@marrowby.example"),
    Guest("Robin Ash", "robin@marrowby.example", ("library",)),
)

FIRST_WEB_PORT = 8010
DAYS_OF_PAST = 8


@dataclass
class Demo:
    """
    The demonstration in one folder.
    """

    folder: Path
    say: Callable[[str], None]

    def __post_init__(self) -> None:
        self.folder = self.folder.resolve()
        self.cluster = Cluster(self.folder / "cluster")
        self.stand_ins: dict[str, StandIn] = {}
        self.issuer: Issuer | None = None

    @property
    def env_file(self) -> Path:
        return self.folder / "bouquet.env"

    def prepare(self, *, scale: int, frontend: Path | None) -> Settings:
        """
        Start the database and bring everything up to date. Returns the settings to serve with.
        """
        self.cluster.start()
        passwords = self._passwords()
        for role in ("bouquet", "marrowby_owner", "marrowby_reader"):
            self.cluster.ensure_role(role, passwords[role])
        self.cluster.ensure_database("bouquet", "bouquet")
        marrowby = "marrowby" if scale == 1 else f"marrowby_{scale}"
        self.cluster.ensure_database(marrowby, "marrowby_owner")
        self._fill(self.cluster.url(marrowby, "marrowby_owner", passwords["marrowby_owner"]), scale)
        settings = self._write_settings(marrowby, passwords, frontend)
        services = Services.from_settings(settings)
        try:
            services.store.migrate()
            Queue(services).install()
            seed_people(services)
            seed_groups(services)
            self.stand_ins = self._opened_post_room(services)
            seed_means(services, self.stand_ins)
            seed_templates(services, self.say, room=self.room)
        finally:
            services.close()
        return settings

    def _opened_post_room(self, services: Services) -> dict[str, StandIn]:
        """
        Start the stand-ins, on the loopback address only.
        """
        self.room = Room(self.folder / "post-room")
        secret = services.vault.derived(b"post room").hex()
        made = (
            mail_stand_in(self.room),
            sftp_stand_in(self.room, secret[:24]),
            webhook_stand_in(self.room, secret[24:48]),
            store_stand_in(self.room, "council-archive"),
        )
        return {s.way: s for s in made}

    def close_post_room(self) -> None:
        """
        Stop the stand-ins.
        """
        for stand_in in self.stand_ins.values():
            stand_in.stop()
        self.stand_ins = {}
        if self.issuer is not None:
            self.issuer.stop()
            self.issuer = None

    def _opened_issuer(self) -> Issuer:
        """
        Start the town hall's sign-in, where it listened before if that can be: people are known by its address.
        """
        kept = self.folder / "town-hall.port"
        port = int(kept.read_text()) if kept.exists() else 0
        self.issuer = Issuer(GUESTS, port if port_is_free(port) else 0)
        kept.write_text(str(self.issuer.port))
        return self.issuer

    def _passwords(self) -> dict[str, str]:
        path = self.folder / "passwords.json"
        if not path.exists():
            self.folder.mkdir(parents=True, exist_ok=True)
            path.touch(mode=0o600)
            roles = ("bouquet", "marrowby_owner", "marrowby_reader")
            path.write_text(json.dumps({role: secrets.token_urlsafe(18) for role in roles}))
        found: dict[str, str] = json.loads(path.read_text())
        return found

    def _fill(self, url: str, scale: int) -> None:
        with psycopg.connect(url) as connection:
            row = connection.execute("SELECT to_regclass('public.tree')").fetchone()
        if row is not None and row[0] is not None:
            return
        self.say("Filling Marrowby with records…")
        yesterday = datetime.now(ZONE).date() - timedelta(days=1)
        fill_marrowby(url, scale=scale, until=yesterday, reader="marrowby_reader")

    def _write_settings(self, marrowby: str, passwords: dict[str, str], frontend: Path | None) -> Settings:
        port = next(p for p in range(FIRST_WEB_PORT, FIRST_WEB_PORT + 100) if port_is_free(p))
        issuer = self._opened_issuer()
        values: dict[str, Any] = {
            "oidc_issuer": issuer.address,
            "oidc_client": CLIENT,
            "oidc_secret": issuer.secret,
            "oidc_title": "Marrowby town hall",
            "store_url": self.cluster.url("bouquet", "bouquet", passwords["bouquet"]),
            "source_url": self.cluster.url(marrowby, "marrowby_reader", passwords["marrowby_reader"]),
            "source_name": "marrowby",
            "source_catalogue": Path(str(files("bouquet.demo.marrowby") / "catalogue.toml")),
            "secret_key": _key_in(self.folder / "secret.key"),
            "files": self.folder / "files",
            "outgoing": self.folder / "outgoing",
            "port": port,
        }
        if frontend is not None:
            values["frontend"] = frontend.resolve()
        self.env_file.touch(mode=0o600)
        self.env_file.write_text("".join(f"BOUQUET_{k.upper()}={v}\n" for k, v in values.items()))
        return Settings(_env_file=self.env_file)


def _key_in(path: Path) -> str:
    """
    The key that a file holds, made when it is first asked for.
    """
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(new_key())
    return path.read_text().strip()


def seed_people(services: Services) -> None:
    """
    The four people of the demonstration.
    """
    with services.store.session() as session:
        for name, email, roles, password in PEOPLE:
            scope = TOBINS_WARDS if name.startswith("Tobin") else None
            people.put_person(session, email=email, name=name, roles=roles, password=password, scope=scope)


def seed_groups(services: Services) -> None:
    """
    The parks office, as the town hall's sign-in calls it: who is in it runs templates and sees nothing personal.
    """
    with services.store.session() as session:
        if groups.list_groups(session):
            return
        groups.add_group(
            session,
            name="Parks office",
            meaning="Who plans the work in parks and streets.",
            roles=["runner"],
            scope={"types": ["inspection", "site", "tree", "ward"], "personal": {"*": "hidden"}},
            claim="parks-office",
        )


def seed_templates(
    services: Services,
    say: Callable[[str], None] = lambda _: None,
    days: int = DAYS_OF_PAST,
    room: Room | None = None,
) -> None:
    """
    Marrowby's templates, a round, and real runs over the last working `days`. Does nothing when there is any template.
    With a post room, rounds send to recipients there, too.
    """
    with services.store.session() as session:
        if session.scalars(sa.select(TemplateRecord.id).limit(1)).first() is not None:
            return
        ines = session.scalars(sa.select(Person).where(Person.email == PEOPLE[0][1])).one()
        # The one with a round first: its runs come from the round.
        documents = sorted(_documents(), key=lambda d: not d["name"].startswith("Standing-tree"))
        records = [_add(services, session, d, ines) for d in documents]
        first = _daily_round(services, records, ines, days)
        session.add(first)
        if room is not None:
            send_rounds(session, records, first, ines, _past_moments(services, days)[0] - timedelta(hours=1), ZONE.key)
    say("Running the templates over the last working days…")
    inline = _Inline(services)
    for as_of in _past_moments(services, days):
        for record in records[1:]:
            run = ask_for_run(
                services,
                record.draft,
                person=ines,
                via="hand",
                as_of=as_of,
                template_id=record.id,
                version=1,
                purpose="the office's own lists",
            )
            execute(services, run.id)
            _backdate(services, run.id)
        tick_rounds(replace(services, clock=partial(_same, as_of)), inline)
        _deliver(services)
        _backdate_deliveries(services)
    with services.store.session() as session:
        seed_handing_over(session, session.scalars(sa.select(TemplateRecord)).all(), ines, services.clock(), ZONE.key)
    if room is not None:
        _fail_at_first(services, inline, room)
    _widen_billing(services, ines)


def _deliver(services: Services) -> None:
    with services.store.session() as session:
        due = due_lines(session, services.clock())
    for line in due:
        deliver_due(services, *line)


def _backdate_deliveries(services: Services) -> None:
    """
    Let deliveries of the demonstration's past stand in the ledger when they would have been made.
    """
    with services.store.session() as session:
        for delivery in session.scalars(sa.select(Delivery).where(Delivery.entered_at > Run.as_of).join(Run)):
            ended = session.get_one(Run, delivery.run_id).finished_at or delivery.entered_at
            back = delivery.entered_at - ended
            for name in ("entered_at", "tried_at", "arrived_at"):
                known = getattr(delivery, name)
                setattr(delivery, name, known - back if known is not None else None)
            for event in delivery.events:
                event.at -= back


def _fail_at_first(services: Services, inline: Queue, room: Room) -> None:
    """
    The mail server was busy this morning: one delivery is tried again.
    """
    room.tell("mail", "busy", times=3)
    with services.store.session() as session:
        query = sa.select(Round).join(TemplateRecord).where(TemplateRecord.name == "Resident reports, open")
        run_id = run_now(services, session, session.scalars(query).one().id, services.clock()).id
    execute(services, run_id)
    _deliver(services)


def _widen_billing(services: Services, ines: Person) -> None:
    """
    Somebody asked for three months, a file for each contractor; its first run has many more rows than usual, and
    waits for a look.
    """
    with services.store.session() as session:
        query = sa.select(TemplateRecord).where(TemplateRecord.name == "Contractor billing lines")
        record = session.scalars(query).one()
        document = json.loads(json.dumps(record.draft))
        document["filter"]["all"][1]["window"] = {"type": "last", "count": 3, "unit": "month"}
        document["output"] = {"name": "billing_{window_end:%Y-%m}", "split": {"by": "c3"}}
        template = read_document(document)
        sentence = Sentence(template, services.sources.get().catalogue(), services.context()).text()
        revision = record.draft_revision
        shelf.change_draft(session, record.id, template.as_document(), sentence, revision, ines, services.clock())
        shelf.save_version(session, record.id, "three months, a file a contractor", ines, services.clock())
        document, template_id = record.draft, record.id
    run = ask_for_run(services, document, person=ines, via="hand", template_id=template_id, version=2)
    execute(services, run.id)


def _same(moment: datetime) -> datetime:
    return moment


class _Inline(Queue):
    """
    Carries runs out at once instead of waking a worker.
    """

    def __init__(self, services: Services) -> None:
        self.services = services

    def put(self, run_id: int) -> None:
        execute(self.services, run_id)
        _backdate(self.services, run_id)

    def put_of_rounds(self, run_ids: Sequence[int]) -> None:
        for run_id in run_ids:
            self.put(run_id)


def _documents() -> list[dict[str, Any]]:
    folder = files("bouquet.demo") / "templates"
    found = sorted((p for p in folder.iterdir() if p.name.endswith(".json")), key=lambda p: p.name)
    return [json.loads(p.read_text(encoding="utf-8")) for p in found]


def _add(services: Services, session: Any, document: dict[str, Any], owner: Person) -> TemplateRecord:
    template = read_document(document)
    sentence = Sentence(template, services.sources.get().catalogue(), services.context()).text()
    record = shelf.add_template(session, template.as_document(), sentence, owner, services.clock())
    shelf.save_version(session, record.id, "as first agreed", owner, services.clock())
    return record


def _daily_round(services: Services, records: list[TemplateRecord], owner: Person, days: int) -> Round:
    found = Round(
        template_id=records[0].id,
        rhythm={"every": "week", "weekdays": [0, 1, 2, 3, 4], "times": ["06:00"]},
        zone=ZONE.key,
        folder="canopy-register",
        format="xlsx",
        created_by=owner.id,
        deleted_at=None,
    )
    found.next_at = next(rhythm_of(found).after(_past_moments(services, days)[0] - timedelta(days=1)))
    return found


def _past_moments(services: Services, count: int) -> list[datetime]:
    """
    Six in the morning of the last working days, oldest first.
    """
    today: date = services.clock().astimezone(ZONE).date()
    days = [today - timedelta(days=n) for n in range(1, 2 * count + 3)]
    working = [d for d in days if d.weekday() < 5][:count]
    return [datetime.combine(d, time(6), ZONE) for d in reversed(working)]


def _backdate(services: Services, run_id: int) -> None:
    """
    Let a run of the demonstration's past stand in the ledger when it would have run, and its notice be read.
    """
    with services.store.session() as session:
        run = session.get_one(Run, run_id)
        took = (run.finished_at or run.asked_at) - (run.started_at or run.asked_at)
        run.asked_at = run.started_at = run.as_of
        run.finished_at = run.as_of + took
        session.execute(
            sa.update(Notice).where(Notice.run_id == run_id).values(created_at=run.as_of, read_at=run.as_of)
        )
