"""What accounts hands in to apps nearer the ground."""

from __future__ import annotations

from django.contrib.auth.signals import user_logged_in, user_logged_out

from stepladder import clock
from stepladder.accounts import models, organisation, tasks, visits
from stepladder.journal import sealing, verbs
from stepladder.queue.kinds import describe
from stepladder.web.frame import add_foot_page

sealing.watch(models.RoleGrant)
# A further column would make every digest another one; what was switched its entries say.
sealing.watch(models.Organisation, leaving_out=("switched_off",))
# What proves nothing: when one was here last, and how one likes to see it.
sealing.watch(models.Account, leaving_out=("last_login", "theme", "single_keys"))
user_logged_in.connect(visits.on_signed_in, dispatch_uid="visits")
user_logged_out.connect(visits.on_signing_out, dispatch_uid="visits")
clock.take_zone_from(organisation.zone)
clock.take_calendar_from(organisation.calendar)
describe(tasks.send_links, tasks.words)
add_foot_page(20, "Organisation", "accounts:organisation", verb="change the organisation")
verbs.register(
    set_up_organisation="set up {object}",
    create_account="gave {object} a sign-in as {role}",
    change_organisation="changed the organisation: {changes}",
    change_own_settings="changed their settings",
    use_link="set a password by {how}",
    set_roles="is {after}; was {before}",
    wrong_guesses="was tried with {count} wrong passwords, from {address}",
    lock_account="locked out",
    unlock_account="may sign in again",
)
