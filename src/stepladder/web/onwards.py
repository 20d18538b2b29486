"""Where one goes on to, as a page or a form asks for it: an address of this installation, or nothing."""

from __future__ import annotations

from django.http import HttpRequest
from django.utils.http import url_has_allowed_host_and_scheme

__all__ = ["asked_address"]


def asked_address(request: HttpRequest, wanted: str) -> str:
    """*wanted* where it is an address of this installation ("/people/…"), else ""."""
    is_here = url_has_allowed_host_and_scheme(wanted, allowed_hosts={request.get_host()})
    # A bare word is an address as well, of the page it stands on; it is not what our own pages send.
    return wanted if is_here and wanted.startswith("/") else ""
