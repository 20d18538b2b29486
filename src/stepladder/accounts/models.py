"""The account one signs in with, its roles, and the organisation's settings."""

from __future__ import annotations

from typing import Any, ClassVar

from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.db import models
from django.db.models import Q
from django.utils.crypto import salted_hmac

from stepladder.identity import new_public_id


class Role(models.TextChoices):
    """What one may do. Everybody who is a person is a learner too. Those of FOLLOWING are never granted: a manager is whoever
    holds a lead, a path builder whoever is allowed to build paths for their own people (courses.keeping)."""

    ADMINISTRATOR = "administrator", "Administrator"
    UNIT_ADMINISTRATOR = "unit administrator", "Unit administrator"
    AUTHOR = "author", "Author"
    INSTRUCTOR = "instructor", "Instructor"
    MANAGER = "manager", "Manager"
    AUDITOR = "auditor", "Auditor"
    LEARNER = "learner", "Learner"
    PATH_BUILDER = "path builder", "Path builder"


# Roles that follow from something else, so that nobody grants them.
FOLLOWING = frozenset({Role.MANAGER, Role.PATH_BUILDER})


class AccountManager(BaseUserManager["Account"]):
    def create_account(self, email: str, name: str, password: str | None = None, **extra: Any) -> Account:
        """An account with its password hashed; None: it cannot sign in with a password."""
        account = self.model(email=self.normalize_email(email).lower(), name=name, **extra)
        account.set_password(password)
        account.save(using=self._db)
        return account

    def get_by_natural_key(self, username: str | None) -> Account:
        return self.get(email=(username or "").strip().lower())


class Account(AbstractBaseUser):
    """Who signs in."""

    class Theme(models.TextChoices):
        AUTO = "auto", "As the device"
        LIGHT = "light", "Light"
        DARK = "dark", "Dark"

    class Suggestions(models.TextChoices):
        DAILY = "daily", "on its day"
        WEEKLY = "weekly", "together, once a week"
        NEVER = "never", "not at all"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    email = models.EmailField(unique=True)
    name = models.CharField(max_length=200)
    # Whether one may sign in: kept from the two reasons why not, which come and go by themselves.
    is_active = models.BooleanField(default=True)
    # Locked by hand, and by hand unlocked.
    is_locked = models.BooleanField(default=False)
    # Shut because the person left; open again when they are back.
    has_left = models.BooleanField(default=False)
    # Grows when all that were signed in are shut out for good: their sessions are of an earlier one.
    sign_ins_of = models.PositiveIntegerField(default=0)
    theme = models.CharField(max_length=5, choices=Theme.choices, default=Theme.AUTO)
    single_keys = models.BooleanField(default=True)
    # When one is reminded of what nothing makes mandatory.
    suggestions = models.CharField(max_length=6, choices=Suggestions.choices, default=Suggestions.DAILY)
    # Gets the journal's head every day, so that it can be held against the journal later.
    wants_journal_head = models.BooleanField(default=False)

    objects = AccountManager()

    USERNAME_FIELD = "email"
    REQUIRED_FIELDS: ClassVar[list[str]] = ["name"]

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(is_active=True, is_locked=False, has_left=False)
                | (Q(is_active=False) & (Q(is_locked=True) | Q(has_left=True))),
                name="active_unless_locked_or_left",
            ),
        )

    def __str__(self) -> str:
        return self.name

    def get_session_auth_hash(self) -> str:
        """What a session must have to be this account's: it changes with the password, and when sign-ins are ended for good."""
        if not self.sign_ins_of:
            return super().get_session_auth_hash()
        text = f"{self.password}:{self.sign_ins_of}"
        return salted_hmac("stepladder.accounts.sign_ins", text, algorithm="sha256").hexdigest()

    @property
    def roles(self) -> frozenset[str]:
        """All roles of the account; read once for each loaded account."""
        if not hasattr(self, "_roles"):
            self._roles = frozenset(self.grants.values_list("role", flat=True))
        return self._roles


class RoleGrant(models.Model):
    """A role that an account has."""

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="grants")
    role = models.CharField(max_length=20, choices=Role.choices)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["account", "role"], name="role_once_per_account"),)

    def __str__(self) -> str:
        return f"{self.account}: {self.role}"


class SignInLink(models.Model):
    """A link by which somebody sets their password: an invitation, or a reset. It works once, and for so long."""

    class Purpose(models.TextChoices):
        INVITATION = "invitation", "Invitation"
        RESET = "reset", "New password"

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="links")
    purpose = models.CharField(max_length=10, choices=Purpose.choices)
    # The token itself is only in the e-mail.
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True, blank=True)
    withdrawn_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.purpose} for {self.account}"


class Visit(models.Model):
    """From signing in to signing out in one browser."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="visits")
    begun_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.account_id} since {self.begun_at}"


class WrongGuesses(models.Model):
    """How many wrong passwords came lately, for an e-mail or from an address, and until when the next one has to wait."""

    key = models.CharField(max_length=300, unique=True)
    count = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField()
    waits_until = models.DateTimeField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "wrong guesses"

    def __str__(self) -> str:
        return f"{self.count} by {self.key}"


def weekend() -> list[int]:
    """Saturday and Sunday."""
    return [5, 6]


class Organisation(models.Model):
    """The one organisation of this installation and how it counts days."""

    name = models.CharField(max_length=200)
    zone = models.CharField(max_length=60, default="Europe/London")
    first_weekday = models.PositiveSmallIntegerField(default=0)
    first_month = models.PositiveSmallIntegerField(default=1)
    # Which figure of 04/12/2027 comes first; while it is not said, who writes such a day is asked.
    day_order = models.CharField(
        max_length=5,
        blank=True,
        default="",
        choices=[("", "asked each time"), ("day", "4 December"), ("month", "12 April")],
    )
    # Whoever starts later may begin before their first day, once they can sign in.
    begins_early = models.BooleanField(default=True)
    notice_days = models.PositiveSmallIntegerField(default=14)
    soon_days = models.PositiveSmallIntegerField(default=14)
    # Whether this server asks the web: for titles of links, whether they are still there, lists of them.
    fetches_links = models.BooleanField(default=False)
    # For what is derived of files and can be made anew (library.derived_room); None: as much as the disk has.
    derived_quota_mb = models.PositiveIntegerField(null=True, blank=True)
    # The sites from which lessons may show pages, film and sound: "charts.example", which stands for what is below it too.
    page_hosts = models.JSONField(default=list, blank=True)
    # Its own words in the invitation of somebody new, above what is asked of them.
    welcome = models.TextField(blank=True)
    # The sites that may show embedded paths within their pages; as above.
    embed_hosts = models.JSONField(default=list, blank=True)
    # What it does not want of all that can be switched off (accounts.switches), by name.
    switched_off = models.JSONField(default=list, blank=True)
    # Which roles may build paths for their own people, and the binder (its public id) that these stand in.
    path_builders = models.JSONField(default=list, blank=True)
    paths_binder = models.CharField(max_length=20, blank=True)
    # Nothing is sent by notice rules on these weekdays (0: Monday), nor on these dates: [["2027-04-02", "Good Friday"]].
    quiet_weekdays = models.JSONField(default=weekend, blank=True)
    quiet_dates = models.JSONField(default=list, blank=True)
    # The hour from which they are sent on the other days.
    tells_at = models.PositiveSmallIntegerField(default=7)
    # So many years after somebody's last day only their number is kept; None: everything is, for ever.
    keep_years = models.PositiveSmallIntegerField(null=True, blank=True)

    def __str__(self) -> str:
        return self.name
