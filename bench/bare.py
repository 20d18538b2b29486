"""The addresses of the application with a bare view beside them: what Django itself costs somebody who is signed in."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.urls import include, path

__all__ = ["ADDRESS"]

ADDRESS = "/bare/"


def bare(request: HttpRequest) -> HttpResponse:
    """Says who asks, as every page has to know."""
    return HttpResponse(str(request.user.pk))


urlpatterns = [path("bare/", bare, name="bare"), path("", include("stepladder.config.urls"))]
