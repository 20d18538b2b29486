"""Topics."""

from __future__ import annotations

from django.db import models

from stepladder.identity import new_public_id

# Between a topic and one below it, and between topics in a row of them.
BELOW, BETWEEN = "›", ";"


class Topic(models.Model):
    """What things are about, by the organisation's own list: a topic, or one below a topic, and no deeper."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    parent = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="below")
    name = models.CharField(max_length=60)

    class Meta:
        ordering = ("name",)
        constraints = (
            models.UniqueConstraint(fields=["name"], condition=models.Q(parent__isnull=True), name="topic_name_once"),
            models.UniqueConstraint(
                fields=["parent", "name"], condition=models.Q(parent__isnull=False), name="topic_name_once_below_one"
            ),
        )

    def __str__(self) -> str:
        return self.name
