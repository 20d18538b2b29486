"""What the journal watches at every connection, and the sentences of its own verbs."""

from __future__ import annotations

from django.apps import apps
from django.db.backends.signals import connection_created
from django.db.models.signals import post_migrate, pre_migrate

from stepladder.journal import models, sealing, verbs, watching

connection_created.connect(watching.on_connection, dispatch_uid="journal")
pre_migrate.connect(watching.before_migrations, sender=apps.get_app_config("journal"))
post_migrate.connect(watching.after_migrations, sender=apps.get_app_config("journal"))
verbs.register(
    take_back="taken back: {what}",
    write="wrote {what}",
    begin_watching="has the digests from now on of {what}",
)
sealing.watch(models.Shortened)
