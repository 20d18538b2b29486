"""What people are told of the training they asked to have confirmed."""

from __future__ import annotations

from stepladder.notices.kinds import NoticeKind

__all__ = ["DECIDED"]

DECIDED = NoticeKind(
    "outside decided",
    "Training from outside is looked at",
    "“{title}” is {outcome}",
    "Hello {given_name},\n\n{decider} has looked at “{title}”, which you had elsewhere: it is {outcome}.\n\n{words}",
    {
        "title": "what it was",
        "outcome": "confirmed or not confirmed",
        "decider": "who looked at it",
        "words": "what was said with it",
    },
    needs_sign_in=True,
)
