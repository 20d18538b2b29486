"""What is told of messages and their answers."""

from __future__ import annotations

from stepladder.notices.kinds import NoticeKind

__all__ = ["ANSWER", "MESSAGE"]

_FIELDS = {"subject_line": "what the message is called", "words": "what was written", "by": "who wrote it"}
MESSAGE = NoticeKind(
    "message",
    "Somebody writes to people",
    "{subject_line}",
    "Hello {given_name},\n\n{words}\n\n{by}\n\nAnswer in the application, where this leads:",
    _FIELDS,
    is_private=True,
)
ANSWER = NoticeKind(
    "answer",
    "A message is answered",
    "{by} answers: {subject_line}",
    "Hello {given_name},\n\n{words}\n\n{by}\n\nAnswer in the application, where this leads:",
    _FIELDS,
    is_private=True,
)
