"""
Certificates of a house's own authority, held against a server that has one: every way out believes what its machine does.
"""

from __future__ import annotations

import datetime
import http.server
import ipaddress
import json
import ssl
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from pydantic import SecretStr

from bouquet.core.errors import BouquetError
from bouquet.delivery import DeliveryError
from bouquet.delivery.reach import connect_tls
from bouquet.delivery.store import StoreAddress, StoreSettings, StoreWay
from bouquet.runs.object_store import ObjectStore
from bouquet.settings import Settings
from bouquet.web.house_sign_in import HouseSignIn

INSIDE = ("127.0.0.0/8", "::1/128")


def certified(folder: Path) -> tuple[Path, Path]:
    """(the certificate of an authority, the certificate and key that it gave to this machine)."""
    now = datetime.datetime.now(datetime.UTC)

    def signed(name: str, key: Any, by: Any, issuer: str, *extensions: Any) -> x509.Certificate:
        def called(text: str) -> x509.Name:
            return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, text)])

        made = x509.CertificateBuilder().subject_name(called(name)).issuer_name(called(issuer))
        made = made.public_key(key.public_key()).serial_number(x509.random_serial_number())
        made = made.not_valid_before(now - datetime.timedelta(1)).not_valid_after(now + datetime.timedelta(1))
        for extension, critical in extensions:
            made = made.add_extension(extension, critical=critical)
        return made.sign(by, hashes.SHA256())

    authority, own = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
    root = signed("Town hall", authority, authority, "Town hall", (x509.BasicConstraints(True, None), True))
    names = x509.SubjectAlternativeName([x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))])
    leaf = signed("localhost", own, authority, "Town hall", (names, False))
    pem, nothing = serialization.Encoding.PEM, serialization.NoEncryption()
    (folder / "root.pem").write_bytes(root.public_bytes(pem))
    key = own.private_bytes(pem, serialization.PrivateFormat.PKCS8, nothing)
    (folder / "own.pem").write_bytes(leaf.public_bytes(pem) + key)
    return folder / "root.pem", folder / "own.pem"


@pytest.fixture(scope="module")
def town_hall(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[str, Path]]:
    """The address of a server that describes itself to whoever asks, and the authority that vouches for it."""
    root, own = certified(tmp_path_factory.mktemp("certificates"))

    class Describes(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            body = json.dumps({"issuer": address}).encode()
            self.send_response(200)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            if self.command == "GET":
                self.wfile.write(body)

        do_HEAD = do_GET

        def log_message(self, *_: Any) -> None:
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Describes)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(own)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    address = f"https://127.0.0.1:{server.server_port}"
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield address, root
    server.shutdown()
    server.server_close()


def by_webhook(address: str) -> bool:
    connect_tls("127.0.0.1", int(address.rpartition(":")[2]), INSIDE, 5).close()
    return True


def by_store(address: str) -> bool:
    settings = StoreSettings(endpoint=address, bucket="reports", inside=INSIDE)
    services: Any = SimpleNamespace(delivery_wait=5)
    first = next(StoreWay(services, settings, "key:secret", StoreAddress()).steps())
    if first.mark != "good":
        raise DeliveryError(first.says)
    return True


def by_file_store(address: str) -> bool:
    store = ObjectStore("key", "secret", address, skip_instance_cache=True)
    return bool(store.info("reports/wards.csv")["size"])


def by_sign_in(address: str) -> bool:
    settings = Settings(store_url=SecretStr("x"), oidc_issuer=address, oidc_client="bouquet", _env_file=None)  # type: ignore[call-arg]
    return bool(HouseSignIn(settings, b"0" * 32)._described()["issuer"] == address)


@pytest.mark.filterwarnings("ignore::ResourceWarning")
@pytest.mark.parametrize("reached", [by_webhook, by_store, by_file_store, by_sign_in])
def test_a_house_vouches_for_its_own_servers(
    town_hall: tuple[str, Path], monkeypatch: pytest.MonkeyPatch, reached: Callable[[str], bool]
) -> None:
    """By one authority, named once; without it nobody is believed."""
    address, root = town_hall
    for name in ("AWS_CA_BUNDLE", "REQUESTS_CA_BUNDLE", "CURL_CA_BUNDLE"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("SSL_CERT_FILE", str(root))
    assert reached(address)
    monkeypatch.delenv("SSL_CERT_FILE")
    with pytest.raises((BouquetError, OSError), match=r"(?i)certificate|does not answer"):
        reached(address)
