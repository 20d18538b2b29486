"""What people are told of requests, and of what is passed on."""

from __future__ import annotations

from django.urls import reverse

from stepladder.catalogue.models import Request
from stepladder.courses.models import Course, Path
from stepladder.notices.kinds import NoticeKind

__all__ = ["DECIDED", "PASSED_ON", "REQUEST", "path_of_thing", "path_to_decide"]

REQUEST = NoticeKind(
    "request",
    "Somebody asks to get in",
    "{name} asks for “{title}”",
    "Hello {given_name},\n\n{name} would like to take “{title}”, and you decide on it.\n\n{words}",
    {"name": "who asks", "title": "what they ask for", "words": "what they said with it"},
    needs_sign_in=True,
)
DECIDED = NoticeKind(
    "request decided",
    "A request is decided",
    "“{title}”: {outcome}",
    "Hello {given_name},\n\nyou asked for “{title}”. {decider} decided: {outcome}.\n\n{words}",
    {
        "title": "what was asked for",
        "outcome": "approved or refused",
        "decider": "who decided",
        "words": "what was said with it",
    },
    needs_sign_in=True,
)
PASSED_ON = NoticeKind(
    "passed on",
    "Something is passed on",
    "{name} passes on “{title}”",
    "Hello {given_name},\n\n{name} thinks that “{title}” is something for you.\n\n{words}",
    {"name": "who passes it on", "title": "what it is", "words": "what they said with it"},
    needs_sign_in=True,
)


def path_of_thing(thing: Course | Path) -> str:
    """Where a thing stands in the catalogue."""
    return reverse("catalogue:thing", args=[thing.public_id])


def path_to_decide(request: Request) -> str:
    """Where whoever decides on a request finds it."""
    return f"{reverse('catalogue:requests')}#{request.public_id}"
