"""Fields for people and their placements."""

from __future__ import annotations

from typing import Any

from django import forms

from stepladder.people.models import Person, Placement

__all__ = ["PersonChoice", "PlacementChoice"]


class PlacementChoice(forms.ModelMultipleChoiceField[Placement]):
    """Placements by what and where they are."""

    def label_from_instance(self, obj: Placement) -> str:
        return f"{obj.position or 'no position'}, {obj.unit}"


class PersonChoice(forms.ModelMultipleChoiceField[Person]):
    """People, named one by one in a box that finds them by what one types."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(Person.objects.all(), to_field_name="public_id", required=False, **kwargs)

    def chosen(self, data: Any, name: str) -> list[Person]:
        """Those that a form named, to be shown again."""
        return list(Person.objects.filter(public_id__in=data.getlist(name))) if hasattr(data, "getlist") else []
