"""Launch addresses: signed, expiring, each attempt on a content host of its own."""

from __future__ import annotations

import hashlib
import hmac
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.core import signing
from django.http import HttpRequest
from django.http.request import split_domain_port

from stepladder.accounts.visits import is_open, visit_of

__all__ = ["LaunchToken", "Refused", "address_of", "frame_origin", "port_of", "read_token"]

SALT = "stepladder.playing.launch"
VALID_SECONDS = 12 * 3600


class Refused(Exception):
    """A launch address that is expired, altered, or shown on another host."""


@dataclass(frozen=True)
class LaunchToken:
    """What a launch address carries: all authority a content host has. Without an attempt it is a trial: nothing is kept."""

    attempt: int | None
    version: int
    label: str
    visit: str


def _label(attempt: int | None, version: int) -> str:
    text = f"{attempt or 'try'}:{version}".encode()
    return "c-" + hmac.new(settings.SECRET_KEY.encode(), text, hashlib.sha256).hexdigest()[:16]


def _host_of(label: str, request: HttpRequest) -> str:
    name: str = settings.CONTENT_HOST.replace("*", label)
    return name + port_of(request)


def port_of(request: HttpRequest) -> str:
    """The port as the browser was told it (":8000"), empty where it is the scheme's own."""
    _, port = split_domain_port(request.get_host())
    return f":{port}" if port else ""


def frame_origin(request: HttpRequest, attempt: int | None, version: int) -> str:
    """The origin that an attempt's frame has."""
    return f"{request.scheme}://{_host_of(_label(attempt, version), request)}"


def address_of(request: HttpRequest, *, attempt: int | None, version: int, sco: int) -> str:
    """A fresh launch address of a sco."""
    label = _label(attempt, version)
    said = {"a": attempt, "v": version, "h": label, "s": visit_of(request)}
    token = signing.dumps(said, salt=SALT, compress=False)
    return f"{frame_origin(request, attempt, version)}/run/{token}/{sco}/"


def read_token(token: str, host: str, *, is_parting: bool = False) -> LaunchToken:
    """What a token says, as long as whoever opened it is signed in; *is_parting*: or has just signed out. Raises Refused."""
    try:
        said: dict[str, Any] = signing.loads(token, salt=SALT, max_age=VALID_SECONDS)
    except signing.SignatureExpired:
        raise Refused("This launch is over. Open the step again.") from None
    except signing.BadSignature:
        raise Refused("This launch address was altered. Open the step again.") from None
    expected = settings.CONTENT_HOST.replace("*", said["h"])
    if host.split(":")[0] != expected:
        raise Refused("This launch address belongs to another host. Open the step again.")
    if not is_open(said.get("s", ""), is_parting=is_parting):
        raise Refused("Whoever opened this has signed out. Sign in and open the step again.")
    return LaunchToken(said["a"], said["v"], said["h"], said["s"])
