"""Asking other servers: bounded in bytes and time, and never a private address, whatever a name or a redirect leads to."""

from __future__ import annotations

import http.client
import ipaddress
import socket
import ssl
import time
from dataclasses import dataclass
from urllib.parse import quote, urljoin, urlsplit

from stepladder.library.errors import LibraryError

__all__ = ["FetchRefused", "Fetched", "Unanswered", "check_address", "fetch"]

MOST_REDIRECTS, SECONDS, LONGEST = 4, 12.0, 2000
MOST_BYTES = 2 * 1024**2
BLOCK = 64 * 1024
REDIRECTS = (301, 302, 303, 307, 308)


class FetchRefused(LibraryError):
    """An address that is not asked: no web address, or one inside a network."""


class Unanswered(LibraryError):
    """A server that did not answer, or not with what was asked for; the sentence says what came."""


@dataclass(frozen=True)
class Fetched:
    """What came: from which address in the end, its headers (names in lower case), and its first bytes."""

    url: str
    headers: dict[str, str]
    body: bytes

    @property
    def content_type(self) -> str:
        return self.headers.get("content-type", "").partition(";")[0].strip().lower()


def check_address(url: str) -> str:
    """A web address, cleaned. Raises FetchRefused where it is none; whose it is is seen only when it is asked."""
    url = url.strip()
    if len(url) > LONGEST or any(ord(sign) <= 32 for sign in url):
        raise FetchRefused(f"An address has {LONGEST} signs at most and no blank in it.")
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError:
        raise FetchRefused(f"“{url[:80]}” is no web address.") from None
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise FetchRefused(f"“{url[:80]}” is no web address: it begins with https:// or http://.")
    if parts.username or parts.password or (port is not None and not 0 < port < 65536):
        raise FetchRefused("An address has no name or password in it.")
    return url


def fetch(url: str, *, most: int = MOST_BYTES) -> Fetched:
    """What an address answers, redirects followed; of more than *most* bytes the first. Raises FetchRefused, Unanswered."""
    until = time.monotonic() + SECONDS
    for _ in range(MOST_REDIRECTS + 1):
        check_address(url)
        answer = _ask(url, most, until)
        if isinstance(answer, Fetched):
            return answer
        url = urljoin(url, answer)
    raise Unanswered(f"It leads on and on: more than {MOST_REDIRECTS} redirects.")


def is_public(address: str) -> bool:
    """Whether an IP address is one of the open network, also behind a form of it that stands for another."""
    found = ipaddress.ip_address(address.partition("%")[0])
    if isinstance(found, ipaddress.IPv6Address):
        inner = found.ipv4_mapped or found.sixtofour or (found.teredo[1] if found.teredo else None)
        if inner is not None:
            return is_public(str(inner))
        if found in ipaddress.ip_network("64:ff9b::/96"):
            return is_public(str(ipaddress.IPv4Address(int(found) & 0xFFFFFFFF)))
    return found.is_global and not found.is_multicast


def _ask(url: str, most: int, until: float) -> Fetched | str:
    """The answer, or the address that it leads on to."""
    parts = urlsplit(url)
    assert parts.hostname is not None
    port = parts.port or (443 if parts.scheme == "https" else 80)
    connection = _Pinned(parts.hostname, port, _public_address(parts.hostname, port), parts.scheme == "https", until)
    # Addresses are written with all letters, and sent with those of the protocol.
    path = quote((parts.path or "/") + (f"?{parts.query}" if parts.query else ""), safe="/%?:@!$&'()*+,;=~-._[]")
    try:
        connection.request(
            "GET", path, headers={"User-Agent": "Stepladder", "Accept": "*/*", "Accept-Encoding": "identity"}
        )
        response = connection.getresponse()
        if response.status in REDIRECTS and (leads_to := response.getheader("Location")):
            return leads_to
        if response.status >= 400:
            raise Unanswered(f"It answers {response.status} {response.reason}.".replace(" .", "."))
        headers = {name.lower(): value for name, value in response.getheaders()}
        return Fetched(url, headers, _read(response, connection, most, until))
    except (OSError, http.client.HTTPException, UnicodeError) as error:
        raise Unanswered(f"It does not answer ({type(error).__name__}).") from None
    finally:
        connection.close()


def _read(response: http.client.HTTPResponse, connection: _Pinned, most: int, until: float) -> bytes:
    body = b""
    while len(body) < most:
        # A server that sends a byte now and then would hold the queue for ever.
        connection.give_time(until)
        if not (block := response.read1(min(BLOCK, most - len(body)))):
            break
        body += block
    return body


def _public_address(host: str, port: int) -> str:
    try:
        found = {str(info[4][0]) for info in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)}
    except (OSError, UnicodeError):
        raise Unanswered(f"There is no “{host[:80]}”.") from None
    # All of them: of a name that means both, the wrong one would be asked some day.
    if not found or not all(is_public(address) for address in found):
        raise FetchRefused(f"“{host[:80]}” is inside a network; only addresses that everybody can reach are asked.")
    return sorted(found)[0]


class _Pinned(http.client.HTTPConnection):
    """To the very address that was looked at: the name is not looked up a second time."""

    def __init__(self, host: str, port: int, address: str, is_secure: bool, until: float) -> None:
        super().__init__(host, port)
        self._address, self._is_secure, self._until = address, is_secure, until

    def connect(self) -> None:
        self.sock = socket.create_connection((self._address, self.port), timeout=_left(self._until))
        if self._is_secure:
            self.sock = ssl.create_default_context().wrap_socket(self.sock, server_hostname=self.host)

    def give_time(self, until: float) -> None:
        """The next read may take as long as is left. Raises TimeoutError."""
        if self.sock is not None:
            self.sock.settimeout(_left(until))


def _left(until: float) -> float:
    left = until - time.monotonic()
    if left <= 0:
        raise TimeoutError
    return left
