"""Questions in and out as QTI 2.1 and 3.0, the open standard for items (1EdTech, Question and Test Interoperability)."""

from __future__ import annotations

from stepladder.core.questions.qti.reading import BadItem, ReadItem, is_item, keywords_of, read_item
from stepladder.core.questions.qti.writing import VERSIONS, write_package

__all__ = ["VERSIONS", "BadItem", "ReadItem", "is_item", "keywords_of", "read_item", "write_package"]
