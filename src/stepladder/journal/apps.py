from django.apps import AppConfig


class JournalConfig(AppConfig):
    name = "stepladder.journal"
    label = "journal"
    verbose_name = "Journal"

    def ready(self) -> None:
        from django.db.backends.signals import connection_created  # inside: apps are ready only now
        from django.db.models.signals import post_migrate, pre_migrate

        from stepladder.journal import verbs, watching

        connection_created.connect(watching.on_connection, dispatch_uid="journal")
        pre_migrate.connect(watching.before_migrations, sender=self)
        post_migrate.connect(watching.after_migrations, sender=self)
        verbs.register(
            take_back="taken back: {what}",
            write="wrote {what}",
            begin_watching="has the digests from now on of {what}",
        )
