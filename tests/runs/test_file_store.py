"""
The file store, wherever it is: kept, found, expired and swept, and out of reach for a while.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any, ClassVar

import asyncssh
import pytest

from bouquet.core.errors import WriteError
from bouquet.demo.post_room import Room, store_stand_in
from bouquet.runs import (
    FilesDown,
    OthersFiles,
    Services,
    ask_for_run,
    claim_at_start,
    delivering,
    execute,
    expire_files,
    sweep_files,
)
from bouquet.runs.storage import FileStore
from bouquet.store.models import HouseFact
from tests.conftest import NOW
from tests.runs.cable import Cable
from tests.runs.test_delivering import lines
from tests.runs.test_review import WARDS, add_round, get, there, ticked


class _Server(asyncssh.SSHServer):
    connections: ClassVar[list[Any]] = []

    def connection_made(self, conn: Any) -> None:
        self.connections.append(conn)

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return (username, password) == ("bouquet", "paper")


@pytest.fixture
def sftp(tmp_path: Path) -> Iterator[str]:
    """A real SFTP server in a folder of the test's; its address."""
    import asyncio

    root = tmp_path / "remote"
    root.mkdir()
    started, stopping = threading.Event(), threading.Event()
    port = 0

    async def serve() -> None:
        nonlocal port
        key = asyncssh.generate_private_key("ssh-ed25519")
        server = await asyncssh.create_server(
            _Server,
            "127.0.0.1",
            0,
            server_host_keys=[key],
            sftp_factory=lambda channel: asyncssh.SFTPServer(channel, chroot=str(root)),
        )
        port = server.sockets[0].getsockname()[1]
        started.set()
        while not stopping.is_set():
            await asyncio.sleep(0.05)
        server.close()
        for connection in _Server.connections:
            connection.abort()
            await connection.wait_closed()
        _Server.connections.clear()
        await server.wait_closed()

    thread = threading.Thread(target=lambda: asyncio.run(serve()), daemon=True)
    thread.start()
    assert started.wait(10)
    yield f"sftp://127.0.0.1:{port}/"
    stopping.set()
    thread.join(10)


@pytest.fixture(params=["folder", "memory", "sftp", "s3"])
def elsewhere(request: pytest.FixtureRequest, services: Services) -> Iterator[Services]:
    """Services whose file store is a folder, in memory, or reached by SFTP or the S3 protocol."""
    if request.param == "folder":
        yield services
        return
    where, options = f"memory://bouquet-{id(services)}", {}
    if request.param == "sftp":
        where = request.getfixturevalue("sftp")
        options = {"username": "bouquet", "password": "paper", "port": int(where.split(":")[2].strip("/"))}
        where = "sftp://127.0.0.1/store"
    if request.param == "s3":
        store = store_stand_in(Room(request.getfixturevalue("tmp_path"), hang=5.0), f"kept-{id(services)}")
        key, _, secret = store.secret.partition(":")
        where = f"s3://{store.settings['bucket']}/house"
        options = {"key": key, "secret": secret, "endpoint_url": store.settings["endpoint"]}
    made = replace(services, files=where, files_options=options)
    yield made
    made.storage.close()
    if request.param == "s3":
        store.stop()


@pytest.mark.filterwarnings("ignore::DeprecationWarning", "ignore::ResourceWarning")
def test_files_are_kept_found_expired_and_swept(elsewhere: Services, people: dict[str, Any]) -> None:
    """The same life in every kind of store; ledger and store agree at each step."""
    services = elsewhere
    document = {**WARDS, "output": {"name": "wards", "keep_days": 3, "companions": ["slip"]}}
    runs = []
    for wanted in (document, WARDS):
        asked = ask_for_run(services, wanted, person=people["ines"], via="hand")
        execute(services, asked.id)
        runs.append(get(services, asked.id))
    short, long = runs
    file = short.files[0]

    assert [r.status for r in runs] == ["ready", "ready"], [r.error for r in runs]
    assert b"".join(services.storage.chunks(file.path, 2, 5)) == b"".join(services.storage.chunks(file.path))[2:7]
    assert services.storage.size(file.path) == file.size
    assert (short.keep_until, long.keep_until) == (NOW + timedelta(days=3), NOW + timedelta(days=90))
    later = replace(services, clock=lambda: NOW + timedelta(days=4))
    later.storage = services.storage
    assert sweep_files(later).files == 3
    assert expire_files(later) == 2
    assert expire_files(later) == 0
    assert there(services) == [long.files[0].path]
    assert [f.removed_at for f in get(services, short.id).files] == [NOW + timedelta(days=4)] * 2
    assert get(services, short.id).slip == short.slip
    services.storage.put(f"{short.id}/7", Path(__file__))
    swept = sweep_files(later)
    assert (swept.orphans, swept.missing, swept.files) == ([f"{short.id}/7/test_file_store.py"], [], 1)
    assert there(services) == [long.files[0].path]
    for folder in (f"{long.id + 1}/1", "accounts", ""):
        services.storage.put(folder, Path(__file__))
    swept = sweep_files(later)
    assert (swept.orphans, len(swept.strangers), len(there(services))) == ([], 3, 4)
    services.storage.remove(long.files[0].path)
    assert sweep_files(later).missing == [long.files[0].path]
    with services.store.session() as session:
        session.get_one(HouseFact, "identity").value = {"id": "another"}
    for look_after in (sweep_files, expire_files, claim_at_start):
        with pytest.raises(OthersFiles, match="another house"):
            look_after(later)


def test_nobody_else_of_the_machine_reads_the_files(services: Services, people: dict[str, Any]) -> None:
    asked = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    execute(services, asked.id)
    assert get(services, asked.id).status == "ready"
    assert Path(services.files).stat().st_mode & 0o077 == 0


def test_a_sweep_leaves_runs_under_way_alone_and_sees_what_was_tampered_with(
    services: Services, people: dict[str, Any]
) -> None:
    """A half-written file of a running run is no orphan; a file of another size is told."""
    done = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    execute(services, done.id)
    active = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    half = services.storage.workplace(active.id, 1)
    half.mkdir(parents=True)
    (half / ".wards.csv.part").write_text("half")
    (Path(services.files) / get(services, done.id).files[0].path).write_text("tampered")
    swept = sweep_files(services)

    assert (swept.orphans, swept.changed, swept.agrees) == ([], [get(services, done.id).files[0].path], False)
    assert (half / ".wards.csv.part").exists()


@pytest.mark.filterwarnings("ignore::DeprecationWarning", "ignore::ResourceWarning")
def test_a_store_that_refuses_fails_the_run_in_words(
    services: Services, people: dict[str, Any], tmp_path: Path
) -> None:
    """Nothing is half kept."""
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where a folder should be")
    far = store_stand_in(Room(tmp_path, hang=5.0), "known")
    key, _, secret = far.secret.partition(":")
    options = {"key": key, "secret": secret, "endpoint_url": far.settings["endpoint"]}
    for store in (FileStore(blocked), FileStore("s3://unknown/house", options)):
        with pytest.raises(WriteError, match="could not be put into the file store"):
            store.put("1/1", Path(__file__))
    far.stop()


@pytest.fixture(params=["sftp", "s3"])
def behind_a_cable(
    request: pytest.FixtureRequest, services: Services, tmp_path: Path
) -> Iterator[tuple[Services, Cable]]:
    """Services whose file store is behind a cable."""
    if request.param == "sftp":
        port = int(request.getfixturevalue("sftp").split(":")[2].strip("/"))
        with Cable(port) as cable:
            options: dict[str, Any] = {"username": "bouquet", "password": "paper", "port": cable.port}
            made = replace(services, files="sftp://127.0.0.1/store", files_options=options)
            yield made, cable
            made.storage.close()
        return
    store = store_stand_in(Room(tmp_path, hang=5.0), f"far-{id(services)}")
    key, _, secret = store.secret.partition(":")
    with Cable(int(store.settings["endpoint"].rpartition(":")[2])) as cable:
        options = {"key": key, "secret": secret, "endpoint_url": f"http://127.0.0.1:{cable.port}"}
        made = replace(services, files=f"s3://{store.settings['bucket']}/house", files_options=options)
        yield made, cable
        made.storage.close()
    store.stop()


@pytest.mark.filterwarnings("ignore::DeprecationWarning", "ignore::ResourceWarning")
def test_a_file_store_out_of_reach_fails_no_run(behind_a_cable: tuple[Services, Cable], people: dict[str, Any]) -> None:
    """The run is tried again and has its file when the store is back; who fetches a file meanwhile is told why."""
    services, cable = behind_a_cable
    before = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    execute(services, before.id)
    (file,) = get(services, before.id).files
    asked = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    cable.pull()
    with pytest.raises(FilesDown):
        execute(services, asked.id)
    with pytest.raises(FilesDown), services.storage.fetched(file.path):
        pass
    with pytest.raises(FilesDown):
        services.storage.size(file.path)
    assert get(services, asked.id).status == "running"
    cable.plug()
    execute(services, asked.id)
    run = get(services, asked.id)

    assert (run.status, run.attempt) == ("ready", 2)
    assert b"".join(services.storage.chunks(run.files[0].path)) == b"".join(services.storage.chunks(file.path))
    assert sorted(path for path, _ in services.storage.listing()) == sorted([file.path, run.files[0].path])


@pytest.mark.filterwarnings("ignore::DeprecationWarning", "ignore::ResourceWarning")
def test_what_is_made_is_delivered_when_the_file_store_is_back(
    behind_a_cable: tuple[Services, Cable], people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file store that goes away between making and delivering leaves nothing for a person to do."""
    services, cable = behind_a_cable
    add_round(services, people["ines"], WARDS)
    (run_id,) = ticked(services)
    with monkeypatch.context() as patch:
        patch.setattr("bouquet.runs.executor.deliver", lambda *_: _cut(cable, services, run_id))
        with pytest.raises(FilesDown):
            execute(services, run_id)
    assert get(services, run_id).stage == "delivering"
    cable.plug()
    execute(services, run_id)

    assert get(services, run_id).status == "ready"
    assert len(lines(services)) == 13


def _cut(cable: Cable, services: Services, run_id: int) -> None:
    cable.pull()
    run = get(services, run_id)
    delivering.deliver(services, run, run.files, lambda: (None, None))
