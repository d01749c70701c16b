"""
Signing in by the house's own service: OpenID Connect Core 1.0, the code flow with PKCE (RFC 7636), by Authlib.
"""

from __future__ import annotations

import base64
import json
import re
import secrets
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from authlib.integrations.requests_client import OAuth2Session  # type: ignore[import-untyped]
from cryptography.fernet import Fernet, InvalidToken
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from bouquet.certificates import believed
from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.settings import Settings

__all__ = ["FLOW", "Arrived", "HouseSignIn", "HouseSignInError"]

#: Seconds that somebody may take at the service, for each answer of it, and until its description is read again.
FLOW, WAIT, KNOWN = 600, 10, 3_600

#: Signatures that are accepted: none that is made with a secret both sides have, and not “none”.
ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA"]

#: An address, also of a house that has no dot in its name.
_ADDRESS = re.compile(r"[^\s@\x00-\x1f\x7f]+@[^\s@\x00-\x1f\x7f]+")


class HouseSignInError(BouquetError):
    """
    The house's own sign-in did not say who this is.
    """

    code = "house_sign_in"


class HouseSignInAway(HouseSignInError):
    """
    The house's own sign-in does not answer.
    """

    code = "house_away"


@dataclass(frozen=True)
class Arrived:
    """
    Who arrived from the service: its issuer and their number there, address, name and groups.
    """

    subject: str
    email: str
    #: Whether the service proved that the address is theirs.
    verified: bool
    name: str
    groups: frozenset[str]


class HouseSignIn:
    """
    The house's own sign-in service.

    Args:
        settings: Where it is, and what Bouquet is to it.
        secret: With which what a browser carries along meanwhile is sealed.
    """

    def __init__(self, settings: Settings, secret: bytes) -> None:
        self.issuer = settings.oidc_issuer.rstrip("/")
        self.title = settings.oidc_title
        self._settings = settings
        self._seal = Fernet(base64.urlsafe_b64encode(secret))
        self._lock = threading.Lock()
        self._read: tuple[float, dict[str, Any]] | None = None
        self._keys: KeySet | None = None

    def begin(self, back: str) -> tuple[str, str]:
        """
        (the address to go to, what the browser carries along until it is `back`). Raises HouseSignInError.
        """
        verifier, nonce = secrets.token_urlsafe(48), secrets.token_urlsafe(24)
        with self._client(back) as client:
            address, state = client.create_authorization_url(
                self._described()["authorization_endpoint"], code_verifier=verifier, nonce=nonce
            )
        carried = json.dumps({"state": state, "verifier": verifier, "nonce": nonce})
        return str(address), self._seal.encrypt(carried.encode()).decode()

    def end(self, back: str, arrived: str, carried: str) -> Arrived:
        """
        Who arrived `back` at this address, with its code. Raises HouseSignInError.
        """
        try:
            known = json.loads(self._seal.decrypt(carried.encode(), ttl=FLOW))
        except InvalidToken as error:
            raise HouseSignInError(tr("This took too long, or began in another browser. Begin again.")) from error
        described = self._described()
        with self._client(back, described.get("token_endpoint_auth_methods_supported")) as client:
            try:
                # A code of another browser, or of another try, is not taken.
                token = client.fetch_token(
                    described["token_endpoint"],
                    authorization_response=arrived,
                    code_verifier=known["verifier"],
                    state=known["state"],
                    timeout=WAIT,
                )
            except Exception as error:
                raise HouseSignInError(tr("{title} did not confirm it. Begin again.", title=self.title)) from error
            claims = self._claims(str(token.get("id_token") or ""), known["nonce"])
            access = str(token.get("access_token") or "")
        return self._arrived({**self._told_apart(described, access, claims), **claims})

    def _told_apart(self, described: dict[str, Any], access: str, claims: dict[str, Any]) -> dict[str, Any]:
        """
        What the service tells of somebody at its place for that, where their token lacks some of it: most need not put
        it there (OpenID Connect Core, 5.3 and 5.4). What it tells of somebody else is not taken.
        """
        lacks = not {"email", "name", self._settings.oidc_groups.partition(".")[0]} <= set(claims)
        if not lacks or "userinfo_endpoint" not in described:
            return {}
        found = self._get(described["userinfo_endpoint"], {"Authorization": f"Bearer {access}"})
        if found.get("sub") != claims["sub"]:
            raise HouseSignInError(tr("What {title} says cannot be trusted. Begin again.", title=self.title))
        return found

    def _arrived(self, claims: dict[str, Any]) -> Arrived:
        email = str(claims.get("email") or "").strip()
        if not _ADDRESS.fullmatch(email) or claims.get("email_verified") is False:
            raise HouseSignInError(tr("{title} tells no address of yours that it has verified.", title=self.title))
        said = "".join(c if c.isprintable() else " " for c in str(claims.get("name") or ""))
        groups = _at(claims, self._settings.oidc_groups) or []
        if isinstance(groups, str):
            groups = [groups]
        return Arrived(
            subject=f"{self.issuer} {claims['sub']}",
            email=email.lower(),
            verified=claims.get("email_verified") is True,
            name=(" ".join(said.split()) or email)[:120],
            groups=frozenset(str(g) for g in groups) if isinstance(groups, list) else frozenset(),
        )

    def _claims(self, token: str, nonce: str) -> dict[str, Any]:
        """
        What a token says, once signature, issuer, audience, times and nonce are proven (OpenID Connect Core, 3.1.3.7).
        """
        claims = jwt.JWTClaimsRegistry(
            leeway=60,
            iss={"essential": True, "value": str(self._described()["issuer"])},
            aud={"essential": True, "value": self._settings.oidc_client},
            sub={"essential": True},
            exp={"essential": True},
            iat={"essential": True},
            nonce={"essential": True, "value": nonce},
        )
        for fresh in (False, True):
            try:
                found = jwt.decode(token, self._key_set(fresh=fresh), algorithms=ALGORITHMS)
                claims.validate(found.claims)
                return dict(found.claims)
            except (JoseError, ValueError, KeyError) as error:
                # Keys are changed now and then: the second look is at new ones.
                if fresh:
                    raise HouseSignInError(
                        tr("What {title} says cannot be trusted. Begin again.", title=self.title)
                    ) from error
        raise AssertionError

    def _described(self) -> dict[str, Any]:
        """
        The service's own description (OpenID Connect Discovery 1.0), read again now and then.
        """
        with self._lock:
            if self._read is None or time.monotonic() - self._read[0] > KNOWN:
                found = self._get(f"{self.issuer}/.well-known/openid-configuration")
                if str(found.get("issuer", "")).rstrip("/") != self.issuer:
                    raise HouseSignInError(
                        tr("{title} calls itself by another name than it is known by here.", title=self.title)
                    )
                self._read = (time.monotonic(), found)
            return self._read[1]

    def _key_set(self, *, fresh: bool) -> KeySet:
        address = self._described()["jwks_uri"]
        with self._lock:
            if self._keys is None or fresh:
                self._keys = KeySet.import_key_set(self._get(address))  # type: ignore[arg-type]
            return self._keys

    def _get(self, address: str, headers: Mapping[str, str] | None = None) -> dict[str, Any]:
        try:
            with self._client("") as client:
                answer = client.get(address, withhold_token=True, timeout=WAIT, headers=headers)
            answer.raise_for_status()
            found: dict[str, Any] = answer.json()
            if not isinstance(found, dict):
                raise ValueError(address)
        except (OSError, ValueError) as error:
            raise HouseSignInAway(
                tr("{title} does not answer just now. Try again in a moment.", title=self.title)
            ) from error
        return found

    def _client(self, back: str, proofs: Sequence[str] | None = None) -> OAuth2Session:
        # The secret is told as the standard has it (Discovery 1.0, 3), but where a service only takes it in the form.
        in_form = proofs is not None and "client_secret_basic" not in proofs and "client_secret_post" in proofs
        made = OAuth2Session(
            self._settings.oidc_client,
            self._settings.oidc_secret.get_secret_value(),
            scope=self._settings.oidc_scopes,
            redirect_uri=back,
            code_challenge_method="S256",
            **({"token_endpoint_auth_method": "client_secret_post"} if in_form else {}),
        )
        made.verify = believed() or True
        return made


def _at(claims: dict[str, Any], name: str) -> Any:
    """
    A claim by its name, or by dots one that stands inside of others, such as `realm_access.roles`.
    """
    if name in claims:
        return claims[name]
    found: Any = claims
    for part in name.split("."):
        found = found.get(part) if isinstance(found, dict) else None
    return found
