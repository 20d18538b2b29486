"""What web registers with Django."""

from __future__ import annotations

from stepladder.web import checks  # noqa: F401 - registers the system checks
