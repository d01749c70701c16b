"""
A stand-in for a house's own sign-in service (OpenID Connect): whoever opens it picks whom to be.
"""

from __future__ import annotations

import base64
import hashlib
import html
import json
import secrets
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, Literal, TypeAlias
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import RSAKey

__all__ = ["Guest", "Issuer", "Misdeed"]

#: What it can be told to do wrong, for tests.
Misdeed: TypeAlias = Literal[
    "another nonce",
    "another key",
    "expired",
    "another audience",
    "another issuer",
    "no signature",
    "not verified",
    "says nothing of addresses",
    "tells apart",
    "tells of another",
]

CLIENT = "bouquet"


@dataclass(frozen=True)
class Guest:
    """
    Somebody whom the service knows.
    """

    name: str
    email: str
    groups: tuple[str, ...] = ()


@dataclass
class Issuer:
    """
    The service, on the loopback address only. It can be started once.

    Args:
        guests: Whom it knows.
        port: Where it listens; any free port where it is 0.
        in_form: Whether it takes the secret of who asks in the form, and nowhere else.
    """

    guests: Sequence[Guest]
    port: int = 0
    misdeed: Misdeed | None = None
    in_form: bool = False
    secret: str = field(default_factory=lambda: secrets.token_urlsafe(18))
    _codes: dict[str, dict[str, str]] = field(default_factory=dict)
    #: What is told of somebody to whoever has this access.
    _told: dict[str, dict[str, Any]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.key = RSAKey.generate_key(2048, {"kid": secrets.token_hex(4)}, private=True, auto_kid=False)
        issuer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                issuer.get(self)

            def do_POST(self) -> None:
                issuer.post(self)

            def log_message(self, *_: Any) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", self.port), Handler)
        self.port = self._server.server_port
        threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True).start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def stop(self) -> None:
        """
        Stop listening.
        """
        self._server.shutdown()
        self._server.server_close()

    def get(self, asked: BaseHTTPRequestHandler) -> None:
        """
        Its description, its keys, the page where one picks whom to be, and what comes of that.
        """
        split = urlsplit(asked.path)
        given = {name: values[0] for name, values in parse_qs(split.query).items()}
        if split.path == "/.well-known/openid-configuration":
            places = {"authorization": "/authorize", "token": "/token", "userinfo": "/about"}
            described: dict[str, Any] = {f"{name}_endpoint": self.address + path for name, path in places.items()}
            described["jwks_uri"] = f"{self.address}/keys"
            if self.in_form:
                described["token_endpoint_auth_methods_supported"] = ["client_secret_post", "private_key_jwt"]
            _answer(asked, 200, {"issuer": self.address, **described})
        elif split.path == "/keys":
            _answer(asked, 200, {"keys": [self.key.as_dict(private=False)]})
        elif split.path == "/about" and asked.headers.get("Authorization") in self._told:
            told = self._told[asked.headers["Authorization"]]
            _answer(asked, 200, {**told, "sub": "another"} if self.misdeed == "tells of another" else told)
        elif split.path == "/authorize":
            _answer(asked, 200, self._page(given))
        elif split.path == "/as" and given.get("who", "").isdecimal() and int(given["who"]) < len(self.guests):
            code = secrets.token_urlsafe(16)
            self._codes[code] = given
            back = f"{given.get('redirect_uri', '')}?{urlencode({'code': code, 'state': given.get('state', '')})}"
            asked.send_response(303)
            asked.send_header("Location", back)
            asked.end_headers()
        else:
            _answer(asked, 404, {"error": "not_found"})

    def post(self, asked: BaseHTTPRequestHandler) -> None:
        """
        A token for a code: once, to who has the secret and the verifier (RFC 7636).
        """
        length = min(int(asked.headers.get("Content-Length") or 0), 10_000)
        given = {name: values[0] for name, values in parse_qs(asked.rfile.read(length).decode()).items()}
        proof = base64.b64encode(f"{CLIENT}:{self.secret}".encode()).decode()
        known = self._codes.pop(given.get("code", ""), None)
        digest = hashlib.sha256(given.get("code_verifier", "").encode()).digest()
        challenge = base64.urlsafe_b64encode(digest).rstrip(b"=").decode()
        right = known is not None and known.get("code_challenge") == challenge
        proven = asked.headers.get("Authorization") == f"Basic {proof}"
        if self.in_form:
            proven = (given.get("client_id"), given.get("client_secret")) == (CLIENT, self.secret)
        if not proven or not right or known is None:
            _answer(asked, 400, {"error": "invalid_grant"})
            return
        token = {"access_token": secrets.token_urlsafe(16), "token_type": "Bearer", "expires_in": 60}
        _answer(asked, 200, {**token, "id_token": self._token(known, f"Bearer {token['access_token']}")})

    def _token(self, known: dict[str, str], access: str) -> str:
        guest, now, wrong = self.guests[int(known["who"])], int(time.time()), self.misdeed
        claims = {
            "iss": "http://elsewhere.example" if wrong == "another issuer" else self.address,
            "aud": "somebody else" if wrong == "another audience" else CLIENT,
            "sub": hashlib.sha256(guest.email.encode()).hexdigest()[:16],
            "iat": now,
            "exp": now - 3_600 if wrong == "expired" else now + 300,
            "nonce": "of another try" if wrong == "another nonce" else known.get("nonce", ""),
            "name": guest.name,
            "email": guest.email,
            "email_verified": wrong != "not verified",
            "groups": list(guest.groups),
        }
        if wrong == "says nothing of addresses":
            del claims["email_verified"]
        if wrong in ("tells apart", "tells of another"):
            apart = ("name", "email", "email_verified", "groups")
            self._told[access] = {"sub": claims["sub"], **{name: claims.pop(name) for name in apart}}
        if wrong == "no signature":
            head, body = (_plain(part) for part in ({"alg": "none"}, claims))
            return f"{head}.{body}."
        key = (
            RSAKey.generate_key(2048, {"kid": str(self.key.kid)}, private=True) if wrong == "another key" else self.key
        )
        return jwt.encode({"alg": "RS256", "kid": str(self.key.kid)}, claims, key, algorithms=["RS256"])

    def _page(self, given: dict[str, str]) -> str:
        kept = {name: given.get(name, "") for name in ("redirect_uri", "state", "nonce", "code_challenge")}
        people = "".join(
            f'<p><a href="/as?{html.escape(urlencode({**kept, "who": n}))}">{html.escape(guest.name)}</a>'
            f" {html.escape(', '.join(guest.groups))}</p>"
            for n, guest in enumerate(self.guests)
        )
        style = "body{font:18px/1.6 system-ui;max-width:26em;margin:4em auto;padding:0 1em}"
        return (
            '<!doctype html><html lang="en"><meta charset="utf-8"><title>Town hall sign-in</title>'
            f"<style>{style}</style>"
            f"<h1>Town hall sign-in</h1><p>A stand-in of the demonstration. Whom are you?</p>{people}</html>"
        )


def _plain(part: dict[str, Any]) -> str:
    return base64.urlsafe_b64encode(json.dumps(part).encode()).rstrip(b"=").decode()


def _answer(asked: BaseHTTPRequestHandler, status: int, content: dict[str, Any] | str) -> None:
    plain = isinstance(content, str)
    body = content.encode() if isinstance(content, str) else json.dumps(content).encode()
    asked.send_response(status)
    asked.send_header("Content-Type", "text/html; charset=utf-8" if plain else "application/json")
    asked.send_header("Content-Length", str(len(body)))
    asked.end_headers()
    asked.wfile.write(body)
