"""A version of a quiz that is copied, or made the newest again: it asks the same, and so does the draft."""

from __future__ import annotations

from stepladder.library.models import ModuleVersion
from stepladder.quizzes.models import PoolEntry, Quiz, QuizVersion

__all__ = ["share"]


def share(of: ModuleVersion, to: ModuleVersion) -> None:
    """*to* asks what *of* asks. Within the transaction of the act that made it, which has asked whether it may be."""
    said = QuizVersion.objects.get(version=of)
    made = QuizVersion.objects.create(version=to, plan=said.plan)
    PoolEntry.objects.bulk_create(
        (
            PoolEntry(quiz=made, section=section, place=place, wording_id=wording)
            for section, place, wording in said.pool.values_list("section", "place", "wording")
        ),
        batch_size=500,
    )
    defaults = {"plan": said.plan, "has_changes": False, "changed_at": to.made_at, "changed_by": to.made_by}
    Quiz.objects.update_or_create(module=to.module, defaults=defaults)
