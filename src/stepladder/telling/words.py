"""A rule, as one reads it."""

from __future__ import annotations

from stepladder.telling.models import OF_NOBODY, NoticeRule

__all__ = ["readers_in_words", "rule_in_words", "when_in_words"]


def when_in_words(moment: str, offset: int) -> str:
    """“7 days before the due day”, “on the last valid day”, “1 day after the due day”."""
    if moment == NoticeRule.Moment.COMPLETED:
        return "when it is completed"
    if moment == NoticeRule.Moment.ALL_DONE:
        return "when everybody of an assignment has done it"
    if moment == NoticeRule.Moment.MARKING:
        late = f", {offset} day{'s' if offset != 1 else ''} after it was handed in" if offset else ""
        return f"when something waits to be marked{late}"
    day = "the due day" if moment == NoticeRule.Moment.DUE else "the last valid day"
    if offset == 0:
        return f"on {day}"
    days = abs(offset)
    return f"{days} day{'s' if days != 1 else ''} {'before' if offset < 0 else 'after'} {day}"


def readers_in_words(rule: NoticeRule) -> str:
    """“the person, and whoever they answer to”."""
    labels = {to: to.label for to in NoticeRule.To}
    if rule.moment in OF_NOBODY:
        # Of nobody in particular, so of no part.
        labels[NoticeRule.To.ADMINISTRATORS] = "administrators"
    said = [labels[to] for to in NoticeRule.To if to in rule.to]
    said += [person.name for person in rule.named.all()]
    return " and ".join(filter(None, [", ".join(said[:-1]), said[-1]])) if said else "nobody"


def rule_in_words(rule: NoticeRule) -> str:
    """“7 days before the due day, to the person”."""
    return f"{when_in_words(rule.moment, rule.offset)}, to {readers_in_words(rule)}"
