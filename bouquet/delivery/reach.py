"""
Which machines files may go to. An address is looked up once, held against what the keeper allows, and the connection is
made to that very address: a name that changes between check and connection leads nowhere else.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
from collections.abc import Sequence
from typing import Annotated

from pydantic import AfterValidator, Field

from bouquet.core.language import tr
from bouquet.delivery.way import DeliveryError
from bouquet.runs.patience import hold

__all__ = ["Host", "Inside", "Networks", "addresses_of", "connect", "connect_tls", "is_allowed", "says_of"]

Address = ipaddress.IPv4Address | ipaddress.IPv6Address


def _network(text: str) -> str:
    return str(ipaddress.ip_network(text, strict=False))


def _host(text: str) -> str:
    plain = text.strip().strip("[]")
    if not plain or any(c.isspace() or c in "/@?#\\" or ord(c) < 33 for c in plain):
        msg = tr("A host is a name or an address, such as files.example.")
        raise ValueError(msg)
    return plain


Host = Annotated[str, Field(min_length=1, max_length=253), AfterValidator(_host)]

#: Networks inside the house that means may lead to; none unless the keeper names them.
Networks = tuple[Annotated[str, AfterValidator(_network)], ...]

Inside = Annotated[Networks, Field(max_length=20, title="Networks inside this house that it may lead to")]

#: Addresses that carry an IPv4 address in them (RFC 6052, RFC 2765).
_TRANSLATED = (ipaddress.ip_network("64:ff9b::/96"), ipaddress.ip_network("::ffff:0:0:0/96"))

#: Networks that are not out in the world, though older libraries know nothing of it: what a house translates for itself
#: (RFC 8215), routes of its own (RFC 9602), examples (RFC 9637), the dummy address (RFC 7600).
_KEPT_INSIDE = tuple(ipaddress.ip_network(n) for n in ("64:ff9b:1::/48", "5f00::/16", "3fff::/20", "192.0.0.8/32"))


def _meant(address: Address) -> list[Address]:
    """
    An address, and the IPv4 addresses that are hidden in it.
    """
    found: list[Address] = [address]
    if isinstance(address, ipaddress.IPv6Address):
        if address.ipv4_mapped is not None:
            return [address.ipv4_mapped]
        if address.sixtofour is not None:
            found.append(address.sixtofour)
        if address.teredo is not None:
            found += address.teredo
        if any(address in network for network in _TRANSLATED):
            found.append(ipaddress.IPv4Address(int(address) & 0xFFFFFFFF))
        # Of the old form ::127.0.0.1.
        if int(address) >> 32 == 0 and int(address) > 1:
            found.append(ipaddress.IPv4Address(int(address)))
    return found


def is_allowed(address: str, inside: Sequence[str], *, readable: bool = False) -> bool:
    """
    Whether an address is out in the world, or in a network that the keeper named. What is `readable` on its way, as it
    is not encrypted, stays in these networks.
    """
    known = ipaddress.ip_address(address.partition("%")[0])
    networks = [ipaddress.ip_network(n) for n in inside]

    def allowed(one: Address) -> bool:
        if any(one.version == n.version and one in n for n in networks):
            return True
        if readable:
            return False
        old_inside = isinstance(one, ipaddress.IPv6Address) and one.is_site_local
        kept = any(one.version == n.version and one in n for n in _KEPT_INSIDE)
        return one.is_global and not one.is_multicast and not old_inside and not kept

    return all(allowed(one) for one in _meant(known))


def addresses_of(
    host: str, port: int, inside: Sequence[str], *, readable: bool = False
) -> list[tuple[socket.AddressFamily, str]]:
    """
    The addresses of a host that may be reached. Raises DeliveryError where the name is not known, or leads inside.
    """
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise DeliveryError(
            tr("{host} is not known: {error}.", host=host, error=says_of(error)), unreachable=True
        ) from error
    given: list[tuple[socket.AddressFamily, str]] = list(
        dict.fromkeys((family, str(where[0])) for family, _, _, _, where in found)
    )
    allowed = [(family, address) for family, address in given if is_allowed(address, inside, readable=readable)]
    if not allowed and readable and is_allowed(given[0][1], inside):
        raise DeliveryError(
            tr(
                "{host} is out in the world: without encryption nothing leaves the house. Use https.",
                host=host,
            )
        )
    if not allowed:
        raise DeliveryError(
            tr(
                "{host} leads to {given}, which is inside this house. A keeper can allow it under Set-up › Ways out.",
                host=host,
                given=given[0][1],
            )
        )
    return allowed


def connect(
    host: str, port: int, inside: Sequence[str], timeout: float = 30.0, *, readable: bool = False
) -> socket.socket:
    """
    A connection to a host, at an address that may be reached. Raises DeliveryError.
    """
    last: OSError | None = None
    for family, address in addresses_of(host, port, inside, readable=readable):
        made = socket.socket(family, socket.SOCK_STREAM)
        made.settimeout(timeout)
        try:
            made.connect((address, port))
        except OSError as error:
            made.close()
            last = error
        else:
            hold(made)
            return made
    raise DeliveryError(
        tr("{host}:{port} does not answer: {last}.", host=host, port=port, last=says_of(last)), unreachable=True
    ) from last


def connect_tls(host: str, port: int, inside: Sequence[str], timeout: float = 30.0) -> ssl.SSLSocket:
    """
    The same, encrypted; the certificate has to be that of the host. Raises DeliveryError.
    """
    plain = connect(host, port, inside, timeout)
    try:
        return ssl.create_default_context().wrap_socket(plain, server_hostname=host)
    except OSError as error:
        plain.close()
        wrong = isinstance(error, ssl.SSLCertVerificationError)
        raise DeliveryError(
            tr("{host}: TLS failed: {error}.", host=host, error=says_of(error)), unreachable=not wrong
        ) from error


def says_of(error: BaseException | None) -> str:
    """
    What an error of the network says, in a few words.
    """
    if error is None:
        return tr("no address")
    if isinstance(error, ssl.SSLCertVerificationError):
        return error.verify_message
    if isinstance(error, TimeoutError):
        return tr("it took too long")
    return (getattr(error, "strerror", None) or str(error) or type(error).__name__).lower().rstrip(".")
