"""Wrong passwords: counted by e-mail and by address, with waits that grow; while one waits, no password is even looked at."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from django.conf import settings
from django.db import transaction
from django.db.models import F
from django.http import HttpRequest

from stepladder import clock
from stepladder.accounts.models import Account, WrongGuesses
from stepladder.journal.actions import Machine, Named, record

__all__ = ["MOST_BY_ADDRESS", "MOST_BY_EMAIL", "Tries", "address_of", "forgive"]

# So many wrong ones are nobody's attack: a forgotten password; an office behind one address on a Monday.
MOST_BY_EMAIL = 5
MOST_BY_ADDRESS = 40
FIRST_WAIT = timedelta(seconds=10)
LONGEST_WAIT = timedelta(minutes=15)
# After so long without another one, wrong ones are forgotten.
FORGOTTEN = timedelta(hours=24)
BY = Machine("Signing in")


def address_of(request: HttpRequest) -> str:
    """Where a request comes from. Behind TLS, what the proxy before this server has added last; else who is connected."""
    forwarded = request.headers.get("X-Forwarded-For", "") if settings.BEHIND_TLS else ""
    return (forwarded.rsplit(",", 1)[-1].strip() or request.META.get("REMOTE_ADDR", ""))[:60]


@dataclass(frozen=True)
class Tries:
    """The tries for an e-mail from an address."""

    email: str
    address: str

    @transaction.atomic
    def begin(self) -> timedelta | None:
        """Count a try as wrong before it is looked at, so that many at once count too; or how long to wait first."""
        for key, _ in self._keys():
            row, _ = WrongGuesses.objects.get_or_create(key=key, defaults={"last_at": clock.wall()})
            if row.last_at < clock.wall() - FORGOTTEN:
                WrongGuesses.objects.filter(pk=row.pk).update(count=0, waits_until=None)
            elif row.waits_until is not None and row.waits_until > clock.wall():
                return row.waits_until - clock.wall()
        for key, most in self._keys():
            WrongGuesses.objects.filter(key=key).update(count=F("count") + 1, last_at=clock.wall())
            count = WrongGuesses.objects.values_list("count", flat=True).get(key=key)
            if count >= most:
                wait = min(FIRST_WAIT * 2 ** min(count - most, 20), LONGEST_WAIT)
                WrongGuesses.objects.filter(key=key).update(waits_until=clock.wall() + wait)
        return None

    @transaction.atomic
    def was_right(self) -> None:
        """The e-mail's wrong ones are forgotten, and this one is none of the address's."""
        forgive(self.email)
        WrongGuesses.objects.filter(key=self._keys()[1][0], count__gt=0).update(count=F("count") - 1, waits_until=None)

    @transaction.atomic
    def was_wrong(self) -> None:
        """The journal says so once there are many."""
        for key, most in self._keys():
            count = WrongGuesses.objects.values_list("count", flat=True).get(key=key)
            if count >= most:
                account = Account.objects.filter(email=self.email).first()
                about = Named("account", account.public_id, account.name) if account else Named("", "", self.email)
                record("wrong_guesses", by=BY, about=about, data={"count": count, "address": self.address})
                return

    def _keys(self) -> list[tuple[str, int]]:
        return [(_of_email(self.email), MOST_BY_EMAIL), (f"address {self.address}", MOST_BY_ADDRESS)]


def _of_email(email: str) -> str:
    return f"e-mail {email.lower()}"[:300]


def forgive(email: str) -> None:
    """Forget the wrong ones of an e-mail: somebody has signed in, or chosen a new password."""
    WrongGuesses.objects.filter(key=_of_email(email)).delete()
