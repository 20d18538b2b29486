"""How long a completion counts. Rule: 5."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from itertools import groupby, zip_longest

from stepladder.core.days import FOREVER, Period, Span, add

__all__ = [
    "Cap",
    "Completion",
    "Link",
    "Terms",
    "TermsHistory",
    "chain",
    "link_on",
    "valid_spans",
]


@dataclass(frozen=True)
class Terms:
    """A course's validity (None: never expires), renewal window W and grace G in days.

    With *calendar_year* a completion lasts to 31 December, and *validity* is not looked at.
    """

    validity: Period | None = None
    window_days: int = 0
    grace_days: int = 0
    calendar_year: bool = False

    @property
    def expires(self) -> bool:
        return self.calendar_year or self.validity is not None


@dataclass(frozen=True)
class TermsHistory:
    """Terms as dated facts: (from day, terms), the earliest also standing for all days before it."""

    dated: tuple[tuple[date, Terms], ...]

    @classmethod
    def always(cls, terms: Terms) -> TermsHistory:
        return cls(((date.min, terms),))

    def on(self, day: date) -> Terms:
        """The terms in force on *day*."""
        found = self.dated[0][1]
        for start, terms in self.dated:
            if start <= day:
                found = terms
        return found


@dataclass(frozen=True)
class Completion:
    """A completion's day, the edition it was of, an expiry of its own (from outside), and its key for the caller."""

    day: date
    edition: int = 1
    own_expiry: date | None = None
    key: int = 0


@dataclass(frozen=True)
class Cap:
    """A large release that asks for a retake: from *day* on, editions before *edition* count to *until* at most."""

    day: date
    edition: int
    until: date


@dataclass(frozen=True)
class Link:
    """What a chain of completions comes to from *first* until the next link begins.

    *valid_until* is inclusive (FOREVER: never expires). *terms* are those the expiry was derived by; *taken* and *key*
    are the latest completion's.
    """

    first: date
    taken: date
    valid_until: date
    terms: Terms
    anchor: date
    walked: Period = field(default_factory=Period)
    edition: int = 1
    key: int = 0


def chain(completions: Iterable[Completion], terms: TermsHistory, caps: Sequence[Cap] = ()) -> list[Link]:
    """The links that completions make, in order of day; empty without completions.

    A day counts once; where it has several, the newest edition and the longest own expiry speak. Rule: 5, 6.
    """
    links: list[Link] = []
    for day, of_day in groupby(sorted(completions, key=_order), key=lambda c: c.day):
        newest = list(of_day)[-1]
        # A release's own day included: what is completed on it belongs to the time after it.
        _apply_caps(links, caps, until=day)
        links.append(_next_link(links[-1] if links else None, newest, terms.on(day), caps))
    _apply_caps(links, caps, until=FOREVER)
    # A link that the next one replaces from its own first day never spoke.
    return [link for link, following in zip_longest(links, links[1:]) if not _replaced(link, following)]


def link_on(links: Sequence[Link], day: date) -> Link | None:
    """The link that speaks on *day*: the last that has begun."""
    found = None
    for link in links:
        if link.first <= day:
            found = link
    return found


def valid_spans(links: Sequence[Link]) -> list[Span]:
    """The days on which a valid completion is held."""
    spans = []
    for link, following in zip_longest(links, links[1:]):
        last = link.valid_until
        if following is not None:
            last = min(last, following.first - timedelta(days=1))
        if link.first <= last:
            spans.append(Span(link.first, last))
    return spans


def _order(completion: Completion) -> tuple[date, int, date]:
    return completion.day, completion.edition, completion.own_expiry or date.min


def _next_link(last: Link | None, taken: Completion, terms: Terms, caps: Sequence[Cap]) -> Link:
    if last is None:
        return _capped(_fresh(taken, terms), caps)
    # A completion of an edition that was asked for anew starts a chain of its own, also where the old one ran out before (rule 6).
    retake = any(cap.day <= taken.day and last.edition < cap.edition <= taken.edition for cap in caps)
    early = (
        not retake
        and taken.own_expiry is None
        and terms.expires
        and last.valid_until != FOREVER
        and last.valid_until - timedelta(days=terms.window_days) <= taken.day <= last.valid_until
    )
    link = _capped(_renewed(last, taken, terms) if early else _fresh(taken, terms), caps)
    if link.valid_until > last.valid_until:
        return link
    # Evidence that shortens nothing: the expiry in force stays, with the chain and the terms that gave it.
    return replace(last, first=taken.day, taken=taken.day, key=taken.key, edition=max(last.edition, taken.edition))


def _fresh(taken: Completion, terms: Terms) -> Link:
    if taken.own_expiry is not None:
        # An expiry from outside holds as it is, and renewals count on from it.
        until, anchor, walked = taken.own_expiry, taken.own_expiry, Period()
    elif terms.calendar_year:
        until = _year_end(taken.day, terms.window_days)
        anchor, walked = until, Period()
    elif terms.validity is not None:
        until, anchor, walked = add(taken.day, terms.validity), taken.day, terms.validity
    else:
        until, anchor, walked = FOREVER, taken.day, Period()
    return Link(taken.day, taken.day, until, terms, anchor, walked, taken.edition, taken.key)


def _renewed(last: Link, taken: Completion, terms: Terms) -> Link:
    if terms.calendar_year:
        # As if it were taken on the last day: that may lie within the window of its year's end.
        until = _year_end(last.valid_until, terms.window_days)
        return Link(taken.day, taken.day, until, terms, until, Period(), taken.edition, taken.key)
    assert terms.validity is not None
    # Always from the anchor: month by month a 31 January would become a 28 February, and stay one (rule 6).
    walked = last.walked + terms.validity
    return Link(
        taken.day,
        taken.day,
        add(last.anchor, walked),
        terms,
        last.anchor,
        walked,
        # Its own, also where an older one comes later: a retake asks for what was completed last (rule 6).
        taken.edition,
        taken.key,
    )


def _year_end(day: date, window_days: int) -> date:
    end = date(day.year, 12, 31)
    return date(day.year + 1, 12, 31) if (end - day).days <= window_days else end


def _capped(link: Link, caps: Sequence[Cap]) -> Link:
    ends = [cap.until for cap in caps if cap.day <= link.first and link.edition < cap.edition]
    return replace(link, valid_until=min([link.valid_until, *ends]))


def _replaced(link: Link, following: Link | None) -> bool:
    """Whether a link was over before its first day was: by a completion, or a stricter retake, of the same day."""
    return following is not None and following.first == link.first


def _apply_caps(links: list[Link], caps: Sequence[Cap], *, until: date) -> None:
    for cap in sorted(caps, key=lambda c: c.day):
        if not links or not links[-1].first <= cap.day <= until:
            continue
        last = links[-1]
        if last.edition < cap.edition and cap.until < last.valid_until:
            links.append(replace(last, first=cap.day, valid_until=cap.until))
