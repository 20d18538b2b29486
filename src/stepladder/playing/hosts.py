"""Content hosts: nothing but `/run/` exists on them, and `/run/` exists nowhere else. No cookie is read or set."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.http.request import split_domain_port
from django.urls import Resolver404, resolve

from stepladder.playing.launches import Refused

URLCONF = "stepladder.playing.content_urls"


def is_content_host(request: HttpRequest) -> bool:
    """Whether the request came to a content host."""
    name, _ = split_domain_port(request.get_host())
    if settings.CONTENT_HOST.startswith("*."):
        return name.endswith(settings.CONTENT_HOST[1:]) and name != settings.APP_HOST
    return bool(name == settings.CONTENT_HOST)


class ContentHosts:
    """Before everything else: a request to a content host sees none of the application's middleware, sessions included."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not is_content_host(request):
            return self.get_response(request)
        request.COOKIES.clear()
        response = self._answer(request)
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Cache-Control", "no-store")
        response.cookies.clear()
        return response

    def _answer(self, request: HttpRequest) -> HttpResponse:
        if request.headers.get("Service-Worker") == "script":
            return _plain("Service workers are not run here.", 403)
        try:
            view, args, kwargs = resolve(request.path_info, URLCONF)
            answer: HttpResponse = view(request, *args, **kwargs)
            return answer
        except (Resolver404, Http404):
            return _plain("There is nothing here.", 404)
        except Refused as refusal:
            return _plain(str(refusal), 403)


def _plain(text: str, status: int) -> HttpResponse:
    return HttpResponse(text, status=status, content_type="text/plain; charset=utf-8")
