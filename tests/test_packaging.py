"""
The scripts that keep a house and bring it back, with settings as houses have them.
"""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path
from typing import Any

import psycopg
import pytest
from cryptography.fernet import Fernet

from bouquet.runs import Services, ask_for_run, execute
from tests.conftest import OwnCluster
from tests.runs.test_review import WARDS, get

PACKAGING = Path(__file__).parent.parent / "packaging"


def called(script: str, folder: Path, env: Path) -> str:
    """What a script prints at its end."""
    environment = {k: v for k, v in os.environ.items() if not k.startswith("BOUQUET_")}
    done = subprocess.run(
        [PACKAGING / script, folder], env={**environment, "BOUQUET_ENV_FILE": str(env)}, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    return done.stdout.strip().splitlines()[-1]


@pytest.mark.thorough
def test_a_backup_brings_a_house_back(
    services: Services, people: dict[str, Any], cluster: OwnCluster, store_url: str, tmp_path: Path
) -> None:
    """Into an empty database and an empty folder; ledger and files agree, and what a run made is read again."""
    asked = ask_for_run(services, WARDS, person=people["ines"], via="hand")
    execute(services, asked.id)
    file = get(services, asked.id).files[0]
    key = Fernet.generate_key().decode()

    def settings(name: str, url: str, files: Path) -> Path:
        said = [
            f"BOUQUET_STORE_URL={url}?application_name=a&connect_timeout=9",
            f"BOUQUET_FILES={files}",
            f"BOUQUET_SECRET_KEY={key}",
            f"BOUQUET_FILES_OPTIONS={json.dumps({'username': 'a b', 'password': '$HOME;#'})}",
        ]
        (tmp_path / name).write_text("\n".join(said))
        return tmp_path / name

    old = settings("old.env", store_url, Path(services.files))
    kept = Path(called("backup.sh", tmp_path / "backups", old))
    cluster.drop_database("brought_back")
    cluster.ensure_database("brought_back", "bouquet")
    url, files = cluster.url("brought_back", "bouquet", "test-only"), tmp_path / "new files"
    told = called("restore.sh", kept, settings("new.env", url, files))
    with psycopg.connect(url) as connection:
        found = connection.execute("SELECT name FROM runs WHERE id = %s", [asked.id]).fetchall()
    cluster.drop_database("brought_back")

    assert (kept / "bouquet.env").read_text() == old.read_text()
    assert found == [("Wards",)]
    assert "0 that no run knows; 0 missing" in told
    assert (files / file.path).read_bytes() == (Path(services.files) / file.path).read_bytes()
    assert files.stat().st_mode & 0o077 == 0
