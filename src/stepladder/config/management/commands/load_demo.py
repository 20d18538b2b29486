"""Fill an empty installation with the demo's data."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from stepladder.accounts.models import Organisation
from stepladder.config import demo


class Command(BaseCommand):
    help = "Load the demo data into an empty installation; does nothing where there is data already."

    def handle(self, *args: Any, **options: Any) -> None:
        if Organisation.objects.exists():
            return
        demo.load(lambda text: self.stdout.write(f"  {text}"))
