from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "stepladder.accounts"
    label = "accounts"

    def ready(self) -> None:
        from stepladder import clock  # inside: apps are ready only now
        from stepladder.accounts import organisation
        from stepladder.journal import verbs

        clock.take_zone_from(organisation.zone)
        verbs.register(
            set_up_organisation="set up {object}",
            create_account="gave {object} a sign-in as {role}",
            change_own_settings="changed their settings",
        )
