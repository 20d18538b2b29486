"""How days, instants and lengths are written, once."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from fractions import Fraction
from typing import Any

from django import template
from django.contrib.messages.storage.base import Message
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from stepladder import clock
from stepladder.core.days import FOREVER
from stepladder.web.frame import take_back_address
from stepladder.web.pictures import drawn_from
from stepladder.web.toasts import ACT

register = template.Library()


@register.filter
def day(value: date | None) -> str:
    """14 Mar 2027."""
    if value is None:
        return "–"
    if value == FOREVER:
        return "no end"
    return f"{value.day} {value:%b %Y}"


@register.filter
def iso_day(value: str) -> str:
    """A day that was kept as text, 2027-03-14, as it is shown: 14 Mar 2027."""
    return day(date.fromisoformat(value))


@register.filter
def shown(value: object) -> object:
    """A value of a list: a day in its form, nothing for none, all else as it is."""
    if value is None:
        return ""
    return day(value) if isinstance(value, date) else value


@register.filter
def weekday(value: date | None) -> str:
    """Fri 14 Mar 2027."""
    return f"{value:%a} {day(value)}" if value and value != FOREVER else day(value)


@register.filter
def when(value: datetime | None) -> str:
    """23 Nov 10:42, with the year where it is another one."""
    if value is None:
        return "–"
    local = value.astimezone(clock.zone())
    year = "" if local.year == clock.today().year else f" {local.year}"
    return f"{local.day} {local:%b}{year} {local:%H:%M}"


@register.filter
def clock_time(value: datetime | None) -> str:
    """10:42."""
    return f"{value.astimezone(clock.zone()):%H:%M}" if value else ""


@register.filter
def local_day(value: datetime | None) -> date | None:
    """The organisation's day of an instant."""
    return value.astimezone(clock.zone()).date() if value else None


@register.filter
def distance(value: date | None) -> str:
    """In 9 days, 3 days ago, today."""
    if value is None or value == FOREVER:
        return ""
    days = (value - clock.today()).days
    if days == 0:
        return "today"
    if abs(days) == 1:
        return "tomorrow" if days == 1 else "yesterday"
    if abs(days) > 90:
        months = round(abs(days) / 30.4)
        words = f"{months} months" if months < 24 else f"{months // 12} years"
        return f"in {words}" if days > 0 else f"{words} ago"
    return f"in {days} days" if days > 0 else f"{-days} days ago"


@register.filter
def minutes(value: int | None) -> str:
    """1 h 55, or 12 min."""
    if not value:
        return "–"
    hours, rest = divmod(int(value), 60)
    return f"{hours} h {rest:02d}" if hours else f"{rest} min"


@register.filter
def duration(seconds: float | None) -> str:
    """4:05, or 1:02:30."""
    if not seconds:
        return "–"
    whole = timedelta(seconds=round(seconds))
    hours, rest = divmod(whole.seconds + whole.days * 86400, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"


@register.filter
def bytes_size(value: int | None) -> str:
    """4.2 MB."""
    size = float(value or 0)
    for unit in ("bytes", "KB", "MB", "GB"):
        if size < 1024 or unit == "GB":
            return f"{size:.0f} {unit}" if unit == "bytes" else f"{size:.1f} {unit}"
        size /= 1024
    return ""


@register.filter
def letter(number: int) -> str:
    """1 → a, 2 → b; after z the numbers themselves."""
    return "abcdefghijklmnopqrstuvwxyz"[number - 1] if 0 < number <= 26 else str(number)


@register.filter
def share(value: Fraction | None) -> str:
    """A score as a percentage, rounded down: 83 %."""
    return "–" if value is None else f"{int(value * 100)} %"


@register.filter
def slug(value: Any) -> str:
    """A status as a class name: due-soon."""
    return str(value).replace(" ", "-")


@register.simple_tag
def take_back_url(message: Message) -> str:
    """Where what a toast says is taken back; "" where there is no way."""
    tags = message.extra_tags or ""
    return reverse(take_back_address(), args=[tags.removeprefix(ACT)]) if tags.startswith(ACT) else ""


@register.simple_tag
def printed_at() -> str:
    """Now, for the head of a printed page: 23 Nov 2026 09:12."""
    local = clock.now().astimezone(clock.zone())
    return f"{local.day} {local:%b %Y %H:%M}"


@register.simple_tag
def picture(title: str) -> SafeString:
    """The picture of a thing, drawn from its title."""
    return drawn_from(title)


@register.simple_tag
def today_iso() -> str:
    """The organisation's day as scripts read it: 2026-11-27."""
    return clock.today().isoformat()


@register.simple_tag
def once_token() -> SafeString:
    """The hidden field that lets a form act once."""
    return format_html('<input type="hidden" name="once" value="{}">', secrets.token_urlsafe(16))


# So many of a list are named.
QUOTED = 4


@register.filter
def quoted_list(words: Sequence[str]) -> str:
    """The first of some words, each in quotes: “line”, “lines”."""
    return ", ".join(f"“{word}”" for word in words[:QUOTED])


@register.filter
def at(values: dict[Any, Any], key: Any) -> Any:
    """The value of a key that is itself a variable; "" where there is none."""
    return values.get(key, "")


@register.filter
def cell(row: list[str], place: int) -> str:
    """The cell at a place of a row; "" where the row is shorter."""
    return row[place] if place < len(row) else ""
